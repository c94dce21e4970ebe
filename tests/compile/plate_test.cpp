// What lies behind the set and before it.
#include "core/base/colorspace.h"
#include "core/base/files.h"
#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/compile/plate.h"
#include "core/exchange/assets.h"
#include "core/scene/plates.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A black ball before nothing, with a sky that the camera would see.
Set ball() {
  Set s(33, 33);
  s.look("0, 0, 4", "0, 0, 0", "50");
  s.add("material.surface", "Black", {{"base_color", "0, 0, 0"}, {"ior", "1"}});
  s.add("object.sphere", "Ball", {{"radius", "0.4"}, {"material", "Black"}});
  s.add("light.sky", "Sky", {});
  return s;
}

LensResult shown(const Document& doc, const Traced& t) {
  return develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
}
Color at(const Picture& p, int x, int y) { return p.color(x, y); }

} // namespace

TEST_CASE("A plate is seen where nothing is, at its own exposure, and the camera does not see the sky",
          "[render][plate]") {
  for (const char* ev : {"0", "9"}) {
    Set s = ball();
    s.set(s.find("Camera"), {{"ev100", ev}});
    s.add("plate.picture", "Backdrop", {{"shows", "colour"}, {"color", "0.25, 0.5, 1"}, {"stops", "1"}});
    const Document doc = s.take();
    const Traced t = trace(doc, 16);
    const Picture p = shown(doc, t).picture;
    const Color corner = rec709FromAcescg(at(p, 1, 1));
    CHECK(corner.x == Approx(0.5).epsilon(1e-3));
    CHECK(corner.y == Approx(1).epsilon(1e-3));
    CHECK(corner.z == Approx(2).epsilon(1e-3));
    CHECK(maxComponent(at(p, 16, 16)) < 1e-4f); // the ball covers it
  }
}

TEST_CASE("Behind what is half there, half of the plate is seen; alpha is right for over", "[render][plate]") {
  Set s(17, 17);
  s.look("0, 0, 4", "0, 0, 0", "50");
  s.add("material.surface", "Half", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"opacity", "0.5"}});
  s.add("object.plane", "Sheet", {{"width", "20"}, {"depth", "20"}, {"turn", "90, 0, 0"}, {"material", "Half"}});
  const NodeId plate =
      s.add("plate.picture", "Backdrop", {{"shows", "colour"}, {"color", "1, 1, 1"}, {"opacity", "0.5"}});
  Document doc = s.take();
  const Traced t = trace(doc, 64);
  const Picture p = shown(doc, t).picture;
  CHECK(mean(p) == Approx(0.25).epsilon(0.03));
  CHECK(plateAlpha(t.scene->plates.get(), t.film().alpha(8 * 17 + 8), 8 * 17 + 8) ==
        Approx(0.5 + 0.5 * 0.5).epsilon(0.06));
  doc = setValue(doc, plate, "shown", Constant(false));
  const Traced bare = trace(doc, 16);
  CHECK_FALSE(bare.scene->plates);
  CHECK(mean(shown(doc, bare).picture) == 0);
  CHECK(plateAlpha(nullptr, bare.film().alpha(8 * 17 + 8), 8 * 17 + 8) == Approx(0.5).margin(0.15));
}

TEST_CASE("Gradients run from start to end; a plate in front covers the set and what the lens would spread",
          "[render][plate]") {
  Set s = ball();
  s.add("plate.picture", "Sweep",
        {{"shows", "line gradient"},
         {"color", "0, 0, 0"},
         {"color_end", "1, 1, 1"},
         {"start_x", "0 %"},
         {"start_y", "0 %"},
         {"end_x", "100 %"},
         {"end_y", "0 %"}});
  const NodeId front = s.add("plate.picture", "Curtain",
                             {{"shows", "round gradient"},
                              {"lies", "in front"},
                              {"color", "1, 1, 1"},
                              {"color_end", "0, 0, 0"},
                              {"start_x", "50 %"},
                              {"start_y", "50 %"},
                              {"end_x", "50 %"},
                              {"end_y", "100 %"},
                              {"shown", "off"}});
  Document doc = s.take();
  const Traced t = trace(doc, 4);
  const Picture p = shown(doc, t).picture;
  for (const int x : {0, 8, 24, 32}) CHECK(luminance(at(p, x, 1)) == Approx((x + 0.5) / 33).epsilon(1e-3));
  doc = setValue(doc, front, "shown", Constant(true));
  const Traced c = trace(doc, 4);
  const Picture covered = shown(doc, c).picture;
  CHECK(luminance(at(covered, 16, 16)) == Approx(1).epsilon(1e-3)); // over the ball
  CHECK(luminance(at(covered, 16, 24)) == Approx(1 - 8.0 / 16.5).epsilon(1e-2));
  CHECK(luminance(at(covered, 16, 0)) == Approx(1 - 16.0 / 16.5).epsilon(2e-2));
}

TEST_CASE("A picture fills, fits or is stretched, true to its aspect, and its file is told when it is missing",
          "[render][plate]") {
  TemporaryFolder folder;
  // Twice as wide as high: red, green, blue, white from left to right.
  std::string bytes = "P6\n4 2\n255\n";
  for (int y = 0; y < 2; ++y)
    for (const auto& c : {"\xff\x00\x00", "\x00\xff\x00", "\x00\x00\xff", "\xff\xff\xff"}) bytes.append(c, 3);
  writeFileAtomically(folder / "four.ppm", bytes);
  AssetCache cache;
  const auto seen = [&](const char* fit, int x, int y) {
    Set s(64, 64);
    s.look("0, 0, 4", "0, 0, 0", "50");
    s.add("plate.picture", "Backdrop", {{"file", (folder / "four.ppm").c_str()}, {"fit", fit}});
    const Document doc = s.take();
    const Traced t = trace(doc, 1, 0, cache.assets(""));
    CHECK(t.scene->warnings.empty());
    const Color c = shown(doc, t).picture.color(x, y);
    return c.x > 0.5f && c.y > 0.5f && c.z > 0.5f ? 'w' : c.x > 0.5f ? 'r' : c.y > 0.5f ? 'g' : c.z > 0.5f ? 'b' : '-';
  };
  CHECK(seen("stretch", 7, 32) == 'r');
  CHECK(seen("stretch", 56, 32) == 'w');
  CHECK(seen("fill", 15, 32) == 'g'); // its middle half
  CHECK(seen("fill", 48, 32) == 'b');
  CHECK(seen("fit", 7, 32) == 'r');
  CHECK(seen("fit", 7, 8) == '-'); // a bar above
  Set s(8, 8);
  s.look("0, 0, 4", "0, 0, 0", "50");
  s.add("plate.picture", "Backdrop", {{"file", (folder / "gone.png").c_str()}});
  const Document doc = s.take();
  const Traced t = trace(doc, 1, 0, cache.assets(""));
  REQUIRE(t.scene->warnings.size() == 1);
  CHECK(t.scene->warnings[0].find("Backdrop: ") == 0);
  CHECK(t.scene->warnings[0].find("gone.png") != std::string::npos);
}

TEST_CASE("A camera matched to a plate has its horizon where the plate's is", "[render][plate][camera]") {
  for (const double horizon : {0.5, 0.3, 0.8}) {
    Set s(320, 180);
    s.look("0, 1.5, 4", "0.5, 0.2, 0", "50");
    const NodeId plate = s.add("plate.picture", "Backdrop", {{"focal_length", "35"}});
    Document doc = setValue(s.take(), plate, "horizon", Constant(horizon));
    doc = matchCamera(doc, plate);
    const Node& n = *activeCamera(doc);
    CHECK(Params(n, 1).number("focal_length") == 35);
    const Camera c = cameraOf(doc, n, 1, 320, 180);
    // A point at eye level, far away along the way it looks.
    const Params p(n, 1);
    const Triple from = p.triple("position"), to = p.triple("target");
    float x, y;
    REQUIRE(c.project(
        {float(from[0] + (to[0] - from[0]) * 1e4), float(from[1]), float(from[2] + (to[2] - from[2]) * 1e4)}, x, y));
    CHECK(1 - y / 180 == Approx(horizon).margin(2e-3));
    CHECK(x == Approx(160).margin(0.5));
  }
  Set s;
  s.look("0, 3, 0", "0, 0, 0");
  const NodeId plate = s.add("plate.picture", "Backdrop", {});
  const Document doc = s.take();
  CHECK_THROWS_WITH(matchCamera(doc, plate), Catch::Contains("straight up or down"));
}

TEST_CASE("Clear things show the plate behind them, bent as they bend, whatever the exposure", "[render][plate]") {
  const auto set = [](const char* ior, const char* ev, bool sky) {
    Set s(33, 33);
    s.look("0, 0, 4", "0, 0, 0", "50");
    s.set(s.find("Camera"), {{"ev100", ev}});
    s.add("material.surface", "Clear", {{"transmission", "1"}, {"ior", ior}, {"roughness", "0"}});
    s.add("object.sphere", "Ball", {{"radius", "0.7"}, {"material", "Clear"}});
    if (sky) s.add("light.sky", "Sky", {});
    s.add("plate.picture", "Sweep",
          {{"shows", "line gradient"},
           {"color", "0, 0, 0"},
           {"color_end", "1, 1, 1"},
           {"start_x", "0 %"},
           {"start_y", "0 %"},
           {"end_x", "100 %"},
           {"end_y", "0 %"}});
    return s.take();
  };
  // What bends nothing changes nothing.
  const Document air = set("1", "3", true);
  const Traced none = trace(air, 4);
  const Picture straight = shown(air, none).picture;
  for (const int x : {1, 12, 16, 20, 31}) CHECK(luminance(at(straight, x, 16)) == Approx((x + 0.5) / 33).epsilon(0.02));
  // A ball of glass turns it around, and the camera's exposure is taken off again, also in the mix.
  const Document glass = set("1.5", "0", false);
  const Traced t = trace(glass, 64);
  const Picture ball = shown(glass, t).picture;
  CHECK(luminance(at(ball, 1, 16)) == Approx(1.5 / 33).epsilon(1e-2));
  CHECK(luminance(at(ball, 13, 16)) > luminance(at(ball, 19, 16)) + 0.05f);
  const Document darker = setValue(glass, glass.findByName("Camera")->id, "ev100", Constant(6.0));
  const std::vector<Color> groupScales = balancedScales(*t.scene, darker, 1);
  REQUIRE(groupScales.size() == t.scene->groups.size());
  const Picture same = develop(darker, 1, *t.scene, t.film(), groupScales, pool()).picture;
  CHECK(luminance(at(same, 13, 16)) == Approx(luminance(at(ball, 13, 16))).epsilon(1e-3));
  CHECK(luminance(at(same, 13, 16)) > 0.3f);
}

TEST_CASE("A plate's coverage is its alpha from place to place, and a mist loops", "[plate][mist]") {
  Set s(64, 36);
  s.look("0, 0, 5", "0, 0, 0");
  const NodeId mist = s.add("pattern.mist", "Mist", {{"height", "0.6"}, {"base", "0"}, {"space", "camera"}});
  s.add("mist.layer", "Bank", {{"scale", "0.3"}, {"drift", "0.2, 0, 0"}, {"loop", "24"}}, {mist, "layers"});
  const NodeId plate =
      s.add("plate.picture", "Mist plate",
            {{"shows", "colour"}, {"color", "0.5, 0.5, 0.5"}, {"lies", "in front"}, {"coverage", "pattern Mist"}});
  const auto at = [&](double frame) { return platesOf(s.peek(), frame, 64, 36, noAssets())->front; };
  const Plates::Sheet one = at(5), again = at(29), later = at(12);
  double low = 0, high = 0, same = 0, moved = 0;
  for (size_t i = 0; i < one.alpha.size(); ++i) {
    CHECK(one.alpha[i] >= 0);
    CHECK(one.alpha[i] <= 1);
    CHECK(one.light.rgb[3 * i] <= one.alpha[i] + 1e-5f); // multiplied by its alpha
    (i / 64 < 12 ? high : low) += double(one.alpha[i]);
    same += double(std::abs(one.alpha[i] - again.alpha[i]));
    moved += double(std::abs(one.alpha[i] - later.alpha[i]));
  }
  CHECK(low > 10 * high); // heavier below
  CHECK(same < 1e-3);
  CHECK(moved > 10);
  s.set(plate, {{"coverage", "25 %"}});
  for (const float a : at(1).alpha) CHECK(a == Approx(0.25));
}

TEST_CASE("A drawn outline masks a plate where it is drawn, whatever its patterns' scale", "[plate][drawn]") {
  for (const char* scale : {"even", "with the frame"}) {
    CAPTURE(scale);
    Set s(64, 36);
    s.look("0, 0, 5", "0, 0, 0");
    const NodeId mask = s.add("pattern.outline", "Mask", {{"edge", "0"}, {"middle_x", "30 %"}, {"middle_y", "60 %"}});
    for (const auto& [x, y] : {std::pair{"-0.2", "-0.2"}, {"0.2", "-0.2"}, {"0.2", "0.2"}, {"-0.2", "0.2"}})
      s.add("outline.point", "", {{"x", x}, {"y", y}, {"sharp", "on"}}, {mask, "points", size_t(-1)});
    s.add("plate.picture", "Sheet",
          {{"shows", "colour"},
           {"lies", "in front"},
           {"coverage", "pattern Mask"},
           {"fineness", "0"},
           {"pattern_scale", scale}});
    const Plates::Sheet sheet = platesOf(s.peek(), 1, 64, 36, noAssets())->front;
    double all = 0, across = 0, down = 0;
    for (size_t i = 0; i < sheet.alpha.size(); ++i) {
      all += double(sheet.alpha[i]);
      across += double(sheet.alpha[i]) * (double(i % 64) + 0.5);
      down += double(sheet.alpha[i]) * (double(i / 64) + 0.5);
    }
    CHECK(all == Approx(14.4 * 14.4).epsilon(0.06)); // 0.4 of the height, squared
    CHECK(across / all == Approx(0.3 * 64).margin(0.5));
    CHECK(down / all == Approx(0.4 * 36).margin(0.5));
  }
}
