// A floor that runs up into a wall without an edge.
#include "core/base/error.h"
#include "core/geometry/grid.h"

namespace ilumbra {

ShapeKind backdropShape() {
  return {{.id = "object.backdrop",
           .label = "Backdrop sweep",
           .helpText = "A floor that bends up into a wall behind: no horizon is seen.",
           .params = join({{sizeParam("width", "Width", 6, "Along x"),
                            sizeParam("depth", "Depth", 4, "Of floor and bend, towards the back"),
                            sizeParam("height", "Height", 3, "Of bend and wall"),
                            number("bend", "Bend", "m", 1)
                                .soft(0, 3)
                                .range(0, 1e6)
                                .at(Invalidation::Geometry)
                                .matters()
                                .help("Radius of the round between floor and wall; 0: an edge"),
                            segmentsParam("segments", "Segments", "Of a full turn of the bend")},
                           objectParams()})},
          [](const Params& p, const BuildFrom&) {
            const float w = p.real("width"), d = p.real("depth"), h = p.real("height"), r = p.real("bend");
            if (r > std::min(d, h))
              throw badInput(p.node().name + ".bend: the round is larger than the floor or the wall");
            struct At {
              V2f place, normal; // z and y
            };
            std::vector<At> line{{{0.5f * d, 0}, {0, 1}}};
            const uint32_t steps = r > 0 ? std::max(8u, segmentsFor(p.number("segments"), r) / 4) : 1;
            for (uint32_t i = 0; i <= steps; ++i) {
              const float a = 0.5f * pi * float(i) / float(steps);
              line.push_back({{-0.5f * d + r - r * std::sin(a), r - r * std::cos(a)}, {std::sin(a), std::cos(a)}});
            }
            line.push_back({{-0.5f * d, h}, {1, 0}});
            float whole = 0;
            for (size_t i = 1; i < line.size(); ++i) whole += (line[i].place - line[i - 1].place).length();
            Shape s;
            float before = 0;
            for (size_t i = 1; i < line.size(); ++i) {
              const float step = (line[i].place - line[i - 1].place).length();
              const size_t from = s.mesh.positions.size();
              appendGrid(s.mesh, 1, 1, [&](float u, float v, V3f& q, V3f& n) {
                const At& at = line[v > 0 ? i : i - 1];
                q = {(u - 0.5f) * w, at.place.y, at.place.x};
                n = {0, at.normal.y, at.normal.x};
              });
              for (size_t k = from; k < s.mesh.uvs.size(); ++k)
                s.mesh.uvs[k].y = (before + s.mesh.uvs[k].y * step) / whole;
              before += step;
            }
            return s;
          }};
}

} // namespace ilumbra
