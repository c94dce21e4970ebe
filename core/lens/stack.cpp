#include "core/lens/stack.h"

#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/lens/area.h"
#include "core/lens/blend.h"

#include <atomic>
#include <fmt/format.h>
#include <map>
#include <set>

namespace ilumbra {
namespace {

bool contains(const std::vector<LayerQuery>& list, const LayerQuery& q) {
  return std::find(list.begin(), list.end(), q) != list.end();
}

void forRows(const Tasks& tasks, int height, int width, const std::function<void(size_t, size_t)>& f) {
  const size_t row = size_t(width) * 3;
  tasks.forEach(height, [&](int y) { f(size_t(y) * row, size_t(y + 1) * row); });
}

// out += p
void addTo(Picture& out, const Picture& p, const Tasks& tasks) {
  forRows(tasks, p.height, p.width, [&](size_t i, size_t end) {
    for (; i < end; ++i) out.rgb[i] += p.rgb[i];
  });
}

// What is no number takes the mean of those around it that are: counted by pixel.
size_t mend(Picture& p, const Tasks& tasks) {
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

bool dark(const Picture& p, const Tasks& tasks) {
  std::atomic<bool> lit = false;
  forRows(tasks, p.height, p.width, [&](size_t i, size_t end) {
    if (!lit &&
        std::any_of(p.rgb.begin() + ptrdiff_t(i), p.rgb.begin() + ptrdiff_t(end), [](float v) { return v != 0; }))
      lit = true;
  });
  return !lit;
}

Picture cut(const Picture& p, const LensContext& c) {
  Picture out(c.frameWidth, c.frameHeight);
  if (p.rgb.empty()) return {};
  c.tasks.forEach(out.height, [&](int y) { std::copy_n(p.at(c.left, y + c.top), 3 * out.width, out.at(0, y)); });
  return out;
}

std::vector<float> cut(const std::vector<float>& v, const LensContext& c) {
  std::vector<float> out;
  if (v.empty()) return out;
  for (int y = 0; y < c.frameHeight; ++y) {
    const auto row = v.begin() + ptrdiff_t(size_t(y + c.top) * size_t(c.width)) + c.left;
    out.insert(out.end(), row, row + c.frameWidth);
  }
  return out;
}

// One stage's place in the stack.
struct Step {
  const Node* node;
  const LensStage* stage;
  LayerQuery source, map;
  bool told;                         ///< its light is told to an effect that it is in
  std::vector<NodeId> takes, actsOn; ///< the stages whose light alone it takes, and where whose light lies it acts
};

// What stages have put into the picture, of those that later ones name: by stage, the share of each pixel that it
// covers.
using Copies = std::map<NodeId, std::vector<float>>;

std::vector<NodeId> stagesNamed(const Document& doc, const Node& stage, const char* list) {
  std::vector<NodeId> out = namedBy(doc, stage, list);
  std::erase_if(out, [&](NodeId id) { return doc.find(id)->kind->family() != "lens"; });
  return out;
}

void addCopies(std::vector<float>& cover, const Copies& copies, const std::vector<NodeId>& of) {
  for (const NodeId id : of)
    if (const auto it = copies.find(id); it != copies.end())
      for (size_t i = 0; i < cover.size(); ++i) cover[i] = clamp01(cover[i] + it->second[i]);
}

struct Stacked {
  uint64_t takenBy = 0; ///< bits of the steps whose source it is; and of those whose map it is, 32 higher
  int tag = 0;
  Picture light;
  bool backdrop = false;
};

// How much a stage acts in each pixel; empty: wholly, everywhere.
std::vector<float> actsWhere(const Step& step, const Params& p, const LensContext& c, const LensLight& light,
                             const Copies& copies) {
  const size_t n = size_t(c.width) * size_t(c.height);
  std::vector<float> mask = areaMask(c.doc, *step.node, c);
  const auto times = [&](const std::vector<float>& other) {
    if (other.size() != n) return;
    if (mask.empty()) mask.assign(n, 1.0f);
    for (size_t i = 0; i < n; ++i) mask[i] *= other[i];
  };
  if (const LayerQuery q = maskQuery(c.doc, *step.node); q.nothing()) {
    std::vector<float> cover(n, 0.0f);
    addCopies(cover, copies, step.actsOn);
    times(cover);
  } else if (!q.whole() && light.coverage) {
    std::vector<float> cover = light.coverage(q);
    addCopies(cover, copies, step.actsOn);
    times(cover);
  }
  if (const PatternUse* use = p.pattern("acts_share"); use && c.assets) {
    const Program program = Program::compile(c.doc, use->pattern, c.frame, *c.assets, false);
    std::vector<float> share(n);
    c.tasks.forEach(c.height, [&](int y) {
      std::vector<PatternPoint> points(static_cast<size_t>(c.width));
      std::vector<Sample4> values(points.size());
      for (int x = 0; x < c.width; ++x) points[size_t(x)] = c.point(float(x) + 0.5f, float(y) + 0.5f);
      program.evaluate(points, values.data());
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

// What share of each pixel shows what answers a query: as the film has counted, or else by its share of the light.
std::vector<float> shownBy(const LayerQuery& q, const LensContext& c, const LensLight& light, const Picture& source,
                           const std::vector<Stacked>& layers) {
  std::vector<float> out;
  if (q.nothing()) return std::vector<float>(source.pixels(), 0.0f);
  if (q.whole() && !light.alpha.empty()) return light.alpha;
  if (light.coverage) out = light.coverage(q);
  if (!out.empty()) return out;
  out.resize(source.pixels());
  c.tasks.forEach(source.height, [&](int y) {
    for (int x = 0; x < source.width; ++x) {
      float all = 0;
      for (const Stacked& l : layers) all += luminance(l.light.color(x, y));
      const float own = luminance(source.color(x, y));
      out[size_t(y) * size_t(source.width) + size_t(x)] = all > 0 ? clamp01(own / all) : own > 0 ? 1.0f : 0.0f;
    }
  });
  return out;
}

// light += amount · spread − amount · taken, and without what is taken: to the bit what comes of works that are written
// out. `taken` may be the light.
void blendIn(float* light, const float* spread, const float* taken, size_t n, float amount) {
  if (taken == light)
    for (size_t i = 0; i < n; ++i) light[i] += amount * spread[i] - amount * light[i];
  else
    for (size_t i = 0; i < n; ++i) light[i] += amount * spread[i] - amount * taken[i];
}
void addIn(float* light, const float* spread, size_t n, float amount) {
  for (size_t i = 0; i < n; ++i) light[i] += amount * spread[i];
}

// Light that went out over the things that gave it makes the picture's cover wider: so much of the work on a layer as
// it was.
void widen(std::vector<float>& alpha, const LensWork& w, const Picture& layer, float amount, const LensContext& c) {
  const float* takes = w.all ? layer.rgb.data() : w.taken.rgb.empty() ? nullptr : w.taken.rgb.data();
  c.tasks.forEach(c.height, [&](int y) {
    for (size_t k = size_t(y) * size_t(c.width), end = k + size_t(c.width); k < end; ++k) {
      if (alpha[k] >= 1) continue;
      float most = 0;
      for (size_t i = 3 * k; i < 3 * k + 3; ++i)
        most = std::max(most, amount * w.spread.rgb[i] - (takes ? amount * takes[i] : 0));
      alpha[k] += (1 - alpha[k]) * clamp01(most);
    }
  });
}

// What covers the picture, as a layer of light on which a stage can work.
Picture asLayer(const std::vector<float>& cover, const LensContext& c) {
  Picture out(c.width, c.height);
  for (size_t i = 0; i < cover.size(); ++i)
    out.rgb[3 * i] = out.rgb[3 * i + 1] = out.rgb[3 * i + 2] = clamp01(cover[i]);
  return out;
}

// What is moved covers the picture where it comes to be: of the cover, the sources' part goes the way of their light.
void carry(std::vector<float>& alpha, std::vector<float> own, const LensOperator& op, float amount,
           const std::vector<float>& mask, const LensContext& c) {
  for (size_t i = 0; i < own.size(); ++i) own[i] = std::min(own[i], alpha[i]);
  const Picture cover = asLayer(own, c);
  const LensWork w = writtenOut(op.apply(cover), cover);
  for (size_t i = 0; i < alpha.size(); ++i)
    alpha[i] =
        clamp01(alpha[i] + amount * (mask.empty() ? 1 : mask[i]) * (w.spread.rgb[3 * i + 1] - w.taken.rgb[3 * i + 1]));
}

// Where a thing is moved away from the plates behind it more of them is seen, and less where it comes to be.
void uncover(const LensLight& light, std::vector<Stacked>& layers, const std::vector<float>& own,
             const LensOperator& op, float amount, const std::vector<float>& mask, const LensContext& c) {
  const auto backdrop = std::find_if(layers.begin(), layers.end(), [](const Stacked& l) { return l.backdrop; });
  if (backdrop == layers.end()) return;
  const Picture cover = asLayer(own, c);
  const LensWork moved = op.apply(cover);
  if (!moved.all && moved.taken.rgb.empty()) return; // it leaves things where they are
  const LensWork w = writtenOut(moved, cover);
  forRows(c.tasks, c.height, c.width, [&](size_t i, size_t end) {
    for (; i < end; ++i)
      backdrop->light.rgb[i] +=
          amount * (mask.empty() ? 1 : mask[i / 3]) * (w.taken.rgb[i] - w.spread.rgb[i]) * light.behind.rgb[i];
  });
}

// Of the frame.
double luminanceOf(const Picture& p, const LensContext& c) {
  std::vector<double> rows(size_t(c.frameHeight), 0.0);
  c.tasks.forEach(c.frameHeight, [&](int y) {
    const float* v = p.at(c.left, y + c.top);
    for (int x = 0; x < c.frameWidth; ++x, v += 3) rows[size_t(y)] += double(luminance({v[0], v[1], v[2]}));
  });
  double sum = 0;
  for (const double row : rows) sum += row;
  return sum;
}

// What a stage does to the layers that it takes, and with it to all others.
StageResult act(const std::vector<Step>& steps, size_t index, const LensContext& c, const LensLight& light,
                std::vector<Stacked>& layers, Copies& copies, bool works, LensResult& result) {
  const Step& step = steps[index];
  const uint64_t bit = uint64_t(1) << index;
  const Params p(*step.node, c.frame);
  // Later stages that take its light alone, and whether any asks where that is.
  uint64_t copyTakenBy = 0;
  bool copyShown = false;
  const auto among = [&](const std::vector<NodeId>& list) {
    return std::find(list.begin(), list.end(), step.node->id) != list.end();
  };
  for (size_t later = index + 1; later < steps.size(); ++later) {
    if (among(steps[later].takes)) copyTakenBy |= uint64_t(1) << later;
    copyShown |= among(steps[later].takes) || among(steps[later].actsOn);
  }
  Picture& apart = result.apart;
  std::vector<float>& alpha = result.alpha;
  StageResult r{.stage = step.node->id};
  const auto nothing = [&](const std::string& why) {
    if (works) r.work = {Picture(c.width, c.height), Picture(c.width, c.height)};
    r.idle = why;
    return r;
  };
  const auto missing = [&](const std::vector<NodeId>& named, const char* otherwise) {
    for (const NodeId id : named)
      if (!copies.count(id))
        return fmt::format("there is no copy of {} yet: it is off, does nothing or stands after it",
                           c.doc.find(id)->name);
    return std::string(otherwise);
  };
  const float amount = p.real("amount");
  std::vector<Stacked*> mine;
  for (Stacked& l : layers)
    if (l.takenBy & bit) mine.push_back(&l);
  if (amount <= 0) return nothing("its amount is 0");
  if (mine.empty()) return nothing(missing(step.takes, "none of its sources is in the picture"));
  Picture summed;
  if (mine.size() > 1) summed = mine.front()->light;
  for (size_t i = 1; i < mine.size(); ++i) addTo(summed, mine[i]->light, c.tasks);
  const Picture& source = mine.size() > 1 ? summed : mine.front()->light;
  if (dark(source, c.tasks)) return nothing("its sources give no light in the picture");
  const std::vector<float> mask = actsWhere(step, p, c, light, copies);
  if (!mask.empty() && std::all_of(mask.begin(), mask.end(), [](float m) { return m <= 0; }))
    return nothing(missing(step.actsOn, "what it acts on is not in the picture"));
  LensContext own = c;
  own.oneLayer = mine.size() == 1;
  if (step.stage->covers) {
    own.covered = shownBy(step.source, c, light, source, layers);
    addCopies(own.covered, copies, step.takes);
  }
  if (!step.map.everything) {
    own.map = Picture(c.width, c.height);
    for (const Stacked& l : layers)
      if (l.takenBy & bit << 32) addTo(own.map, l.light, c.tasks);
  }
  const LensOperator op = step.stage->prepare(p, source, own);
  const LensBlend mode = lensBlend(op.blend.empty() ? p.text("blend") : op.blend);
  const bool aside = p.text("over_alpha") == "apart",
             widens = !alpha.empty() && !step.stage->inPlace && p.text("over_alpha") == "widens";
  // A picture that is covered everywhere stays so.
  if (copyShown) {
    std::vector<float> moved = shownBy(step.source, c, light, source, layers);
    addCopies(moved, copies, step.takes);
    const LensWork w = op.apply(asLayer(moved, c));
    for (size_t i = 0; i < moved.size(); ++i)
      moved[i] = clamp01(amount * (mask.empty() ? 1 : mask[i]) * w.spread.rgb[3 * i + 1]);
    copies[step.node->id] = std::move(moved);
  }
  if (widens && step.stage->carries && std::any_of(alpha.begin(), alpha.end(), [](float a) { return a < 1; }))
    carry(alpha, step.source.whole() ? alpha : shownBy(step.source, c, light, source, layers), op, amount, mask, c);
  const bool named =
      !step.source.whole() && std::none_of(mine.begin(), mine.end(), [](const Stacked* l) { return l->backdrop; });
  if (step.stage->carries && named && !light.behind.rgb.empty() && !aside)
    uncover(light, layers, shownBy(step.source, c, light, source, layers), op, amount, mask, c);
  std::vector<LensWork> each;
  for (Stacked* l : mine) each.push_back(op.apply(l->light));
  // With what is added whatever the light, the first layer's work is the stage's own.
  if (!op.rest.rgb.empty()) addTo(each.front().spread, op.rest, c.tasks);
  const bool one = each.size() == 1;
  const auto does = [&](bool any) {
    if (!any)
      r.idle = step.stage->idle && !step.stage->idle(p).empty() ? step.stage->idle(p)
                                                                : "it changes nothing with these values";
  };
  if (mode == LensBlend::Add && one && mask.empty() && !aside && !works && !copyTakenBy) {
    // Most stages, most of the time: the light itself alone is asked for.
    std::atomic<bool> changes = false;
    const LensWork& w = each.front();
    Picture& lit = mine.front()->light;
    if (widens && !step.stage->carries) widen(alpha, w, lit, amount, c);
    const bool all = w.all, some = !w.taken.rgb.empty();
    forRows(c.tasks, c.height, c.width, [&](size_t i, size_t end) {
      const float *spread = w.spread.rgb.data() + i, *taken = some ? w.taken.rgb.data() + i : nullptr;
      float* l = lit.rgb.data() + i;
      const size_t n = end - i;
      if (!changes.load(std::memory_order_relaxed) &&
          (all || some ? !std::equal(spread, spread + n, all ? l : taken)
                       : std::any_of(spread, spread + n, [](float v) { return v != 0; })))
        changes = true;
      if (all)
        blendIn(l, spread, l, n, amount);
      else if (some)
        blendIn(l, spread, taken, n, amount);
      else
        addIn(l, spread, n, amount);
    });
    does(changes);
    if (step.told) r.light = double(amount) * luminanceOf(w.spread, c);
    return r;
  }
  for (size_t k = 0; k < each.size(); ++k) each[k] = writtenOut(std::move(each[k]), mine[k]->light);
  // What one layer comes to is the whole, if it is the only one.
  LensWork& all = r.work;
  if (one)
    all = std::move(each.front());
  else
    all = each.front();
  for (size_t k = 1; k < each.size(); ++k) {
    addTo(all.taken, each[k].taken, c.tasks);
    addTo(all.spread, each[k].spread, c.tasks);
  }
  const auto share = [&](size_t i) { return mask.empty() ? amount : amount * mask[i / 3]; };
  if (aside && apart.rgb.empty()) apart = Picture(c.width, c.height);
  // Where another blend than adding is asked for, what all light becomes is shared out: more light goes to what is
  // spread, less is taken of what is there.
  Picture base;
  if (mode != LensBlend::Add) {
    base = Picture(c.width, c.height);
    for (const Stacked& l : layers) addTo(base, l.light, c.tasks);
  }
  std::vector<Stacked*> others;
  if (mode != LensBlend::Add)
    for (Stacked& l : layers)
      if (!(l.takenBy & bit)) others.push_back(&l);
  std::atomic<bool> changes = false;
  const bool plain = mode == LensBlend::Add && one && mask.empty() && !aside && !copyTakenBy;
  // What it spreads goes on as light of its sources, and for those that name it also by itself.
  std::vector<Stacked> apartFromSources;
  if (copyTakenBy)
    for (const Stacked* l : mine)
      apartFromSources.push_back({l->takenBy | copyTakenBy, l->tag, Picture(c.width, c.height)});
  forRows(c.tasks, c.height, c.width, [&](size_t i, size_t end) {
    bool any = false;
    if (plain) { // most stages, most of the time
      float *taken = all.taken.rgb.data(), *spread = all.spread.rgb.data(), *lit = mine.front()->light.rgb.data();
      for (; i < end; ++i) {
        any |= taken[i] != spread[i];
        taken[i] *= amount;
        spread[i] *= amount;
        lit[i] += spread[i] - taken[i];
      }
    }
    for (; i < end; ++i) {
      any |= all.taken.rgb[i] != all.spread.rgb[i];
      const float a = share(i), taken = all.taken.rgb[i], spread = all.spread.rgb[i];
      float kept = 1, given = 1;
      if (mode != LensBlend::Add) {
        const float b = base.rgb[i] - taken, out = blended(mode, b, spread);
        if (out >= b || b == 0)
          given = spread != 0 ? (out - b) / spread : 0;
        else {
          given = 0;
          kept = out / b;
        }
        for (Stacked* l : others) l->light.rgb[i] += a * (kept - 1) * l->light.rgb[i];
      }
      for (size_t k = 0; k < mine.size(); ++k) {
        float& l = mine[k]->light.rgb[i];
        const LensWork& w = one ? all : each[k];
        const float before = l;
        const float gained = aside ? 0 : given * w.spread.rgb[i];
        l = before + a * (kept * (before - w.taken.rgb[i]) + (copyTakenBy ? 0 : gained) - before);
        if (copyTakenBy) apartFromSources[k].light.rgb[i] = a * gained;
      }
      // As it came to be.
      all.taken.rgb[i] = a * (taken + (1 - kept) * (mode == LensBlend::Add ? 0 : base.rgb[i] - taken));
      all.spread.rgb[i] = a * given * spread;
      if (aside) apart.rgb[i] += all.spread.rgb[i];
    }
    if (any) changes = true;
  });
  does(changes);
  if (step.told) r.light = luminanceOf(r.work.spread, c);
  if (widens && !step.stage->carries) widen(alpha, r.work, {}, 1, c);
  if (!works) r.work = {};
  std::move(apartFromSources.begin(), apartFromSources.end(), std::back_inserter(layers));
  return r;
}

} // namespace

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
  LensContext c = context;
  LensResult r;
  std::vector<Step> steps;
  std::set<NodeId> asked;
  for (std::vector<NodeId> open = {options.solo}; !open.empty();) {
    const Node* s = c.doc.find(open.back());
    open.pop_back();
    if (!s) continue;
    for (const char* list : {"sources", "acts_on"})
      for (const NodeId id : stagesNamed(c.doc, *s, list))
        if (asked.insert(id).second) open.push_back(id);
  }
  if (options.on)
    for (const Node* s : lensStages(c.doc)) {
      const bool last = options.until == s->id;
      if (last && options.before) break;
      const bool acts = stageActs(c.doc, *s, c.frame);
      // A stage alone brings those along whose light it asks for.
      if (options.solo ? s->id == options.solo || (acts && asked.count(s->id)) : acts)
        steps.push_back({s, &stageOf(*s), sourceQuery(c.doc, *s), mapQuery(c.doc, *s),
                         !stageOf(*s).inPlace && !switchesOf(c.doc, s->id).empty(), stagesNamed(c.doc, *s, "sources"),
                         stagesNamed(c.doc, *s, "acts_on")});
      if (last) break;
    }
  if (steps.size() > 32) throw badInput(fmt::format("the lens has {} stages that act; 32 are possible", steps.size()));
  std::vector<Stacked> layers;
  std::set<int> tags;
  for (LensLight::Layer& l : light.layers) {
    r.notNumbers += mend(l.light, c.tasks);
    uint64_t takenBy = 0;
    for (size_t i = 0; i < steps.size(); ++i) {
      if (steps[i].source.whole() || contains(l.of, steps[i].source)) takenBy |= uint64_t(1) << i;
      if (!steps[i].map.everything && contains(l.of, steps[i].map)) takenBy |= uint64_t(1) << (32 + i);
    }
    tags.insert(l.tag);
    layers.push_back({takenBy, l.tag, std::move(l.light), l.backdrop});
  }
  light.layers.clear();
  // Layers that no later stage tells apart are one.
  const auto merge = [&](size_t from) {
    const uint64_t half = from >= 32 ? 0 : ~0u << from, later = half | half << 32;
    std::vector<Stacked> out;
    for (Stacked& l : layers) {
      const auto same = std::find_if(out.begin(), out.end(), [&](const Stacked& o) {
        return o.tag == l.tag && (o.takenBy & later) == (l.takenBy & later);
      });
      if (same == out.end())
        out.push_back(std::move(l));
      else {
        addTo(same->light, l.light, c.tasks);
        same->backdrop |= l.backdrop;
      }
    }
    layers = std::move(out);
  };
  r.alpha = light.alpha;
  Copies copies;
  // Once no stage spreads light any more, what lies beside the frame has done its work.
  const auto frameAlone = [&] {
    if (c.width == c.frameWidth && c.height == c.frameHeight) return;
    for (Stacked& l : layers) l.light = cut(l.light, c);
    if (options.works)
      for (StageResult& s : r.stages) s.work = {cut(s.work.taken, c), cut(s.work.spread, c)};
    r.apart = cut(r.apart, c);
    r.alpha = cut(r.alpha, c);
    light.alpha = cut(light.alpha, c);
    if (!light.behind.rgb.empty()) light.behind = cut(light.behind, c);
    for (auto& [stage, cover] : copies) cover = cut(cover, c);
    if (light.coverage)
      light.coverage = [of = std::move(light.coverage), wide = c](const LayerQuery& q) { return cut(of(q), wide); };
    c.width = c.frameWidth;
    c.height = c.frameHeight;
    if (c.anchor)
      c.anchor = [of = std::move(c.anchor), left = float(c.left), top = float(c.top)](NodeId thing, const V3f& at,
                                                                                      double frame) {
        Anchor a = of(thing, at, frame);
        a.at -= V2f(left, top);
        return a;
      };
    c.left = c.top = 0;
  };
  for (size_t i = 0; i < steps.size(); ++i) {
    c.tasks.stopIfAsked();
    merge(i);
    if (std::all_of(steps.begin() + ptrdiff_t(i), steps.end(), [](const Step& s) { return s.stage->inPlace; }))
      frameAlone();
    r.stages.push_back(act(steps, i, c, light, layers, copies, options.works, r));
    // All light is summed once for stages of effects that follow one another.
    if (!steps[i].told || (i + 1 < steps.size() && steps[i + 1].told)) continue;
    double all = 0;
    for (const Stacked& l : layers) all += luminanceOf(l.light, c);
    for (size_t k = i + 1; all > 0 && k-- > 0 && steps[k].told;) r.stages[k].share = r.stages[k].light / all;
  }
  frameAlone();
  merge(32);
  if (tags.size() > 1) {
    r.picture = Picture(c.width, c.height);
    for (Stacked& l : layers) {
      addTo(r.picture, l.light, c.tasks);
      r.shares.emplace_back(l.tag, std::move(l.light));
    }
  } else {
    r.picture = layers.empty() ? Picture(c.width, c.height) : std::move(layers.front().light);
  }
  return r;
}

} // namespace ilumbra
