#include "core/film/film.h"

#include "core/base/error.h"

#include <algorithm>
#include <fmt/format.h>
#include <istream>
#include <limits>
#include <ostream>

namespace ilumbra {

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

void Film::reset(int width, int height, int groups, LayerTable table, LayerTable masks) {
  m_width = width;
  m_height = height;
  m_groups = std::max(groups, 1);
  m_table = std::move(table);
  const size_t n = size_t(width) * size_t(height);
  const size_t room = n * size_t(3 * m_groups * std::max(1, m_table.size()));
  if (room > m_room || room < m_room / 4) {
    m_light.reset();
    m_light = std::make_unique_for_overwrite<float[]>(m_room = room);
  }
  if (n > m_pixelRoom || n < m_pixelRoom / 4) {
    m_pixels = std::make_unique_for_overwrite<Pixel[]>(m_pixelRoom = n);
    m_touched = std::make_unique_for_overwrite<uint32_t[]>(n);
  }
  m_masks = std::move(masks);
  m_covered = m_masks.queries() > 0 ? std::make_unique_for_overwrite<float[]>(n * size_t(m_masks.queries())) : nullptr;
  m_count.assign(n, 0);
  m_certain.resize(n);
  m_margin = 0;
}

void Film::surroundBy(int margin) {
  m_margin = std::max(0, margin);
  if (m_margin == 0) return;
  if (!m_surround) m_surround = std::make_unique<Film>();
  const auto across = [&](int n) { return (n + coarse - 1) / coarse + 2 * m_margin; };
  m_surround->reset(across(m_width), across(m_height), m_groups, m_table, m_masks);
}

size_t Film::bytes() const {
  return (m_surround ? m_surround->bytes() : 0) + m_room * 4 + m_pixelRoom * sizeof(Pixel) +
         m_count.size() * (8 + sizeof(m_certain[0]) + 4 * size_t(m_masks.queries())) +
         size_t(std::count_if(m_certain.begin(), m_certain.end(), [](const auto& c) { return c != nullptr; })) *
             sizeof(*m_certain[0]);
}

const Film::Ranked& Film::none() {
  static const Ranked nothing;
  return nothing;
}

void Film::addCertain(size_t pixel, const Label& label, const Color& light, const Color& shown) {
  const uint32_t matched = m_table.match(label);
  if (!matched) return;
  if (!m_certain[pixel]) m_certain[pixel] = std::make_unique<CertainLights>();
  for (CertainLight& c : m_certain[pixel]->lights)
    if (!c.layers || (c.layers == matched && c.group == label.group)) {
      c.layers = matched;
      c.group = label.group;
      c.light += light;
      m_certain[pixel]->shown += shown;
      return;
    }
  add(pixel, label, light);
}

void Film::addCertain(size_t pixel, const CertainLight& light, const Color& shown) {
  if (!m_certain[pixel]) m_certain[pixel] = std::make_unique<CertainLights>();
  for (CertainLight& c : m_certain[pixel]->lights)
    if (!c.layers || (c.layers == light.layers && c.group == light.group)) {
      c.layers = light.layers;
      c.group = light.group;
      c.light += light.light;
      m_certain[pixel]->shown += shown;
      return;
    }
  // No room: it counts as all else.
  for (uint32_t fresh = light.layers & ~m_touched[pixel]; fresh; fresh &= fresh - 1)
    std::fill_n(lightOf(pixel, std::countr_zero(fresh)), 3 * m_groups, 0.0f);
  m_touched[pixel] |= light.layers;
  for (uint32_t bits = light.layers; bits; bits &= bits - 1) {
    float* p = lightOf(pixel, std::countr_zero(bits)) + 3 * light.group;
    for (int c = 0; c < 3; ++c) p[c] += light.light[c];
  }
}

void Film::append(const Film& later, const std::vector<Color>& groupScales) {
  for (size_t i = 0; i < m_count.size(); ++i) {
    const uint32_t more = later.m_count[i];
    if (!more) continue;
    begin(i);
    Pixel& to = m_pixels[i];
    const Pixel& from = later.m_pixels[i];
    to.hits += from.hits;
    to.alpha += from.alpha;
    to.depth += from.depth;
    to.total += from.total;
    to.squares += from.squares;
    // Which of its samples are the even ones here.
    to.even += m_count[i] % 2 == 0 ? from.even : from.total - from.even;
    to.normal += from.normal;
    to.seenNormal += from.seenNormal;
    to.albedo += from.albedo;
    to.seenAlbedo += from.seenAlbedo;
    for (const auto& [mine, other] : {std::pair{&to.identity, &from.identity}, {&to.seen, &from.seen}}) {
      for (size_t k = 0; k < size_t(ranks); ++k) mine->add(other->thing[k], other->weight[k]);
      mine->dropped += other->dropped;
    }
    const uint32_t touched = later.m_touched[i];
    for (uint32_t fresh = touched & ~m_touched[i]; fresh; fresh &= fresh - 1)
      std::fill_n(lightOf(i, std::countr_zero(fresh)), 3 * m_groups, 0.0f);
    m_touched[i] |= touched;
    for (uint32_t bits = touched; bits; bits &= bits - 1) {
      const int layer = std::countr_zero(bits);
      float* p = lightOf(i, layer);
      const float* q = later.lightOf(i, layer);
      for (int k = 0; k < 3 * m_groups; ++k) p[k] += q[k];
    }
    if (later.m_certain[i])
      for (const CertainLight& c : later.m_certain[i]->lights)
        if (c.layers) addCertain(i, c, c.light * groupScales[c.group]);
    if (m_covered)
      for (size_t k = 0, n = size_t(m_masks.queries()); k < n; ++k) m_covered[i * n + k] += later.m_covered[i * n + k];
    m_count[i] += more;
  }
  if (m_margin > 0 && later.m_margin == m_margin) m_surround->append(*later.m_surround, groupScales);
}

namespace {

template <typename T> void put(std::ostream& out, const T* values, size_t n) {
  out.write(reinterpret_cast<const char*>(values), std::streamsize(n * sizeof(T)));
}
template <typename T> void get(std::istream& in, T* values, size_t n) {
  if (!in.read(reinterpret_cast<char*>(values), std::streamsize(n * sizeof(T)))) throw badInput("the film is cut");
}

} // namespace

void Film::write(std::ostream& out) const {
  const int32_t head[] = {m_width, m_height, m_groups, m_table.size(), m_masks.queries(), m_margin,
                          int32_t(sizeof(Pixel))};
  put(out, head, std::size(head));
  put(out, m_count.data(), m_count.size());
  for (size_t i = 0; i < m_count.size(); ++i) {
    if (!m_count[i]) continue;
    put(out, &m_pixels[i], 1);
    put(out, &m_touched[i], 1);
    for (uint32_t bits = m_touched[i]; bits; bits &= bits - 1)
      put(out, lightOf(i, std::countr_zero(bits)), size_t(3 * m_groups));
    const uint8_t certain = m_certain[i] != nullptr;
    put(out, &certain, 1);
    if (certain) put(out, m_certain[i].get(), 1);
    if (m_covered) put(out, m_covered.get() + i * size_t(m_masks.queries()), size_t(m_masks.queries()));
  }
  if (m_margin > 0) m_surround->write(out);
}

void Film::read(std::istream& in) {
  int32_t head[7];
  get(in, head, std::size(head));
  if (head[0] != m_width || head[1] != m_height || head[2] != m_groups || head[3] != m_table.size() ||
      head[4] != m_masks.queries() || head[5] != m_margin || head[6] != int32_t(sizeof(Pixel)))
    throw badInput("the film is of another picture, or was written by another version");
  get(in, m_count.data(), m_count.size());
  const uint32_t layers = m_table.size() >= 32 ? ~0u : (1u << m_table.size()) - 1;
  for (size_t i = 0; i < m_count.size(); ++i) {
    m_certain[i].reset();
    if (!m_count[i]) continue;
    get(in, &m_pixels[i], 1);
    get(in, &m_touched[i], 1);
    if (m_touched[i] & ~layers) throw badInput("the film is broken");
    for (uint32_t bits = m_touched[i]; bits; bits &= bits - 1)
      get(in, lightOf(i, std::countr_zero(bits)), size_t(3 * m_groups));
    uint8_t certain = 0;
    get(in, &certain, 1);
    if (certain) {
      m_certain[i] = std::make_unique<CertainLights>();
      get(in, m_certain[i].get(), 1);
      for (const CertainLight& c : m_certain[i]->lights)
        if (c.group >= m_groups || (c.layers & ~layers)) throw badInput("the film is broken");
    }
    if (m_covered) get(in, m_covered.get() + i * size_t(m_masks.queries()), size_t(m_masks.queries()));
  }
  if (m_margin > 0) m_surround->read(in);
}

void Film::finish(size_t pixel, const FirstHit& first, const Color& total) {
  Pixel& p = m_pixels[pixel];
  p.total += total;
  p.squares += total * total;
  if (m_count[pixel]++ % 2 == 0) p.even += total;
  p.alpha += first.alpha;
  if (!first.hit) return;
  ++p.hits;
  p.depth += first.depth;
  p.normal += first.normal;
  p.albedo += first.albedo;
  p.seenNormal += first.seenNormal;
  p.seenAlbedo += first.seenAlbedo;
  p.identity.add(first.thing, first.alpha);
  if (m_covered)
    for (uint32_t asked = m_masks.match(first.lookedAt), k = 0; k < uint32_t(m_masks.queries()); ++k)
      if (asked & m_masks.layers(int(k))) m_covered[pixel * size_t(m_masks.queries()) + k] += first.alpha;
}

float Film::coverage(size_t pixel, int mask) const {
  return m_count[pixel] ? m_covered[pixel * size_t(m_masks.queries()) + size_t(mask)] / float(m_count[pixel]) : 0;
}

Color Film::groupLight(size_t pixel, uint32_t layers, int group, FilmLight which) const {
  const uint32_t n = m_count[pixel];
  if (!n) return Color(0.0f);
  Color sum(0.0f);
  if (m_certain[pixel] && which != FilmLight::Uncertain)
    for (const CertainLight& c : m_certain[pixel]->lights)
      if (c.group == group) sum += c.light * float(std::popcount(c.layers & layers));
  for (layers &= which == FilmLight::Certain ? 0 : m_touched[pixel]; layers; layers &= layers - 1) {
    const float* p = lightOf(pixel, std::countr_zero(layers)) + 3 * group;
    sum += Color(p[0], p[1], p[2]);
  }
  return sum * (1.0f / float(n));
}

float Film::alpha(size_t pixel) const { return m_count[pixel] ? m_pixels[pixel].alpha / float(m_count[pixel]) : 0; }
float Film::depth(size_t pixel) const {
  return m_count[pixel] && m_pixels[pixel].hits ? m_pixels[pixel].depth / float(m_pixels[pixel].hits) : 0;
}
V3f Film::normal(size_t pixel) const {
  return m_count[pixel] && m_pixels[pixel].hits ? m_pixels[pixel].normal * (1.0f / float(m_pixels[pixel].hits))
                                                : V3f(0.0f);
}
Color Film::albedo(size_t pixel) const {
  return m_count[pixel] && m_pixels[pixel].hits ? m_pixels[pixel].albedo * (1.0f / float(m_pixels[pixel].hits))
                                                : Color(0.0f);
}

V3f Film::seenNormal(size_t pixel) const {
  return m_count[pixel] && m_pixels[pixel].hits ? m_pixels[pixel].seenNormal * (1.0f / float(m_pixels[pixel].hits))
                                                : V3f(0.0f);
}
Color Film::seenAlbedo(size_t pixel) const {
  return m_count[pixel] && m_pixels[pixel].hits ? m_pixels[pixel].seenAlbedo * (1.0f / float(m_pixels[pixel].hits))
                                                : Color(0.0f);
}

Color Film::total(size_t pixel) const {
  return m_count[pixel] ? m_pixels[pixel].total * (1.0f / float(m_count[pixel])) : Color(0.0f);
}

Color Film::uncertain(size_t pixel) const {
  const Color all = total(pixel);
  if (!m_count[pixel] || !m_certain[pixel]) return all;
  const Color certain = m_certain[pixel]->shown * (1.0f / float(m_count[pixel]));
  Color rest = all - certain;
  for (int c = 0; c < 3; ++c)
    if (std::abs(rest[c]) < 1e-5f * certain[c]) rest[c] = 0; // rounding
  return rest;
}

Color Film::variance(size_t pixel) const {
  const uint32_t n = m_count[pixel];
  if (n < 2) return Color(std::numeric_limits<float>::infinity());
  const Color mean = m_pixels[pixel].total * (1.0f / float(n));
  return vmax(m_pixels[pixel].squares * (1.0f / float(n)) - mean * mean, Color(0.0f)) * (1.0f / float(n - 1));
}

Color Film::halfDifference(size_t pixel) const {
  const uint32_t n = m_count[pixel];
  if (n < 2) return Color(0.0f);
  const Pixel& p = m_pixels[pixel];
  return (p.even * (1.0f / float((n + 1) / 2)) - (p.total - p.even) * (1.0f / float(n / 2))) * 0.5f;
}

float Film::relativeError(size_t pixel, float pictureLuminance) const {
  // Of a normal error the mean size is √(2/π) of its spread.
  const float error = 1.2533f * std::abs(luminance(halfDifference(pixel)));
  const float scale = 0.5f * (std::max(0.0f, luminance(total(pixel))) + pictureLuminance);
  return scale > 0 ? error / scale : 0;
}

float Film::meanLuminance() const {
  double sum = 0;
  size_t counted = 0;
  for (size_t i = 0; i < m_count.size(); ++i)
    if (m_count[i]) {
      sum += double(luminance(total(i)));
      ++counted;
    }
  return counted ? float(std::max(0.0, sum / double(counted))) : 0;
}

double Film::noise() const {
  const float mean = meanLuminance();
  double sum = 0;
  size_t counted = 0;
  for (size_t i = 0; i < m_count.size(); ++i)
    if (m_count[i] > 1) {
      sum += double(relativeError(i, mean));
      ++counted;
    }
  return counted ? sum / double(counted) : 1;
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

// As many as there are groups, one after the other.
static std::vector<float> flat(const Film& film, const std::vector<Color>& groupScales, float exposure) {
  std::vector<float> a(size_t(3 * film.groups()), 0.0f);
  for (size_t g = 0; g < groupScales.size() && g < size_t(film.groups()); ++g)
    for (int k = 0; k < 3; ++k) a[3 * g + size_t(k)] = groupScales[g][k] * exposure;
  return a;
}

Picture collect(const Film& film, int query, const std::vector<Color>& groupScales, float exposure, const Tasks& tasks,
                FilmLight which) {
  return collectLayers(film, film.table().layers(query), groupScales, exposure, tasks, which);
}

Picture collectLayers(const Film& film, uint32_t layers, const std::vector<Color>& groupScales, float exposure,
                      const Tasks& tasks, FilmLight which) {
  const std::vector<float> a = flat(film, groupScales, exposure);
  return gather(film, tasks, [&](size_t i) { return film.mixed(i, layers, a.data(), which); });
}

Picture surrounded(const Film& film, const Picture& frame, Picture beside, const Tasks& tasks) {
  constexpr int c = Film::coarse;
  const int m = film.margin(), w = frame.width, h = frame.height;
  // What lies in the frame, as coarse as what lies beside it.
  tasks.forEach(h / c, [&](int by) {
    for (int bx = 0; bx < w / c; ++bx) {
      float* out = beside.at(m + bx, m + by);
      for (int k = 0; k < 3; ++k) {
        float sum = 0;
        for (int y = 0; y < c; ++y)
          for (int x = 0; x < c; ++x) sum += frame.at(c * bx + x, c * by + y)[k];
        out[k] = sum / float(c * c);
      }
    }
  });
  Picture out(w + 2 * c * m, h + 2 * c * m);
  // Bilinear, clamped at the rims.
  const auto place = [](int x, int n, int& i) {
    const float at = std::clamp((float(x) + 0.5f) / float(c) - 0.5f, 0.0f, float(n - 1));
    i = std::min(int(at), std::max(0, n - 2));
    return at - float(i);
  };
  tasks.forEach(out.height, [&](int y) {
    const bool inside = y >= c * m && y < c * m + h;
    int j = 0;
    const float v = place(y, beside.height, j);
    const float *top = beside.at(0, j), *below = beside.at(0, std::min(j + 1, beside.height - 1));
    float* to = out.at(0, y);
    for (int x = 0; x < out.width; ++x) {
      if (inside && x == c * m) {
        std::copy_n(frame.at(0, y - c * m), 3 * w, to + 3 * x);
        x += w - 1;
        continue;
      }
      int i = 0;
      const float u = place(x, beside.width, i);
      const int left = 3 * i, right = 3 * std::min(i + 1, beside.width - 1);
      for (int k = 0; k < 3; ++k)
        to[3 * x + k] = mix(mix(top[left + k], top[right + k], u), mix(below[left + k], below[right + k], u), v);
    }
  });
  return out;
}

std::vector<Color> groupMeans(const Film& film, int query, const Tasks& tasks) {
  const auto groups = size_t(film.groups());
  std::vector<Color> rows(size_t(film.height()) * groups, Color(0.0f)), out(groups, Color(0.0f));
  std::vector<size_t> counts(size_t(film.height()), 0);
  tasks.forEach(film.height(), [&](int y) {
    for (int x = 0; x < film.width(); ++x) {
      const size_t i = size_t(y) * size_t(film.width()) + size_t(x);
      if (!film.samples(i)) continue;
      ++counts[size_t(y)];
      for (size_t g = 0; g < groups; ++g) rows[size_t(y) * groups + g] += film.light(i, query, int(g));
    }
  });
  size_t counted = 0;
  for (size_t y = 0; y < size_t(film.height()); ++y) {
    counted += counts[y];
    for (size_t g = 0; g < groups; ++g) out[g] += rows[y * groups + g];
  }
  for (Color& c : out) c *= 1 / float(std::max<size_t>(1, counted));
  return out;
}

Color meanLight(const Film& film, int query, const std::vector<Color>& groupScales, const Tasks& tasks) {
  const std::vector<float> a = flat(film, groupScales, 1);
  const uint32_t layers = film.table().layers(query);
  std::vector<std::pair<Color, size_t>> rows(size_t(film.height()), {Color(0.0f), 0});
  tasks.forEach(film.height(), [&](int y) {
    auto& [sum, counted] = rows[size_t(y)];
    for (size_t i = size_t(y) * size_t(film.width()), end = i + size_t(film.width()); i < end; ++i)
      if (film.samples(i)) {
        sum += film.mixed(i, layers, a.data());
        ++counted;
      }
  });
  Color sum(0.0f);
  size_t counted = 0;
  for (const auto& [s, n] : rows) {
    sum += s;
    counted += n;
  }
  return sum * (1 / float(std::max<size_t>(1, counted)));
}

Picture collectGroup(const Film& film, int query, int group, const Color& amount, float exposure, const Tasks& tasks,
                     FilmLight which) {
  return collectLayersOfGroup(film, film.table().layers(query), group, amount, exposure, tasks, which);
}

Picture collectLayersOfGroup(const Film& film, uint32_t layers, int group, const Color& amount, float exposure,
                             const Tasks& tasks, FilmLight which) {
  return gather(film, tasks, [&](size_t i) { return film.groupLight(i, layers, group, which) * amount * exposure; });
}

} // namespace ilumbra
