#include "core/geometry/world_mesh.h"

#include "core/base/error.h"
#include "core/geometry/grid.h"

#include <fmt/format.h>

namespace ilumbra {

std::vector<M44f> placesOf(const Node& node, const BuildFrom& from) {
  return worldPlaces(from.doc, node, from.frame, [&](const Node& up) {
    const auto it = up.children.find("modifiers");
    return it == up.children.end() || it->second.empty() ? std::vector<M44f>() : formOf(up, from).copies;
  });
}

Mesh worldMesh(const Node& node, Form form, const std::vector<M44f>& places, size_t most) {
  form.copies.clear();
  const Mesh& own = meshOf(form);
  if (own.triangles.size() * places.size() > most)
    throw badInput(fmt::format("{}: with its copies it has more than {} triangles", node.name, most));
  Mesh all;
  for (const M44f& m : places) {
    Mesh one;
    one.positions = own.positions;
    one.triangles = own.triangles;
    for (V3f& p : one.positions) p = transformPoint(m, p);
    if (m.determinant() < 0)
      for (auto& t : one.triangles) std::swap(t.b, t.c);
    append(all, one);
  }
  return all;
}

} // namespace ilumbra
