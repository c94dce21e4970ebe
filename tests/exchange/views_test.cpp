// Display views, exact and baked.
#include "core/base/colorspace.h"
#include "core/base/files.h"
#include "core/compile/compile.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/effects/route.h"
#include "core/exchange/assets.h"
#include "core/exchange/export.h"
#include "core/exchange/import.h"
#include "core/exchange/passes.h"
#include "core/exchange/picture_layers.h"
#include "core/exchange/readers.h"
#include "demo/starters.h"
#include "demo/sun_core.h"
#include "tests/support/scene.h"

#include <filesystem>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

namespace {

const ColorViews& views() {
  static const ColorViews v;
  return v;
}

} // namespace

TEST_CASE("The baked table is within 1/255 of the exact view", "[color]") {
  for (const std::string view : {"ACES SDR", "Plain sRGB"}) {
    const ViewTable table(views(), view, pool());
    Picture p(64, 64);
    uint32_t state = 7;
    for (size_t i = 0; i < p.pixels(); ++i)
      for (size_t c = 0; c < 3; ++c) {
        state = state * 1664525u + 1013904223u;
        // From deep shadow to far above white, with colours of all kinds.
        p.rgb[3 * i + c] = std::exp2(-9 + 13 * float(state >> 8) / float(1 << 24));
      }
    std::vector<float> exact = views().exact(p, view);
    float worst = 0;
    for (size_t i = 0; i < p.pixels(); ++i) {
      const Color c = table.apply(Color(p.rgb[3 * i], p.rgb[3 * i + 1], p.rgb[3 * i + 2]));
      for (size_t k = 0; k < 3; ++k) worst = std::max(worst, std::abs(c[int(k)] - exact[3 * i + k]));
    }
    CAPTURE(view, table.exactShare());
    CHECK(worst <= 1.0f / 255);
    CHECK(table.exactShare() < 0.5);
    // What no table has, and what is no number.
    p.rgb[0] = std::nanf("");
    p.rgb[4] = 1e6f;
    p.rgb[6] = -5;
    p.rgb[9] = std::numeric_limits<float>::infinity();
    exact = views().exact(p, view);
    // As bytes, dither adds less than one step.
    const std::vector<uint8_t> bytes = table.apply(p, pool());
    for (size_t i = 0; i < p.pixels(); ++i)
      for (size_t k = 0; k < 3; ++k) REQUIRE(std::abs(float(bytes[4 * i + k]) / 255 - exact[3 * i + k]) < 2.1f / 255);
  }
}

TEST_CASE("Plain sRGB shows a grey by the sRGB curve, and the ACES view rolls off what is bright", "[color]") {
  Picture p(3, 1);
  for (int c = 0; c < 3; ++c) {
    p.at(0, 0)[c] = 0.18f;
    p.at(1, 0)[c] = 1;
    p.at(2, 0)[c] = 16;
  }
  const std::vector<float> plain = views().exact(p, "Plain sRGB"), aces = views().exact(p, "ACES SDR");
  CHECK(plain[0] == Approx(srgbEncoded<double>(0.18)).epsilon(2e-3));
  CHECK(plain[3] == Approx(1).epsilon(1e-3));
  CHECK(aces[3] < 0.95f);
  CHECK(aces[6] > aces[3]);
  CHECK(views().source() == "shipped");
}

TEST_CASE("$OCIO is honoured, and a broken one is told", "[color]") {
  TemporaryFolder folder;
  writeFileAtomically(folder / "broken.ocio", "ocio_profile_version: 2\nroles: [");
  setenv("OCIO", (folder / "broken.ocio").c_str(), 1);
  CHECK(refusal([] { ColorViews v; }).find("broken.ocio") != std::string::npos);
  writeFileAtomically(folder / "mine.ocio", R"(ocio_profile_version: 2
roles: {default: raw, scene_linear: raw}
file_rules: [!<Rule> {name: Default, colorspace: default}]
displays: {screen: [!<View> {name: Straight, colorspace: raw}]}
colorspaces: [!<ColorSpace> {name: raw}]
)");
  setenv("OCIO", (folder / "mine.ocio").c_str(), 1);
  const ColorViews mine;
  unsetenv("OCIO");
  CHECK(mine.source() == folder / "mine.ocio");
  REQUIRE(mine.views() == std::vector<std::string>{"Straight"});
  Picture p(1, 1);
  p.rgb = {0.25f, 0.5f, 0.75f};
  // A view that this configuration lacks falls back to its first.
  CHECK(mine.exact(p, "ACES SDR") == p.rgb);
}
