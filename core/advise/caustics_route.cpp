#include "core/advise/caustics_route.h"

#include "core/advise/route_parts.h"
#include "core/render/photons.h"

#include <fmt/format.h>

namespace ilumbra {

Route measureCausticsRoute(const Document& doc, const Node& effect, double frame, const Scene& scene, const Film&, const std::vector<Color>&, const LensResult&, const Tasks&) {
  Route r;
  r.effect = effect.id;
  std::vector<const Node*> lamps;
  for (const NodeId id : roleOf(doc, effect, "from"))
    if (const Node* n = doc.find(id)) {
      lamps.push_back(n);
      r.emitted += lumensOf(doc, frame, scene, *n);
    }
  r.stations.push_back({"from", "From", lamps.empty() ? "empty" : names(lamps), fmt::format("{:.0f} lm", r.emitted), 1, {}});
  return r;
}

} // namespace ilumbra
