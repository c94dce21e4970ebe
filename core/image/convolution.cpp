#include "core/image/convolution.h"

#include <algorithm>
#include <atomic>
#include <cstring>
#include <fftw3.h>
#include <fmt/format.h>

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

// FFTW makes its plans one at a time, in the whole program; running them needs no lock. A plan holds for any memory of
// its size.
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
    for (int x = 0; x < n; ++x)
      in.data[size_t((y + n / 2) % n) * size_t(n) + size_t((x + n / 2) % n)] =
          values[size_t(y) * size_t(n) + size_t(x)];
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

namespace {

constexpr int block = 8; // columns at a time: they fit into a core's own cache

} // namespace

// By rows, then by columns. Rows that are black cost nothing, and those beyond the picture are not made.
struct Convolution::Content {
  int width, height, w, h; // of pictures, and of the transform
  size_t half;             // frequencies in a row
  Plan rowForward, rowBackward, columnForward, columnBackward;
  std::vector<float> kernel[3]; ///< spectra, real and imaginary, column by column
  Content(int pw, int ph, int tw, int th) : width(pw), height(ph), w(tw), h(th), half(size_t(tw / 2 + 1)) {
    const std::lock_guard lock(planning());
    Buffer<float> row(static_cast<size_t>(w));
    Buffer<fftwf_complex> frequencies(half), column(static_cast<size_t>(h));
    rowForward.plan = fftwf_plan_dft_r2c_1d(w, row.data, frequencies.data, FFTW_ESTIMATE);
    rowBackward.plan = fftwf_plan_dft_c2r_1d(w, frequencies.data, row.data, FFTW_ESTIMATE);
    columnForward.plan = fftwf_plan_dft_1d(h, column.data, column.data, FFTW_FORWARD, FFTW_ESTIMATE);
    columnBackward.plan = fftwf_plan_dft_1d(h, column.data, column.data, FFTW_BACKWARD, FFTW_ESTIMATE);
  }
  size_t bands(int rows) const { return size_t(rows + 15) / 16; }

  // Spectra of rows, `half` to each: `fill` writes a row into w numbers, which are 0, and says whether there is
  // anything in it.
  template <typename Fill>
  void rows(int count, std::vector<std::complex<float>>& out, const Tasks& tasks, Fill fill) const {
    tasks.forEach(int(bands(count)), [&](int band) {
      Buffer<float> row(static_cast<size_t>(w));
      Buffer<fftwf_complex> frequencies(half);
      for (int y = 16 * band; y < std::min(count, 16 * (band + 1)); ++y) {
        std::fill_n(row.data, w, 0.0f);
        std::complex<float>* to = out.data() + size_t(y) * half;
        if (!fill(y, row.data)) {
          std::fill_n(to, half, std::complex<float>());
          continue;
        }
        fftwf_execute_dft_r2c(rowForward.plan, row.data, frequencies.data);
        for (size_t x = 0; x < half; ++x) to[x] = {frequencies.data[x][0], frequencies.data[x][1]};
      }
    });
  }
  // Transforms of columns whose rows stand at `place(row)`, the others being 0: use(column, h frequencies) may change
  // them.
  template <typename Place, typename Use>
  void columns(int count, const std::vector<std::complex<float>>& in, const Tasks& tasks, Place place, Use use) const {
    tasks.forEach(int((half + block - 1) / block), [&](int b) {
      const size_t from = size_t(b) * block, n = std::min<size_t>(block, half - from);
      // Columns lie an odd number of cache lines apart, so that they do not push each other out.
      const size_t apart = size_t((h + 7) / 8 | 1) * 8;
      Buffer<fftwf_complex> column(apart * block);
      std::fill_n(&column.data[0][0], 2 * apart * block, 0.0f);
      for (int y = 0; y < count; ++y) {
        const std::complex<float>* row = in.data() + size_t(y) * half + from;
        for (size_t i = 0; i < n; ++i) std::memcpy(column.data[i * apart + size_t(place(y))], row + i, sizeof(*row));
      }
      for (size_t i = 0; i < n; ++i)
        fftwf_execute_dft(columnForward.plan, column.data + i * apart, column.data + i * apart);
      use(from, n, column.data, apart);
    });
  }
};

Convolution::Convolution(const Picture& kernel, int width, int height, const Tasks& tasks) {
  const int rx = std::min(kernel.width / 2, width), ry = std::min(kernel.height / 2, height);
  // Wrapped around, what the kernel reaches beyond one side must not come in at the other.
  m_content = std::make_unique<Content>(width, height, quick(width + rx), quick(height + ry));
  Content& c = *m_content;
  const float scale = 1 / (float(c.w) * float(c.h));
  std::vector<std::complex<float>> spectra(size_t(2 * ry + 1) * c.half);
  for (int channel = 0; channel < 3; ++channel) {
    std::vector<float>& to = c.kernel[channel];
    to.resize(2 * c.half * size_t(c.h));
    c.rows(2 * ry + 1, spectra, tasks, [&](int y, float* row) {
      const float* from = kernel.at(kernel.width / 2 - rx, kernel.height / 2 - ry + y) + channel;
      bool any = false;
      for (int x = -rx; x <= rx; ++x, from += 3) {
        row[(x + c.w) % c.w] += *from * scale;
        any |= *from != 0;
      }
      return any;
    });
    c.columns(
        2 * ry + 1, spectra, tasks, [&](int y) { return (y - ry + c.h) % c.h; },
        [&](size_t from, size_t n, const fftwf_complex* column, size_t apart) {
          for (size_t i = 0; i < n; ++i)
            std::memcpy(to.data() + 2 * (from + i) * size_t(c.h), column + i * apart, size_t(c.h) * sizeof(*column));
        });
  }
}

Convolution::~Convolution() = default;

size_t Convolution::bytes() const { return 3 * m_content->kernel[0].size() * sizeof(float); }

std::shared_ptr<const Convolution> ConvolutionCache::get(const std::string& key, int width, int height,
                                                         const Tasks& tasks, const std::function<Picture()>& kernel) {
  constexpr size_t room = size_t(400) << 20;
  const std::string full = fmt::format("{}|{}x{}", key, width, height);
  {
    const std::lock_guard lock(m_mutex);
    for (auto it = m_lately.begin(); it != m_lately.end(); ++it)
      if (it->first == full) {
        m_lately.splice(m_lately.begin(), m_lately, it);
        return it->second;
      }
  }
  auto made = std::make_shared<const Convolution>(kernel(), width, height, tasks);
  const std::lock_guard lock(m_mutex);
  m_lately.emplace_front(full, made);
  size_t taken = 0;
  for (auto it = m_lately.begin(); it != m_lately.end();) {
    taken += it->second->bytes();
    it = taken > room ? m_lately.erase(it) : std::next(it);
  }
  return made;
}

std::shared_ptr<const Convolution> convolutionFor(ConvolutionCache* cache, const std::string& key, int width,
                                                  int height, const Tasks& tasks,
                                                  const std::function<Picture()>& kernel) {
  return cache ? cache->get(key, width, height, tasks, kernel)
               : std::make_shared<const Convolution>(kernel(), width, height, tasks);
}

Picture Convolution::apply(const Picture& in, const Tasks& tasks) const {
  const Content& c = *m_content;
  Picture out(in.width, in.height);
  std::vector<std::complex<float>> spectra(size_t(c.height) * c.half);
  for (int channel = 0; channel < 3; ++channel) {
    std::atomic<bool> lit = false;
    c.rows(c.height, spectra, tasks, [&](int y, float* row) {
      const float* p = in.at(0, y) + channel;
      bool any = false;
      for (int x = 0; x < in.width; ++x) {
        row[x] = p[3 * x];
        any |= row[x] != 0;
      }
      if (any) lit = true;
      return any;
    });
    if (!lit) continue;
    const std::vector<float>& kernel = c.kernel[channel];
    c.columns(
        c.height, spectra, tasks, [](int y) { return y; },
        [&](size_t from, size_t n, fftwf_complex* column, size_t apart) {
          for (size_t i = 0; i < n; ++i) {
            float* f = column[i * apart];
            const float* k = kernel.data() + 2 * (from + i) * size_t(c.h);
            for (int y = 0; y < 2 * c.h; y += 2) {
              const float re = f[y] * k[y] - f[y + 1] * k[y + 1], im = f[y] * k[y + 1] + f[y + 1] * k[y];
              f[y] = re;
              f[y + 1] = im;
            }
            fftwf_execute_dft(c.columnBackward.plan, column + i * apart, column + i * apart);
          }
          for (int y = 0; y < c.height; ++y) {
            std::complex<float>* row = spectra.data() + size_t(y) * c.half + from;
            for (size_t i = 0; i < n; ++i)
              row[i] = {column[i * apart + size_t(y)][0], column[i * apart + size_t(y)][1]};
          }
        });
    tasks.forEach(int(c.bands(c.height)), [&](int band) {
      Buffer<float> row(static_cast<size_t>(c.w));
      Buffer<fftwf_complex> frequencies(c.half);
      for (int y = 16 * band; y < std::min(c.height, 16 * (band + 1)); ++y) {
        std::memcpy(frequencies.data, spectra.data() + size_t(y) * c.half, c.half * sizeof(fftwf_complex));
        fftwf_execute_dft_c2r(c.rowBackward.plan, frequencies.data, row.data);
        float* p = out.at(0, y) + channel;
        for (int x = 0; x < in.width; ++x) p[3 * x] = row.data[x];
      }
    });
  }
  return out;
}

} // namespace ilumbra
