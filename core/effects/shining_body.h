#pragma once
#include "core/effects/route.h"

#include <string>
#include <utility>
#include <vector>

namespace ilumbra {

// What apparitions and holograms have in common: bodies that are there by their own light, as much of it as the angle
// says at which they are seen.

/// How a body shines.
struct VeilLook {
  const char* name = "";                       ///< of the material, after the body's
  const char* color = "1, 1, 1";               ///< of its light
  double stops = 0;                            ///< its light at full opacity, from white
  std::vector<std::pair<double, double>> keys; ///< degrees from straight on, opacity
  double additive = 1;                         ///< share that adds to what is behind instead of covering it
  bool frontOnly = true;                       ///< only the first surface that faces the viewer is there
};
/// An effect of bodies that shine: roles "through", "from" and "lens", measured by measureShiningRoute().
EffectKind shiningEffect(std::string id, std::string label, std::string help, const char* lensHelp,
                         const char* lensTeaches,
                         std::function<Document(Document, NodeId effect, const std::vector<NodeId>& selection,
                                                std::vector<std::string>* told)>
                             make);
/// The bodies in the role "through" wear a look of their own and throw no shadow; their materials stand in "from".
/// What is a veil already stays as it is.
void shine(Document& doc, NodeId effect, const VeilLook& look, std::vector<std::string>* told);
/// A lens stage of the effect's light at the end of its role "lens".
NodeId lensStageFor(Document& doc, NodeId effect, const char* kind, const std::string& name,
                    const std::vector<std::pair<std::string, std::string>>& values);
/// The route of light that bodies send out by themselves: as that of a glow, with what of the bodies is there straight
/// on and at the rim, and what is wrong with their veils.
Route measureShiningRoute(const DevelopedEffect& of);

} // namespace ilumbra
