#include "core/base/colorspace.h"
#include "core/document/units.h"
#include "core/pattern/image.h"
#include "core/pattern/program.h"
#include "tests/support/scene.h"

#include <half.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// Four texels: red, green over blue, white, with alpha falling from 255 by 60.
std::shared_ptr<const Image> fourTexels(Image::Encoding encoding = Image::Encoding::Srgb8) {
  return std::make_shared<const Image>(
      2, 2, encoding, std::vector<uint8_t>{255, 0, 0, 255, 0, 255, 0, 195, 0, 0, 255, 135, 255, 255, 255, 75});
}

struct Made {
  Document doc;
  NodeId pattern;
  TestAssets assets;
  Made(std::initializer_list<std::pair<const char*, const char*>> values) : doc(Document::create(kinds())) {
    Set s;
    pattern = s.add("pattern.image", "Picture", {{"file", "four.png"}});
    s.set(pattern, values);
    doc = s.take();
    assets.images = [](const std::string&, int) { return fourTexels(); };
  }
  Imath::Vec4<float> at(float u, float v, bool asColor = true) const {
    return Program::compile(doc, {pattern, nullptr}, 1, assets, asColor).evaluate({V2f(u, v)});
  }
};

} // namespace

TEST_CASE("Texels are read from the top, eight bits through the sRGB curve only when asked", "[pattern][image]") {
  const auto image = fourTexels();
  CHECK(image->texel(0, 0, true).x == 1);
  CHECK(image->texel(1, 0, true).y == 1);
  CHECK(image->texel(0, 1, true).z == 1);
  const Image grey(1, 1, Image::Encoding::Srgb8, {128, 128, 128, 128});
  CHECK(grey.texel(0, 0, true).x == Approx(srgbDecoded<double>(128.0 / 255)).epsilon(1e-4));
  CHECK(grey.texel(0, 0, false).x == Approx(128.0 / 255));
  CHECK(grey.texel(0, 0, true).w == Approx(128.0 / 255));
  const Image linear(1, 1, Image::Encoding::Linear8, {128, 128, 128, 255});
  CHECK(linear.texel(0, 0, true).x == Approx(128.0 / 255));
}

TEST_CASE("Half floats keep what is brighter than white", "[pattern][image]") {
  std::vector<uint8_t> bytes;
  for (const float v : {12.5f, 0.25f, -1.0f, 1.0f}) {
    const uint16_t bits = Imath::half(v).bits();
    bytes.push_back(uint8_t(bits & 255));
    bytes.push_back(uint8_t(bits >> 8));
  }
  const Image image(1, 1, Image::Encoding::Half, bytes);
  CHECK(image.texel(0, 0, true).x == 12.5f);
  CHECK(image.lookup(0.3f, 0.9f, true).z == -1);
}

TEST_CASE("An image whose size does not fit its data is refused", "[pattern][image]") {
  CHECK_FALSE(refusal([] { Image(2, 2, Image::Encoding::Srgb8, std::vector<uint8_t>(15)); }).empty());
  CHECK_FALSE(refusal([] { Image(0, 2, Image::Encoding::Srgb8, {}); }).empty());
}

TEST_CASE("Lookup is bilinear between texel centres and tiles beyond the edges", "[pattern][image]") {
  const auto image = fourTexels(Image::Encoding::Linear8);
  CHECK(image->lookup(0.25f, 0.75f, true).x == Approx(1)); // the middle of the first texel, v upwards
  const auto middle = image->lookup(0.5f, 0.5f, true);
  CHECK(middle.x == Approx(0.5));
  CHECK(middle.y == Approx(0.5));
  for (const auto& [u, v] : {std::pair{0.1f, 0.2f}, {0.6f, 0.9f}})
    for (const int shift : {-2, 1, 7}) {
      const auto a = image->lookup(u, v, true), b = image->lookup(u + float(shift), v - float(shift), true);
      CHECK(a.x == Approx(b.x).margin(1e-4));
      CHECK(a.w == Approx(b.w).margin(1e-4));
    }
  CHECK(image->lookup(NAN, 0.5f, true).x == 0);
}

TEST_CASE("A pattern gives colours in the working space and numbers as they are", "[pattern]") {
  const Made m({});
  const Color red = acescgFrom709({1, 0, 0});
  CHECK(m.at(0.25f, 0.75f).x == Approx(red.x));
  CHECK(m.at(0.25f, 0.75f).y == Approx(red.y));
  CHECK(m.at(0.25f, 0.75f, false).x == Approx(1));
  CHECK(m.at(0.25f, 0.75f, false).y == Approx(0).margin(1e-6));
}

TEST_CASE("One channel is spread over all, alpha too, each with its gain", "[pattern]") {
  CHECK(Made({{"channel", "green"}, {"gain", "1, 0.5, 1"}}).at(0.75f, 0.75f, false).x == Approx(0.5));
  CHECK(Made({{"channel", "blue"}}).at(0.25f, 0.25f, false).y == Approx(1));
  CHECK(Made({{"channel", "alpha"}}).at(0.75f, 0.75f, false).x == Approx(195.0 / 255));
  CHECK(Made({{"channel", "alpha"}, {"gain", "0.5, 1, 1"}}).at(0.75f, 0.75f, false).x == Approx(0.5 * 195.0 / 255));
}

TEST_CASE("Offset, scale and turn are glTF's: scale, then turn, then offset, v downwards", "[pattern]") {
  const Made plain({});
  const auto same = [](const Imath::Vec4<float>& a, const Imath::Vec4<float>& b) {
    for (int c = 0; c < 4; ++c) CHECK(a[c] == Approx(b[c]).margin(1e-4));
  };
  same(Made({{"offset", "0.5, 0, 0"}}).at(0.25f, 0.75f), plain.at(0.75f, 0.75f));
  same(Made({{"offset", "0, 0.5, 0"}}).at(0.25f, 0.75f), plain.at(0.25f, 0.25f));
  same(Made({{"scale", "2, 2, 1"}}).at(0.125f, 0.875f), plain.at(0.25f, 0.75f));
  // A quarter turn about the image's top left corner.
  same(Made({{"turn", "90"}}).at(0.25f, 0.75f), plain.at(0.25f, 1.25f));
}

TEST_CASE("Overrides of a use reach the pattern, and a missing image is told", "[pattern]") {
  Made m({});
  auto with = std::make_shared<Overrides>();
  (*with)["gain"] = Value(Constant(Triple{0.25, 1, 1}));
  CHECK(Program::compile(m.doc, {m.pattern, with}, 1, m.assets, false).evaluate({V2f(0.25f, 0.75f)}).x == Approx(0.25));
  CHECK_FALSE(refusal([&] { Program::compile(m.doc, {m.pattern, nullptr}, 1, noAssets(), false); }).empty());
  CHECK_FALSE(refusal([&] { Program::compile(m.doc, {999, nullptr}, 1, m.assets, false); }).empty());
}

TEST_CASE("A pattern drives a material in the picture", "[pattern][render]") {
  // Own light by the image on a plane that faces the camera: the four texels are seen in their corners.
  Set s(32, 32);
  s.look("0, 3, 0", "0, 0, 0", "54");
  s.add("pattern.image", "Four texels", {{"file", "four.png"}});
  s.add("material.surface", "Screen", {{"base_color", "0, 0, 0"}, {"ior", "1"}, {"own_light", "100"}});
  s.add("object.plane", "Panel", {{"width", "2"}, {"depth", "2"}, {"material", "Screen"}});
  Document doc = s.take();
  doc = setAt(doc, resolve(doc, "Screen.own_light_color"), PatternUse{{doc.findByName("Four texels")->id, nullptr}});
  TestAssets assets;
  assets.images = [](const std::string&, int) { return fourTexels(); };
  const Picture p = luminances(trace(doc, 16, 0, assets));
  const auto corner = [&](int x, int y) { return rec709FromAcescg(p.color(x, y)); };
  // Which corner holds which texel is the plane's matter; that each is there, pure and once, is the pattern's.
  int red = 0, green = 0, blue = 0, white = 0;
  for (const auto& [x, y] : {std::pair{4, 4}, {27, 4}, {4, 27}, {27, 27}}) {
    const Color c = corner(x, y);
    const bool r = c.x > 60, g = c.y > 60, b = c.z > 60;
    red += r && !g && !b;
    green += !r && g && !b;
    blue += !r && !g && b;
    white += r && g && b;
  }
  CHECK(red + green + blue + white == 4);
  CHECK(red * green * blue * white == 1);
}
