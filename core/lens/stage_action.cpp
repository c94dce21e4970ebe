#include "core/lens/stage_action.h"

#include "core/image/picture_ops.h"
#include "core/lens/blend.h"
#include "core/lens/stage_cover.h"

#include <algorithm>
#include <atomic>
#include <fmt/format.h>
#include <mutex>
#include <tuple>

namespace ilumbra {
namespace {

// light += amount · spread − amount · taken, and without what is taken: to the bit what comes of works that are written
// out. `taken` may be the light.
void blendIn(float* light, const float* spread, const float* taken, size_t n, float amount) {
  if (taken == light)
    for (size_t i = 0; i < n; ++i) light[i] += amount * spread[i] - amount * light[i];
  else
    for (size_t i = 0; i < n; ++i) light[i] += amount * spread[i] - amount * taken[i];
}
// The same, written where the spread was.
void layOver(float* __restrict spread, const float* light, const float* taken, size_t n, float amount) {
  for (size_t i = 0; i < n; ++i) spread[i] = light[i] + (amount * spread[i] - amount * taken[i]);
}
void addIn(float* light, const float* spread, size_t n, float amount) {
  for (size_t i = 0; i < n; ++i) light[i] += amount * spread[i];
}

int64_t areaOf(const Region& r) { return int64_t(r.width) * r.height; }

class StageAction {
 public:
  StageAction(StackState& state, size_t index)
      : m_state(state), m_step(state.steps[index]), m_c(state.context), m_index(index), m_bit(uint64_t(1) << index),
        m_p(*m_step.node, m_c.frame), m_amount(m_p.real("amount")), m_result{.stage = m_step.node->id} {
    // Later stages that take its light alone, and whether any asks where that is.
    const auto among = [&](const std::vector<NodeId>& list) {
      return std::find(list.begin(), list.end(), m_step.node->id) != list.end();
    };
    for (size_t later = index + 1; later < state.steps.size(); ++later) {
      const StageStep& s = state.steps[later];
      if (among(s.takes)) m_copyTakenBy |= uint64_t(1) << later;
      m_copyShown |= among(s.takes) || among(s.actsOn);
    }
    for (StackedLayer& l : state.layers)
      if (l.takenBy & m_bit) m_mine.push_back(&l);
  }

  StageResult run() {
    if (m_amount <= 0) return nothing("its amount is 0");
    if (m_mine.empty()) return nothing(missing(m_step.takes, "none of its sources is in the picture"));
    m_mask = actsWhere(m_state, m_step, m_p);
    m_mode = lensBlend(m_p.text("blend"));
    m_aside = m_p.text("over_alpha") == "apart";
    m_widens = m_state.open && !m_step.stage->inPlace && m_p.text("over_alpha") == "widens";
    if (m_step.stage->local && !m_state.works && plain() && !m_copyShown && m_step.map.everything)
      return spreadNear(*m_mine.front());
    for (StackedLayer& l : m_state.layers) resize(l, m_state.whole(), m_c.tasks);
    Picture summed;
    if (m_mine.size() > 1) summed = m_mine.front()->light;
    for (size_t i = 1; i < m_mine.size(); ++i) addTo(summed, m_mine[i]->light, m_c.tasks);
    const Picture& source = m_mine.size() > 1 ? summed : m_mine.front()->light;
    if (isBlack(source, m_c.tasks)) return nothing("its sources give no light in the picture");
    if (!m_mask.empty() && std::all_of(m_mask.begin(), m_mask.end(), [](float m) { return m <= 0; }))
      return nothing(missing(m_step.actsOn, "what it acts on is not in the picture"));
    const LensOperator op = prepared(source);
    if (!op.blend.empty()) m_mode = lensBlend(op.blend);
    moveCovers(op, source);
    std::vector<LensWork> each;
    for (const StackedLayer* l : m_mine) each.push_back(op.apply(l->light));
    // With what is added whatever the light, the first layer's work is the stage's own.
    if (!op.rest.rgb.empty()) addTo(each.front().spread, op.rest, m_c.tasks);
    if (plain() && !m_state.works)
      addLight(each.front());
    else
      layIn(std::move(each), plain());
    return std::move(m_result);
  }

 private:
  // Of one layer, to which it is added everywhere.
  bool plain() const {
    return m_mode == LensBlend::Add && m_mine.size() == 1 && m_mask.empty() && !m_aside && !m_copyTakenBy;
  }

  StageResult nothing(const std::string& why) {
    if (m_state.works) m_result.work = {Picture(m_c.width, m_c.height), Picture(m_c.width, m_c.height)};
    m_result.idle = why;
    return std::move(m_result);
  }

  std::string missing(const std::vector<NodeId>& named, const char* otherwise) const {
    for (const NodeId id : named)
      if (!m_state.copies.count(id))
        return fmt::format("there is no copy of {} yet: it is off, does nothing or stands after it",
                           m_c.doc.find(id)->name);
    return otherwise;
  }

  void told(bool changes) {
    if (changes) return;
    const auto& idle = m_step.stage->idle;
    m_result.idle = idle && !idle(m_p).empty() ? idle(m_p) : "it changes nothing with these values";
  }

  LensOperator prepared(const Picture& source) const {
    LensContext own = m_c;
    own.oneLayer = m_mine.size() == 1;
    if (m_step.stage->covers) {
      own.covered = shownBy(m_state, m_step.source, source);
      addCopies(own.covered, m_state.copies, m_step.takes);
    }
    if (!m_step.map.everything) {
      own.map = Picture(m_c.width, m_c.height);
      for (const StackedLayer& l : m_state.layers)
        if (l.takenBy & m_bit << 32) addTo(own.map, l.light, m_c.tasks);
    }
    return m_step.stage->prepare(m_p, source, own);
  }

  // What later stages ask for, the picture's cover and what is seen of the plates, where things are moved.
  void moveCovers(const LensOperator& op, const Picture& source) {
    std::vector<float>& alpha = m_state.result.alpha;
    if (m_copyShown) {
      std::vector<float> moved = shownBy(m_state, m_step.source, source);
      addCopies(moved, m_state.copies, m_step.takes);
      const LensWork w = op.apply(greyPicture(moved, m_c.width, m_c.height));
      for (size_t i = 0; i < moved.size(); ++i)
        moved[i] = clamp01(m_amount * (m_mask.empty() ? 1 : m_mask[i]) * w.spread.rgb[3 * i + 1]);
      m_state.copies[m_step.node->id] = std::move(moved);
    }
    if (!m_step.stage->carries) return;
    // A picture that is covered everywhere stays so.
    if (m_widens)
      carryCover(alpha, m_step.source.whole() ? alpha : shownBy(m_state, m_step.source, source), op, m_amount, m_mask,
                 m_c);
    const bool named = !m_step.source.whole() &&
                       std::none_of(m_mine.begin(), m_mine.end(), [](const StackedLayer* l) { return l->backdrop; });
    if (named && !m_state.light.behind.rgb.empty() && !m_aside)
      uncoverBackdrop(m_state, shownBy(m_state, m_step.source, source), op, m_amount, m_mask);
  }

  // Most stages, most of the time: the light itself alone is asked for.
  void addLight(const LensWork& w) {
    std::atomic<bool> changes = false;
    Picture& lit = m_mine.front()->light;
    if (m_widens && !m_step.stage->carries) widenCover(m_state.result.alpha, w, lit, m_amount, m_c);
    const bool all = w.all, some = !w.taken.rgb.empty();
    forEachSpan(m_c.width, m_c.height, m_c.tasks, [&](size_t i, size_t end) {
      const float *spread = w.spread.rgb.data() + i, *taken = some ? w.taken.rgb.data() + i : nullptr;
      float* l = lit.rgb.data() + i;
      const size_t n = end - i;
      if (!changes.load(std::memory_order_relaxed) &&
          (all || some ? !std::equal(spread, spread + n, all ? l : taken)
                       : std::any_of(spread, spread + n, [](float v) { return v != 0; })))
        changes = true;
      if (all)
        blendIn(l, spread, l, n, m_amount);
      else if (some)
        blendIn(l, spread, taken, n, m_amount);
      else
        addIn(l, spread, n, m_amount);
    });
    told(changes);
    if (m_step.told && m_state.shares)
      m_result.light = double(m_amount) * luminanceSum(w.spread, m_state.frame(), m_c.tasks);
  }

  // The layer that this one will be one with once its stage has acted, if there is one and it is all of the pictures.
  StackedLayer* partnerOf(const StackedLayer& layer) const {
    for (StackedLayer& l : m_state.layers)
      if (&l != &layer && l.part == m_state.whole() && alikeFrom(l, layer, m_index + 1)) return &l;
    return nullptr;
  }

  // The same of a local stage: what it spreads goes where it ends up while it is near, and nothing is done where
  // nothing comes.
  StageResult spreadNear(StackedLayer& layer) {
    const auto lit = litRegion(layer.light, m_c.tasks);
    if (!lit) return nothing("its sources give no light in the picture");
    // A copy that is hardly smaller is not worth it.
    if (4 * areaOf(*lit) < 3 * areaOf(layer.part))
      resize(layer, {layer.part.x + lit->x, layer.part.y + lit->y, lit->width, lit->height}, m_c.tasks);
    const LocalOperator op = m_step.stage->prepare(m_p, layer.light, m_c).local;
    const Picture keyed = op.take(layer.light);
    const Picture &light = layer.light, &taken = keyed.rgb.empty() ? light : keyed;
    const Region part = layer.part, to = op.reach(part);
    StackedLayer* const partner = partnerOf(layer);
    StackedLayer own{layer.takenBy, layer.tag, {}, layer.backdrop, to};
    if (!partner) own.light = Picture(to.width, to.height);
    Picture& out = partner ? partner->light : own.light;
    const Region within = partner ? partner->part : to;

    std::atomic<bool> changes = false;
    const bool sums = m_step.told && m_state.shares;
    std::mutex summing;
    std::vector<std::tuple<int, int, double>> sumsFrom; ///< of the pixels from a place on: summed in their order
    const std::vector<float> dark(3 * size_t(to.width), 0.0f);
    op.spread(taken, part, to, [&](int x, int y, int pixels, float* spread) {
      const int row = to.y + y, left = to.x + x;
      if (sums) {
        const Region seen = overlap({left, row, pixels, 1}, m_state.frame());
        double s = 0;
        for (int i = seen.x - left; seen.height > 0 && i < seen.x - left + seen.width; ++i)
          s += double(luminance({spread[3 * i], spread[3 * i + 1], spread[3 * i + 2]}));
        const std::lock_guard lock(summing);
        sumsFrom.emplace_back(y, x, s);
      }
      bool any = false;
      const auto span = [&](int from, int end, const float* l, const float* t) {
        if (from >= end) return;
        float* s = spread + 3 * (from - left);
        const auto n = size_t(3 * (end - from));
        any = any || !std::equal(s, s + n, t);
        if (m_widens)
          widenCover(m_state.result.alpha.data() + size_t(row) * size_t(m_c.width) + size_t(from), s, t,
                     size_t(end - from), m_amount);
        layOver(s, l, t, n, m_amount);
      };
      // Beside the source, on it, and beside it again.
      const Region on = overlap({left, row, pixels, 1}, part);
      const int from = on.width > 0 && on.height > 0 ? on.x : left + pixels,
                end = on.width > 0 && on.height > 0 ? on.x + on.width : left + pixels;
      span(left, from, dark.data(), dark.data());
      if (from < end) span(from, end, light.at(from - part.x, row - part.y), taken.at(from - part.x, row - part.y));
      span(end, left + pixels, dark.data(), dark.data());
      if (any) changes = true;
      float* o = out.at(left - within.x, row - within.y);
      if (partner)
        for (int i = 0; i < 3 * pixels; ++i) o[i] += spread[i];
      else
        std::copy_n(spread, 3 * pixels, o);
    });
    std::sort(sumsFrom.begin(), sumsFrom.end());
    for (const auto& [y, x, s] : sumsFrom) m_result.light += double(m_amount) * s;
    if (partner) {
      partner->backdrop |= layer.backdrop;
      m_state.layers.erase(m_state.layers.begin() + (&layer - m_state.layers.data()));
    } else
      layer = std::move(own);
    told(changes);
    return std::move(m_result);
  }

  // The same in full: by layer, with a mask and any blend, and the work written out. `plain`: of one layer that is
  // added everywhere.
  void layIn(std::vector<LensWork> each, bool plain) {
    for (size_t k = 0; k < each.size(); ++k) each[k] = writtenOut(std::move(each[k]), m_mine[k]->light);
    // What one layer comes to is the whole, if it is the only one.
    LensWork& all = m_result.work;
    if (each.size() == 1)
      all = std::move(each.front());
    else
      all = each.front();
    for (size_t k = 1; k < each.size(); ++k) {
      addTo(all.taken, each[k].taken, m_c.tasks);
      addTo(all.spread, each[k].spread, m_c.tasks);
    }
    if (m_aside && m_state.result.apart.rgb.empty()) m_state.result.apart = Picture(m_c.width, m_c.height);
    told(plain ? layOne(all) : layEach(all, each));
    if (m_step.told) m_result.light = luminanceSum(m_result.work.spread, m_state.frame(), m_c.tasks);
    if (m_widens && !m_step.stage->carries) widenCover(m_state.result.alpha, m_result.work, {}, 1, m_c);
    if (!m_state.works) m_result.work = {};
  }

  // True if it changes anything.
  bool layOne(LensWork& all) {
    std::atomic<bool> changes = false;
    forEachSpan(m_c.width, m_c.height, m_c.tasks, [&](size_t i, size_t end) {
      bool any = false;
      float *taken = all.taken.rgb.data(), *spread = all.spread.rgb.data(), *lit = m_mine.front()->light.rgb.data();
      for (; i < end; ++i) {
        any |= taken[i] != spread[i];
        taken[i] *= m_amount;
        spread[i] *= m_amount;
        lit[i] += spread[i] - taken[i];
      }
      if (any) changes = true;
    });
    return changes;
  }

  bool layEach(LensWork& all, const std::vector<LensWork>& each) {
    const bool add = m_mode == LensBlend::Add, one = each.size() == 1;
    // Where another blend than adding is asked for, what all light becomes is shared out: more light goes to what is
    // spread, less is taken of what is there.
    Picture base;
    std::vector<StackedLayer*> others;
    if (!add) {
      base = Picture(m_c.width, m_c.height);
      for (StackedLayer& l : m_state.layers) {
        addTo(base, l.light, m_c.tasks);
        if (!(l.takenBy & m_bit)) others.push_back(&l);
      }
    }
    // What it spreads goes on as light of its sources, and for those that name it also by itself.
    std::vector<StackedLayer> apartFromSources;
    if (m_copyTakenBy)
      for (const StackedLayer* l : m_mine)
        apartFromSources.push_back(
            {l->takenBy | m_copyTakenBy, l->tag, Picture(m_c.width, m_c.height), false, m_state.whole()});
    std::atomic<bool> changes = false;
    forEachSpan(m_c.width, m_c.height, m_c.tasks, [&](size_t i, size_t end) {
      bool any = false;
      for (; i < end; ++i) {
        any |= all.taken.rgb[i] != all.spread.rgb[i];
        const float a = m_mask.empty() ? m_amount : m_amount * m_mask[i / 3], taken = all.taken.rgb[i],
                    spread = all.spread.rgb[i];
        float kept = 1, given = 1;
        if (!add) {
          const float b = base.rgb[i] - taken, out = blended(m_mode, b, spread);
          if (out >= b || b == 0)
            given = spread != 0 ? (out - b) / spread : 0;
          else {
            given = 0;
            kept = out / b;
          }
          for (StackedLayer* l : others) l->light.rgb[i] += a * (kept - 1) * l->light.rgb[i];
        }
        for (size_t k = 0; k < m_mine.size(); ++k) {
          float& l = m_mine[k]->light.rgb[i];
          const LensWork& w = one ? all : each[k];
          const float before = l;
          const float gained = m_aside ? 0 : given * w.spread.rgb[i];
          l = before + a * (kept * (before - w.taken.rgb[i]) + (m_copyTakenBy ? 0 : gained) - before);
          if (m_copyTakenBy) apartFromSources[k].light.rgb[i] = a * gained;
        }
        // As it came to be.
        all.taken.rgb[i] = a * (taken + (1 - kept) * (add ? 0 : base.rgb[i] - taken));
        all.spread.rgb[i] = a * given * spread;
        if (m_aside) m_state.result.apart.rgb[i] += all.spread.rgb[i];
      }
      if (any) changes = true;
    });
    // They are looked at by address until here.
    std::move(apartFromSources.begin(), apartFromSources.end(), std::back_inserter(m_state.layers));
    m_mine.clear();
    return changes;
  }

  StackState& m_state;
  const StageStep& m_step;
  const LensContext& m_c;
  const size_t m_index;
  const uint64_t m_bit;
  const Params m_p;
  const float m_amount;
  StageResult m_result;
  uint64_t m_copyTakenBy = 0; ///< bits of the later steps that take its light alone
  bool m_copyShown = false;   ///< one of those asks where that is
  std::vector<StackedLayer*> m_mine;
  std::vector<float> m_mask; ///< how much it acts in each pixel; empty: wholly
  LensBlend m_mode = LensBlend::Add;
  bool m_aside = false; ///< its light goes out apart
  bool m_widens = false;
};

} // namespace

StageResult act(StackState& state, size_t step) { return StageAction(state, step).run(); }

} // namespace ilumbra
