#include "core/scene/own_light.h"

namespace ilumbra {
namespace {

// What area sampling has in common: a solid-angle density from an area density.
float solidAngle(float areaDensity, float distance2, float cosine) {
  return cosine > 1e-7f ? areaDensity * distance2 / cosine : 0;
}

bool towards(const V3f& from, const V3f& point, const V3f& normal, float areaDensity, LightSample& s) {
  const V3f to = point - from;
  const float d2 = dot(to, to);
  if (!(d2 > 0)) return false;
  s.distance = std::sqrt(d2);
  s.direction = to * (1 / s.distance);
  s.pdf = solidAngle(areaDensity, d2, std::abs(dot(s.direction, normal)));
  return s.pdf > 0;
}

class GlowingMesh : public Light {
 public:
  GlowingMesh(const Shape& shape, const M44f& m, OwnLight own)
      : m_own(std::move(own)), m_closed(isClosed(shape.mesh)), m_toObject(m.inverse()) {
    const float side = m.determinant() < 0 ? -1.0f : 1.0f;
    std::vector<float> areas;
    Box3f box;
    for (const auto& t : shape.mesh.triangles) {
      Triangle w;
      w.p = transformPoint(m, shape.mesh.positions[t.a]);
      w.e1 = transformPoint(m, shape.mesh.positions[t.b]) - w.p;
      w.e2 = transformPoint(m, shape.mesh.positions[t.c]) - w.p;
      if (!shape.mesh.uvs.empty()) {
        w.uv[0] = shape.mesh.uvs[t.a];
        w.uv[1] = shape.mesh.uvs[t.b];
        w.uv[2] = shape.mesh.uvs[t.c];
      }
      const V3f n = cross(w.e1, w.e2);
      const float a = 0.5f * length(n);
      if (!(a > 0)) continue;
      w.n = normalize(n) * side;
      areas.push_back(a);
      m_triangles.push_back(w);
      box.extendBy(w.p);
      box.extendBy(w.p + w.e1);
      box.extendBy(w.p + w.e2);
    }
    m_cells = Distribution(areas);
    m_area = float(m_cells.total());
    m_centre = box.isEmpty() ? V3f(0.0f) : box.center();
    m_radius = box.isEmpty() ? 0 : 0.5f * length(box.size());
  }
  bool sample(const V3f& from, const V2f& u, LightSample& s) const override {
    if (m_cells.empty()) return false;
    float first = u.x, p;
    const Triangle& t = m_triangles[m_cells.sample(first, p)];
    const float r = std::sqrt(first), b1 = 1 - r, b2 = u.y * r;
    if (!towards(from, t.p + t.e1 * b1 + t.e2 * b2, t.n, 1 / m_area, s)) return false;
    // What faces away on a closed body is never in sight: no candidate is wasted on it.
    const float cosine = -dot(s.direction, t.n);
    if (m_closed && cosine < 0) return false;
    PatternPoint at;
    at.uv = t.uv[0] * (1 - b1 - b2) + t.uv[1] * b1 + t.uv[2] * b2;
    if (m_own.patterned) {
      at.world = t.p + t.e1 * b1 + t.e2 * b2;
      at.position = transformPoint(m_toObject, at.world);
      at.normal = normalize(transformVector(m_toObject, t.n));
      at.facing = t.n;
      at.incidence = std::abs(cosine);
    }
    s.radiance = m_own.at(at, cosine);
    return !isBlack(s.radiance);
  }
  float pdf(const V3f&, const V3f& direction, float distance, const V3f& normal) const override {
    const float c = dot(direction, normal);
    if (m_area <= 0 || (m_closed && c > 0)) return 0;
    return solidAngle(1 / m_area, distance * distance, std::abs(c));
  }
  Color radiance(const V3f&, const V3f&, const V3f&) const override { return Color(1.0f); }
  // Two sides shine on an open mesh; a closed one is seen from all around.
  LightReach reach() const override { return {.centre = m_centre, .radius = m_radius, .flux = pi * m_area}; }

 private:
  struct Triangle {
    V3f p, e1, e2, n;
    V2f uv[3] = {V2f(0, 0), V2f(0, 0), V2f(0, 0)};
  };
  std::vector<Triangle> m_triangles;
  Distribution m_cells;
  OwnLight m_own;
  bool m_closed;
  M44f m_toObject;
  V3f m_centre;
  float m_area = 0, m_radius = 0;
};

class GlowingSphere : public Light {
 public:
  GlowingSphere(float radius, const M44f& m, OwnLight own)
      : m_world(m), m_inverse(m.inverse()), m_own(std::move(own)), m_radius(radius) {
    m_determinant = std::abs(m.determinant());
    // Where nothing depends on the place, the outside of a ball is the same everywhere.
    m_even = !m_own.patterned && m_own.material->veil.keys.empty();
    if (m_even) m_evenLight = m_own.at({}, 1);
    m_even &= !isBlack(m_evenLight);
    m_centre = transformPoint(m, V3f(0.0f));
    for (int i = 0; i < 3; ++i) m_reach = std::max(m_reach, radius * length(V3f(m[i][0], m[i][1], m[i][2])));
    const float scale = length(V3f(m[0][0], m[0][1], m[0][2]));
    for (int i = 1; i < 3; ++i)
      if (std::abs(length(V3f(m[i][0], m[i][1], m[i][2])) - scale) > 1e-4f * scale) m_uniform = false;
  }
  bool sample(const V3f& from, const V2f& u, LightSample& s) const override {
    const V3f to = m_centre - from;
    const float d2 = dot(to, to);
    if (m_uniform && d2 > m_reach * m_reach * 1.0001f) {
      const float d = std::sqrt(d2), one = cone(d2);
      const V3f local = sampleCone(u, one);
      s.direction = Frame(to * (1 / d)).toWorld(local);
      s.pdf = 1 / (2 * pi * one);
      const float along = d * local.z, off2 = d2 * std::max(0.0f, 1 - local.z * local.z);
      s.distance = along - std::sqrt(std::max(0.0f, m_reach * m_reach - off2));
      if (m_even) {
        s.radiance = m_evenLight;
        return true;
      }
      const V3f world = from + s.direction * s.distance;
      s.radiance = at(world, normalize(transformPoint(m_inverse, world)), s.direction);
      return !isBlack(s.radiance);
    }
    const V3f n = sampleUniformSphere(u), normal = transformNormal(m_inverse, n),
              world = transformPoint(m_world, n * m_radius);
    if (!towards(from, world, normalize(normal), areaDensity(length(normal)), s)) return false;
    s.radiance = at(world, n, s.direction);
    return !isBlack(s.radiance);
  }
  float pdf(const V3f& from, const V3f& direction, float distance, const V3f& normal) const override {
    const V3f to = m_centre - from;
    const float d2 = dot(to, to);
    if (m_uniform && d2 > m_reach * m_reach * 1.0001f) return 1 / (2 * pi * cone(d2));
    // The unit local normal behind a unit world normal: n = Mᵀ N, and |M⁻ᵀ n| = 1 / |Mᵀ N|.
    const V3f local(dot(normal, V3f(m_world[0][0], m_world[0][1], m_world[0][2])),
                    dot(normal, V3f(m_world[1][0], m_world[1][1], m_world[1][2])),
                    dot(normal, V3f(m_world[2][0], m_world[2][1], m_world[2][2])));
    return solidAngle(areaDensity(1 / length(local)), distance * distance, std::abs(dot(direction, normal)));
  }
  Color radiance(const V3f&, const V3f&, const V3f&) const override { return Color(1.0f); }
  LightReach reach() const override {
    return {.centre = m_centre, .radius = m_reach, .flux = 4 * pi * pi * m_reach * m_reach};
  }

 private:
  // What point of the sphere (n: unit, in its own space) sends out against the direction.
  Color at(const V3f& world, const V3f& n, const V3f& direction) const {
    PatternPoint p;
    const float cosine = -dot(direction, normalize(transformNormal(m_inverse, n)));
    if (m_own.patterned) {
      p.uv = {std::atan2(-n.z, n.x) / (2 * pi) + 0.5f, 0.5f + std::asin(std::clamp(n.y, -1.0f, 1.0f)) / pi};
      p.world = world;
      p.position = n * m_radius;
      p.normal = n;
      p.facing = normalize(transformNormal(m_inverse, n));
      p.incidence = std::abs(cosine);
    }
    return m_own.at(p, cosine);
  }
  float cone(float d2) const {
    const float s2 = std::min(1.0f, m_reach * m_reach / d2);
    return s2 / (1 + std::sqrt(1 - s2));
  }
  float areaDensity(float stretch) const { return 1 / (4 * pi * m_radius * m_radius * m_determinant * stretch); }
  M44f m_world, m_inverse;
  OwnLight m_own;
  V3f m_centre;
  float m_radius, m_determinant, m_reach = 0;
  bool m_uniform = true, m_even = false;
  Color m_evenLight{0.0f};
};

} // namespace

Color OwnLight::at(const PatternPoint& p, float cosine) const {
  const Material& m = *material;
  if (cosine < 0 && !m.emitsBack) return Color(0.0f);
  float share = clamp01(m.opacity.real(p));
  if (!m.veil.keys.empty()) share *= m.veil.frontOnly && cosine < 0 ? 0 : clamp01(m.veil.at(std::abs(cosine)));
  for (const auto& [mask, upper] : masks) {
    const float above = clamp01(mask->real(p));
    share *= upper ? above : 1 - above;
  }
  return share > 0 ? m.emissionColor.color(p) * share : Color(0.0f);
}

std::unique_ptr<Light> glowingMesh(const Shape& shape, const M44f& m, OwnLight own) {
  return std::make_unique<GlowingMesh>(shape, m, std::move(own));
}
std::unique_ptr<Light> glowingSphere(float radius, const M44f& m, OwnLight own) {
  return std::make_unique<GlowingSphere>(radius, m, std::move(own));
}

} // namespace ilumbra
