#include "core/document/placement.h"

#include "core/document/follow.h"

namespace ilumbra {

std::vector<ParamDef> placementParams() {
  return {
      vector("position", "Position", "m", {0, 0, 0})
          .soft(-5, 5)
          .at(Invalidation::Placement)
          .in("Placement")
          .help("Where it stands"),
      vector("turn", "Turn", "°", {0, 0, 0})
          .soft(-180, 180)
          .at(Invalidation::Placement)
          .in("Placement")
          .help("Turn about x, then y, then z"),
      vector("size", "Size", "×", {1, 1, 1})
          .soft(0.1, 4)
          .range(-1e6, 1e6)
          .at(Invalidation::Placement)
          .in("Placement")
          .help("Factor along its own axes"),
      flag("shown", "Shown", true)
          .at(Invalidation::Placement)
          .in("Placement")
          .help(
              "Off: it is not in the picture at all, with all that it holds; other objects may still be made from it"),
      flag("locked", "Locked", false)
          .fixed()
          .at(Invalidation::Display)
          .in("Placement")
          .help("The pointer neither picks nor moves it in the picture")};
}

M44f placementOf(const Document& doc, const Node& node, double frame) {
  const Params p(node, frame);
  const M44f own = placement(vec(p.triple("position")), vec(p.triple("turn")), vec(p.triple("size")));
  return node.kind->param("along") ? own * followMatrix(doc, node, frame) : own;
}

M44f worldMatrix(const Document& doc, const Node& node, double frame) {
  M44f m;
  if (node.kind->param("turn")) m = placementOf(doc, node, frame);
  for (NodeId up = node.parent; up;) {
    const Node* n = doc.find(up);
    if (!n) break;
    if (n->kind->param("turn")) m = m * placementOf(doc, *n, frame);
    up = n->parent;
  }
  return m;
}

V3f skyBody(float height, float bearing) {
  const float h = height * pi / 180, b = bearing * pi / 180;
  return {std::cos(h) * std::sin(b), std::sin(h), -std::cos(h) * std::cos(b)};
}

M44f aimMatrix(const Params& p) {
  const V3f at = vec(p.triple("position")), to = vec(p.triple("target"));
  V3f z = normalize(at - to);
  if (isBlack(z)) z = {0, 0, 1};
  V3f x = cross(V3f(0, 1, 0), z);
  x = dot(x, x) < 1e-10f ? V3f(1, 0, 0) : normalize(x);
  V3f y = cross(z, x);
  const float a = p.real("roll") * pi / 180, c = std::cos(a), s = std::sin(a);
  const V3f rx = x * c + y * s, ry = y * c - x * s;
  return {rx.x, rx.y, rx.z, 0, ry.x, ry.y, ry.z, 0, z.x, z.y, z.z, 0, at.x, at.y, at.z, 1};
}

M44f standingMatrix(const Document& doc, const Node& node, double frame) {
  const M44f world = worldMatrix(doc, node, frame);
  const Params p(node, frame);
  if (node.kind->param("target")) return aimMatrix(p) * world;
  M44f at;
  if (!node.kind->param("turn") && node.kind->param("position")) at.setTranslation(vec(p.triple("position")));
  return at * world;
}

} // namespace ilumbra
