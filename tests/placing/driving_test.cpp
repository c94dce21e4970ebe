// Patterns put on parameters: sizes and ends that suit, operations about what is there.
#include "core/base/sampling.h"
#include "core/compile/compile.h"
#include "core/document/inputs.h"
#include "core/pattern/program.h"
#include "core/placing/driving.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document withBall(const char* radius) {
  Set s;
  s.look("0, 0, 3", "0, 0, 0");
  s.add("material.surface", "Jade", {{"roughness", "0.4"}, {"base_color", "0.2, 0.6, 0.4"}});
  s.add("object.sphere", "Moon", {{"radius", radius}, {"material", "Jade"}});
  return s.take();
}

double number(const Document& doc, const std::string& address) {
  return std::get<double>(*valueAt(doc, resolve(doc, address)).constant());
}
Triple colour(const Document& doc, const std::string& address) {
  return std::get<Triple>(*valueAt(doc, resolve(doc, address)).constant());
}

} // namespace

TEST_CASE("A new pattern is as large as suits the thing and runs about the value that was there",
          "[placing][pattern]") {
  for (const auto& [radius, scale] : {std::pair{"0.5", 0.1}, {"0.05", 0.01}, {"5", 1.0}}) {
    const Document doc = withBall(radius);
    const Traced t = trace(doc, 1);
    NodeId made = 0;
    const Document out = drivenBy(doc, resolve(doc, "Jade.roughness"), "pattern.noise", t.scene.get(), &made);
    CHECK(out.find(made)->name == "Noise of Jade");
    CHECK(valueAt(out, resolve(out, "Jade.roughness")).pattern()->pattern.target == made);
    CHECK(number(out, "Noise of Jade.scale") == Approx(scale));
    const Triple low = colour(out, "Noise of Jade.low"), high = colour(out, "Noise of Jade.high");
    CHECK(low[0] < 0.4);
    CHECK(high[0] > 0.4);
    CHECK(high[0] <= 1);
  }
  // Without a scene it is as the kind has it.
  const Document doc = withBall("0.5"),
                 out = drivenBy(doc, resolve(doc, "Jade.base_color"), "pattern.stripes", nullptr);
  CHECK(number(out, "Stripes of Jade.pitch") == Approx(0.1));
  CHECK(colour(out, "Stripes of Jade.high")[1] == Approx(0.6));
  CHECK(colour(out, "Stripes of Jade.low")[1] < 0.3);
}

TEST_CASE("An operation works on what drove the parameter before, or on its value", "[placing][pattern]") {
  Document doc = withBall("0.5");
  const Address at = resolve(doc, "Jade.roughness");
  NodeId noise = 0, steps = 0;
  doc = drivenBy(doc, at, "pattern.noise", nullptr, &noise);
  doc = drivenBy(doc, at, "pattern.steps", nullptr, &steps);
  CHECK(valueAt(doc, at).pattern()->pattern.target == steps);
  CHECK(doc.find(steps)->find("value")->pattern()->pattern.target == noise);
  const Document plain = drivenBy(withBall("0.5"), at, "pattern.math", nullptr);
  CHECK(colour(plain, "Math of Jade.a")[0] == Approx(0.4));
}

TEST_CASE("What is nothing becomes something, and what takes no pattern says so", "[placing][pattern]") {
  const Document doc = withBall("0.5");
  const Document out = drivenBy(doc, resolve(doc, "Jade.sheen"), "pattern.cells", nullptr);
  CHECK(colour(out, "Cells of Jade.high")[0] > 0.2);
  CHECK(refusal([&] { drivenBy(doc, resolve(doc, "Moon.radius"), "pattern.noise", nullptr); }) ==
        "Moon.radius: no pattern can drive it");
  CHECK(refusal([&] { drivenBy(doc, resolve(doc, "Jade.sheen"), "light.point", nullptr); }) ==
        "light.point: is no pattern");
}

TEST_CASE("Every kind of pattern drives a number and a colour from its defaults, and shows", "[placing][pattern]") {
  const Document doc = addNode(withBall("0.5"), "light.sun", "Sun");
  const Traced t = trace(doc, 1);
  for (const Kind& k : doc.kinds().all()) {
    if (k.family() != "pattern" || k.id == "pattern.image") continue; // which needs a file
    for (const char* param : {"Jade.roughness", "Jade.base_color"}) {
      CAPTURE(k.id, param);
      const Address at = resolve(doc, param);
      const Document out = drivenBy(doc, at, k.id, t.scene.get());
      const Program p = Program::compile(out, valueAt(out, at).pattern()->pattern, 1, noAssets(), false);
      RandomStream r(3);
      float least = 1e9f, most = -1e9f;
      for (int i = 0; i < 400; ++i) {
        PatternPoint x;
        x.position = normalize(V3f(r.next() - 0.5f, r.next() - 0.5f, r.next() - 0.5f)) * 0.5f;
        x.normal = x.facing = normalize(x.position);
        x.world = x.position;
        x.incidence = r.next();
        x.screen = {0.5f, 0.5f, 2.5f + x.position.z};
        const float v = p.evaluate(x).x;
        REQUIRE(std::isfinite(v));
        least = std::min(least, v);
        most = std::max(most, v);
      }
      // Shapes vary over the thing; what works on a single value, and what is one value for each object, does not.
      const bool even = worksOn(k) || k.id == "pattern.constant" || k.id == "pattern.time" ||
                        k.id == "pattern.chance" || k.id == "pattern.distance" || k.id == "pattern.follow" ||
                        k.id == "pattern.speed" || k.id == "pattern.edges" || k.id == "pattern.thickness" ||
                        k.id == "pattern.painted" || // a ball has none, and rests
                        k.id == "pattern.contact" || // which is to nothing yet
                        k.id == "pattern.solid";     // a body of its own, within
      if (!even) CHECK(most - least > 0.05f * std::max(0.2f, most));
    }
  }
}

TEST_CASE("Every preset drives a colour and a number, as large as the thing, by inputs that all lead somewhere",
          "[placing][pattern][inputs]") {
  const Document doc = withBall("0.05");
  const Traced t = trace(doc, 1);
  for (const PatternPreset& preset : patternPresets()) {
    CAPTURE(preset.name);
    for (const char* address : {"Jade.base_color", "Jade.roughness"}) {
      const bool colour = std::string(address) == "Jade.base_color";
      NodeId made = 0;
      const Document out = drivenByPreset(doc, resolve(doc, address), preset, t.scene.get(), &made);
      CHECK(problems(out).empty());
      const Node& n = *out.find(made);
      CHECK(n.name == preset.name);
      CHECK((n.inputs.size() >= 3 && n.inputs.size() <= 8));
      CHECK(number(out, preset.name + ".inputs.size") == Approx(0.1));
      // The share that is covered goes from what stood there to what lies on it.
      const NoAssets none;
      const auto covered = [&](double amount) {
        const Document now = setInput(out, made, "amount", Constant(amount));
        const Program p = Program::compile(now, {made, nullptr}, 1, none, false);
        double sum = 0;
        for (uint32_t i = 0; i < 400; ++i) {
          Sampler s(3, 1, i, 2);
          PatternPoint at;
          at.normal = at.facing = sampleUniformSphere(s.get2());
          at.position = at.world = at.normal * 0.05f;
          const Sample4 v = p.evaluate(at);
          REQUIRE(std::isfinite(v.x));
          if (!colour) {
            CHECK(v.x >= -1e-4f);
            CHECK(v.x <= 1.0001f);
          }
          sum += double(v.y) / 400;
        }
        return sum;
      };
      const double stood = colour ? preset.shines ? 0 : 0.6 : 0.4;
      if (preset.lies.size() < 3) CHECK(covered(0) == Approx(stood).margin(1e-3)); // settling adds to it
      if (preset.name == "Worn edges") continue;                                   // a ball has no edges
      const double some = covered(0.5);
      CHECK(std::abs(some - stood) > 1e-3);
    }
  }
  CHECK_FALSE(refusal([] { findPatternPreset("Mould"); }).empty());
}
