// The gyroscope cage: rings joined into one body, of which only the wires stay, around a small sun.
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

namespace ilumbra {

void addGyroscopeCage(SceneBuilder& b, const char* position, const char* size) {
  const NodeId whole = b.add("object.group", "Gyroscope", {{"position", position}, {"size", size}});
  b.preset("Cage brass", "Polished brass");
  b.set(b.find("Cage brass"), {{"roughness", "0.16"}});
  b.add("material.surface", "Heart of fire",
        {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "42000"}, {"own_light_color", "1, 0.55, 0.2"}});
  // Two rings serve the third as tools: what is caged is their union.
  const auto ring = [&](const char* name, const char* radius, const char* turn, const char* shown) {
    return b.add("object.torus", name,
                 {{"radius", radius},
                  {"tube", "34 mm"},
                  {"segments", "44"},
                  {"sides", "6"},
                  {"turn", turn},
                  {"shown", shown},
                  {"material", "Cage brass"}},
                 b.in(whole));
  };
  ring("Ring across", "0.3", "90, 0, 0", "off");
  ring("Ring aslant", "0.3", "24, 0, 62", "off");
  const NodeId lying = ring("Cage", "0.3", "0, 0, 0", "on");
  b.add("modifier.join", "With the ring across", {{"how", "union"}, {"other", "Ring across"}}, {lying, "modifiers"});
  b.add("modifier.join", "With the ring aslant", {{"how", "union"}, {"other", "Ring aslant"}}, {lying, "modifiers"});
  b.add("modifier.cage", "Wires", {{"radius", "2.6 mm"}, {"joint", "1.6"}}, {lying, "modifiers"});
  b.add("object.sphere", "Fire", {{"radius", "26 mm"}, {"material", "Heart of fire"}}, b.in(whole));
  b.add("object.torus", "Gimbal",
        {{"radius", "0.4"}, {"tube", "7 mm"}, {"turn", "90, 0, 0"}, {"material", "Cage brass"}}, b.in(whole));
}

Starter gyroscopeCageStarter() {
  return {"gyroscope-cage", "Gyroscope cage",
          "Three rings joined into one body, and only its wires left: joining, caging, and a small sun seen through it",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings(
                {{"width", "1280"}, {"height", "800"}, {"samples", "256"}, {"noise", "1.5 %"}, {"firefly_limit", "1"}});
            addSlateTable(b);
            addGyroscopeCage(b, "0, 0.47, 0", "1, 1, 1");
            b.add("object.cylinder", "Stand",
                  {{"radius", "0.15"},
                   {"height", "30 mm"},
                   {"round", "6 mm"},
                   {"position", "0, 0.015, 0"},
                   {"material", "Cage brass"}});
            b.add("object.cylinder", "Stem",
                  {{"radius", "12 mm"}, {"height", "60 mm"}, {"position", "0, 0.05, 0"}, {"material", "Cage brass"}});
            b.add("light.area", "Night window",
                  {{"power", "5200"},
                   {"color", "0.38, 0.56, 1"},
                   {"width", "0.9"},
                   {"height", "2"},
                   {"position", "-2.3, 1.7, 1.4"},
                   {"target", "0, 0.4, 0"},
                   {"seen", "off"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0.62, 0.78, 2.5"},
                   {"target", "0, 0.4, 0"},
                   {"focal_length", "52"},
                   {"focus", "2.6"},
                   {"f_stop", "5.6"},
                   {"ev100", "6"}});
            b.add("effect.glow", "Fire glow", {{"from", "Fire"}});
            b.add("lens.glow", "Fire halo",
                  {{"amount", "12 %"}, {"size", "9 %"}, {"falloff", "0.9"}, {"sources", "Fire glow"}});
            b.set(b.find("Fire glow"), {{"lens", "Fire halo"}});
            return StarterContent{b.take(), {}};
          }};
}

} // namespace ilumbra
