#include "demo/turned.h"

#include "demo/part_file.h"

namespace ilumbra {

std::vector<V2f> smoothProfile(const std::vector<V2f>& p, int steps) {
  std::vector<V2f> out;
  for (size_t i = 0; i + 1 < p.size(); ++i) {
    const V2f a = p[i > 0 ? i - 1 : 0], b = p[i], c = p[i + 1], d = p[std::min(i + 2, p.size() - 1)];
    for (int k = 0; k < steps; ++k) {
      const float t = float(k) / float(steps), t2 = t * t, t3 = t2 * t;
      V2f v =
          (b * 2.0f + (c - a) * t + (a * 2.0f - b * 5.0f + c * 4.0f - d) * t2 + (b * 3.0f - a - c * 3.0f + d) * t3) *
          0.5f;
      v.x = std::max(0.0f, v.x);
      out.push_back(v);
    }
  }
  out.push_back(p.back());
  return out;
}

Mesh turnedBody(const std::vector<V2f>& profile, int segments) {
  Mesh m;
  const auto n = uint32_t(segments), rows = uint32_t(profile.size());
  for (uint32_t r = 0; r < rows; ++r) {
    // The slope of the section, by its neighbours unless a corner is meant.
    const auto same = [&](uint32_t a, uint32_t b) { return (profile[a] - profile[b]).length() < 1e-7f; };
    V2f t(0.0f);
    if (r > 0 && !same(r, r - 1)) t += (profile[r] - profile[r - 1]).normalized();
    if (r + 1 < rows && !same(r, r + 1)) t += (profile[r + 1] - profile[r]).normalized();
    const V2f slope = V2f(t.y, -t.x).normalized();
    for (uint32_t s = 0; s < n; ++s) {
      const float a = 2 * pi * float(s) / float(n);
      m.positions.emplace_back(profile[r].x * std::cos(a), profile[r].y, profile[r].x * std::sin(a));
      m.normals.push_back(normalize(V3f(slope.x * std::cos(a), slope.y, slope.x * std::sin(a))));
    }
  }
  for (uint32_t r = 0; r + 1 < rows; ++r)
    for (uint32_t s = 0; s < n; ++s) {
      const uint32_t a = r * n + s, b = r * n + (s + 1) % n, c = a + n, d = b + n;
      // On the axis a ring is a point: one triangle of the two has no area there.
      if (profile[r + 1].x > 1e-6f) m.triangles.push_back({a, c, d});
      if (profile[r].x > 1e-6f) m.triangles.push_back({a, d, b});
    }
  return m;
}

std::string turnedFile(const std::string& name, const std::vector<V2f>& profile, int segments) {
  return partFile(name, turnedBody(profile, segments));
}

} // namespace ilumbra
