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

// ---- the same at eight places

using ilumbra::cellularNoise;
using ilumbra::gradientNoise;

using Whole = uint32_t __attribute__((vector_size(32)));
using Place = Imath::Vec3<Lanes>;

Whole whole(const Lanes& a) { return Whole(_mm256_cvttps_epi32(numbers::raw(a))); }
Whole mixed(Whole h) { // mixBits()
  h ^= h >> 16;
  h *= 0x21f0aaadu;
  h ^= h >> 15;
  h *= 0xd35a2d97u;
  h ^= h >> 15;
  return h;
}
Lanes signedBy(const Lanes& a, Whole signs) { return Lanes(Lanes::Floats(Whole(a.v) ^ signs)); }
Lanes fade(const Lanes& t) { return t * t * t * (t * (t * Lanes(6.0f) - Lanes(15.0f)) + Lanes(10.0f)); }

// One slice of the noise; `inTime`: the part of its gradients in time, the way from the slice.
Lanes slice(const Place& p, uint32_t seed, const float* inTime) {
  using numbers::between;
  const Lanes fx = numbers::floor(p.x), fy = numbers::floor(p.y), fz = numbers::floor(p.z);
  const Whole ix = whole(fx) * 0x8da6b343u, iy = whole(fy) * 0xd8163841u, iz = whole(fz) * 0xcb1ab31fu;
  const Lanes x = p.x - fx, y = p.y - fy, z = p.z - fz;
  Lanes corner[8];
  for (uint32_t k = 0; k < 8; ++k) {
    const uint32_t dx = k & 1, dy = k >> 1 & 1, dz = k >> 2;
    const Whole h = mixed((ix + dx * 0x8da6b343u) ^ (iy + dy * 0xd8163841u) ^ (iz + dz * 0xcb1ab31fu) ^ seed),
                low = h & 15u;
    const Lanes gx = dx ? x - Lanes(1.0f) : x, gy = dy ? y - Lanes(1.0f) : y, gz = dz ? z - Lanes(1.0f) : z;
    const Lanes u(low < 8u ? gx.v : gy.v), v(low < 4u ? gy.v : ((low == 12u) | (low == 14u)) ? gx.v : gz.v);
    Lanes g = signedBy(u, low << 31) + signedBy(v, (low & 2u) << 30);
    if (inTime) g = g + signedBy(Lanes(*inTime), (h & 16u) << 27);
    corner[k] = g;
  }
  const Lanes u = fade(x), v = fade(y), w = fade(z);
  return between(between(between(corner[0], corner[1], u), between(corner[2], corner[3], u), v),
                 between(between(corner[4], corner[5], u), between(corner[6], corner[7], u), v), w);
}

Lanes gradientNoise(const Place& p, float time, uint32_t seed) {
  if (time == 0) return slice(p, seed, nullptr);
  const float ft = std::floor(time), t = time - ft;
  const auto it = uint32_t(int32_t(ft));
  Lanes slices[2];
  for (uint32_t dt = 0; dt < 2; ++dt) {
    const float way = t - float(dt);
    slices[dt] = slice(p, it + dt == 0 ? seed : mixBits(seed + (it + dt) * 0x9e3779b9u), &way);
  }
  return numbers::clamp(numbers::between(slices[0], slices[1], Lanes(fade(t))), Lanes(-1.0f), Lanes(1.0f));
}

Lanes cellularNoise(const Place& p, float time, uint32_t seed) {
  const Lanes fx = numbers::floor(p.x), fy = numbers::floor(p.y), fz = numbers::floor(p.z);
  const Whole ix = whole(fx), iy = whole(fy), iz = whole(fz);
  const auto real = [](Whole h) { return numbers::of(_mm256_cvtepi32_ps(__m256i(h))); };
  Lanes least(1e9f);
  for (int dz = -1; dz <= 1; ++dz)
    for (int dy = -1; dy <= 1; ++dy)
      for (int dx = -1; dx <= 1; ++dx) {
        const Whole h = mixed(((ix + uint32_t(dx)) * 0x8da6b343u) ^ ((iy + uint32_t(dy)) * 0xd8163841u) ^
                              ((iz + uint32_t(dz)) * 0xcb1ab31fu) ^ seed);
        Lanes at[3] = {real(h & 1023u), real(h >> 10 & 1023u), real(h >> 20 & 1023u)};
        for (uint32_t k = 0; k < 3; ++k) {
          at[k] = at[k] * Lanes(1 / 1023.0f);
          if (time == 0) continue;
          const Whole own = mixed(h + k);
          const Lanes begins = real(own >> 8 & 255u) * Lanes(2 * pi / 256),
                      speed = Lanes(2.1f) + real(own & 255u) * Lanes(1 / 160.0f);
          at[k] = numbers::clamp01(at[k] +
                                   Lanes(0.4f) * (numbers::sin(begins + Lanes(time) * speed) - numbers::sin(begins)));
        }
        const Lanes x = fx + Lanes(float(dx)) + at[0] - p.x, y = fy + Lanes(float(dy)) + at[1] - p.y,
                    z = fz + Lanes(float(dz)) + at[2] - p.z;
        least = numbers::min(least, x * x + y * y + z * z);
      }
  return numbers::sqrt(least);
}

// What an octave is where it is too fine to be seen.
float meanOf(NoiseFamily f) { return f == NoiseFamily::Churned ? -0.5f : f == NoiseFamily::Ridged ? 0.2f : 0; }

// One octave, -1..1.
template <class T> T octave(NoiseFamily f, const Imath::Vec3<T>& p, float time, uint32_t seed) {
  using namespace numbers;
  switch (f) {
  case NoiseFamily::Smooth:
  case NoiseFamily::Rolling:
    return gradientNoise(p, time, seed);
  case NoiseFamily::Churned:
    return T(2.0f) * abs(gradientNoise(p, time, seed)) - T(1.0f);
  case NoiseFamily::Ridged:
    return T(2.0f) * square(T(1.0f) - abs(gradientNoise(p, time, seed))) - T(1.0f);
  case NoiseFamily::Cellular:
    return T(2.0f) * min(T(1.0f), cellularNoise(p, time, seed)) - T(1.0f);
  case NoiseFamily::Puffed:
    return T(1.0f) - T(2.0f) * min(T(1.0f), square(cellularNoise(p, time, seed)));
  }
  return T(0.0f);
}

bool anyAbove0(float x) { return x > 0; }
bool anyAbove0(const Lanes& x) { return _mm256_movemask_ps(_mm256_cmp_ps(numbers::raw(x), _mm256_setzero_ps(), 14)); }

// Inputs: the place, the scale, the gain.
struct Noise {
  static constexpr size_t inputs = 3;
  NoiseForm form;

  template <class T> ValuesOf<T> value(const InputsOf<T>& in) const {
    using namespace numbers;
    const T scale = max(in[1].x, T(1e-6f)), gain = clamp01(in[2].x), fine = in[0].w / scale, inverse = T(1.0f) / scale;
    const auto from = [&](const V3f& shift) {
      return Imath::Vec3<T>((in[0].x - T(shift.x)) * inverse, (in[0].y - T(shift.y)) * inverse,
                            (in[0].z - T(shift.z)) * inverse);
    };
    T t = sum(from(form.shift), form.time, gain, fine);
    if (form.before > 0) { // both as strong together as one alone
      const T other = sum(from(form.shiftBefore), form.timeBefore, gain, fine);
      const float turn = 0.5f * pi * form.before;
      t = t * T(std::cos(turn)) + other * T(std::sin(turn));
    }
    return spread(clamp01(T(0.5f) + T(0.5f) * t));
  }
  Sample4 operator()(const InputsOf<float>& in, const PatternPoint&) const { return value(in); }
  ValuesOf<Lanes> operator()(const InputsOf<Lanes>& in, const PointOf<Lanes>&) const { return value(in); }
  Sample4 one(const InputsOf<float>& in, const PatternPoint&) const { return value(in); }
  ValuesOf<Slope> operator()(const InputsOf<Slope>& in, const PointOf<Slope>& at) const {
    return byDifferences(*this, in, at, std::min(1e-3f, 0.01f * std::max(1e-6f, in[1].x.v)));
  }
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    Interval t(0, 1);
    if (in[1].x.one() && in[2].x.one() && form.family != NoiseFamily::Rolling) {
      const float scale = std::max(in[1].x.low, 1e-6f), gain = clamp01(in[2].x.low);
      const bool fine = in[0].w.high > 0;
      const auto over = [&](const V3f& shift, float time) {
        V3f a, b;
        for (int k = 0; k < 3; ++k) {
          a[k] = in[0][k].low - shift[k];
          b[k] = in[0][k].high - shift[k];
        }
        return sumBounds(a, b, time, scale, gain, fine);
      };
      Interval s = over(form.shift, form.time);
      if (form.before > 0) {
        const float turn = 0.5f * pi * form.before;
        s = s * Interval(std::cos(turn)) + over(form.shiftBefore, form.timeBefore) * Interval(std::sin(turn));
      }
      t = {clamp01(0.5f + 0.5f * s.low - 1e-4f), clamp01(0.5f + 0.5f * s.high + 1e-4f)};
    }
    return spread(t);
  }

 private:
  // Octaves do not share their zeros.
  static V3f shift(int octave) { return V3f(0.37f, 0.71f, 0.13f) * float(octave); }
  // -1..1. What is finer than a sample of the picture is left out before it can flicker.
  template <class T> T sum(const Imath::Vec3<T>& p, float time, const T& gain, const T& footprint) const {
    T s = T(0.0f), weight = T(1.0f), total = T(0.0f);
    float frequency = 1;
    Imath::Vec3<T> pushed(T(0.0f), T(0.0f), T(0.0f));
    const T mean = T(meanOf(form.family));
    for (int o = 0; o < form.octaves; ++o) {
      const T seen = numbers::clamp01(T(2.0f) - T(2.0f) * footprint * T(frequency));
      if (anyAbove0(seen)) {
        const V3f own = shift(o);
        const Imath::Vec3<T> at(p.x * T(frequency) + T(own.x) + pushed.x, p.y * T(frequency) + T(own.y) + pushed.y,
                                p.z * T(frequency) + T(own.z) + pushed.z);
        const T n = octave(form.family, at, time * frequency, form.seed + uint32_t(o));
        s = s + weight * (mean + (n - mean) * seen);
        if (form.family == NoiseFamily::Rolling)
          pushed = Imath::Vec3<T>(n * T(1.1f), -n * T(1.1f), T(0.7f) * n * T(1.1f));
      } else {
        s = s + weight * mean;
      }
      total = total + weight;
      weight = weight * gain;
      frequency *= 2;
    }
    return s / total;
  }
  // Octave by octave: from the middle it cannot have gone further than its slope allows.
  Interval sumBounds(const V3f& a, const V3f& b, float time, float scale, float gain, bool fine) const {
    const V3f middle = (a + b) * (0.5f / scale), half = (b - a) * (0.5f / scale);
    const bool cells = form.family == NoiseFamily::Cellular || form.family == NoiseFamily::Puffed;
    const float slope =
        time != 0 ? 1.8f * gradientNoiseSlope : gradientNoiseSlope; // corners may lie twice as far apart in time
    const float reach = cells ? length(half) : slope * (std::abs(half.x) + std::abs(half.y) + std::abs(half.z));
    float low = 0, high = 0;
    float weight = 1, total = 0, frequency = 1;
    for (int o = 0; o < form.octaves; ++o) {
      const V3f p = middle * frequency + shift(o);
      const uint32_t seed = form.seed + uint32_t(o);
      const float d = reach * frequency + 1e-4f,
                  n = cells ? cellularNoise(p, time * frequency, seed) : gradientNoise(p, time * frequency, seed);
      const float least = cells ? std::clamp(n - d, 0.0f, 1.0f) : std::max(-1.0f, n - d), most = std::min(1.0f, n + d);
      const float near = least <= 0 && most >= 0 ? 0 : std::min(std::abs(least), std::abs(most)),
                  far = std::max(std::abs(least), std::abs(most));
      float l = least, h = most;
      switch (form.family) {
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
        l = std::min(l, meanOf(form.family));
        h = std::max(h, meanOf(form.family));
      }
      low += weight * l;
      high += weight * h;
      total += weight;
      weight *= gain;
      frequency *= 2;
    }
    return {low / total, high / total};
  }
};

// From 0..1 to between two colours: spread about the middle, cut at a floor and a ceiling.
// Inputs: by, contrast, floor, ceiling, low, high.
struct Spread {
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    return between(in[4], in[5], share(in[0].x, in[1].x, in[2].x, in[3].x));
  }
  // It only rises or falls in each of its numbers.
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    Interval t(1, 0);
    for (const float c : {in[1].x.low, in[1].x.high})
      for (const float f : {in[2].x.low, in[2].x.high})
        for (const float g : {in[3].x.low, in[3].x.high})
          for (const float by : {in[0].x.low, in[0].x.high}) t = numbers::hull(t, share(by, c, f, g));
    return between(in[4], in[5], numbers::outwards(t.low, t.high, 4));
  }

 private:
  template <class T> static T share(const T& by, const T& contrast, const T& floor, const T& ceiling) {
    const T c = numbers::clamp01(T(0.5f) + (by - T(0.5f)) * contrast);
    return numbers::choose(floor < ceiling, numbers::clamp01((c - floor) / (ceiling - floor)),
                           numbers::choose(c < floor, T(0.0f), T(1.0f)));
  }
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
  return c.emit(Noise{form}, {c.place(form.space), scale, gain});
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
            return c.emit(Spread{}, {by, contrast, c.amount(p, "floor"), c.amount(p, "ceiling"), low, high});
          }};
}

} // namespace ilumbra
