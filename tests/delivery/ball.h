#pragma once
#include "tests/support/scene.h"

namespace ilumbra::test {

/// A lit ball that bobs, all samples spent: no two of its frames within twelve are alike.
inline Document bobbingBall(int width, int height, int samples) {
  Set s(width, height);
  s.settings({{"samples", std::to_string(samples).c_str()}, {"noise", "0 %"}});
  s.look("0, 0.4, 4", "0, 0, 0");
  s.set(s.add("object.sphere", "Ball", {{"radius", "0.7"}}),
        {{"position", R"({"value": [0, 0, 0], "movers": [{"kind": "bob", "reach": [0, 0.2, 0], "period": 12}]})"}});
  s.add("light.point", "Lamp", {{"position", "1.2, 1.4, 1.5"}, {"power", "900"}});
  return s.take();
}

} // namespace ilumbra::test
