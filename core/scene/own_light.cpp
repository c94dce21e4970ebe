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

// As fine as the pattern on a mesh is looked at.
constexpr size_t mostCells = 8192;
// Shares of the samples that go by what a cell's surroundings send out, and by area alone: they find what no probe of
// the cell has met, first of all along edges.
constexpr float bySurroundings = 0.3f, byArea = 0.15f;

// A mesh by what it sends out: a pattern may shine on a hundredth of it. Large triangles are cut into cells, small ones
// that follow each other share one; each is weighed by its area and by what a few places of it send out.
class GlowingMesh : public Light {
 public:
  GlowingMesh(const Shape& shape, bool closed, const M44f& m, OwnLight own, size_t copies)
      : m_own(std::move(own)), m_closed(closed), m_toObject(m.inverse()) {
    const float side = m.determinant() < 0 ? -1.0f : 1.0f;
    Box3f box;
    for (const auto& t : shape.mesh.triangles) {
      Triangle w;
      w.p = transformPoint(m, shape.mesh.positions[t.a]);
      w.e1 = transformPoint(m, shape.mesh.positions[t.b]) - w.p;
      w.e2 = transformPoint(m, shape.mesh.positions[t.c]) - w.p;
      if (!shape.mesh.uvs.empty()) {
        w.uv = shape.mesh.uvs[t.a];
        w.uv1 = shape.mesh.uvs[t.b] - w.uv;
        w.uv2 = shape.mesh.uvs[t.c] - w.uv;
      }
      const V3f n = cross(w.e1, w.e2);
      w.area = 0.5f * length(n);
      w.n = w.area > 0 ? normalize(n) * side : V3f(0.0f);
      m_area += w.area;
      m_triangles.push_back(w);
      if (!(w.area > 0)) continue;
      box.extendBy(w.p);
      box.extendBy(w.p + w.e1);
      box.extendBy(w.p + w.e2);
    }
    m_centre = box.isEmpty() ? V3f(0.0f) : box.center();
    m_radius = box.isEmpty() ? 0 : 0.5f * length(box.size());
    if (m_area > 0) makeCells(m_own.varies() ? mostCells / std::max<size_t>(1, copies) : 0);
  }
  bool sample(const V3f& from, const V2f& u, LightSample& s) const override {
    if (m_cells.empty()) return false;
    float first = u.x, p;
    const size_t cell = m_cells.sample(first, p);
    const auto [t, b1, b2] = place(m_list[cell], first, u.y);
    if (!towards(from, t->p + t->e1 * b1 + t->e2 * b2, t->n, p / m_list[cell].area, s)) return false;
    // What faces away on a closed body is never in sight: no candidate is wasted on it.
    const float cosine = -dot(s.direction, t->n);
    if (m_closed && cosine < 0) return false;
    s.radiance = sent(*t, b1, b2, cosine);
    return !isBlack(s.radiance);
  }
  float pdf(const V3f&, const V3f& direction, float distance, const LightHit& hit) const override {
    const float c = dot(direction, hit.normal);
    if (m_cells.empty() || (m_closed && c > 0)) return 0;
    const size_t cell = cellOf(hit);
    if (!(m_list[cell].area > 0)) return 0;
    return solidAngle(m_cells.probability(cell) / m_list[cell].area, distance * distance, std::abs(c));
  }
  Color radiance(const V3f&, const V3f&, const V3f&) const override { return Color(1.0f); }
  // Two sides shine on an open mesh; a closed one is seen from all around.
  LightReach reach() const override { return {.centre = m_centre, .radius = m_radius, .flux = pi * m_area * m_mean}; }

 private:
  struct Triangle {
    V3f p, e1, e2, n;
    V2f uv{0, 0}, uv1{0, 0}, uv2{0, 0};
    float area = 0;
    uint32_t cell = 0; ///< the first of its own, or that which it shares
  };
  // `split` > 1: one of split² equal parts of a triangle, which are counted along its rows; else all of `count`
  // triangles from the first on.
  struct Cell {
    uint32_t first = 0, count = 1;
    uint16_t split = 1, row = 0, along = 0;
    float area = 0;
  };
  struct At {
    const Triangle* triangle;
    float b1, b2;
  };

  void makeCells(size_t wanted) {
    const size_t n = m_triangles.size(), run = wanted ? (n + wanted - 1) / wanted : 1;
    for (uint32_t i = 0; i < n; i += uint32_t(run)) {
      Triangle& t = m_triangles[i];
      const float share = t.area / m_area * float(wanted);
      const auto split = uint16_t(run > 1 ? 1 : std::clamp(int(std::lround(std::sqrt(share))), 1, 64));
      t.cell = uint32_t(m_list.size());
      if (split > 1) {
        for (uint16_t row = 0; row < split; ++row)
          for (uint16_t along = 0; along < 2 * (split - row) - 1; ++along)
            m_list.push_back({i, 1, split, row, along, t.area / float(split * split)});
        continue;
      }
      Cell c{i, uint32_t(std::min(run, n - i)), 1, 0, 0, 0};
      for (uint32_t k = 0; k < c.count; ++k) {
        m_triangles[i + k].cell = t.cell;
        c.area += m_triangles[i + k].area;
      }
      m_list.push_back(c);
    }
    std::vector<float> weights;
    for (const Cell& c : m_list) weights.push_back(c.area);
    if (wanted) weigh(weights);
    m_cells = Distribution(weights);
  }
  void weigh(std::vector<float>& weights) {
    std::vector<float> sends(m_list.size(), 0.0f);
    double sum = 0;
    for (size_t i = 0; i < m_list.size(); ++i) {
      if (!(m_list[i].area > 0)) continue;
      constexpr uint32_t probes = 2;
      for (uint32_t k = 0; k < probes; ++k) {
        Sampler sampler(uint32_t(i), 3, k, 7);
        const V2f u = sampler.get2();
        const auto [t, b1, b2] = place(m_list[i], u.x, u.y);
        sends[i] += std::max(0.0f, luminance(sent(*t, b1, b2, 1))) * (1.0f / float(probes));
      }
      sum += double(sends[i]) * double(m_list[i].area);
    }
    if (!(sum > 0) || !std::isfinite(sum)) return; // by area: what shines is finer than the probes
    m_mean = float(sum / double(m_area));
    // What blocks of a few cells send out with all those about them.
    const float block = 1.5f * std::sqrt(m_area / float(m_list.size()));
    const auto blockOf = [&](size_t i) {
      const auto [t, b1, b2] = place(m_list[i], 0.5f, 0.5f);
      const V3f at = (t->p + t->e1 * b1 + t->e2 * b2 - m_centre) * (1 / block);
      return std::array<int, 3>{int(std::floor(at.x)), int(std::floor(at.y)), int(std::floor(at.z))};
    };
    struct Block {
      float sends = 0, area = 0, about = 0;
    };
    std::map<std::array<int, 3>, Block> blocks;
    for (size_t i = 0; i < m_list.size(); ++i) {
      Block& b = blocks[blockOf(i)];
      b.sends += sends[i] * m_list[i].area;
      b.area += m_list[i].area;
    }
    for (auto& [at, b] : blocks) {
      float sent = 0, area = 0;
      for (int k = 0; k < 27; ++k)
        if (const auto it = blocks.find({at[0] + k % 3 - 1, at[1] + k / 3 % 3 - 1, at[2] + k / 9 - 1});
            it != blocks.end()) {
          sent += it->second.sends;
          area += it->second.area;
        }
      b.about = area > 0 ? sent / area : 0;
    }
    for (size_t i = 0; i < m_list.size(); ++i)
      weights[i] *=
          byArea * m_mean + bySurroundings * blocks[blockOf(i)].about + (1 - byArea - bySurroundings) * sends[i];
  }
  // The place of a cell for u in [0, 1)², even over its area.
  At place(const Cell& c, float u0, float u1) const {
    const Triangle* t = &m_triangles[c.first];
    if (c.count > 1) {
      float left = u0 * c.area;
      for (uint32_t k = 1; k < c.count && left >= t->area; ++k) {
        left -= t->area;
        ++t;
      }
      u0 = t->area > 0 ? std::min(left / t->area, 0.9999999f) : 0;
    }
    const float r = std::sqrt(u0);
    float b1 = 1 - r, b2 = u1 * r;
    if (c.split > 1) {
      // Parts that stand on a row, and those between that hang from the next.
      const float step = 1.0f / float(c.split), x = float(c.along / 2), y = float(c.row);
      b1 = (c.along % 2 ? x + 1 - b1 : x + b1) * step;
      b2 = (c.along % 2 ? y + 1 - b2 : y + b2) * step;
    }
    return {t, b1, b2};
  }
  size_t cellOf(const LightHit& hit) const {
    const Triangle& t = m_triangles[std::min<size_t>(hit.triangle, m_triangles.size() - 1)];
    const int split = m_list[t.cell].split;
    if (split == 1) return t.cell;
    const float u = clamp01(hit.u) * float(split), v = clamp01(hit.v) * float(split);
    const int row = std::clamp(int(v), 0, split - 1), x = std::clamp(int(u), 0, split - 1 - row);
    const bool hangs = x < split - 1 - row && (u - float(x)) + (v - float(row)) > 1;
    return t.cell + size_t(row * (2 * split - row) + 2 * x + (hangs ? 1 : 0));
  }
  Color sent(const Triangle& t, float b1, float b2, float cosine) const {
    PatternPoint at = m_own.common;
    at.uv = t.uv + t.uv1 * b1 + t.uv2 * b2;
    if (m_own.patterned) {
      at.world = t.p + t.e1 * b1 + t.e2 * b2;
      at.position = transformPoint(m_toObject, at.world);
      at.normal = normalize(transformVector(m_toObject, t.n));
      at.facing = t.n;
      at.incidence = std::abs(cosine);
    }
    return m_own.at(at, cosine);
  }

  std::vector<Triangle> m_triangles;
  std::vector<Cell> m_list;
  Distribution m_cells;
  OwnLight m_own;
  bool m_closed;
  M44f m_toObject;
  V3f m_centre;
  float m_area = 0, m_radius = 0, m_mean = 1;
};

// A sphere, from outside by the cone that it fills and, where a pattern shines on it, as often by what its places send
// out: equal parts of it, by height and around, weighed as those of a mesh are.
class GlowingSphere : public Light {
 public:
  GlowingSphere(float radius, const M44f& m, OwnLight own, size_t copies)
      : m_world(m), m_inverse(m.inverse()), m_own(std::move(own)), m_radius(radius) {
    m_determinant = std::abs(m.determinant());
    // Where nothing depends on the place, the outside of a ball is the same everywhere.
    m_even = !m_own.patterned && m_own.material->veil.keys.empty();
    if (m_even) m_evenLight = m_own.at(m_own.common, 1);
    m_even &= !isBlack(m_evenLight);
    m_centre = transformPoint(m, V3f(0.0f));
    for (int i = 0; i < 3; ++i) m_reach = std::max(m_reach, radius * length(V3f(m[i][0], m[i][1], m[i][2])));
    const float scale = length(V3f(m[0][0], m[0][1], m[0][2]));
    for (int i = 1; i < 3; ++i)
      if (std::abs(length(V3f(m[i][0], m[i][1], m[i][2])) - scale) > 1e-4f * scale) m_uniform = false;
    if (!m_even && m_own.varies()) makeCells(copies);
  }
  bool sample(const V3f& from, const V2f& u, LightSample& s) const override {
    const V3f to = m_centre - from;
    const float d2 = dot(to, to);
    const bool outside = m_uniform && d2 > m_reach * m_reach * 1.0001f;
    if (m_rows > 0 && (!outside || u.x < 0.5f)) {
      float first = outside ? 2 * u.x : u.x, p;
      const size_t cell = m_cells.sample(first, p);
      const V3f n = placeOf(cell, first, u.y), world = transformPoint(m_world, n * m_radius),
                normal = transformNormal(m_inverse, n);
      if (!towards(from, world, normalize(normal), density(cell, length(normal)), s)) return false;
      if (outside) {
        if (dot(s.direction, normal) > 0) return false; // its far side
        s.pdf = 0.5f * (s.pdf + 1 / (2 * pi * cone(d2)));
      }
      s.radiance = at(world, n, s.direction);
      return !isBlack(s.radiance);
    }
    if (outside) {
      const float d = std::sqrt(d2), one = cone(d2);
      const V3f local = sampleCone({m_rows > 0 ? 2 * u.x - 1 : u.x, u.y}, one);
      s.direction = Frame(to * (1 / d)).toWorld(local);
      s.pdf = 1 / (2 * pi * one);
      const float along = d * local.z, off2 = d2 * std::max(0.0f, 1 - local.z * local.z);
      s.distance = along - std::sqrt(std::max(0.0f, m_reach * m_reach - off2));
      if (m_even) {
        s.radiance = m_evenLight;
        return true;
      }
      const V3f world = from + s.direction * s.distance, n = normalize(transformPoint(m_inverse, world));
      if (m_rows > 0) {
        const V3f normal = transformNormal(m_inverse, n);
        s.pdf = 0.5f * (s.pdf + solidAngle(density(cellOf(n), length(normal)), sqr(s.distance),
                                           std::abs(dot(s.direction, normalize(normal)))));
      }
      s.radiance = at(world, n, s.direction);
      return !isBlack(s.radiance);
    }
    const V3f n = sampleUniformSphere(u), normal = transformNormal(m_inverse, n),
              world = transformPoint(m_world, n * m_radius);
    if (!towards(from, world, normalize(normal), areaDensity(length(normal)), s)) return false;
    s.radiance = at(world, n, s.direction);
    return !isBlack(s.radiance);
  }
  float pdf(const V3f& from, const V3f& direction, float distance, const LightHit& hit) const override {
    const V3f& normal = hit.normal;
    const V3f to = m_centre - from;
    const float d2 = dot(to, to);
    const bool outside = m_uniform && d2 > m_reach * m_reach * 1.0001f;
    const float byCone = outside ? 1 / (2 * pi * cone(d2)) : 0;
    if (outside && m_rows == 0) return byCone;
    // The unit local normal behind a unit world normal: n = Mᵀ N, and |M⁻ᵀ n| = 1 / |Mᵀ N|.
    const V3f local(dot(normal, V3f(m_world[0][0], m_world[0][1], m_world[0][2])),
                    dot(normal, V3f(m_world[1][0], m_world[1][1], m_world[1][2])),
                    dot(normal, V3f(m_world[2][0], m_world[2][1], m_world[2][2])));
    const float stretch = 1 / length(local), cosine = std::abs(dot(direction, normal));
    if (m_rows == 0) return solidAngle(areaDensity(stretch), distance * distance, cosine);
    const float byPlace = solidAngle(density(cellOf(local * stretch), stretch), distance * distance, cosine);
    return outside ? 0.5f * (byPlace + byCone) : byPlace;
  }
  Color radiance(const V3f&, const V3f&, const V3f&) const override { return Color(1.0f); }
  LightReach reach() const override {
    return {.centre = m_centre, .radius = m_reach, .flux = 4 * pi * pi * m_reach * m_reach * m_mean};
  }

 private:
  void makeCells(size_t copies) {
    m_rows = std::clamp(int(std::sqrt(2048.0 / double(std::max<size_t>(1, copies)) / 2)), 4, 32);
    const int columns = 2 * m_rows;
    const size_t count = size_t(m_rows) * size_t(columns);
    std::vector<float> sends(count, 0.0f), weights(count, 1.0f);
    double sum = 0;
    for (size_t i = 0; i < count; ++i) {
      constexpr uint32_t probes = 3;
      for (uint32_t k = 0; k < probes; ++k) {
        Sampler sampler(uint32_t(i), 3, k, 7);
        const V2f u = sampler.get2();
        const V3f n = placeOf(i, u.x, u.y), world = transformPoint(m_world, n * m_radius),
                  out = normalize(transformNormal(m_inverse, n));
        sends[i] += std::max(0.0f, luminance(at(world, n, -out))) * (1.0f / float(probes));
      }
      sum += double(sends[i]);
    }
    if (sum > 0 && std::isfinite(sum)) { // else by area: what shines is finer than the probes
      m_mean = float(sum / double(count));
      for (int row = 0; row < m_rows; ++row)
        for (int column = 0; column < columns; ++column) {
          float about = 0;
          for (int y = -1; y <= 1; ++y)
            for (int x = -1; x <= 1; ++x)
              about += sends[size_t(std::clamp(row + y, 0, m_rows - 1) * columns + (column + x + columns) % columns)] *
                       (1 / 9.0f);
          const size_t i = size_t(row * columns + column);
          weights[i] = byArea * m_mean + bySurroundings * about + (1 - byArea - bySurroundings) * sends[i];
        }
    }
    m_cells = Distribution(weights);
  }
  // A place of a cell, even over it: unit, in its own space (Archimedes: equal heights have equal areas).
  V3f placeOf(size_t cell, float u0, float u1) const {
    const int columns = 2 * m_rows, row = int(cell) / columns, column = int(cell) % columns;
    const float y = std::clamp(2 * (float(row) + u0) / float(m_rows) - 1, -1.0f, 1.0f),
                phi = 2 * pi * (float(column) + u1) / float(columns), r = std::sqrt(std::max(0.0f, 1 - y * y));
    return {r * std::cos(phi), y, r * std::sin(phi)};
  }
  size_t cellOf(const V3f& n) const {
    const int columns = 2 * m_rows;
    float phi = std::atan2(n.z, n.x) / (2 * pi);
    if (phi < 0) phi += 1;
    const int row = std::clamp(int((n.y + 1) * 0.5f * float(m_rows)), 0, m_rows - 1),
              column = std::clamp(int(phi * float(columns)), 0, columns - 1);
    return size_t(row * columns + column);
  }
  // Over area, of the choice by cells; `stretch` as areaDensity() has it.
  float density(size_t cell, float stretch) const {
    return m_cells.probability(cell) * float(2 * m_rows * m_rows) * areaDensity(stretch);
  }
  // What point of the sphere (n: unit, in its own space) sends out against the direction.
  Color at(const V3f& world, const V3f& n, const V3f& direction) const {
    PatternPoint p = m_own.common;
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
  int m_rows = 0; ///< of cells; 0: it is sampled evenly
  Distribution m_cells;
  float m_mean = 1; ///< of what it sends out
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
  return share > 0 ? m.emitted(p) * share : Color(0.0f);
}

bool OwnLight::varies() const {
  return material->emissionColor.program || material->opacity.program ||
         std::any_of(masks.begin(), masks.end(), [](const auto& m) { return m.first->program != nullptr; });
}

std::unique_ptr<Light> glowingMesh(const Shape& shape, bool closed, const M44f& m, OwnLight own, size_t copies) {
  return std::make_unique<GlowingMesh>(shape, closed, m, std::move(own), copies);
}
std::unique_ptr<Light> glowingSphere(float radius, const M44f& m, OwnLight own, size_t copies) {
  return std::make_unique<GlowingSphere>(radius, m, std::move(own), copies);
}

} // namespace ilumbra
