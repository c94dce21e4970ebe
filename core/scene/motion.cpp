#include "core/scene/motion.h"

#include <embree3/rtcore.h>

namespace ilumbra {

Motion::Motion(const std::vector<M44f>& placements) {
  for (const M44f& m : placements) {
    // Turn times upper triangle, by Gram and Schmidt over the images of the axes.
    const V3f a(m[0][0], m[0][1], m[0][2]), b(m[1][0], m[1][1], m[1][2]), c(m[2][0], m[2][1], m[2][2]);
    const V3f x = normalize(a), y = normalize(b - x * dot(b, x));
    const V3f z = cross(x, y); // a mirrored body has a negative size along z
    Step s{};
    s.x = {dot(a, x), 0, 0};
    s.y = {dot(b, x), dot(b, y), 0};
    s.z = {dot(c, x), dot(c, y), dot(c, z)};
    s.move = {m[3][0], m[3][1], m[3][2]};
    // Shepperd 1978, of the matrix with columns x, y, z.
    const float trace = x.x + y.y + z.z;
    if (trace > 0) {
      const float w = std::sqrt(trace + 1) * 2;
      s.r = 0.25f * w, s.i = (y.z - z.y) / w, s.j = (z.x - x.z) / w, s.k = (x.y - y.x) / w;
    } else if (x.x > y.y && x.x > z.z) {
      const float w = std::sqrt(1 + x.x - y.y - z.z) * 2;
      s.r = (y.z - z.y) / w, s.i = 0.25f * w, s.j = (y.x + x.y) / w, s.k = (z.x + x.z) / w;
    } else if (y.y > z.z) {
      const float w = std::sqrt(1 + y.y - x.x - z.z) * 2;
      s.r = (z.x - x.z) / w, s.i = (y.x + x.y) / w, s.j = 0.25f * w, s.k = (z.y + y.z) / w;
    } else {
      const float w = std::sqrt(1 + z.z - x.x - y.y) * 2;
      s.r = (x.y - y.x) / w, s.i = (z.x + x.z) / w, s.j = (z.y + y.z) / w, s.k = 0.25f * w;
    }
    const float norm = 1 / std::sqrt(s.r * s.r + s.i * s.i + s.j * s.j + s.k * s.k);
    s.r *= norm, s.i *= norm, s.j *= norm, s.k *= norm;
    if (!m_steps.empty()) {
      const Step& p = m_steps.back();
      if (p.r * s.r + p.i * s.i + p.j * s.j + p.k * s.k < 0) s.r = -s.r, s.i = -s.i, s.j = -s.j, s.k = -s.k;
    }
    m_steps.push_back(s);
  }
}

Motion::Step Motion::between(float time) const {
  const float place = clamp01(time) * float(m_steps.size() - 1);
  const size_t i = std::min(size_t(place), m_steps.size() - 2);
  const float t = place - float(i);
  const Step &a = m_steps[i], &b = m_steps[i + 1];
  float u = 1 - t, v = t;
  const float cosine = a.r * b.r + a.i * b.i + a.j * b.j + a.k * b.k;
  if (cosine < 0.9995f) {
    const float angle = std::acos(std::max(-1.0f, cosine)), sine = std::sin(angle);
    u = std::sin(angle * (1 - t)) / sine;
    v = std::sin(angle * t) / sine;
  }
  Step s{a.r * u + b.r * v,      a.i * u + b.i * v, a.j * u + b.j * v, a.k * u + b.k * v,
         mix(a.move, b.move, t), mix(a.x, b.x, t),  mix(a.y, b.y, t),  mix(a.z, b.z, t)};
  const float norm = 1 / std::sqrt(s.r * s.r + s.i * s.i + s.j * s.j + s.k * s.k);
  s.r *= norm, s.i *= norm, s.j *= norm, s.k *= norm;
  return s;
}

static M44f turned(float r, float i, float j, float k, const V3f& x, const V3f& y, const V3f& z, const V3f& move) {
  const V3f cx(1 - 2 * (j * j + k * k), 2 * (i * j + r * k), 2 * (i * k - r * j)),
      cy(2 * (i * j - r * k), 1 - 2 * (i * i + k * k), 2 * (j * k + r * i)),
      cz(2 * (i * k + r * j), 2 * (j * k - r * i), 1 - 2 * (i * i + j * j));
  const V3f a = cx * x.x + cy * x.y + cz * x.z, b = cx * y.x + cy * y.y + cz * y.z, c = cx * z.x + cy * z.y + cz * z.z;
  return {a.x, a.y, a.z, 0, b.x, b.y, b.z, 0, c.x, c.y, c.z, 0, move.x, move.y, move.z, 1};
}

M44f Motion::at(float time) const {
  const Step s = between(time);
  return turned(s.r, s.i, s.j, s.k, s.x, s.y, s.z, s.move);
}

Motion Motion::rigid() const {
  Motion m = *this;
  for (Step& s : m.m_steps) s.x = {1, 0, 0}, s.y = {0, 1, 0}, s.z = {0, 0, 1};
  return m;
}

M44f rigidPart(const M44f& placement) { return Motion({placement, placement}).rigid().at(0); }

void Motion::fill(int step, RTCQuaternionDecomposition& q) const {
  const Step& s = m_steps[size_t(step)];
  rtcInitQuaternionDecomposition(&q);
  rtcQuaternionDecompositionSetQuaternion(&q, s.r, s.i, s.j, s.k);
  rtcQuaternionDecompositionSetScale(&q, s.x.x, s.y.y, s.z.z);
  rtcQuaternionDecompositionSetSkew(&q, s.y.x, s.z.x, s.z.y);
  rtcQuaternionDecompositionSetTranslation(&q, s.move.x, s.move.y, s.move.z);
}

MotionPtr motionOf(const std::function<M44f(double)>& placement, double open, double close, float radius) {
  // How far two placements are apart, as its origin and the ends of its axes are.
  const auto apart = [&](const M44f& a, const M44f& b) {
    float most = 0;
    for (const V3f& p : {V3f(0.0f), V3f(radius, 0, 0), V3f(0, radius, 0), V3f(0, 0, radius)})
      most = std::max(most, length(transformPoint(a, p) - transformPoint(b, p)));
    return most;
  };
  constexpr int most = 64;
  const auto at = [&](int i) { return placement(open + (close - open) * i / double(most)); };
  std::vector<M44f> all;
  float way = 0;
  for (int i = 0; i <= most; ++i) {
    all.push_back(at(i));
    if (!(std::abs(all.back().determinant()) > 1e-30f)) return nullptr;
    if (i > 0) way += apart(all[size_t(i)], all[size_t(i) - 1]);
  }
  if (!(way > 1e-7f * radius)) return nullptr;
  for (int steps = 1;; steps *= 2) {
    std::vector<M44f> chosen;
    for (int i = 0; i <= steps; ++i) chosen.push_back(all[size_t(i * most / steps)]);
    auto motion = std::make_shared<const Motion>(chosen);
    if (steps == most) return motion;
    float worst = 0;
    for (int i = 0; i <= most; ++i) worst = std::max(worst, apart(all[size_t(i)], motion->at(float(i) / most)));
    if (worst <= 1e-3f * way + 1e-6f) return motion;
  }
}

} // namespace ilumbra
