// A body broken into cells that fly apart.
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/base/tasks.h"
#include "core/geometry/form.h"
#include "core/geometry/grid.h"
#include "core/geometry/mesh_tools.h"
#include "core/geometry/solids.h"

#include <fmt/format.h>

#include <voro++/voro++.hh>

namespace ilumbra {
namespace {

struct Cell {
  V3f seed;
  std::vector<HalfSpace> sides; ///< to its neighbours alone
};

// The Voronoi cells of some places: their bounding planes, found by voro++.
std::vector<Cell> cellsOf(const std::vector<V3f>& seeds, const Box3f& box) {
  const V3f room = box.size() * 0.05f + V3f(1e-4f), lo = box.min - room, hi = box.max + room;
  const int blocks = std::max(1, int(std::cbrt(double(seeds.size()) / 5)));
  voro::container all(double(lo.x), double(hi.x), double(lo.y), double(hi.y), double(lo.z), double(hi.z), blocks,
                      blocks, blocks, false, false, false, 8);
  for (size_t i = 0; i < seeds.size(); ++i) all.put(int(i), double(seeds[i].x), double(seeds[i].y), double(seeds[i].z));
  std::vector<Cell> cells(seeds.size());
  voro::c_loop_all loop(all);
  voro::voronoicell_neighbor cell;
  if (loop.start()) do
      if (all.compute_cell(cell, loop)) {
        Cell& c = cells[size_t(loop.pid())];
        c.seed = seeds[size_t(loop.pid())];
        std::vector<int> neighbours;
        cell.neighbors(neighbours);
        for (const int k : neighbours)
          if (k >= 0) {
            const Imath::V3d a(c.seed), b(seeds[size_t(k)]), n = (b - a).normalized();
            c.sides.push_back({n, n.dot((a + b) * 0.5)});
          }
      }
    while (loop.inc());
  return cells;
}

} // namespace

ModifierKind burstModifier() {
  return {
      {.id = "modifier.burst",
       .label = "Burst",
       .helpText = "Breaks a body into pieces that lie or fly apart: pieces that are massive, or shards of its skin.",
       .params = modifierParams({integer("pieces", "Pieces", 24)
                                     .soft(2, 200)
                                     .range(2, 2000)
                                     .at(Invalidation::Geometry)
                                     .matters()
                                     .help("How many, about"),
                                 integer("seed", "Seed", 1)
                                     .soft(1, 100)
                                     .range(0, 1e6)
                                     .at(Invalidation::Geometry)
                                     .matters()
                                     .help("Each number breaks it into other pieces"),
                                 choice("form", "Pieces are", {"massive", "shards of the skin"})
                                     .at(Invalidation::Geometry)
                                     .matters()
                                     .help("Massive pieces need a closed body"),
                                 number("thickness", "Thickness", "m", 0.006)
                                     .soft(0.0005, 0.05)
                                     .range(1e-6, 1e4)
                                     .log()
                                     .at(Invalidation::Geometry)
                                     .help("Of shards, inwards from the skin"),
                                 number("cluster", "Small at the middle", "%", 0)
                                     .soft(0, 1)
                                     .range(0, 1)
                                     .at(Invalidation::Geometry)
                                     .help("Share by which pieces crowd around where the push comes from"),
                                 number("gap", "Gap", "m", 0.002)
                                     .soft(0, 0.05)
                                     .range(0, 1e4)
                                     .at(Invalidation::Geometry)
                                     .matters()
                                     .help("Taken off between pieces"),
                                 vector("from", "Pushed from", "m", {0, 0, 0})
                                     .soft(-1, 1)
                                     .at(Invalidation::Geometry)
                                     .in("Push")
                                     .help("Point in the object's own space"),
                                 number("push", "Push", "m", 0.1)
                                     .soft(0, 1)
                                     .range(-1e5, 1e5)
                                     .at(Invalidation::Geometry)
                                     .matters()
                                     .in("Push")
                                     .help("How far pieces at that point fly"),
                                 number("reach", "Reach", "m", 0.5)
                                     .soft(0.05, 5)
                                     .range(1e-4, 1e6)
                                     .log()
                                     .at(Invalidation::Geometry)
                                     .in("Push")
                                     .help("Distance at which a third of the push is left"),
                                 number("uneven", "Uneven", "%", 0.4)
                                     .soft(0, 1)
                                     .range(0, 1)
                                     .at(Invalidation::Geometry)
                                     .in("Push")
                                     .help("Up to so much more or less for each piece, and askew"),
                                 number("turn", "Turn", "°", 30)
                                     .soft(0, 180)
                                     .range(0, 3600)
                                     .at(Invalidation::Geometry)
                                     .in("Push")
                                     .help("Pieces turn by up to so much where the push is full"),
                                 reference("inside_material", "Broken faces", {"material."})
                                     .at(Invalidation::Shading)
                                     .help("What the breaks are made of; nothing: of the same")})},
      [](Form& form, const Params& p, const BuildFrom& from) {
        Mesh& mesh = meshOf(form);
        if (mesh.triangles.empty()) return;
        const std::string& name = from.doc.find(p.node().parent) ? from.doc.find(p.node().parent)->name : p.node().name;
        const bool massive = p.text("form") == "massive";
        if (massive && !isClosed(mesh))
          throw badInput(name + ": is an open mesh, which has no massive pieces; shards of its skin it has");
        Box3f box;
        for (const V3f& q : mesh.positions) box.extendBy(q);
        const auto seed = uint32_t(p.number("seed"));
        const V3f source = vec(p.triple("from"));
        const float cluster = p.real("cluster");
        std::vector<V3f> seeds;
        for (uint32_t i = 0; i < uint32_t(p.number("pieces")); ++i) {
          V3f q = box.min + V3f(chanceOf(seed, i, 0), chanceOf(seed, i, 1), chanceOf(seed, i, 2)) * box.size();
          const V3f inBox(std::clamp(source.x, box.min.x, box.max.x), std::clamp(source.y, box.min.y, box.max.y),
                          std::clamp(source.z, box.min.z, box.max.z));
          seeds.push_back(inBox + (q - inBox) * std::pow(chanceOf(seed, i, 3), cluster));
        }
        const std::vector<Cell> cells = cellsOf(seeds, box);
        const double half = p.number("gap") / 2, size = double(length(box.size()));
        std::vector<Mesh> pieces(cells.size());
        std::vector<std::string> warnings(cells.size());
        Tasks().forEach(int(cells.size()), [&](int i) {
          if (from.cancel && from.cancel->requested()) return;
          const Cell& cell = cells[size_t(i)];
          std::vector<HalfSpace> sides = cell.sides;
          for (HalfSpace& s : sides) s.distance -= half;
          Mesh piece;
          try {
            if (massive) {
              for (int k = 0; k < 6; ++k) {
                Imath::V3d n(0);
                n[k / 2] = k % 2 ? 1 : -1;
                sides.push_back({n, n.dot(Imath::V3d(box.center())) + size});
              }
              const Mesh block = convexBody(sides);
              if (!block.triangles.empty()) piece = joined(mesh, block, Joining::Common, name, p.node().name);
            } else {
              // What lies beyond one of the planes altogether needs no cutting.
              piece = part(mesh, [&](size_t t) {
                const auto& k = mesh.triangles[t];
                return std::none_of(sides.begin(), sides.end(), [&](const HalfSpace& s) {
                  const V3f n(s.normal);
                  const auto d = float(s.distance);
                  return dot(n, mesh.positions[k.a]) > d && dot(n, mesh.positions[k.b]) > d &&
                         dot(n, mesh.positions[k.c]) > d;
                });
              });
              for (const HalfSpace& s : sides) {
                if (piece.triangles.empty()) break;
                piece = clipped(piece, V3f(s.normal * s.distance), V3f(s.normal));
              }
              if (!piece.triangles.empty()) thicken(piece, p.real("thickness"), 0, true);
            }
          } catch (const Error& e) {
            warnings[size_t(i)] = e.what();
          }
          pieces[size_t(i)] = std::move(piece);
        });
        from.stopIfCancelled();
        for (const std::string& t : warnings)
          if (!t.empty()) throw badInput(t);
        const float push = p.real("push"), reach = p.real("reach"), uneven = p.real("uneven"), turn = p.real("turn");
        Mesh all;
        for (uint32_t i = 0; i < pieces.size(); ++i) {
          Mesh& piece = pieces[i];
          if (piece.triangles.empty()) continue;
          Box3f own;
          for (const V3f& q : piece.positions) own.extendBy(q);
          const V3f centre = own.center(), away = centre - source;
          const auto chance = [&](uint32_t k) { return 2 * chanceOf(seed, i, k) - 1; };
          const float fall = std::exp(-1.1f * length(away) / reach);
          const V3f way = normalize(normalize(away) + V3f(chance(4), chance(5), chance(6)) * (0.5f * uneven));
          M44f m;
          m.setTranslation(-centre);
          m = m * placement(centre + way * (push * fall * (1 + uneven * chance(7))),
                            V3f(chance(8), chance(9), chance(10)) * (turn * fall), V3f(1.0f));
          transform(piece, m);
          append(all, piece);
        }
        if (all.triangles.empty()) throw badInput(p.node().name + ".gap: it leaves nothing of the pieces");
        mesh = std::move(all);
      },
      {}};
}

} // namespace ilumbra
