#include "core/session/kept_frame.h"

#include "core/compile/balance.h"
#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/image/picture_ops.h"
#include "core/lens/queries.h"
#include "core/scene/plates.h"

#include <numeric>

namespace ilumbra {

static std::optional<bool> wantsLive(const LightGroup& group, const Document& doc) {
  return liveInPlay(doc, {group.node, group.object, group.copy});
}

KeptFrame::KeptFrame(const Rendering& rendering, const Document& doc, const std::vector<Color>& groupScales,
                     const Denoiser* denoiser, LensSight sight, const Tasks& tasks)
    : m_scales(groupScales), m_sight(std::move(sight)), m_step(rendering.step()), m_samples(rendering.samples()),
      m_noise(rendering.film().noise()) {
  const Scene& scene = rendering.scene();
  const Film& film = rendering.film();
  auto shell = std::make_shared<Scene>();
  shell->width = scene.width;
  shell->height = scene.height;
  shell->overscan = scene.overscan;
  shell->groups = scene.groups;
  shell->sharedGroups = scene.sharedGroups;
  shell->restScales = scene.restScales;
  shell->queries = scene.queries;
  shell->maskQueries = scene.maskQueries;
  shell->copiesOf = scene.copiesOf;
  m_scene = std::move(shell);

  // The lights that the artist chose are live, or else those that give most.
  std::vector<Color> means = groupMeans(film, 0, tasks);
  means.resize(scene.groups.size(), Color(0.0f));
  std::vector<size_t> order(means.size());
  std::iota(order.begin(), order.end(), size_t(0));
  const size_t own = scene.sharedGroups ? order.size() - 1 : order.size(); // those that share a group are folded
  order.resize(own);
  std::stable_sort(order.begin(), order.end(), [&](size_t a, size_t b) {
    return luminance(means[a] * groupScales[a]) > luminance(means[b] * groupScales[b]);
  });
  for (const size_t g : order)
    if (wantsLive(scene.groups[g], doc) == true) m_live.push_back(g);
  if (m_live.empty())
    for (const size_t g : order)
      if (m_live.size() < mostLive && luminance(means[g]) > 0 && wantsLive(scene.groups[g], doc) != false)
        m_live.push_back(g);

  const auto lightAt = [&](const std::vector<Color>& scales, bool plates) {
    SceneLight light = sceneLight(scene, film, scales, tasks, denoiser);
    if (!plates) {
      light.add = Picture();
      light.parts.clear();
    }
    return filmLight(scene, film, light, 1, tasks);
  };
  std::vector<Color> scales = groupScales;
  for (const size_t g : m_live) scales[g] = Color(0.0f);
  const auto cells = size_t(scene.table.cells());
  LensLight rest = lightAt(scales, true);
  m_width = film.width();
  m_height = film.height();
  m_margin = (rest.layers.front().light.width - m_width) / 2;
  // What lies beside the frame comes into it spread out.
  const int coarse = m_margin;
  for (size_t i = 0; i < rest.layers.size(); ++i) {
    LensLight::Layer& l = rest.layers[i];
    m_layers.push_back({std::move(l.of), PackedPixels(l.light, tasks, coarse), {}, l.backdrop, i >= cells});
  }
  const int wide = m_width + 2 * m_margin, high = m_height + 2 * m_margin;
  m_alpha = PackedPixels(rest.alpha, wide, high, 1, tasks, coarse);
  if (!rest.behind.rgb.empty()) m_behind = PackedPixels(rest.behind, tasks, coarse);
  if (rest.coverage)
    for (const LayerQuery& q : scene.maskQueries)
      if (const std::vector<float> c = rest.coverage(q); !c.empty())
        m_covered.emplace_back(q, PackedPixels(c, wide, high, 1, tasks, coarse));
  rest = {};
  for (const size_t g : m_live) {
    std::fill(scales.begin(), scales.end(), Color(0.0f));
    scales[g] = Color(1.0f);
    const LensLight light = lightAt(scales, false);
    for (size_t i = 0; i < cells; ++i) m_layers[i].live.emplace_back(light.layers[i].light, tasks, coarse);
  }
}

std::vector<Color> KeptFrame::scalesFor(const Document& doc, double frame) const {
  std::vector<Color> scales = balancedScales(*m_scene, doc, frame);
  if (scales.size() != m_scales.size()) return {};
  for (size_t g = 0; g < scales.size(); ++g) {
    if (std::find(m_live.begin(), m_live.end(), g) != m_live.end()) continue;
    for (int c = 0; c < 3; ++c)
      if (std::abs(scales[g][c] - m_scales[g][c]) > 1e-5f * std::abs(m_scales[g][c])) return {};
  }
  return scales;
}

bool KeptFrame::answers(const Document& doc, double frame) const {
  for (size_t g = 0; g < m_scene->groups.size(); ++g)
    if (std::find(m_live.begin(), m_live.end(), g) == m_live.end() && wantsLive(m_scene->groups[g], doc) == true)
      return false;
  return hasLayers(*m_scene, doc) && hasSurroundings(*m_scene, doc) && !scalesFor(doc, frame).empty();
}

std::optional<LensResult> KeptFrame::develop(const Document& doc, double frame, const Tasks& all,
                                             const LensOptions& options) const {
  if (!hasLayers(*m_scene, doc) || !hasSurroundings(*m_scene, doc)) return {};
  const std::vector<Color> scales = scalesFor(doc, frame);
  if (scales.empty()) return {};
  const Tasks tasks = all.stoppedBy(options.cancel);
  const float exposure = exposureFactor(doc, frame);
  const int wide = m_width + 2 * m_margin, high = m_height + 2 * m_margin;
  const auto addLayer = [&](const Layer& l, std::vector<PackedPixels::Term>& sum) {
    const float by = l.plate ? 1 : exposure;
    if (!l.rest.isBlack()) sum.push_back({&l.rest, {by, by, by}});
    for (size_t i = 0; i < l.live.size(); ++i) {
      const Color s = scales[m_live[i]] * by;
      if (!l.live[i].isBlack() && !isBlack(s)) sum.push_back({&l.live[i], {s.x, s.y, s.z}});
    }
  };
  // Without the lens all light is one, and none comes from beside the frame.
  if (!options.on) {
    LensResult r;
    std::vector<PackedPixels::Term> sum;
    for (const Layer& l : m_layers) addLayer(l, sum);
    r.picture = Picture(m_width, m_height);
    PackedPixels::addTo(r.picture.rgb, sum, {m_margin, m_margin, m_width, m_height}, tasks);
    return r;
  }
  LensLight light;
  for (const Layer& l : m_layers) {
    std::vector<PackedPixels::Term> sum;
    addLayer(l, sum);
    // Layers without light are not missed, but there is always one.
    if (sum.empty() && !(&l == &m_layers.back() && light.layers.empty())) continue;
    // What is named is seldom seen in more than a part of it.
    Region part = sum.empty() ? m_alpha.whole() : sum.front().pixels->lit();
    for (const PackedPixels::Term& t : sum) part = united(part, t.pixels->lit());
    Picture p(part.width, part.height);
    PackedPixels::addTo(p.rgb, sum, part, tasks);
    light.layers.push_back({l.of, std::move(p), l.backdrop, 0, part});
  }
  light.alpha = m_alpha.unpacked(tasks);
  if (!m_behind.empty()) {
    light.behind = Picture(wide, high);
    light.behind.rgb = m_behind.unpacked(tasks);
  }
  light.coverage = [this, &tasks](const LayerQuery& q) {
    const auto it = std::find_if(m_covered.begin(), m_covered.end(), [&](const auto& c) { return c.first == q; });
    return it == m_covered.end() ? std::vector<float>() : it->second.unpacked(tasks);
  };
  return developKept(doc, frame, std::move(light), m_width, m_height, m_margin, m_sight, tasks, options);
}

size_t KeptFrame::bytes() const {
  size_t sum = sizeof *this + m_alpha.bytes() + m_behind.bytes();
  for (const Layer& l : m_layers) {
    sum += l.rest.bytes();
    for (const PackedPixels& p : l.live) sum += p.bytes();
  }
  for (const auto& [query, covered] : m_covered) sum += covered.bytes();
  return sum;
}

std::vector<std::string> KeptFrame::live() const {
  std::vector<std::string> out;
  for (const size_t g : m_live) out.push_back(m_scene->groups[g].name);
  return out;
}

const KeptFrame* KeptFrames::find(double frame) const {
  const auto it = m_frames.find(frame);
  return it == m_frames.end() ? nullptr : &it->second;
}

bool KeptFrames::keep(double frame, KeptFrame&& kept) {
  const KeptFrame* before = find(frame);
  const size_t then = m_bytes - (before ? before->bytes() : 0) + kept.bytes();
  if (then > m_limit) return false;
  m_bytes = then;
  m_frames.insert_or_assign(frame, std::move(kept));
  return true;
}

void KeptFrames::keepWithin(double first, double last) {
  std::erase_if(m_frames, [&](const auto& f) {
    const bool goes = f.first < first || f.first > last;
    if (goes) m_bytes -= f.second.bytes();
    return goes;
  });
}

void KeptFrames::clear() {
  m_frames.clear();
  m_bytes = 0;
}

} // namespace ilumbra
