#include "core/film/denoiser_network.h"

#include "core/base/error.h"
#include "core/film/kernel_pyramid.h"
#include "core/film/lanes.h"
#include "tests/support/scene.h"

#include <cstring>
#include <fstream>
#include <iterator>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

using denoiser_network::features;
using denoiser_network::inputs;
using denoiser_network::scales;

float halfToFloat(uint16_t h) {
  const int exponent = (h >> 10) & 31, mantissa = h & 1023;
  const float size = exponent ? std::ldexp(1024.0f + float(mantissa), exponent - 25) : std::ldexp(float(mantissa), -24);
  return h & 0x8000 ? -size : size;
}

/// Channels of a picture, plainly.
struct Plain {
  int channels, width, height;
  std::vector<double> values;
  Plain(int c, int w, int h) : channels(c), width(w), height(h), values(size_t(c * w * h), 0.0) {}
  double& at(int c, int x, int y) { return values[size_t((c * height + y) * width + x)]; }
  double get(int c, int x, int y) const {
    if (x < 0 || y < 0 || x >= width || y >= height) return 0;
    return values[size_t((c * height + y) * width + x)];
  }
};

/// The network once more, by its definition, from the file of its numbers.
class PlainNetwork {
 public:
  PlainNetwork() {
    std::ifstream file(ILUMBRA_SOURCE "/core/film/denoiser.weights", std::ios::binary);
    const std::vector<char> bytes((std::istreambuf_iterator<char>(file)), {});
    m_numbers.resize(bytes.size() / 2);
    std::memcpy(m_numbers.data(), bytes.data(), bytes.size());
  }
  std::vector<Plain> run(const Plain& in) {
    m_next = 0;
    constexpr int a = 16, b = 32, c = 48; // channels of the finest scale, the next, and the others
    const Weights enter = read(inputs, a, 1), fold = read(4 * a, b, 1), down1 = read(b, b, 3), down2 = read(b, c, 3),
                  down2b = read(c, c, 3), down3 = read(c, c, 3), down4 = read(c, c, 3), down4b = read(c, c, 3),
                  join3 = read(2 * c, c, 1), up3 = read(c, c, 3), join2 = read(2 * c, c, 1), up2 = read(c, c, 3),
                  join1 = read(c + b, b, 1), up1 = read(b, b, 3), join0 = read(b + a, a, 1);
    std::vector<Weights> say;
    for (const int w : {a, b, c, c, c}) say.push_back(read(w, denoiser_network::says(int(say.size())), 1));
    CHECK(m_next == m_numbers.size());
    const Plain e0 = relu(convolve(enter, in)), e1 = relu(convolve(down1, relu(convolve(fold, folded(e0))))),
                e2 = relu(convolve(down2b, relu(convolve(down2, halved(e1))))), e3 = relu(convolve(down3, halved(e2))),
                e4 = relu(convolve(down4b, relu(convolve(down4, halved(e3))))),
                d3 = relu(convolve(up3, relu(convolve(join3, both(twice(e4, false), e3))))),
                d2 = relu(convolve(up2, relu(convolve(join2, both(twice(d3, false), e2))))),
                d1 = relu(convolve(up1, relu(convolve(join1, both(twice(d2, false), e1))))),
                d0 = relu(convolve(join0, both(twice(d1, true), e0)));
    return {convolve(say[0], d0), convolve(say[1], d1), convolve(say[2], d2), convolve(say[3], d3),
            convolve(say[4], e4)};
  }

 private:
  struct Weights {
    int in, out, side;
    std::vector<double> weights, bias;
  };
  Weights read(int in, int out, int side) {
    Weights w{in, out, side, {}, {}};
    for (int i = 0; i < out * in * side * side; ++i) w.weights.push_back(double(halfToFloat(m_numbers.at(m_next++))));
    for (int i = 0; i < out; ++i) w.bias.push_back(double(halfToFloat(m_numbers.at(m_next++))));
    return w;
  }
  static Plain convolve(const Weights& w, const Plain& in) {
    Plain out(w.out, in.width, in.height);
    const int r = w.side / 2;
    for (int o = 0; o < w.out; ++o)
      for (int y = 0; y < in.height; ++y)
        for (int x = 0; x < in.width; ++x) {
          double sum = w.bias[size_t(o)];
          for (int i = 0; i < w.in; ++i)
            for (int j = -r; j <= r; ++j)
              for (int k = -r; k <= r; ++k)
                sum += w.weights[size_t(((o * w.in + i) * w.side + j + r) * w.side + k + r)] * in.get(i, x + k, y + j);
          out.at(o, x, y) = sum;
        }
    return out;
  }
  static Plain relu(Plain p) {
    for (double& v : p.values) v = std::max(0.0, v);
    return p;
  }
  static Plain halved(const Plain& in) {
    Plain out(in.channels, in.width / 2, in.height / 2);
    for (int c = 0; c < in.channels; ++c)
      for (int y = 0; y < in.height; ++y)
        for (int x = 0; x < in.width; ++x) out.at(c, x / 2, y / 2) += 0.25 * in.get(c, x, y);
    return out;
  }
  static Plain folded(const Plain& in) {
    Plain out(4 * in.channels, in.width / 2, in.height / 2);
    for (int c = 0; c < in.channels; ++c)
      for (int y = 0; y < in.height; ++y)
        for (int x = 0; x < in.width; ++x) out.at(4 * c + 2 * (y % 2) + x % 2, x / 2, y / 2) = in.get(c, x, y);
    return out;
  }
  static Plain twice(const Plain& in, bool bilinear) {
    Plain out(in.channels, 2 * in.width, 2 * in.height);
    const auto side = [](int x, int size) { return std::clamp(x / 2 + (x % 2 ? 1 : -1), 0, size - 1); };
    for (int c = 0; c < in.channels; ++c)
      for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x) {
          const int X = side(x, in.width), Y = side(y, in.height);
          out.at(c, x, y) = bilinear ? 0.5625 * in.get(c, x / 2, y / 2) + 0.1875 * in.get(c, X, y / 2) +
                                           0.1875 * in.get(c, x / 2, Y) + 0.0625 * in.get(c, X, Y)
                                     : in.get(c, x / 2, y / 2);
        }
    return out;
  }
  static Plain both(Plain a, const Plain& b) {
    a.channels += b.channels;
    a.values.insert(a.values.end(), b.values.begin(), b.values.end());
    return a;
  }
  std::vector<uint16_t> m_numbers;
  size_t m_next = 0;
};

/// Numbers by chance, the same for the same seed.
Plain noise(int channels, int width, int height, uint32_t seed) {
  Plain p(channels, width, height);
  for (double& v : p.values) v = double((seed = seed * 1664525u + 1013904223u) >> 8) / double(1 << 24);
  return p;
}
ChannelRows rows(const Plain& p) {
  ChannelRows made(p.channels, p.width, p.height);
  for (int c = 0; c < p.channels; ++c)
    for (int y = 0; y < p.height; ++y)
      for (int x = 0; x < p.width; ++x) made.row(c, y)[x] = float(p.get(c, x, y));
  return made;
}
std::vector<ChannelRows> said(const Plain& in, const Tasks& tasks) {
  return denoiser_network::run(
      in.width, in.height,
      [&](int y, ChannelRows& to) {
        for (int c = 0; c < inputs; ++c)
          for (int x = 0; x < in.width; ++x) to.row(c, 0)[x] = float(in.get(c, x, y));
      },
      tasks);
}
/// What a network might say that tells pixels apart sharply.
std::vector<ChannelRows> sharp(int width, int height) {
  std::vector<ChannelRows> made;
  for (int s = 0; s < scales; ++s) {
    Plain p = noise(denoiser_network::says(s), width >> s, height >> s, uint32_t(s + 7));
    for (double& v : p.values) v = 6 * (v - 0.5);
    made.push_back(rows(p));
  }
  return made;
}

} // namespace

TEST_CASE("The denoiser's network says what its definition says", "[denoise]") {
  const Plain in = noise(inputs, 48, 32, 3);
  const std::vector<Plain> wanted = PlainNetwork().run(in);
  const std::vector<ChannelRows> got = said(in, pool());
  REQUIRE(got.size() == size_t(scales));
  for (int s = 0; s < scales; ++s) {
    const Plain& w = wanted[size_t(s)];
    REQUIRE(got[size_t(s)].channels() == w.channels);
    double most = 0, apart = 0;
    for (int c = 0; c < w.channels; ++c)
      for (int y = 0; y < w.height; ++y)
        for (int x = 0; x < w.width; ++x) {
          most = std::max(most, std::abs(w.get(c, x, y)));
          apart = std::max(apart, std::abs(w.get(c, x, y) - double(got[size_t(s)].row(c, y)[x])));
        }
    CAPTURE(s, most, apart);
    CHECK(most > 0.01);
    CHECK(apart < 1e-4 * most);
  }
}

TEST_CASE("The denoiser's kernels keep what is even, and make no light of their own", "[denoise]") {
  const KernelPyramid kernels(sharp(64, 48), pool());
  Plain even(1, 64, 48), one(1, 64, 48);
  for (double& v : even.values) v = 3;
  one.at(0, 20, 21) = 1;
  const ChannelRows flat = kernels.apply(rows(even), pool()), spot = kernels.apply(rows(one), pool());
  double sum = 0;
  for (int y = 0; y < 48; ++y)
    for (int x = 0; x < 64; ++x) {
      CHECK(flat.row(0, y)[x] == Approx(3).epsilon(2e-3));
      REQUIRE(spot.row(0, y)[x] >= 0);
      REQUIRE(spot.row(0, y)[x] <= 1);
      sum += double(spot.row(0, y)[x]);
    }
  CHECK(sum > 0);
}

TEST_CASE("The denoiser's kernels work on each channel alone, and add up", "[denoise]") {
  const KernelPyramid kernels(sharp(48, 32), pool());
  const Plain a = noise(3, 48, 32, 11);
  const ChannelRows all = kernels.apply(rows(a), pool());
  for (int c = 0; c < 3; ++c) {
    Plain alone(1, 48, 32);
    for (int y = 0; y < 32; ++y)
      for (int x = 0; x < 48; ++x) alone.at(0, x, y) = a.get(c, x, y);
    const ChannelRows one = kernels.apply(rows(alone), pool());
    for (int y = 0; y < 32; ++y)
      for (int x = 0; x < 48; ++x) REQUIRE(one.row(0, y)[x] == all.row(c, y)[x]);
  }
  // Twice the light is twice the light.
  Plain twice = a;
  for (double& v : twice.values) v *= 2;
  const ChannelRows doubled = kernels.apply(rows(twice), pool());
  for (int y = 0; y < 32; ++y)
    for (int x = 0; x < 48; ++x) REQUIRE(doubled.row(1, y)[x] == 2 * all.row(1, y)[x]);
}

TEST_CASE("The denoiser's network is the same to the bit on any number of threads, and stops when asked", "[denoise]") {
  const Plain in = noise(inputs, 64, 48, 5);
  const std::vector<ChannelRows> one = said(in, Tasks(1)), two = said(in, Tasks(2));
  const Plain layer = noise(3, 64, 48, 6);
  const ChannelRows a = KernelPyramid(one, Tasks(1)).apply(rows(layer), Tasks(1)),
                    b = KernelPyramid(two, Tasks(2)).apply(rows(layer), Tasks(2));
  for (int c = 0; c < 3; ++c)
    for (int y = 0; y < 48; ++y)
      for (int x = 0; x < 64; ++x) REQUIRE(a.row(c, y)[x] == b.row(c, y)[x]);
  CancelFlag cancel;
  cancel.request();
  CHECK_THROWS_AS(said(in, pool().stoppedBy(&cancel)), Error);
}

TEST_CASE("Eight exponentials and logarithms at a time are those of the library", "[denoise]") {
  for (double v = -86; v < 86; v += 0.37) {
    float e[lanes], l[lanes];
    const double x = std::exp(v);
    _mm256_storeu_ps(e, exponential(_mm256_set1_ps(float(v))));
    _mm256_storeu_ps(l, logarithm(_mm256_set1_ps(float(x))));
    REQUIRE(double(e[7]) == Approx(std::exp(double(float(v)))).epsilon(1e-6));
    REQUIRE(double(l[7]) == Approx(std::log(double(float(x)))).epsilon(1e-6).margin(1e-6));
  }
}
