#include "core/placing/lens_handles.h"
#include "core/geometry/shape.h"

#include "core/compile/sight.h"
#include "core/document/edit.h"
#include "core/lens/area.h"
#include "core/lens/queries.h"
#include "core/lens/stage.h"
#include "core/pattern/outline.h"
#include "core/placing/handle_parts.h"

namespace ilumbra {
namespace {

Document put(const Document& doc, NodeId id, const std::string& param, double value) {
  const ParamDef& d = *doc.find(id)->kind->param(param);
  return setNow(doc, {id, param, 0, {}}, Constant(std::clamp(tidy(value), d.hardMin, d.hardMax)));
}

const char* pointKindOf(const Node& drawn) { return drawn.kind->slot("points")->accepts.front().c_str(); }

Document putOutlinePoint(const Document& doc, NodeId point, const V2f& place) {
  return put(put(doc, point, "x", double(place.x)), point, "y", double(place.y));
}
Document addOutlinePoint(const Document& doc, NodeId drawn, size_t at, const V2f& place, bool sharp) {
  NodeId made = 0;
  Document out = addNode(doc, pointKindOf(*doc.find(drawn)), "", {drawn, "points", at}, &made);
  if (sharp) out = setValue(out, made, "sharp", Constant(true));
  return putOutlinePoint(out, made, place);
}
// With points of its own.
Document ownOutline(const Document& doc, NodeId drawn, double frame) {
  const Node& n = *doc.find(drawn);
  if (const auto it = n.children.find("points"); it != n.children.end() && !it->second.empty()) return doc;
  Document out = doc;
  const std::vector<OutlinePoint> points = outlinePoints(doc, n, frame);
  for (size_t i = 0; i < points.size(); ++i) out = addOutlinePoint(out, drawn, i, points[i].place, points[i].sharp);
  return out;
}

class LensHandles {
 public:
  LensHandles(const Document& doc, double frame, const Scene& scene)
      : m_doc(doc), m_scene(scene), m_frame(frame), m_width(float(scene.width)), m_height(float(scene.height)),
        m_context(LensContext::of(doc, frame, scene.width, scene.height, m_tasks)) {
    m_context.anchor = [this](NodeId thing, const V3f& place, double at) {
      const SeenAt s = seenAt(m_doc, m_scene, thing, place, at);
      return Anchor{s.at, s.share, s.depth};
    };
  }
  LensHandles(const LensHandles&) = delete;

  std::vector<Handle> make(const Node& n) {
    if (n.kind->family() == "pattern") {
      const auto [to, from] = wayOf(n);
      outline(n, to, from);
      return std::move(m_handles);
    }
    if (n.kind->family() == "area") {
      area(n);
      return std::move(m_handles);
    }
    const V2f from = source(n);
    for (const StageHandle& h : stageOf(n).handles) {
      if (!counts(n, *n.kind->param(h.param), m_frame)) continue;
      switch (h.shape) {
      case StageHandle::Shape::SourceRing:
        ring(n, h, from, m_height);
        break;
      case StageHandle::Shape::CentreRing:
        ring(n, h, anchored(n, "centre"), halfDiagonal());
        break;
      case StageHandle::Shape::Ray:
        ray(n, h, from);
        break;
      case StageHandle::Shape::Hinge:
        hinge(n, h);
        break;
      }
    }
    if (n.kind->param("centre_x")) middle(n, "centre", "Centre");
    if (const auto it = n.children.find("areas"); it != n.children.end())
      for (const NodeId c : it->second)
        if (const Node* child = m_doc.find(c)) area(*child);
    return std::move(m_handles);
  }

  /// From the points of an outline to the picture, and back.
  using Way = std::function<V2f(const V2f&)>;
  std::pair<Way, Way> wayOf(const Node& n) const {
    if (n.kind->family() == "pattern") return ofPattern(n);
    const DrawnArea place(Params(n, m_frame), m_context);
    return {[place](const V2f& q) { return place.toPicture(q); },
            [place](const V2f& at) { return place.fromPicture(at); }};
  }

 private:
  std::pair<Way, Way> ofPattern(const Node& n) const {
    const V2f m = outlineMiddle(m_doc, n, m_frame), middle(m.x * m_width, (1 - m.y) * m_height);
    const Params p(n, m_frame);
    return {[p, middle, h = m_height](const V2f& q) {
              const V2f at = placedPoint(q, p);
              return middle + V2f(at.x, -at.y) * h;
            },
            [p, middle, h = m_height](const V2f& at) {
              const V2f d = (at - middle) * (1 / h);
              return unplacedPoint({d.x, -d.y}, p);
            }};
  }
  float halfDiagonal() const { return 0.5f * std::hypot(m_width, m_height); }

  // The place of an anchor: as stages see it.
  V2f anchored(const Node& n, const std::string& prefix) const {
    return anchorOf(Params(n, m_frame), prefix, m_context).at;
  }
  // Degrees by which a direction that follows is turned.
  float aim(const Node& n, const V2f& from) const { return aimOf(Params(n, m_frame), m_context, from); }
  // An angle as it is set, from one that is seen: in half a turn to both sides.
  static double setAngle(double seen, double aim) { return std::remainder(seen - aim, 360.0); }

  V2f source(const Node& stage) const {
    for (const NodeId id : sourcesOfStage(m_doc, stage)) {
      const Node* n = m_doc.find(id);
      if (!n || n->kind->family() == "material" || isGroup(*n)) continue;
      const SeenAt s = seenAt(m_doc, m_scene, id, {}, m_frame);
      if (s.share > 0 && s.at.x >= 0 && s.at.y >= 0 && s.at.x < m_width && s.at.y < m_height) return s.at;
    }
    return {0.5f * m_width, 0.5f * m_height};
  }

  static std::vector<V2f> round(const V2f& centre, float radius) {
    std::vector<V2f> line;
    for (int i = 0; i <= 64; ++i)
      line.push_back(centre + V2f(std::cos(2 * pi * float(i) / 64), std::sin(2 * pi * float(i) / 64)) * radius);
    return line;
  }

  Handle plain(const Node& n, const std::string& param, const std::string& label, const V2f& at) const {
    Handle h;
    h.id = n.name + "." + param;
    h.param = param;
    h.label = label;
    h.at = at;
    return h;
  }

  // A circle whose radius is a share of `unit` pixels.
  void ring(const Node& n, const StageHandle& handle, const V2f& centre, float unit) {
    const float per = unit * handle.scale, radius = Params(n, m_frame).real(handle.param) * per;
    Handle h = plain(n, handle.param, handle.label, centre + V2f(radius, 0));
    h.lines = {round(centre, radius)};
    h.drag = [id = n.id, param = handle.param, centre, per](const Document& d, const V2f& to,
                                                            const std::optional<Seen>&) {
      return put(d, id, param, double((to - centre).length() / per));
    };
    m_handles.push_back(std::move(h));
  }

  void ray(const Node& n, const StageHandle& handle, const V2f& from) {
    const Params p(n, m_frame);
    const float turned = aim(n, {0.5f * m_width, 0.5f * m_height}), angle = (p.real("angle") + turned) * pi / 180,
                length = p.real("length") * m_height;
    Handle h = plain(n, handle.param, handle.label, from + V2f(std::cos(angle), -std::sin(angle)) * length);
    h.param.clear(); // its angle goes with it
    h.lines = {{from, h.at}};
    h.drag = [id = n.id, from, turned, height = m_height](const Document& d, const V2f& to,
                                                          const std::optional<Seen>&) {
      return put(put(d, id, "length", double((to - from).length() / height)), id, "angle",
                 setAngle(double(aimTo(from, to)), double(turned)));
    };
    m_handles.push_back(std::move(h));
  }

  // A place given by shares of the frame, about what it follows.
  void middle(const Node& n, const std::string& prefix, const char* label) {
    const V2f at = anchored(n, prefix);
    const Params p(n, m_frame);
    const V2f own(p.real(prefix + "_x") * m_width, p.real(prefix + "_y") * m_height);
    Handle h = plain(n, prefix + "_x", label, at);
    h.param.clear();
    h.lines = {{at - V2f(9, 0), at + V2f(9, 0)}, {at - V2f(0, 9), at + V2f(0, 9)}};
    h.drag = [id = n.id, prefix, at, own, width = m_width, height = m_height](const Document& d, const V2f& to,
                                                                              const std::optional<Seen>&) {
      const V2f now = own + to - at;
      return put(put(d, id, prefix + "_x", double(now.x / width)), id, prefix + "_y", double(now.y / height));
    };
    m_handles.push_back(std::move(h));
  }

  void hinge(const Node& n, const StageHandle& handle) {
    const Params p(n, m_frame);
    const V2f at = anchored(n, "hinge");
    const bool level = p.reference("plane").target == 0;
    const float turned = level ? aim(n, at) : 0, angle = (p.real("angle") + turned) * pi / 180,
                reach = p.real("reach") * m_height;
    const V2f along(std::cos(angle), -std::sin(angle)), across(-along.y, along.x);
    if (level) {
      Handle turn = plain(n, handle.param, handle.label, at + along * (0.25f * m_width));
      turn.lines = {{at - along * m_width, at + along * m_width}};
      turn.drag = [id = n.id, at, turned](const Document& d, const V2f& to, const std::optional<Seen>&) {
        return put(d, id, "angle", setAngle(double(aimTo(at, to)), double(turned)));
      };
      m_handles.push_back(std::move(turn));
      Handle far = plain(n, "reach", "Reach of the copy", at + across * reach);
      far.lines = {{far.at - along * (0.15f * m_width), far.at + along * (0.15f * m_width)}};
      far.drag = [id = n.id, at, across, height = m_height](const Document& d, const V2f& to,
                                                            const std::optional<Seen>&) {
        const V2f way = to - at;
        return put(d, id, "reach", double((way.x * across.x + way.y * across.y) / height));
      };
      m_handles.push_back(std::move(far));
    }
    middle(n, "hinge", "Hinge");
  }

  // The points of a line, and between two of them, where they are far enough apart to tell, one that can be pulled out.
  void outline(const Node& n, const Way& toPicture, const Way& fromPicture) {
    const std::vector<OutlinePoint> points = outlinePoints(m_doc, n, m_frame);
    std::vector<V2f> line;
    for (const V2f& q : outlineRing(points)) line.push_back(toPicture(q));
    if (!line.empty()) line.push_back(line.front());
    for (size_t i = 0; i < points.size(); ++i) {
      Handle h;
      h.id = "point " + std::to_string(i + 1);
      h.label = "Point " + std::to_string(i + 1);
      h.at = toPicture(points[i].place);
      if (i == 0) h.lines = {line};
      h.drag = [id = n.id, i, fromPicture, frame = m_frame](const Document& d, const V2f& to,
                                                            const std::optional<Seen>&) {
        const Document own = ownOutline(d, id, frame);
        return putOutlinePoint(own, own.find(id)->children.at("points")[i], fromPicture(to));
      };
      m_handles.push_back(std::move(h));
    }
    for (size_t i = 0; i < points.size() && points.size() > 1; ++i) {
      Handle h;
      h.id = "new point " + std::to_string(i + 1);
      h.label = "New point between";
      h.fresh = true;
      const V2f a = toPicture(points[i].place), b = toPicture(points[(i + 1) % points.size()].place);
      if ((a - b).length() < 0.08f * m_height) continue;
      // On the line, not beside it.
      h.at = (a + b) * 0.5f;
      if (!line.empty())
        h.at = *std::min_element(line.begin(), line.end(), [middle = h.at](const V2f& x, const V2f& y) {
          return (x - middle).length() < (y - middle).length();
        });
      h.drag = [id = n.id, i, fromPicture, frame = m_frame](const Document& d, const V2f& to,
                                                            const std::optional<Seen>&) {
        return addOutlinePoint(ownOutline(d, id, frame), id, i + 1, fromPicture(to), false);
      };
      m_handles.push_back(std::move(h));
    }
  }

  void area(const Node& n) {
    const Params p(n, m_frame);
    if (n.kind->id == "area.gradient") {
      const V2f from = anchored(n, "centre"), to = anchored(n, "end");
      middle(n, "centre", "Beginning of the gradient");
      m_handles.back().lines = {{from, to}};
      middle(n, "end", "End of the gradient");
      return;
    }
    if (n.kind->id == "area.drawn") {
      const auto [to, from] = wayOf(n);
      outline(n, to, from);
      middle(n, "centre", "Centre");
      return;
    }
    const V2f centre = anchored(n, "centre");
    const float turned = aim(n, centre), turn = (p.real("turn") - turned) * pi / 180,
                w = 0.5f * p.real("width") * m_height, h = 0.5f * p.real("height") * m_height;
    const V2f x(std::cos(turn), std::sin(turn)), y(-x.y, x.x);
    std::vector<V2f> outline;
    if (n.kind->id == "area.ellipse")
      for (int i = 0; i <= 64; ++i)
        outline.push_back(centre + x * (w * std::cos(2 * pi * float(i) / 64)) +
                          y * (h * std::sin(2 * pi * float(i) / 64)));
    else
      outline = {centre - x * w - y * h, centre + x * w - y * h, centre + x * w + y * h, centre - x * w + y * h,
                 centre - x * w - y * h};
    const auto edge = [&](const char* param, const V2f& way, float half, const char* label) {
      Handle e = plain(n, param, label, centre + way * half);
      e.drag = [id = n.id, param, centre, way, height = m_height](const Document& d, const V2f& to,
                                                                  const std::optional<Seen>&) {
        const V2f to0 = to - centre;
        return put(d, id, param, double(2 * std::abs(to0.x * way.x + to0.y * way.y) / height));
      };
      m_handles.push_back(std::move(e));
    };
    edge("width", x, w, "Width");
    m_handles.back().lines = {outline};
    edge("height", y, h, "Height");
    Handle t = plain(n, "turn", "Turn", centre + x * (w + 24));
    t.lines = {{centre + x * w, t.at}};
    t.drag = [id = n.id, centre, turned](const Document& d, const V2f& to, const std::optional<Seen>&) {
      return put(d, id, "turn", setAngle(double(turned), double(aimTo(centre, to))));
    };
    m_handles.push_back(std::move(t));
    middle(n, "centre", "Centre");
  }

  const Document& m_doc;
  const Scene& m_scene;
  double m_frame;
  float m_width, m_height;
  const Tasks m_tasks{1};
  LensContext m_context; ///< the frame as stages have it
  std::vector<Handle> m_handles;
};

} // namespace

std::vector<Handle> lensHandles(const Document& doc, const Node& stage, double frame, const Scene& scene) {
  return LensHandles(doc, frame, scene).make(stage);
}

bool isOutline(const Node& node, double frame) {
  if (node.kind->id == "area.drawn") return true;
  return node.kind->id == "pattern.outline" && Params(node, frame).text("space") == "camera";
}

Document addOutlinePoint(const Document& doc, NodeId drawn, double frame) {
  const Document own = ownOutline(doc, drawn, frame);
  const std::vector<OutlinePoint> points = outlinePoints(own, *own.find(drawn), frame);
  return addOutlinePoint(own, drawn, points.size(), (points.back().place + points.front().place) * 0.5f, false);
}

Document drawOutlinePoint(const Document& doc, NodeId drawn, double frame, const Scene& scene, const V2f& at,
                          bool sharp) {
  const Node& n = *doc.find(drawn);
  const auto it = n.children.find("points");
  return addOutlinePoint(doc, drawn, it == n.children.end() ? 0 : it->second.size(),
                         LensHandles(doc, frame, scene).wayOf(n).second(at), sharp);
}

} // namespace ilumbra
