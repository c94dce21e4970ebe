#include "core/placing/motion_handles.h"

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
            for (const Mover& one : m->movers)
              if (const MoverKind* kind = moverKind(one.kind))
                for (const MoverHandle& h : kind->handles) mover(*d, *v, *kind, one, h);
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

  void mover(const ParamDef& d, const Value& v, const MoverKind& kind, const Mover& one, const MoverHandle& shape) {
    const MoverParams p(kind.params, one);
    const Address a{m_thing.id, d.name, 0, kind.id + "." + shape.param};
    const ParamDef& of = definitionAt(m_doc, a);
    const M44f back = m_holder.inverse();
    Handle h{.id = a.param + "." + a.input,
             .label = fmt::format("{}: {}", kind.label, of.label),
             .value = formatValue(m_doc, of, moverValue(v, a.input))};
    const auto set = [a](const Document& doc, const Constant& c) {
      const ParamDef& def = definitionAt(doc, a);
      if (const double* x = std::get_if<double>(&c))
        return setAt(doc, a, Constant(std::clamp(tidy(*x), def.hardMin, def.hardMax)));
      return setAt(doc, a, c);
    };
    // Where the movers find it.
    const V3f rest = transformPoint(m_holder, vec(std::get<Triple>(restOf(v, m_frame))));
    switch (shape.shape) {
    case MoverHandle::Shape::Way: {
      const V3f way = transformVector(m_holder, vec(p.triple(shape.param)));
      return add(std::move(h), rest + way, {{rest - way, rest + way}},
                 [=](const Document& doc, const V3f& to) { return set(doc, tidy(transformVector(back, to - rest))); });
    }
    case MoverHandle::Shape::Pace: {
      // All of the way from frame 1 on grows with it.
      const V3f way = transformVector(m_holder, vec(p.triple(shape.param)));
      const double second = settingsOf(m_doc).number("rate"), frames = m_frame - 1 + second;
      if (!(frames > 0)) return;
      const V3f from = m_at - way * float(m_frame - 1), tip = m_at + way * float(second);
      return add(std::move(h), tip, {{m_at, tip}}, [=](const Document& doc, const V3f& to) {
        return set(doc, tidy(transformVector(back, to - from) * float(1 / frames)));
      });
    }
    case MoverHandle::Shape::Centre: {
      const V3f centre = transformPoint(m_holder, vec(p.triple(shape.param)));
      return add(std::move(h), centre, {{centre, m_at}},
                 [=](const Document& doc, const V3f& to) { return set(doc, tidy(transformPoint(back, to))); });
    }
    case MoverHandle::Shape::Ball: {
      const float r = float(p.number(shape.param));
      const V3f x = m_camera.right() * r, y = m_camera.up() * r;
      return add(std::move(h), rest + x, {arcPoints(rest, x, y)},
                 [=](const Document& doc, const V3f& to) { return set(doc, double(length(to - rest))); });
    }
    case MoverHandle::Shape::Angle:
      return angle(std::move(h), p, shape.param, set);
    }
  }

  // To both sides of what hangs down from the axis.
  template <typename Set> void angle(Handle h, const MoverParams& p, const std::string& param, const Set& set) {
    const std::string about = p.text("axis");
    const M44f own = standingMatrix(m_doc, m_thing, m_frame);
    const V3f axis = normalize(about == "upright" ? transformVector(m_holder, {0, 1, 0})
                               : about == "own x" ? transformVector(own, {1, 0, 0})
                               : about == "own y" ? transformVector(own, {0, 1, 0})
                                                  : transformVector(own, {0, 0, 1}));
    if (std::abs(dot(axis, m_camera.forward())) < 0.05f) return; // seen from its edge
    const auto across = [&](const V3f& v) { return v - axis * dot(v, axis); };
    V3f arm = across({0, -1, 0});
    if (length(arm) < 0.1f) arm = across(m_camera.right());
    arm = normalize(arm);
    const V3f side = cross(axis, arm);
    const float depth = dot(m_at - m_camera.position(), m_camera.forward()),
                r = arcReach * m_camera.seenHeight() * std::max(1e-3f, depth), a = float(p.number(param)) * pi / 180;
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
  if (isLocked(doc, thing) || (!thing.kind->param("position") && !thing.kind->param("turn"))) return {};
  std::vector<Handle> out = Maker(doc, thing, frame, camera).make();
  if (const Node* path = followedPath(doc, thing, frame)) {
    std::vector<Handle> points = pointHandles(doc, *path, frame, camera, false);
    std::erase_if(points, [](const Handle& h) { return h.fresh; });
    std::move(points.begin(), points.end(), std::back_inserter(out));
  }
  return out;
}

} // namespace ilumbra
