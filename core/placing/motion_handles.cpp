#include "core/placing/motion_handles.h"

#include "core/compile/sight.h"
#include "core/document/edit.h"
#include "core/document/follow.h"
#include "core/document/lookup.h"
#include "core/document/mover.h"
#include "core/document/placement.h"
#include "core/document/units.h"
#include "core/placing/drawing.h"
#include "core/placing/handle_parts.h"

#include <cmath>
#include <fmt/format.h>

namespace ilumbra {
namespace {

constexpr float arcReach = 0.2f; ///< of a swing's arc, by the frame's height

class Maker {
 public:
  Maker(const Document& doc, const Node& thing, double frame, const Camera& camera)
      : m_doc(doc), m_thing(thing), m_frame(frame), m_camera(camera), m_holder(holderAt(frame)) {
    const M44f m = standingMatrix(doc, thing, frame);
    m_at = {m[3][0], m[3][1], m[3][2]};
  }

  std::vector<Handle> make() {
    for (const char* name : {"position", "turn"})
      if (const ParamDef* d = m_thing.kind->param(name))
        if (const Value* v = m_thing.find(name)) {
          if (v->keys() && std::string_view(name) == "position") keys(*d, *v);
          if (const Moved* m = v->moved())
            for (size_t i = 0; i < m->movers.size(); ++i)
              if (const MoverKind* kind = moverKind(m->movers[i].kind))
                for (const MoverHandle& h : kind->handles) mover(*d, *v, *kind, i, h);
        }
    return std::move(m_handles);
  }

 private:
  M44f holderAt(double frame) const {
    return m_thing.parent ? worldMatrix(m_doc, *m_doc.find(m_thing.parent), frame) : M44f();
  }
  // In the world, dragged in the plane that faces the camera, or in one that is given.
  void add(Handle h, const V3f& at, const std::vector<std::vector<V3f>>& lines,
           std::function<Document(const Document&, const V3f& to)> drag, std::optional<V3f> normal = {}) {
    if (!m_camera.project(at, h.at.x, h.at.y)) return;
    for (const auto& l : lines) h.lines.push_back(seenLine(m_camera, l));
    h.drag = [drag = std::move(drag), at, camera = m_camera, n = normal.value_or(-m_camera.forward())](
                 const Document& doc, const V2f& to, const std::optional<Seen>&) {
      const auto p = onPlane(camera.through(to.x, to.y), at, n);
      return p ? drag(doc, *p) : doc;
    };
    m_handles.push_back(std::move(h));
  }

  void keys(const ParamDef& d, const Value& v) {
    for (const Key& k : v.keys()->keys) {
      if (std::abs(k.frame - m_frame) < 0.5) continue; // the thing itself is there
      const M44f holder = holderAt(k.frame);
      Handle h{.id = fmt::format("key {:g}", k.frame),
               .label = fmt::format("Key at frame {:g}", k.frame),
               .value = formatValue(m_doc, d, k.value)};
      add(std::move(h), transformPoint(holder, vec(std::get<Triple>(k.value))), {},
          [a = Address{m_thing.id, d.name, 0, {}}, frame = k.frame, back = holder.inverse()](const Document& doc,
                                                                                             const V3f& to) {
            return setAt(doc, a,
                         withValueAt(valueAt(doc, a), definitionAt(doc, a), frame, tidy(transformPoint(back, to))));
          });
    }
  }

  // Through some of the movers of a place, or back through them.
  static V3f through(const std::vector<Mover>& movers, double frame, const V3f& place, bool back) {
    Triple v = {double(place.x), double(place.y), double(place.z)};
    for (size_t i = 0; i < movers.size(); ++i) {
      const Mover& one = movers[back ? movers.size() - 1 - i : i];
      if (const MoverKind* kind = moverKind(one.kind)) v = kind->move({kind->params, one}, frame, v, back);
    }
    return vec(v);
  }

  void mover(const ParamDef& d, const Value& v, const MoverKind& kind, size_t index, const MoverHandle& shape) {
    const std::vector<Mover>& all = v.moved()->movers;
    const MoverParams p(kind.params, all[index]);
    const Address a{m_thing.id, d.name, 0, kind.id + "." + shape.param};
    const ParamDef& of = definitionAt(m_doc, a);
    Handle h{.id = a.param + "." + a.input,
             .label = fmt::format("{}: {}", kind.label, of.label),
             .value = formatValue(m_doc, of, moverValue(v, a.input))};
    const auto set = [a](const Document& doc, const Constant& c) {
      const ParamDef& def = definitionAt(doc, a);
      if (const double* x = std::get_if<double>(&c))
        return setAt(doc, a, Constant(std::clamp(tidy(*x), def.hardMin, def.hardMax)));
      return setAt(doc, a, c);
    };
    if (shape.shape == MoverHandle::Shape::Angle) return angle(std::move(h), p, shape.param, kind, set);
    // Where this mover finds it, and from what it makes of that into the world and back: those after it move it on.
    const std::vector<Mover> before(all.begin(), all.begin() + ptrdiff_t(index)),
        after(all.begin() + ptrdiff_t(index) + 1, all.end());
    const double frame = m_frame;
    const V3f rest = through(before, frame, vec(std::get<Triple>(restOf(v, frame))), false);
    const auto world = [&](const V3f& place) { return transformPoint(m_holder, through(after, frame, place, false)); };
    const auto own = [after, frame, back = m_holder.inverse()](const V3f& place) {
      return through(after, frame, transformPoint(back, place), true);
    };
    switch (shape.shape) {
    case MoverHandle::Shape::Way: {
      const V3f way = vec(p.triple(shape.param));
      return add(std::move(h), world(rest + way), {{world(rest - way), world(rest + way)}},
                 [=](const Document& doc, const V3f& to) { return set(doc, tidy(own(to) - rest)); });
    }
    case MoverHandle::Shape::Pace: {
      // All of the way from frame 1 on grows with it.
      const V3f way = vec(p.triple(shape.param));
      const double second = settingsOf(m_doc).number("rate"), frames = frame - 1 + second;
      if (!(frames > 0)) return;
      return add(
          std::move(h), world(rest + way * float(frames)), {{m_at, world(rest + way * float(frames))}},
          [=](const Document& doc, const V3f& to) { return set(doc, tidy((own(to) - rest) * float(1 / frames))); });
    }
    case MoverHandle::Shape::Centre: {
      const V3f centre = world(vec(p.triple(shape.param)));
      return add(std::move(h), centre, {{centre, m_at}},
                 [=](const Document& doc, const V3f& to) { return set(doc, tidy(own(to))); });
    }
    case MoverHandle::Shape::Ball: {
      const float r = float(p.number(shape.param));
      const V3f middle = world(rest), x = m_camera.right() * r, y = m_camera.up() * r;
      return add(std::move(h), middle + x, {arcPoints(middle, x, y)},
                 [=](const Document& doc, const V3f& to) { return set(doc, double(length(to - middle))); });
    }
    case MoverHandle::Shape::Angle:
      return;
    }
  }

  // What hangs farthest from the thing's own place, where it is without this mover of its turn; the place, if nothing
  // does.
  V3f farthestAtRest(const MoverKind& mover, const M44f& own) const {
    const Document still = setAt(m_doc, {m_thing.id, "turn", 0, mover.id}, Constant(false));
    const M44f rest = own.inverse() * standingMatrix(still, *still.find(m_thing.id), m_frame);
    V3f farthest = m_at;
    for (const NodeId id : heldBy(m_doc, m_thing.id)) {
      const Node& n = *m_doc.find(id);
      if (!n.kind->param("position")) continue;
      const M44f m = standingMatrix(m_doc, n, m_frame);
      const V3f at(m[3][0], m[3][1], m[3][2]);
      if (length(at - m_at) > length(farthest - m_at)) farthest = at;
    }
    return transformPoint(rest, farthest);
  }

  // To both sides of what hangs from the axis.
  template <typename Set>
  void angle(Handle h, const MoverParams& p, const std::string& param, const MoverKind& kind, const Set& set) {
    const std::string about = p.text("axis");
    const M44f own = standingMatrix(m_doc, m_thing, m_frame);
    const V3f axis = normalize(about == "upright" ? transformVector(m_holder, {0, 1, 0})
                               : about == "own x" ? transformVector(own, {1, 0, 0})
                               : about == "own y" ? transformVector(own, {0, 1, 0})
                                                  : transformVector(own, {0, 0, 1}));
    if (std::abs(dot(axis, m_camera.forward())) < 0.05f) return; // seen from its edge
    const auto across = [&](const V3f& v) { return v - axis * dot(v, axis); };
    V3f arm = across(farthestAtRest(kind, own) - m_at);
    float r = length(arm);
    // What hangs on nothing has an arm straight down that is as long as suits the picture.
    const float depth = std::max(1e-3f, dot(m_at - m_camera.position(), m_camera.forward()));
    if (r < 0.02f * depth) {
      arm = across({0, -1, 0});
      if (length(arm) < 0.1f) arm = across(m_camera.right());
      r = arcReach * m_camera.seenHeight() * depth;
    }
    arm = normalize(arm);
    const V3f side = cross(axis, arm);
    const float a = float(p.number(param)) * pi / 180;
    const auto end = [&](float t) { return m_at + (arm * std::cos(t) + side * std::sin(t)) * r; };
    add(
        std::move(h), end(a), {arcPoints(m_at, arm * r, side * r, -a, a), {m_at, end(a)}, {m_at, end(-a)}},
        [=, at = m_at](const Document& doc, const V3f& to) {
          const V3f d = to - at;
          return set(doc, double(std::abs(std::atan2(dot(d, side), dot(d, arm))) * 180 / pi));
        },
        axis);
  }

  const Document& m_doc;
  const Node& m_thing;
  double m_frame;
  Camera m_camera;
  M44f m_holder; ///< world matrix of what holds it
  V3f m_at{0.0f};
  std::vector<Handle> m_handles;
};

} // namespace

std::vector<Handle> motionHandles(const Document& doc, const Node& thing, double frame, const Camera& camera) {
  if (isLocked(doc, thing) || !thing.kind->param("position")) return {}; // a pattern has a turn too
  std::vector<Handle> out = Maker(doc, thing, frame, camera).make();
  if (const Node* path = followedPath(doc, thing, frame)) {
    std::vector<Handle> points = pointHandles(doc, *path, frame, camera, false);
    std::erase_if(points, [](const Handle& h) { return h.fresh; });
    std::move(points.begin(), points.end(), std::back_inserter(out));
  }
  return out;
}

} // namespace ilumbra
