#include "core/delivery/contact_sheet.h"

#include "core/base/error.h"
#include "core/base/tasks.h"
#include "core/display/view.h"
#include "core/exchange/picture_file.h"
#include "core/image/resample.h"
#include "core/text/text_outline.h"

#include <cairo.h>
#include <cmath>
#include <memory>

namespace ilumbra {
namespace {

constexpr int cellWidth = 240, gap = 8, labelHeight = 20;
constexpr size_t mostCells = 120;

struct Unref {
  void operator()(cairo_surface_t* s) const { cairo_surface_destroy(s); }
  void operator()(cairo_t* c) const { cairo_destroy(c); }
};

void drawText(cairo_t* c, const std::string& words, double x, double y, double size) {
  const TextOutline outline = outlineOf(shippedFont("Manrope bold"), words, 0);
  for (const auto& ring : outline.rings) {
    for (size_t i = 0; i < ring.size(); ++i) {
      const double px = x + size * double(ring[i].x), py = y - size * double(ring[i].y);
      i ? cairo_line_to(c, px, py) : cairo_move_to(c, px, py);
    }
    cairo_close_path(c);
  }
  cairo_fill(c);
}

} // namespace

void writeContactSheet(const std::string& path, const std::vector<std::string>& files,
                       const std::vector<std::string>& labels, const ColorViews& views, const std::string& view,
                       const CancelFlag* cancel) {
  const Tasks tasks(1);
  std::vector<size_t> chosen;
  const size_t n = std::min(files.size(), mostCells);
  for (size_t i = 0; i < n; ++i) chosen.push_back(n == files.size() ? i : i * (files.size() - 1) / (n - 1));
  std::unique_ptr<cairo_surface_t, Unref> surface;
  std::unique_ptr<cairo_t, Unref> cairo;
  int columns = 1, cellHeight = 0, width = 0, height = 0;
  for (size_t k = 0; k < chosen.size(); ++k) {
    if (cancel && cancel->requested()) throw cancelled();
    const PictureFile file = readPicture(files[chosen[k]], cancel);
    const Picture whole = file.picture();
    if (!surface) {
      cellHeight = std::max(1, int(std::lround(double(cellWidth) * whole.height / whole.width)));
      // About as wide as it is high, as the frames are.
      columns = std::clamp(int(std::lround(std::sqrt(double(n)))), 1, 12);
      const int rows = (int(n) + columns - 1) / columns;
      width = columns * (cellWidth + gap) + gap;
      height = rows * (cellHeight + labelHeight + gap) + gap;
      surface.reset(cairo_image_surface_create(CAIRO_FORMAT_RGB24, width, height));
      cairo.reset(cairo_create(surface.get()));
      cairo_set_source_rgb(cairo.get(), 0.12, 0.12, 0.12);
      cairo_paint(cairo.get());
    }
    Picture small(cellWidth, cellHeight);
    small.rgb = shrunk(whole.rgb, whole.width, whole.height, 3, cellWidth, cellHeight, tasks);
    const std::vector<float> shown = views.exact(small, view);
    const int x0 = gap + int(k) % columns * (cellWidth + gap),
              y0 = gap + int(k) / columns * (cellHeight + labelHeight + gap);
    cairo_surface_flush(surface.get());
    unsigned char* data = cairo_image_surface_get_data(surface.get());
    if (!data) throw ioError(path + ": the contact sheet is too large");
    const auto stride = size_t(cairo_image_surface_get_stride(surface.get()));
    for (int y = 0; y < cellHeight; ++y)
      for (int x = 0; x < cellWidth; ++x) {
        const float* p = shown.data() + 3 * (size_t(y) * size_t(cellWidth) + size_t(x));
        const auto byte = [&](size_t c) { return uint32_t(std::lround(255 * std::clamp(p[c], 0.0f, 1.0f))); };
        reinterpret_cast<uint32_t*>(data + size_t(y0 + y) * stride)[x0 + x] = byte(0) << 16 | byte(1) << 8 | byte(2);
      }
    cairo_surface_mark_dirty(surface.get());
    cairo_set_source_rgb(cairo.get(), 0.93, 0.91, 0.87);
    drawText(cairo.get(), labels[chosen[k]], x0, y0 + cellHeight + 14, 13);
  }
  if (!surface) return;
  cairo_surface_flush(surface.get());
  const unsigned char* data = cairo_image_surface_get_data(surface.get());
  const auto stride = size_t(cairo_image_surface_get_stride(surface.get()));
  std::vector<uint8_t> rgb;
  rgb.reserve(3 * size_t(width) * size_t(height));
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      const uint32_t v = reinterpret_cast<const uint32_t*>(data + size_t(y) * stride)[x];
      for (const int shift : {16, 8, 0}) rgb.push_back(uint8_t(v >> shift & 255));
    }
  writeShown(path, width, height, rgb);
}

} // namespace ilumbra
