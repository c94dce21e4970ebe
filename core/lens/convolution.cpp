#include "core/lens/convolution.h"

#include <algorithm>
#include <fftw3.h>
#include <mutex>

namespace ilumbra {
namespace {

// Memory as FFTW wants it.
template <typename T> struct Buffer {
  T* data;
  explicit Buffer(size_t n) : data(static_cast<T*>(fftwf_malloc(n * sizeof(T)))) {
    if (!data) throw std::bad_alloc();
  }
  ~Buffer() { fftwf_free(data); }
  Buffer(const Buffer&) = delete;
};

// FFTW makes its plans one at a time; running them needs no lock. A plan holds for any memory of its size.
std::mutex& planning() {
  static std::mutex mutex;
  return mutex;
}

struct Plan {
  fftwf_plan plan = nullptr;
  ~Plan() {
    const std::lock_guard lock(planning());
    if (plan) fftwf_destroy_plan(plan);
  }
};

// A size that transforms quickly: factors 2, 3 and 5 only, and even.
int quick(int n) {
  for (int m = n + n % 2;; m += 2) {
    int k = m;
    for (const int f : {2, 3, 5})
      while (k % f == 0) k /= f;
    if (k == 1) return m;
  }
}

} // namespace

std::vector<std::complex<float>> spectrum(const std::vector<float>& values, int n) {
  const size_t half = size_t(n / 2 + 1);
  Buffer<float> in(size_t(n) * size_t(n));
  Buffer<fftwf_complex> out(size_t(n) * half);
  Plan p;
  {
    const std::lock_guard lock(planning());
    p.plan = fftwf_plan_dft_r2c_2d(n, n, in.data, out.data, FFTW_ESTIMATE);
  }
  // The middle comes to the corner, so that what is centred has a smooth phase.
  for (int y = 0; y < n; ++y)
    for (int x = 0; x < n; ++x) in.data[size_t((y + n / 2) % n) * size_t(n) + size_t((x + n / 2) % n)] = values[size_t(y) * size_t(n) + size_t(x)];
  fftwf_execute(p.plan);
  std::vector<std::complex<float>> result(size_t(n) * half);
  double sum = 0;
  for (int y = 0; y <= n / 2; ++y)
    for (int x = 0; x < n; ++x) {
      // Frequencies to the left are those of the opposite sign, conjugate.
      const int fx = x - n / 2;
      const int ix = std::abs(fx), iy = ((fx < 0 ? -y : y) + n) % n;
      const float* c = out.data[size_t(iy) * half + size_t(ix)];
      result[size_t(y) * size_t(n) + size_t(x)] = {c[0], fx < 0 ? -c[1] : c[1]};
      sum += double(c[0] * c[0] + c[1] * c[1]) * (y == 0 || y == n / 2 ? 1 : 2);
    }
  if (sum > 0)
    for (auto& v : result) v *= float(1 / std::sqrt(sum));
  return result;
}

struct Convolution::Content {
  int width, height, w, h; // of pictures, and of the transform
  size_t half;
  Plan forward, backward;
  Buffer<fftwf_complex> kernel[3];
  Content(int pw, int ph, int tw, int th)
      : width(pw), height(ph), w(tw), h(th), half(size_t(tw / 2 + 1)), kernel{Buffer<fftwf_complex>(size_t(th) * half), Buffer<fftwf_complex>(size_t(th) * half), Buffer<fftwf_complex>(size_t(th) * half)} {
    const std::lock_guard lock(planning());
    Buffer<float> real(size_t(w) * size_t(h));
    forward.plan = fftwf_plan_dft_r2c_2d(h, w, real.data, kernel[0].data, FFTW_ESTIMATE);
    backward.plan = fftwf_plan_dft_c2r_2d(h, w, kernel[0].data, real.data, FFTW_ESTIMATE);
  }
};

Convolution::Convolution(const Picture& kernel, int width, int height, const Tasks& tasks) {
  const int rx = std::min(kernel.width / 2, width), ry = std::min(kernel.height / 2, height);
  // Wrapped around, what the kernel reaches beyond one side must not come in at the other.
  m_content = std::make_unique<Content>(width, height, quick(width + rx), quick(height + ry));
  Content& c = *m_content;
  tasks.forEach(3, [&](int channel) {
    Buffer<float> real(size_t(c.w) * size_t(c.h));
    std::fill_n(real.data, size_t(c.w) * size_t(c.h), 0.0f);
    const float scale = 1 / (float(c.w) * float(c.h));
    for (int y = -ry; y <= ry; ++y)
      for (int x = -rx; x <= rx; ++x)
        real.data[size_t((y + c.h) % c.h) * size_t(c.w) + size_t((x + c.w) % c.w)] += kernel.at(x + kernel.width / 2, y + kernel.height / 2)[channel] * scale;
    fftwf_execute_dft_r2c(c.forward.plan, real.data, c.kernel[channel].data);
  });
}

Convolution::~Convolution() = default;

Picture Convolution::apply(const Picture& in, const Tasks& tasks) const {
  const Content& c = *m_content;
  Picture out(in.width, in.height);
  tasks.forEach(3, [&](int channel) {
    Buffer<float> real(size_t(c.w) * size_t(c.h));
    Buffer<fftwf_complex> freq(size_t(c.h) * c.half);
    std::fill_n(real.data, size_t(c.w) * size_t(c.h), 0.0f);
    bool any = false;
    for (int y = 0; y < in.height; ++y) {
      const float* p = in.at(0, y) + channel;
      float* r = real.data + size_t(y) * size_t(c.w);
      for (int x = 0; x < in.width; ++x) {
        r[x] = p[3 * x];
        any |= r[x] != 0;
      }
    }
    if (!any) return;
    fftwf_execute_dft_r2c(c.forward.plan, real.data, freq.data);
    const fftwf_complex* k = c.kernel[channel].data;
    for (size_t i = 0; i < size_t(c.h) * c.half; ++i) {
      const float re = freq.data[i][0] * k[i][0] - freq.data[i][1] * k[i][1], im = freq.data[i][0] * k[i][1] + freq.data[i][1] * k[i][0];
      freq.data[i][0] = re;
      freq.data[i][1] = im;
    }
    fftwf_execute_dft_c2r(c.backward.plan, freq.data, real.data);
    for (int y = 0; y < in.height; ++y) {
      float* p = out.at(0, y) + channel;
      const float* r = real.data + size_t(y) * size_t(c.w);
      for (int x = 0; x < in.width; ++x) p[3 * x] = r[x];
    }
  });
  return out;
}

} // namespace ilumbra
