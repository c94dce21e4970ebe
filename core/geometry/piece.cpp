// One part of a form: what hangs together, or what a cut brought to light.
#include "core/base/error.h"
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"

#include <fmt/format.h>
#include <map>

namespace ilumbra {

ModifierKind pieceModifier() {
  return {
      {.id = "modifier.piece",
       .label = "Piece",
       .helpText = "Keeps one part of the form alone: a connected piece by its number, or the faces of a cut.",
       .params = modifierParams({choice("keep", "Keeps", {"a piece", "cut faces", "all but cut faces"})
                                     .at(Invalidation::Geometry)
                                     .matters()
                                     .help("A piece is what hangs together by its edges; pieces are counted by size"),
                                 integer("which", "Which", 1)
                                     .soft(1, 20)
                                     .range(1, 1e6)
                                     .at(Invalidation::Geometry)
                                     .matters()
                                     .help("1: the largest piece")})},
      [](Form& form, const Params& p, const BuildFrom&) {
        Mesh& mesh = meshOf(form);
        form.shape.forms.clear();
        const std::string keep = p.text("keep");
        if (keep != "a piece") {
          if (mesh.inside.empty()) {
            if (keep == "cut faces")
              throw badInput(p.node().name + ".keep: nothing of the form came to light by a cut");
            return;
          }
          const Mesh from = mesh;
          mesh = part(from, [&](size_t i) { return (from.inside[i] != 0) == (keep == "cut faces"); });
          return;
        }
        const std::vector<uint32_t> order = piecesBySize(mesh);
        const auto which = size_t(p.number("which"));
        std::vector<uint32_t> of;
        components(mesh, of);
        if (which > order.size())
          throw badInput(fmt::format("{}.which: there are {} pieces, not {}", p.node().name, order.size(), which));
        const Mesh from = mesh;
        mesh = part(from, [&](size_t i) { return of[i] == order[which - 1]; });
      },
      {}};
}

std::vector<uint32_t> piecesBySize(const Mesh& mesh) {
  std::vector<uint32_t> of;
  const uint32_t n = components(mesh, of);
  std::vector<double> area(n, 0);
  for (size_t i = 0; i < mesh.triangles.size(); ++i) {
    const auto& t = mesh.triangles[i];
    if (of[i] < n)
      area[of[i]] +=
          double(length(cross(mesh.positions[t.b] - mesh.positions[t.a], mesh.positions[t.c] - mesh.positions[t.a])));
  }
  std::vector<uint32_t> order(n);
  for (uint32_t i = 0; i < n; ++i) order[i] = i;
  std::stable_sort(order.begin(), order.end(), [&](uint32_t a, uint32_t b) { return area[a] > area[b]; });
  return order;
}

} // namespace ilumbra
