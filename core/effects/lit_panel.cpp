// A lit panel: a picture that hangs in the air and shines, with a lamp of its colours and faint beams from its foot.
#include "core/effects/glow_route.h"
#include "core/effects/making.h"
#include "core/geometry/shape.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

constexpr int beams = 5;
constexpr std::array<const char*, 6> withoutAlpha = {".ppm", ".jpg", ".jpeg", ".JPG", ".hdr", ".bmp"};

NodeId panelFor(Document& doc, NodeId effect, std::vector<std::string>* told) {
  for (const NodeId id : roleOf(doc, *doc.find(effect), "from"))
    if (doc.find(id)->kind->family() == "object") return id;
  const double frame = currentFrame(doc);
  for (const Node* n : doc.family("object"))
    if (n->kind->id == "object.card" && isShown(doc, *n, frame)) {
      const NodeId id = n->id;
      tell(told, n->name + " is the panel");
      take(doc, effect, "from", id);
      return id;
    }
  // A chart of rings and stars, until a picture is put in its place.
  const Framed f = framed(doc);
  const double height = 0.5 * double(f.height);
  const auto part = [&](double share) { return tidy(share * height); };
  const NodeId waves = add(doc, "pattern.waves", "Chart waves",
                           {{"form", "rings"}, {"axis", "z"}, {"length", part(0.125)}}),
               rings = add(doc, "pattern.remap", "Chart rings", {{"floor", "0.93"}, {"ceiling", "0.99"}}),
               stars = add(doc, "pattern.dots", "Chart stars",
                           {{"fills", "a plane"},
                            {"pitch", part(0.07)},
                            {"radius", part(0.012)},
                            {"strewn", "90 %"},
                            {"variety", "80 %"},
                            {"edge", part(0.006)}}),
               chart = add(doc, "pattern.layers", "Chart lines", {{"below", "0.006, 0.03, 0.036"}});
  doc = setValue(doc, rings, "value", PatternUse{{waves, nullptr}});
  const auto lay = [&](const char* name, const char* color, NodeId where) {
    const NodeId layer = add(doc, "coat.layer", name, {{"value", color}, {"mode", "lighter"}}, {chart, "layers"});
    doc = setValue(doc, layer, "amount", PatternUse{{where, nullptr}});
  };
  lay("Stars", "1, 0.95, 0.8", stars);
  lay("Rings", "0.12, 0.6, 0.75", rings);
  const NodeId matter = add(doc, "material.surface", "Chart",
                            {{"base_color", "0.02, 0.05, 0.06"},
                             {"roughness", "1"},
                             {"specular", "0"},
                             {"thin", "on"},
                             {"opacity", "0.7"},
                             {"own_light", tidy(5 * white(doc))}});
  doc = setValue(doc, matter, "own_light_color", PatternUse{{chart, nullptr}});
  const NodeId card = add(doc, "object.card", "Panel",
                          {{"height", tidy(height)},
                           {"stands", "about its middle"},
                           {"position", text(f.middle)},
                           {"material", doc.find(matter)->name}});
  take(doc, effect, "from", card);
  take(doc, effect, "lamp", matter); // it rests with the effect
  tell(told, "There was no card: a chart was made. Drop a picture on the colour of its own light");
  return card;
}

bool hasLamp(const Document& doc, NodeId effect) {
  const auto in = roleOf(doc, *doc.find(effect), "lamp");
  return std::any_of(in.begin(), in.end(), [&](NodeId id) { return doc.find(id)->kind->family() == "light"; });
}

Document makePanel(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  const NodeId id = panelFor(doc, effect, told);
  const double frame = currentFrame(doc), bright = 5 * white(doc);
  const Node panel = *doc.find(id);
  const Params p(panel, frame);
  const bool card = panel.kind->param("card_opacity") && !p.reference("material").target;
  const std::string name = doc.find(effect)->name;
  const auto picture = [&](const char* what, std::vector<std::pair<std::string, std::string>> values) {
    values.emplace_back("beyond", "hold");
    const NodeId made = add(doc, "pattern.image", name + " " + what, values);
    for (const char* same : {"file", "numbered", "play", "begins", "skips", "speed", "own_rate"})
      if (const Value* v = panel.find(same); v && doc.find(made)->kind->param(same))
        doc = setValue(doc, made, same, *v);
    return made;
  };
  const auto quiet = [&](const char* param) { return !panel.find(param); };
  if (card) {
    if (p.number("own_light") <= 0) doc = setValue(doc, id, "own_light", Constant(std::stod(tidy(bright))));
    if (quiet("reflects")) doc = setValue(doc, id, "reflects", Constant(0.15));
    // Without alpha of its own, what is dark in it is clear.
    const std::string file = p.text("file");
    const bool opaque =
        std::any_of(withoutAlpha.begin(), withoutAlpha.end(), [&](const char* e) { return file.ends_with(e); });
    if (quiet("card_opacity") && !opaque) doc = setValue(doc, id, "card_opacity", Constant(0.7));
    if (quiet("card_opacity") && opaque) {
      const NodeId there = picture("there", {{"gain", "2, 2, 2"}});
      doc = setValue(doc, id, "use_alpha", Constant(false));
      doc = setValue(doc, id, "card_opacity", PatternUse{{there, nullptr}});
    }
  }
  // Its own frame: x to the right, y upwards, z out of it.
  const M44f world = worldMatrix(doc, panel, frame);
  const float height = panel.kind->param("height") ? p.real("height") : 0.5f * framed(doc).height;
  const bool foot = !panel.kind->param("stands") || p.text("stands") == "on its foot";
  const auto at = [&](float x, float y, float z) {
    return transformPoint(world, V3f(x * height, (y + (foot ? 0.5f : 0)) * height, z * height));
  };
  const V3f ahead = at(0, 0, 1) - at(0, 0, 0);
  const double size = double(length(ahead));
  if (!hasLamp(doc, effect)) {
    const NodeId lamp = add(doc, "light.area", name + " lamp",
                            {{"position", text(at(0, 0, 0.02f))},
                             {"target", text(at(0, 0, 1))},
                             {"width", tidy(size)},
                             {"height", tidy(size)},
                             {"power", tidy(0.5 * bright * 3.14159265358979 * size * size)},
                             {"seen", "off"},
                             {"seen_mirrored", "off"},
                             {"seen_through", "off"}});
    // It throws the colours of the picture, each from where it is.
    NodeId colours = 0;
    if (panel.kind->param("file") && !p.text("file").empty()) {
      colours = picture("colours", {});
    } else if (const Node* m = doc.find(wornMaterial(doc, panel, frame).target))
      if (const Value* v = m->find("own_light_color"); v && v->pattern()) colours = v->pattern()->pattern.target;
    if (colours) doc = setValue(doc, lamp, "gel", PatternUse{{colours, nullptr}});
    take(doc, effect, "lamp", lamp);
    tell(told, fmt::format("{} throws its colours into the scene", doc.find(lamp)->name));
  }
  if (roleOf(doc, *doc.find(effect), "through").empty()) {
    for (int i = 0; i < beams; ++i) {
      const float x = 0.8f * (float(i) / (beams - 1) - 0.5f);
      const NodeId spot = add(doc, "light.spot", fmt::format("{} foot {}", name, i + 1),
                              {{"position", text(at(x, -0.62f, 0.1f))},
                               {"target", text(at(1.15f * x, 0.4f, 0))},
                               {"cone", "7"},
                               {"edge", "60 %"},
                               {"power", tidy(0.08 * bright * size * size)},
                               {"color", "0.45, 0.85, 1"},
                               {"seen", "off"}});
      take(doc, effect, "lamp", spot);
      const NodeId beam =
          add(doc, "air.beam", fmt::format("{} beam {}", name, i + 1),
              {{"light", doc.find(spot)->name}, {"reach", tidy(1.3 * size)}, {"density", tidy(0.25 / size)}});
      take(doc, effect, "through", beam);
    }
    tell(told, fmt::format("{} small lamps at its foot throw faint beams", beams));
  }
  return doc;
}

} // namespace

EffectKind litPanelEffect() {
  return {
      .kind = {.id = "effect.lit_panel",
               .label = "Lit panel",
               .helpText = "A picture that hangs in the air and shines by its own colours: a hologram, a screen, a "
                           "chart of light.",
               .params = {flag("on", "On", true).at(Invalidation::Geometry).help("Off: all of its light rests"),
                          references("from", "From", {"object.", "light.", "material."})
                              .fixed()
                              .at(Invalidation::Shading)
                              .help("The card that shines"),
                          references("lamp", "Lamp", {"light.", "material."})
                              .fixed()
                              .at(Invalidation::Shading)
                              .help("The lamp that throws its colours into the scene, those at its foot, and what else "
                                    "shines with it"),
                          references("through", "Through", {"air."})
                              .fixed()
                              .at(Invalidation::Geometry)
                              .help("The beams from its foot"),
                          references("lens", "Lens", {"lens."})
                              .fixed()
                              .at(Invalidation::Lens)
                              .help("The lens stages that spread its light")},
               .existence = Invalidation::Geometry,
               .standsFor = "from",
               .switches = {"from", "lamp", "through", "lens"}},
      .roles = {{"from", "From", "a card with a picture"},
                {"lamp", "Lamp", "a lamp of its colours"},
                {"through", "Through", "beams from its foot"},
                {"lens", "Lens", "a lens stage, such as Glow"}},
      .lensStage = "lens.glow",
      .make = makePanel,
      .measure = measureGlowRoute};
}

} // namespace ilumbra
