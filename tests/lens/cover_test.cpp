// What a stack makes of alpha, and of what lies beside the frame.
#include "core/compile/compile.h"
#include "core/compile/sight.h"
#include "core/document/units.h"
#include "core/lens/blend.h"
#include "core/lens/develop.h"
#include "core/lens/preset.h"
#include "core/lens/queries.h"
#include "tests/support/lens.h"

using namespace ilumbra;
using namespace ilumbra::test;

TEST_CASE("Over alpha a stage's light widens it, leaves it, or goes out apart", "[lens][alpha]") {
  const auto result = [&](const char* how) {
    const Document doc = stageDocument("lens.glow", {{"amount", "50 %"}, {"size", "5 %"}, {"over_alpha", how}});
    LensLight light;
    light.layers.push_back({{}, onePixel(32, 32, 16, 16)});
    light.alpha.assign(32 * 32, 0.0f);
    light.alpha[16 * 32 + 16] = 1;
    return applyLens(LensContext::of(doc, 1, 32, 32, pool()), std::move(light));
  };
  const LensResult widens = result("widens"), leaves = result("leaves"), apart = result("apart");
  CHECK(widens.alpha[16 * 32 + 18] > 0.1f);
  CHECK(leaves.alpha[16 * 32 + 18] == 0);
  CHECK(leaves.picture == widens.picture);
  CHECK(apart.alpha[16 * 32 + 18] == 0);
  CHECK(apart.picture.at(18, 16)[0] == 0);
  REQUIRE(apart.apart.width == 32);
  CHECK(farthest(plus(apart.picture, apart.apart), leaves.picture) < 1e-6);
}

TEST_CASE("What is moved takes its alpha along", "[lens][alpha]") {
  const auto alpha = [](const char* kind, std::initializer_list<std::pair<const char*, const char*>> values) {
    LensLight light;
    light.layers.push_back({{}, onePixel(40, 40, 10, 12)});
    light.alpha.assign(40 * 40, 0.0f);
    light.alpha[12 * 40 + 10] = 1;
    const LensResult r = applyLens(LensContext::of(stageDocument(kind, values), 1, 40, 40, pool()), std::move(light));
    return [r](int x, int y) { return r.alpha[size_t(y) * 40 + size_t(x)]; };
  };
  // Read five pixels to the right and two down.
  const auto pushed = alpha("lens.displace", {{"map", "1"}, {"across", "12.5 %"}, {"down", "5 %"}});
  CHECK(pushed(5, 10) == Approx(1));
  CHECK(pushed(10, 12) == Approx(0).margin(1e-6));
  const auto half = alpha("lens.displace", {{"map", "1"}, {"across", "12.5 %"}, {"down", "5 %"}, {"amount", "50 %"}});
  CHECK(half(5, 10) == Approx(0.5));
  CHECK(half(10, 12) == Approx(0.5));
  const auto copied = alpha("lens.mirror_copy", {{"hinge_y", "50 %"}, {"reach", "100 %"}, {"amount", "60 %"}});
  CHECK(copied(10, 12) == 1);
  CHECK(copied(10, 27) == Approx(0.6));
  // Dark things cover too: what shines does not matter.
  CHECK(alpha("lens.displace",
              {{"map", "1"}, {"across", "12.5 %"}, {"down", "5 %"}, {"over_alpha", "leaves"}})(10, 12) == 1);
}

TEST_CASE("The dark side of what is moved covers too, and a picture that is covered everywhere stays so",
          "[lens][alpha]") {
  const auto shot = [](bool wall) {
    Set s(48, 40);
    s.look("0, 0, 3", "0, 0, 0", "50");
    s.lambert("Stone", "0.5, 0.5, 0.5");
    s.add("object.sphere", "Ball", {{"radius", "0.4"}, {"material", "Stone"}});
    if (wall) s.add("object.sphere", "Wall", {{"radius", "50"}, {"position", "0, 0, -60"}, {"material", "Stone"}});
    s.add("light.point", "Lamp", {{"power", "300"}, {"position", "4, 0, 0"}}); // from the right alone
    s.add("lens.displace", "Push", {{"sources", "Ball"}, {"map", "1"}, {"across", "10 %"}, {"down", "0"}});
    return s.take();
  };
  const Document doc = shot(false);
  const Traced t = trace(doc, 16);
  const LensResult without = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool(), {.on = false}),
                   with = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  size_t dark = 0;
  for (int y = 0; y < 40; ++y)
    for (int x = 4; x < 48; ++x) {
      const float before = t.film().alpha(size_t(y) * 48 + size_t(x));
      REQUIRE(with.alpha[size_t(y) * 48 + size_t(x) - 4] ==
              Approx(before).margin(1e-4)); // a tenth of the height: four pixels
      dark += before > 0.99f && without.picture.at(x, y)[1] < 1e-6f;
    }
  CHECK(dark > 50);
  const Document walled = shot(true);
  const Traced full = trace(walled, 4);
  const LensResult covered = develop(walled, 1, *full.scene, full.film(), full.scene->groupScales, pool());
  CHECK(std::all_of(covered.alpha.begin(), covered.alpha.end(), [](float a) { return a == 1; }));
}

TEST_CASE("A stage that works in place leaves alpha as it is", "[lens][alpha]") {
  size_t inPlace = 0;
  for (const LensStage& s : allStages()) {
    if (!s.inPlace) continue;
    ++inPlace;
    CAPTURE(s.kind.id);
    const Document doc = stageDocument(s.kind.id.c_str(), {{"over_alpha", "widens"}});
    LensLight light;
    light.layers.push_back({{}, speckled(24, 16, 2)});
    light.alpha.assign(24 * 16, 0.25f);
    CHECK(applyLens(LensContext::of(doc, 1, 24, 16, pool()), std::move(light)).alpha ==
          std::vector<float>(24 * 16, 0.25f));
  }
  CHECK(inPlace == 6);
}

TEST_CASE("Light just beside the frame shines into it as a wider picture has it", "[lens][overscan]") {
  const auto shot = [](int width, double film, double overscan) {
    Set s(width, 48);
    NodeId camera =
        s.add("camera.lens", "Camera", {{"position", "0, 0, 4"}, {"target", "0, 0, 0"}, {"focal_length", "36"}});
    // Seen 20 pixels to the right of a frame of 64: of the frame's height 40 %.
    s.add("light.point", "Lamp", {{"power", "60"}, {"radius", "0.15"}, {"position", "3.2, 0, 0"}});
    s.add("object.sphere", "Ball", {{"radius", "0.3"}});
    s.add("lens.glow", "Halo", {{"sources", "Lamp"}, {"size", "40 %"}, {"amount", "100 %"}});
    Document doc = s.take();
    doc = setValue(doc, camera, "film_width", Constant(film));
    doc = setValue(doc, doc.settings().id, "overscan", Constant(overscan));
    const Traced t = trace(doc, 256);
    const LensResult r = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
    REQUIRE(r.picture.width == width);
    REQUIRE(r.stages.size() == 1);
    CHECK(r.stages[0].work.spread.width == width);
    CHECK(r.alpha.size() == size_t(width) * 48);
    return r.picture;
  };
  const Picture wide = shot(192, 108, 0), within = shot(64, 36, 1), cutOff = shot(64, 36, 0);
  double truth = 0, got = 0, without = 0;
  for (int y = 0; y < 48; ++y)
    for (int x = 44; x < 64; ++x) {
      truth += double(wide.at(x + 64, y)[0]);
      got += double(within.at(x, y)[0]);
      without += double(cutOff.at(x, y)[0]);
    }
  INFO("light of the halo in the frame " << got << ", in the wider picture " << truth << ", without overscan "
                                         << without);
  CHECK(got == Approx(truth).epsilon(0.03));
  CHECK(without < 0.1 * truth);
}

TEST_CASE("A picture within its surroundings goes on smoothly beside the frame", "[lens][overscan]") {
  // A slope across all of it.
  for (const auto& [w, h] : {std::pair{40, 24}, {41, 27}, {3, 2}}) {
    Film film(w, h, 1, LayerTable());
    film.surroundBy(3);
    const int c = Film::coarse;
    Picture frame(w, h), beside(film.surround()->width(), film.surround()->height());
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) frame.at(x, y)[0] = 100 + 2 * (float(x) + 0.5f) + 3 * (float(y) + 0.5f);
    for (int y = 0; y < beside.height; ++y)
      for (int x = 0; x < beside.width; ++x)
        beside.at(x, y)[0] = 100 + 2 * float(c) * (float(x - 3) + 0.5f) + 3 * float(c) * (float(y - 3) + 0.5f);
    const Picture all = surrounded(film, frame, beside, pool());
    REQUIRE(all.width == w + 2 * 3 * c);
    REQUIRE(all.height == h + 2 * 3 * c);
    for (int y = c / 2; y < all.height - c; ++y)
      for (int x = c / 2; x < all.width - c; ++x)
        REQUIRE(all.at(x, y)[0] ==
                Approx(100 + 2 * (float(x - 3 * c) + 0.5f) + 3 * (float(y - 3 * c) + 0.5f)).epsilon(1e-4));
  }
}
