#include "core/placing/arrange.h"

#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/document/mover.h"
#include "core/geometry/shape.h"
#include "core/placing/framing.h"
#include "core/scene/geometry.h"
#include "core/scene/look.h"

#include <cmath>
#include <limits>
#include <set>

namespace ilumbra {
namespace {

double tidy(double v) { return std::round(v * 1e5) / 1e5; }
Triple tidy(const V3f& v) { return {tidy(double(v.x)), tidy(double(v.y)), tidy(double(v.z))}; }

const Node& need(const Document& doc, NodeId id) {
  const Node* n = doc.find(id);
  if (!n) throw badInput("the thing is gone");
  return *n;
}

// From what a thing's own placement counts in: what holds it, or its place on the path that it follows.
M44f above(const Document& doc, const Node& n, double frame) {
  const M44f follows = n.kind->param("along") ? followMatrix(doc, n, frame) : M44f();
  return n.parent ? follows * worldMatrix(doc, *doc.find(n.parent), frame) : follows;
}
M44f ownPlacement(const Params& p) {
  return placement(vec(p.triple("position")), vec(p.triple("turn")), vec(p.triple("size")));
}

Document put(const Document& doc, NodeId id, const char* param, const V3f& value) {
  return setNow(doc, {id, param, 0, {}}, Constant(tidy(value)));
}

// The same turn by angles that lie nearest to those before, so that a drag through 180° does not jump.
V3f nearest(const V3f& turn, const V3f& before) {
  V3f best = turn;
  float least = std::numeric_limits<float>::infinity();
  for (const V3f& same : {turn, V3f(turn.x + 180, 180 - turn.y, turn.z + 180)}) {
    V3f t = same;
    for (int k = 0; k < 3; ++k) t[k] += 360 * std::round((before[k] - t[k]) / 360);
    if (length(t - before) < least) {
      least = length(t - before);
      best = t;
    }
  }
  return best;
}

// A thing's placement multiplied by a matrix of the world.
Document through(const Document& doc, NodeId id, const M44f& by) {
  const Node& n = need(doc, id);
  const double frame = currentFrame(doc);
  const Params p(n, frame);
  const M44f up = above(doc, n, frame), local = up * by * up.inverse();
  Document out = doc;
  if (n.kind->param("turn")) {
    V3f position, turn, size;
    unplace(ownPlacement(p) * local, position, turn, size);
    out = put(out, id, "position", position);
    const V3f before = vec(p.triple("turn")), now = nearest(turn, before);
    if (length(now - before) > 1e-4f) out = put(out, id, "turn", now);
    const V3f was = vec(p.triple("size"));
    if (length(size - was) > 1e-5f * length(was)) out = put(out, id, "size", size);
    return out;
  }
  for (const char* place : {"position", "target"})
    if (n.kind->param(place)) out = put(out, id, place, transformPoint(local, vec(p.triple(place))));
  return out;
}

Document all(const Document& doc, const std::vector<NodeId>& things, const M44f& by) {
  Document out = doc;
  for (const NodeId id : placeable(doc, things)) out = through(out, id, by);
  return out;
}

M44f shift(const V3f& by) {
  M44f m;
  m.setTranslation(by);
  return m;
}

} // namespace

std::vector<NodeId> placeable(const Document& doc, const std::vector<NodeId>& things) {
  std::vector<NodeId> out;
  for (const NodeId id : things) {
    const Node* n = doc.find(id);
    if (!n || !n->kind->param("position") || n->kind->family() == "lens" || n->kind->family() == "pattern") continue;
    bool inside = false;
    for (const Node* up = doc.find(n->parent); up && !inside; up = doc.find(up->parent))
      inside = std::find(things.begin(), things.end(), up->id) != things.end();
    if (!inside && std::find(out.begin(), out.end(), id) == out.end()) out.push_back(id);
  }
  return out;
}

V3f originOf(const Document& doc, NodeId thing, double frame) {
  const Node& n = need(doc, thing);
  if (n.kind->param("turn")) return transformPoint(worldMatrix(doc, n, frame), V3f(0.0f));
  return n.kind->param("position") ? transformPoint(above(doc, n, frame), vec(Params(n, frame).triple("position")))
                                   : V3f(0.0f);
}

Document moved(const Document& doc, const std::vector<NodeId>& things, const V3f& by) {
  return all(doc, things, shift(by));
}

Document turned(const Document& doc, const std::vector<NodeId>& things, const V3f& about, const V3f& axis,
                double degrees) {
  M44f turn;
  turn.setAxisAngle(axis, float(degrees) * pi / 180);
  return all(doc, things, shift(-about) * turn * shift(about));
}

Document sized(const Document& doc, const std::vector<NodeId>& things, const V3f& about, double factor) {
  if (!(std::abs(factor) > 1e-9)) throw badInput("a size of 0 leaves nothing");
  M44f size;
  size.setScale(float(factor));
  return all(doc, things, shift(-about) * size * shift(about));
}

Document sizedAlong(const Document& doc, NodeId thing, int axis, double factor) {
  if (!(std::abs(factor) > 1e-9)) throw badInput("a size of 0 leaves nothing");
  const Node& n = need(doc, thing);
  if (!n.kind->param("size")) return doc;
  V3f size = vec(Params(n, currentFrame(doc)).triple("size"));
  size[axis] *= float(factor);
  return put(doc, thing, "size", size);
}

Document dropped(const Document& doc, const std::vector<NodeId>& things, const Scene& scene) {
  Document out = doc;
  const std::vector<NodeId> list = placeable(doc, things);
  std::vector<NodeId> own;
  for (const NodeId id : list)
    for (const NodeId part : treeOf(doc, id)) own.push_back(part);
  for (const NodeId id : list) {
    const std::vector<NodeId> tree = treeOf(doc, id);
    const std::set<NodeId> parts(tree.begin(), tree.end());
    const Box3f box = boundsOf(scene, doc, {id});
    if (box.isEmpty()) continue;
    // From every place of its skin (of a large mesh, some of them) down to what lies below; it falls by the shortest
    // way.
    float fall = std::numeric_limits<float>::infinity();
    constexpr size_t most = 6000;
    for (const Instance& copy : scene.instances) {
      const InstancedObject& i = scene.objects[copy.object];
      if (!parts.count(scene.things[i.thing].node)) continue;
      const Shape& s = i.geometry->shape;
      std::vector<V3f> from;
      if (s.sphereRadius > 0) {
        constexpr int rings = 24, around = 48;
        for (int r = 0; r <= rings; ++r)
          for (int k = 0; k < around; ++k) {
            const float a = 0.5f * pi * float(r) / rings, b = 2 * pi * float(k) / around;
            // Its lower half in the world, wherever its own axes point.
            const V3f world(std::sin(a) * std::cos(b), -std::cos(a), std::sin(a) * std::sin(b));
            from.push_back(
                transformPoint(copy.toWorld, normalize(transformVector(copy.toObject, world)) * s.sphereRadius));
          }
      } else {
        const size_t step = std::max<size_t>(1, s.mesh.positions.size() / most);
        for (size_t k = 0; k < s.mesh.positions.size(); k += step)
          from.push_back(transformPoint(copy.toWorld, s.mesh.positions[k]));
      }
      for (const V3f& p : from) {
        // What it sinks into counts from as far up as the thing is high.
        const float lift = box.max.y - box.min.y;
        if (p.y > box.min.y + 0.5f * lift + 1e-6f) continue;
        const auto seen = lookFrom(scene, p + V3f(0, lift, 0), {0, -1, 0}, own);
        if (seen && seen->normal.y > 0) fall = std::min(fall, p.y - seen->point.y);
      }
    }
    if (std::isfinite(fall)) out = moved(out, {id}, {0, -fall, 0});
  }
  return out;
}

// A thing's box, or the place where it stands if it has none.
static Box3f boxAt(const Document& doc, NodeId id, const Scene& scene) {
  Box3f b = boundsOf(scene, doc, {id});
  if (b.isEmpty()) b.extendBy(originOf(doc, id, currentFrame(doc)));
  return b;
}

static float edgeOf(const Box3f& box, int axis, Edge edge) {
  return edge == Edge::Low ? box.min[axis] : edge == Edge::High ? box.max[axis] : box.center()[axis];
}

Document aligned(const Document& doc, const std::vector<NodeId>& things, int axis, Edge edge, const Scene& scene) {
  const std::vector<NodeId> list = placeable(doc, things);
  if (list.size() < 2) throw badInput("select two things at least: all are brought to the last one");
  const float wanted = edgeOf(boxAt(doc, list.back(), scene), axis, edge);
  Document out = doc;
  for (const NodeId id : list) {
    V3f by(0.0f);
    by[axis] = wanted - edgeOf(boxAt(doc, id, scene), axis, edge);
    if (by[axis] != 0) out = moved(out, {id}, by);
  }
  return out;
}

Document distributed(const Document& doc, const std::vector<NodeId>& things, int axis, const Scene& scene) {
  struct One {
    NodeId id;
    Box3f box;
  };
  std::vector<One> list;
  for (const NodeId id : placeable(doc, things)) {
    list.push_back({id, boxAt(doc, id, scene)});
  }
  if (list.size() < 3) throw badInput("select three things at least: those between the outermost are spread");
  std::stable_sort(list.begin(), list.end(),
                   [&](const One& a, const One& b) { return a.box.center()[axis] < b.box.center()[axis]; });
  float filled = 0;
  for (const One& o : list) filled += o.box.size()[axis];
  const float gap = (list.back().box.max[axis] - list.front().box.min[axis] - filled) / float(list.size() - 1);
  Document out = doc;
  float at = list.front().box.min[axis];
  for (const One& o : list) {
    V3f by(0.0f);
    by[axis] = at - o.box.min[axis];
    if (std::abs(by[axis]) > 1e-6f) out = moved(out, {o.id}, by);
    at += o.box.size()[axis] + gap;
  }
  return out;
}

Document facing(const Document& doc, const std::vector<NodeId>& things, const V3f& place) {
  Document out = doc;
  const double frame = currentFrame(doc);
  for (const NodeId id : placeable(doc, things)) {
    const Node& n = need(out, id);
    if (n.kind->param("target")) {
      out = put(out, id, "target", transformPoint(above(out, n, frame).inverse(), place));
      continue;
    }
    if (!n.kind->param("turn")) continue;
    const V3f here = originOf(out, id, frame), way = normalize(place - here);
    if (isBlack(way)) continue;
    const M44f world = worldMatrix(out, n, frame);
    const V3f now = normalize(transformVector(world, {0, 0, 1}));
    V3f axis = cross(now, way);
    const float angle = std::atan2(length(axis), dot(now, way)) * 180 / pi;
    if (angle < 1e-4f) continue;
    axis = length(axis) < 1e-6f ? normalize(transformVector(world, {0, 1, 0})) : normalize(axis);
    out = turned(out, {id}, here, axis, double(angle));
  }
  return out;
}

Document carried(const Document& doc, const std::vector<NodeId>& things, NodeId carrier) {
  Document out = doc;
  for (const NodeId id : placeable(doc, things)) {
    const Node before = need(out, id);
    if (before.parent == carrier) continue;
    const bool follows = followedPath(doc, before, currentFrame(doc)); // it stays on its path by itself
    Place place;
    if (carrier) {
      const Node& to = need(out, carrier);
      const ChildSlot* slot = to.kind->slotFor(before.kind->id);
      if (!slot) throw badInput(to.name + ": a " + to.kind->label + " carries nothing");
      place = {carrier, slot->name, size_t(-1)};
    }
    // Every frame at which something of its placement is told, and the one in sight.
    std::set<double> frames;
    const char* const params[] = {"position", "turn", "size", "target"};
    for (const char* param : params)
      if (const Value* v = before.find(param))
        if (const Keys* k = v->anyKeys())
          for (const Key& key : k->keys) frames.insert(key.frame);
    const bool keyed = !frames.empty();
    if (!keyed) frames.insert(currentFrame(out));
    std::map<double, std::map<std::string, V3f>> values;
    for (const double frame : frames) {
      const Params p(before, frame);
      const M44f to =
          above(out, before, frame) * (carrier ? worldMatrix(out, *out.find(carrier), frame).inverse() : M44f());
      if (before.kind->param("turn")) {
        V3f position, turn, size;
        if (!unplace(ownPlacement(p) * to, position, turn, size))
          throw badInput(before.name + ": it would be slanted by the uneven size of what carries it");
        values[frame] = {{"position", position}, {"turn", nearest(turn, vec(p.triple("turn")))}, {"size", size}};
      } else {
        for (const char* param : {"position", "target"})
          if (before.kind->param(param)) values[frame][param] = transformPoint(to, vec(p.triple(param)));
      }
    }
    out = moveNode(out, id, place);
    if (follows) continue;
    for (const auto& [param, value] : values.begin()->second) {
      if (const Value* was = before.find(param); was && was->moved()) {
        // Movers stay, on another rest.
        Value now = *was;
        for (const auto& [frame, all] : values)
          now = withValueAt(now, *before.kind->param(param), frame, Constant(tidy(all.at(param))));
        out = setValue(out, id, param, now);
        continue;
      }
      if (!keyed) {
        if (length(value - vec(Params(before, currentFrame(out)).triple(param))) > 1e-5f)
          out = setValue(out, id, param, Constant(tidy(value)));
        continue;
      }
      Keys keys;
      for (const auto& [frame, all] : values)
        keys.keys.push_back({frame, Constant(tidy(all.at(param))), KeyShape::Linear});
      if (const Value* was = before.find(param))
        if (const Keys* k = was->keys())
          for (Key& key : keys.keys)
            for (const Key& old : k->keys)
              if (old.frame == key.frame) key.shape = old.shape;
      out = setValue(out, id, param, Value(keys));
    }
  }
  return out;
}

Document following(const Document& doc, const std::vector<NodeId>& things, NodeId* group) {
  const double frame = currentFrame(doc);
  NodeId path = 0;
  std::vector<NodeId> riders;
  for (const NodeId id : placeable(doc, things)) {
    const Node& n = need(doc, id);
    if (n.kind->id == "object.path" && !path)
      path = id;
    else
      riders.push_back(id);
  }
  if (riders.empty()) throw badInput("select what is to follow the path as well");
  Document out = doc;
  const V3f origin = originOf(doc, riders.front(), frame);
  if (!path) {
    // Round to the left of where they stand, as wide as is well seen.
    const Node* camera = activeCamera(doc);
    const float away = camera ? length(originOf(doc, camera->id, frame) - origin) : 4;
    const float r = float(twoDigits(std::clamp(0.2f * away, 1e-3f, 1e3f)));
    out = addNode(out, "object.path", "", {}, &path);
    out = setValue(out, path, "position", Constant(tidy(origin - V3f(0, 0, r))));
    out = setValue(out, path, "thickness", Constant(0.0));
    out = setValue(out, path, "closed", Constant(true));
    for (const V3f& p : {V3f(0, 0, r), V3f(r, 0, 0), V3f(0, 0, -r), V3f(-r, 0, 0)}) {
      NodeId point = 0;
      out = addNode(out, "path.point", "", {path, "points", size_t(-1)}, &point);
      out = setValue(out, point, "place", Constant(tidy(p)));
    }
  }
  NodeId follower = riders.front();
  M44f stood; // the world's axes, of a new group
  const Node* only = riders.size() == 1 ? out.find(follower) : nullptr;
  if (only && only->kind->param("along")) {
    stood = worldMatrix(doc, *only, frame);
    out = setValue(out, follower, "position", Constant(Triple{}));
  } else {
    out = addNode(out, "object.group", need(out, riders.front()).name + " on " + need(out, path).name, {}, &follower);
    out = carried(out, riders, follower); // which stands nowhere yet: places are the world's
    for (const NodeId id : riders) {
      const Document then = out; // what its node is read from while it is changed
      const Node& n = need(then, id);
      const Params p(n, frame);
      const V3f here = vec(p.triple("position"));
      out = put(out, id, "position", here - origin);
      if (!n.kind->param("target")) continue;
      const V3f to = vec(p.triple("target"));
      out = put(out, id, "target", riders.size() == 1 ? V3f(0, 0, length(to - here)) : to - origin);
    }
  }
  const Params s = settingsOf(out);
  const double first = s.number("first_frame"), frames = std::max(1.0, s.number("last_frame") - first + 1);
  out = setValue(out, follower, "path", Constant(Reference{path, nullptr}));
  out = setValue(out, follower, "along",
                 Moved{Constant(-(first - 1) / frames), {Mover{"run", {{"by", 1.0}, {"period", frames}}}}});
  // It faces as it did and turns along from there; what has an aim alone looks ahead.
  if (!(riders.size() == 1 && need(doc, riders.front()).kind->param("target"))) {
    V3f position, turn, size;
    if (unplace(stood * above(out, *out.find(follower), frame).inverse(), position, turn, size))
      out = setValue(out, follower, "turn", Constant(tidy(turn)));
  }
  if (group) *group = follower;
  return out;
}

std::optional<Triple> freeStep(const Document& doc, const Scene& scene, NodeId object) {
  const Node* n = doc.find(object);
  for (const InstancedObject& i : scene.objects) {
    if (!n || i.light >= 0 || scene.things[i.thing].node != object || !i.geometry) continue;
    const Box3f own = i.geometry->bounds;
    const M44f place = worldMatrix(doc, *n, currentFrame(doc));
    float most = -1;
    V3f step(0.0f);
    for (const int axis : {0, 2})
      for (const float side : {1.0f, -1.0f}) {
        V3f way(0.0f);
        way[axis] = side;
        const V3f world = normalize(transformVector(place, way));
        const auto met = lookFrom(scene, i.bounds.center(), world, {object});
        // Beyond the scene there is as much room as anywhere; of equal ones the first is taken.
        const float room = met ? length(met->point - i.bounds.center()) : 1e30f;
        if (room <= most * 1.01f) continue;
        most = room;
        step = way * (1.25f * std::max(1e-3f, own.size()[axis]));
      }
    const auto tidy = [](float v) {
      if (v == 0) return 0.0;
      const double digit = std::pow(10, std::floor(std::log10(std::abs(double(v)))) - 1);
      return std::round(double(v) / digit) * digit;
    };
    return Triple{tidy(step.x), 0, tidy(step.z)};
  }
  return {};
}

Document twinned(const Document& doc, NodeId object, NodeId* made) {
  const Node& n = need(doc, object);
  if (!n.kind->param("material")) throw badInput(n.name + ": a twin is made of an object with a form");
  const bool twin = n.kind->id == "object.twin";
  NodeId id = 0;
  Place place;
  if (n.parent) place = {n.parent, doc.find(n.parent)->kind->slotFor("object.twin")->name, size_t(-1)};
  Document out = addNode(doc, "object.twin", n.name, place, &id);
  out = setValue(out, id, "of",
                 Constant(twin ? Params(n, currentFrame(doc)).reference("of") : Reference{object, nullptr}));
  for (const char* param : {"position", "turn", "size"})
    if (const Value* v = n.find(param)) out = setValue(out, id, param, *v);
  if (made) *made = id;
  return out;
}

} // namespace ilumbra
