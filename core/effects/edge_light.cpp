// Edge light: light along the outline of a body, over what it is made of.
#include "core/effects/dressing.h"
#include "core/effects/glow_route.h"
#include "core/effects/making.h"
#include "core/effects/route_parts.h"
#include "core/effects/shining_body.h"
#include "core/surface/presets.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

using Weight = Finding::Weight;

// The pattern that says where it is, and the material that shines.
std::pair<const Node*, const Node*> lookOf(const Document& doc, const Node& effect) {
  const Node *mask = nullptr, *rim = nullptr;
  for (const NodeId id : roleOf(doc, effect, "look"))
    if (const Node* n = doc.find(id); n && !mask && n->kind->family() == "pattern") mask = n;
  for (const NodeId id : roleOf(doc, effect, "from"))
    if (const Node* n = doc.find(id); n && !rim && n->kind->family() == "material") rim = n;
  return {mask, rim};
}

Document dressEdge(const Document& doc, NodeId effect) {
  const Node& e = *doc.find(effect);
  const auto [mask, rim] = lookOf(doc, e);
  if (!mask || !rim) return doc;
  return dressed(doc, roleOf(doc, e, "onto"), {mask->id, rim->id, e.name});
}

Document makeEdge(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  if (roleOf(doc, *doc.find(effect), "onto").empty()) {
    NodeId body = mainObject(doc);
    if (!body) {
      const Framed f = framed(doc);
      const NodeId matter = add(doc, "material.surface", "Lacquer", {});
      doc = applyPreset(doc, matter, findPreset("Black lacquer"));
      const double r = 0.24 * double(f.height);
      body = add(doc, "object.knot", "Knot",
                 {{"radius", tidy(r)},
                  {"winding", tidy(0.42 * r)},
                  {"tube", tidy(0.24 * r)},
                  {"turn", "70, 20, 0"},
                  {"position", text(f.middle)},
                  {"material", doc.find(matter)->name}});
      tell(told, "There was no body for it: a knot was made");
    }
    take(doc, effect, "onto", body);
  }
  const std::string name = doc.find(effect)->name;
  const auto [mask, rim] = lookOf(doc, *doc.find(effect));
  const bool noMask = !mask, noRim = !rim;
  if (noMask)
    take(doc, effect, "look", add(doc, "pattern.incidence", name + " edge", {{"by", "angle"}, {"power", "4"}}));
  if (noRim) {
    const NodeId made = add(doc, "material.surface", name + " light",
                            {{"base_color", "0, 0, 0"},
                             {"ior", "1"},
                             {"own_light", tidy(4.5 * white(doc))},
                             {"own_light_color", "0.3, 0.66, 1"}});
    take(doc, effect, "from", made);
    tell(told, fmt::format("{} shines along the outline", doc.find(made)->name));
  }
  stageFor(doc, treeOf(doc, roleOf(doc, *doc.find(effect), "onto").front()), Stage::Dark, told);
  return doc;
}

Route measureEdge(const DevelopedEffect& of) {
  Route r = measureGlowRoute(of);
  const auto [mask, rim] = lookOf(of.doc, of.effect);
  std::vector<const Node*> bodies;
  for (const NodeId id : roleOf(of.doc, of.effect, "onto")) leaf(of.doc, id, bodies);
  const auto tell = [&](Weight w, const char* role, NodeId thing, std::string text, std::vector<Mend> mends = {}) {
    r.findings.push_back({w, role, thing, std::move(text), std::move(mends), {}});
  };
  if (bodies.empty()) tell(Weight::Broken, "onto", of.effect.id, "Onto is empty: put in an object");
  if (!mask) tell(Weight::Broken, "look", of.effect.id, "Look has no pattern: nothing says where the edge is");
  Station onto{"onto", "Onto", bodies.empty() ? "empty" : names(bodies), "", 1, {}};
  if (mask && mask->kind->param("power")) {
    const Params p(*mask, of.frame);
    if (!p.pattern("power") && p.text("by") == "angle") {
      // Where it is half there: the angle from straight on, and how far from the outline of a ball that is.
      const double half = std::pow(0.5, 1 / std::max(1e-6, p.number("power"))),
                   inwards = 1 - std::sin(half * 3.14159265358979 / 2);
      onto.reading =
          fmt::format("half there at {:.0f}°, {} of a ball's radius from its outline", 90 * half, percent(inwards));
      if (p.number("power") < 1)
        tell(Weight::Weak, "look", mask->id, "It lies all over the body, not along its edge",
             {{"Draw it to the edge", {{at(*mask, "power"), "4"}}}});
      if (p.number("power") > 60)
        tell(Weight::Weak, "look", mask->id, "It is so thin that it hardly shows",
             {{"Widen it", {{at(*mask, "power"), "8"}}}});
    }
  }
  r.stations.insert(r.stations.begin() + std::min<ptrdiff_t>(1, ptrdiff_t(r.stations.size())), std::move(onto));
  std::stable_sort(r.findings.begin(), r.findings.end(),
                   [](const Finding& x, const Finding& y) { return x.weight > y.weight; });
  return r;
}

} // namespace

EffectKind edgeLightEffect() {
  return {
      .kind = {.id = "effect.edge_light",
               .label = "Edge light",
               .helpText = "Light along the outline of a body, over what it is made of.",
               .params = {flag("on", "On", true).at(Invalidation::Shading).help("Off: the body is as it was"),
                          references("from", "From", {"material.", "light."})
                              .fixed()
                              .at(Invalidation::Shading)
                              .help("What shines along the edge"),
                          references("onto", "Onto", {"object."}).fixed().at(Invalidation::Shading).help("The bodies"),
                          references("look", "Look", {"pattern."})
                              .fixed()
                              .at(Invalidation::Shading)
                              .help("Where it is: a pattern of incidence"),
                          references("lens", "Lens", {"lens."})
                              .fixed()
                              .at(Invalidation::Lens)
                              .help("The lens stages that spread its light")},
               .existence = Invalidation::Shading,
               .standsFor = "from",
               .switches = {"look", "lens"}},
      .roles = {{"onto", "Onto", "a body"},
                {"from", "From", "what shines there", true},
                {"look", "Look", "where it is", true},
                {"lens", "Lens", "a lens stage, such as Glow"}},
      .lensStage = "lens.glow",
      .make = makeEdge,
      .dress = dressEdge,
      .measure = measureEdge};
}

} // namespace ilumbra
