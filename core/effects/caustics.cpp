#include "core/compile/caustics.h"
#include "core/compile/balance.h"
#include "core/compile/camera.h"
#include "core/effects/caustics_route.h"
#include "core/effects/making.h"
#include "core/surface/presets.h"

#include <cmath>
#include <fmt/format.h>

namespace ilumbra {
namespace {

// True of what sends light on in one direction: clear, or polished metal.
bool gathers(const Document& doc, const Node& object) {
  const double frame = currentFrame(doc);
  const Reference use = object.kind->param("material") ? wornMaterial(doc, object, frame) : Reference{};
  const Node* m = doc.find(use.target);
  if (!m || m->kind->id != "material.surface") return false;
  const Params p(*m, frame, use.with.get());
  return (p.number("transmission") > 0.5 && !p.flag("thin")) ||
         (p.number("metalness") > 0.5 && p.number("roughness") < 0.15);
}

Document makeCaustics(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  const double frame = currentFrame(doc);
  cameraFor(doc, told);
  const Framed f = framed(doc);
  // What was selected and gives no light is what the light goes through.
  for (const NodeId id : roleOf(doc, *doc.find(effect), "from")) {
    const Node n = *doc.find(id);
    if (n.kind->family() != "object" ||
        (n.kind->param("material") && !isBlack(ownLight(doc, wornMaterial(doc, n, frame), frame))))
      continue;
    doc = leaveRole(doc, effect, "from", id);
    take(doc, effect, "through", id);
  }
  if (roleOf(doc, *doc.find(effect), "through").empty()) {
    std::vector<NodeId> found;
    for (const Node* n : doc.family("object"))
      if (gathers(doc, *n) && isShown(doc, *n, frame)) found.push_back(n->id);
    for (const NodeId id : found) take(doc, effect, "through", id);
    if (!found.empty())
      tell(told, fmt::format("{}{} gathers the light", doc.find(found.front())->name,
                             found.size() > 1 ? fmt::format(" with {} more", found.size() - 1) : ""));
  }
  if (roleOf(doc, *doc.find(effect), "through").empty()) {
    const float radius = 0.16f * f.height;
    const NodeId glass = add(doc, "material.surface", "Clear glass", {});
    doc = applyPreset(doc, glass, findPreset("Crown glass"));
    const NodeId ball = add(doc, "object.sphere", "Glass ball",
                            {{"radius", tidy(double(radius))},
                             {"position", text({f.middle.x, f.floor + 1.02f * radius, f.middle.z})},
                             {"material", doc.find(glass)->name}});
    take(doc, effect, "through", ball);
    tell(told, "There was nothing to gather it: a ball of crown glass was made");
  }
  const std::vector<NodeId> through = roleOf(doc, *doc.find(effect), "through");
  Box3f box = boundsOf(doc, through);
  if (box.isEmpty()) {
    box.extendBy(f.middle - V3f(0.2f * f.height));
    box.extendBy(f.middle + V3f(0.2f * f.height));
  }
  const V3f middle = box.center();
  const float size = 0.5f * length(box.size());
  // A table, where there is nothing for the light to land on.
  const auto receives = [&](const Node* n) {
    return n->kind->param("material") && isShown(doc, *n, frame) &&
           std::find(through.begin(), through.end(), n->id) == through.end() && !gathers(doc, *n);
  };
  const std::vector<const Node*> objects = doc.family("object");
  if (std::none_of(objects.begin(), objects.end(), receives)) {
    const NodeId matte =
        add(doc, "material.surface", "Table surface", {{"base_color", "0.42, 0.4, 0.37"}, {"roughness", "0.7"}});
    const NodeId table = add(doc, "object.plane", "Table",
                             {{"width", tidy(24 * double(size))},
                              {"depth", tidy(24 * double(size))},
                              {"position", text({middle.x, box.min.y, middle.z})},
                              {"material", doc.find(matte)->name}});
    if (!roleOf(doc, *doc.find(effect), "onto").empty()) take(doc, effect, "onto", table);
    tell(told, "There was nothing for the light to land on: a table was made");
  }
  // A small lamp from behind, above: its pattern falls towards the camera.
  const V3f place = middle + V3f(-1.6f, 3.2f, -2.2f) * size;
  const double away = double(length(place - middle)), half = std::atan(2.4 * double(size) / away),
               solid = 2 * 3.14159265358979 * (1 - std::cos(half)), lux = 2.5 * white(doc);
  lightFor(doc, effect, {"light.spot", "light.point", "light.sun"}, "light.spot",
           {{"position", text(place)},
            {"target", text(middle)},
            {"cone", fmt::format("{:.0f}", half * 180 / 3.14159265358979)},
            {"radius", tidy(0.02 * double(size))},
            {"power", tidy(lux * away * away * solid)}},
           told);
  // A sky that would wash it out steps back.
  std::vector<NodeId> skies;
  for (const Node* n : doc.family("light"))
    if (n->kind->id == "light.sky" && isShown(doc, *n, frame)) skies.push_back(n->id);
  const std::vector<NodeId> from = roleOf(doc, *doc.find(effect), "from");
  for (const NodeId id : skies) {
    if (std::find(from.begin(), from.end(), id) != from.end()) continue;
    const Node sky = *doc.find(id);
    const double gives = 3.14159265358979 * double(luminance(lightAmount(doc, sky, frame))), most = 0.25 * lux;
    if (gives <= most || !sky.kind->param("stops")) continue;
    const double down = std::ceil(2 * std::log2(gives / most)) / 2;
    doc = setValue(doc, id, "stops", Constant(Params(sky, frame).number("stops") - down));
    tell(told, fmt::format("{} is {:g} stops darker, so that the pattern shows", sky.name, down));
  }
  return doc;
}

} // namespace

EffectKind causticsEffect() {
  return {
      .kind =
          {.id = "effect.caustics",
           .label = "Caustics",
           .helpText =
               "Light that glass, metal and water gather into bright curves on what lies behind or around them.",
           .params = join(
               {{flag("on", "On", true).at(Invalidation::Geometry).help("Off: only what camera paths find by chance"),
                 references("from", "From", {"light.", "object."})
                     .at(Invalidation::Geometry)
                     .help("The lamps whose light is gathered: small ones make sharp patterns"),
                 references("through", "Through", {"object."})
                     .at(Invalidation::Geometry)
                     .help("What bends or mirrors it"),
                 references("onto", "Onto", {"object.", "air."})
                     .at(Invalidation::Geometry)
                     .help("The surfaces on which the pattern is to be seen, and the air in which its beams are; "
                           "nothing: all")},
                causticsParams()}),
           .existence = Invalidation::Geometry,
           .standsFor = "from",
           .role = sendsPhotons},
      .roles = {{"from", "From", "a small lamp"},
                {"through", "Through", "glass, metal, water"},
                {"onto", "Onto", "a surface; nothing: all"}},
      .make = makeCaustics,
      .share = causticsShare,
      .measure = measureCausticsRoute};
}

} // namespace ilumbra
