#include "core/placing/handles.h"

#include "core/document/edit.h"
#include "core/light/light.h"
#include "core/light/sun_disc.h"
#include "core/placing/handle_parts.h"

namespace ilumbra {
namespace {

// A light and how it is seen: what a drag needs, long after the handle was made.
struct Lamp {
  const Kind* kind;
  NodeId id;
  Camera camera;
  M44f world; ///< of what holds it
  V3f at{0.0f}, target{0.0f}, x{1, 0, 0}, y{0, 1, 0}, axis{0, 0, -1};

  V3f facing() const { return -camera.forward(); }
  std::optional<V3f> under(const V2f& place, const V3f& point, const V3f& normal) const {
    return onPlane(camera.through(place.x, place.y), point, normal);
  }
  /// Sets a number within what it may be.
  Document put(const Document& doc, const char* param, double value) const {
    const ParamDef& d = *kind->param(param);
    return setNow(doc, {id, param, 0, {}}, Constant(std::clamp(tidy(value), d.hardMin, d.hardMax)));
  }
};

class Maker {
 public:
  Maker(const Document& doc, const Node& n, double frame, const Camera& camera)
      : m_p(n, frame), m_lamp{n.kind, n.id, camera, {}} {
    if (n.parent) m_lamp.world = worldMatrix(doc, *doc.find(n.parent), frame);
  }

  std::vector<Handle> make() {
    if (m_lamp.kind->param("bearing")) return sun(), std::move(m_handles);
    if (!m_lamp.kind->param("position")) return {};
    m_lamp.at = transformPoint(m_lamp.world, v3(m_p.triple("position")));
    const bool aims = m_lamp.kind->param("target");
    if (aims) {
      m_lamp.target = transformPoint(m_lamp.world, v3(m_p.triple("target")));
      const M44f m = aimMatrix(m_p) * m_lamp.world;
      m_lamp.x = normalize(transformVector(m, {1, 0, 0}));
      m_lamp.y = normalize(transformVector(m, {0, 1, 0}));
      m_lamp.axis = normalize(transformVector(m, {0, 0, -1}));
    }
    // What is dragged by its edge lies before what is dragged by its middle.
    if (m_lamp.kind->param("cone")) cone();
    if (m_lamp.kind->param("form"))
      area();
    else if (m_lamp.kind->param("radius"))
      ball("radius", 1);
    if (m_lamp.kind->param("range") && m_p.real("range") > 0) ball("range", 1);
    if (aims) target();
    place();
    return std::move(m_handles);
  }

 private:
  static V3f v3(const Triple& t) { return {float(t[0]), float(t[1]), float(t[2])}; }
  void add(const char* param, const V3f& at, std::vector<std::vector<V3f>> lines, bool areaLines,
           decltype(Handle::drag) drag) {
    Handle h;
    h.id = h.param = param;
    h.label = m_lamp.kind->param(param)->label;
    if (!m_lamp.camera.project(at, h.at.x, h.at.y)) return;
    for (const auto& l : lines) h.lines.push_back(seenLine(m_lamp.camera, l));
    h.area = areaLines;
    h.drag = std::move(drag);
    m_handles.push_back(std::move(h));
  }
  // A place that is dragged along the film, or onto what is seen.
  void movable(const char* param, const V3f& at, std::vector<std::vector<V3f>> lines, bool ontoThings) {
    add(param, at, std::move(lines), false,
        [id = m_lamp.id, param, at, camera = m_lamp.camera, back = m_lamp.world.inverse(), n = m_lamp.facing(),
         ontoThings](const Document& doc, const V2f& to, const std::optional<Seen>& onto) {
          std::optional<V3f> p;
          if (ontoThings && onto) p = onto->point;
          if (!p) p = onPlane(camera.through(to.x, to.y), at, n);
          return p ? setNow(doc, {id, param, 0, {}}, Constant(tidy(transformPoint(back, *p)))) : doc;
        });
  }
  void place() { movable("position", m_lamp.at, {}, false); }
  void target() { movable("target", m_lamp.target, {{m_lamp.at, m_lamp.target}}, true); }

  // A ball about the lamp, dragged by its rim as it is seen.
  void ball(const char* param, float perRadius) {
    const float r = m_p.real(param) * perRadius;
    const V3f x = m_lamp.camera.right(), y = m_lamp.camera.up();
    const bool range = std::string_view(param) == "range";
    // Sizes lie to one side and ranges to the other, so that they do not hide one another.
    const V3f way = range ? -x : x;
    add(param, m_lamp.at + way * r, {arcPoints(m_lamp.at, x * r, y * r)}, !range,
        [lamp = m_lamp, param, perRadius](const Document& doc, const V2f& to, const std::optional<Seen>&) {
          const auto p = lamp.under(to, lamp.at, lamp.facing());
          return p ? lamp.put(doc, param, double(length(*p - lamp.at) / perRadius)) : doc;
        });
  }

  void cone() {
    const float reach = std::max(1e-3f, length(m_lamp.target - m_lamp.at)), outer = m_p.real("cone"),
                inner = outer * (1 - m_p.real("edge"));
    // The plane of the axis that faces the camera most.
    V3f side = cross(m_lamp.axis, m_lamp.facing());
    const bool along = length(side) < 0.05f;
    side = along ? m_lamp.x : normalize(side);
    const V3f other = cross(m_lamp.axis, side);
    const auto rim = [&](float degrees) {
      const float a = degrees * pi / 180;
      return arcPoints(m_lamp.at + m_lamp.axis * (reach * std::cos(a)), side * (reach * std::sin(a)),
                       other * (reach * std::sin(a)));
    };
    const auto edge = [&](float degrees, float sign) {
      const float a = degrees * pi / 180;
      return m_lamp.at + m_lamp.axis * (reach * std::cos(a)) + side * (sign * reach * std::sin(a));
    };
    const auto angle = [lamp = m_lamp, side, other, along, reach](const V2f& to) -> std::optional<float> {
      const Ray ray = lamp.camera.through(to.x, to.y);
      const auto p = along ? onPlane(ray, lamp.at + lamp.axis * reach, lamp.axis) : onPlane(ray, lamp.at, other);
      if (!p) return {};
      const V3f d = *p - lamp.at;
      const float ahead = dot(d, lamp.axis);
      return std::atan2(length(d - lamp.axis * ahead), ahead) * 180 / pi;
    };
    add("cone", edge(outer, 1), {rim(outer), {m_lamp.at, edge(outer, 1)}, {m_lamp.at, edge(outer, -1)}}, false,
        [lamp = m_lamp, angle](const Document& doc, const V2f& to, const std::optional<Seen>&) {
          const auto a = angle(to);
          return a ? lamp.put(doc, "cone", double(std::clamp(*a, 0.1f, 180.0f))) : doc;
        });
    add("edge", edge(inner, -1), {rim(inner)}, false,
        [lamp = m_lamp, angle, outer](const Document& doc, const V2f& to, const std::optional<Seen>&) {
          const auto a = angle(to);
          return a ? lamp.put(doc, "edge", double(std::clamp(1 - *a / outer, 0.0f, 1.0f))) : doc;
        });
  }

  void area() {
    const std::string form = m_p.text("form");
    if (form == "ball") return ball("width", 0.5f);
    const float w = 0.5f * m_p.real("width"), h = 0.5f * m_p.real("height");
    const V3f x = m_lamp.x * w, y = m_lamp.y * h;
    std::vector<V3f> outline = form == "disc"
                                   ? arcPoints(m_lamp.at, x, y)
                                   : std::vector<V3f>{m_lamp.at - x - y, m_lamp.at + x - y, m_lamp.at + x + y,
                                                      m_lamp.at - x + y, m_lamp.at - x - y};
    // In the lamp's own plane, or, seen from its edge, in the one through the axis that is dragged.
    const auto extent = [this](const char* param, const V3f& way) {
      return [lamp = m_lamp, param, way](const Document& doc, const V2f& to, const std::optional<Seen>&) {
        const V3f across = lamp.camera.forward() - way * dot(lamp.camera.forward(), way);
        const auto p = lamp.under(to, lamp.at, normalize(isBlack(across) ? lamp.axis : across));
        return p ? lamp.put(doc, param, std::max(1e-4, 2 * std::abs(double(dot(*p - lamp.at, way))))) : doc;
      };
    };
    add("width", m_lamp.at + x, {outline}, true, extent("width", m_lamp.x));
    add("height", m_lamp.at + y, {}, true, extent("height", m_lamp.y));
  }

  // On a ball about what the camera is focused on.
  void sun() {
    const float reach = std::max(1e-3f, m_lamp.camera.focus());
    const V3f centre = m_lamp.camera.position() + m_lamp.camera.forward() * reach;
    const float r = 0.35f * reach * m_lamp.camera.seenHeight(); // so that all of it is in the frame
    const V3f way = normalize(transformVector(m_lamp.world, skyBody(m_p.real("height"), m_p.real("bearing"))));
    const bool near = dot(way, m_lamp.facing()) > 0;
    add("bearing", centre + way * r, {{centre, centre + way * r}, arcPoints(centre, {r, 0, 0}, {0, 0, r})}, false,
        [lamp = m_lamp, centre, r, near](const Document& doc, const V2f& to, const std::optional<Seen>&) {
          const Ray ray = lamp.camera.through(to.x, to.y);
          const V3f d = centre - ray.origin;
          const float along = dot(d, ray.direction), off2 = dot(d, d) - along * along;
          const float depth = std::sqrt(std::max(0.0f, r * r - off2));
          const V3f p = ray.origin + ray.direction * (near ? along - depth : along + depth);
          const V3f up = normalize(transformVector(lamp.world.inverse(), normalize(p - centre)));
          const Document high =
              lamp.put(doc, "height", std::asin(std::clamp(double(up.y), -1.0, 1.0)) * 180 / double(pi));
          return lamp.put(high, "bearing", bearingOf(up));
        });
  }
  // The inverse of skyBody().
  static double bearingOf(const V3f& d) {
    const V3f zero = skyBody(0, 0), quarter = skyBody(0, 90);
    return std::atan2(double(dot(d, quarter)), double(dot(d, zero))) * 180 / double(pi);
  }

  Params m_p;
  Lamp m_lamp;
  std::vector<Handle> m_handles;
};

} // namespace

std::vector<Handle> handlesOf(const Document& doc, const Node& light, double frame, const Camera& camera) {
  if (light.kind->family() != "light") return {};
  return Maker(doc, light, frame, camera).make();
}

} // namespace ilumbra
