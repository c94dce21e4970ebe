#include "core/light/ball.h"

namespace ilumbra {
namespace {

// How a flat or round lamp's light is narrowed, as by a honeycomb in front of it: of the light that leaves at an angle
// θ from the normal, max(0, 1 - tan θ / tan spread) comes through. The lamp's power is what leaves the honeycomb.
class Honeycomb {
 public:
  explicit Honeycomb(float spreadDegrees) : m_tan(spreadDegrees >= 89.99f ? 0 : std::tan(spreadDegrees * pi / 180)) {
    // ∫ share cos θ dω over the half-sphere, in t = tan θ: 2 π ∫ (1 - t / T) t / (1 + t²)² dt up to T.
    const float t = m_tan;
    m_solid = t > 0 ? pi * (1 - std::atan(t) / t) : pi;
  }
  float solid() const { return m_solid; }
  /// Share at a cosine to the normal, above 0.
  float share(float cosine) const {
    return m_tan > 0 ? std::max(0.0f, 1 - std::sqrt(std::max(0.0f, 1 - cosine * cosine)) / (cosine * m_tan)) : 1;
  }
  float widest() const { return m_tan > 0 ? std::atan(m_tan) : 0.5f * pi; }

 private:
  float m_tan, m_solid;
};

// A flat lamp in its local xy plane that shines along -z, half of it on each side when both sides shine.
class FlatLight : public Light {
 public:
  FlatLight(const M44f& world, float width, float height, float area, bool bothSides, const Honeycomb& comb)
      : m_comb(comb), m_both(bothSides) {
    m_x = transformVector(world, {width, 0, 0});
    m_y = transformVector(world, {0, height, 0});
    m_centre = transformPoint(world, {0, 0, 0});
    const V3f n = cross(m_y, m_x);
    m_area = length(n) * area;
    m_normal = normalize(n);
    m_luminance = m_area > 0 ? 1 / (m_comb.solid() * m_area * (bothSides ? 2.0f : 1.0f)) : 0;
    if (!m_both) m_lit.plane(-m_normal, m_centre, false);
  }
  const Convex* lit() const override { return m_lit.everywhere() ? nullptr : &m_lit; }
  float pdf(const V3f&, const V3f& direction, float distance, const LightHit&) const override {
    const float c = -dot(direction, m_normal);
    if (c == 0 || (c < 0 && !m_both)) return 0;
    return distance * distance / (std::abs(c) * m_area);
  }
  Color radiance(const V3f&, const V3f& direction, const V3f&) const override {
    const float c = -dot(direction, m_normal);
    return Color(c > 0 || (m_both && c < 0) ? m_luminance * m_comb.share(std::abs(c)) : 0.0f);
  }
  // Over its plane: its picture as seen from in front of it.
  PatternPoint patternPoint(const V3f& at, const V3f& away, const M44f& toLight) const override {
    PatternPoint p;
    p.world = at;
    p.position = transformPoint(toLight, at);
    const V3f d = at - m_centre;
    p.uv = {0.5f - dot(d, m_x) / std::max(1e-20f, dot(m_x, m_x)), 0.5f + dot(d, m_y) / std::max(1e-20f, dot(m_y, m_y))};
    p.normal = {0, 0, -1};
    p.facing = m_normal;
    p.incidence = std::abs(dot(away, m_normal));
    return p;
  }
  const Shape* shape() const override { return &m_shape; }
  LightReach reach() const override {
    return {.centre = m_centre,
            .radius = 0.5f * (length(m_x) + length(m_y)),
            .axis = m_normal,
            .spread = m_both ? pi : 0,
            .fall = m_comb.widest(),
            .flux = pi / m_comb.solid()};
  }

 protected:
  // A place on the lamp in shares of x and y from its middle, evenly by area.
  bool samplePlace(const V3f& from, const V2f& place, LightSample& s) const {
    const V3f to = m_centre + m_x * place.x + m_y * place.y - from;
    const float d2 = dot(to, to);
    if (d2 <= 0 || m_area <= 0) return false;
    s.distance = std::sqrt(d2);
    s.direction = to * (1 / s.distance);
    s.pdf = FlatLight::pdf(from, s.direction, s.distance, m_normal);
    s.radiance = radiance(m_centre, s.direction, m_normal);
    return s.pdf > 0 && !isBlack(s.radiance);
  }
  Honeycomb m_comb;
  V3f m_centre, m_x, m_y, m_normal;
  float m_area, m_luminance;
  bool m_both;
  Shape m_shape; ///< in world space
  Convex m_lit;
};

// Seen large it is sampled by solid angle (Ureña, Fajardo and King 2013, "An Area-Preserving Parametrization for
// Spherical Rectangles"), seen small by area, where the two do not differ and the former loses its precision.
class RectangleLight : public FlatLight {
 public:
  RectangleLight(const M44f& world, float width, float height, bool bothSides, const Honeycomb& comb)
      : FlatLight(world, width, height, 1, bothSides, comb) {
    m_shape.mesh.positions = {m_centre - m_x * 0.5f - m_y * 0.5f, m_centre + m_x * 0.5f - m_y * 0.5f,
                              m_centre + m_x * 0.5f + m_y * 0.5f, m_centre - m_x * 0.5f + m_y * 0.5f};
    m_shape.mesh.triangles = {{0, 2, 1}, {0, 3, 2}};
    m_right = std::abs(dot(normalize(m_x), normalize(m_y))) < 1e-4f;
    if (!m_both && m_comb.widest() < 0.49f * pi && m_right)
      for (const V3f& side : {m_x, -m_x, m_y, -m_y})
        m_lit.plane(normalize(side) * std::cos(m_comb.widest()) - m_normal * std::sin(m_comb.widest()),
                    m_centre + side * 0.5f);
  }
  bool sample(const V3f& from, const V2f& u, LightSample& s) const override {
    if (!large(from)) return samplePlace(from, u - V2f(0.5f), s);
    const Seen r(*this, from);
    if (!(r.solid > 0)) return false;
    const V3f p = r.sample(u);
    s.distance = length(p);
    s.direction = p * (1 / s.distance);
    s.pdf = 1 / r.solid;
    s.radiance = radiance(m_centre, s.direction, m_normal);
    return s.distance > 0 && !isBlack(s.radiance);
  }
  float pdf(const V3f& from, const V3f& direction, float distance, const LightHit& hit) const override {
    if (!large(from)) return FlatLight::pdf(from, direction, distance, hit);
    const float c = -dot(direction, m_normal);
    if (c == 0 || (c < 0 && !m_both)) return 0;
    const Seen r(*this, from);
    return r.solid > 0 ? 1 / r.solid : 0;
  }

 private:
  bool large(const V3f& from) const {
    const V3f to = m_centre - from;
    return m_right && dot(to, to) < 25 * (dot(m_x, m_x) + dot(m_y, m_y)) &&
           std::abs(dot(to, m_normal)) > 1e-4f * length(m_x);
  }
  // The rectangle around a point, by the names of the paper.
  struct Seen {
    V3f ex, ey, ez;
    float x0, y0, z0, x1, y1, b0, b1, b0sq, k, solid;
    Seen(const RectangleLight& l, const V3f& from) {
      const float w = length(l.m_x), h = length(l.m_y);
      ex = l.m_x * (1 / w);
      ey = l.m_y * (1 / h);
      ez = cross(ex, ey);
      const V3f d = l.m_centre - from;
      z0 = dot(d, ez);
      if (z0 > 0) {
        ez = -ez;
        z0 = -z0;
      }
      x0 = dot(d, ex) - 0.5f * w;
      x1 = x0 + w;
      y0 = dot(d, ey) - 0.5f * h;
      y1 = y0 + h;
      // Normals of the four planes through the point and the edges, reduced to what their cosines need.
      const auto z = [&](float edge) { return edge / std::sqrt(z0 * z0 + edge * edge); };
      const float n0 = -z(y0), n1 = z(x1), n2 = z(y1), n3 = -z(x0);
      const auto angle = [](float a, float b) { return std::acos(std::clamp(-a * b, -1.0f, 1.0f)); };
      const float g0 = angle(n0, n1), g1 = angle(n1, n2), g2 = angle(n2, n3), g3 = angle(n3, n0);
      b0 = n0;
      b1 = n2;
      b0sq = b0 * b0;
      k = 2 * pi - g2 - g3;
      solid = g0 + g1 - k;
    }
    V3f sample(const V2f& u) const {
      const float au = u.x * solid + k;
      const float fu = (std::cos(au) * b0 - b1) / std::sin(au);
      float cu = std::copysign(1.0f, fu) / std::sqrt(fu * fu + b0sq);
      cu = std::clamp(cu, -1.0f, 1.0f);
      float xu = -(cu * z0) / std::sqrt(std::max(1e-12f, 1 - cu * cu));
      xu = std::clamp(xu, x0, x1);
      const float z0sq = z0 * z0, d = std::sqrt(xu * xu + z0sq);
      const float h0 = y0 / std::sqrt(d * d + y0 * y0), h1 = y1 / std::sqrt(d * d + y1 * y1);
      const float hv = h0 + u.y * (h1 - h0), hv2 = hv * hv;
      const float yv = std::clamp(hv2 < 1 - 1e-6f ? hv * d / std::sqrt(1 - hv2) : y1, y0, y1);
      return ex * xu + ey * yv + ez * z0;
    }
  };
  bool m_right; ///< its sides stand at right angles
};

class DiscLight : public FlatLight {
 public:
  DiscLight(const M44f& world, float width, float height, bool bothSides, const Honeycomb& comb)
      : FlatLight(world, width, height, 0.25f * pi, bothSides, comb) {
    // What is seen of it is a polygon of the same area.
    constexpr uint32_t sides = 96;
    const float r = 0.5f * std::sqrt(2 * pi / (sides * std::sin(2 * pi / sides)));
    m_shape.mesh.positions.push_back(m_centre);
    for (uint32_t i = 0; i < sides; ++i) {
      const float a = 2 * pi * float(i) / sides;
      m_shape.mesh.positions.push_back(m_centre + m_x * (r * std::cos(a)) + m_y * (r * std::sin(a)));
      m_shape.mesh.triangles.push_back({0, 1 + (i + 1) % sides, 1 + i});
    }
    if (!m_both && m_comb.widest() < 0.49f * pi)
      m_lit.cone(m_centre - m_normal * (0.5f * std::max(length(m_x), length(m_y)) / std::tan(m_comb.widest())),
                 m_normal, m_comb.widest());
  }
  bool sample(const V3f& from, const V2f& u, LightSample& s) const override {
    return samplePlace(from, sampleDisc(u) * 0.5f, s);
  }
};

// A closed tube along its local x: the side is sampled over the half that can be seen, and the end that can be seen.
class TubeLight : public Light {
 public:
  TubeLight(const M44f& world, float along, float thick) {
    m_centre = transformPoint(world, V3f(0.0f));
    const V3f x = transformVector(world, {along, 0, 0});
    m_half = 0.5f * length(x);
    m_axis = normalize(x);
    m_radius = 0.5f * thick * length(transformVector(world, normalize(V3f(0, 1, 0))));
    m_y = normalize(transformVector(world, {0, 1, 0}) - m_axis * dot(transformVector(world, {0, 1, 0}), m_axis));
    m_z = cross(m_axis, m_y);
    const float area = 2 * pi * m_radius * (2 * m_half + m_radius);
    m_luminance = area > 0 ? 1 / (pi * area) : 0;
    // What is seen of it is a prism of as much side.
    constexpr uint32_t sides = 64;
    const float r = m_radius * pi / sides / std::sin(pi / sides);
    auto& mesh = m_shape.mesh;
    for (const float end : {-m_half, m_half})
      for (uint32_t i = 0; i < sides; ++i) {
        const float a = 2 * pi * float(i) / sides;
        mesh.positions.push_back(m_centre + m_axis * end + m_y * (r * std::cos(a)) + m_z * (r * std::sin(a)));
      }
    mesh.positions.push_back(m_centre - m_axis * m_half);
    mesh.positions.push_back(m_centre + m_axis * m_half);
    for (uint32_t i = 0; i < sides; ++i) {
      const uint32_t j = (i + 1) % sides;
      mesh.triangles.push_back({i, j, sides + i});
      mesh.triangles.push_back({j, sides + j, sides + i});
      mesh.triangles.push_back({2 * sides, j, i});
      mesh.triangles.push_back({2 * sides + 1, sides + i, sides + j});
    }
  }
  bool sample(const V3f& from, const V2f& u, LightSample& s) const override {
    const View v = view(from);
    if (v.side + v.cap <= 0) return false;
    const float pick = u.x * (v.side + v.cap);
    V3f p, n;
    if (pick < v.side) {
      const float a = v.angle + (2 * pick / v.side - 1) * v.arc;
      n = m_y * std::cos(a) + m_z * std::sin(a);
      p = m_centre + m_axis * ((2 * u.y - 1) * m_half) + n * m_radius;
    } else {
      const V2f d = sampleDisc({std::min((pick - v.side) / v.cap, 1.0f), u.y}) * m_radius;
      n = m_axis * v.end;
      p = m_centre + m_axis * (m_half * v.end) + m_y * d.x + m_z * d.y;
    }
    const V3f to = p - from;
    const float d2 = dot(to, to);
    if (d2 <= 0) return false;
    s.distance = std::sqrt(d2);
    s.direction = to * (1 / s.distance);
    const float c = -dot(s.direction, n);
    if (c <= 1e-6f) return false;
    s.pdf = d2 / (c * (v.side + v.cap));
    s.radiance = Color(m_luminance);
    return true;
  }
  float pdf(const V3f& from, const V3f& direction, float distance, const LightHit& hit) const override {
    const View v = view(from);
    const float c = -dot(direction, hit.normal);
    if (c <= 1e-6f || v.side + v.cap <= 0) return 0;
    const bool end = std::abs(dot(hit.normal, m_axis)) > 0.5f;
    if (end ? v.cap <= 0 : v.side <= 0) return 0;
    return distance * distance / (c * (v.side + v.cap));
  }
  Color radiance(const V3f&, const V3f& direction, const V3f& normal) const override {
    return Color(dot(direction, normal) < 0 ? m_luminance : 0.0f);
  }
  // Along it and around it.
  PatternPoint patternPoint(const V3f& at, const V3f& away, const M44f& toLight) const override {
    PatternPoint p;
    p.world = at;
    p.position = transformPoint(toLight, at);
    const V3f d = at - m_centre;
    p.uv = {0.5f + 0.5f * dot(d, m_axis) / std::max(1e-20f, m_half),
            std::atan2(dot(d, m_z), dot(d, m_y)) / (2 * pi) + 0.5f};
    p.facing = normalize(d - m_axis * dot(d, m_axis));
    p.normal = normalize(transformVector(toLight, p.facing));
    p.incidence = std::abs(dot(away, p.facing));
    return p;
  }
  const Shape* shape() const override { return &m_shape; }
  LightReach reach() const override { return {.centre = m_centre, .radius = std::hypot(m_half, m_radius)}; }

 private:
  struct View {
    float side = 0, cap = 0;  ///< square metres that can be seen
    float angle = 0, arc = 0; ///< of the side: its middle and half of its width, radians
    float end = 1;
  };
  View view(const V3f& from) const {
    View v;
    const V3f d = from - m_centre;
    const float along = dot(d, m_axis), y = dot(d, m_y), z = dot(d, m_z), r = std::hypot(y, z);
    if (r > m_radius) {
      v.angle = std::atan2(z, y);
      v.arc = std::acos(m_radius / r);
      v.side = 4 * v.arc * m_radius * m_half;
    }
    if (std::abs(along) > m_half) {
      v.end = std::copysign(1.0f, along);
      v.cap = pi * m_radius * m_radius;
    }
    return v;
  }
  V3f m_centre, m_axis, m_y, m_z;
  float m_half, m_radius, m_luminance;
  Shape m_shape;
};

} // namespace

LightKind areaLight() {
  return {
      {.id = "light.area",
       .label = "Area light",
       .helpText = "A lamp with a size: a panel, a disc, a tube or a ball.",
       .params = join(
           {lightParams("Power", "lm", 2000, 50000),
            {choice("form", "Form", {"rectangle", "disc", "tube", "ball"})
                 .at(Invalidation::Placement)
                 .matters()
                 .in("Placement")
                 .help("A panel or a disc shines to the side it faces, a tube and a ball all around"),
             number("width", "Width", "m", 1)
                 .soft(0.01, 5)
                 .range(1e-6, 1e6)
                 .log()
                 .at(Invalidation::Placement)
                 .matters()
                 .in("Placement")
                 .help("Of the panel or the disc; of a tube its length, of a ball its diameter"),
             number("height", "Height", "m", 1)
                 .soft(0.01, 5)
                 .range(1e-6, 1e6)
                 .log()
                 .at(Invalidation::Placement)
                 .matters()
                 .in("Placement")
                 .help("Of the panel or the disc; of a tube its thickness"),
             number("spread", "Spread", "°", 90)
                 .soft(5, 90)
                 .range(1, 90)
                 .at(Invalidation::Placement)
                 .in("Placement")
                 .help(
                     "How far from straight ahead a panel or disc still shines, as through a honeycomb; 90° has none"),
             flag("both_sides", "Both sides shine", false)
                 .at(Invalidation::Placement)
                 .in("Placement")
                 .help("Off: the back of a panel or disc is dark"),
             rangeParam()},
            aimParams({0, 2, 0}, {0, 0, 0})}),
       .existence = Invalidation::Placement},
      [](const Params& p, const M44f& world, const Assets&) -> std::unique_ptr<Light> {
        const M44f place = aimMatrix(p) * world;
        const std::string form = p.text("form");
        const float width = p.real("width"), height = p.real("height");
        if (form == "tube") return std::make_unique<TubeLight>(place, width, height);
        if (form == "ball")
          return std::make_unique<BallLight>(transformPoint(place, V3f(0.0f)),
                                             0.5f * width * length(transformVector(world, normalize(V3f(1, 1, 1)))));
        const Honeycomb comb(p.real("spread"));
        if (form == "disc") return std::make_unique<DiscLight>(place, width, height, p.flag("both_sides"), comb);
        return std::make_unique<RectangleLight>(place, width, height, p.flag("both_sides"), comb);
      }};
}

} // namespace ilumbra
