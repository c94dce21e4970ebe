// An apparition: a figure that is there by its own light, faint where it faces the viewer and bright at its rim.
#include "core/effects/making.h"
#include "core/effects/route_parts.h"
#include "core/effects/shining_body.h"

namespace ilumbra {
namespace {

const VeilLook paleLook{"veil", "0.62, 0.84, 1", 0.4, {{0, 0.03}, {50, 0.1}, {75, 0.42}, {90, 1}}};

// A cloaked figure, where there is nothing to be a ghost.
NodeId figure(Document& doc) {
  const Framed f = framed(doc);
  const double high = 0.72 * double(f.height);
  const V3f foot{f.middle.x, f.middle.y - float(0.5 * high), f.middle.z};
  const NodeId group = add(doc, "object.group", "Figure", {{"position", text(foot)}});
  const NodeId cloak =
      add(doc, "object.turned", "Cloak", {{"look", "vase"}, {"wall", "0"}, {"segments", "160"}}, {group, "objects"});
  const Box3f box = boundsOf(doc, {cloak});
  const double tall = 0.78 * high;
  doc = setValue(doc, cloak, "scale", Constant(std::stod(tidy(tall / double(std::max(1e-3f, box.size().y))))));
  doc = setValue(doc, cloak, "turn", Constant(Triple{180, 0, 0})); // the mouth is its hem
  doc = setValue(doc, cloak, "position", Constant(Triple{0, tall, 0}));
  add(doc, "object.sphere", "Head", {{"radius", tidy(0.1 * high)}, {"position", text({0, float(0.88 * high), 0})}},
      {group, "objects"});
  return group;
}

Document makeApparition(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  if (roleOf(doc, *doc.find(effect), "through").empty()) {
    NodeId body = mainObject(doc);
    if (!body) {
      body = figure(doc);
      tell(told, "There was nothing to be a ghost: a figure was made");
    }
    take(doc, effect, "through", body);
  }
  shine(doc, effect, paleLook, told);
  lensStageFor(doc, effect, "lens.glow", "aura", {{"amount", "35 %"}, {"size", "9 %"}, {"falloff", "0.9"}});
  stageFor(doc, treeOf(doc, roleOf(doc, *doc.find(effect), "through").front()), Stage::Dark, told);
  return doc;
}

} // namespace

EffectKind apparitionEffect() {
  return shiningEffect("effect.apparition", "Apparition",
                       "A ghost: a figure of its own light, clear where it faces the viewer, bright at the rim.",
                       "The lens stages that spread its light", "a lens stage, such as Glow", makeApparition);
}

} // namespace ilumbra
