// Raises the surface by a pattern.
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"
#include "core/pattern/program.h"

namespace ilumbra {

ModifierKind displaceModifier() {
  return {{.id = "modifier.displace",
           .label = "Displace",
           .helpText = "Moves the surface outwards where a pattern is bright and inwards where it is dark.",
           .params = modifierParams({number("height", "Pattern", "", 0.5)
                                         .soft(0, 1)
                                         .range(-1e4, 1e4)
                                         .patterned()
                                         .at(Invalidation::Geometry)
                                         .matters()
                                         .help("How far the surface is moved, in depths as below"),
                                     number("depth", "Depth", "m", 0.05)
                                         .soft(0, 0.5)
                                         .range(-1e4, 1e4)
                                         .at(Invalidation::Geometry)
                                         .matters()
                                         .help("Of a pattern that is 1"),
                                     number("middle", "Middle", "", 0.5)
                                         .soft(0, 1)
                                         .range(-1e4, 1e4)
                                         .at(Invalidation::Geometry)
                                         .help("What leaves the surface where it is"),
                                     number("facet", "Facets", "m", 0.01)
                                         .soft(0.001, 0.2)
                                         .range(1e-4, 1e4)
                                         .log()
                                         .at(Invalidation::Geometry)
                                         .help("Edges that are longer are split first"),
                                     number("sharp", "Sharp from", "°", 60)
                                         .soft(0, 180)
                                         .range(0, 180)
                                         .at(Invalidation::Geometry)
                                         .help("Edges that turn by more stay sharp")})},
          [](Form& form, const Params& p, const BuildFrom& from) {
            Mesh& mesh = meshOf(form);
            splitLongEdges(mesh, p.real("facet"));
            const float depth = p.real("depth"), middle = p.real("middle");
            std::optional<Program> program;
            if (const auto use = p.pattern("height"))
              program = Program::compile(from.doc, use->pattern, from.frame, from.assets, false);
            const M44f world = from.doc.find(p.node().parent)
                                   ? worldMatrix(from.doc, *from.doc.find(p.node().parent), from.frame)
                                   : M44f();
            const Welded w = weld(mesh);
            // One normal and one height for each place: seams stay closed.
            const std::vector<V3f> normals = placeNormals(w);
            std::vector<double> height(w.positions.size(), 0);
            std::vector<int> count(w.positions.size(), 0);
            std::vector<Sample4> values(program ? mesh.positions.size() : 0);
            if (program) {
              std::vector<PatternPoint> points(values.size());
              for (size_t i = 0; i < points.size(); ++i) {
                points[i].position = mesh.positions[i];
                points[i].world = transformPoint(world, mesh.positions[i]);
                points[i].normal = normals[w.place[i]];
                if (!mesh.uvs.empty()) points[i].uv = mesh.uvs[i];
              }
              program->evaluate(points, values.data());
            }
            for (size_t i = 0; i < mesh.positions.size(); ++i) {
              const uint32_t k = w.place[i];
              height[k] +=
                  program ? (double(values[i].x) + double(values[i].y) + double(values[i].z)) / 3 : p.number("height");
              ++count[k];
            }
            for (size_t i = 0; i < mesh.positions.size(); ++i) {
              const uint32_t k = w.place[i];
              mesh.positions[i] =
                  w.positions[k] + normals[k] * (float(height[k] / std::max(1, count[k])) - middle) * depth;
            }
            smooth(mesh, p.real("sharp"));
          },
          {}};
}

} // namespace ilumbra
