#include "core/exchange/frames.h"

#include "core/display/view.h"
#include "core/exchange/assets.h"
#include "core/exchange/picture_file.h"
#include "tests/support/scene.h"

#include <filesystem>

using namespace ilumbra;
using namespace ilumbra::test;

TEST_CASE("Frames of a mist are written as numbered pictures with its alpha, and a cancel leaves those that are there",
          "[frames]") {
  const TemporaryFolder folder;
  Set s(48, 27);
  s.look("0, 0, 5", "0, 0, 0");
  s.add("pattern.mist", "Mist", {{"height", "0.7"}, {"space", "camera"}});
  s.add("plate.picture", "Mist plate",
        {{"shows", "colour"}, {"color", "0.6, 0.6, 0.6"}, {"lies", "in front"}, {"coverage", "pattern Mist"}});
  const ColorViews views;
  AssetCache assets;
  CancelFlag cancel;
  std::vector<int> heard;
  writeFrames(s.peek(), folder / "mist.png", 3, 5, assets, views, cancel, [&](int frame) { heard.push_back(frame); });
  CHECK(heard == std::vector<int>{3, 4, 5});
  const auto image = assets.image(folder / "mist.0004.png", -1);
  REQUIRE(image->width() == 48);
  CHECK(image->texel(24, 25, true).w > 0.3f);
  CHECK(image->texel(24, 1, true).w < 0.02f);
  // Unassociated: the colour does not fade with the alpha.
  CHECK(image->texel(24, 25, true).x > 0.2f);
  writeFrames(s.peek(), folder / "mist.exr", 1, 1, assets, views, cancel, {});
  CHECK(std::filesystem::exists(folder / "mist.0001.exr"));
  CHECK_THROWS(writeFrames(s.peek(), folder / "stopped.png", 1, 9, assets, views, cancel, [&](int frame) {
    if (frame == 2) cancel.request();
  }));
  CHECK(std::filesystem::exists(folder / "stopped.0002.png"));
  CHECK_FALSE(std::filesystem::exists(folder / "stopped.0003.png"));
  CHECK_THAT(refusal([&] { writeFrames(s.peek(), folder / "mist.txt", 1, 2, assets, views, cancel, {}); }),
             Catch::Contains("mist.txt"));
}
