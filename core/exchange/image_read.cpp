// Pictures, by OpenImageIO. Decoding runs in the parsing child.
#include "core/base/error.h"
#include "core/exchange/readers.h"
#include "core/exchange/wire.h"
#include "core/pattern/image.h"
#include "core/pattern/playback.h"

#include <fmt/format.h>
#include <OpenImageIO/filesystem.h>
#include <OpenImageIO/imageio.h>

namespace ilumbra {
namespace {

constexpr int widest = 32768;
constexpr size_t mostTexels = size_t(1) << 28;

std::string extensionOf(std::string_view bytes) {
  const auto begins = [&](std::string_view magic) { return bytes.substr(0, magic.size()) == magic; };
  if (begins("\x89PNG")) return "x.png";
  if (begins("\xff\xd8")) return "x.jpg";
  if (begins("#?")) return "x.hdr";
  if (begins("\x76\x2f\x31\x01")) return "x.exr";
  if (bytes.size() > 12 && bytes.substr(8, 4) == "WEBP") return "x.webp";
  if (begins("BM")) return "x.bmp";
  if (bytes.size() > 44 && bytes.substr(bytes.size() - 18, 16) == "TRUEVISION-XFILE") return "x.tga";
  return "x.png";
}

std::string decode(OIIO::ImageInput& in) {
  const OIIO::ImageSpec spec = in.spec();
  if (spec.width < 1 || spec.height < 1 || spec.nchannels < 1) throw badInput("is an empty picture");
  if (spec.width > widest || spec.height > widest || size_t(spec.width) * size_t(spec.height) > mostTexels ||
      spec.depth > 1)
    throw badInput(fmt::format("is {} × {} pixels, which is too large", spec.width, spec.height));
  if (spec.nchannels > 4096) throw badInput(fmt::format("has {} channels", spec.nchannels));
  const bool eight = spec.format == OIIO::TypeDesc::UINT8;
  const auto encoding = eight ? Image::Encoding::Srgb8 : Image::Encoding::Half;
  const size_t n = size_t(spec.width) * size_t(spec.height), channels = size_t(std::min(spec.nchannels, 4)),
               unit = eight ? 1 : 2;
  std::vector<uint8_t> raw(n * channels * unit);
  if (!in.read_image(0, 0, 0, int(channels), eight ? OIIO::TypeDesc::UINT8 : OIIO::TypeDesc::HALF, raw.data()))
    throw badInput("is broken: " + in.geterror());
  std::vector<uint8_t> texels(n * 4 * unit);
  const uint16_t oneHalf = 0x3c00;
  for (size_t i = 0; i < n; ++i)
    for (size_t c = 0; c < 4; ++c) {
      // One or two channels are grey and alpha.
      const bool grey = channels < 3, alpha = c == 3;
      const size_t from = alpha ? channels - 1 : grey ? 0 : c;
      const bool has = alpha ? channels == 2 || channels == 4 : true;
      uint8_t* out = texels.data() + (4 * i + c) * unit;
      if (has)
        std::memcpy(out, raw.data() + (i * channels + from) * unit, unit);
      else if (eight)
        *out = 255;
      else
        std::memcpy(out, &oneHalf, 2);
    }
  if (!eight)
    for (size_t i = 0; i < texels.size(); i += 2) {
      // Infinities and NaNs would poison every path that meets them.
      const unsigned bits = unsigned(texels[i]) | unsigned(texels[i + 1]) << 8;
      if ((bits & 0x7c00u) == 0x7c00u) {
        const unsigned safe = (bits & 0x3ffu) ? 0 : (bits & 0x8000u) | 0x7bffu;
        texels[i] = uint8_t(safe & 255);
        texels[i + 1] = uint8_t(safe >> 8);
      }
    }
  // The frame is the display window; pixels of the file may reach beyond it, or leave some of it out.
  int width = spec.width, height = spec.height;
  const int left = spec.full_x - spec.x, top = spec.full_y - spec.y;
  if ((left != 0 || top != 0 || spec.full_width != width || spec.full_height != height) && spec.full_width > 0 &&
      spec.full_height > 0 && spec.full_width <= widest && spec.full_height <= widest &&
      size_t(spec.full_width) * size_t(spec.full_height) <= mostTexels && left < width && top < height &&
      left + spec.full_width > 0 && top + spec.full_height > 0) {
    std::vector<uint8_t> framed(size_t(spec.full_width) * size_t(spec.full_height) * 4 * unit);
    const int x0 = std::max(0, left), x1 = std::min(width, left + spec.full_width);
    for (int y = std::max(0, top); y < std::min(height, top + spec.full_height); ++y)
      std::memcpy(framed.data() + (size_t(y - top) * size_t(spec.full_width) + size_t(x0 - left)) * 4 * unit,
                  texels.data() + (size_t(y) * size_t(width) + size_t(x0)) * 4 * unit, size_t(x1 - x0) * 4 * unit);
    texels = std::move(framed);
    width = spec.full_width;
    height = spec.full_height;
  }
  WireWriter w;
  w.put(int32_t(width));
  w.put(int32_t(height));
  w.put(int32_t(encoding));
  w.put(int32_t(!eight && spec.alpha_channel >= 0 && (channels == 2 || channels == 4) &&
                !spec.get_int_attribute("oiio:UnassociatedAlpha")));
  w.put(texels);
  return w.bytes();
}

std::string decodeFile(const std::string& path) {
  OIIO::ImageSpec config;
  config.attribute("oiio:UnassociatedAlpha", 1);
  const auto in = OIIO::ImageInput::open(path, &config);
  if (!in) throw badInput("is no picture this version reads");
  return decode(*in);
}

} // namespace

std::string readImageBytes(const std::string& path, int index) {
  OIIO::attribute("threads", 1);
  if (isMovie(path)) return readMovieFrameBytes(path, std::max(0, index));
  if (index < 0 && (path.ends_with(".svg") || path.ends_with(".SVG"))) return readDrawingBytes(path);
  if (index < 0) return decodeFile(path);
  std::string external;
  const std::string encoded = modelImageBytes(path, index, external);
  if (!external.empty() && encoded.empty()) return decodeFile(external);
  if (encoded.empty()) throw badInput(fmt::format("image {} is empty", index));
  OIIO::Filesystem::IOMemReader memory(const_cast<char*>(encoded.data()), encoded.size());
  OIIO::ImageSpec config;
  config.attribute("oiio:UnassociatedAlpha", 1);
  void* io = &memory;
  config.attribute("oiio:ioproxy", OIIO::TypeDesc::PTR, &io);
  const std::string name = extensionOf(encoded);
  const auto in = OIIO::ImageInput::open(name, &config, &memory);
  if (!in) throw badInput(fmt::format("image {} cannot be understood: {}", index, OIIO::geterror()));
  return decode(*in);
}

std::string encodedTexels(int width, int height, const std::vector<uint8_t>& rgba) {
  WireWriter w;
  w.put(int32_t(width));
  w.put(int32_t(height));
  w.put(int32_t(Image::Encoding::Srgb8));
  w.put(int32_t(0));
  w.put(rgba);
  return w.bytes();
}

std::shared_ptr<const Image> decodeImage(const std::string& bytes) {
  WireReader r(bytes);
  int32_t width = 0, height = 0, encoding = 0, associated = 0;
  std::vector<uint8_t> texels;
  r.get(width);
  r.get(height);
  r.get(encoding);
  r.get(associated);
  r.get(texels);
  if (encoding < 0 || encoding > 2) throw badInput("its reader returned nonsense");
  return std::make_shared<const Image>(width, height, Image::Encoding(encoding), std::move(texels), associated != 0);
}

} // namespace ilumbra
