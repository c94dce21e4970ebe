#pragma once
#include "core/base/tasks.h"
#include "core/base/vec.h"
#include "core/pattern/program.h"

#include <memory>
#include <vector>

namespace ilumbra {

/// How much of a haze is where: a factor to its coefficients, 0 or more, over the places of the world. Immutable.
class Density {
 public:
  virtual ~Density() = default;
  virtual float at(const V3f& world) const = 0;
  /// Never narrower than the truth.
  virtual void bounds(const Box3f& world, float& low, float& high) const = 0;
};
using DensityPtr = std::shared_ptr<const Density>;

/// What a pattern says, the mean of its channels: negative values and what is no number count as 0.
class PatternDensity : public Density {
 public:
  PatternDensity(std::shared_ptr<const Program> program, const M44f& toObject, float random);
  float at(const V3f& world) const override;
  void bounds(const Box3f& world, float& low, float& high) const override;

 private:
  std::shared_ptr<const Program> m_program;
  M44f m_toObject;
  float m_random;
};

/// Numbers on a grid over a box, straight lines between them: quick to ask, as fine as its voxels. 0 outside the box.
class VoxelDensity : public Density {
 public:
  /// Values at the corners of nx · ny · nz voxels less one a side, x running fastest; negative ones and what is no
  /// number count as 0.
  VoxelDensity(const Box3f& box, int nx, int ny, int nz, std::vector<float> values);
  /// Another density on a grid of at most `most` voxels along the longest side of a box, in about cubes.
  static std::shared_ptr<const VoxelDensity> baked(const Density& density, const Box3f& box, int most);
  float at(const V3f& world) const override;
  void bounds(const Box3f& world, float& low, float& high) const override;
  const Box3f& box() const { return m_box; }
  int size(int axis) const { return m_n[axis]; }
  const std::vector<float>& values() const { return m_values; }

 private:
  Box3f m_box;
  int m_n[3];
  V3f m_perMetre;
  std::vector<float> m_values;
};

/// A box in cells, each with the mean and the most of a density: the mean guides where light is looked for, the most
/// bounds the steps of tracking. No estimate depends on either but by its noise.
class DensityCells {
 public:
  /// At most `most` cells along the longest side. `density` is asked while this is made, not afterwards.
  DensityCells(const Density& density, const Box3f& box, int most = 48);
  struct Cell {
    float mean = 0, most = 0;
  };
  /// Calls f(from, to, cell) for each cell that is not empty along a ray, near to far, within [from, to]; neighbours
  /// that are alike come as one.
  template <typename F> void walk(const V3f& origin, const V3f& direction, float from, float to, const F& f) const;
  const Box3f& box() const { return m_box; }
  /// Metres along one axis of a cell.
  V3f cellSize() const { return m_cell; }
  float most() const { return m_most; }

 private:
  Box3f m_box;
  int m_n[3] = {1, 1, 1};
  V3f m_cell{1.0f};
  float m_most = 0;
  std::vector<Cell> m_cells;
};

template <typename F> void DensityCells::walk(const V3f& o, const V3f& d, float from, float to, const F& f) const {
  if (m_cells.empty()) return;
  for (int k = 0; k < 3; ++k) {
    if (d[k] == 0) {
      if (o[k] < m_box.min[k] || o[k] > m_box.max[k]) return;
      continue;
    }
    const float inverse = 1 / d[k], a = (m_box.min[k] - o[k]) * inverse, b = (m_box.max[k] - o[k]) * inverse;
    from = std::max(from, std::min(a, b));
    to = std::min(to, std::max(a, b));
  }
  if (!(from < to)) return;
  int at[3], step[3];
  float next[3], across[3];
  for (int k = 0; k < 3; ++k) {
    const float place = (o[k] + d[k] * from - m_box.min[k]) / m_cell[k];
    at[k] = std::clamp(int(std::floor(place)), 0, m_n[k] - 1);
    step[k] = d[k] > 0 ? 1 : -1;
    across[k] = d[k] != 0 ? std::abs(m_cell[k] / d[k]) : 0;
    next[k] = d[k] != 0 ? (m_box.min[k] + float(at[k] + (d[k] > 0)) * m_cell[k] - o[k]) / d[k]
                        : std::numeric_limits<float>::infinity();
  }
  float begin = from, t = from;
  Cell open;
  for (;;) {
    const Cell& c = m_cells[(size_t(at[2]) * size_t(m_n[1]) + size_t(at[1])) * size_t(m_n[0]) + size_t(at[0])];
    if (c.mean != open.mean || c.most != open.most) {
      if (open.most > 0 && t > begin) f(begin, t, open);
      begin = t;
      open = c;
    }
    const int k = next[0] < next[1] ? (next[0] < next[2] ? 0 : 2) : (next[1] < next[2] ? 1 : 2);
    t = std::max(t, next[k]);
    if (t >= to) break;
    at[k] += step[k];
    if (at[k] < 0 || at[k] >= m_n[k]) break;
    next[k] += across[k];
  }
  if (open.most > 0 && to > begin) f(begin, to, open);
}

} // namespace ilumbra
