#include "core/base/error.h"
#include "core/geometry/pose.h"
#include "core/geometry/shape.h"
#include "core/pattern/playback.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

// A part as the file has it, at the moment that is played.
Mesh partAt(const Params& p, const BuildFrom& from, const std::string& file) {
  const std::shared_ptr<const Model> model = from.assets.model(file);
  const std::string name = p.text("part");
  const ModelPart* part = findPart(*model, name);
  if (!part)
    throw badInput(
        fmt::format("{}.part: {} has no part \"{}\" among its {}", p.node().name, file, name, model->parts.size()));
  if (p.flag("numbered") || !isPosed(*model, *part)) return posed(*model, *part, nullptr, 0);
  const ModelMotion* motion = findMotion(*model, p.text("motion"));
  if (!motion && !p.text("motion").empty())
    throw badInput(fmt::format("{}.motion: {} has no motion \"{}\"", p.node().name, file, p.text("motion")));
  return posed(*model, *part, motion, motion ? playedSeconds(p, from.doc, motion->length) : 0);
}

Mesh meshAt(const Params& p, const BuildFrom& from) {
  const std::string file = p.text("file");
  if (!p.flag("numbered")) return partAt(p, from, file);
  const Footage footage = from.assets.footage(file);
  if (footage.files.size() < 2) return partAt(p, from, file);
  const FootageFrame shown = playedFrame(p, from.doc, footage);
  Mesh mesh = partAt(p, from, footage.files[size_t(shown.index)]);
  if (shown.between <= 0) return mesh;
  // Between two frames it is on the way, if the same triangles are in both.
  from.stopIfCancelled();
  const Mesh next = partAt(p, from, footage.files[size_t(shown.next)]);
  const auto same = [](const Mesh::Triangle& a, const Mesh::Triangle& b) {
    return a.a == b.a && a.b == b.b && a.c == b.c;
  };
  if (next.positions.size() != mesh.positions.size() || next.normals.size() != mesh.normals.size() ||
      !std::equal(mesh.triangles.begin(), mesh.triangles.end(), next.triangles.begin(), next.triangles.end(), same))
    return mesh;
  const auto t = float(shown.between);
  for (size_t i = 0; i < mesh.positions.size(); ++i) mesh.positions[i] = mix(mesh.positions[i], next.positions[i], t);
  for (size_t i = 0; i < mesh.normals.size(); ++i)
    mesh.normals[i] = normalize(mix(mesh.normals[i], next.normals[i], t));
  return mesh;
}

} // namespace

ShapeKind meshShape() {
  return {{.id = "object.mesh",
           .label = "Mesh",
           .helpText = "A part of an imported model; its skin, morphs or numbered files may play over time.",
           .params = join({{file("file", "File").at(Invalidation::Geometry).help("A model, beside the document"),
                            text("part", "Part", "1")
                                .at(Invalidation::Geometry)
                                .help("Which part of the file, by its name, or by its number from 1"),
                            flag("smooth", "Smooth", true)
                                .at(Invalidation::Geometry)
                                .help("Off: facets show, whatever normals the file has"),
                            text("motion", "Motion", "")
                                .at(Invalidation::Geometry)
                                .in("Playback")
                                .help("Which clip of the file moves its skin and morphs; empty: the first"),
                            flag("numbered", "Numbered files", false)
                                .at(Invalidation::Geometry)
                                .in("Playback")
                                .help("The file is one of a numbered sequence, played as one moving object")},
                           playbackParams(Invalidation::Geometry),
                           objectParams()})},
          [](const Params& p, const BuildFrom& from) {
            if (p.text("file").empty()) throw badInput(p.node().name + ".file: no file is named");
            Shape s;
            s.mesh = meshAt(p, from);
            if (!p.flag("smooth")) s.mesh.normals.clear();
            return s;
          },
          isPlayed};
}

} // namespace ilumbra
