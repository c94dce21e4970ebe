// Formulas: what they come to, and what they say where they are wrong.
#include "core/pattern/program.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

float value(const std::string& formula, const V3f& at = {0.5f, 0.25f, -0.75f}) {
  Set s;
  s.add("pattern.formula", "Sum", {{"a", "0.2, 0.4, 0.6"}, {"b", "3, 3, 3"}, {"c", "-1, -1, -1"}});
  Document doc = s.take();
  doc = setValue(doc, doc.findByName("Sum")->id, "formula", Constant(formula));
  PatternPoint p;
  p.position = at;
  p.random = 0.4f;
  return Program::compile(doc, {doc.findByName("Sum")->id, nullptr}, 48, noAssets(), false).evaluate(p).x;
}

std::string refused(const std::string& formula) {
  return refusal([&] { value(formula); });
}

} // namespace

TEST_CASE("Formulas come to what they say", "[pattern][formula]") {
  const std::pair<const char*, double> cases[] = {{"1 + 2 * 3", 7},
                                                  {"(1 + 2) * 3", 9},
                                                  {"2 ^ 3 ^ 2", 512},
                                                  {"-2 ^ 2", -4},
                                                  {"7 % 4 - 1", 2},
                                                  {"-1 % 4", 3},
                                                  {"10 - 3 - 2", 5},
                                                  {"12 / 3 / 2", 2},
                                                  {"a + b", 3.2},
                                                  {"green(a) + blue(a)", 1},
                                                  {"x + y * 2 + z", 0.25},
                                                  {"length(p)", std::sqrt(0.875)},
                                                  {"red(rgb(x, y, z))", 0.5},
                                                  {"sin(pi / 2) + cos(0)", 2},
                                                  {"mix(1, 3, 0.25)", 1.5},
                                                  {"clamp(5, 0, 2)", 2},
                                                  {"smoothstep(0, 2, 1)", 0.5},
                                                  {"min(2, max(1, 1.5))", 1.5},
                                                  {"if(x > 0.4 && y < 0.3, 5, 6)", 5},
                                                  {"if(x > 0.4 && !(y < 0.3), 5, 6)", 6},
                                                  {"(x >= 0.5) + (x != 0.5) + (x == 0.5) + (1 <= 0)", 2},
                                                  {"step(0.5, 0.5) + step(0.5, 0.4)", 1},
                                                  {"floor(-0.5) + ceil(0.2) + round(2.5) + fract(1.25)", 3.25},
                                                  {"atan2(1, 1) * 4", M_PI},
                                                  {"t + frame", 50},
                                                  {"random", 0.4},
                                                  {"1.5e2", 150},
                                                  {".5", 0.5},
                                                  {"abs(c) + sign(c)", 0},
                                                  // Defined everywhere.
                                                  {"1 / 0", 0},
                                                  {"sqrt(c)", 0},
                                                  {"acos(3)", 0},
                                                  {"c ^ 0.5", 0},
                                                  {"3 % 0", 0}};
  for (const auto& [formula, wanted] : cases) {
    CAPTURE(formula);
    CHECK(value(formula) == Approx(wanted).margin(1e-5));
  }
  CHECK(std::isfinite(value("log(0)")));
  CHECK(std::isfinite(value("exp(1000)")));
  CHECK(std::isfinite(value("tan(pi / 2)")));
}

TEST_CASE("A formula that is wrong says where and what", "[pattern][formula]") {
  CHECK(refused("1 + * 2") == "Sum.formula: at character 5: \"*\" is no value");
  CHECK(refused("1 + ") == "Sum.formula: at character 5: a value is missing");
  CHECK(refused("") == "Sum.formula: at character 1: a value is missing");
  CHECK(refused("(1 + 2") == "Sum.formula: at character 7: a ) is missing");
  CHECK(refused("1 2") == "Sum.formula: at character 3: \"2\" is not understood here");
  CHECK(refused("sin(1, 2)") == "Sum.formula: at character 1: sin takes 1 value, not 2");
  CHECK(refused("mix()") == "Sum.formula: at character 1: mix takes 3 values, not 0");
  CHECK(refused("1 + bogus").starts_with("Sum.formula: at character 5: there is no \"bogus\"; there are a, b"));
  CHECK(refused("bogus(1)").starts_with("Sum.formula: at character 1: there is no function \"bogus\"; there are abs"));
  CHECK(refused("1e999").starts_with("Sum.formula: at character 1: this number is too large"));
  CHECK(refused(std::string(1000, '(')).find("too deeply") != std::string::npos);
  CHECK(refused(std::string(1000, '-') + "1").find("too deeply") != std::string::npos);
}

TEST_CASE("Only what names time is another at another frame", "[pattern][formula]") {
  Set s;
  for (const auto& [name, formula] :
       {std::pair{"Still", "tan(x) + step(a, b)"}, {"Moving", "x + sin(t)"}, {"Counting", "frame"}})
    s.add("pattern.formula", name, {{"formula", formula}});
  const Document doc = s.take();
  const auto changes = [&](const char* name) {
    const Node& n = *doc.findByName(name);
    return n.kind->changesByTime(Params(n, 1));
  };
  CHECK_FALSE(changes("Still"));
  CHECK(changes("Moving"));
  CHECK(changes("Counting"));
}
