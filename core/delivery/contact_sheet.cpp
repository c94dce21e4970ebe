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
#include <optional>

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

// Cells in rows, each with its words below.
class Sheet {
 public:
  Sheet(const std::string& path, size_t cells, int columns, int cellWidth, int cellHeight)
      : m_path(path), m_columns(columns), m_cellWidth(cellWidth), m_cellHeight(cellHeight) {
    const int rows = (int(cells) + columns - 1) / columns;
    m_width = columns * (cellWidth + gap) + gap;
    m_height = rows * (cellHeight + labelHeight + gap) + gap;
    m_surface.reset(cairo_image_surface_create(CAIRO_FORMAT_RGB24, m_width, m_height));
    m_cairo.reset(cairo_create(m_surface.get()));
    cairo_set_source_rgb(m_cairo.get(), 0.12, 0.12, 0.12);
    cairo_paint(m_cairo.get());
  }
  void add(size_t k, const Picture& picture, const std::string& label, const ColorViews& views,
           const std::string& view) {
    const std::vector<float> shown = views.exact(picture, view);
    const int x0 = gap + int(k) % m_columns * (m_cellWidth + gap),
              y0 = gap + int(k) / m_columns * (m_cellHeight + labelHeight + gap);
    cairo_surface_flush(m_surface.get());
    unsigned char* data = cairo_image_surface_get_data(m_surface.get());
    if (!data) throw ioError(m_path + ": the sheet is too large");
    const auto stride = size_t(cairo_image_surface_get_stride(m_surface.get()));
    for (int y = 0; y < std::min(m_cellHeight, picture.height); ++y)
      for (int x = 0; x < std::min(m_cellWidth, picture.width); ++x) {
        const float* p = shown.data() + 3 * (size_t(y) * size_t(picture.width) + size_t(x));
        const auto byte = [&](size_t c) { return uint32_t(std::lround(255 * std::clamp(p[c], 0.0f, 1.0f))); };
        reinterpret_cast<uint32_t*>(data + size_t(y0 + y) * stride)[x0 + x] = byte(0) << 16 | byte(1) << 8 | byte(2);
      }
    cairo_surface_mark_dirty(m_surface.get());
    cairo_set_source_rgb(m_cairo.get(), 0.93, 0.91, 0.87);
    drawText(m_cairo.get(), label, x0, y0 + m_cellHeight + 14, 13);
  }
  void write() {
    cairo_surface_flush(m_surface.get());
    const unsigned char* data = cairo_image_surface_get_data(m_surface.get());
    if (!data) throw ioError(m_path + ": the sheet is too large");
    const auto stride = size_t(cairo_image_surface_get_stride(m_surface.get()));
    std::vector<uint8_t> rgb;
    rgb.reserve(3 * size_t(m_width) * size_t(m_height));
    for (int y = 0; y < m_height; ++y)
      for (int x = 0; x < m_width; ++x) {
        const uint32_t v = reinterpret_cast<const uint32_t*>(data + size_t(y) * stride)[x];
        for (const int shift : {16, 8, 0}) rgb.push_back(uint8_t(v >> shift & 255));
      }
    writeShown(m_path, m_width, m_height, rgb);
  }

 private:
  const std::string& m_path;
  const int m_columns, m_cellWidth, m_cellHeight;
  int m_width = 0, m_height = 0;
  std::unique_ptr<cairo_surface_t, Unref> m_surface;
  std::unique_ptr<cairo_t, Unref> m_cairo;
};

} // namespace

void writeContactSheet(const std::string& path, const std::vector<std::string>& files,
                       const std::vector<std::string>& labels, const ColorViews& views, const std::string& view,
                       const CancelFlag* cancel) {
  const Tasks tasks(1);
  std::vector<size_t> chosen;
  const size_t n = std::min(files.size(), mostCells);
  for (size_t i = 0; i < n; ++i) chosen.push_back(n == files.size() ? i : i * (files.size() - 1) / (n - 1));
  std::optional<Sheet> sheet;
  int cellHeight = 0;
  for (size_t k = 0; k < chosen.size(); ++k) {
    if (cancel && cancel->requested()) throw cancelled();
    const PictureFile file = readPicture(files[chosen[k]], cancel);
    const Picture whole = file.picture();
    if (!sheet) {
      cellHeight = std::max(1, int(std::lround(double(cellWidth) * whole.height / whole.width)));
      // About as wide as it is high, as the frames are.
      sheet.emplace(path, n, std::clamp(int(std::lround(std::sqrt(double(n)))), 1, 12), cellWidth, cellHeight);
    }
    Picture small(cellWidth, cellHeight);
    small.rgb = shrunk(whole.rgb, whole.width, whole.height, 3, cellWidth, cellHeight, tasks);
    sheet->add(k, small, labels[chosen[k]], views, view);
  }
  if (sheet) sheet->write();
}

void writeSheet(const std::string& path, const std::vector<std::pair<Picture, std::string>>& cells, int columns,
                const ColorViews& views, const std::string& view) {
  if (cells.empty()) return;
  int wide = 1, high = 1;
  for (const auto& [p, label] : cells) {
    wide = std::max(wide, p.width);
    high = std::max(high, p.height);
  }
  const int all = int(cells.size());
  if (columns <= 0) columns = all <= 5 ? all : int(std::ceil(std::sqrt(double(all))));
  Sheet sheet(path, cells.size(), columns, wide, high);
  for (size_t k = 0; k < cells.size(); ++k) sheet.add(k, cells[k].first, cells[k].second, views, view);
  sheet.write();
}

} // namespace ilumbra
