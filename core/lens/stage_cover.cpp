#include "core/lens/stage_cover.h"

#include "core/image/picture_ops.h"
#include "core/lens/area.h"
#include "core/lens/queries.h"

namespace ilumbra {

void addCopies(std::vector<float>& cover, const StageCopies& copies, const std::vector<NodeId>& of) {
  for (const NodeId id : of)
    if (const auto it = copies.find(id); it != copies.end())
      for (size_t i = 0; i < cover.size(); ++i) cover[i] = clamp01(cover[i] + it->second[i]);
}

std::vector<float> actsWhere(const StackState& state, const StageStep& step, const Params& p) {
  const LensContext& c = state.context;
  const size_t n = size_t(c.width) * size_t(c.height);
  std::vector<float> mask = areaMask(c.doc, *step.node, c);
  const auto times = [&](const std::vector<float>& other) {
    if (other.size() != n) return;
    if (mask.empty()) mask.assign(n, 1.0f);
    for (size_t i = 0; i < n; ++i) mask[i] *= other[i];
  };
  if (const LayerQuery q = maskQuery(c.doc, *step.node); q.nothing()) {
    std::vector<float> cover(n, 0.0f);
    addCopies(cover, state.copies, step.actsOn);
    times(cover);
  } else if (!q.whole() && state.light.coverage) {
    std::vector<float> cover = state.light.coverage(q);
    addCopies(cover, state.copies, step.actsOn);
    times(cover);
  }
  if (const auto use = p.pattern("acts_share"); use && c.assets) {
    const Program program = Program::compile(c.doc, use->pattern, c.frame, *c.assets, false);
    std::vector<float> share(n);
    c.tasks.forEach(c.height, [&](int y) {
      const std::vector<Sample4> values = patternRow(program, c, y);
      for (size_t x = 0; x < values.size(); ++x) share[size_t(y) * size_t(c.width) + x] = clamp01(values[x].x);
    });
    times(share);
  } else if (const double share = p.number("acts_share"); share < 1) {
    times(std::vector<float>(n, float(share)));
  }
  if (p.flag("acts_elsewhere")) {
    if (mask.empty()) mask.assign(n, 1.0f);
    for (float& m : mask) m = 1 - m;
  }
  return mask;
}

std::vector<float> shownBy(const StackState& state, const LayerQuery& q, const Picture& source) {
  const LensLight& light = state.light;
  std::vector<float> out;
  if (q.nothing()) return std::vector<float>(source.pixels(), 0.0f);
  if (q.whole() && !light.alpha.empty()) return light.alpha;
  if (light.coverage) out = light.coverage(q);
  if (!out.empty()) return out;
  out.resize(source.pixels());
  state.context.tasks.forEach(source.height, [&](int y) {
    for (int x = 0; x < source.width; ++x) {
      float all = 0;
      for (const StackedLayer& l : state.layers) all += luminance(l.light.color(x, y));
      const float own = luminance(source.color(x, y));
      out[size_t(y) * size_t(source.width) + size_t(x)] = all > 0 ? clamp01(own / all) : own > 0 ? 1.0f : 0.0f;
    }
  });
  return out;
}

void widenCover(float* alpha, const float* spread, const float* taken, size_t pixels, float amount) {
  for (size_t k = 0; k < pixels; ++k) {
    if (alpha[k] >= 1) continue;
    float most = 0;
    for (size_t i = 3 * k; i < 3 * k + 3; ++i)
      most = std::max(most, amount * spread[i] - (taken ? amount * taken[i] : 0));
    alpha[k] += (1 - alpha[k]) * clamp01(most);
  }
}

void widenCover(std::vector<float>& alpha, const LensWork& w, const Picture& layer, float amount,
                const LensContext& c) {
  const float* takes = w.all ? layer.rgb.data() : w.taken.rgb.empty() ? nullptr : w.taken.rgb.data();
  c.tasks.forEach(c.height, [&](int y) {
    const size_t k = size_t(y) * size_t(c.width);
    widenCover(alpha.data() + k, w.spread.at(0, y), takes ? takes + 3 * k : nullptr, size_t(c.width), amount);
  });
}

void carryCover(std::vector<float>& alpha, std::vector<float> own, const LensOperator& op, float amount,
                const std::vector<float>& mask, const LensContext& c) {
  for (size_t i = 0; i < own.size(); ++i) own[i] = std::min(own[i], alpha[i]);
  const Picture cover = greyPicture(own, c.width, c.height);
  const LensWork w = writtenOut(op.apply(cover), cover);
  for (size_t i = 0; i < alpha.size(); ++i)
    alpha[i] =
        clamp01(alpha[i] + amount * (mask.empty() ? 1 : mask[i]) * (w.spread.rgb[3 * i + 1] - w.taken.rgb[3 * i + 1]));
}

void uncoverBackdrop(StackState& state, const std::vector<float>& own, const LensOperator& op, float amount,
                     const std::vector<float>& mask) {
  const LensContext& c = state.context;
  std::vector<StackedLayer>& layers = state.layers;
  const auto backdrop = std::find_if(layers.begin(), layers.end(), [](const StackedLayer& l) { return l.backdrop; });
  if (backdrop == layers.end()) return;
  const Picture cover = greyPicture(own, c.width, c.height);
  const LensWork moved = op.apply(cover);
  if (!moved.all && moved.taken.rgb.empty()) return; // it leaves things where they are
  const LensWork w = writtenOut(moved, cover);
  forEachSpan(c.width, c.height, c.tasks, [&](size_t i, size_t end) {
    for (; i < end; ++i)
      backdrop->light.rgb[i] +=
          amount * (mask.empty() ? 1 : mask[i / 3]) * (w.taken.rgb[i] - w.spread.rgb[i]) * state.light.behind.rgb[i];
  });
}

} // namespace ilumbra
