#include "core/geometry/rounding.h"

#include "core/base/error.h"

#include <fmt/format.h>

namespace ilumbra {

ModifierKind roundModifier() {
  return {
      {.id = "modifier.round",
       .label = "Round edges",
       .helpText = "Makes sharp edges round, so that they catch the light, and the corners where they meet.",
       .params = modifierParams({number("radius", "Radius", "m", 0.005)
                                     .soft(0.0002, 0.1)
                                     .range(1e-6, 1e4)
                                     .log()
                                     .at(Invalidation::Geometry)
                                     .matters()
                                     .help("Of the round; where there is no room for it, less"),
                                 choice("edges", "Edges", {"outer", "inner", "both"})
                                     .at(Invalidation::Geometry)
                                     .matters()
                                     .help("Those that stick out, those that a brush would not reach into, or both"),
                                 number("sharp", "Sharp from", "°", 30)
                                     .soft(1, 90)
                                     .range(0.1, 179)
                                     .at(Invalidation::Geometry)
                                     .help("How much the surface turns at an edge that is made round, at least"),
                                 integer("steps", "Steps", 4)
                                     .soft(1, 12)
                                     .range(1, 64)
                                     .at(Invalidation::Geometry)
                                     .help("Facets from a side to the middle of the round")})},
      [](Form& form, const Params& p, const BuildFrom& from) {
        Mesh mesh = meshOf(form);
        if (mesh.normals.empty()) smooth(mesh, 0.5f); // facets stay facets
        const std::string which = p.text("edges");
        rounding::Rounding rounding(mesh, p.real("radius"), int(p.number("steps")), p.real("sharp"), which != "inner",
                                    which != "outer");
        if (rounding.crowded() > 0)
          throw badInput(
              fmt::format("{}: {} edges have more than two faces; Mend may help", p.node().name, rounding.crowded()));
        if (rounding.count() == 0)
          throw badInput(fmt::format("{}.edges: the object has no such edges that turn by {}° or more", p.node().name,
                                     p.number("sharp")));
        Mesh made = rounding.run(from);
        if (rounding.narrow > 0 && from.warnings)
          from.warnings->push_back(fmt::format("{}.radius: {} of {} corners have no room for it and are rounded less",
                                               p.node().name, rounding.narrow, rounding.rounded));
        meshOf(form) = std::move(made);
      },
      {}};
}

} // namespace ilumbra
