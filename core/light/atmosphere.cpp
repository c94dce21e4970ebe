#include "core/light/atmosphere.h"

#include "core/base/spectrum.h"

#include <array>

namespace ilumbra {
namespace {

constexpr int waves = 15;
constexpr float firstWave = 380, waveStep = 25;
using Waves = std::array<float, waves>;

// Lengths in kilometres, coefficients per kilometre.
constexpr float ground = 6360, top = 6460, eye = ground + 0.1f;
constexpr float airHeight = 8, dustHeight = 1.2f;
constexpr float airDepth550 = 1.24062e-3f * airHeight / (0.55f * 0.55f * 0.55f * 0.55f); // vertical
constexpr float dustAlbedo = 0.92f, dustAnisotropy = 0.76f, dustExponent = 1.3f;

// Outside the air, W/m²/nm (ASTM G-173, averaged).
constexpr Waves sunlight = {1.0125f, 1.7290f, 1.6125f, 2.0276f, 1.9338f, 1.8733f, 1.8931f, 1.8423f,
                            1.8147f, 1.7249f, 1.6465f, 1.5388f, 1.4740f, 1.3890f, 1.3143f};
// Ozone, 1e-25 m² a molecule (Serdyuchenko et al. 2014, 223 K).
constexpr Waves ozone = {0.0028f, 0.0214f, 0.0845f, 0.2990f, 0.7752f, 1.5410f, 2.7550f, 3.8800f,
                         4.3980f, 4.6600f, 3.2150f, 2.0450f, 1.2090f, 0.7000f, 0.4150f};
constexpr float ozoneMost =
    5.374e18f * 1e-25f * 1e3f; // 300 Dobson units between 10 and 40 km, in its densest layer, per 1e-25 m²

struct Column {
  float air = 0, dust = 0, ozone = 0; ///< kilometres at the density of the reference height
};
float airAt(float height) { return std::exp(-height / airHeight); }
float dustAt(float height) { return std::exp(-height / dustHeight); }
float ozoneAt(float height) { return std::max(0.0f, 1 - std::abs(height - 25) / 15); }

// Along a ray from radius r with cosine c to the vertical: to the top of the air, and to the ground, if it is met.
float toTop(float r, float c) { return -r * c + std::sqrt(std::max(0.0f, top * top - r * r * (1 - c * c))); }
bool meetsGround(float r, float c) { return c < 0 && r * r * (1 - c * c) < ground * ground; }
float toGround(float r, float c) { return -r * c - std::sqrt(std::max(0.0f, ground * ground - r * r * (1 - c * c))); }

class Air {
 public:
  explicit Air(float turbidity) {
    const float dust550 = (std::max(1.0f, turbidity) - 1) * airDepth550 / dustHeight;
    for (int i = 0; i < waves; ++i) {
      const float nm = firstWave + waveStep * float(i), um = nm / 1000;
      airScatter[size_t(i)] = 1.24062e-3f / (um * um * um * um);
      dustTakes[size_t(i)] = dust550 * std::pow(nm / 550, -dustExponent);
      dustScatter[size_t(i)] = dustAlbedo * dustTakes[size_t(i)];
      ozoneTakes[size_t(i)] = ozoneMost * ozone[size_t(i)];
    }
    for (int h = 0; h < heights; ++h)
      for (int a = 0; a < angles; ++a) m_columns[size_t(h)][size_t(a)] = measure(radiusOf(h), cosineOf(a));
  }
  // Transmittance by wavelength through a column.
  Waves through(const Column& c) const {
    Waves t;
    for (size_t i = 0; i < waves; ++i)
      t[i] = std::exp(-(airScatter[i] * c.air + dustTakes[i] * c.dust + ozoneTakes[i] * c.ozone));
    return t;
  }
  // From radius r to space along cosine c; nothing comes through the ground.
  bool column(float r, float c, Column& out) const {
    if (meetsGround(r, c)) return false;
    const float h = std::sqrt(clamp01((r - ground) / (top - ground))) * float(heights - 1);
    const float a = angleAt(c) * float(angles - 1);
    const int h0 = std::min(int(h), heights - 2), a0 = std::min(int(a), angles - 2);
    const float x = h - float(h0), y = a - float(a0);
    const auto at = [&](float Column::*m) {
      const auto& m0 = m_columns[size_t(h0)];
      const auto& m1 = m_columns[size_t(h0 + 1)];
      return mix(mix(m0[size_t(a0)].*m, m0[size_t(a0 + 1)].*m, y), mix(m1[size_t(a0)].*m, m1[size_t(a0 + 1)].*m, y), x);
    };
    out = {at(&Column::air), at(&Column::dust), at(&Column::ozone)};
    return true;
  }
  Waves airScatter, dustScatter, dustTakes, ozoneTakes;

 private:
  static constexpr int heights = 48, angles = 192;
  // Dense near the horizon, where the columns change most.
  static float angleAt(float c) { return 0.5f + 0.5f * std::copysign(std::sqrt(std::abs(c)), c); }
  static float cosineOf(int a) {
    const float t = 2 * float(a) / float(angles - 1) - 1;
    return std::copysign(t * t, t);
  }
  static float radiusOf(int h) { return ground + sqr(float(h) / float(heights - 1)) * (top - ground); }
  static Column measure(float r, float c) {
    // A ray that would meet the ground is measured as if it grazed it: only rays beside the horizon ask.
    Column sum;
    const float far = toTop(r, c);
    constexpr int steps = 128;
    for (int k = 0; k < steps; ++k) {
      const float t0 = sqr(float(k) / steps) * far, t1 = sqr(float(k + 1) / steps) * far, t = 0.5f * (t0 + t1);
      const float height = std::max(0.0f, std::sqrt(r * r + t * t + 2 * r * t * c) - ground);
      sum.air += airAt(height) * (t1 - t0);
      sum.dust += dustAt(height) * (t1 - t0);
      sum.ozone += ozoneAt(height) * (t1 - t0);
    }
    return sum;
  }
  std::array<std::array<Column, angles>, heights> m_columns;
};

// Scattered more than once: what comes from everywhere alike, per unit of sunlight, by height and by the sun's cosine.
class Repeated {
 public:
  Repeated(const Air& air, float albedo) {
    for (int h = 0; h < heights; ++h)
      for (int a = 0; a < angles; ++a)
        m_light[size_t(h)][size_t(a)] = measure(air, albedo, ground + 0.05f + sqr(float(h) / float(heights - 1)) * 60,
                                                2 * float(a) / float(angles - 1) - 1);
  }
  void at(float r, float sunCosine, Waves& out) const {
    const float h = std::sqrt(clamp01((r - ground) / 60)) * float(heights - 1),
                a = (0.5f + 0.5f * sunCosine) * float(angles - 1);
    const int h0 = std::min(int(h), heights - 2), a0 = std::min(int(a), angles - 2);
    const float x = h - float(h0), y = a - float(a0);
    for (size_t i = 0; i < waves; ++i)
      out[i] = mix(mix(m_light[size_t(h0)][size_t(a0)][i], m_light[size_t(h0)][size_t(a0 + 1)][i], y),
                   mix(m_light[size_t(h0 + 1)][size_t(a0)][i], m_light[size_t(h0 + 1)][size_t(a0 + 1)][i], y), x);
  }

 private:
  static constexpr int heights = 10, angles = 33;
  static Waves measure(const Air& air, float albedo, float r, float sunCosine) {
    constexpr int rings = 6, turns = 8, steps = 24;
    Waves second{}, again{};
    const V3f sun(std::sqrt(std::max(0.0f, 1 - sunCosine * sunCosine)), sunCosine, 0);
    for (int k = 0; k < rings; ++k)
      for (int j = 0; j < turns; ++j) {
        const float c = 1 - 2 * (float(k) + 0.5f) / rings, s = std::sqrt(1 - c * c),
                    phi = 2 * pi * (float(j) + 0.5f) / turns;
        const V3f d(s * std::cos(phi), c, s * std::sin(phi));
        const bool lands = meetsGround(r, c);
        const float far = lands ? toGround(r, c) : toTop(r, c), step = far / steps;
        Waves seen;
        seen.fill(1);
        for (int n = 0; n < steps; ++n) {
          const V3f p = V3f(0, r, 0) + d * (step * (float(n) + 0.5f));
          const float rp = length(p), height = std::max(0.0f, rp - ground), da = airAt(height), dd = dustAt(height),
                      dz = ozoneAt(height);
          Column lit;
          const bool shone = air.column(rp, dot(p, sun) / rp, lit);
          const Waves light = shone ? air.through(lit) : Waves{};
          for (size_t i = 0; i < waves; ++i) {
            const float scatter = air.airScatter[i] * da + air.dustScatter[i] * dd;
            const float takes = air.airScatter[i] * da + air.dustTakes[i] * dd + air.ozoneTakes[i] * dz;
            const float kept = std::exp(-takes * step), share = takes > 0 ? (1 - kept) / takes : step;
            second[i] += seen[i] * scatter * share * light[i] / (4 * pi);
            again[i] += seen[i] * scatter * share;
            seen[i] *= kept;
          }
        }
        if (lands) {
          const V3f p = V3f(0, r, 0) + d * far;
          const float cosine = dot(p, sun) / length(p);
          Column lit;
          if (cosine > 0 && air.column(ground + 0.01f, cosine, lit)) {
            const Waves light = air.through(lit);
            for (size_t i = 0; i < waves; ++i) second[i] += seen[i] * light[i] * cosine * albedo / pi;
          }
        }
      }
    Waves out;
    for (size_t i = 0; i < waves; ++i) {
      const float n = rings * turns;
      out[i] = second[i] / n / (1 - std::min(0.99f, again[i] / n));
    }
    return out;
  }
  std::array<std::array<Waves, angles>, heights> m_light;
};

Color colourOf(const Waves& spectrum) {
  V3f xyz(0.0f);
  for (int i = 0; i < waves; ++i)
    xyz += cieXyz(firstWave + waveStep * float(i)) * (spectrum[size_t(i)] * sunlight[size_t(i)]);
  return workingFromXyz(xyz * (683 * waveStep));
}

float airPhase(float c) { return 3 / (16 * pi) * (1 + c * c); }
// Cornette and Shanks 1992, equation 8.
float dustPhase(float c) {
  constexpr float g = dustAnisotropy;
  return 3 / (8 * pi) * (1 - g * g) * (1 + c * c) / ((2 + g * g) * std::pow(1 + g * g - 2 * g * c, 1.5f));
}

constexpr int rows = 64, columns = 64;

} // namespace

Atmosphere::Atmosphere(float sunHeight, float turbidity, float groundAlbedo) {
  const Air air(turbidity);
  const Repeated repeated(air, groundAlbedo);
  const float h = sunHeight * pi / 180;
  const V3f sun(std::cos(h), std::sin(h), 0);
  Column direct;
  if (sun.y > 0 && air.column(eye, sun.y, direct)) m_sun = colourOf(air.through(direct));
  m_map.assign(size_t(rows) * columns, Color(0.0f));
  for (int row = 0; row < rows; ++row) {
    const float e = std::max(1e-3f, sqr(float(row) / (rows - 1)) * 0.5f * pi), c = std::sin(e), far = toTop(eye, c);
    for (int col = 0; col < columns; ++col) {
      const float a = pi * float(col) / (columns - 1);
      const V3f d(std::cos(e) * std::cos(a), c, std::cos(e) * std::sin(a));
      const float toSun = dot(d, sun), pa = airPhase(toSun), pd = dustPhase(toSun);
      Waves light{}, seen;
      seen.fill(1);
      constexpr int steps = 40;
      for (int n = 0; n < steps; ++n) {
        const float t0 = sqr(float(n) / steps) * far, t1 = sqr(float(n + 1) / steps) * far, step = t1 - t0;
        const V3f p = V3f(0, eye, 0) + d * (0.5f * (t0 + t1));
        const float rp = length(p), height = rp - ground, da = airAt(height), dd = dustAt(height), dz = ozoneAt(height),
                    cosine = dot(p, sun) / rp;
        Column lit;
        const Waves shine = air.column(rp, cosine, lit) ? air.through(lit) : Waves{};
        Waves all;
        repeated.at(rp, cosine, all);
        for (size_t i = 0; i < waves; ++i) {
          const float sa = air.airScatter[i] * da, sd = air.dustScatter[i] * dd,
                      takes = sa + air.dustTakes[i] * dd + air.ozoneTakes[i] * dz;
          const float kept = std::exp(-takes * step), share = takes > 0 ? (1 - kept) / takes : step;
          light[i] += seen[i] * share * (shine[i] * (sa * pa + sd * pd) + all[i] * (sa + sd));
          seen[i] *= kept;
        }
      }
      m_map[size_t(row) * columns + size_t(col)] = vmax(colourOf(light), Color(0.0f));
    }
  }
  // Over the half dome, both sides of the sun alike.
  constexpr int n = 90;
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j) {
      const float e = 90 * (float(i) + 0.5f) / n, rad = e * pi / 180;
      m_illuminance +=
          sky(e, 180 * (float(j) + 0.5f) / n) * (std::sin(rad) * std::cos(rad) * (0.5f * pi / n) * (2 * pi / n));
    }
}

Color Atmosphere::sky(float elevation, float away) const {
  const float y = std::sqrt(clamp01(elevation / 90)) * (rows - 1), x = clamp01(away / 180) * (columns - 1);
  const int j = std::min(int(y), rows - 2), i = std::min(int(x), columns - 2);
  const auto at = [&](int a, int b) { return m_map[size_t(b) * columns + size_t(a)]; };
  return mix(mix(at(i, j), at(i + 1, j), x - float(i)), mix(at(i, j + 1), at(i + 1, j + 1), x - float(i)),
             y - float(j));
}

} // namespace ilumbra
