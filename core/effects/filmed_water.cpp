// Filmed water: the mirror copy of a thing in a plate's water, pushed about by the footage or by waves.
#include "core/effects/glow_route.h"
#include "core/effects/making.h"
#include "core/effects/route_parts.h"
#include "core/effects/shining_body.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

using Weight = Finding::Weight;

NodeId stageOfKind(const Document& doc, const Node& effect, const char* kind) {
  for (const NodeId id : roleOf(doc, effect, "lens"))
    if (const Node* n = doc.find(id); n && n->kind->id == kind) return id;
  return 0;
}

// The copy hinges where the thing stands; the footage pushes it where there is some.
Document follow(const Document& before, NodeId effect) {
  Document doc = before;
  const auto of = roleOf(doc, *doc.find(effect), "from");
  const NodeId copy = stageOfKind(doc, *doc.find(effect), "lens.mirror_copy"),
               push = stageOfKind(doc, *doc.find(effect), "lens.displace");
  if (copy && !of.empty() && doc.find(of.front())->kind->family() == "object" &&
      !Params(*doc.find(copy), currentFrame(doc)).reference("hinge_at").target) {
    doc = setValue(doc, copy, "hinge_by", Constant(std::string("thing")));
    doc = setValue(doc, copy, "hinge_at", Constant(Reference{of.front(), nullptr}));
  }
  std::vector<Reference> footage;
  for (const NodeId id : roleOf(doc, *doc.find(effect), "through")) footage.push_back({id, nullptr});
  if (push && !footage.empty() && Params(*doc.find(push), currentFrame(doc)).references("map_of").empty()) {
    doc = setValue(doc, push, "map_from", Constant(std::string("layer")));
    doc = setValue(doc, push, "map_of", Constant(footage));
  }
  return doc;
}

Document makeWater(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  for (const NodeId id : roleOf(doc, *doc.find(effect), "from"))
    if (doc.find(id)->kind->family() == "plate" || doc.find(id)->kind->family() == "layer") {
      doc = leaveRole(doc, effect, "from", id);
      take(doc, effect, "through", id);
    }
  if (roleOf(doc, *doc.find(effect), "from").empty()) {
    NodeId body = mainObject(doc);
    if (!body) {
      const Framed f = framed(doc);
      const NodeId paper = add(doc, "material.surface", "Lantern paper",
                               {{"base_color", "0.5, 0.3, 0.15"},
                                {"roughness", "0.9"},
                                {"own_light", tidy(0.75 * white(doc))},
                                {"own_light_color", "1, 0.55, 0.2"}});
      body = add(doc, "object.sphere", "Lantern",
                 {{"radius", tidy(0.13 * double(f.height))},
                  {"size", "1, 1.15, 1"},
                  {"position", text(f.middle + V3f(0, 0.1f, 0) * f.height)},
                  {"material", doc.find(paper)->name}});
      tell(told, "There was nothing to be mirrored: a lantern was made");
    }
    take(doc, effect, "from", body);
  }
  if (roleOf(doc, *doc.find(effect), "through").empty()) {
    const std::vector<const Node*> plates = doc.family("plate");
    if (!plates.empty()) {
      tell(told, plates.front()->name + " is the water");
      take(doc, effect, "through", plates.front()->id);
    } else {
      // Dusk over dark water, until footage is put in its place.
      add(doc, "plate.picture", "Dusk over water",
          {{"shows", "line gradient"},
           {"color", "0.004, 0.016, 0.024"},
           {"color_end", "0.09, 0.13, 0.24"},
           {"start_y", "18 %"},
           {"end_y", "100 %"}});
      tell(told,
           "There was no footage: a gradient stands for it. Put a plate of water in its place, and it pushes the copy");
    }
  }
  const bool footage = !roleOf(doc, *doc.find(effect), "through").empty();
  // Where the thing stands in the water: as far below its middle as it reaches down in the picture.
  const Box3f box = boundsOf(doc, roleOf(doc, *doc.find(effect), "from"));
  const double below = box.isEmpty() ? 0.25 : 0.5 * double(box.size().y) / double(framed(doc).height);
  const NodeId copy = lensStageFor(doc, effect, "lens.mirror_copy", "copy",
                                   {{"amount", "70 %"},
                                    {"hinge_y", fmt::format("{:.0f} %", 100 * (0.5 + below))},
                                    {"reach", "60 %"},
                                    {"spread_across", "3 %"},
                                    {"spread_along", "1 %"}});
  const NodeId push = lensStageFor(doc, effect, "lens.displace", "ripples", {{"across", "2.5 %"}, {"down", "0.8 %"}});
  doc = setValue(doc, push, "sources", Constant(std::vector<Reference>{{copy, nullptr}}));
  if (!footage) {
    // Near waves are large and strong, far ones small and weak: long across, squeezed towards the horizon.
    const NodeId waves = add(doc, "pattern.noise", doc.find(effect)->name + " waves",
                             {{"space", "camera"},
                              {"scale", "0.06"},

                              {"octaves", "3"},
                              {"churn", "0.6"},
                              {"low", "0"},
                              {"high", "1"}});
    doc = setValue(doc, push, "map", PatternUse{{waves, nullptr}});
  }
  tell(told, "A mask drawn on the stage confines it to the water");
  lightIfDark(doc, told);
  return follow(doc, effect);
}

Route measureWater(const DevelopedEffect& of) {
  Route r = measureGlowRoute(of);
  // What is copied gives no light of its own: the route is of what the film has of it.
  std::erase_if(r.findings, [](const Finding& f) {
    return f.text.ends_with("gives no light") || f.text.find("hardly show") != std::string::npos;
  });
  const auto tell = [&](Weight w, const char* role, NodeId thing, std::string text, std::vector<Mend> mends = {}) {
    r.findings.push_back({w, role, thing, std::move(text), std::move(mends), {}});
  };
  const NodeId copy = stageOfKind(of.doc, of.effect, "lens.mirror_copy"),
               push = stageOfKind(of.doc, of.effect, "lens.displace");
  double copied = 0;
  std::string idle;
  for (const StageResult& d : of.developed.stages)
    if (d.stage == copy) copied = d.share;
  std::vector<const Node*> water;
  for (const NodeId id : roleOf(of.doc, of.effect, "through"))
    if (const Node* n = of.doc.find(id)) water.push_back(n);
  r.pictureShare = copied;
  Station through{
      "through", "Through", water.empty() ? "waves of its own" : names(water), push ? "pushes it about" : "still",
      1,         {}};
  r.stations.insert(r.stations.begin() + std::min<ptrdiff_t>(1, ptrdiff_t(r.stations.size())), std::move(through));
  for (Station& s : r.stations)
    if (s.role == "lens") s.reading = fmt::format("copies {} of the picture's light", percent(copied));
  if (!copy) {
    tell(Weight::Broken, "lens", of.effect.id, "Lens has no mirror copy: nothing is mirrored");
  } else {
    const Node& n = *of.doc.find(copy);
    const Params p(n, of.frame);
    if (p.number("amount") < 0.02)
      tell(Weight::Broken, "lens", copy, n.name + " copies nothing",
           {{"Let half of it show", {{at(n, "amount"), "50 %"}}}});
    else if (copied <= 0 && p.flag("on"))
      tell(Weight::Broken, "lens", copy, "Nothing of the copy falls into the picture",
           {{"Hinge it at the middle of the frame", {{at(n, "hinge_by"), "frame"}, {at(n, "hinge_y"), "60 %"}}}});
  }
  if (push && copy) {
    const Node& n = *of.doc.find(push);
    const Params p(n, of.frame);
    if (p.number("across") <= 0 && p.number("down") <= 0) {
      std::erase_if(r.findings, [&](const Finding& f) { return f.thing == push; });
      tell(Weight::Weak, "lens", push, n.name + " pushes nothing: the water is still",
           {{"Push it by a hundredth of the height", {{at(n, "across"), "1 %"}}}});
    }
  }
  std::stable_sort(r.findings.begin(), r.findings.end(),
                   [](const Finding& a, const Finding& b) { return a.weight > b.weight; });
  return r;
}

} // namespace

EffectKind filmedWaterEffect() {
  return {.kind = {.id = "effect.filmed_water",
                   .label = "Filmed water",
                   .helpText = "The mirror copy of a thing in a plate's water, pushed about by the footage.",
                   .params = {flag("on", "On", true).at(Invalidation::Lens).help("Off: its lens stages rest"),
                              references("from", "From", {"object.", "light.", "material.", "source."})
                                  .at(Invalidation::Shading)
                                  .help("What is mirrored in the water"),
                              references("through", "Through", {"plate.", "layer."})
                                  .fixed()
                                  .at(Invalidation::Lens)
                                  .help("The footage of water: its brightness pushes the copy"),
                              references("lens", "Lens", {"lens."})
                                  .fixed()
                                  .at(Invalidation::Lens)
                                  .help("The mirror copy, and what pushes it")},
                   .existence = Invalidation::Lens,
                   .standsFor = "from",
                   .switches = {"lens"}},
          .roles = {{"from", "From", "what is mirrored"},
                    {"through", "Through", "footage of water"},
                    {"lens", "Lens", "a mirror copy, a push"}},
          .make = makeWater,
          .dress = follow,
          .measure = measureWater,
          .fromShines = false};
}

} // namespace ilumbra
