#include "core/effects/shining_body.h"

#include "core/compile/camera.h"
#include "core/effects/glow_route.h"
#include "core/effects/making.h"
#include "core/effects/route_parts.h"
#include "core/effects/sight_probe.h"
#include "core/geometry/shape.h"
#include "core/scene/scene.h"
#include "core/surface/material.h"

#include <fmt/format.h>

namespace ilumbra {

namespace {

using Weight = Finding::Weight;

bool isVeil(const Document& doc, const Node& object) {
  const Node* m = doc.find(wornMaterial(doc, object, currentFrame(doc)).target);
  return m && m->children.count("veil") && !m->children.at("veil").empty();
}

std::vector<const Node*> bodiesOf(const Document& doc, NodeId effect) {
  std::vector<const Node*> out;
  for (const NodeId id : roleOf(doc, *doc.find(effect), "through")) leaf(doc, id, out);
  std::erase_if(out, [](const Node* n) { return !n->kind->param("material"); });
  return out;
}

// Opacity as it is met on the way of the camera's sight: straight on and at the rim.
std::pair<double, double> opacities(const Material& m) {
  if (m.veil.keys.empty()) return {double(m.opacity.real({})), double(m.opacity.real({}))};
  return {double(m.veil.at(1)), double(m.veil.at(0.1f))};
}

} // namespace

EffectKind
shiningEffect(std::string id, std::string label, std::string help, const char* lensHelp, const char* lensTeaches,
              std::function<Document(Document, NodeId, const std::vector<NodeId>&, std::vector<std::string>*)> make) {
  return {.kind = {.id = std::move(id),
                   .label = std::move(label),
                   .helpText = std::move(help),
                   .params = {flag("on", "On", true).at(Invalidation::Shading).help("Off: its light rests"),
                              references("through", "Through", {"object."})
                                  .fixed()
                                  .at(Invalidation::Shading)
                                  .help("The figure: an object or a group"),
                              references("from", "From", {"material.", "light."})
                                  .fixed()
                                  .at(Invalidation::Shading)
                                  .help("What it shines by: the own light of its materials"),
                              references("lens", "Lens", {"lens."}).fixed().at(Invalidation::Lens).help(lensHelp)},
                   .existence = Invalidation::Shading,
                   .standsFor = "from",
                   .switches = {"from", "lens"}},
          .roles = {{"through", "Through", "an object or a group"},
                    {"from", "From", "a material with own light", true},
                    {"lens", "Lens", lensTeaches}},
          .make = std::move(make),
          .measure = measureShiningRoute};
}

void shine(Document& doc, NodeId effect, const VeilLook& look, std::vector<std::string>* told) {
  std::map<NodeId, NodeId> made; // by what they wore: what shared a material shares its veil
  std::vector<NodeId> bodies;
  for (const Node* n : bodiesOf(doc, effect)) bodies.push_back(n->id);
  size_t changed = 0;
  for (const NodeId id : bodies) {
    const Node n = *doc.find(id);
    const Reference worn = wornMaterial(doc, n, currentFrame(doc));
    if (isVeil(doc, n)) {
      take(doc, effect, "from", worn.target);
      continue;
    }
    NodeId& veil = made[worn.target];
    if (!veil) {
      const std::string of = bodies.size() > 1 ? doc.find(effect)->name : n.name;
      veil = add(doc, "material.surface", of + " " + look.name,
                 {{"base_color", "0, 0, 0"},
                  {"ior", "1"},
                  {"veil_additive", fmt::format("{:.0f} %", 100 * look.additive)},
                  {"veil_front", look.frontOnly ? "on" : "off"},
                  {"own_light", tidy(white(doc) * std::exp2(look.stops))},
                  {"own_light_color", look.color}});
      for (const auto& [angle, opacity] : look.keys)
        add(doc, "veil.key", "Veil key",
            {{"angle", fmt::format("{:g}", angle)}, {"opacity", fmt::format("{:g}", opacity)}},
            {veil, "veil", size_t(-1)});
      take(doc, effect, "from", veil);
    }
    doc = setValue(doc, id, "material", Constant(Reference{veil, nullptr}));
    if (n.kind->param("casts_shadow")) doc = setValue(doc, id, "casts_shadow", Constant(false));
    ++changed;
  }
  if (changed)
    tell(told, fmt::format("{}{} there by its own light now", doc.find(bodies.front())->name,
                           bodies.size() > 1 ? fmt::format(" with {} more is", bodies.size() - 1) : " is"));
}

NodeId lensStageFor(Document& doc, NodeId effect, const char* kind, const std::string& name,
                    const std::vector<std::pair<std::string, std::string>>& values) {
  const NodeId stage = add(doc, kind, doc.find(effect)->name + " " + name, values);
  doc = setValue(doc, stage, "sources", Constant(std::vector<Reference>{{effect, nullptr}}));
  take(doc, effect, "lens", stage);
  return stage;
}

Route measureShiningRoute(const DevelopedEffect& of) {
  Route r = measureGlowRoute(of);
  std::vector<const Node*> bodies = bodiesOf(of.doc, of.effect.id);
  std::set<NodeId> ids;
  for (const Node* n : bodies) ids.insert(n->id);
  Station through{"through", "Through", bodies.empty() ? "empty" : names(bodies), "", 1, {}};
  const auto tell = [&](Weight w, NodeId thing, std::string text, std::vector<Mend> mends = {}) {
    r.findings.push_back({w, "through", thing, std::move(text), std::move(mends), {}});
  };
  if (bodies.empty()) tell(Weight::Broken, of.effect.id, "Through is empty: put in an object or a group");
  // A heart of solid light among veils is meant; where nothing is a veil, it is no apparition.
  const bool anyVeil = std::any_of(of.scene.objects.begin(), of.scene.objects.end(), [&](const InstancedObject& i) {
    return i.light < 0 && i.material != noMaterial && of.scene.things[i.thing].among(ids) &&
           (of.scene.materials[i.material]->layered() || !of.scene.materials[i.material]->alwaysOpaque());
  });
  double straight = 0, rim = 0;
  int counted = 0;
  std::set<uint16_t> judged;
  for (const InstancedObject& i : of.scene.objects) {
    if (i.light >= 0 || i.material == noMaterial || !of.scene.things[i.thing].among(ids)) continue;
    const Material& m = *of.scene.materials[i.material];
    const auto [a, b] = opacities(m);
    straight += a;
    rim += b;
    ++counted;
    const Node *object = of.doc.find(of.scene.things[i.thing].node), *matter = of.doc.find(m.node);
    if (!object || !matter || m.layered() || !judged.insert(i.material).second) continue;
    if (!anyVeil && m.veil.keys.empty() && m.opacity.always(1))
      tell(Weight::Weak, object->id,
           fmt::format("{} is solid: it hides what is behind it, whatever the angle", object->name),
           {{"Let it be there at the rim alone",
             {{at(*matter, "veil_additive"), "100 %"}},
             {{"veil.key", matter->name, "veil"}}}});
    else if (m.veil.keys.size() > 1 && m.veil.additive < 0.05f && std::max(a, b) > 0.5)
      tell(Weight::Note, matter->id, fmt::format("{} covers what is behind it instead of adding to it", object->name),
           {{"Let it add its light", {{at(*matter, "veil_additive"), "100 %"}}}});
    if (object->kind->param("casts_shadow") && Params(*object, of.frame).flag("casts_shadow") && i.closed == false &&
        m.veil.additive > 0.5f)
      tell(Weight::Note, object->id, object->name + " throws a shadow, though it is light",
           {{"Let it throw none", {{at(*object, "casts_shadow"), "off"}}}});
    if (std::max(a, b) < 0.02)
      tell(Weight::Broken, matter->id,
           fmt::format("{} is not there at any angle: its opacity is next to nothing", object->name),
           {{"Let it be there", {{at(*matter, "opacity"), "1"}}}});
  }
  if (counted)
    through.reading = fmt::format("{} straight on, {} at the rim", percent(straight / counted), percent(rim / counted));
  r.stations.insert(r.stations.begin() + std::min<ptrdiff_t>(1, ptrdiff_t(r.stations.size())), std::move(through));
  std::stable_sort(r.findings.begin(), r.findings.end(),
                   [](const Finding& x, const Finding& y) { return x.weight > y.weight; });
  return r;
}

} // namespace ilumbra
