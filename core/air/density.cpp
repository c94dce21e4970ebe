#include "core/air/density.h"

#include "core/air/air_color.h"
#include "core/base/sampling.h"
#include "core/base/tasks.h"

#include <algorithm>
#include <cmath>
#include <ImathBoxAlgo.h>

namespace ilumbra {

PatternDensity::PatternDensity(std::shared_ptr<const Program> program, const M44f& toObject, float random)
    : m_program(std::move(program)), m_toObject(toObject), m_random(random) {}

static float amountOf(const Sample4& v) {
  const float mean = (v.x + v.y + v.z) * (1 / 3.0f);
  return mean > 0 ? mean : 0;
}

float PatternDensity::at(const V3f& world) const {
  const float v = amountOf(m_program->evaluate(airPoint(world, m_toObject, m_random)));
  return std::isfinite(v) ? v : 0;
}

void PatternDensity::bounds(const Box3f& world, float& low, float& high) const {
  PatternBox b;
  const Box3f own = Imath::transform(world, m_toObject);
  b.low.world = world.min;
  b.high.world = world.max;
  b.low.position = own.min;
  b.high.position = own.max;
  b.low.uv = {own.min.x, own.min.y};
  b.high.uv = {own.max.x, own.max.y};
  b.low.random = b.high.random = m_random;
  const Bounds4 v = m_program->bounds(b);
  low = amountOf({v.x.low, v.y.low, v.z.low, 1});
  high = amountOf({v.x.high, v.y.high, v.z.high, 1});
  if (!std::isfinite(low)) low = 0;
  if (!std::isfinite(high)) high = 1e6f;
}

VoxelDensity::VoxelDensity(const Box3f& box, int nx, int ny, int nz, std::vector<float> values)
    : m_box(box), m_n{nx, ny, nz}, m_values(std::move(values)) {
  for (int k = 0; k < 3; ++k) m_perMetre[k] = float(m_n[k] - 1) / std::max(1e-9f, box.size()[k]);
  for (float& v : m_values)
    if (!(v > 0) || !std::isfinite(v)) v = 0;
}

std::shared_ptr<const VoxelDensity> VoxelDensity::baked(const Density& density, const Box3f& box, int most) {
  const V3f size = box.size();
  const float longest = std::max(size.x, std::max(size.y, size.z));
  int n[3];
  V3f step;
  for (int k = 0; k < 3; ++k) {
    n[k] = 1 + (longest > 0 ? std::clamp(int(std::ceil(float(most) * size[k] / longest)), 1, most) : 1);
    step[k] = size[k] / float(n[k] - 1);
  }
  std::vector<float> values(size_t(n[0]) * size_t(n[1]) * size_t(n[2]), 0.0f);
  constexpr int brick = 8;
  parallelFor(size_t((n[2] + brick - 1) / brick), [&](size_t slab) {
    const int bz = int(slab);
    for (int by = 0; by < n[1]; by += brick)
      for (int bx = 0; bx < n[0]; bx += brick) {
        const int last[3] = {std::min(n[0], bx + brick), std::min(n[1], by + brick),
                             std::min(n[2], bz * brick + brick)};
        Box3f b;
        b.min = box.min + V3f(float(bx), float(by), float(bz * brick)) * step;
        b.max = box.min + V3f(float(last[0] - 1), float(last[1] - 1), float(last[2] - 1)) * step;
        float low, high;
        density.bounds(b, low, high);
        if (!(high > 0)) continue;
        for (int z = bz * brick; z < last[2]; ++z)
          for (int y = by; y < last[1]; ++y)
            for (int x = bx; x < last[0]; ++x)
              values[(size_t(z) * size_t(n[1]) + size_t(y)) * size_t(n[0]) + size_t(x)] =
                  low == high ? low : density.at(box.min + V3f(float(x), float(y), float(z)) * step);
      }
  });
  return std::make_shared<const VoxelDensity>(box, n[0], n[1], n[2], std::move(values));
}

float VoxelDensity::at(const V3f& world) const {
  int i[3];
  float f[3];
  for (int k = 0; k < 3; ++k) {
    const float p = (world[k] - m_box.min[k]) * m_perMetre[k];
    if (!(p >= -1e-3f && p <= float(m_n[k] - 1) + 1e-3f)) return 0;
    i[k] = std::clamp(int(p), 0, std::max(0, m_n[k] - 2));
    f[k] = clamp01(p - float(i[k]));
  }
  const float* v = m_values.data() + (size_t(i[2]) * size_t(m_n[1]) + size_t(i[1])) * size_t(m_n[0]) + size_t(i[0]);
  const size_t x = m_n[0] > 1, y = m_n[1] > 1 ? size_t(m_n[0]) : 0,
               z = m_n[2] > 1 ? size_t(m_n[0]) * size_t(m_n[1]) : 0;
  const auto line = [&](size_t at) { return v[at] + (v[at + x] - v[at]) * f[0]; };
  const auto flat = [&](size_t at) {
    const float a = line(at), b = line(at + y);
    return a + (b - a) * f[1];
  };
  const float a = flat(0), b = flat(z);
  return a + (b - a) * f[2];
}

void VoxelDensity::bounds(const Box3f& world, float& low, float& high) const {
  int first[3], last[3];
  bool outside = false;
  for (int k = 0; k < 3; ++k) {
    const float a = (world.min[k] - m_box.min[k]) * m_perMetre[k], b = (world.max[k] - m_box.min[k]) * m_perMetre[k],
                most = float(m_n[k] - 1);
    outside |= a < 0 || b > most;
    first[k] = int(std::floor(std::clamp(a - 1e-3f, 0.0f, most)));
    last[k] = int(std::ceil(std::clamp(b + 1e-3f, 0.0f, most)));
  }
  low = std::numeric_limits<float>::max();
  high = 0;
  for (int z = first[2]; z <= last[2]; ++z)
    for (int y = first[1]; y <= last[1]; ++y)
      for (int x = first[0]; x <= last[0]; ++x) {
        const float v = m_values[(size_t(z) * size_t(m_n[1]) + size_t(y)) * size_t(m_n[0]) + size_t(x)];
        low = std::min(low, v);
        high = std::max(high, v);
      }
  if (outside) low = 0;
}

DensityCells::DensityCells(const Density& density, const Box3f& box, int most) : m_box(box) {
  if (box.isEmpty()) return;
  const V3f size = box.size();
  const float longest = std::max(size.x, std::max(size.y, size.z));
  for (int k = 0; k < 3; ++k) {
    m_n[k] = longest > 0 ? std::clamp(int(std::ceil(float(most) * size[k] / longest)), 1, most) : 1;
    m_cell[k] = std::max(size[k], 1e-6f) / float(m_n[k]);
  }
  m_cells.resize(size_t(m_n[0]) * size_t(m_n[1]) * size_t(m_n[2]));
  parallelFor(size_t(m_n[2]), [&](size_t slab) {
    const int z = int(slab);
    for (int y = 0; y < m_n[1]; ++y)
      for (int x = 0; x < m_n[0]; ++x) {
        const size_t index = (size_t(z) * size_t(m_n[1]) + size_t(y)) * size_t(m_n[0]) + size_t(x);
        Box3f b;
        b.min = m_box.min + V3f(float(x), float(y), float(z)) * m_cell;
        b.max = b.min + m_cell;
        float low, high;
        density.bounds(b, low, high);
        Cell& c = m_cells[index];
        if (!(high > 0)) continue;
        if (low == high) {
          c = {low, high};
          continue;
        }
        // Eight places, one in each octant; and a little everywhere something may be.
        RandomStream random{uint32_t(index)};
        float sum = 0;
        for (int i = 0; i < 8; ++i) {
          const V3f u(0.5f * (float(i & 1) + random.next()), 0.5f * (float(i >> 1 & 1) + random.next()),
                      0.5f * (float(i >> 2) + random.next()));
          sum += density.at(b.min + m_cell * u);
        }
        // In steps of a quarter, so that neighbours come as one.
        const auto rounded = [](float v, auto round) {
          return v > 0 ? std::exp2(0.3f * round(std::log2(v) / 0.3f)) : 0.0f;
        };
        c = {
            rounded(0.9f * std::clamp(sum / 8, low, high) + 0.1f * high, [](float steps) { return std::round(steps); }),
            rounded(high, [](float steps) { return std::ceil(steps); })};
      }
  });
  for (const Cell& c : m_cells) m_most = std::max(m_most, c.most);
}

} // namespace ilumbra
