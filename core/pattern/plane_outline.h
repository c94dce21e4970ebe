#pragma once
#include "core/base/vec.h"

#include <cstdint>
#include <vector>

namespace ilumbra {

/// What closed lines in a plane hold, by a winding number other than 0, and how far a place is from them. Built once,
/// in a grid of cells; immutable.
class PlaneOutline {
 public:
  PlaneOutline() = default;
  /// `within`: the furthest way to a line that matters, in the units of the rings.
  PlaneOutline(const std::vector<std::vector<V2f>>& rings, float within);
  bool empty() const { return m_lines.empty(); }
  float within() const { return m_within; }
  /// The way to the nearest line, `within` at most: above 0 inside, below 0 outside.
  float inside(const V2f& at) const;

 private:
  struct Line {
    V2f from, to;
  };
  bool holds(const V2f& at) const;
  std::vector<Line> m_lines;
  std::vector<uint32_t> m_first, m_near;   ///< by cell: where in m_near the lines within reach of it begin
  std::vector<uint32_t> m_rowFirst, m_row; ///< by row of cells: the lines that cross its heights
  V2f m_low{0, 0};
  float m_cell = 1, m_within = 0;
  int m_columns = 0, m_rows = 0;
};

} // namespace ilumbra
