#include "core/compile/resting_lobes.h"

#include "core/scene/things.h"

namespace ilumbra {

namespace {

bool rests(const Document& doc, const Node& object, double frame, std::string_view role, const char* list) {
  for (const Node* effect : doc.withRole(role)) {
    const Params p(*effect, frame);
    if (p.flag("on")) continue;
    const std::vector<Reference> named = p.references(list);
    for (const Node* n = &object; n; n = doc.find(n->parent))
      if (std::any_of(named.begin(), named.end(), [&](const Reference& r) { return r.target == n->id; })) return true;
  }
  return false;
}

} // namespace

uint16_t restingLobes(const Document& doc, const Node& object, double frame) {
  uint16_t out = 0;
  if (rests(doc, object, frame, seesMirrored, "onto")) out |= SwitchMirrorsNothing;
  if (rests(doc, object, frame, seesEntered, "through")) out |= SwitchKeepsLightOut;
  return out;
}

bool standsAside(const Document& doc, const Node& object, double frame) {
  return rests(doc, object, frame, seesThrough, "through");
}

} // namespace ilumbra
