// What a use of a material sets for the pattern inside it is what is rendered there.
#include "core/document/inputs.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

TEST_CASE("Two uses of one material show their own inputs, through a pattern and a layer in it", "[material][inputs]") {
  Set s(16, 8);
  s.look("0, 0, 6", "0, 0, 0", "60");
  const NodeId layers = s.add("pattern.layers", "Paint", {{"below", "0.1, 0.1, 0.1"}});
  const NodeId upper =
      s.add("coat.layer", "Upper", {{"value", "1, 1, 1"}, {"amount", "0 %"}, {"mode", "over"}}, {layers, "layers"});
  s.lambert("Lit", "0, 0, 0");
  s.set(s.find("Lit"), {{"own_light", "100"}, {"own_light_color", "pattern Paint"}});
  for (const char* side : {"-1.1, 0, 0", "1.1, 0, 0"})
    s.add("object.plane", "Side", {{"material", "Lit"}, {"turn", "90, 0, 0"}, {"position", side}});
  Document d = s.take();
  d = addInput(d, layers, "share", {upper, "amount", ""});
  d = addInput(d, d.findByName("Lit")->id, "how much", {0, "own_light_color", "share"});
  const auto sides = [&](const Document& doc) {
    const Picture p = luminances(trace(doc, 4));
    return std::pair(mean(p, {3, 3, 2, 2}), mean(p, {11, 3, 2, 2}));
  };
  const auto [a, b] = sides(d);
  CHECK(a == Approx(10).epsilon(0.01));
  CHECK(b == Approx(10).epsilon(0.01));
  d = setAt(d, resolve(d, "Side.material.how much"), Constant(0.5));
  d = setAt(d, resolve(d, "Side 2.material.how much"), Constant(1.0));
  const auto [half, whole] = sides(d);
  CHECK(half == Approx(55).epsilon(0.01));
  CHECK(whole == Approx(100).epsilon(0.01));
}
