#pragma once
#include "core/document/document.h"

#include <vector>

namespace ilumbra {

/// Kinds of points that curves are drawn with, one for each pair of axes: their two parameters `at` and `value` say
/// what the axes are called, their units, and by their soft ranges what a field for drawing spans.
std::vector<Kind> curvePointKinds();
/// True of a slot whose children are the points of one curve.
bool isCurve(const ChildSlot& slot);

/// A curve through the points of a slot, in the order of their places: smooth from the first to the last (monotone
/// cubic, Fritsch and Carlson 1980: it never overshoots its points). Of two points at one place the later one counts.
/// Beyond its ends a tone curve goes on as it ends, and the others hold. Without points a curve of
/// tone or of values leaves all as it is, and the others are level at what a new point's value is.
class DrawnCurve {
 public:
  DrawnCurve(const Document& doc, const Node& owner, std::string_view slot, double frame);
  bool empty() const { return m_x.empty(); }
  double at(double x) const;
  /// The least and the most of it over a stretch.
  std::pair<double, double> bounds(double from, double to) const;

 private:
  std::vector<double> m_x, m_y, m_slope;
  double m_level = 0;
  bool m_tone = false, m_straight = false;
};

} // namespace ilumbra
