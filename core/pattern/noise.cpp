#include "core/pattern/noise.h"

#include "core/base/hash.h"
#include "core/pattern/coordinates.h"

namespace ilumbra {

float gradientNoise(const V3f& p, uint32_t seed) {
  const float fx = std::floor(p.x), fy = std::floor(p.y), fz = std::floor(p.z);
  const auto ix = uint32_t(int32_t(fx)), iy = uint32_t(int32_t(fy)), iz = uint32_t(int32_t(fz));
  const float x = p.x - fx, y = p.y - fy, z = p.z - fz;
  const auto fade = [](float t) { return t * t * t * (t * (t * 6 - 15) + 10); };
  const auto corner = [&](uint32_t dx, uint32_t dy, uint32_t dz) {
    uint32_t h = mixBits((ix + dx) * 0x8da6b343u ^ (iy + dy) * 0xd8163841u ^ (iz + dz) * 0xcb1ab31fu ^ seed) & 15u;
    const float gx = x - float(dx), gy = y - float(dy), gz = z - float(dz);
    const float u = h < 8 ? gx : gy, v = h < 4 ? gy : h == 12 || h == 14 ? gx : gz;
    return (h & 1 ? -u : u) + (h & 2 ? -v : v);
  };
  const float u = fade(x), v = fade(y), w = fade(z);
  return mix(mix(mix(corner(0, 0, 0), corner(1, 0, 0), u), mix(corner(0, 1, 0), corner(1, 1, 0), u), v),
             mix(mix(corner(0, 0, 1), corner(1, 0, 1), u), mix(corner(0, 1, 1), corner(1, 1, 1), u), v), w);
}

namespace {

class NoiseOp : public PatternOp {
public:
  NoiseOp(PatternSpace space, int octaves, uint32_t seed, int scale, int gain, int contrast, int low, int high)
      : m_space(space), m_octaves(octaves), m_seed(seed), m_scale(scale), m_gain(gain), m_contrast(contrast), m_low(low), m_high(high) {}

  Sample4 value(const Sample4* r, const PatternPoint& at) const override {
    const float scale = std::max(r[m_scale].x, 1e-6f), gain = clamp01(r[m_gain].x);
    const V3f p = placeIn(m_space, at) * (1 / scale);
    const float t = spread(sum(p, gain, footprintIn(m_space, at) / scale), r[m_contrast].x);
    return lerp(r[m_low], r[m_high], t);
  }

  Bounds4 bounds(const Bounds4* r, const PatternBox& over) const override {
    const float s0 = std::max(r[m_scale].low.x, 1e-6f), s1 = std::max(r[m_scale].high.x, 1e-6f);
    const float g0 = clamp01(r[m_gain].low.x), g1 = clamp01(r[m_gain].high.x);
    float t0 = 0, t1 = 1;
    const V3f a = placeIn(m_space, over.low), b = placeIn(m_space, over.high);
    if (s0 == s1 && g0 == g1) {
      // Octave by octave: from the middle it cannot have gone further than its slope allows.
      const V3f middle = (a + b) * (0.5f / s0), half = (b - a) * (0.5f / s0);
      const float reach = gradientNoiseSlope * (std::abs(half.x) + std::abs(half.y) + std::abs(half.z));
      float low = 0, high = 0, weight = 1, total = 0, frequency = 1;
      for (int o = 0; o < m_octaves; ++o) {
        const float n = gradientNoise(middle * frequency + shift(o), m_seed + uint32_t(o)), d = reach * frequency + 1e-4f;
        // A sample's size may have faded the octave out.
        low += weight * std::max(-1.0f, std::min(n - d, 0.0f));
        high += weight * std::min(1.0f, std::max(n + d, 0.0f));
        if (over.high.footprint == 0 && over.high.uvFootprint == 0) {
          low += weight * (std::max(-1.0f, n - d) - std::max(-1.0f, std::min(n - d, 0.0f)));
          high += weight * (std::min(1.0f, n + d) - std::min(1.0f, std::max(n + d, 0.0f)));
        }
        total += weight;
        weight *= g0;
        frequency *= 2;
      }
      t0 = clamp01(0.5f + 0.5f * low / total);
      t1 = clamp01(0.5f + 0.5f * high / total);
    }
    float least = 1, most = 0;
    for (const float c : {r[m_contrast].low.x, r[m_contrast].high.x})
      for (const float t : {t0, t1}) {
        const float v = contrast(t, c);
        least = std::min(least, v);
        most = std::max(most, v);
      }
    const auto at = [&](float t) { return Bounds4{lerp(r[m_low].low, r[m_high].low, t), lerp(r[m_low].high, r[m_high].high, t)}; };
    return hull(at(least), at(most));
  }
  std::vector<int*> inputs() override { return {&m_scale, &m_gain, &m_contrast, &m_low, &m_high}; }
  bool looks() const override { return true; }

private:
  // Octaves do not share their zeros.
  static V3f shift(int octave) { return V3f(0.37f, 0.71f, 0.13f) * float(octave); }
  // What is finer than a sample of the picture is left out before it can flicker.
  float sum(const V3f& p, float gain, float footprint) const {
    float s = 0, weight = 1, total = 0, frequency = 1;
    for (int o = 0; o < m_octaves; ++o) {
      const float seen = clamp01(2 - 2 * footprint * frequency);
      if (seen > 0) s += weight * seen * gradientNoise(p * frequency + shift(o), m_seed + uint32_t(o));
      total += weight;
      weight *= gain;
      frequency *= 2;
    }
    return s / total;
  }
  static float contrast(float t, float c) { return clamp01(0.5f + (t - 0.5f) * c); }
  static float spread(float n, float c) { return contrast(clamp01(0.5f + 0.5f * n), c); }
  PatternSpace m_space;
  int m_octaves;
  uint32_t m_seed;
  int m_scale, m_gain, m_contrast, m_low, m_high;
};

} // namespace

PatternKind noisePattern() {
  return {{.id = "pattern.noise",
           .label = "Noise",
           .helpText = "Smooth noise in space: clouding, wear, marbling.",
           .params = {spaceParam(1),
                      number("scale", "Scale", "m", 0.1).soft(0.001, 2).range(1e-6, 1e6).log().patterned().matters().help("Size of its largest features; in textures and pictures, their widths"),
                      integer("octaves", "Octaves", 4).soft(1, 10).range(1, 16).fixed().help("Layers of ever finer noise, each of half the size"),
                      number("gain", "Gain", "", 0.5).range(0, 1).patterned().help("Strength of each finer layer by the one before"),
                      number("contrast", "Contrast", "×", 1.6).soft(0, 6).range(0, 100).patterned().help("Spreads the values about their middle"),
                      integer("seed", "Seed", 1).soft(0, 100).range(0, 1e9).help("Another number is another noise"),
                      color("low", "Low", {0, 0, 0}).soft(0, 1).patterned().matters().help("Where the noise is least"),
                      color("high", "High", {1, 1, 1}).soft(0, 1).patterned().matters().help("Where the noise is most")},
           .existence = Stage::Shading},
          [](const Params& p, PatternCompiler& c) {
            const int scale = c.amount(p, "scale"), gain = c.amount(p, "gain"), contrast = c.amount(p, "contrast"), low = c.input(p, "low"), high = c.input(p, "high");
            return c.emit(std::make_shared<NoiseOp>(spaceOf(p), int(p.number("octaves")), mixBits(uint32_t(p.number("seed"))), scale, gain, contrast, low, high));
          }};
}

} // namespace ilumbra
