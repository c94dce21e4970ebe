// Small pictures of patterns, and what they give to what they drive.
#include "core/session/pattern_swatch.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document striped(const char* high) {
  Set s(64, 64);
  s.look("0, 0, 4", "0, 0, 0", "50");
  s.add("pattern.stripes", "Bands", {{"pitch", "0.5"}, {"edge", "0"}, {"low", "0"}, {"high", high}});
  s.add("material.surface", "Jade", {{"roughness", "pattern Bands"}});
  s.add("object.box", "Box", {{"width", "1"}, {"height", "1"}, {"depth", "1"}, {"material", "Jade"}});
  s.add("light.point", "Lamp", {{"position", "0, 2, 3"}});
  return s.take();
}

} // namespace

TEST_CASE("A swatch shows the pattern on the thing that wears it, whole and by itself", "[session][pattern]") {
  const Document doc = striped("1");
  const Traced t = trace(doc, 1);
  const NodeId box = doc.findByName("Box")->id, bands = doc.findByName("Bands")->id;
  const ParamDef& takes = definitionAt(doc, resolve(doc, "Jade.roughness"));
  for (const SwatchOn on : {SwatchOn::Object, SwatchOn::Ball, SwatchOn::Flat}) {
    const SwatchPlaces places = swatchPlaces(t.scene.get(), doc, {box}, on, 64, 48);
    CHECK(places.on == on);
    CHECK(places.points.size() > 64 * 48 / 4);
    const PatternSwatch s = patternSwatch(places, doc, {bands, nullptr}, takes, noAssets());
    size_t dark = 0, bright = 0, clear = 0;
    for (size_t i = 0; i < places.index.size(); ++i) {
      clear += s.rgba[4 * i + 3] == 0;
      dark += s.rgba[4 * i + 3] && s.rgba[4 * i] < 20;
      bright += s.rgba[4 * i] > 235;
    }
    CHECK(clear + places.points.size() == places.index.size());
    CHECK(dark > places.points.size() / 4);
    CHECK(bright > places.points.size() / 4);
  }
  // What is nowhere to be seen is shown on a ball.
  CHECK(swatchPlaces(nullptr, doc, {box}, SwatchOn::Object, 16, 16).on == SwatchOn::Ball);
}

TEST_CASE("What a pattern gives beyond what a number takes is told, and fitted", "[session][pattern]") {
  const Document doc = striped("4");
  const Traced t = trace(doc, 1);
  const Address at = resolve(doc, "Jade.roughness");
  const ParamDef& takes = definitionAt(doc, at);
  const SwatchPlaces places = swatchPlaces(t.scene.get(), doc, {doc.findByName("Box")->id}, SwatchOn::Flat, 64, 64);
  const PatternRange r =
      rangeOf(patternSwatch(places, doc, {doc.findByName("Bands")->id, nullptr}, takes, noAssets()).numbers, takes);
  CHECK(r.low == 0);
  CHECK(r.high == 4);
  CHECK(r.above == Approx(0.5).margin(0.03));
  CHECK(r.below == 0);
  float all = 0;
  for (const float share : r.bins) all += share;
  CHECK(all == Approx(1).epsilon(1e-3));
  const Document fit = fitted(doc, at, r.low, r.high);
  const NodeId remap = valueAt(fit, at).pattern()->pattern.target;
  const PatternRange now = rangeOf(patternSwatch(places, fit, {remap, nullptr}, takes, noAssets()).numbers, takes);
  CHECK(now.above == 0);
  CHECK(now.high == Approx(1));
  CHECK_THROWS(fitted(doc, resolve(doc, "Jade.metalness"), 0, 1));
}

TEST_CASE("A pattern is shown in the picture where its things are seen, and nowhere else", "[session][pattern]") {
  Document doc = striped("1");
  NodeId screen = 0; // before the left half of the box
  doc = addNode(doc, "object.box", "Screen", {}, &screen);
  for (const auto& [param, v] : {std::pair{"width", 1.0}, {"height", 3.0}, {"depth", 0.1}})
    doc = setValue(doc, screen, param, Constant(v));
  doc = setValue(doc, screen, "position", Constant(Triple{-0.5, 0, 1}));
  const Traced t = trace(doc, 1);
  const SwatchPlaces places = swatchPlaces(t.scene.get(), doc, {doc.findByName("Box")->id}, SwatchOn::Picture, 64, 64);
  REQUIRE(places.index.size() == 64 * 64);
  CHECK(places.points.size() > 200);
  for (int y = 0; y < 64; ++y)
    for (int x = 0; x < 64; ++x) {
      const int i = places.index[size_t(y * 64 + x)];
      if (x < 31) CHECK(i < 0);
      if (i < 0) continue;
      float px, py;
      REQUIRE(t.scene->camera.project(places.points[size_t(i)].world, px, py));
      CHECK(px == Approx(float(x) + 0.5f).margin(1e-2));
      CHECK(py == Approx(float(y) + 0.5f).margin(1e-2));
    }
  CHECK(swatchPlaces(nullptr, doc, {}, SwatchOn::Picture, 8, 8).points.empty());
}
