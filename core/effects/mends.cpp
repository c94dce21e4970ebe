#include "core/effects/mends.h"
#include "core/effects/route_parts.h"

#include "core/geometry/shape.h"

#include <fmt/format.h>

namespace ilumbra {

std::vector<Mend> opened(const Document& doc, double frame, const Node& shell) {
  std::vector<Mend> out;
  // A material of its own becomes glass; one that others wear too is left alone.
  const Reference worn = wornMaterial(doc, shell, frame);
  const Node* material = doc.find(worn.target);
  size_t wearers = 0;
  for (const Node* n : doc.family("object")) wearers += wornMaterial(doc, *n, frame).target == worn.target;
  if (material && material->kind->id == "material.surface" && wearers == 1) {
    Mend glass{fmt::format("Make {} of glass", shell.name), {}};
    for (const auto& [param, value] :
         {std::pair{"transmission", "1"}, {"metalness", "0"}, {"roughness", "0"}, {"opacity", "1"}})
      glass.sets.emplace_back(at(*material, param), value);
    glass.sets.emplace_back(at(shell, "light_through"), "straight");
    out.push_back(std::move(glass));
  }
  if (shell.kind->param("casts_shadow"))
    out.push_back({fmt::format("Let light pass {}", shell.name), {{at(shell, "casts_shadow"), "off"}}});
  return out;
}

} // namespace ilumbra
