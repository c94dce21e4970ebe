// The burst hourglass: a blown glass whose waist flies apart in shards as thick as its wall.
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

namespace ilumbra {

void addBurstHourglass(SceneBuilder& b, const char* position) {
  const NodeId whole = b.add("object.group", "Hourglass", {{"position", position}});
  b.preset("Blown glass", "Crown glass");
  b.set(b.find("Blown glass"),
        {{"attenuation_color", "0.7, 0.93, 0.9"}, {"attenuation_depth", "60 mm"}, {"abbe", "0"}});
  b.preset("Frame brass", "Brushed brass");
  b.add("material.surface", "Gold sand", {{"base_color", "0.82, 0.5, 0.14"}, {"roughness", "0.85"}});
  const NodeId glass = b.add("object.turned", "Broken glass",
                             {{"wall", "0"},
                              {"ends", "open"},
                              {"position", "0, 0.055, 0"},
                              {"material", "Blown glass"},
                              {"segments", "96"},
                              {"steps", "10"},
                              {"light_through", "straight"}},
                             b.in(whole));
  for (const auto& [radius, height] : {std::pair{"0.095", "0"},
                                       {"0.118", "0.05"},
                                       {"0.1", "0.13"},
                                       {"0.022", "0.2"},
                                       {"0.1", "0.27"},
                                       {"0.118", "0.35"},
                                       {"0.095", "0.4"}})
    b.add("profile.point", "Glass point", {{"radius", radius}, {"height", height}}, {glass, "profile"});
  b.add("modifier.burst", "Break",
        {{"form", "shards of the skin"},
         {"pieces", "90"},
         {"seed", "7"},
         {"thickness", "4 mm"},
         {"gap", "0.6 mm"},
         {"from", "0.05, 0.2, 0.02"},
         {"push", "0.26"},
         {"reach", "0.1"},
         {"uneven", "80 %"},
         {"cluster", "60 %"}},
        {glass, "modifiers"});
  for (const auto& [name, height] : {std::pair{"Foot plate", "0.026"}, {"Head plate", "0.484"}})
    b.add("object.cylinder", name,
          {{"radius", "0.15"},
           {"height", "28 mm"},
           {"round", "8 mm"},
           {"position", (std::string("0, ") + height + ", 0").c_str()},
           {"material", "Frame brass"}},
          b.in(whole));
  const NodeId post = b.add(
      "object.cylinder", "Post",
      {{"radius", "8 mm"}, {"height", "0.44"}, {"position", "0, 0.255, 0"}, {"material", "Frame brass"}}, b.in(whole));
  b.add("modifier.repeat", "Three posts", {{"arrangement", "ring"}, {"count", "3"}, {"radius", "0.132"}},
        {post, "modifiers"});
  b.add(
      "object.cone", "Sand",
      {{"radius", "0.085"}, {"top", "0"}, {"height", "50 mm"}, {"position", "0, 0.075, 0"}, {"material", "Gold sand"}},
      b.in(whole));
}

Starter burstHourglassStarter() {
  return {"burst-hourglass", "Burst hourglass",
          "A blown glass that flies apart in thick shards: cells, push and reach, and light in broken edges",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings(
                {{"width", "1280"}, {"height", "800"}, {"samples", "320"}, {"noise", "1.5 %"}, {"firefly_limit", "1"}});
            addSlateTable(b);
            addBurstHourglass(b, "0, 0, 0");
            b.add(
                "material.surface", "Ember glass",
                {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "26000"}, {"own_light_color", "1, 0.6, 0.25"}});
            b.add("object.sphere", "Ember",
                  {{"radius", "12 mm"}, {"position", "0, 0.255, 0"}, {"material", "Ember glass"}});
            b.add("light.area", "Rim window",
                  {{"power", "2600"},
                   {"color", "0.45, 0.64, 1"},
                   {"width", "0.5"},
                   {"height", "1.6"},
                   {"position", "1.3, 0.8, -1"},
                   {"target", "0, 0.25, 0"},
                   {"seen", "off"}});
            b.add("light.area", "Rim window left",
                  {{"power", "1500"},
                   {"color", "0.45, 0.64, 1"},
                   {"width", "0.35"},
                   {"height", "1.6"},
                   {"position", "-1.3, 0.8, -1.1"},
                   {"target", "0, 0.25, 0"},
                   {"seen", "off"}});
            b.add("light.area", "Side window",
                  {{"power", "1600"},
                   {"by_temperature", "on"},
                   {"temperature", "3400"},
                   {"width", "0.5"},
                   {"height", "1.2"},
                   {"position", "-1.6, 1, 0.8"},
                   {"target", "0, 0.25, 0"},
                   {"seen", "off"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0.3, 0.5, 1.75"},
                   {"target", "0.02, 0.25, 0"},
                   {"focal_length", "60"},
                   {"focus", "1.75"},
                   {"f_stop", "8"},
                   {"ev100", "6.3"}});
            b.add("effect.glow", "Ember glow", {{"from", "Ember"}});
            b.add("lens.glow", "Ember halo", {{"amount", "18 %"}, {"size", "10 %"}, {"sources", "Ember glow"}});
            b.set(b.find("Ember glow"), {{"lens", "Ember halo"}});
            return StarterContent{b.take(), {}};
          }};
}

} // namespace ilumbra
