#include "core/lens/stack.h"

#include "core/base/error.h"
#include "core/image/picture_ops.h"
#include "core/lens/queries.h"
#include "core/lens/stage_action.h"

#include <fmt/format.h>
#include <set>

namespace ilumbra {
namespace {

bool contains(const std::vector<LayerQuery>& list, const LayerQuery& q) {
  return std::find(list.begin(), list.end(), q) != list.end();
}

std::vector<NodeId> stagesNamed(const Document& doc, const Node& stage, const char* list) {
  std::vector<NodeId> out = namedBy(doc, stage, list);
  std::erase_if(out, [&](NodeId id) { return doc.find(id)->kind->family() != "lens"; });
  return out;
}

// Those that act, in their order. A stage alone brings those along whose light it asks for.
std::vector<StageStep> stepsOf(const LensContext& c, const LensOptions& options) {
  std::vector<StageStep> steps;
  if (!options.on) return steps;
  std::set<NodeId> asked;
  for (std::vector<NodeId> open = {options.solo}; !open.empty();) {
    const Node* s = c.doc.find(open.back());
    open.pop_back();
    if (!s) continue;
    for (const char* list : {"sources", "acts_on"})
      for (const NodeId id : stagesNamed(c.doc, *s, list))
        if (asked.insert(id).second) open.push_back(id);
  }
  for (const Node* s : lensStages(c.doc)) {
    const bool last = options.until == s->id;
    if (last && options.before) break;
    const bool acts = stageActs(c.doc, *s, c.frame);
    if (options.solo ? s->id == options.solo || (acts && asked.count(s->id)) : acts)
      steps.push_back({s, &stageOf(*s), sourceQuery(c.doc, *s), mapQuery(c.doc, *s),
                       !stageOf(*s).inPlace && !switchesOf(c.doc, s->id).empty(), stagesNamed(c.doc, *s, "sources"),
                       stagesNamed(c.doc, *s, "acts_on")});
    if (last) break;
  }
  if (steps.size() > 32) throw badInput(fmt::format("the lens has {} stages that act; 32 are possible", steps.size()));
  return steps;
}

void takeLayers(StackState& s) {
  for (LensLight::Layer& l : s.light.layers) {
    s.result.notNumbers += mendNonFinite(l.light, s.context.tasks);
    uint64_t takenBy = 0;
    bool local = false;
    for (size_t i = 0; i < s.steps.size(); ++i) {
      const bool named = !s.steps[i].source.whole() && contains(l.of, s.steps[i].source);
      if (named || s.steps[i].source.whole()) takenBy |= uint64_t(1) << i;
      local |= named && s.steps[i].stage->local;
      if (!s.steps[i].map.everything && contains(l.of, s.steps[i].map)) takenBy |= uint64_t(1) << (32 + i);
    }
    const Region part = l.part.width ? l.part : s.whole();
    s.layers.push_back({takenBy, l.tag, std::move(l.light), l.backdrop, part});
    // What is named is seldom seen in more than a small part of the picture.
    if (StackedLayer& layer = s.layers.back(); local && !l.part.width)
      if (const auto lit = litRegion(layer.light, s.context.tasks);
          lit && 2 * int64_t(lit->width) * lit->height < int64_t(part.width) * part.height)
        resize(layer, {part.x + lit->x, part.y + lit->y, lit->width, lit->height}, s.context.tasks);
  }
  s.light.layers.clear();
}

void addTo(StackedLayer& to, StackedLayer&& l, const Tasks& tasks) {
  const Region both = united(to.part, l.part);
  if (to.part == both || l.part != both)
    resize(to, both, tasks);
  else {
    std::swap(to.light, l.light);
    std::swap(to.part, l.part);
  }
  addTo(to.light, l.light, l.part.x - to.part.x, l.part.y - to.part.y, tasks);
}

// Layers that no stage from this one on tells apart are one.
void merge(StackState& s, size_t from) {
  std::vector<StackedLayer> out;
  for (StackedLayer& l : s.layers) {
    const auto same =
        std::find_if(out.begin(), out.end(), [&](const StackedLayer& o) { return alikeFrom(o, l, from); });
    if (same == out.end())
      out.push_back(std::move(l));
    else {
      addTo(*same, std::move(l), s.context.tasks);
      same->backdrop |= l.backdrop;
    }
  }
  s.layers = std::move(out);
}

// Once no stage spreads light any more, what lies beside the frame has done its work.
void cropToFrame(StackState& s) {
  LensContext& c = s.context;
  if (c.width == c.frameWidth && c.height == c.frameHeight) return;
  const Region frame = s.frame();
  const int wide = c.width;
  for (StackedLayer& l : s.layers) {
    const Region seen = overlap(l.part, frame);
    resize(l, seen.width > 0 && seen.height > 0 ? seen : Region{frame.x, frame.y, 0, 0}, c.tasks);
    l.part.x -= frame.x;
    l.part.y -= frame.y;
  }
  const auto crop = [&](Picture& p) { p = cropped(p, frame, c.tasks); };
  const auto cropPlane = [&](std::vector<float>& plane) { plane = cropped(plane, frame, wide); };
  if (s.works)
    for (StageResult& r : s.result.stages) {
      crop(r.work.taken);
      crop(r.work.spread);
    }
  crop(s.result.apart);
  crop(s.light.behind);
  cropPlane(s.result.alpha);
  cropPlane(s.light.alpha);
  for (auto& [stage, cover] : s.copies) cropPlane(cover);
  if (s.light.coverage)
    s.light.coverage = [of = std::move(s.light.coverage), frame, wide](const LayerQuery& q) {
      return cropped(of(q), frame, wide);
    };
  if (c.anchor)
    c.anchor = [of = std::move(c.anchor), left = float(c.left), top = float(c.top)](NodeId thing, const V3f& at,
                                                                                    double time) {
      Anchor a = of(thing, at, time);
      a.at -= V2f(left, top);
      return a;
    };
  c.width = c.frameWidth;
  c.height = c.frameHeight;
  c.left = c.top = 0;
}

} // namespace

bool alikeFrom(const StackedLayer& a, const StackedLayer& b, size_t step) {
  const uint64_t half = step >= 32 ? 0 : uint64_t(~0u << step), later = half | half << 32;
  return a.tag == b.tag && (a.takenBy & later) == (b.takenBy & later);
}

void resize(StackedLayer& layer, const Region& to, const Tasks& tasks) {
  if (layer.part == to) return;
  const Region both = overlap(layer.part, to);
  Picture light(std::max(0, to.width), std::max(0, to.height));
  tasks.forEach(std::max(0, both.height), [&](int y) {
    if (both.width > 0)
      std::copy_n(layer.light.at(both.x - layer.part.x, both.y - layer.part.y + y), 3 * both.width,
                  light.at(both.x - to.x, both.y - to.y + y));
  });
  layer.light = std::move(light);
  layer.part = {to.x, to.y, light.width, light.height};
}

PatternPoint LensContext::point(float x, float y) const {
  PatternPoint p;
  const float u = (x - float(left)) / float(std::max(1, frameWidth)),
              v = 1 - (y - float(top)) / float(std::max(1, frameHeight));
  p.uv = {u, v};
  p.screen = {u, v, 1};
  // In frame heights, so that patterns are not stretched.
  const float aspect = float(frameWidth) / float(std::max(1, frameHeight));
  p.position = p.world = {(u - 0.5f) * aspect, v - 0.5f, 0};
  p.normal = {0, 0, 1};
  p.footprint = 1 / float(std::max(1, frameHeight));
  p.uvFootprint = p.footprint;
  return p;
}

LensResult applyLens(const LensContext& context, LensLight light, const LensOptions& options) {
  StackState s{.context = context,
               .light = std::move(light),
               .steps = stepsOf(context, options),
               .works = options.works,
               .shares = options.shares};
  const LensContext& c = s.context;
  LensResult& r = s.result;
  std::set<int> tags;
  for (const LensLight::Layer& l : s.light.layers) tags.insert(l.tag);
  takeLayers(s);
  r.alpha = s.light.alpha;
  s.open = std::any_of(r.alpha.begin(), r.alpha.end(), [](float a) { return a < 1; });
  for (size_t i = 0; i < s.steps.size(); ++i) {
    c.tasks.stopIfAsked();
    merge(s, i);
    if (std::all_of(s.steps.begin() + ptrdiff_t(i), s.steps.end(), [](const StageStep& t) { return t.stage->inPlace; }))
      cropToFrame(s);
    r.stages.push_back(act(s, i));
    // All light is summed once for stages of effects that follow one another.
    if (!s.shares || !s.steps[i].told || (i + 1 < s.steps.size() && s.steps[i + 1].told)) continue;
    double all = 0;
    for (const StackedLayer& l : s.layers) all += luminanceSum(l.light, l.part, s.frame(), c.tasks);
    for (size_t k = i + 1; all > 0 && k-- > 0 && s.steps[k].told;) r.stages[k].share = r.stages[k].light / all;
  }
  cropToFrame(s);
  merge(s, 32);
  for (StackedLayer& l : s.layers) resize(l, s.whole(), c.tasks);
  if (tags.size() > 1) {
    r.picture = Picture(c.width, c.height);
    for (StackedLayer& l : s.layers) {
      addTo(r.picture, l.light, c.tasks);
      r.shares.emplace_back(l.tag, std::move(l.light));
    }
  } else {
    r.picture = s.layers.empty() ? Picture(c.width, c.height) : std::move(s.layers.front().light);
  }
  return std::move(r);
}

} // namespace ilumbra
