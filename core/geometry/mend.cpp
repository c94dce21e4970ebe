#include "core/geometry/form.h"
#include "core/geometry/health.h"

namespace ilumbra {

ModifierKind mendModifier() {
  return {
      {.id = "modifier.mend",
       .label = "Mend",
       .helpText = "Makes a broken mesh a body: near corners one, faces outwards, holes closed.",
       .params = modifierParams(
           {number("merge", "Merge within", "m", 1e-5)
                .soft(0, 0.01)
                .range(0, 10)
                .at(Invalidation::Geometry)
                .matters()
                .help("Corners nearer than this become one; 0: only those at the same place"),
            flag("clean", "Takes out doubled faces", true)
                .at(Invalidation::Geometry)
                .matters()
                .help("And faces without area"),
            flag("outwards", "Turns faces outwards", true)
                .at(Invalidation::Geometry)
                .matters()
                .help("Bodies look outwards, hollows inwards, sheets to one side"),
            flag("close", "Closes holes", true).at(Invalidation::Geometry).matters().help("Fills rings of open edges"),
            integer("largest_hole", "Largest hole", 1000)
                .soft(3, 10000)
                .range(3, 1e6)
                .at(Invalidation::Geometry)
                .help("Most edges around a hole that is closed")})},
      [](Form& form, const Params& p, const BuildFrom&) {
        Mesh& mesh = meshOf(form);
        mesh = mended(mesh, {p.real("merge"), p.flag("clean"), p.flag("outwards"), p.flag("close"),
                             size_t(p.number("largest_hole"))});
        form.shape.forms.clear();
      },
      {}};
}

} // namespace ilumbra
