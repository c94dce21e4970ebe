#pragma once
#include "core/base/picture.h"
#include "core/base/tasks.h"

#include <cstdint>
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

/// A view baked for the window: a logarithmic shaper and a cube of 65³ places with tetrahedral interpolation. It is
/// within 1/255 of the exact view.
class ViewTable {
public:
  ViewTable(const ColorViews& views, const std::string& view);
  Color apply(const Color& scene) const;
  /// Eight-bit pixels, red green blue and 255.
  std::vector<uint8_t> apply(const Picture& p, const Tasks& tasks) const;

private:
  static constexpr int size = 65;
  std::vector<Color> m_cube;
};

} // namespace ilumbra
