#include "core/compile/caustics.h"

#include "core/geometry/shape.h"
#include "core/scene/geometry.h"
#include "core/scene/scene.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {

constexpr size_t mostAims = 256;

std::vector<ParamDef> causticsParams() {
  return {
      integer("photons", "Photons a pass", 200'000)
          .soft(10'000, 2'000'000)
          .range(100, 50'000'000)
          .log()
          .at(Invalidation::Shading)
          .matters()
          .help("Traced from the lights for every sample of the picture"),
      number("all_photons", "Photons in all", "millions", 0)
          .soft(0, 100)
          .range(0, 1e6)
          .at(Invalidation::Shading)
          .help("After so many those there are are used again, which saves their time; 0: without end"),
      number("edge", "Edge", "%", 0.5)
          .range(0, 1)
          .at(Invalidation::Shading)
          .matters()
          .help("0 %: soft and smooth; 100 %: sharp, and grainy until there are enough photons"),
      integer("gathered", "Gathered", 32)
          .soft(0, 100)
          .range(0, 10'000)
          .at(Invalidation::Shading)
          .help("Photons at one place: where fewer come, each is spread further, up to eight times the edge; 0: the "
                "edge everywhere"),
      flag("steady", "Steady", false)
          .at(Invalidation::Shading)
          .help("On: as soft from the first sample to the last, and still from frame to frame; off: ever sharper, "
                "towards what is right"),
      number("strength", "Strength", "×", 1)
          .soft(0, 4)
          .range(0, 1e4)
          .at(Invalidation::Shading)
          .matters()
          .help("Beyond physics where it is not 1"),
      number("saturation", "Saturation", "%", 1)
          .soft(0, 2)
          .range(0, 10)
          .at(Invalidation::Shading)
          .help("Of its colours; beyond physics where it is not 100 %"),
      number("carry", "Carry", "%", 0)
          .soft(0, 1)
          .range(0, 2)
          .at(Invalidation::Shading)
          .help("How far the light holds before it fades; 0 %: as it does; 100 %: it does not thin out with the way. "
                "Beyond physics where it is not 0"),
      choice("light", "Which light", {"all", "mirrored", "let through"})
          .at(Invalidation::Shading)
          .help("Of what the first surface does with it; the rest is left out"),
      integer("surfaces", "Surfaces at most", 0)
          .soft(0, 16)
          .range(0, 1000)
          .at(Invalidation::Shading)
          .help("That light may meet on its way: a glass ball has two; what goes on longer is left out; 0: any number"),
      number("cut_off", "Cut-off", "%", 0)
          .soft(0, 0.2)
          .range(0, 1)
          .at(Invalidation::Shading)
          .help("Light that has lost all but this share on its way is left out, and not followed: quicker, and a "
                "little darker")};
}

namespace {

CausticRule::Ball ballAround(const InstancedObject& i, const Instance& c) {
  const Box3f& box = i.geometry->bounds;
  const V3f middle = box.center();
  const float own = i.geometry->shape.sphereRadius > 0 ? i.geometry->shape.sphereRadius : 0;
  float radius = 0;
  if (own > 0) {
    for (int k = 0; k < 3; ++k)
      radius = std::max(radius, own * length(V3f(c.toWorld[k][0], c.toWorld[k][1], c.toWorld[k][2])));
  } else {
    const V3f centre = transformPoint(c.toWorld, middle);
    for (int k = 0; k < 8; ++k)
      radius = std::max(radius,
                        length(transformPoint(c.toWorld, {k & 1 ? box.max.x : box.min.x, k & 2 ? box.max.y : box.min.y,
                                                          k & 4 ? box.max.z : box.min.z}) -
                               centre));
  }
  return {transformPoint(c.toWorld, middle), radius * 1.001f};
}

// One ball around all.
CausticRule::Ball around(const std::vector<CausticRule::Ball>& balls) {
  Box3f box;
  for (const auto& b : balls) {
    box.extendBy(b.centre - V3f(b.radius));
    box.extendBy(b.centre + V3f(b.radius));
  }
  CausticRule::Ball all{box.center(), 0};
  for (const auto& b : balls) all.radius = std::max(all.radius, length(b.centre - all.centre) + b.radius);
  return all;
}

} // namespace

std::shared_ptr<const Caustics> causticsOf(const Document& doc, double frame, const Scene& s) {
  std::vector<CausticRule> rules;
  for (const Node* n : doc.withRole(sendsPhotons)) {
    const Params p(*n, frame);
    if (!p.flag("on")) continue;
    // By thing, what a role names: groups stand for all that they hold.
    const auto named = [&](const char* role, bool all) {
      const std::vector<Reference> list = p.references(role);
      std::vector<bool> in(s.things.size(), all && list.empty());
      for (size_t t = 0; t < s.things.size() && !list.empty(); ++t)
        for (const Node* o = doc.find(s.things[t].node); o; o = doc.find(o->parent))
          if (std::any_of(list.begin(), list.end(), [&](const Reference& r) {
                return r.target == o->id || std::find(s.things[t].parts.begin(), s.things[t].parts.end(), r.target) !=
                                                s.things[t].parts.end();
              })) {
            in[t] = true;
            break;
          }
      return in;
    };
    CausticRule r;
    r.effect = n->id;
    r.through = named("through", false);
    r.onto = named("onto", true);
    r.blocked.assign(s.things.size(), false);
    for (const InstancedObject& i : s.objects) // what lets no light of lamps through gathers none
      if (i.light < 0 && i.lightThrough == LightThrough::Blocked)
        for (uint32_t c = 0; c < i.instanceCount; ++c) r.blocked[i.thingAt(c)] = true;
    const std::vector<bool> lights = named("from", false);
    for (const std::vector<Emitter>* list : {&s.emitters, &s.skies})
      for (const Emitter& e : *list) {
        r.from.push_back(lights[e.thing] && e.caustics &&
                         (e.clear == LightThrough::AsThings || e.clear == LightThrough::Focused));
        r.insists.push_back(e.clear == LightThrough::Focused);
      }
    r.photons = uint32_t(p.number("photons"));
    if (const double all = p.number("all_photons"); all > 0)
      r.passes = uint32_t(std::clamp(std::round(all * 1e6 / r.photons), 1.0, 4e9));
    r.gathered = uint32_t(p.number("gathered"));
    r.steady = p.flag("steady");
    r.strength = p.real("strength");
    r.saturation = p.real("saturation");
    r.carry = p.real("carry");
    r.mirrored = p.text("light") != "let through";
    r.passed = p.text("light") != "mirrored";
    r.surfaces = uint32_t(p.number("surfaces"));
    r.cutOff = p.real("cut_off");
    for (const InstancedObject& i : s.objects) {
      if (i.light >= 0) continue;
      for (uint32_t c = 0; c < i.instanceCount; ++c)
        if (r.through[i.thingAt(c)]) r.aims.push_back(ballAround(i, s.instances[i.firstInstance + c]));
    }
    if (r.aims.size() > mostAims) r.aims = {around(r.aims)};
    if (r.aims.empty() || std::none_of(r.from.begin(), r.from.end(), [](bool b) { return b; })) continue;
    // As a share of what is aimed at: from a third of it to a three-hundredth.
    for (const auto& b : r.aims) r.size = std::max(r.size, b.radius);
    r.radius = 0.3f * r.size * std::pow(0.01f, p.real("edge"));
    rules.push_back(std::move(r));
  }
  return rules.empty() ? nullptr : std::make_shared<const Caustics>(std::move(rules));
}

} // namespace ilumbra
