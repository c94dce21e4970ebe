#include "core/base/error.h"
#include "core/geometry/model.h"

#include <fmt/format.h>

namespace ilumbra {

ShapeKind meshShape() {
  return {{.id = "object.mesh",
           .label = "Mesh",
           .helpText = "A part of an imported model.",
           .params = join({{file("file", "File").at(Stage::Geometry).help("glTF, OBJ, PLY or STL, beside the document"),
                            integer("part", "Part", 1).soft(1, 100).range(1, 1e6).fixed().at(Stage::Geometry).help("Which part of the file, from 1"),
                            flag("smooth", "Smooth", true).at(Stage::Geometry).help("Off: facets show, whatever normals the file has")},
                           objectParams()})},
          [](const Params& p, const BuildFrom& from) {
            const std::string name = p.text("file");
            if (name.empty()) throw badInput(p.node().name + ".file: no file is named");
            const std::shared_ptr<const Model> model = from.assets.model(name);
            const auto part = size_t(p.number("part"));
            if (part > model->parts.size())
              throw badInput(fmt::format("{}.part: {} has {} parts, not {}", p.node().name, name, model->parts.size(), part));
            Shape s;
            s.mesh = model->parts[part - 1].mesh;
            if (!p.flag("smooth")) s.mesh.normals.clear();
            return s;
          }};
}

} // namespace ilumbra
