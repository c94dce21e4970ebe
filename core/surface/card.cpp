// How a card looks: its picture as colour, opacity and own light of a thin sheet, as an artist would set them up by
// hand.
#include "core/document/edit.h"
#include "core/pattern/playback.h"
#include "core/surface/material.h"

namespace ilumbra {

Material compileCard(const Document& doc, const Node& card, double frame, const Assets& assets, SurfaceTables* tables) {
  const Params p(card, frame);
  Document look = Document::create(doc.sharedKinds());
  NodeId material = 0, picture = 0, alpha = 0;
  look = addNode(look, "material.surface", "Look", {}, &material);
  look = setValue(look, look.settings().id, "rate", Constant(settingsOf(doc).number("rate")));
  const auto set = [&](NodeId id, const char* param, const Value& v) { look = setValue(look, id, param, v); };
  set(material, "thin", Constant(true));
  set(material, "specular", Constant(0.0));
  set(material, "roughness", Constant(1.0));
  const double gain = std::exp2(p.number("picture_stops"));
  const auto pattern = [&](const char* name, const char* channel, double factor) {
    NodeId id = 0;
    look = addNode(look, "pattern.image", name, {}, &id);
    for (const char* same : {"file", "numbered", "play", "begins", "skips", "speed", "own_rate"})
      set(id, same, p.constant(same));
    set(id, "channel", Constant(std::string(channel)));
    set(id, "beyond", Constant(std::string("hold")));
    set(id, "gain", Constant(Triple{factor, factor, factor}));
    return id;
  };
  if (!p.text("file").empty()) {
    picture = pattern("Picture", "colour", gain * p.number("reflects"));
    set(material, "base_color", PatternUse{{picture, nullptr}});
    if (p.flag("use_alpha")) {
      alpha = pattern("Alpha", "alpha", p.number("card_opacity"));
      set(material, "opacity", PatternUse{{alpha, nullptr}});
    }
    if (p.number("own_light") > 0) {
      const NodeId shine = pattern("Shine", "colour", gain);
      set(material, "own_light_color", PatternUse{{shine, nullptr}});
    }
  } else {
    set(material, "base_color",
        Constant(Triple{0.5 * p.number("reflects"), 0.5 * p.number("reflects"), 0.5 * p.number("reflects")}));
  }
  if (!alpha) set(material, "opacity", Constant(p.number("card_opacity")));
  set(material, "own_light", Constant(p.number("own_light")));
  Material m = compileMaterial(
      look, {material, nullptr}, frame, assets, [](const Reference&) { return -1; }, tables);
  // A pattern on the opacity is the document's own.
  if (const auto use = p.pattern("card_opacity"); use && !alpha)
    m.opacity.program = std::make_shared<const Program>(Program::compile(doc, use->pattern, frame, assets, false));
  m.name = card.name;
  m.node = card.id;
  m.emission = ownLight(doc, {card.id, nullptr}, frame, true);
  m.emits = !isBlack(m.emission);
  return m;
}

} // namespace ilumbra
