#include "core/image/picture_ops.h"

#include <atomic>
#include <bit>

namespace ilumbra {

void addTo(Picture& out, const Picture& in, const Tasks& tasks) {
  forEachSpan(in.width, in.height, tasks, [&](size_t i, size_t end) {
    for (; i < end; ++i) out.rgb[i] += in.rgb[i];
  });
}

void addTo(Picture& out, const Picture& in, int x, int y, const Tasks& tasks) {
  tasks.forEach(in.height, [&](int row) {
    const float* i = in.at(0, row);
    float* o = out.at(x, y + row);
    for (int k = 0; k < 3 * in.width; ++k) o[k] += i[k];
  });
}

Region overlap(const Region& a, const Region& b) {
  const int x = std::max(a.x, b.x), y = std::max(a.y, b.y);
  return {x, y, std::min(a.x + a.width, b.x + b.width) - x, std::min(a.y + a.height, b.y + b.height) - y};
}

Region united(const Region& a, const Region& b) {
  const int x = std::min(a.x, b.x), y = std::min(a.y, b.y);
  return {x, y, std::max(a.x + a.width, b.x + b.width) - x, std::max(a.y + a.height, b.y + b.height) - y};
}

std::optional<Region> litRegion(const Picture& in, const Tasks& tasks) {
  std::vector<std::pair<int, int>> rows(size_t(in.height), {in.width, 0}); // pixels from, to
  tasks.forEach(in.height, [&](int y) {
    const float *row = in.at(0, y), *end = row + 3 * in.width;
    const auto lit = [](float v) { return v != 0; };
    const float* first = std::find_if(row, end, lit);
    if (first == end) return;
    const auto last = std::find_if(std::make_reverse_iterator(end), std::make_reverse_iterator(first), lit);
    rows[size_t(y)] = {int(first - row) / 3, int(last.base() - 1 - row) / 3 + 1};
  });
  int x0 = in.width, x1 = 0, y0 = in.height, y1 = 0;
  for (int y = 0; y < in.height; ++y)
    if (const auto [from, to] = rows[size_t(y)]; from < to) {
      x0 = std::min(x0, from);
      x1 = std::max(x1, to);
      y0 = std::min(y0, y);
      y1 = y + 1;
    }
  if (x0 >= x1) return {};
  return Region{x0, y0, x1 - x0, y1 - y0};
}

size_t mendNonFinite(Picture& p, const Tasks& tasks) {
  std::vector<std::vector<int>> broken(static_cast<size_t>(p.height));
  tasks.forEach(p.height, [&](int y) {
    const float* row = p.at(0, y);
    uint32_t most = 0; // the bits of what is no number, or infinite, are more than those of any other
    for (int i = 0, n = 3 * p.width; i < n; ++i) most = std::max(most, std::bit_cast<uint32_t>(row[i]) & 0x7fffffffu);
    if (most < 0x7f800000u) return;
    for (int x = 0; x < p.width; ++x)
      if (!std::isfinite(row[3 * x]) || !std::isfinite(row[3 * x + 1]) || !std::isfinite(row[3 * x + 2]))
        broken[size_t(y)].push_back(x);
  });
  size_t count = 0;
  std::vector<std::pair<float*, Color>> mended;
  for (int y = 0; y < p.height; ++y)
    for (const int x : broken[size_t(y)]) {
      Color sum(0.0f);
      int n = 0;
      for (int j = std::max(0, y - 1); j <= std::min(p.height - 1, y + 1); ++j)
        for (int i = std::max(0, x - 1); i <= std::min(p.width - 1, x + 1); ++i)
          if (const Color c = p.color(i, j); finite(c)) {
            sum += c;
            ++n;
          }
      mended.emplace_back(p.at(x, y), n ? sum * (1 / float(n)) : Color(0.0f));
      ++count;
    }
  for (const auto& [to, c] : mended)
    for (int k = 0; k < 3; ++k) to[k] = c[k];
  return count;
}

bool isBlack(const Picture& in, const Tasks& tasks) {
  std::atomic<bool> lit = false;
  forEachSpan(in.width, in.height, tasks, [&](size_t i, size_t end) {
    if (!lit &&
        std::any_of(in.rgb.begin() + ptrdiff_t(i), in.rgb.begin() + ptrdiff_t(end), [](float v) { return v != 0; }))
      lit = true;
  });
  return !lit;
}

double luminanceSum(const Picture& in, const Region& region, const Tasks& tasks) {
  const Region r = in.whole(region);
  std::vector<double> rows(size_t(r.height), 0.0);
  tasks.forEach(r.height, [&](int y) {
    const float* v = in.at(r.x, y + r.y);
    for (int x = 0; x < r.width; ++x, v += 3) rows[size_t(y)] += double(luminance({v[0], v[1], v[2]}));
  });
  double sum = 0;
  for (const double row : rows) sum += row;
  return sum;
}

double luminanceSum(const Picture& in, const Region& part, const Region& region, const Tasks& tasks) {
  const Region r = overlap(part, region);
  return r.width > 0 && r.height > 0 ? luminanceSum(in, {r.x - part.x, r.y - part.y, r.width, r.height}, tasks) : 0;
}

Picture cropped(const Picture& in, const Region& region, const Tasks& tasks) {
  if (in.rgb.empty()) return {};
  const Region r = in.whole(region);
  Picture out(r.width, r.height);
  tasks.forEach(out.height, [&](int y) { std::copy_n(in.at(r.x, y + r.y), 3 * out.width, out.at(0, y)); });
  return out;
}

std::vector<float> cropped(const std::vector<float>& plane, const Region& region, int width) {
  std::vector<float> out;
  if (plane.empty()) return out;
  for (int y = 0; y < region.height; ++y) {
    const auto row = plane.begin() + ptrdiff_t(size_t(y + region.y) * size_t(width)) + region.x;
    out.insert(out.end(), row, row + region.width);
  }
  return out;
}

Picture padded(Picture in, int margin) {
  if (margin == 0) return in;
  Picture out(in.width + 2 * margin, in.height + 2 * margin);
  for (int y = 0; y < in.height; ++y) std::copy_n(in.at(0, y), 3 * in.width, out.at(margin, y + margin));
  return out;
}

std::vector<float> padded(const std::vector<float>& plane, int width, int height, int margin) {
  if (margin == 0) return plane;
  const int wide = width + 2 * margin;
  std::vector<float> out(size_t(wide) * size_t(height + 2 * margin), 0.0f);
  for (int y = 0; y < height; ++y)
    std::copy_n(plane.begin() + ptrdiff_t(size_t(y) * size_t(width)), width,
                out.begin() + ptrdiff_t(size_t(y + margin) * size_t(wide)) + margin);
  return out;
}

Picture greyPicture(const std::vector<float>& plane, int width, int height) {
  Picture out(width, height);
  for (size_t i = 0; i < plane.size(); ++i)
    out.rgb[3 * i] = out.rgb[3 * i + 1] = out.rgb[3 * i + 2] = clamp01(plane[i]);
  return out;
}

} // namespace ilumbra
