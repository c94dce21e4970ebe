#include "core/geometry/convex.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {

void Convex::plane(const V3f& normal, const V3f& through, bool side) {
  const V3f n = normalize(normal);
  m_planes.push_back({n, dot(n, through), side});
}

void Convex::cone(const V3f& apex, const V3f& axis, float halfAngle) {
  if (halfAngle < 0.5f * pi - 1e-4f)
    m_cones.push_back({apex, normalize(axis), std::cos(halfAngle), std::tan(halfAngle)});
  else if (halfAngle < 0.5f * pi + 1e-4f)
    plane(-axis, apex);
}

bool Convex::sided() const {
  return !m_cones.empty() || std::any_of(m_planes.begin(), m_planes.end(), [](const Plane& p) { return p.side; });
}

bool Convex::holds(const V3f& p) const {
  for (const Plane& h : m_planes)
    if (dot(h.normal, p) > h.reach) return false;
  for (const Cone& c : m_cones) {
    const V3f w = p - c.apex;
    if (dot(w, c.axis) < c.cosine * length(w)) return false;
  }
  for (const Ball& b : m_balls) {
    const V3f w = p - b.centre;
    if (dot(w, w) > b.radius * b.radius) return false;
  }
  return true;
}

bool Convex::clip(const V3f& o, const V3f& d, float& from, float& to) const {
  for (const Plane& h : m_planes) {
    const float speed = dot(h.normal, d), room = h.reach - dot(h.normal, o);
    if (speed > 0)
      to = std::min(to, room / speed);
    else if (speed < 0)
      from = std::max(from, room / speed);
    else if (room < 0)
      return false;
    if (!(from < to)) return false;
  }
  for (const Ball& b : m_balls) {
    const V3f w = o - b.centre;
    const double half = double(dot(w, d)), c = double(dot(w, w)) - double(b.radius) * double(b.radius),
                 root = half * half - c;
    if (root <= 0) return false;
    const double s = std::sqrt(root);
    from = std::max(from, float(-half - s));
    to = std::min(to, float(-half + s));
    if (!(from < to)) return false;
  }
  for (const Cone& k : m_cones) {
    // Inside where (dot(w, axis))² >= cos² |w|², on the nappe ahead of the apex.
    const Imath::V3d w(o - k.apex), dir(d), axis(k.axis);
    const double wv = w.dot(axis), dv = dir.dot(axis), c2 = double(k.cosine) * double(k.cosine);
    const double a = dv * dv - c2 * dir.dot(dir), b = dv * wv - c2 * dir.dot(w), c = wv * wv - c2 * w.dot(w);
    const double root = b * b - a * c;
    double first = from, last = to;
    if (std::abs(a) < 1e-12) {
      if (dv < 0) { // along its side, towards the apex
        if (b == 0) return false;
        last = std::min(last, -c / (2 * b));
      } else {
        if (b == 0) return false;
        first = std::max(first, -c / (2 * b));
      }
    } else if (a > 0) {
      const double s = std::sqrt(std::max(0.0, root));
      if (dv > 0)
        first = std::max(first, (-b + s) / a);
      else
        last = std::min(last, (-b - s) / a);
    } else {
      if (root <= 0) return false;
      const double s = std::sqrt(root), t0 = (-b + s) / a, t1 = (-b - s) / a;
      if (wv + 0.5 * (t0 + t1) * dv < 0) return false; // the nappe behind
      first = std::max(first, t0);
      last = std::min(last, t1);
    }
    from = float(first);
    to = float(last);
    if (!(from < to)) return false;
  }
  return true;
}

float Convex::depth(const V3f& p, const V3f& middle) const {
  float least = 1;
  for (const Plane& h : m_planes) {
    if (!h.side) continue;
    const float there = h.reach - dot(h.normal, middle);
    least = std::min(least, there > 0 ? (h.reach - dot(h.normal, p)) / there : 0.0f);
  }
  for (const Cone& c : m_cones) {
    const V3f w = p - c.apex;
    const float along = dot(w, c.axis), off = length(w - c.axis * along);
    least = std::min(least, along > 0 ? 1 - off / (along * c.tangent) : 0.0f);
  }
  return std::max(0.0f, least);
}

} // namespace ilumbra
