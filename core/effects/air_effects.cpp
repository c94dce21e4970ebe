// Effects of light in the air, and what each makes when the scene lacks it.
#include "core/effects/air_route.h"

#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/document/units.h"
#include "core/effects/making.h"
#include "core/geometry/shape.h"

#include <cmath>
#include <fmt/format.h>

namespace ilumbra {
namespace {

std::vector<ParamDef> airEffectParams(const char* fromHelp, const char* throughHelp, bool onto) {
  std::vector<ParamDef> p = {
      flag("on", "On", true).at(Invalidation::Geometry).help("Off: its air is not there"),
      references("from", "From", {"light."}).fixed().at(Invalidation::Shading).help(fromHelp),
      references("through", "Through", {"air."}).fixed().at(Invalidation::Geometry).help(throughHelp)};
  if (onto)
    p.push_back(
        references("onto", "Onto", {"object."}).fixed().at(Invalidation::Shading).help("What the light is to reach"));
  return p;
}

std::vector<Role> airRoles(const char* from, const char* through, bool onto) {
  std::vector<Role> r = {{"from", "From", from}, {"through", "Through", through}};
  if (onto) r.push_back({"onto", "Onto", "an object that the light is to reach"});
  return r;
}

// A closed path among the selection: an opening.
NodeId openingOf(const Document& doc, const std::vector<NodeId>& selection) {
  for (const NodeId id : selection)
    if (const Node* n = doc.find(id); n && n->kind->id == "object.path") return id;
  return 0;
}

void leaveOnto(Document& doc, NodeId effect, NodeId thing) {
  if (thing && doc.find(effect)->kind->param("onto")) doc = leaveRole(doc, effect, "onto", thing);
}

// A beam fitted to each light of From that has none yet; one that is far away and has no opening shines through haze
// all over the set.
void fitBeams(Document& doc, NodeId effect, NodeId opening,
              const std::vector<std::pair<std::string, std::string>>& look, std::vector<std::string>* told) {
  if (!roleOf(doc, *doc.find(effect), "through").empty()) return;
  const Framed f = framed(doc);
  const std::vector<NodeId> lights = roleOf(doc, *doc.find(effect), "from");
  bool all = false;
  for (const NodeId id : lights) {
    const Node light = *doc.find(id);
    if (farAway(light) && !opening) {
      if (all) continue;
      all = true;
      const NodeId haze = add(doc, "air.haze", doc.find(effect)->name + " haze",
                              {{"density", tidy(0.12 / double(f.height))}, {"anisotropy", "0.4"}});
      take(doc, effect, "through", haze);
      tell(told,
           fmt::format("{} comes from far away: haze fills the whole scene. An opening would confine it", light.name));
      continue;
    }
    // As far as the middle of what is framed, and on by as much again.
    double reach = 1.5 * double(f.height);
    if (const ParamDef* p = light.kind->param("position")) {
      const Triple t = Params(light, currentFrame(doc)).triple(p->name);
      V3f place{float(t[0]), float(t[1]), float(t[2])};
      if (light.parent) place = transformPoint(worldMatrix(doc, *doc.find(light.parent), currentFrame(doc)), place);
      reach = light.kind->param("target") ? double(length(f.middle - place) + 0.5f * f.height) : 0.6 * double(f.height);
    }
    std::vector<std::pair<std::string, std::string>> values = {
        {"light", light.name}, {"reach", tidy(reach)}, {"density", tidy(0.5 / reach)}};
    if (opening) values.emplace_back("opening", doc.find(opening)->name);
    values.insert(values.end(), look.begin(), look.end());
    const NodeId beam = add(doc, "air.beam", light.name + " beam", values);
    take(doc, effect, "through", beam);
    tell(told, fmt::format("A beam is fitted to {}: {} long, and goes with it", light.name,
                           formatNumber(*doc.find(beam)->kind->param("reach"), reach)));
  }
}

// A hidden shape that air fills.
NodeId bounds(Document& doc, const char* kind, const std::string& name,
              std::vector<std::pair<std::string, std::string>> values) {
  values.emplace_back("shown", "off");
  return add(doc, kind, name, values);
}

} // namespace

EffectKind shaftsEffect() {
  return {.kind = {.id = "effect.shafts",
                   .label = "Shafts",
                   .helpText = "Light through openings, seen in the air as shafts.",
                   .params = airEffectParams("The sun, the sky or the lamps behind the opening",
                                             "The beams or hazes that show it", true),
                   .existence = Invalidation::Geometry,
                   .standsFor = "from",
                   .switches = {"through"}},
          .roles = airRoles("a sun, a sky or a lamp", "a beam or a haze", true),
          .make =
              [](Document doc, NodeId effect, const std::vector<NodeId>& selection, std::vector<std::string>* told) {
                const NodeId opening = openingOf(doc, selection);
                leaveOnto(doc, effect, opening);
                const Framed f = framed(doc);
                lightFor(doc, effect, {"light.sun", "light.area", "light.spot"}, "light.spot",
                         {{"position", text(f.middle + V3f(-0.7f, 0.9f, -0.4f) * f.height)},
                          {"target", text(f.middle)},
                          {"cone", "18"},
                          {"radius", tidy(0.01 * double(f.height))},
                          {"power", tidy(white(doc) * 12 * double(f.height * f.height))}},
                         told);
                fitBeams(doc, effect, opening, {{"edge", "18 %"}, {"fade", "85 %"}, {"anisotropy", "0.45"}}, told);
                return doc;
              },
          .share = airShare,
          .measure = measureAirRoute};
}

EffectKind lampInMistEffect() {
  return {.kind = {.id = "effect.lamp_in_mist",
                   .label = "Lamp in mist",
                   .helpText = "The air around a lamp shows its light: a ball, a cone, a shade's rays.",
                   .params = airEffectParams("The lamps", "The air around them", false),
                   .existence = Invalidation::Geometry,
                   .standsFor = "from",
                   .switches = {"through"}},
          .roles = airRoles("a lamp", "the air around it", false),
          .make =
              [](Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
                const Framed f = framed(doc);
                lightFor(doc, effect, {"light.point", "light.spot", "light.area"}, "light.point",
                         {{"position", text(f.middle)},
                          {"radius", tidy(0.01 * double(f.height))},
                          {"power", tidy(white(doc) * 6 * double(f.height * f.height))}},
                         told);
                fitBeams(doc, effect, 0, {{"fade", "100 %"}, {"anisotropy", "0.2"}}, told);
                return doc;
              },
          .share = airShare,
          .measure = measureAirRoute};
}

EffectKind projectorBeamEffect() {
  return {.kind = {.id = "effect.projector_beam",
                   .label = "Projector beam",
                   .helpText = "A projected picture, seen in dusty air as coloured shafts.",
                   .params = airEffectParams("The projector: a spot light, mostly with a slide", "Its beam", true),
                   .existence = Invalidation::Geometry,
                   .standsFor = "from",
                   .switches = {"through"}},
          .roles = airRoles("a spot light with a slide", "its beam", true),
          .make =
              [](Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
                const Framed f = framed(doc);
                lightFor(doc, effect, {"light.spot"}, "light.spot",
                         {{"position", text(f.middle + V3f(-0.8f, 0.2f, 0.5f) * f.height)},
                          {"target", text(f.middle + V3f(0.5f, 0, -0.5f) * f.height)},
                          {"cone", "20"},
                          {"edge", "0"},
                          {"power", tidy(white(doc) * 12 * double(f.height * f.height))}},
                         told);
                NodeId dust = 0;
                if (roleOf(doc, *doc.find(effect), "through").empty())
                  dust = add(doc, "pattern.noise", doc.find(effect)->name + " dust",
                             {{"family", "rolling"},
                              {"space", "world"},
                              {"scale", tidy(0.3 * double(f.height))},
                              {"octaves", "5"},
                              {"contrast", "2"},
                              {"low", "0.3, 0.3, 0.3"},
                              {"drift", text(V3f(0.01f, 0.015f, 0) * f.height)}});
                std::vector<std::pair<std::string, std::string>> look = {
                    {"edge", "0"}, {"fade", "30 %"}, {"anisotropy", "0.5"}};
                if (dust) look.emplace_back("amount", "pattern " + doc.find(dust)->name);
                fitBeams(doc, effect, 0, look, told);
                return doc;
              },
          .share = airShare,
          .measure = measureAirRoute};
}

EffectKind mistEffect() {
  return {.kind = {.id = "effect.mist",
                   .label = "Mist",
                   .helpText = "Layered mist that drifts, heavier below, with a broken upper edge.",
                   .params = airEffectParams("The lights that it shows; nothing: all", "The mist", false),
                   .existence = Invalidation::Geometry,
                   .standsFor = "from",
                   .switches = {"through"}},
          .roles = airRoles("lights, or nothing: all", "a haze with a mist in it", false),
          .make =
              [](Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
                if (!roleOf(doc, *doc.find(effect), "through").empty()) return doc;
                const Framed f = framed(doc);
                const double h = double(f.height);
                const std::string name = doc.find(effect)->name;
                const NodeId pattern = add(doc, "pattern.mist", name + " swathes",
                                           {{"base", fmt::format("{:.3f}", f.floor)}, {"height", tidy(0.45 * h)}});
                add(doc, "mist.layer", "Far swathes",
                    {{"scale", tidy(0.7 * h)},
                     {"octaves", "5"},
                     {"drift", text(V3f(0.05f, 0, 0.01f) * f.height)},
                     {"churn", "0.05"}},
                    {pattern, "layers", size_t(-1)});
                add(doc, "mist.layer", "Near wisps",
                    {{"family", "rolling"},
                     {"scale", tidy(0.25 * h)},
                     {"strength", "50 %"},
                     {"seed", "7"},
                     {"drift", text(V3f(0.11f, 0.005f, -0.015f) * f.height)},
                     {"churn", "0.12"}},
                    {pattern, "layers", size_t(-1)});
                const NodeId box = bounds(doc, "object.box", name + " bounds",
                                          {{"width", tidy(4 * h)},
                                           {"height", tidy(0.7 * h)},
                                           {"depth", tidy(4 * h)},
                                           {"position", text({f.middle.x, f.floor + 0.35f * f.height, f.middle.z})}});
                const NodeId haze = add(doc, "air.haze", name + " air",
                                        {{"fills", doc.find(box)->name},
                                         {"density", tidy(2.2 / h)},
                                         {"amount", "pattern " + doc.find(pattern)->name},
                                         {"anisotropy", "0.35"}});
                // Mist shows light that falls into it; where there is none, a lamp stands in it.
                if (doc.family("light").empty() && roleOf(doc, *doc.find(effect), "from").empty()) {
                  const NodeId lamp = add(doc, "light.point", "Lamp",
                                          {{"position", text(f.middle + V3f(-0.35f, 0.05f, -0.3f) * f.height)},
                                           {"radius", tidy(0.02 * h)},
                                           {"power", tidy(30 * white(doc) * h * h)},
                                           {"color", "1, 0.85, 0.65"}});
                  tell(told, fmt::format("There was no light to show: {} was made", doc.find(lamp)->name));
                }
                if (const std::vector<NodeId> from = roleOf(doc, *doc.find(effect), "from"); !from.empty()) {
                  std::vector<Reference> lights;
                  for (const NodeId id : from) lights.push_back({id, nullptr});
                  doc = setValue(doc, haze, "lit_by", Constant(lights));
                }
                take(doc, effect, "through", haze);
                tell(told,
                     fmt::format("Mist lies in {}, which is hidden: move it, or make it larger", doc.find(box)->name));
                return doc;
              },
          .share = airShare,
          .measure = measureAirRoute};
}

EffectKind nebulaEffect() {
  return {
      .kind = {.id = "effect.nebula",
               .label = "Nebula",
               .helpText = "Glowing swathes of gas, which need no lamp.",
               .params = airEffectParams("Lights that shine into it besides; nothing: its own light alone counts here",
                                         "The gas", false),
               .existence = Invalidation::Geometry,
               .standsFor = "from",
               .switches = {"through"}},
      .roles = airRoles("nothing, or lights besides", "a haze with own light", false),
      .make =
          [](Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
            if (!roleOf(doc, *doc.find(effect), "through").empty()) return doc;
            const Framed f = framed(doc);
            const double h = double(f.height);
            const std::string name = doc.find(effect)->name;
            const NodeId clouds = add(doc, "pattern.noise", name + " clouds",
                                      {{"family", "rolling"},
                                       {"scale", tidy(0.35 * h)},
                                       {"octaves", "6"},
                                       {"contrast", "3"},
                                       {"floor", "35 %"},
                                       {"churn", "0.05"}});
            const NodeId rim = add(
                doc, "pattern.ramp", name + " rim",
                {{"along", "ball"}, {"space", "object"}, {"start", "0, 0, 0"}, {"end", text({0.4f * f.height, 0, 0})}});
            add(doc, "ramp.key", "Middle", {{"place", "0.25"}, {"color", "1, 1, 1"}, {"passage", "smooth"}},
                {rim, "keys", size_t(-1)});
            add(doc, "ramp.key", "Outside", {{"place", "1"}, {"color", "0, 0, 0"}}, {rim, "keys", size_t(-1)});
            const NodeId both = add(doc, "pattern.mix", name + " gas",
                                    {{"mode", "multiply"},
                                     {"below", "pattern " + doc.find(clouds)->name},
                                     {"above", "pattern " + doc.find(rim)->name}});
            const NodeId ball = bounds(doc, "object.sphere", name + " bounds",
                                       {{"radius", tidy(0.4 * h)}, {"position", text(f.middle)}});
            const NodeId haze = add(doc, "air.haze", name + " air",
                                    {{"fills", doc.find(ball)->name},
                                     {"density", tidy(3 / h)},
                                     {"amount", "pattern " + doc.find(both)->name},
                                     {"color", "0.6, 0.7, 0.9"},
                                     {"own_light", tidy(white(doc) * 4 / h)},
                                     {"own_light_color", "0.35, 0.55, 1"}});
            take(doc, effect, "through", haze);
            tell(told, fmt::format("The gas fills {}, which is hidden, and shines by itself", doc.find(ball)->name));
            return doc;
          },
      .share = airShare,
      .measure = measureAirRoute};
}

EffectKind ghostLightEffect() {
  return {
      .kind = {.id = "effect.air_glow",
               .label = "Air glow",
               .helpText = "A glow in the air without a lamp: soft at its rim, casting no shadow.",
               .params = airEffectParams("Lights that shine into it besides; nothing: its own light alone counts here",
                                         "The glow", false),
               .existence = Invalidation::Geometry,
               .formerly = {"effect.ghost_light"},
               .standsFor = "from",
               .switches = {"through"}},
      .roles = airRoles("nothing, or lights besides", "a haze with own light", false),
      .make =
          [](Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
            if (!roleOf(doc, *doc.find(effect), "through").empty()) return doc;
            const Framed f = framed(doc);
            const double r = 0.14 * double(f.height);
            const std::string name = doc.find(effect)->name;
            const NodeId rim =
                add(doc, "pattern.ramp", name + " rim",
                    {{"along", "ball"}, {"space", "object"}, {"start", "0, 0, 0"}, {"end", text({float(r), 0, 0})}});
            add(doc, "ramp.key", "Core", {{"place", "0"}, {"color", "8, 8, 8"}, {"passage", "smooth"}},
                {rim, "keys", size_t(-1)});
            add(doc, "ramp.key", "Glow", {{"place", "0.3"}, {"color", "0.6, 0.6, 0.6"}, {"passage", "smooth"}},
                {rim, "keys", size_t(-1)});
            add(doc, "ramp.key", "Outside", {{"place", "1"}, {"color", "0, 0, 0"}}, {rim, "keys", size_t(-1)});
            const NodeId ball =
                bounds(doc, "object.sphere", name + " place", {{"radius", tidy(r)}, {"position", text(f.middle)}});
            const NodeId haze = add(doc, "air.haze", name + " air",
                                    {{"fills", doc.find(ball)->name},
                                     {"density", "0.001"},
                                     {"amount", "pattern " + doc.find(rim)->name},
                                     {"own_light", tidy(white(doc) * 0.9 / r)},
                                     {"own_light_color", "0.45, 1, 0.75"}});
            take(doc, effect, "through", haze);
            tell(told,
                 fmt::format("The glow fills {}, which is hidden: move it where it is to hover", doc.find(ball)->name));
            return doc;
          },
      .share = airShare,
      .measure = measureAirRoute};
}

} // namespace ilumbra
