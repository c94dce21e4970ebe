// A lamp swings over a table; its beam goes with it, whatever its cone.
#include "demo/scene_builder.h"
#include "demo/set_parts.h"
#include "demo/starters.h"

namespace ilumbra {

Starter pendulumLampStarter() {
  return {"pendulum-lamp", "Pendulum lamp",
          "A swinging lamp whose beam stays fitted while its cone narrows from 55° to 9°",
          [](const std::shared_ptr<const Kinds>& kinds) {
            SceneBuilder b(kinds);
            b.settings({{"width", "1280"},
                        {"height", "800"},
                        {"samples", "192"},
                        {"noise", "2 %"},
                        {"firefly_limit", "1"},
                        {"first_frame", "1"},
                        {"last_frame", "97"},
                        {"frame", "30"}});
            addSlateTable(b);
            b.preset("Lamp brass", "Brushed brass");
            b.preset("Lab glass", "Crown glass");
            b.preset("Moon jade", "Jade");
            b.add("object.sphere", "Jade moon",
                  {{"radius", "0.11"}, {"position", "-0.34, 0.11, 0.05"}, {"material", "Moon jade"}});
            b.add("object.sphere", "Brass globe",
                  {{"radius", "0.13"}, {"position", "0.1, 0.13, -0.22"}, {"material", "Lamp brass"}});
            b.add("object.sphere", "Glass planet",
                  {{"radius", "0.1"}, {"position", "0.42, 0.1, 0.16"}, {"material", "Lab glass"}});
            // A swing of two seconds: the lamp and its cord turn about the hook.
            const NodeId pendulum = b.add("object.group", "Pendulum", {{"position", "0, 1.75, 0"}});
            b.set(pendulum, {{"turn", R"({"value": [0, 0, 0],
                                          "movers": [{"kind": "swing", "amplitude": 24, "period": 48, "phase": 0.25}]})"}});
            b.add("object.cylinder", "Cord",
                  {{"radius", "4 mm"}, {"height", "0.85"}, {"position", "0, -0.425, 0"}, {"material", "Lamp brass"}},
                  b.in(pendulum));
            const NodeId hood =
                b.add("object.turned", "Hood",
                      {{"wall", "0"}, {"ends", "open"}, {"position", "0, -0.94, 0"}, {"material", "Lamp brass"}},
                      b.in(pendulum));
            for (const auto& [radius, height] :
                 {std::pair{"0.16", "0"}, {"0.145", "0.05"}, {"0.09", "0.1"}, {"0.03", "0.13"}, {"0.018", "0.17"}})
              b.add("profile.point", "Hood point", {{"radius", radius}, {"height", height}}, {hood, "profile"});
            b.add("light.spot", "Pendulum light",
                  {{"power", "900"},
                   {"color", "1, 0.78, 0.5"},
                   {"radius", "18 mm"},
                   {"cone", "55"},
                   {"edge", "15 %"},
                   {"position", "0, -0.88, 0"},
                   {"target", "0, -2, 0"}},
                  b.in(pendulum));
            b.keys(b.find("Pendulum light"), "cone", {{1, "55"}, {97, "9"}});
            b.add("light.area", "Night window",
                  {{"power", "2200"},
                   {"color", "0.36, 0.54, 1"},
                   {"width", "1"},
                   {"height", "2"},
                   {"position", "3, 2.4, 1.6"},
                   {"target", "0, 0.3, 0"},
                   {"seen", "off"}});
            b.add("air.beam", "Pendulum beam",
                  {{"light", "Pendulum light"},
                   {"reach", "1.9"},
                   {"edge", "35 %"},
                   {"fade", "75 %"},
                   {"density", "0.35"},
                   {"anisotropy", "0.35"}});
            b.add("camera.lens", "Camera",
                  {{"position", "0, 0.75, 2.9"},
                   {"target", "0, 0.52, 0"},
                   {"focal_length", "42"},
                   {"focus", "2.9"},
                   {"f_stop", "5.6"},
                   {"ev100", "6"}});
            b.add("effect.lamp_in_mist", "Lamp in dust", {{"from", "Pendulum light"}, {"through", "Pendulum beam"}});
            return StarterContent{b.take(), {}};
          }};
}

} // namespace ilumbra
