// SVG drawings as pictures, by librsvg and cairo. Runs in the parsing child.
#include "core/base/error.h"
#include "core/exchange/readers.h"

#include <cairo.h>
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <librsvg/rsvg.h>
#include <memory>

namespace ilumbra {
namespace {

// Texels along the longer side: a card of a metre is sharp from a metre away.
constexpr double longest = 4096;

struct Unref {
  void operator()(RsvgHandle* h) const { g_object_unref(h); }
  void operator()(cairo_surface_t* s) const { cairo_surface_destroy(s); }
  void operator()(cairo_t* c) const { cairo_destroy(c); }
};

std::string messageOf(GError* error) {
  std::string text = error ? error->message : "cannot be understood";
  g_clear_error(&error);
  return text;
}

} // namespace

std::string readDrawingBytes(const std::string& path) {
  GError* error = nullptr;
  const std::unique_ptr<RsvgHandle, Unref> handle(rsvg_handle_new_from_file(path.c_str(), &error));
  if (!handle) throw badInput("is no SVG drawing: " + messageOf(error));
  double width = 0, height = 0;
  if (!rsvg_handle_get_intrinsic_size_in_pixels(handle.get(), &width, &height) || !(width > 0) || !(height > 0)) {
    gboolean hasWidth, hasHeight, hasBox;
    RsvgLength w, h;
    RsvgRectangle box;
    rsvg_handle_get_intrinsic_dimensions(handle.get(), &hasWidth, &w, &hasHeight, &h, &hasBox, &box);
    width = hasBox ? box.width : 0;
    height = hasBox ? box.height : 0;
  }
  if (!(width > 0) || !(height > 0) || !std::isfinite(width) || !std::isfinite(height))
    throw badInput("states no size and no view box");
  const double scale = longest / std::max(width, height);
  const int w = std::max(1, int(std::lround(width * scale))), h = std::max(1, int(std::lround(height * scale)));
  const std::unique_ptr<cairo_surface_t, Unref> surface(cairo_image_surface_create(CAIRO_FORMAT_ARGB32, w, h));
  const std::unique_ptr<cairo_t, Unref> cairo(cairo_create(surface.get()));
  const RsvgRectangle all{0, 0, double(w), double(h)};
  if (!rsvg_handle_render_document(handle.get(), cairo.get(), &all, &error))
    throw badInput("cannot be drawn: " + messageOf(error));
  cairo_surface_flush(surface.get());
  const unsigned char* data = cairo_image_surface_get_data(surface.get());
  const auto stride = size_t(cairo_image_surface_get_stride(surface.get()));
  if (!data) throw badInput("is too large to be drawn");
  std::vector<uint8_t> texels(size_t(w) * size_t(h) * 4);
  for (size_t y = 0; y < size_t(h); ++y)
    for (size_t x = 0; x < size_t(w); ++x) {
      uint32_t argb;
      std::memcpy(&argb, data + y * stride + 4 * x, 4);
      const uint32_t a = argb >> 24;
      uint8_t* out = texels.data() + 4 * (y * size_t(w) + x);
      for (int c = 0; c < 3; ++c) {
        const uint32_t v = argb >> (16 - 8 * c) & 255;
        out[c] = uint8_t(a ? std::min(255u, (v * 255 + a / 2) / a) : 0); // its colours are multiplied by alpha
      }
      out[3] = uint8_t(a);
    }
  return encodedTexels(w, h, texels);
}

} // namespace ilumbra
