#include "core/render/film.h"

#include "core/base/error.h"

#include <algorithm>
#include <fmt/format.h>

namespace ilumbra {

LayerTable::LayerTable(const std::vector<LayerQuery>& queries, const std::vector<NodeId>& things, const std::vector<NodeId>& materials)
    : m_size(int(queries.size())), m_thing(things.size() + 1, 0), m_material(materials.size() + 1, 0), m_first(things.size() + 1, 0) {
  if (queries.size() > 32) throw badInput(fmt::format("{} film layers are asked for; 32 are possible", queries.size()));
  const auto has = [](const std::vector<NodeId>& list, NodeId id) { return std::find(list.begin(), list.end(), id) != list.end(); };
  for (size_t q = 0; q < queries.size(); ++q) {
    const LayerQuery& query = queries[q];
    const uint32_t bit = 1u << q;
    for (size_t i = 0; i < things.size(); ++i) {
      if (query.everything || has(query.things, things[i])) m_thing[i] |= bit;
      if (query.seenIn.empty() || has(query.seenIn, things[i])) m_first[i] |= bit;
    }
    for (uint8_t e : {EventEmitted, EventDirect, EventIndirect})
      if (query.events & e) m_event[e] |= bit;
    if (!query.everything)
      for (size_t i = 0; i < materials.size(); ++i)
        if (has(query.materials, materials[i])) m_material[i] |= bit;
    for (uint32_t s = 0; s < 4; ++s)
      if (s == 0 ? query.direct : (!(s & SeenMirrored) || query.mirrored) && (!(s & SeenThrough) || query.through)) m_seen[s] |= bit;
  }
}

void Film::Ranked::add(uint16_t t, float w) {
  if (!(w > 0)) return;
  size_t least = 0;
  for (size_t i = 0; i < size_t(ranks); ++i) {
    if (weight[i] > 0 && thing[i] == t) {
      weight[i] += w;
      return;
    }
    if (weight[i] < weight[least]) least = i;
  }
  if (weight[least] == 0 || w > weight[least]) {
    dropped += weight[least];
    weight[least] = w;
    thing[least] = t;
  } else {
    dropped += w;
  }
}

void Film::reset(int width, int height, int groups, LayerTable table) {
  m_width = width;
  m_height = height;
  m_groups = std::max(groups, 1);
  m_table = std::move(table);
  const size_t n = size_t(width) * size_t(height);
  m_stride = size_t(3 * m_groups * std::max(1, m_table.size()));
  m_light.assign(n * m_stride, 0.0f);
  m_count.assign(n, 0);
  m_hits.assign(n, 0);
  m_aux.assign(n * 8, 0.0f);
  m_luminance.assign(n, 0.0f);
  m_luminance2.assign(n, 0.0f);
  m_identity.assign(n, {});
  m_seen.assign(n, {});
}

size_t Film::bytes() const {
  return m_light.size() * 4 + m_aux.size() * 4 + m_count.size() * (16 + 2 * sizeof(Ranked));
}

void Film::finish(size_t pixel, const FirstHit& first, float lum) {
  ++m_count[pixel];
  m_luminance[pixel] += lum;
  m_luminance2[pixel] += lum * lum;
  float* a = m_aux.data() + 8 * pixel;
  a[0] += first.alpha;
  if (!first.hit) return;
  ++m_hits[pixel];
  a[1] += first.depth;
  for (int i = 0; i < 3; ++i) {
    a[2 + i] += first.normal[i];
    a[5 + i] += first.albedo[i];
  }
  m_identity[pixel].add(first.thing, first.alpha);
}

Color Film::light(size_t pixel, int query, int group) const {
  const uint32_t n = m_count[pixel];
  if (!n) return Color(0.0f);
  const float* p = m_light.data() + pixel * m_stride + 3 * size_t(query * m_groups + group);
  return Color(p[0], p[1], p[2]) * (1.0f / float(n));
}

float Film::alpha(size_t pixel) const { return m_count[pixel] ? m_aux[8 * pixel] / float(m_count[pixel]) : 0; }
float Film::depth(size_t pixel) const { return m_hits[pixel] ? m_aux[8 * pixel + 1] / float(m_hits[pixel]) : 0; }
V3f Film::normal(size_t pixel) const {
  const float* a = m_aux.data() + 8 * pixel + 2;
  return m_hits[pixel] ? V3f(a[0], a[1], a[2]) * (1.0f / float(m_hits[pixel])) : V3f(0.0f);
}
Color Film::albedo(size_t pixel) const {
  const float* a = m_aux.data() + 8 * pixel + 5;
  return m_hits[pixel] ? Color(a[0], a[1], a[2]) * (1.0f / float(m_hits[pixel])) : Color(0.0f);
}

double Film::noise() const {
  double mean = 0;
  size_t counted = 0;
  for (size_t i = 0; i < m_count.size(); ++i)
    if (m_count[i] > 1) {
      mean += double(m_luminance[i]) / m_count[i];
      ++counted;
    }
  if (!counted || mean <= 0) return counted ? 0 : 1;
  mean /= double(counted);
  double sum = 0;
  for (size_t i = 0; i < m_count.size(); ++i) {
    const double n = m_count[i];
    if (n < 2) continue;
    const double l = double(m_luminance[i]) / n, variance = std::max(0.0, (double(m_luminance2[i]) / n - l * l) / (n - 1));
    sum += std::sqrt(variance) / (0.5 * (l + mean));
  }
  return sum / double(counted);
}

// Sampled pixels in parallel; then those without samples take the value of their neighbour.
template <typename F> static Picture gather(const Film& film, const Tasks& tasks, F f) {
  Picture p(film.width(), film.height());
  std::vector<char> whole(size_t(film.height()), 1);
  tasks.forEach(film.height(), [&](int y) {
    float* out = p.at(0, y);
    for (int x = 0; x < film.width(); ++x, out += 3) {
      const size_t i = size_t(y) * size_t(film.width()) + size_t(x);
      if (!film.samples(i)) {
        whole[size_t(y)] = 0;
        continue;
      }
      const Color c = f(i);
      out[0] = c.x;
      out[1] = c.y;
      out[2] = c.z;
    }
  });
  for (int y = 0; y < film.height(); ++y) {
    if (whole[size_t(y)]) continue;
    const float* last = nullptr;
    for (int x = 0; x < film.width(); ++x) {
      float* out = p.at(x, y);
      if (film.samples(size_t(y) * size_t(film.width()) + size_t(x))) {
        last = out;
        continue;
      }
      const float* from = last ? last : y > 0 ? p.at(x, y - 1) : nullptr;
      if (from) std::copy_n(from, 3, out);
    }
  }
  return p;
}

Picture collect(const Film& film, int query, const std::vector<Color>& amounts, float exposure, const Tasks& tasks) {
  return gather(film, tasks, [&](size_t i) {
    Color c(0.0f);
    for (int g = 0; g < film.groups() && g < int(amounts.size()); ++g) {
      const Color& a = amounts[size_t(g)];
      if (!isBlack(a)) c += film.light(i, query, g) * a;
    }
    return c * exposure;
  });
}

Picture collectGroup(const Film& film, int query, int group, const Color& amount, float exposure, const Tasks& tasks) {
  return gather(film, tasks, [&](size_t i) { return film.light(i, query, group) * amount * exposure; });
}

} // namespace ilumbra
