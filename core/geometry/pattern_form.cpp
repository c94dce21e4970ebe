// A dense form: the skin where a pattern in space reaches a cut-off, within bounds.
#include "core/base/error.h"
#include "core/base/tasks.h"
#include "core/geometry/form.h"
#include "core/geometry/volume_skin.h"
#include "core/pattern/program.h"

#include <fmt/format.h>
#include <mutex>
#include <openvdb/openvdb.h>

namespace ilumbra {
namespace {

// More than 0 inside: the pattern over its cut-off, and the way to the bounds, whichever is less.
class Field {
 public:
  Field(std::shared_ptr<const Program> program, float even, float cut, bool ball, const V3f& half, const M44f& world,
        float slope)
      : m_program(std::move(program)), m_even(even), m_cut(cut), m_ball(ball), m_half(half), m_world(world),
        m_slope(slope) {}
  float pattern(const V3f& p) const { return m_program ? over(m_program->evaluate(pointAt(p))) : m_even - m_cut; }
  /// Metres to the bounds, more than 0 inside.
  float room(const V3f& p) const {
    if (m_ball) return m_half.x - length(p);
    return std::min(m_half.x - std::abs(p.x), std::min(m_half.y - std::abs(p.y), m_half.z - std::abs(p.z)));
  }
  float operator()(const V3f& p) const { return std::min(pattern(p), room(p) * m_slope); }
  /// At many places.
  void operator()(const std::vector<V3f>& places, float* out) const {
    std::vector<Sample4> values(places.size());
    if (m_program) {
      std::vector<PatternPoint> points;
      points.reserve(places.size());
      for (const V3f& p : places) points.push_back(pointAt(p));
      m_program->evaluate(points, values.data());
    }
    for (size_t i = 0; i < places.size(); ++i)
      out[i] = std::min(m_program ? over(values[i]) : m_even - m_cut, room(places[i]) * m_slope);
  }
  /// True if the bounds are what ends the form there.
  bool bounded(const V3f& p) const { return room(p) * m_slope <= pattern(p); }
  V3f boundNormal(const V3f& p) const {
    if (m_ball) return normalize(p);
    V3f n(0.0f);
    float least = std::numeric_limits<float>::max();
    int axis = 0;
    for (int k = 0; k < 3; ++k)
      if (const float r = m_half[k] - std::abs(p[k]); r < least) least = r, axis = k;
    n[axis] = p[axis] < 0 ? -1.0f : 1.0f;
    return n;
  }
  /// Bounds of the pattern over a box.
  void over(const Box3f& b, float& low, float& high) const {
    if (!m_program) {
      low = high = m_even - m_cut;
      return;
    }
    PatternBox box;
    box.low.position = b.min;
    box.high.position = b.max;
    Box3f world;
    for (int c = 0; c < 8; ++c)
      world.extendBy(
          transformPoint(m_world, {c & 1 ? b.max.x : b.min.x, c & 2 ? b.max.y : b.min.y, c & 4 ? b.max.z : b.min.z}));
    box.low.world = world.min;
    box.high.world = world.max;
    box.low.uv = {b.min.x, b.min.y};
    box.high.uv = {b.max.x, b.max.y};
    const Bounds4 v = m_program->bounds(box);
    low = (v.x.low + v.y.low + v.z.low) / 3 - m_cut;
    high = (v.x.high + v.y.high + v.z.high) / 3 - m_cut;
  }

 private:
  PatternPoint pointAt(const V3f& p) const {
    PatternPoint at;
    at.position = p;
    at.world = transformPoint(m_world, p);
    at.uv = {p.x, p.y};
    return at;
  }
  // By how much a value is over the cut-off.
  float over(const Sample4& v) const {
    const float f = (v.x + v.y + v.z) * (1 / 3.0f) - m_cut;
    return std::isfinite(f) ? f : -1;
  }
  std::shared_ptr<const Program> m_program;
  float m_even, m_cut;
  bool m_ball;
  V3f m_half;
  M44f m_world;
  float m_slope; ///< by which metres of room are told as the pattern's numbers
};

// The field at the corners of cells, eight to a brick's side, with two cells of nothing around what it is bounded by.
class Bricks {
 public:
  Bricks(const V3f& half, int fineness)
      : m_half(half), m_voxel(2 * std::max(half.x, std::max(half.y, half.z)) / float(fineness)) {
    for (int k = 0; k < 3; ++k) m_count[k] = (int(std::ceil(2 * half[k] / m_voxel)) + 5 + side - 1) / side;
    m_values.resize(size_t(m_count[0]) * size_t(m_count[1]) * size_t(m_count[2]));
    m_solid.resize(m_values.size());
  }
  float voxel() const { return m_voxel; }
  template <class T> V3f place(T x, T y, T z) const {
    return V3f(float(x - 2), float(y - 2), float(z - 2)) * m_voxel - m_half;
  }

  void fill(const Field& field, const CancelFlag* cancel) {
    parallelFor(m_values.size(), [&](size_t b) {
      if (cancel && cancel->requested()) return;
      const auto [bx, by, bz] = firstOf(b);
      Box3f box;
      box.min = place(bx, by, bz) - V3f(m_voxel);
      box.max = place(bx + side, by + side, bz + side);
      float low, high;
      field.over(box, low, high);
      if (high < 0) return;
      if (low > 0 && roomAround(field, box) > 0) { // the pattern is whole here, and the bounds do not cut it
        m_solid[b] = 1;
        return;
      }
      std::vector<V3f> places(side * side * side);
      for (int z = 0; z < side; ++z)
        for (int y = 0; y < side; ++y)
          for (int x = 0; x < side; ++x) places[within(x, y, z)] = place(bx + x, by + y, bz + z);
      m_values[b].resize(places.size());
      field(places, m_values[b].data());
    });
  }

  // The mesher has what is inside below 0.
  openvdb::FloatGrid::Ptr grid() const {
    const float outside = 1, inside = -1;
    openvdb::FloatGrid::Ptr grid = openvdb::FloatGrid::create(outside);
    grid->setTransform(openvdb::math::Transform::createLinearTransform(1.0));
    grid->setGridClass(openvdb::GRID_LEVEL_SET);
    auto at = grid->getAccessor();
    for (size_t b = 0; b < m_values.size(); ++b) {
      if (m_values[b].empty() && !m_solid[b]) continue;
      const auto [bx, by, bz] = firstOf(b);
      for (int z = 0; z < side; ++z)
        for (int y = 0; y < side; ++y)
          for (int x = 0; x < side; ++x)
            at.setValue({bx + x, by + y, bz + z},
                        m_solid[b] ? inside : -std::clamp(m_values[b][within(x, y, z)], -1.0f, 1.0f));
    }
    return grid;
  }

 private:
  static constexpr int side = 8;
  static size_t within(int x, int y, int z) { return size_t((z * side + y) * side + x); }
  std::array<int, 3> firstOf(size_t brick) const {
    const size_t wide = size_t(m_count[0]), deep = wide * size_t(m_count[1]);
    return {int(brick % wide) * side, int(brick / wide % size_t(m_count[1])) * side, int(brick / deep) * side};
  }
  static float roomAround(const Field& field, const Box3f& box) {
    float least = std::numeric_limits<float>::max();
    for (int c = 0; c < 8; ++c)
      least = std::min(least, field.room({c & 1 ? box.max.x : box.min.x, c & 2 ? box.max.y : box.min.y,
                                          c & 4 ? box.max.z : box.min.z}));
    return least;
  }
  V3f m_half;
  float m_voxel;
  int m_count[3];
  std::vector<std::vector<float>> m_values; ///< by brick; empty: outside all over, or
  std::vector<char> m_solid;                ///< inside all over
};

Mesh skin(const Field& field, const V3f& half, int fineness, const BuildFrom& from) {
  static std::once_flag ready;
  std::call_once(ready, [] { openvdb::initialize(); });
  Bricks bricks(half, fineness);
  const float voxel = bricks.voxel();
  bricks.fill(field, from.cancel);
  from.stopIfCancelled();
  openvdb::tools::VolumeToMesh mesher(0.0);
  mesher(*bricks.grid());
  Mesh m;
  const size_t count = mesher.pointListSize();
  m.positions.resize(count);
  m.normals.resize(count);
  parallelFor(count, [&](size_t i) {
    const auto& q = mesher.pointList()[i];
    V3f p = bricks.place(q[0], q[1], q[2]);
    const auto slope = [&](const V3f& x, float e) {
      V3f g;
      for (int k = 0; k < 3; ++k) {
        V3f s(0.0f);
        s[k] = e;
        g[k] = (field(x + s) - field(x - s)) / (2 * e);
      }
      return g;
    };
    // Onto the cut-off itself, along the slope, not further than a voxel.
    for (int step = 0; step < 4; ++step) {
      const V3f g = slope(p, 0.05f * voxel);
      const float g2 = dot(g, g), f = field(p);
      if (!(g2 > 0)) break;
      V3f by = g * (-f / g2);
      if (const float l = length(by); l > 0.5f * voxel) by *= 0.5f * voxel / l;
      p += by;
    }
    m.positions[i] = p;
    // Where the bounds cut it their normal counts.
    const V3f g = slope(p, 0.25f * voxel);
    m.normals[i] = field.bounded(p) ? field.boundNormal(p) : dot(g, g) > 0 ? normalize(-g) : V3f(0, 1, 0);
  });
  takePolygons(mesher, m);
  return m;
}

} // namespace

ShapeKind patternFormShape() {
  return {
      {.id = "object.pattern_form",
       .label = "Dense form",
       .helpText = "A body made of a pattern in space: shells, cut-aways, combs, blobs pushed out by noise.",
       .params = join(
           {{number("amount", "Pattern", "", 1)
                 .soft(0, 1)
                 .range(-1e6, 1e6)
                 .patterned()
                 .at(Invalidation::Geometry)
                 .matters()
                 .help("How dense it is from place to place: a solid, a comb, noise, or several laid over one another"),
             number("cut_off", "Cut-off", "", 0.5)
                 .soft(0, 1)
                 .range(-1e6, 1e6)
                 .at(Invalidation::Geometry)
                 .matters()
                 .help("Where the pattern is more than this, the body is"),
             choice("bounds", "Bounds", {"box", "ball"})
                 .at(Invalidation::Geometry)
                 .help("Nothing of it stands out of them: there it is cut flat"),
             number("width", "Width", "m", 1)
                 .soft(0.05, 4)
                 .range(1e-4, 1e5)
                 .log()
                 .at(Invalidation::Geometry)
                 .matters()
                 .help("Of the bounds; of a ball its diameter"),
             number("height", "Height", "m", 1)
                 .soft(0.05, 4)
                 .range(1e-4, 1e5)
                 .log()
                 .at(Invalidation::Geometry)
                 .when("bounds", "box")
                 .help("Of the bounds"),
             number("depth", "Depth", "m", 1)
                 .soft(0.05, 4)
                 .range(1e-4, 1e5)
                 .log()
                 .at(Invalidation::Geometry)
                 .when("bounds", "box")
                 .help("Of the bounds"),
             integer("fineness", "Fineness", 128)
                 .soft(32, 400)
                 .range(4, 800)
                 .at(Invalidation::Geometry)
                 .help("Facets along its longest side; its skin lies on the cut-off at any of them, what is smaller "
                       "than a facet is lost")},
            objectParams()})},
      [](const Params& p, const BuildFrom& from) {
        std::shared_ptr<const Program> program;
        float even = p.pattern("amount") ? 0 : p.real("amount");
        if (const auto use = p.pattern("amount")) {
          program =
              std::make_shared<const Program>(Program::compile(from.doc, use->pattern, from.frame, from.assets, false));
          if (const Sample4* c = program->constant()) {
            even = (c->x + c->y + c->z) / 3;
            program.reset();
          }
        }
        const bool ball = p.text("bounds") == "ball";
        const float width = p.real("width");
        const V3f half = ball ? V3f(0.5f * width) : V3f(0.5f * width, 0.5f * p.real("height"), 0.5f * p.real("depth"));
        const int fineness = int(p.number("fineness"));
        const float voxel = 2 * std::max(half.x, std::max(half.y, half.z)) / float(fineness);
        const Field field(program, even, p.real("cut_off"), ball, half, worldMatrix(from.doc, p.node(), from.frame),
                          0.25f / voxel);
        Shape s;
        s.mesh = skin(field, half, fineness, from);
        if (s.mesh.triangles.empty())
          throw badInput(fmt::format("{}.cut_off: the pattern nowhere reaches {:g} within the bounds", p.node().name,
                                     p.number("cut_off")));
        // Told once: how much of the skin is where the bounds cut it.
        size_t cut = 0;
        for (const V3f& v : s.mesh.positions) cut += field.bounded(v);
        if (from.warnings && program && cut * 50 > s.mesh.positions.size())
          from.warnings->push_back(fmt::format(
              "{}: {:.0f} % of its skin is where its bounds cut it; make them larger, or fade the pattern before them",
              p.node().name, 100.0 * double(cut) / double(s.mesh.positions.size())));
        return s;
      }};
}

} // namespace ilumbra
