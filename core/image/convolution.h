#pragma once
#include "core/base/tasks.h"
#include "core/image/picture.h"

#include <complex>
#include <functional>
#include <list>
#include <memory>
#include <mutex>
#include <string>
#include <vector>

namespace ilumbra {

/// The Fourier transform of a real picture about its middle, (n/2, n/2): the upper half of its plane, rows of frequency
/// 0 to n/2 downwards, n columns with frequency 0 in the middle. The sum of all squares, the lower half too, is 1.
/// `values` n × n, n even.
std::vector<std::complex<float>> spectrum(const std::vector<float>& values, int n);

/// Convolves pictures of one size with one kernel, by fast Fourier transforms (Cooley and Tukey 1965, through FFTW).
/// Beyond its edges a picture is black; what is spread beyond them is lost.
class Convolution {
 public:
  /// The kernel is a picture of odd sides, its middle the origin. At most 2·`width` + 1 by 2·`height` + 1 of it count.
  Convolution(const Picture& kernel, int width, int height, const Tasks& tasks);
  ~Convolution();
  Picture apply(const Picture& in, const Tasks& tasks) const;
  size_t bytes() const;

 private:
  struct Content;
  std::unique_ptr<Content> m_content;
};

/// Convolutions that were used of late, up to 400 MB, for a stage's kernel stays the same from picture to picture. Safe
/// to use from several threads.
class ConvolutionCache {
 public:
  /// One that was made with the same kernel before, or of what `kernel` makes. `key` tells all that the kernel depends
  /// on.
  std::shared_ptr<const Convolution> get(const std::string& key, int width, int height, const Tasks& tasks,
                                         const std::function<Picture()>& kernel);

 private:
  std::mutex m_mutex;
  std::list<std::pair<std::string, std::shared_ptr<const Convolution>>> m_lately; ///< the newest first
};
/// From the cache, or made anew where there is none.
std::shared_ptr<const Convolution> convolutionFor(ConvolutionCache* cache, const std::string& key, int width,
                                                  int height, const Tasks& tasks,
                                                  const std::function<Picture()>& kernel);

} // namespace ilumbra
