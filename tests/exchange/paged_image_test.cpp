#include "core/exchange/paged_image.h"

#include "core/base/error.h"
#include "core/base/sampling.h"
#include "core/exchange/assets.h"
#include "tests/support/scene.h"

#include <cstring>
#include <half.h>
#include <OpenImageIO/imageio.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

std::vector<uint8_t> noise(size_t n) {
  RandomStream random(7);
  std::vector<uint8_t> out(n);
  for (uint8_t& b : out) b = uint8_t(random.next() * 256);
  return out;
}

std::vector<uint8_t> halfNoise(size_t n) {
  RandomStream random(9);
  std::vector<uint8_t> out;
  for (size_t i = 0; i < n; ++i) {
    const uint16_t bits = Imath::half(random.next() * 40 - 3).bits();
    out.push_back(uint8_t(bits & 255));
    out.push_back(uint8_t(bits >> 8));
  }
  return out;
}

// How many of many lookups, sharp and wide, differ.
int differing(const Image& a, const Image& b) {
  RandomStream random(3);
  int different = 0;
  for (int i = 0; i < 20000; ++i) {
    const float u = random.next() * 2 - 0.5f, v = random.next() * 2 - 0.5f,
                footprint = i % 3 ? random.next() * random.next() * 0.3f : 0;
    different += a.lookup(u, v, i % 2, footprint) != b.lookup(u, v, i % 2, footprint);
  }
  return different;
}

} // namespace

TEST_CASE("A paged picture is the same picture", "[exchange][paged]") {
  TexturePages pages(size_t(1) << 20);
  for (const auto& [w, h] : {std::pair{200, 131}, {64, 64}, {1, 5}, {513, 7}}) {
    INFO(w << " × " << h);
    const size_t n = size_t(w) * size_t(h) * 4;
    const Image bytes(w, h, Image::Encoding::Srgb8, noise(n)), halves(w, h, Image::Encoding::Half, halfNoise(n));
    for (const Image* image : {&bytes, &halves}) {
      const auto paged = pages.pageOut(*image);
      CHECK(paged->bytes() == 0);
      CHECK(differing(*image, *paged) == 0);
      Imath::Vec4<float> low[2], high[2];
      image->bounds(true, low[0], high[0]);
      paged->bounds(true, low[1], high[1]);
      CHECK(low[0] == low[1]);
      CHECK(high[0] == high[1]);
      std::vector<uint8_t> rows[2];
      for (int i = 0; i < 2; ++i) {
        rows[i].resize(size_t(w) * size_t(h) * Image::bytesPerTexel(image->encoding()));
        (i ? *paged : *image).copyRows(0, h, rows[i].data());
      }
      CHECK(rows[0] == rows[1]);
    }
  }
}

TEST_CASE("A paged picture outlives its pages' owner, and is read by many threads", "[exchange][paged]") {
  const Image image(700, 500, Image::Encoding::Srgb8, noise(700 * 500 * 4));
  std::shared_ptr<const Image> paged;
  {
    TexturePages pages(1);
    paged = pages.pageOut(image);
  }
  std::atomic<int> different{0};
  pool().forEach(8, [&](int) { different += differing(image, *paged); });
  CHECK(different == 0);
}

TEST_CASE("Pictures beyond the memory that is allowed are paged; what nobody uses makes room", "[exchange][paged]") {
  const TemporaryFolder folder;
  const auto write = [&](const char* name, int w) {
    const auto out = OIIO::ImageOutput::create(folder / name);
    OIIO::ImageSpec spec(w, w, 3, OIIO::TypeDesc::UINT8);
    REQUIRE(out->open(folder / name, spec));
    REQUIRE(out->write_image(OIIO::TypeDesc::UINT8, noise(size_t(w) * size_t(w) * 3).data()));
    out->close();
    return folder / name;
  };
  const std::string a = write("a.png", 256), b = write("b.png", 300), c = write("c.png", 200);
  // One of them with all its sizes takes 4/3 · 4 bytes a texel.
  AssetCache roomy, tight(450000);
  const auto first = tight.image(a, -1), second = tight.image(b, -1);
  CHECK(first->bytes() > 0);
  CHECK(second->bytes() == 0);
  CHECK(tight.image(b, -1) == second);
  CHECK(differing(*roomy.image(a, -1), *first) == 0);
  CHECK(differing(*roomy.image(b, -1), *second) == 0);
  // The first is not held any more: there is room again.
  AssetCache other(450000);
  other.image(a, -1);
  CHECK(other.image(c, -1)->bytes() > 0);
}
