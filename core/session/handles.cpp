#include "core/session/handles.h"

#include "core/document/edit.h"
#include "core/light/light.h"
#include "core/light/sun_disc.h"

namespace ilumbra {
namespace {

constexpr int roundness = 64;

double tidy(double v) { return std::round(v * 1e4) / 1e4; }
Triple tidy(const V3f& v) { return {tidy(double(v.x)), tidy(double(v.y)), tidy(double(v.z))}; }

// Where a ray meets a plane; none behind its origin.
std::optional<V3f> onPlane(const Ray& ray, const V3f& point, const V3f& normal) {
  const float down = dot(ray.direction, normal);
  if (std::abs(down) < 1e-6f) return {};
  const float t = dot(point - ray.origin, normal) / down;
  if (!(t > 0)) return {};
  return ray.origin + ray.direction * t;
}

class Maker {
public:
  Maker(const Document& doc, const Node& n, double frame, const Camera& camera) : m_kind(n.kind), m_id(n.id), m_p(n, frame), m_camera(camera) {
    if (n.parent) m_world = worldMatrix(doc, *doc.find(n.parent), frame);
  }

  std::vector<Handle> make() {
    if (m_kind->param("bearing")) return sun(), std::move(m_handles);
    if (!m_kind->param("position")) return {};
    m_at = transformPoint(m_world, v3(m_p.triple("position")));
    const bool aims = m_kind->param("target");
    if (aims) {
      m_target = transformPoint(m_world, v3(m_p.triple("target")));
      const M44f m = aimMatrix(m_p) * m_world;
      m_x = normalize(transformVector(m, {1, 0, 0}));
      m_y = normalize(transformVector(m, {0, 1, 0}));
      m_axis = normalize(transformVector(m, {0, 0, -1}));
    }
    // What is dragged by its edge lies before what is dragged by its middle.
    if (m_kind->param("cone")) cone();
    if (m_kind->param("form")) area();
    else if (m_kind->param("radius")) ball("radius", 1);
    if (m_kind->param("range") && m_p.real("range") > 0) ball("range", 1);
    if (aims) target();
    place();
    return std::move(m_handles);
  }

private:
  static V3f v3(const Triple& t) { return {float(t[0]), float(t[1]), float(t[2])}; }
  V3f facing() const { return -m_camera.forward(); }

  std::vector<V2f> line(const std::vector<V3f>& points) const {
    std::vector<V2f> out;
    for (const V3f& p : points) {
      V2f at;
      if (m_camera.project(p, at.x, at.y)) out.push_back(at);
    }
    return out;
  }
  std::vector<V3f> circle(const V3f& centre, const V3f& x, const V3f& y) const {
    std::vector<V3f> points;
    for (int i = 0; i <= roundness; ++i) points.push_back(centre + x * std::cos(2 * pi * float(i) / roundness) + y * std::sin(2 * pi * float(i) / roundness));
    return points;
  }
  void add(const char* param, const V3f& at, std::vector<std::vector<V3f>> lines, bool areaLines, decltype(Handle::drag) drag) {
    Handle h;
    h.param = param;
    h.label = m_kind->param(param)->label;
    if (!m_camera.project(at, h.at.x, h.at.y)) return;
    for (const auto& l : lines) h.lines.push_back(line(l));
    h.area = areaLines;
    h.drag = std::move(drag);
    m_handles.push_back(std::move(h));
  }
  // Sets a number within what it may be.
  Document put(const Document& doc, const char* param, double value) const {
    const ParamDef& d = *m_kind->param(param);
    return setNow(doc, {m_id, param, 0, {}}, Constant(std::clamp(tidy(value), d.hardMin, d.hardMax)));
  }

  // A place that is dragged along the film, or onto what is seen.
  void movable(const char* param, const V3f& at, std::vector<std::vector<V3f>> lines, bool ontoThings) {
    add(param, at, std::move(lines), false, [id = m_id, param, at, camera = m_camera, back = m_world.inverse(), n = facing(), ontoThings](const Document& doc, const V2f& to, const std::optional<V3f>& onto) {
      std::optional<V3f> p = ontoThings ? onto : std::nullopt;
      if (!p) p = onPlane(camera.through(to.x, to.y), at, n);
      return p ? setNow(doc, {id, param, 0, {}}, Constant(tidy(transformPoint(back, *p)))) : doc;
    });
  }
  void place() { movable("position", m_at, {}, false); }
  void target() { movable("target", m_target, {{m_at, m_target}}, true); }

  // A ball about the lamp, dragged by its rim as it is seen.
  void ball(const char* param, float perRadius) {
    const float r = m_p.real(param) * perRadius;
    const V3f x = m_camera.right(), y = m_camera.up();
    const bool range = std::string_view(param) == "range";
    // Sizes lie to one side and ranges to the other, so that they do not hide one another.
    const V3f way = range ? -x : x;
    add(param, m_at + way * r, {circle(m_at, x * r, y * r)}, !range, [self = *this, param, perRadius](const Document& doc, const V2f& to, const std::optional<V3f>&) {
      const auto p = onPlane(self.m_camera.through(to.x, to.y), self.m_at, self.facing());
      return p ? self.put(doc, param, double(length(*p - self.m_at) / perRadius)) : doc;
    });
  }

  void cone() {
    const float reach = std::max(1e-3f, length(m_target - m_at)), outer = m_p.real("cone"), inner = outer * (1 - m_p.real("edge"));
    // The plane of the axis that faces the camera most.
    V3f side = cross(m_axis, facing());
    const bool along = length(side) < 0.05f;
    side = along ? m_x : normalize(side);
    const V3f other = cross(m_axis, side);
    const auto rim = [&](float degrees) {
      const float a = degrees * pi / 180;
      return circle(m_at + m_axis * (reach * std::cos(a)), side * (reach * std::sin(a)), other * (reach * std::sin(a)));
    };
    const auto edge = [&](float degrees, float sign) {
      const float a = degrees * pi / 180;
      return m_at + m_axis * (reach * std::cos(a)) + side * (sign * reach * std::sin(a));
    };
    const auto angle = [self = *this, side, other, along, reach](const V2f& to) -> std::optional<float> {
      const Ray ray = self.m_camera.through(to.x, to.y);
      const auto p = along ? onPlane(ray, self.m_at + self.m_axis * reach, self.m_axis) : onPlane(ray, self.m_at, other);
      if (!p) return {};
      const V3f d = *p - self.m_at;
      const float ahead = dot(d, self.m_axis);
      return std::atan2(length(d - self.m_axis * ahead), ahead) * 180 / pi;
    };
    add("cone", edge(outer, 1), {rim(outer), {m_at, edge(outer, 1)}, {m_at, edge(outer, -1)}}, false, [self = *this, angle](const Document& doc, const V2f& to, const std::optional<V3f>&) {
      const auto a = angle(to);
      return a ? self.put(doc, "cone", double(std::clamp(*a, 0.1f, 180.0f))) : doc;
    });
    add("edge", edge(inner, -1), {rim(inner)}, false, [self = *this, angle, outer](const Document& doc, const V2f& to, const std::optional<V3f>&) {
      const auto a = angle(to);
      return a ? self.put(doc, "edge", double(std::clamp(1 - *a / outer, 0.0f, 1.0f))) : doc;
    });
  }

  void area() {
    const std::string form = m_p.text("form");
    if (form == "ball") return ball("width", 0.5f);
    const float w = 0.5f * m_p.real("width"), h = 0.5f * m_p.real("height");
    const V3f x = m_x * w, y = m_y * h;
    std::vector<V3f> outline = form == "disc" ? circle(m_at, x, y) : std::vector<V3f>{m_at - x - y, m_at + x - y, m_at + x + y, m_at - x + y, m_at - x - y};
    // In the lamp's own plane, or, seen from its edge, in the one through the axis that is dragged.
    const auto extent = [this](const char* param, const V3f& way) {
      return [self = *this, param, way](const Document& doc, const V2f& to, const std::optional<V3f>&) {
        const V3f across = self.m_camera.forward() - way * dot(self.m_camera.forward(), way);
        const auto p = onPlane(self.m_camera.through(to.x, to.y), self.m_at, normalize(isBlack(across) ? self.m_axis : across));
        return p ? self.put(doc, param, std::max(1e-4, 2 * std::abs(double(dot(*p - self.m_at, way))))) : doc;
      };
    };
    add("width", m_at + x, {outline}, true, extent("width", m_x));
    add("height", m_at + y, {}, true, extent("height", m_y));
  }

  // On a ball about what the camera is focused on.
  void sun() {
    const float reach = std::max(1e-3f, m_camera.focus());
    const V3f centre = m_camera.position() + m_camera.forward() * reach;
    const float r = 0.35f * reach;
    const V3f way = normalize(transformVector(m_world, skyBody(m_p.real("height"), m_p.real("bearing"))));
    const bool near = dot(way, facing()) > 0;
    add("bearing", centre + way * r, {{centre, centre + way * r}, circle(centre, {r, 0, 0}, {0, 0, r})}, false,
        [self = *this, centre, r, near](const Document& doc, const V2f& to, const std::optional<V3f>&) {
          const Ray ray = self.m_camera.through(to.x, to.y);
          const V3f d = centre - ray.origin;
          const float along = dot(d, ray.direction), off2 = dot(d, d) - along * along;
          const float depth = std::sqrt(std::max(0.0f, r * r - off2));
          const V3f p = ray.origin + ray.direction * (near ? along - depth : along + depth);
          const V3f up = normalize(transformVector(self.m_world.inverse(), normalize(p - centre)));
          const Document high = self.put(doc, "height", std::asin(std::clamp(double(up.y), -1.0, 1.0)) * 180 / double(pi));
          return self.put(high, "bearing", bearingOf(up));
        });
  }
  // The inverse of skyBody().
  static double bearingOf(const V3f& d) {
    const V3f zero = skyBody(0, 0), quarter = skyBody(0, 90);
    return std::atan2(double(dot(d, quarter)), double(dot(d, zero))) * 180 / double(pi);
  }

  // Handles keep copies of this: what they need of the node itself is copied too.
  const Kind* m_kind;
  NodeId m_id;
  Params m_p;
  Camera m_camera;
  M44f m_world;
  V3f m_at{0.0f}, m_target{0.0f}, m_x{1, 0, 0}, m_y{0, 1, 0}, m_axis{0, 0, -1};
  std::vector<Handle> m_handles;
};

} // namespace

std::vector<Handle> handlesOf(const Document& doc, const Node& light, double frame, const Camera& camera) {
  if (light.kind->family() != "light") return {};
  return Maker(doc, light, frame, camera).make();
}

} // namespace ilumbra
