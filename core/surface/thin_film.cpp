#include "core/surface/thin_film.h"

#include "core/base/spectrum.h"

namespace ilumbra {
namespace {

struct Wave {
  float length; ///< nm
  Color counts; ///< all together 1 in each channel
};

std::vector<Wave> wavesOf() {
  std::vector<Wave> waves;
  Color total(0.0f);
  for (float w = shortestWave + 2.5f; w < longestWave; w += 5) {
    waves.push_back({w, waveResponse(w)});
    total += waves.back().counts;
  }
  for (Wave& w : waves)
    for (int c = 0; c < 3; ++c) w.counts[c] /= total[c];
  return waves;
}

int steps(float most) { return std::clamp(int(most / 8) + 2, 8, 256); }

// Amplitudes a above and b below the film, for both polarisations; `path` is 4π n d cosθ in nm.
Color airy(const std::vector<Wave>& waves, float sa, float sb, float pa, float pb, float path) {
  Color sum(0.0f);
  for (const Wave& w : waves) {
    const float phase = std::cos(path / w.length);
    const auto power = [phase](float a, float b) {
      return (a * a + b * b + 2 * a * b * phase) / (1 + a * a * b * b + 2 * a * b * phase);
    };
    sum += w.counts * (0.5f * (power(sa, sb) + power(pa, pb)));
  }
  return {clamp01(sum.x), clamp01(sum.y), clamp01(sum.z)};
}

// Linear between the cells of a grid.
struct Cell {
  int i;
  float t;
  Cell(float x, int n) {
    const float p = clamp01(x) * float(n - 1);
    i = std::min(int(p), n - 2);
    t = p - float(i);
  }
};

} // namespace

ThinFilm::ThinFilm(float film, float base, float most) : m_thicknesses(steps(most)), m_most(std::max(most, 1.0f)) {
  const std::vector<Wave> waves = wavesOf();
  m_table.resize(size_t(m_thicknesses) * cosines);
  for (int i = 0; i < cosines; ++i) {
    const float c1 = std::max(1e-3f, float(i) / (cosines - 1)), s2 = 1 - c1 * c1;
    const float c2 = std::sqrt(std::max(0.0f, 1 - s2 / (film * film))), t = 1 - s2 / (base * base),
                c3 = std::sqrt(std::max(0.0f, t));
    // Beyond the critical angle of the lower boundary all comes back.
    const float s23 = t <= 0 ? 1 : (film * c2 - base * c3) / (film * c2 + base * c3),
                p23 = t <= 0 ? 1 : (base * c2 - film * c3) / (base * c2 + film * c3);
    for (int k = 0; k < m_thicknesses; ++k)
      m_table[size_t(k * cosines + i)] =
          airy(waves, (c1 - film * c2) / (c1 + film * c2), s23, (film * c1 - c2) / (film * c1 + c2), p23,
               4 * pi * film * c2 * m_most * float(k) / float(m_thicknesses - 1));
  }
}

Color ThinFilm::reflectance(float cosine, float thickness) const {
  const Cell x(cosine, cosines), y(thickness / m_most, m_thicknesses);
  const Color* p = m_table.data() + y.i * cosines + x.i;
  return mix(mix(p[0], p[1], x.t), mix(p[cosines], p[cosines + 1], x.t), y.t);
}

MetalFilm::MetalFilm(float film, float most) : m_thicknesses(steps(most)), m_most(std::max(most, 1.0f)) {
  const std::vector<Wave> waves = wavesOf();
  m_table.resize(size_t(colours) * size_t(m_thicknesses) * cosines);
  for (int f = 0; f < colours; ++f)
    for (int i = 0; i < cosines; ++i) {
      const float c1 = std::max(1e-3f, float(i) / (cosines - 1)), c2 = std::sqrt(1 - (1 - c1 * c1) / (film * film));
      const float f0 = float(f) / (colours - 1), bare = std::sqrt(f0 + (1 - f0) * std::pow(1 - c1, 5.0f));
      const float s12 = (c1 - film * c2) / (c1 + film * c2), p12 = (film * c1 - c2) / (film * c1 + c2);
      const auto below = [](float whole, float upper) {
        return std::clamp((whole - upper) / (1 - whole * upper), -1.0f, 1.0f);
      };
      const float s23 = below(-bare, s12), p23 = below(bare, p12);
      for (int k = 0; k < m_thicknesses; ++k)
        m_table[size_t((f * m_thicknesses + k) * cosines + i)] =
            airy(waves, s12, s23, p12, p23, 4 * pi * film * c2 * m_most * float(k) / float(m_thicknesses - 1));
    }
}

Color MetalFilm::reflectance(const Color& f0, float cosine, float thickness) const {
  const Cell x(cosine, cosines), y(thickness / m_most, m_thicknesses);
  Color out;
  for (int c = 0; c < 3; ++c) {
    const Cell z(f0[c], colours);
    float both[2];
    for (int f = 0; f < 2; ++f) {
      const Color* p = m_table.data() + ((z.i + f) * m_thicknesses + y.i) * cosines + x.i;
      both[f] = mix(mix(p[0][c], p[1][c], x.t), mix(p[cosines][c], p[cosines + 1][c], x.t), y.t);
    }
    out[c] = mix(both[0], both[1], z.t);
  }
  return out;
}

} // namespace ilumbra
