#pragma once
#include "core/base/tasks.h"
#include "core/image/picture.h"

#include <cstdint>
#include <functional>
#include <memory>
#include <string>

namespace ilumbra {

/// How scene light (linear ACEScg) is shown: display views of an OpenColorIO configuration, the shipped one or the one
/// that the environment variable OCIO names.
class ColorViews {
 public:
  /// Throws BadInput when $OCIO names a file that cannot be used.
  ColorViews();
  ~ColorViews();
  ColorViews(const ColorViews&) = delete;
  ColorViews& operator=(const ColorViews&) = delete;

  std::vector<std::string> views() const;
  /// Where the configuration comes from: "shipped", or its path.
  std::string source() const;

  /// Exactly, by the processor: for files. Display-referred values in [0, 1], three floats a pixel, alpha not applied.
  std::vector<float> exact(const Picture& p, const std::string& view) const;

 private:
  friend class ViewTable;
  struct Content;
  std::unique_ptr<Content> m_content;
};

/// A view baked for the window, within 1/255 of the exact one: a shaper and a cube of 65³ places with tetrahedral
/// interpolation. The shaper works on Rec. 709 components, where displays clip. Cells in which the view bends too much
/// for that (where it clips) are known from the baking; what falls into them, or beyond the cube, goes through the
/// exact processor.
class ViewTable {
 public:
  /// Bakes: some tenths of a second.
  ViewTable(const ColorViews& views, const std::string& view, const Tasks& tasks);
  ~ViewTable();
  Color apply(const Color& scene) const;
  /// Eight-bit pixels, red green blue and 255, dithered by less than a step so that halos show no bands. Scene values
  /// are multiplied by `gain` first. `quick`: by the table alone, for pictures that stand for a moment.
  std::vector<uint8_t> apply(const Picture& p, const Tasks& tasks, float gain = 1, bool quick = false) const;
  /// Share of the cube's cells that are exact only.
  double exactShare() const;

 private:
  static constexpr int size = 65;
  /// At a place in cells, each from 0 to size - 1; false: it must be exact.
  bool tableAt(float r, float g, float b, bool quick, Color& shown) const;
  std::vector<Color> m_cube;
  std::vector<uint8_t> m_exactCell;
  std::function<void(float* rgb, long pixels)> m_exact;
};

/// Even spread in (-1, 1), triangular, by place: what is added before rounding to steps.
float ditherAt(int x, int y, int channel);

} // namespace ilumbra
