#include "core/light/light.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/base/spectrum.h"
#include "core/geometry/no_assets.h"

namespace ilumbra {

// A line each, in the order of menus.
#define EACH_LIGHT(X)                                                                                                  \
  X(pointLight)                                                                                                        \
  X(spotLight)                                                                                                         \
  X(areaLight)                                                                                                         \
  X(sunLight)                                                                                                          \
  X(daylight)                                                                                                          \
  X(skyLight)

#define DECLARE(name) LightKind name();
EACH_LIGHT(DECLARE)
#undef DECLARE

std::vector<LightKind> allLights() {
#define MADE(name) name(),
  return {EACH_LIGHT(MADE)};
#undef MADE
}

const LightKind* lightKind(const Node& node) {
  static const std::vector<LightKind> all = allLights();
  const auto it = std::find_if(all.begin(), all.end(), [&](const LightKind& k) { return k.kind.id == node.kind->id; });
  return it == all.end() ? nullptr : &*it;
}

std::vector<ParamDef> lightParams(const char* powerLabel, const char* unit, double power, double softMost) {
  return {flag("on", "On", true).at(Invalidation::Mix).matters().help("Off: gives no light; its pictures are kept"),
          number("power", powerLabel, unit, power)
              .soft(softMost / 1000, softMost)
              .range(0, 1e12)
              .log()
              .at(Invalidation::Mix)
              .matters()
              .patternedBy("level")
              .help("What it gives"),
          number("stops", "Brighter by", "stops", 0)
              .soft(-6, 6)
              .range(-60, 60)
              .at(Invalidation::Mix)
              .help("Doubles or halves the light, stop by stop"),
          color("color", "Colour", {1, 1, 1})
              .soft(0, 1)
              .at(Invalidation::Mix)
              .matters()
              .patternedBy("gel")
              .help("Hue and saturation; the power stays as stated"),
          flag("by_temperature", "By temperature", false)
              .at(Invalidation::Mix)
              .help("The colour of a glowing body instead of the one above"),
          number("temperature", "Temperature", "K", 3200)
              .soft(1500, 12000)
              .range(500, 100000)
              .log()
              .at(Invalidation::Mix)
              .help("Candle 1900, incandescent 2800, midday 5500, blue sky 10 000"),
          number("level", "Level", "×", 1)
              .soft(0, 2)
              .range(0, 1e6)
              .patterned()
              .at(Invalidation::Mix)
              .help("Multiplies the power. A pattern that changes over time makes it flicker; it is asked where the "
                    "lamp stands"),
          color("gel", "Gel", {1, 1, 1})
              .soft(0, 1)
              .patterned()
              .at(Invalidation::Shading)
              .help("What is let through, over the lamp's surface or, where it shines from a middle, over the "
                    "directions"),
          flag("seen", "Seen directly", true)
              .at(Invalidation::Placement)
              .in("Switches")
              .help("Off: its shape is not in the picture"),
          flag("seen_mirrored", "Seen in mirrors", true)
              .at(Invalidation::Placement)
              .in("Switches")
              .help("Off: mirrors do not show its shape"),
          flag("seen_through", "Seen through clear things", true)
              .at(Invalidation::Placement)
              .in("Switches")
              .help("Off: glass does not show its shape"),
          choice("clear_shadows", "Through clear things", {"as each thing says", "straight", "focused", "blocked"})
              .choiceWas("as they say", "as each thing says")
              .at(Invalidation::Shading)
              .in("Caustics")
              .help("How its light gets through glass and water: straight, as if it were not bent; focused, as it is; "
                    "or not at all"),
          flag("caustics", "Gathered by caustics", true)
              .at(Invalidation::Shading)
              .in("Caustics")
              .help("Off: effects of caustics leave its light alone"),
          choice("links", "Lights", {"everything", "only these", "all but these"})
              .at(Invalidation::Shading)
              .in("Links")
              .help("Which objects take its light"),
          references("linked", "Linked objects", {"object."})
              .at(Invalidation::Shading)
              .in("Links")
              .help("Objects or groups that the choice above speaks of")};
}

// In its own space, a little off its middle, where noises on whole numbers are all alike.
static const V3f lampMiddle(0.0137f, 0.0071f, 0.0113f);

// One number for all of a lamp's light: what the pattern is where the lamp stands.
static double levelOf(const Document& doc, const Params& p) {
  const auto use = p.pattern("level");
  if (!use) return p.number("level");
  try {
    const Program level = Program::compile(doc, use->pattern, p.frame(), NoAssets(), false);
    PatternPoint at;
    at.world = transformPoint(worldMatrix(doc, p.node(), p.frame()),
                              p.node().kind->param("position") ? vec(p.triple("position")) : V3f(0.0f));
    at.random = float(mixBits(p.node().id * 2654435761u + 17u) >> 8) * 0x1p-24f;
    at.position = lampMiddle;
    const float v = level.evaluate(at).x;
    return std::isfinite(v) ? std::max(0.0, double(v)) : 0;
  } catch (const Error&) {
    return 1; // told where the scene is compiled
  }
}

Color lightAmount(const Document& doc, const Node& light, double frame) {
  const Params p(light, frame);
  if (!p.flag("on") || !switchedOn(doc, light.id, frame)) return Color(0.0f);
  const Color hue =
      p.flag("by_temperature") ? blackbody(p.real("temperature")) : chromaticity(working(p.triple("color")));
  return hue * float(p.number("power") * std::exp2(p.number("stops")) * levelOf(doc, p));
}

ParamDef rangeParam() {
  return number("range", "Range", "m", 0)
      .soft(0, 20)
      .range(0, 1e9)
      .at(Invalidation::Placement)
      .in("Placement")
      .help("Beyond it nothing is lit, however bright the lamp; 0: light goes on, as it does");
}

float rangeShare(float distance, float range) {
  if (!(distance < range)) return 0;
  if (!std::isfinite(range)) return 1;
  return sqr(1 - sqr(sqr(distance / range)));
}

std::vector<ParamDef> aimParams(Triple position, Triple target) {
  return {vector("position", "Position", "m", position)
              .soft(-5, 5)
              .at(Invalidation::Placement)
              .in("Placement")
              .help("Where it stands"),
          vector("target", "Looks at", "m", target)
              .soft(-5, 5)
              .at(Invalidation::Placement)
              .in("Placement")
              .help("The point it faces"),
          number("roll", "Roll", "°", 0)
              .soft(-180, 180)
              .at(Invalidation::Placement)
              .in("Placement")
              .help("Turn about its own axis")};
}

} // namespace ilumbra
