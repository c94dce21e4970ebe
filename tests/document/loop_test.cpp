#include "core/document/loop.h"

#include "core/document/key_edit.h"
#include "core/document/mover.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

TEST_CASE("What breaks a loop is named with its reason, and mended in one edit", "[loop]") {
  Set s(16, 16);
  s.settings({{"first_frame", "1"}, {"last_frame", "48"}});
  const NodeId lamp = s.add("light.point", "Lamp", {});
  s.set(lamp, {{"power", R"({"keys": [{"frame": 1, "value": 100}, {"frame": 40, "value": 900}]})"},
               {"position", R"({"value": [0, 1, 0], "movers": [{"kind": "bob", "period": 36}]})"}});
  const NodeId ball = s.add("object.sphere", "Ball", {});
  s.set(ball, {{"turn", R"({"value": [0, 0, 0], "movers": [{"kind": "spin", "turns": 1.5, "period": 48}]})"},
               {"position", R"({"value": [0, 0, 0], "movers": [{"kind": "drift"}]})"}});
  const NodeId even = s.add("object.sphere", "Even", {});
  s.set(even, {{"turn", R"({"value": [0, 0, 0], "movers": [{"kind": "swing", "period": 24}]})"}});
  s.add("pattern.noise", "Swirl", {{"churn", "0.5"}, {"loop", "36"}});
  s.add("pattern.noise", "Still", {{"loop", "36"}});
  const NodeId water = s.add("object.water", "Pool", {});
  s.add("water.wave", "Wave", {{"wavelength", "0.5"}}, {water, "waves"});
  const Document doc = s.take();
  std::map<std::string, bool> found;
  for (const LoopBreak& b : loopBreaks(doc)) {
    found[addressText(doc, b.at)] = b.mends;
    if (addressText(doc, b.at) == "Swirl.loop") CHECK(b.why == "comes round after 36 frames, not 48");
  }
  CHECK(found == std::map<std::string, bool>{{"Lamp.power", true},
                                             {"Lamp.position", true},
                                             {"Ball.turn", true},
                                             {"Ball.position", false},
                                             {"Swirl.loop", true},
                                             {"Wave.wave_speed", true}});
  const Document loop = looped(doc);
  const auto left = loopBreaks(loop);
  REQUIRE(left.size() == 1); // a drift goes away
  CHECK(addressText(loop, left[0].at) == "Ball.position");
  // The start is as it was, and speeds are near to what they were.
  CHECK(Params(*loop.findByName("Lamp"), 1).number("power") == 100);
  CHECK(Params(*loop.findByName("Lamp"), 40).number("power") == 900);
  CHECK(Params(*loop.findByName("Lamp"), 49).number("power") == 100);
  CHECK(Params(*loop.findByName("Wave"), 1).number("wave_speed") == Approx(0.883).epsilon(0.15));
  CHECK(looped(loop) == loop);
}
