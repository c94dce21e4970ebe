#include "core/placing/drawing.h"

#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/geometry/form.h"
#include "core/geometry/no_assets.h"
#include "core/placing/handle_parts.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

// What counts as the same place of the picture, in its pixels: a share of its height.
float nearness(const Camera& camera) { return 0.018f * camera.seenHeight() / std::max(1e-9f, camera.pixelAngle()); }

// What is drawn and how it is seen.
struct Drawn {
  NodeId id = 0;
  const Kind* kind = nullptr;
  std::string slot, point; ///< of its points, and their kind
  bool profile = false, closed = false;
  double scale = 1; ///< of a profile
  std::vector<LinePoint> points;
  std::vector<NodeId> own; ///< its own points; empty: it has those it comes with
  M44f world, back;
  V3f across{1, 0, 0}; ///< of a profile: the way from the axis, in its space, in which it is drawn
  Camera camera;

  Drawn(const Document& doc, const Node& n, double frame, const Camera& c) : id(n.id), kind(n.kind), camera(c) {
    const ShapeKind* shape = shapeKind(n);
    if (!shape || !shape->points) throw badInput(n.name + " is not drawn by points; select a path or a turned form");
    const Params p(n, frame);
    for (const ChildSlot& s : n.kind->slots)
      for (const std::string& a : s.accepts)
        if (a == "path.point" || a == "profile.point") {
          slot = s.name;
          point = a;
        }
    profile = point == "profile.point";
    closed = n.kind->param("closed") && p.flag("closed");
    if (profile) scale = p.number("scale");
    points = shape->points(doc, p);
    if (const auto it = n.children.find(slot); it != n.children.end()) own = it->second;
    world = worldMatrix(doc, n, frame);
    back = world.inverse();
    if (profile) {
      const V3f look = transformVector(back, camera.forward()), side = cross(look, V3f(0, 1, 0));
      across = isBlack(side) ? V3f(1, 0, 0) : normalize(side);
    }
  }

  V3f inWorld(const V3f& p) const {
    return transformPoint(world, profile ? across * (p.x * float(scale)) + V3f(0, p.y * float(scale), 0) : p);
  }
  bool seen(const V3f& p, V2f& at) const {
    const V3f w = inWorld(p);
    return camera.project(w, at.x, at.y);
  }
  // Where a place of the picture lies in the space of the points: in the plane of a profile; of a path on what is seen,
  // or in the plane that faces the camera through `by`.
  std::optional<V3f> under(const V2f& at, const V3f& by, const std::optional<Seen>& onto) const {
    if (!profile && onto) return transformPoint(back, onto->point);
    const Ray ray = camera.through(at.x, at.y);
    const V3f normal = profile ? normalize(transformNormal(back, cross(across, V3f(0, 1, 0)))) : camera.forward(),
              through = profile ? transformPoint(world, V3f(0.0f)) : inWorld(by);
    const float down = dot(ray.direction, normal);
    if (std::abs(down) < 1e-6f) return {};
    const float t = dot(through - ray.origin, normal) / down;
    if (!(t > 0)) return {};
    const V3f p = transformPoint(back, ray.origin + ray.direction * t);
    return profile ? V3f(std::max(0.0f, dot(p, across)) / float(scale), p.y / float(scale), 0) : p;
  }

  Document put(const Document& doc, NodeId pointId, const V3f& p) const {
    const auto set = [&](const char* param, const Constant& v) { return setNow(doc, {pointId, param, 0, {}}, v); };
    if (!profile) return set("place", Triple{tidy(double(p.x)), tidy(double(p.y)), tidy(double(p.z))});
    const Document wide = set("radius", std::max(0.0, tidy(double(p.x))));
    return setNow(wide, {pointId, "height", 0, {}}, Constant(tidy(double(p.y))));
  }
  Document add(const Document& doc, size_t at, const LinePoint& p, NodeId* made = nullptr) const {
    NodeId fresh = 0;
    const Document with = addNode(doc, point, "", {id, slot, at}, &fresh);
    Document out = put(with, fresh, p.place);
    if (p.sharp) out = setValue(out, fresh, "sharp", Constant(true));
    if (made) *made = fresh;
    return out;
  }
  // With points of its own.
  Document owned(const Document& doc) const {
    Document out = doc;
    if (own.empty())
      for (size_t i = 0; i < points.size(); ++i) out = add(out, i, points[i]);
    return out;
  }
};

} // namespace

bool isDrawn(const Node& node) {
  const ShapeKind* shape = shapeKind(node);
  return shape && shape->points;
}

std::vector<Handle> pointHandles(const Document& doc, const Node& node, double frame, const Camera& camera,
                                 bool ontoThings) {
  const Drawn d(doc, node, frame, camera);
  std::vector<Handle> out;
  // A path as it runs; a profile from point to point.
  std::vector<V3f> along;
  const ShapeKind& shape = *shapeKind(node);
  if (const NoAssets none; shape.line && d.points.size() > 1)
    along = shape.line(Params(node, frame), {doc, frame, none});
  else
    for (const LinePoint& p : d.points) along.push_back(p.place);
  std::vector<V2f> line;
  for (const V3f& p : along)
    if (V2f at; d.seen(p, at)) line.push_back(at);
  const size_t n = d.points.size();
  for (size_t i = 0; i < n; ++i) {
    Handle h;
    h.id = fmt::format("point {}", i + 1);
    h.label = fmt::format("Point {}", i + 1);
    if (!d.seen(d.points[i].place, h.at)) continue;
    if (i == 0) h.lines.push_back(line);
    h.drag = [d, base = doc, i, ontoThings](const Document&, const V2f& to, const std::optional<Seen>& onto) {
      const auto p = d.under(to, d.points[i].place, ontoThings ? onto : std::nullopt);
      if (!p) return base;
      const Document own = d.owned(base);
      return d.put(own, own.find(d.id)->children.at(d.slot)[i], *p);
    };
    out.push_back(std::move(h));
  }
  // Between two, where they are far enough apart to tell; and at the ends.
  const auto between = [&](size_t at, const V3f& place, const char* label) {
    Handle h;
    h.id = fmt::format("new point {}", at);
    h.label = label;
    h.fresh = true;
    if (!d.seen(place, h.at)) return;
    for (const Handle& o : out)
      if ((o.at - h.at).length() < 2 * nearness(camera)) return;
    h.drag = [d, base = doc, at, place, ontoThings](const Document&, const V2f& to, const std::optional<Seen>& onto) {
      const auto p = d.under(to, place, ontoThings ? onto : std::nullopt);
      return p ? d.add(d.owned(base), at, {*p, false}) : base;
    };
    out.push_back(std::move(h));
  };
  for (size_t i = 0; i + 1 < n || (d.closed && i < n && n > 1); ++i)
    between(i + 1, (d.points[i].place + d.points[(i + 1) % n].place) * 0.5f, "New point between");
  return out;
}

Document drawPoint(const Document& doc, NodeId id, double frame, const Camera& camera, const V2f& at,
                   const std::optional<Seen>& onto, bool sharp) {
  const Node* n = doc.find(id);
  if (!n) throw badInput("there is nothing to draw");
  const Drawn d(doc, *n, frame, camera);
  if (d.closed) throw badInput(n->name + " is closed: open it to draw on");
  if (!d.profile && d.own.size() > 2)
    if (V2f first; d.seen(d.points[0].place, first) && (first - at).length() < nearness(camera))
      return setValue(doc, id, "closed", Constant(true));
  const auto p = d.under(at, d.own.empty() ? V3f(0.0f) : d.points.back().place, onto);
  if (!p) throw badInput("there is no place for a point: it would lie behind the camera");
  return d.add(doc, d.own.size(), {*p, sharp});
}

Document undrawPoint(const Document& doc, NodeId id) {
  const Node* n = doc.find(id);
  if (!n) return doc;
  if (n->kind->param("closed") && Params(*n, currentFrame(doc)).flag("closed"))
    return setValue(doc, id, "closed", Constant(false));
  for (const ChildSlot& s : n->kind->slots)
    if (const auto it = n->children.find(s.name);
        it != n->children.end() && !it->second.empty() && doc.find(it->second.back())->kind->id.ends_with(".point"))
      return removeNode(doc, it->second.back());
  return doc;
}

} // namespace ilumbra
