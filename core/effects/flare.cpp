// A flare: all that a lens adds to named lamps, as one thing: whole looks first, then their parts.
#include "core/document/units.h"
#include "core/effects/glow_route.h"
#include "core/effects/making.h"
#include "core/effects/route_parts.h"
#include "core/effects/shining_body.h"
#include "core/lens/queries.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

using Values = std::vector<std::pair<std::string, std::string>>;

// A part of a look: a lens stage, and what it is called after the effect.
struct Part {
  const char *kind, *name;
  Values values;
};
struct FlareLook {
  const char *name, *help;
  std::vector<Part> parts;
};

constexpr const char *glow = "lens.glow", *streaks = "lens.streaks", *starburst = "lens.starburst",
                     *ghosts = "lens.ghosts", *rings = "lens.halo_rings";

const std::vector<FlareLook>& flareLooks() {
  static const std::vector<FlareLook> all = {
      {"Evening lamp",
       "A warm halo, six fine rays and a breath of ghosts",
       {{glow, "halo", {{"amount", "14 %"}, {"size", "16 %"}, {"falloff", "0.8"}, {"shift", "0.4"}}},
        {starburst, "burst", {{"amount", "45 %"}, {"size", "0.5 %"}, {"blades", "6"}, {"key", "2"}}},
        {ghosts, "ghosts", {{"amount", "30 %"}, {"lens", "Portrait triplet, 110 mm"}, {"key", "2"}}}}},
      {"Level streak",
       "One long cool line across the frame, and hardly a halo",
       {{glow, "halo", {{"amount", "6 %"}, {"size", "8 %"}, {"tint", "0.5, 0.7, 1"}}},
        {streaks,
         "line",
         {{"rays", "2"},
          {"angle", "0"},
          {"length", "70 %"},
          {"thickness", "0.35 %"},
          {"tail", "1.6"},
          {"amount", "60 %"},
          {"tint", "0.35, 0.6, 1"},
          {"color_spread", "0"},
          {"key", "2"}}}}},
      {"Winter sun",
       "A pale disc in two rings of ice",
       {{glow, "halo", {{"amount", "18 %"}, {"size", "26 %"}, {"falloff", "0.6"}, {"saturation", "40 %"}}},
        {rings,
         "ice",
         {{"amount", "30 %"},
          {"radius", "22 %"},
          {"width", "2 %"},
          {"rings", "2"},
          {"apart", "20 %"},
          {"fall", "0.3"}}},
        {streaks, "needles", {{"rays", "4"}, {"angle", "0"}, {"length", "14 %"}, {"amount", "15 %"}, {"key", "2"}}}}},
      {"Welder's arc",
       "Hard blue-white rays, uneven, out of a burning core",
       {{glow,
         "burn",
         {{"amount", "25 %"}, {"size", "7 %"}, {"falloff", "1.3"}, {"tint", "0.6, 0.75, 1"}, {"white", "60 %"}}},
        {streaks,
         "rays",
         {{"rays", "14"},
          {"uneven", "80 %"},
          {"length", "30 %"},
          {"thickness", "0.2 %"},
          {"amount", "55 %"},
          {"tint", "0.7, 0.8, 1"},
          {"key", "2"}}}}},
      {"Candle through a pane",
       "A soft flame with a greasy cross of scratches",
       {{glow, "halo", {{"amount", "30 %"}, {"size", "11 %"}, {"falloff", "1"}, {"shift", "0.7"}}},
        {streaks,
         "scratches",
         {{"rays", "2"},
          {"angle", "72"},
          {"length", "22 %"},
          {"thickness", "1.2 %"},
          {"tail", "0.7"},
          {"amount", "18 %"},
          {"key", "1"}}}}},
      {"Lighthouse",
       "Many long thin rays and a wide veil",
       {{glow, "veil", {{"amount", "12 %"}, {"size", "55 %"}, {"falloff", "0.5"}}},
        {starburst,
         "burst",
         {{"amount", "70 %"}, {"size", "0.4 %"}, {"blades", "9"}, {"scratches", "40 %"}, {"key", "2"}}}}},
      {"Old projector",
       "Round ghosts in a row and a broken ring",
       {{glow, "halo", {{"amount", "20 %"}, {"size", "12 %"}, {"tint", "1, 0.8, 0.5"}}},
        {rings,
         "ring",
         {{"amount", "22 %"},
          {"radius", "15 %"},
          {"width", "4 %"},
          {"gaps", "3"},
          {"inner", "1, 0.6, 0.3"},
          {"outer", "0.9, 0.8, 0.5"}}},
        {ghosts,
         "ghosts",
         {{"amount", "70 %"}, {"lens", "Reading glass, two elements"}, {"blades", "0"}, {"key", "2"}}}}},
      {"Signal lamp",
       "Its own colour far out, white at its heart",
       {{glow, "halo", {{"amount", "40 %"}, {"size", "9 %"}, {"saturation", "160 %"}, {"white", "80 %"}}},
        {rings,
         "rim",
         {{"amount", "15 %"}, {"radius", "9 %"}, {"width", "1.2 %"}, {"inner", "1, 1, 1"}, {"outer", "1, 1, 1"}}}}},
      {"Dew",
       "Broad rainbow rings, as on a breathed-on glass",
       {{glow, "halo", {{"amount", "12 %"}, {"size", "20 %"}, {"falloff", "0.7"}}},
        {rings,
         "corona",
         {{"amount", "45 %"},
          {"radius", "8 %"},
          {"width", "3 %"},
          {"rings", "4"},
          {"apart", "5 %"},
          {"fall", "0.55"},
          {"rays", "40"},
          {"ray_depth", "35 %"}}}}},
      {"Night drive",
       "Eight blades' rays with a chain of ghosts towards the middle",
       {{glow, "halo", {{"amount", "10 %"}, {"size", "9 %"}}},
        {starburst,
         "burst",
         {{"amount", "80 %"}, {"size", "0.5 %"}, {"blades", "8"}, {"rounding", "0 %"}, {"dust", "30 %"}, {"key", "2"}}},
        {ghosts, "ghosts", {{"amount", "90 %"}, {"most", "16"}, {"blades", "8"}, {"key", "3"}}}}},
      {"Ember",
       "A close red glow and nothing else",
       {{glow,
         "glow",
         {{"amount", "35 %"}, {"size", "6 %"}, {"tint", "1, 0.25, 0.05"}, {"core_tint", "1, 0.7, 0.4"}}}}},
      {"Deep water",
       "A blue-green bloom with uneven drifting rays",
       {{glow, "bloom", {{"amount", "28 %"}, {"size", "30 %"}, {"falloff", "0.6"}, {"tint", "0.2, 0.8, 0.9"}}},
        {streaks,
         "rays",
         {{"rays", "9"},
          {"uneven", "100 %"},
          {"length", "45 %"},
          {"thickness", "2.5 %"},
          {"tail", "0.6"},
          {"amount", "20 %"},
          {"tint", "0.3, 0.9, 0.9"},
          {"key", "1"}}}}},
  };
  return all;
}

bool isFlarePart(const Node& stage) {
  for (const char* kind : {glow, streaks, starburst, ghosts, rings})
    if (stage.kind->id == kind) return true;
  return false;
}

// The stages of the effect alone that are parts of flares go; those of the look come.
Document withFlareLook(const Document& before, NodeId effect, const FlareLook& look) {
  Document doc = before;
  for (const NodeId id : roleOf(doc, *doc.find(effect), "lens")) {
    const Node* stage = doc.find(id);
    if (!stage || !isFlarePart(*stage)) continue;
    const std::vector<const Node*> by = switchesOf(doc, id);
    if (by.size() == 1 && by.front()->id == effect)
      doc = removeNode(doc, id);
    else
      doc = leaveRole(doc, effect, "lens", id);
  }
  for (const Part& p : look.parts) lensStageFor(doc, effect, p.kind, p.name, p.values);
  return doc;
}

Document makeFlare(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  lampIfNothingShines(doc, effect, told);
  if (roleOf(doc, *doc.find(effect), "from").empty()) {
    // The lamp that is brightest for its size: a flare is of a small light.
    const Node* best = nullptr;
    double most = 0;
    for (const Node* n : doc.family("light")) {
      if (!n->kind->param("radius")) continue;
      const Params p(*n, currentFrame(doc));
      const double v = p.number("power") / std::max(1e-4, p.number("radius") * p.number("radius"));
      if (p.flag("on") && v > most) most = v, best = n;
    }
    if (best) {
      tell(told, fmt::format("{} is what flares", best->name));
      take(doc, effect, "from", best->id);
    }
  }
  if (roleOf(doc, *doc.find(effect), "lens").empty()) {
    doc = withFlareLook(doc, effect, flareLooks().front());
    tell(told, fmt::format("It looks as \"{}\"; there are {} more looks", flareLooks().front().name,
                           flareLooks().size() - 1));
  }
  return doc;
}

Route measureFlare(const DevelopedEffect& of) {
  Route r = measureGlowRoute(of);
  // What each part adds, of all that the lens spreads.
  double all = 0;
  std::vector<std::pair<std::string, double>> parts;
  for (const Node* s : lensStages(of.doc)) {
    const auto role = roleOf(of.doc, of.effect, "lens");
    if (std::find(role.begin(), role.end(), s->id) == role.end()) continue;
    for (const StageResult& d : of.developed.stages)
      if (d.stage == s->id) {
        parts.emplace_back(s->name, d.share);
        all += d.share;
      }
  }
  std::string text;
  for (const auto& [name, share] : parts)
    text += fmt::format("{}{} {}", text.empty() ? "" : ", ", name, percent(all > 0 ? share / all : 0));
  for (Station& s : r.stations)
    if (s.role == "lens" && !text.empty()) s.name = text;
  return r;
}

} // namespace

EffectKind flareEffect() {
  EffectKind e{
      .kind = {.id = "effect.flare",
               .label = "Flare",
               .helpText = "All that a lens adds to named lamps: glow, streaks, starburst, ghosts and rings.",
               .params = {flag("on", "On", true).at(Invalidation::Lens).help("Off: its lens stages rest"),
                          references("from", "From", {"light.", "object.", "material.", "source.", "plate.", "layer."})
                              .at(Invalidation::Shading)
                              .help("The lamps and shining things that flare"),
                          references("lens", "Lens", {"lens."})
                              .fixed()
                              .at(Invalidation::Lens)
                              .help("Its parts: lens stages, each by itself too")},
               .existence = Invalidation::Lens,
               .standsFor = "from",
               .switches = {"lens"}},
      .roles = {{"from", "From", "a lamp, or what shines"}, {"lens", "Lens", "its parts"}},
      .make = makeFlare,
      .measure = measureFlare};
  for (const FlareLook& look : flareLooks())
    e.looks.push_back({look.name, look.help,
                       [&look](const Document& doc, NodeId effect) { return withFlareLook(doc, effect, look); }});
  return e;
}

} // namespace ilumbra
