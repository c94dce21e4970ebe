// Every edge a round rod, every corner a ball, as one closed skin.
#include "core/base/error.h"
#include "core/base/tasks.h"
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"
#include "core/geometry/volume_skin.h"

#include <fmt/format.h>

#include <openvdb/openvdb.h>

#include <mutex>

namespace ilumbra {
namespace {

constexpr double mostVoxels = 400e6;
constexpr float band = 3; // voxels around the skin

struct Rod {
  V3f a, b;
};

struct Skin {
  float radius, joint; ///< of rods and of the balls where they meet, metres
  float voxel, soften; ///< metres
  float background;    ///< beyond this distance the field is not kept
};

// Takes a rod into the field of distances. Along its longest side slab by slab: the box of a slanted rod is mostly
// empty.
void addRod(openvdb::FloatGrid::Accessor& at, const Rod& r, const Skin& skin) {
  const auto [radius, joint, voxel, soften, background] = skin;
  const V3f lo = vmin(r.a, r.b) - V3f(joint + background), hi = vmax(r.a, r.b) + V3f(joint + background), d = r.b - r.a;
  const float l2 = std::max(dot(d, d), 1e-20f), l = std::sqrt(l2);
  const auto index = [size = skin.voxel](float v) { return int(std::floor(v / size)); };
  int axis = 0;
  for (int k = 1; k < 3; ++k)
    if (std::abs(d[k]) > std::abs(d[axis])) axis = k;
  const int u = (axis + 1) % 3, v = (axis + 2) % 3;
  const float slant = l / std::max(1e-20f, std::abs(d[axis]));
  for (int i = index(lo[axis]); i <= index(hi[axis]) + 1; ++i) {
    const float t = std::clamp((float(i) * voxel - r.a[axis]) / (d[axis] == 0 ? 1 : d[axis]), 0.0f, 1.0f);
    const V3f centre = r.a + d * t;
    const float reach = (joint + background) * slant + voxel;
    for (int j = std::max(index(lo[u]), index(centre[u] - reach));
         j <= std::min(index(hi[u]), index(centre[u] + reach)) + 1; ++j)
      for (int k = std::max(index(lo[v]), index(centre[v] - reach));
           k <= std::min(index(hi[v]), index(centre[v] + reach)) + 1; ++k) {
        V3f p;
        p[axis] = float(i) * voxel;
        p[u] = float(j) * voxel;
        p[v] = float(k) * voxel;
        const float along = std::clamp(dot(p - r.a, d) / l2, 0.0f, 1.0f);
        float value = length(p - r.a - d * along) - radius;
        value = std::min({value, length(p - r.a) - joint, length(p - r.b) - joint});
        if (value >= background) continue;
        openvdb::Coord c;
        c[axis] = i;
        c[u] = j;
        c[v] = k;
        const float before = at.getValue(c);
        // Where rods meet, the skin runs from one into the other within `soften` (Quílez's polynomial minimum).
        if (soften > 0 && before < background) {
          const float h = std::max(0.0f, soften - std::abs(before - value)) / soften;
          value = std::min(before, value) - h * h * soften * 0.25f;
        }
        at.setValue(c, std::max(-background, std::min(before, value)));
      }
  }
}

// The field between eight voxels, and its slope where that is asked for.
float fieldAt(const openvdb::FloatGrid::ConstAccessor& reader, float voxel, const V3f& x, V3f* slope) {
  const V3f v = x * (1 / voxel);
  const openvdb::Coord c(int(std::floor(v.x)), int(std::floor(v.y)), int(std::floor(v.z)));
  const V3f f = v - V3f(float(c[0]), float(c[1]), float(c[2]));
  float corner[2][2][2];
  for (int a = 0; a < 2; ++a)
    for (int b = 0; b < 2; ++b)
      for (int d = 0; d < 2; ++d) corner[a][b][d] = reader.getValue(c.offsetBy(a, b, d));
  const auto along = [](float a, float b, float t) { return a + (b - a) * t; };
  float z[2][2], y[2];
  for (int a = 0; a < 2; ++a)
    for (int b = 0; b < 2; ++b) z[a][b] = along(corner[a][b][0], corner[a][b][1], f.z);
  for (int a = 0; a < 2; ++a) y[a] = along(z[a][0], z[a][1], f.y);
  if (slope) {
    const auto rise = [&](int a, int b) { return corner[a][b][1] - corner[a][b][0]; };
    *slope = normalize(V3f(y[1] - y[0], along(z[0][1] - z[0][0], z[1][1] - z[1][0], f.x),
                           along(along(rise(0, 0), rise(0, 1), f.y), along(rise(1, 0), rise(1, 1), f.y), f.x)));
  }
  return along(y[0], y[1], f.x);
}

Mesh skinOf(const std::vector<Rod>& rods, const Skin& skin, const std::string& name) {
  static std::once_flag ready;
  std::call_once(ready, [] { openvdb::initialize(); });
  const float voxel = skin.voxel;
  double voxels = 0;
  for (const Rod& r : rods) voxels += double(length(r.b - r.a) / voxel + 8) * sqr(2 * (skin.joint / voxel + band));
  if (voxels > mostVoxels)
    throw badInput(fmt::format("{}.detail: {} rods of this length ask for {:.0f} million voxels; {:.0f} are possible",
                               name, rods.size(), voxels / 1e6, mostVoxels / 1e6));
  openvdb::FloatGrid::Ptr grid = openvdb::FloatGrid::create(skin.background);
  grid->setTransform(openvdb::math::Transform::createLinearTransform(double(voxel)));
  grid->setGridClass(openvdb::GRID_LEVEL_SET);
  auto at = grid->getAccessor();
  for (const Rod& r : rods) addRod(at, r, skin);
  openvdb::tools::VolumeToMesh mesher(0.0);
  mesher(*grid);
  Mesh m;
  m.positions.resize(mesher.pointListSize());
  m.normals.resize(mesher.pointListSize());
  const size_t points = mesher.pointListSize(), block = 4096;
  parallelFor((points + block - 1) / block, [&](size_t b) {
    const openvdb::FloatGrid::ConstAccessor reader =
        grid->getConstAccessor(); // one a thread: it remembers where it was
    for (size_t i = b * block; i < std::min(points, (b + 1) * block); ++i) {
      const auto& q = mesher.pointList()[i];
      V3f p(q[0], q[1], q[2]);
      // Onto the skin itself, along its slope.
      for (int step = 0; step < 2; ++step) {
        V3f slope;
        const float off = fieldAt(reader, voxel, p, &slope);
        p -= slope * off;
      }
      // The normal over a whole voxel, so that it runs evenly.
      V3f normal;
      for (int k = 0; k < 3; ++k) {
        V3f e(0.0f);
        e[k] = 0.5f * voxel;
        normal[k] = fieldAt(reader, voxel, p + e, nullptr) - fieldAt(reader, voxel, p - e, nullptr);
      }
      m.positions[i] = p;
      m.normals[i] = normalize(normal);
    }
  });
  takePolygons(mesher, m);
  return m;
}

} // namespace

ModifierKind cageModifier() {
  return {{.id = "modifier.cage",
           .label = "Wire cage",
           .helpText = "Only the edges stay: rods with balls where they meet, as one closed skin.",
           .params = modifierParams(
               {choice("edges", "Edges", {"without diagonals", "all", "sharp"})
                    .at(Invalidation::Geometry)
                    .matters()
                    .help("Which of them: those of quads, those of all triangles, or where the surface turns"),
                number("sharp", "Sharp from", "°", 25)
                    .soft(1, 90)
                    .range(0, 180)
                    .at(Invalidation::Geometry)
                    .help("Of sharp edges: how much the surface turns at least; open edges always count"),
                number("radius", "Rods", "m", 0.006)
                    .soft(0.0005, 0.1)
                    .range(1e-5, 1e4)
                    .log()
                    .at(Invalidation::Geometry)
                    .matters()
                    .help("Radius of the rods"),
                number("joint", "Joints", "×", 1.3)
                    .soft(1, 3)
                    .range(1, 20)
                    .at(Invalidation::Geometry)
                    .help("Radius of the balls, of the rods'; 1: rods run into one another"),
                number("soften", "Soften", "×", 0.5)
                    .soft(0, 2)
                    .range(0, 10)
                    .at(Invalidation::Geometry)
                    .help("How far rods run into one another where they meet, of their radius"),
                number("detail", "Detail", "×", 1)
                    .soft(0.5, 3)
                    .range(0.2, 8)
                    .at(Invalidation::Geometry)
                    .help("Three voxels a radius at 1; the time grows with its cube")})},
          [](Form& form, const Params& p, const BuildFrom&) {
            Mesh& mesh = meshOf(form);
            const Welded w = weld(mesh);
            const std::vector<MeshEdge> edges = edgesOf(w);
            const std::string which = p.text("edges");
            const float least = std::cos(p.real("sharp") * pi / 180);
            const std::vector<char> diagonal =
                which == "without diagonals" ? quadDiagonals(w, edges) : std::vector<char>(edges.size());
            std::vector<Rod> rods;
            for (size_t i = 0; i < edges.size(); ++i) {
              const MeshEdge& e = edges[i];
              if (diagonal[i]) continue;
              if (which == "sharp" && !e.open() && dot(normalOf(w, e.left), normalOf(w, e.right)) > least) continue;
              rods.push_back({w.positions[e.a], w.positions[e.b]});
            }
            if (rods.empty()) throw badInput(p.node().name + ".edges: the object has no such edges");
            const float r = p.real("radius"), voxel = r / (3 * p.real("detail"));
            mesh = skinOf(rods, {r, r * p.real("joint"), voxel, r * p.real("soften"), band * voxel}, p.node().name);
          },
          {}};
}

} // namespace ilumbra
