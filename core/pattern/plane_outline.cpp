#include "core/pattern/plane_outline.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {
namespace {

float toLine(const V2f& p, const V2f& a, const V2f& b) {
  const V2f ab = b - a;
  const float l2 = ab.dot(ab), t = l2 > 0 ? std::clamp((p - a).dot(ab) / l2, 0.0f, 1.0f) : 0;
  return (p - a - ab * t).length();
}

// Lists by index, one after the other: `first` has one more than there are lists.
void listed(const std::vector<std::vector<uint32_t>>& lists, std::vector<uint32_t>& first, std::vector<uint32_t>& all) {
  first.assign(1, 0);
  for (const auto& l : lists) {
    all.insert(all.end(), l.begin(), l.end());
    first.push_back(uint32_t(all.size()));
  }
}

} // namespace

PlaneOutline::PlaneOutline(const std::vector<std::vector<V2f>>& rings, float within) : m_within(within) {
  V2f low(1e30f, 1e30f), high(-1e30f, -1e30f);
  for (const auto& ring : rings)
    for (size_t i = 0; i < ring.size(); ++i) {
      const V2f a = ring[i], b = ring[(i + 1) % ring.size()];
      if (a == b) continue;
      m_lines.push_back({a, b});
      for (int k = 0; k < 2; ++k) {
        low[k] = std::min(low[k], a[k]);
        high[k] = std::max(high[k], a[k]);
      }
    }
  if (m_lines.empty()) return;
  m_low = low - V2f(within, within);
  const V2f size = high + V2f(within, within) - m_low;
  m_cell = std::max({0.5f * within, size.x / 512, size.y / 512, 1e-9f});
  m_columns = int(size.x / m_cell) + 1;
  m_rows = int(size.y / m_cell) + 1;
  const auto cell = [&](float x, float from, int count) {
    return std::clamp(int(std::floor((x - from) / m_cell)), 0, count - 1);
  };
  std::vector<std::vector<uint32_t>> near(size_t(m_columns) * size_t(m_rows)), rows(static_cast<size_t>(m_rows));
  for (uint32_t i = 0; i < m_lines.size(); ++i) {
    const auto& [a, b] = m_lines[i];
    for (int y = cell(std::min(a.y, b.y), m_low.y, m_rows); y <= cell(std::max(a.y, b.y), m_low.y, m_rows); ++y)
      rows[size_t(y)].push_back(i);
  }
  listed(rows, m_rowFirst, m_row);
  for (uint32_t i = 0; i < m_lines.size(); ++i) {
    const auto& [a, b] = m_lines[i];
    // Where rings overlap, what lies on both sides is held all the same: no edge runs there.
    const V2f half = (a + b) * 0.5f, aside = V2f(a.y - b.y, b.x - a.x).normalized() * (1e-3f * (b - a).length());
    if (holds(half + aside) && holds(half - aside)) continue;
    const float reach = within + m_cell;
    const int x0 = cell(std::min(a.x, b.x) - reach, m_low.x, m_columns),
              x1 = cell(std::max(a.x, b.x) + reach, m_low.x, m_columns),
              y0 = cell(std::min(a.y, b.y) - reach, m_low.y, m_rows),
              y1 = cell(std::max(a.y, b.y) + reach, m_low.y, m_rows);
    for (int y = y0; y <= y1; ++y)
      for (int x = x0; x <= x1; ++x) {
        const V2f middle = m_low + V2f(float(x) + 0.5f, float(y) + 0.5f) * m_cell;
        if (toLine(middle, a, b) <= within + 0.7072f * m_cell)
          near[size_t(y) * size_t(m_columns) + size_t(x)].push_back(i);
      }
  }
  listed(near, m_first, m_near);
}

bool PlaneOutline::holds(const V2f& at) const {
  const float row = (at.y - m_low.y) / m_cell;
  if (!(row >= 0 && row < float(m_rows))) return false;
  const auto y = size_t(row);
  int winding = 0;
  for (uint32_t k = m_rowFirst[y]; k < m_rowFirst[y + 1]; ++k) {
    const auto& [a, b] = m_lines[m_row[k]];
    if ((a.y <= at.y) == (b.y <= at.y)) continue;
    if (a.x + (at.y - a.y) / (b.y - a.y) * (b.x - a.x) > at.x) winding += b.y > a.y ? 1 : -1;
  }
  return winding != 0;
}

float PlaneOutline::inside(const V2f& at) const {
  const V2f cell = (at - m_low) * (1 / m_cell);
  // Out here, or where a place is no number, there is nothing.
  if (m_lines.empty() || !(cell.x >= 0 && cell.y >= 0 && cell.x < float(m_columns) && cell.y < float(m_rows)))
    return -m_within;
  const size_t x = size_t(cell.x), y = size_t(cell.y), c = y * size_t(m_columns) + x;
  float away = m_within;
  for (uint32_t k = m_first[c]; k < m_first[c + 1]; ++k) {
    const Line& l = m_lines[m_near[k]];
    away = std::min(away, toLine(at, l.from, l.to));
  }
  return holds(at) ? away : -away;
}

} // namespace ilumbra
