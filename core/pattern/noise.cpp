#include "core/pattern/noise.h"

#include "core/base/hash.h"

#include <immintrin.h>

namespace ilumbra {

const std::vector<std::string> noiseFamilies = {"smooth", "cellular", "churned", "ridged", "puffed", "rolling"};

namespace {

float fade(float t) { return t * t * t * (t * (t * 6 - 15) + 10); }
uint32_t cellHash(uint32_t x, uint32_t y, uint32_t z, uint32_t seed) {
  return mixBits(x * 0x8da6b343u ^ y * 0xd8163841u ^ z * 0xcb1ab31fu ^ seed);
}

} // namespace

namespace {

// The gradients at the eight corners of a cell, side by side: lane dx + 2 dy + 4 dz. `h` receives each corner's hash.
__m256 cornerGradients(uint32_t ix, uint32_t iy, uint32_t iz, float x, float y, float z, uint32_t seed, __m256i& h) {
  const auto pick = [](uint32_t a, uint32_t b, int axis) {
    const auto at = [&](int lane) { return int(lane >> axis & 1 ? b : a); };
    return _mm256_setr_epi32(at(0), at(1), at(2), at(3), at(4), at(5), at(6), at(7));
  };
  const auto pickReal = [](float v, int axis) {
    const auto at = [&](int lane) { return lane >> axis & 1 ? v - 1 : v; };
    return _mm256_setr_ps(at(0), at(1), at(2), at(3), at(4), at(5), at(6), at(7));
  };
  h = _mm256_xor_si256(
      _mm256_xor_si256(pick(ix * 0x8da6b343u, (ix + 1) * 0x8da6b343u, 0),
                       pick(iy * 0xd8163841u, (iy + 1) * 0xd8163841u, 1)),
      _mm256_xor_si256(pick(iz * 0xcb1ab31fu, (iz + 1) * 0xcb1ab31fu, 2), _mm256_set1_epi32(int(seed))));
  // mixBits()
  h = _mm256_xor_si256(h, _mm256_srli_epi32(h, 16));
  h = _mm256_mullo_epi32(h, _mm256_set1_epi32(0x21f0aaad));
  h = _mm256_xor_si256(h, _mm256_srli_epi32(h, 15));
  h = _mm256_mullo_epi32(h, _mm256_set1_epi32(int(0xd35a2d97u)));
  h = _mm256_xor_si256(h, _mm256_srli_epi32(h, 15));
  const __m256i low = _mm256_and_si256(h, _mm256_set1_epi32(15));
  const __m256 gx = pickReal(x, 0), gy = pickReal(y, 1), gz = pickReal(z, 2);
  const auto below = [&](int limit) { return _mm256_castsi256_ps(_mm256_cmpgt_epi32(_mm256_set1_epi32(limit), low)); };
  const auto is = [&](int value) { return _mm256_cmpeq_epi32(low, _mm256_set1_epi32(value)); };
  const __m256 odd = _mm256_castsi256_ps(_mm256_or_si256(is(12), is(14)));
  __m256 u = _mm256_blendv_ps(gy, gx, below(8)), v = _mm256_blendv_ps(_mm256_blendv_ps(gz, gx, odd), gy, below(4));
  u = _mm256_xor_ps(u, _mm256_castsi256_ps(_mm256_slli_epi32(low, 31)));
  v = _mm256_xor_ps(v, _mm256_castsi256_ps(_mm256_slli_epi32(_mm256_and_si256(low, _mm256_set1_epi32(2)), 30)));
  return _mm256_add_ps(u, v);
}

float blended(__m256 corners, float x, float y, float z) {
  alignas(32) float c[8];
  _mm256_store_ps(c, corners);
  const float u = fade(x), v = fade(y), w = fade(z);
  return mix(mix(mix(c[0], c[1], u), mix(c[2], c[3], u), v), mix(mix(c[4], c[5], u), mix(c[6], c[7], u), v), w);
}

} // namespace

float gradientNoise(const V3f& p, uint32_t seed) {
  const float fx = std::floor(p.x), fy = std::floor(p.y), fz = std::floor(p.z), x = p.x - fx, y = p.y - fy,
              z = p.z - fz;
  __m256i h;
  return blended(cornerGradients(uint32_t(int32_t(fx)), uint32_t(int32_t(fy)), uint32_t(int32_t(fz)), x, y, z, seed, h),
                 x, y, z);
}

float gradientNoise(const V3f& p, float time, uint32_t seed) {
  if (time == 0) return gradientNoise(p, seed);
  const float fx = std::floor(p.x), fy = std::floor(p.y), fz = std::floor(p.z), ft = std::floor(time), x = p.x - fx,
              y = p.y - fy, z = p.z - fz, t = time - ft;
  const auto it = uint32_t(int32_t(ft));
  float slices[2];
  for (uint32_t dt = 0; dt < 2; ++dt) {
    const uint32_t slice = it + dt == 0 ? seed : mixBits(seed + (it + dt) * 0x9e3779b9u); // at time 0 the still noise
    __m256i h;
    __m256 g = cornerGradients(uint32_t(int32_t(fx)), uint32_t(int32_t(fy)), uint32_t(int32_t(fz)), x, y, z, slice, h);
    // At whole times the gradients lie in space, so that the still noise is met there; their part in time turns it over
    // between.
    const __m256 sign = _mm256_castsi256_ps(_mm256_slli_epi32(_mm256_and_si256(h, _mm256_set1_epi32(16)), 27));
    g = _mm256_add_ps(g, _mm256_xor_ps(_mm256_set1_ps(t - float(dt)), sign));
    slices[dt] = blended(g, x, y, z);
  }
  return std::clamp(mix(slices[0], slices[1], fade(t)), -1.0f, 1.0f);
}

float cellularNoise(const V3f& p, float time, uint32_t seed) {
  const float fx = std::floor(p.x), fy = std::floor(p.y), fz = std::floor(p.z);
  const auto ix = int32_t(fx), iy = int32_t(fy), iz = int32_t(fz);
  float least = 1e9f;
  for (int dz = -1; dz <= 1; ++dz)
    for (int dy = -1; dy <= 1; ++dy)
      for (int dx = -1; dx <= 1; ++dx) {
        const uint32_t h = cellHash(uint32_t(ix + dx), uint32_t(iy + dy), uint32_t(iz + dz), seed);
        V3f at(float(h & 1023u), float(h >> 10 & 1023u), float(h >> 20 & 1023u));
        at *= 1 / 1023.0f;
        if (time != 0) // each point swings about where it was, and none leaves its cell
          for (int k = 0; k < 3; ++k) {
            const uint32_t own = mixBits(h + uint32_t(k));
            const float begins = float(own >> 8 & 255u) * (2 * pi / 256);
            at[k] =
                clamp01(at[k] + 0.4f * (std::sin(begins + time * (2.1f + float(own & 255u) / 160)) - std::sin(begins)));
          }
        const V3f d = V3f(fx + float(dx), fy + float(dy), fz + float(dz)) + at - p;
        least = std::min(least, dot(d, d));
      }
  return std::sqrt(least);
}

namespace {

// What an octave is where it is too fine to be seen.
float meanOf(NoiseFamily f) { return f == NoiseFamily::Churned ? -0.5f : f == NoiseFamily::Ridged ? 0.2f : 0; }

// One octave, -1..1.
float octave(NoiseFamily f, const V3f& p, float time, uint32_t seed) {
  switch (f) {
  case NoiseFamily::Smooth:
  case NoiseFamily::Rolling:
    return gradientNoise(p, time, seed);
  case NoiseFamily::Churned:
    return 2 * std::abs(gradientNoise(p, time, seed)) - 1;
  case NoiseFamily::Ridged:
    return 2 * sqr(1 - std::abs(gradientNoise(p, time, seed))) - 1;
  case NoiseFamily::Cellular:
    return 2 * std::min(1.0f, cellularNoise(p, time, seed)) - 1;
  case NoiseFamily::Puffed:
    return 1 - 2 * std::min(1.0f, sqr(cellularNoise(p, time, seed)));
  }
  return 0;
}

class NoiseOp : public PatternOp {
 public:
  NoiseOp(const NoiseForm& form, int scale, int gain) : m_form(form), m_scale(scale), m_gain(gain) {}

  Sample4 value(const Sample4* r, const PatternPoint& at) const override {
    const float scale = std::max(r[m_scale].x, 1e-6f), gain = clamp01(r[m_gain].x),
                fine = footprintIn(m_form.space, at) / scale;
    const V3f place = placeIn(m_form.space, at);
    float t = sum((place - m_form.shift) * (1 / scale), m_form.time, gain, fine);
    if (m_form.before > 0) { // both as strong together as one alone
      const float other = sum((place - m_form.shiftBefore) * (1 / scale), m_form.timeBefore, gain, fine),
                  turn = 0.5f * pi * m_form.before;
      t = t * std::cos(turn) + other * std::sin(turn);
    }
    t = clamp01(0.5f + 0.5f * t);
    return {t, t, t, 1};
  }

  Bounds4 bounds(const Bounds4* r, const PatternBox& over) const override {
    const float s0 = std::max(r[m_scale].low.x, 1e-6f), s1 = std::max(r[m_scale].high.x, 1e-6f);
    const float g0 = clamp01(r[m_gain].low.x), g1 = clamp01(r[m_gain].high.x);
    float t0 = 0, t1 = 1;
    if (s0 == s1 && g0 == g1 && m_form.family != NoiseFamily::Rolling) {
      const V3f a = placeIn(m_form.space, over.low), b = placeIn(m_form.space, over.high);
      const bool fine = over.high.footprint > 0 || over.high.uvFootprint > 0;
      float low, high;
      sumBounds(a - m_form.shift, b - m_form.shift, m_form.time, s0, g0, fine, low, high);
      if (m_form.before > 0) {
        float l2, h2;
        sumBounds(a - m_form.shiftBefore, b - m_form.shiftBefore, m_form.timeBefore, s0, g0, fine, l2, h2);
        const float turn = 0.5f * pi * m_form.before;
        low = low * std::cos(turn) + l2 * std::sin(turn);
        high = high * std::cos(turn) + h2 * std::sin(turn);
      }
      t0 = clamp01(0.5f + 0.5f * low - 1e-4f);
      t1 = clamp01(0.5f + 0.5f * high + 1e-4f);
    }
    return {{t0, t0, t0, 1}, {t1, t1, t1, 1}};
  }
  std::vector<int*> inputs() override { return {&m_scale, &m_gain}; }
  bool looks() const override { return true; }

 private:
  // Octaves do not share their zeros.
  static V3f shift(int octave) { return V3f(0.37f, 0.71f, 0.13f) * float(octave); }
  // -1..1. What is finer than a sample of the picture is left out before it can flicker.
  float sum(const V3f& p, float time, float gain, float footprint) const {
    float s = 0, weight = 1, total = 0, frequency = 1;
    V3f pushed(0.0f);
    for (int o = 0; o < m_form.octaves; ++o) {
      const float seen = clamp01(2 - 2 * footprint * frequency), mean = meanOf(m_form.family);
      if (seen > 0) {
        const float n =
            octave(m_form.family, p * frequency + shift(o) + pushed, time * frequency, m_form.seed + uint32_t(o));
        s += weight * (mean + (n - mean) * seen);
        if (m_form.family == NoiseFamily::Rolling) pushed = V3f(n, -n, 0.7f * n) * 1.1f;
      } else {
        s += weight * mean;
      }
      total += weight;
      weight *= gain;
      frequency *= 2;
    }
    return s / total;
  }
  // Octave by octave: from the middle it cannot have gone further than its slope allows.
  void sumBounds(const V3f& a, const V3f& b, float time, float scale, float gain, bool fine, float& low,
                 float& high) const {
    const V3f middle = (a + b) * (0.5f / scale), half = (b - a) * (0.5f / scale);
    const bool cells = m_form.family == NoiseFamily::Cellular || m_form.family == NoiseFamily::Puffed;
    const float slope =
        time != 0 ? 1.8f * gradientNoiseSlope : gradientNoiseSlope; // corners may lie twice as far apart in time
    const float reach = cells ? length(half) : slope * (std::abs(half.x) + std::abs(half.y) + std::abs(half.z));
    low = high = 0;
    float weight = 1, total = 0, frequency = 1;
    for (int o = 0; o < m_form.octaves; ++o) {
      const V3f p = middle * frequency + shift(o);
      const uint32_t seed = m_form.seed + uint32_t(o);
      const float d = reach * frequency + 1e-4f,
                  n = cells ? cellularNoise(p, time * frequency, seed) : gradientNoise(p, time * frequency, seed);
      const float least = cells ? std::clamp(n - d, 0.0f, 1.0f) : std::max(-1.0f, n - d), most = std::min(1.0f, n + d);
      const float near = least <= 0 && most >= 0 ? 0 : std::min(std::abs(least), std::abs(most)),
                  far = std::max(std::abs(least), std::abs(most));
      float l = least, h = most;
      switch (m_form.family) {
      case NoiseFamily::Smooth:
      case NoiseFamily::Rolling:
        break;
      case NoiseFamily::Churned:
        l = 2 * near - 1, h = 2 * far - 1;
        break;
      case NoiseFamily::Ridged:
        l = 2 * sqr(1 - far) - 1, h = 2 * sqr(1 - near) - 1;
        break;
      case NoiseFamily::Cellular:
        l = 2 * least - 1, h = 2 * most - 1;
        break;
      case NoiseFamily::Puffed:
        l = 1 - 2 * sqr(most), h = 1 - 2 * sqr(least);
        break;
      }
      if (fine) { // a sample's size may have faded the octave out
        l = std::min(l, meanOf(m_form.family));
        h = std::max(h, meanOf(m_form.family));
      }
      low += weight * l;
      high += weight * h;
      total += weight;
      weight *= gain;
      frequency *= 2;
    }
    low /= total;
    high /= total;
  }
  NoiseForm m_form;
  int m_scale, m_gain;
};

// From 0..1 to between two colours: spread about the middle, cut at a floor and a ceiling.
class SpreadOp : public PatternOp {
 public:
  SpreadOp(int by, int contrast, int floor, int ceiling, int low, int high)
      : m_by(by), m_contrast(contrast), m_floor(floor), m_ceiling(ceiling), m_low(low), m_high(high) {}
  Sample4 value(const Sample4* r, const PatternPoint&) const override {
    return lerp(r[m_low], r[m_high], spread(r[m_by].x, r[m_contrast].x, r[m_floor].x, r[m_ceiling].x));
  }
  Bounds4 bounds(const Bounds4* r, const PatternBox&) const override {
    float least = 1, most = 0;
    for (const float c : {r[m_contrast].low.x, r[m_contrast].high.x})
      for (const float f : {r[m_floor].low.x, r[m_floor].high.x})
        for (const float g : {r[m_ceiling].low.x, r[m_ceiling].high.x})
          for (const float t : {r[m_by].low.x, r[m_by].high.x}) {
            const float v = spread(t, c, f, g);
            least = std::min(least, v);
            most = std::max(most, v);
          }
    const auto at = [&](float t) {
      return Bounds4{lerp(r[m_low].low, r[m_high].low, t), lerp(r[m_low].high, r[m_high].high, t)};
    };
    return hull(at(least), at(most));
  }
  std::vector<int*> inputs() override { return {&m_by, &m_contrast, &m_floor, &m_ceiling, &m_low, &m_high}; }

 private:
  static float spread(float t, float contrast, float floor, float ceiling) {
    const float c = clamp01(0.5f + (t - 0.5f) * contrast);
    return ceiling > floor ? clamp01((c - floor) / (ceiling - floor)) : c >= floor ? 1.0f : 0.0f;
  }
  int m_by, m_contrast, m_floor, m_ceiling, m_low, m_high;
};

} // namespace

std::vector<ParamDef> noiseTimeParams() {
  return {vector("drift", "Drift", "m/s", {0, 0, 0})
              .soft(-1, 1)
              .in("In time")
              .help("How fast it moves along each axis of where it lies"),
          number("churn", "Churn", "1/s", 0)
              .soft(0, 2)
              .range(0, 1e3)
              .in("In time")
              .help("How often a second its largest features turn over in place"),
          integer("loop", "Loop", 0)
              .soft(0, 250)
              .range(0, 1e6)
              .fixed()
              .in("In time")
              .help("Frames after which it is the same again; 0: never")};
}

bool noiseMoves(const Params& p) {
  const Triple d = p.triple("drift");
  return p.number("churn") != 0 || d[0] != 0 || d[1] != 0 || d[2] != 0;
}

void setNoiseTime(NoiseForm& f, const Params& p, const PatternCompiler& c) {
  const double rate = std::max(1e-3, c.rate()), loop = p.number("loop");
  double frame = c.frame();
  if (loop > 0) {
    frame -= std::floor(frame / loop) * loop;
    f.before = float(frame / loop);
  }
  const V3f drift = triple(p, "drift");
  const auto churn = p.number("churn");
  f.shift = drift * float(frame / rate);
  f.time = float(churn * frame / rate);
  f.shiftBefore = drift * float((frame - loop) / rate);
  f.timeBefore = float(churn * (frame - loop) / rate);
  if (!noiseMoves(p)) f.before = 0;
}

int emitNoise(PatternCompiler& c, const NoiseForm& form, int scale, int gain) {
  return c.emit(std::make_shared<NoiseOp>(form, scale, gain));
}

PatternKind noisePattern() {
  return {{.id = "pattern.noise",
           .label = "Noise",
           .helpText = "Noise in space and time: clouding, wear, marbling, smoke.",
           .params = join(
               {{choice("family", "Family", noiseFamilies)
                     .fixed()
                     .matters()
                     .help("Even clouding; cells; folded valleys; crests; puffs; rolling swathes"),
                 spaceParam(1),
                 number("scale", "Scale", "m", 0.1)
                     .soft(0.001, 2)
                     .range(1e-6, 1e6)
                     .log()
                     .patterned()
                     .matters()
                     .help("Size of its largest features; in textures and pictures, their widths"),
                 integer("octaves", "Octaves", 4)
                     .soft(1, 10)
                     .range(1, 16)
                     .fixed()
                     .help("Layers of ever finer noise, each of half the size"),
                 number("gain", "Gain", "", 0.5)
                     .range(0, 1)
                     .patterned()
                     .help("Strength of each finer layer by the one before"),
                 number("contrast", "Contrast", "×", 1.6)
                     .soft(0, 6)
                     .range(0, 100)
                     .patterned()
                     .help("Spreads the values about their middle"),
                 number("floor", "Floor", "%", 0)
                     .soft(0, 1)
                     .range(-10, 10)
                     .patterned()
                     .help("Values up to here are the low one"),
                 number("ceiling", "Ceiling", "%", 1)
                     .soft(0, 1)
                     .range(-10, 10)
                     .patterned()
                     .help("Values from here on are the high one"),
                 integer("seed", "Seed", 1).soft(0, 100).range(0, 1e9).help("Each number gives another noise"),
                 color("low", "Low", {0, 0, 0}).soft(0, 1).patterned().matters().help("Where the noise is least"),
                 color("high", "High", {1, 1, 1}).soft(0, 1).patterned().matters().help("Where the noise is most")},
                noiseTimeParams()}),
           .existence = Invalidation::Shading,
           .changesByTime = noiseMoves},
          [](const Params& p, PatternCompiler& c) {
            const int scale = c.amount(p, "scale"), gain = c.amount(p, "gain"), contrast = c.amount(p, "contrast"),
                      low = c.input(p, "low"), high = c.input(p, "high");
            NoiseForm form;
            form.family = choiceOf<NoiseFamily>(p, "family");
            form.space = spaceOf(p);
            form.octaves = int(p.number("octaves"));
            form.seed = mixBits(uint32_t(p.number("seed")));
            setNoiseTime(form, p, c);
            const int by = emitNoise(c, form, scale, gain);
            return c.emit(
                std::make_shared<SpreadOp>(by, contrast, c.amount(p, "floor"), c.amount(p, "ceiling"), low, high));
          }};
}

} // namespace ilumbra
