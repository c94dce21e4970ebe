#include "core/film/denoise.h"

#include "core/film/denoise_bound.h"
#include "core/film/denoiser_inputs.h"
#include "core/image/picture_ops.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {

ChannelRows Denoiser::widened(int channels, int width, int height, const std::function<void(int, int, float*)>& write,
                              const Tasks& tasks) const {
  ChannelRows made(channels, width, height);
  tasks.forEach(made.height(), [&](int y) {
    for (int c = 0; c < channels; ++c) {
      float* row = made.row(c, y);
      write(c, std::min(y, m_height - 1), row);
      std::fill(row + m_width, row + made.width(), row[m_width - 1]);
    }
  });
  return made;
}

Denoiser::Denoiser(const Film& film, const Tasks& all, const CancelFlag* cancel)
    : m_width(film.width()), m_height(film.height()) {
  const Tasks tasks = all.stoppedBy(cancel);
  tasks.stopIfAsked();
  const std::vector<float> alone = outlierTrust(film, tasks);
  {
    const DenoiserInputs inputs(film, tasks);
    const std::vector<ChannelRows> said = denoiser_network::run(
        inputs.width(), inputs.height(), [&](int y, ChannelRows& to) { inputs.row(y, to); }, tasks);
    const ChannelRows doubt = widened(
        1, inputs.width(), inputs.height(),
        [&](int, int y, float* row) { std::copy_n(alone.begin() + std::ptrdiff_t(y) * m_width, m_width, row); }, tasks);
    m_kernels = KernelPyramid(said, tasks, &doubt);
    m_divisor = widened(
        3, inputs.width(), inputs.height(),
        [&](int c, int y, float* row) {
          const float* to = said[0].row(denoiser_network::features + 3, y);
          for (int x = 0; x < m_width; ++x) {
            const float divided = 1 / (1 + std::exp(-to[x]));
            const float albedo = film.seenAlbedo(size_t(y) * size_t(m_width) + size_t(x))[c];
            row[x] = 1 - divided + divided * (std::max(0.0f, albedo) + leastAlbedo);
          }
        },
        tasks);
  }
  // Of one sample nothing is known of its error: there is no bound.
  m_moved.assign(size_t(m_width) * size_t(m_height), 1.0f);
  if (film.mostSamples() <= 1) return;
  // Moved by the means alone, it is known how far that is.
  Picture sampled(m_width, m_height);
  tasks.forEach(m_height, [&](int y) {
    for (int x = 0; x < m_width; ++x) {
      const Color uncertain = film.uncertain(size_t(y) * size_t(m_width) + size_t(x));
      for (int c = 0; c < 3; ++c) sampled.at(x, y)[c] = uncertain[c];
    }
  });
  const Picture moved = apply(sampled, tasks);
  m_moved = mostMoved(film, sampled, moved, mostErrors, tasks);
  const std::vector<float> shrunk = shrinkage(film, sampled, moved, alone, tasks);
  for (size_t p = 0; p < m_moved.size(); ++p) m_moved[p] = std::min(m_moved[p], shrunk[p]);
}

std::vector<Picture> Denoiser::apply(const std::vector<const Picture*>& layers, const Tasks& all,
                                     const CancelFlag* cancel) const {
  const Tasks tasks = all.stoppedBy(cancel);
  std::vector<Picture> made;
  for (const Picture* layer : layers) {
    const ChannelRows divided = widened(
        3, m_kernels.width(), m_kernels.height(),
        [&](int c, int y, float* row) {
          const float *from = layer->at(0, y) + c, *by = m_divisor.row(c, y);
          for (int x = 0; x < m_width; ++x) row[x] = from[3 * x] / by[x];
        },
        tasks);
    const ChannelRows clean = m_kernels.apply(divided, tasks);
    Picture& to = made.emplace_back(m_width, m_height);
    tasks.forEach(m_height, [&](int y) {
      const float* moved = m_moved.data() + size_t(y) * size_t(m_width);
      for (int c = 0; c < 3; ++c) {
        const float *from = layer->at(0, y) + c, *mean = clean.row(c, y), *by = m_divisor.row(c, y);
        float* row = to.at(0, y) + c;
        for (int x = 0; x < m_width; ++x) row[3 * x] = from[3 * x] + (mean[x] * by[x] - from[3 * x]) * moved[x];
      }
    });
  }
  return made;
}

std::vector<std::vector<float>> Denoiser::apply(const std::vector<const std::vector<float>*>& values, const Tasks& all,
                                                const CancelFlag* cancel) const {
  const Tasks tasks = all.stoppedBy(cancel);
  const auto w = size_t(m_width);
  const ChannelRows raw = widened(
      int(values.size()), m_kernels.width(), m_kernels.height(),
      [&](int c, int y, float* row) {
        std::copy_n(values[size_t(c)]->begin() + std::ptrdiff_t(size_t(y) * w), m_width, row);
      },
      tasks);
  const ChannelRows clean = m_kernels.apply(raw, tasks);
  std::vector<std::vector<float>> made(values.size(), std::vector<float>(w * size_t(m_height)));
  for (size_t v = 0; v < values.size(); ++v)
    for (int y = 0; y < m_height; ++y)
      std::copy_n(clean.row(int(v), y), m_width, made[v].begin() + std::ptrdiff_t(size_t(y) * w));
  return made;
}

std::vector<Picture> denoised(const Denoiser& denoiser, size_t count,
                              const std::function<Picture(size_t, FilmLight)>& collected, const Tasks& tasks,
                              const CancelFlag* cancel) {
  std::vector<Picture> made;
  for (size_t i = 0; i < count; ++i) {
    made.push_back(collected(i, FilmLight::Uncertain));
    if (!isBlack(made.back(), tasks))
      made.back() = std::move(denoiser.apply(std::vector<const Picture*>{&made.back()}, tasks, cancel).front());
    const Picture certain = collected(i, FilmLight::Certain);
    const auto row = size_t(certain.width) * 3;
    tasks.forEach(certain.height, [&](int y) {
      for (size_t k = size_t(y) * row; k < size_t(y + 1) * row; ++k) made.back().rgb[k] += certain.rgb[k];
    });
  }
  return made;
}

static float weightOf(const Film::Ranked& r) {
  float sum = r.dropped;
  for (const float w : r.weight) sum += w;
  return sum;
}

CleanCoverage cleanCoverage(const Film& film, const Denoiser& denoiser, const Tasks& tasks, const CancelFlag* cancel) {
  const size_t n = size_t(film.width()) * size_t(film.height());
  const int masks = film.masks().queries();
  std::vector<std::vector<float>> raw(size_t(masks) + 2, std::vector<float>(n));
  for (size_t i = 0; i < n; ++i) {
    raw[0][i] = film.alpha(i);
    raw[1][i] = weightOf(film.identity(i)) / float(std::max(1u, film.samples(i)));
  }
  for (int m = 0; m < masks; ++m)
    for (size_t i = 0; i < n; ++i) raw[size_t(m) + 2][i] = film.coverage(i, m);
  // What is the same everywhere stays so: most pictures are covered all over.
  std::vector<const std::vector<float>*> open;
  for (const auto& v : raw)
    if (std::any_of(v.begin(), v.end(), [&](float a) { return a != v.front(); })) open.push_back(&v);
  if (!open.empty()) {
    std::vector<std::vector<float>> made = denoiser.apply(open, tasks, cancel);
    size_t k = 0;
    for (auto& v : raw)
      if (k < open.size() && open[k] == &v) v = std::move(made[k++]);
  }
  CleanCoverage out{std::move(raw[0]), std::move(raw[1]), {}};
  out.masks.assign(std::make_move_iterator(raw.begin() + 2), std::make_move_iterator(raw.end()));
  return out;
}

Film::Ranked coveredBy(const Film& film, const std::vector<float>& things, size_t pixel) {
  const int w = film.width(), h = film.height(), px = int(pixel % size_t(w)), py = int(pixel / size_t(w));
  Film::Ranked r = film.identity(pixel);
  for (int reach = 1; weightOf(r) <= 0 && things[pixel] > 0 && reach <= 12; ++reach)
    for (int y = std::max(0, py - reach); y <= std::min(h - 1, py + reach); ++y)
      for (int x = std::max(0, px - reach); x <= std::min(w - 1, px + reach); ++x) {
        if (std::max(std::abs(x - px), std::abs(y - py)) != reach) continue;
        const Film::Ranked& near = film.identity(size_t(y) * size_t(w) + size_t(x));
        for (size_t k = 0; k < near.weight.size(); ++k)
          if (near.weight[k] > 0) r.add(near.thing[k], near.weight[k]);
      }
  const float total = weightOf(r);
  if (total <= 0) return {};
  for (float& v : r.weight) v *= things[pixel] / total;
  r.dropped *= things[pixel] / total;
  return r;
}

} // namespace ilumbra
