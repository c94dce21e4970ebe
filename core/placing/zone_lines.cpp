#include "core/placing/zone_lines.h"

#include "core/document/placement.h"

namespace ilumbra {

std::vector<std::vector<V2f>> zoneLines(const Document& doc, const Node& zone, double frame, const Camera& camera) {
  std::vector<std::vector<V2f>> out;
  if (zone.kind->family() != "zone") return out;
  const Params p(zone, frame);
  const std::string form = p.text("form");
  const M44f world = worldMatrix(doc, zone, frame);
  const float share = p.real("share");
  const auto line = [&](const std::vector<V3f>& points) {
    std::vector<V2f> seen;
    for (const V3f& q : points) {
      V2f at;
      if (camera.project(transformPoint(world, q), at.x, at.y)) seen.push_back(at);
    }
    if (seen.size() > 1) out.push_back(std::move(seen));
  };
  const float r = 0.5f * share;
  const auto circle = [&](int axis, float height) {
    std::vector<V3f> points;
    for (int i = 0; i <= 64; ++i) {
      V3f q(0.0f);
      q[axis] = height;
      q[(axis + 1) % 3] = r * std::cos(2 * pi * float(i) / 64);
      q[(axis + 2) % 3] = r * std::sin(2 * pi * float(i) / 64);
      points.push_back(q);
    }
    line(points);
  };
  if (form == "ball") {
    for (int axis = 0; axis < 3; ++axis) circle(axis, 0);
  } else if (form == "cylinder") {
    circle(1, -r);
    circle(1, r);
    for (const V2f& e : {V2f(r, 0), V2f(-r, 0), V2f(0, r), V2f(0, -r)}) line({{e.x, -r, e.y}, {e.x, r, e.y}});
  } else if (form == "box") {
    for (const float h : {-r, r}) line({{-r, h, -r}, {r, h, -r}, {r, h, r}, {-r, h, r}, {-r, h, -r}});
    for (const V2f& e : {V2f(r, r), V2f(-r, r), V2f(r, -r), V2f(-r, -r)}) line({{e.x, -r, e.y}, {e.x, r, e.y}});
  } else if (form == "half-space") {
    const float h = share - 1;
    line({{-0.5f, h, -0.5f}, {0.5f, h, -0.5f}, {0.5f, h, 0.5f}, {-0.5f, h, 0.5f}, {-0.5f, h, -0.5f}});
    line({{0, h, 0}, {0, h - 0.25f, 0}}); // inside
  }
  return out;
}

} // namespace ilumbra
