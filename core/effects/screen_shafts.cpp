// Screen shafts: rays that streak over the picture out of lamps, shapes or words, as light or as shadow, from a centre
// that follows a light.
#include "core/compile/camera.h"
#include "core/compile/sight.h"
#include "core/effects/glow_route.h"
#include "core/effects/making.h"
#include "core/effects/route_parts.h"
#include "core/effects/shining_body.h"
#include "core/image/picture_ops.h"
#include "core/scene/scene.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

using Weight = Finding::Weight;

NodeId shaftStage(const Document& doc, const Node& effect) {
  for (const NodeId id : roleOf(doc, effect, "lens"))
    if (const Node* n = doc.find(id); n && n->kind->id == "lens.screen_shafts") return id;
  return 0;
}

// The stage's centre is the light of the effect.
Document follow(const Document& doc, NodeId effect) {
  const NodeId stage = shaftStage(doc, *doc.find(effect));
  const auto centre = roleOf(doc, *doc.find(effect), "centre");
  if (!stage || centre.empty()) return doc;
  if (Params(*doc.find(stage), currentFrame(doc)).reference("centre_at").target == centre.front()) return doc;
  const Document out = setValue(doc, stage, "centre_by", Constant(std::string("thing")));
  return setValue(out, stage, "centre_at", Constant(Reference{centre.front(), nullptr}));
}

Document makeShafts(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  const double frame = currentFrame(doc);
  // Of a selection words and dark things throw shadows; lamps and what shines throw light.
  std::vector<NodeId> dark;
  for (const NodeId id : roleOf(doc, *doc.find(effect), "from"))
    if (const Node* n = doc.find(id);
        n->kind->family() == "object" && isBlack(ownLight(doc, wornMaterial(doc, *n, frame), frame)))
      dark.push_back(id);
  if (roleOf(doc, *doc.find(effect), "from").empty()) {
    // Words before a lamp, where there is nothing; else what gives light.
    if (doc.family("light").empty() && doc.family("object").empty()) {
      const Framed f = framed(doc);
      const NodeId ink =
          add(doc, "material.surface", "Ink", {{"base_color", "0.01, 0.01, 0.01"}, {"roughness", "0.8"}});
      const NodeId words = add(doc, "object.text", "Words",
                               {{"text", "ORRERY"}, {"size", "1, 1, 1"}, {"material", doc.find(ink)->name}});
      const Box3f box = boundsOf(doc, {words});
      if (!box.isEmpty()) {
        const double by = 0.95 * double(f.height) / double(std::max(1e-3f, box.size().x));
        doc = setValue(doc, words, "size", Constant(Triple{by, by, by}));
        const Box3f now = boundsOf(doc, {words});
        const V3f at = f.middle - now.center();
        doc = setValue(doc, words, "position", Constant(Triple{double(at.x), double(at.y), double(at.z)}));
      }
      const double r = 0.05 * double(f.height);
      const NodeId lamp = add(doc, "light.point", "Lamp",
                              {{"position", text(f.middle + V3f(0.04f, 0.05f, -0.42f) * f.height)},
                               {"radius", tidy(r)},
                               {"color", "1, 0.8, 0.55"},
                               {"power", tidy(90 * white(doc) * 4 * 9.87 * r * r)}});
      const NodeId wall =
          add(doc, "material.surface", "Wall surface", {{"base_color", "0.42, 0.4, 0.38"}, {"roughness", "0.9"}});
      const std::string wide = tidy(6 * double(f.height));
      add(doc, "object.box", "Wall",
          {{"width", wide},
           {"height", wide},
           {"depth", tidy(0.05 * double(f.height))},
           {"position", text({f.middle.x, f.middle.y, f.middle.z - 0.85f * f.height})},
           {"material", doc.find(wall)->name}});
      take(doc, effect, "from", words);
      take(doc, effect, "centre", lamp);
      dark.push_back(words);
      tell(told, "There was nothing to throw rays: words before a lamp were made");
    } else {
      lampIfNothingShines(doc, effect, told);
      const std::vector<const Node*> lights = doc.family("light");
      if (roleOf(doc, *doc.find(effect), "from").empty() && !lights.empty()) {
        tell(told, lights.front()->name + " throws the rays");
        take(doc, effect, "from", lights.front()->id);
      }
    }
  }
  const bool shadow = !dark.empty() && dark.size() == roleOf(doc, *doc.find(effect), "from").size();
  if (roleOf(doc, *doc.find(effect), "centre").empty()) {
    NodeId centre = 0;
    for (const NodeId id : roleOf(doc, *doc.find(effect), "from"))
      if (!centre && doc.find(id)->kind->family() == "light") centre = id;
    for (const Node* n : doc.family("light"))
      if (!centre && n->kind->param("power") && n->kind->param("power")->unit == "lm") centre = n->id;
    if (centre) {
      take(doc, effect, "centre", centre);
      tell(told, fmt::format("They come from {}", doc.find(centre)->name));
    }
  }
  if (!shaftStage(doc, *doc.find(effect))) {
    lensStageFor(doc, effect, "lens.screen_shafts", "rays",
                 shadow ? std::vector<std::pair<std::string, std::string>>{{"rays_of", "shadow"},
                                                                           {"length", "70 %"},
                                                                           {"fade", "0 %"},
                                                                           {"amount", "85 %"}}
                        : std::vector<std::pair<std::string, std::string>>{
                              {"rays_of", "light"}, {"length", "65 %"}, {"amount", "120 %"}});
    tell(told,
         shadow ? "The lens streaks their shadow over the picture" : "The lens streaks their light over the picture");
  }
  return follow(doc, effect);
}

Route measureShafts(const DevelopedEffect& of) {
  const NodeId stageId = shaftStage(of.doc, of.effect);
  const Node* stage = of.doc.find(stageId);
  const bool shadow = stage && Params(*stage, of.frame).text("rays_of") == "shadow";
  Route r;
  const auto tell = [&](Weight w, const char* role, NodeId thing, std::string text, std::vector<Mend> mends = {}) {
    r.findings.push_back({w, role, thing, std::move(text), std::move(mends), {}});
  };
  std::vector<const Node*> from;
  for (const NodeId id : roleOf(of.doc, of.effect, "from")) leaf(of.doc, id, from);
  if (shadow) {
    // What throws shadows gives no light: how much of the frame it covers is what it has.
    r.effect = of.effect.id;
    std::set<NodeId> ids;
    for (const Node* n : from) ids.insert(n->id);
    double covered = 0;
    const size_t pixels = size_t(of.film.width()) * size_t(of.film.height());
    for (size_t i = 0; i < pixels; ++i) {
      const Film::Ranked& first = of.film.identity(i);
      float mine = 0, all = first.dropped;
      for (size_t k = 0; k < size_t(Film::ranks); ++k) {
        all += first.weight[k];
        if (first.weight[k] > 0 && of.scene.things[first.thing[k]].among(ids)) mine += first.weight[k];
      }
      covered += all > 0 ? double(mine) / std::max(double(all), double(of.film.samples(i))) : 0;
    }
    covered /= double(std::max<size_t>(1, pixels));
    r.seen = covered > 0 ? 1 : 0;
    r.stations.push_back({"from",
                          "From",
                          from.empty() ? "empty" : names(from),
                          fmt::format("covers {} of the frame", percent(covered)),
                          1,
                          {}});
    double taken = 0;
    const double all =
        luminanceSum(collect(of.film, 0, of.groupScales, exposureFactor(of.doc, of.frame), of.tasks), {}, of.tasks);
    for (const StageResult& d : of.developed.stages)
      if (d.stage == stageId && all > 0) taken = luminanceSum(d.work.taken, {}, of.tasks) / all;
    r.pictureShare = taken;
    r.stations.push_back({"lens",
                          "Lens",
                          stage->name,
                          fmt::format("takes {} of the picture's light", percent(taken)),
                          covered > 0 ? 1.0 : 0.0,
                          {}});
    if (!from.empty() && covered < 1e-4)
      tell(Weight::Broken, "from", from.front()->id,
           fmt::format("{} is not seen: there is no silhouette", names(from)));
  } else {
    r = measureGlowRoute(of);
  }
  if (from.empty() && shadow) tell(Weight::Broken, "from", of.effect.id, "From is empty: nothing throws rays");
  if (!stage) {
    tell(Weight::Broken, "lens", of.effect.id, "Lens has no stage of screen shafts");
    return finished(std::move(r), of, "lens");
  }
  const Params p(*stage, of.frame);
  const auto centre = roleOf(of.doc, of.effect, "centre");
  Station at{"centre", "Centre", "in the frame", "", 1, {}};
  if (!centre.empty()) {
    const Node& n = *of.doc.find(centre.front());
    const SeenAt s = seenAt(of.doc, of.scene, n.id, V3f(0.0f), of.frame);
    at.name = n.name;
    const double x = double(s.at.x) / of.scene.width, y = double(s.at.y) / of.scene.height;
    at.reading = s.depth <= 0 ? "behind the camera" : fmt::format("{:.0f} % across, {:.0f} % down", 100 * x, 100 * y);
    if (p.text("centre_by") != "thing" || p.reference("centre_at").target != n.id)
      tell(Weight::Weak, "centre", n.id, fmt::format("The rays do not come from {}", n.name),
           {{"Let them come from it",
             {{ilumbra::at(*stage, "centre_by"), "thing"}, {ilumbra::at(*stage, "centre_at"), n.name}}}});
    else if (s.depth <= 0)
      tell(Weight::Broken, "centre", n.id, n.name + " is behind the camera: rays have no centre in the picture");
    else if (x < -1 || x > 2 || y < -1 || y > 2)
      tell(Weight::Weak, "centre", n.id, n.name + " is far beside the frame: its rays run side by side");
  } else if (p.text("centre_by") == "thing") {
    tell(Weight::Weak, "centre", of.effect.id, "Centre is empty: put in the light that the rays come from");
  }
  if (p.number("length") < 0.05)
    tell(Weight::Weak, "lens", stage->id, "The rays are so short that they do not show",
         {{"Lengthen them", {{ilumbra::at(*stage, "length"), "60 %"}}}});
  r.stations.insert(r.stations.begin() + 1, std::move(at));
  return finished(std::move(r), of, "lens");
}

} // namespace

EffectKind screenShaftsEffect() {
  return {
      .kind = {.id = "effect.screen_shafts",
               .label = "Screen shafts",
               .helpText = "Rays that streak over the picture out of lamps, shapes or words, as light or as shadow.",
               .params = {flag("on", "On", true).at(Invalidation::Lens).help("Off: its lens stages rest"),
                          references("from", "From", {"light.", "object.", "material.", "source.", "plate.", "layer."})
                              .at(Invalidation::Shading)
                              .help("What throws the rays: its light, or its shadow"),
                          references("centre", "Centre", {"light.", "object."})
                              .fixed()
                              .at(Invalidation::Lens)
                              .help("The light that they come from, wherever the camera goes"),
                          references("lens", "Lens", {"lens."})
                              .fixed()
                              .at(Invalidation::Lens)
                              .help("The stage of screen shafts, and what else acts on them")},
               .existence = Invalidation::Lens,
               .standsFor = "from",
               .switches = {"lens"}},
      .roles = {{"from", "From", "lamps, shapes or words"},
                {"centre", "Centre", "the light they come from"},
                {"lens", "Lens", "screen shafts"}},
      .make = makeShafts,
      .dress = follow,
      .measure = measureShafts,
      .fromShines = false};
}

} // namespace ilumbra
