#include "core/lens/stack.h"

#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/lens/area.h"
#include "core/lens/blend.h"
#include "core/lens/resample.h"
#include "core/render/plate.h"
#include "core/render/sight.h"

#include <atomic>
#include <bit>
#include <fmt/format.h>
#include <set>

namespace ilumbra {

std::vector<const Node*> lensStages(const Document& doc) {
  std::vector<const Node*> out;
  for (const NodeId id : doc.roots())
    if (const Node* n = doc.find(id); n && n->kind->family() == "lens") out.push_back(n);
  return out;
}

static void follow(const Document& doc, NodeId id, std::vector<NodeId>& out, std::set<NodeId>& visited) {
  const Node* n = doc.find(id);
  if (!n || !visited.insert(id).second) return;
  if (n->kind->family() == "effect") {
    for (const Reference& r : Params(*n, 0).references("from")) follow(doc, r.target, out, visited);
    return;
  }
  out.push_back(id);
  // A group stands for what it holds, an object for what it carries too; modifiers and points are no sources.
  for (const char* slot : {"objects", "carries"})
    if (const auto it = n->children.find(slot); it != n->children.end())
      for (const NodeId c : it->second) follow(doc, c, out, visited);
}

std::vector<NodeId> namedBy(const Document& doc, const Node& stage, std::string_view list) {
  std::vector<NodeId> out;
  std::set<NodeId> visited;
  for (const Reference& r : Params(stage, 0).references(list)) follow(doc, r.target, out, visited);
  return out;
}

static LayerQuery queryOf(const Document& doc, const Node& stage, const char* list, const std::string& seen, const char* in) {
  const Params p(stage, 0);
  LayerQuery q{.name = stage.name};
  q.direct = p.flag(seen + "direct");
  q.mirrored = p.flag(seen + "mirrored");
  q.through = p.flag(seen + "through");
  q.everything = p.references(list).empty();
  q.seenIn = namedBy(doc, stage, in);
  for (const NodeId id : namedBy(doc, stage, list)) (doc.find(id)->kind->family() == "material" ? q.materials : q.things).push_back(id);
  return q;
}

LayerQuery sourceQuery(const Document& doc, const Node& stage) {
  LayerQuery q = queryOf(doc, stage, "sources", "", "seen_in");
  q.apart = true;
  return q;
}

// The light that a stage can have for a map, asked for or not, so that asking traces no ray; of everything: there is none.
static LayerQuery mapQuery(const Document& doc, const Node& stage) {
  LayerQuery q{.name = stage.name + " map", .everything = true};
  if (!stage.kind->param("map_of")) return q;
  for (const NodeId id : namedBy(doc, stage, "map_of")) {
    (doc.find(id)->kind->family() == "material" ? q.materials : q.things).push_back(id);
    q.everything = false;
    q.apart = true;
  }
  return q;
}

static LayerQuery maskQuery(const Document& doc, const Node& stage) { return queryOf(doc, stage, "acts_on", "acts_", "acts_in"); }

static void include(std::vector<LayerQuery>& queries, LayerQuery q) {
  if (std::find(queries.begin(), queries.end(), q) == queries.end()) queries.push_back(std::move(q));
}

std::vector<LayerQuery> lensQueries(const Document& doc) {
  std::vector<LayerQuery> queries = {{.name = "all light", .everything = true}};
  // Effects of caustics are told apart, for their reading.
  for (const Node* e : doc.family("effect"))
    if (e->kind->id == "effect.caustics") include(queries, causticsLayer());
  // One layer serves all stages that ask the same.
  for (const Node* s : lensStages(doc)) {
    include(queries, sourceQuery(doc, *s));
    if (LayerQuery map = mapQuery(doc, *s); !map.everything) include(queries, std::move(map));
  }
  return queries;
}

std::vector<LayerQuery> lensMasks(const Document& doc) {
  std::vector<LayerQuery> masks;
  for (const Node* s : lensStages(doc)) {
    if (LayerQuery q = maskQuery(doc, *s); !q.whole()) include(masks, std::move(q));
    if (LayerQuery q = sourceQuery(doc, *s); (stageOf(*s).covers || stageOf(*s).carries) && !q.whole()) {
      q.apart = false;
      include(masks, std::move(q));
    }
  }
  return masks;
}

double lensOverscan(const Document& doc) {
  for (const Node* s : lensStages(doc))
    if (!stageOf(*s).inPlace) return settingsOf(doc).number("overscan");
  return 0;
}

// The effects that a stage is in.
static std::vector<const Node*> effectsOf(const Document& doc, const Node& stage) {
  std::vector<const Node*> out;
  for (const Node* e : doc.family("effect")) {
    if (!e->kind->param("lens")) continue;
    const auto stages = Params(*e, 0).references("lens");
    if (std::any_of(stages.begin(), stages.end(), [&](const Reference& r) { return r.target == stage.id; })) out.push_back(e);
  }
  return out;
}

bool stageActs(const Document& doc, const Node& stage, double frame) {
  if (!Params(stage, frame).flag("on")) return false;
  const std::vector<const Node*> effects = effectsOf(doc, stage);
  return effects.empty() || std::any_of(effects.begin(), effects.end(), [&](const Node* e) { return Params(*e, frame).flag("on"); });
}

namespace {

bool contains(const std::vector<LayerQuery>& list, const LayerQuery& q) { return std::find(list.begin(), list.end(), q) != list.end(); }

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
      if (!std::isfinite(row[3 * x]) || !std::isfinite(row[3 * x + 1]) || !std::isfinite(row[3 * x + 2])) broken[size_t(y)].push_back(x);
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
    if (!lit && std::any_of(p.rgb.begin() + ptrdiff_t(i), p.rgb.begin() + ptrdiff_t(end), [](float v) { return v != 0; })) lit = true;
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
};

struct Stacked {
  uint64_t takenBy = 0; ///< bits of the steps whose source it is; and of those whose map it is, 32 higher
  int tag = 0;
  Picture light;
  bool backdrop = false;
};

// How much a stage acts in each pixel; empty: wholly, everywhere.
std::vector<float> actsWhere(const Step& step, const Params& p, const LensContext& c, const LensLight& light) {
  const size_t n = size_t(c.width) * size_t(c.height);
  std::vector<float> mask = areaMask(c.doc, *step.node, c);
  const auto times = [&](const std::vector<float>& other) {
    if (other.size() != n) return;
    if (mask.empty()) mask.assign(n, 1.0f);
    for (size_t i = 0; i < n; ++i) mask[i] *= other[i];
  };
  if (const LayerQuery q = maskQuery(c.doc, *step.node); !q.whole() && light.coverage) times(light.coverage(q));
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
std::vector<float> shownBy(const LayerQuery& q, const LensContext& c, const LensLight& light, const Picture& source, const std::vector<Stacked>& layers) {
  std::vector<float> out;
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

// light += amount · spread − amount · taken, and without what is taken: to the bit what comes of works that are written out. `taken` may be
// the light.
void blendIn(float* light, const float* spread, const float* taken, size_t n, float amount) {
  if (taken == light)
    for (size_t i = 0; i < n; ++i) light[i] += amount * spread[i] - amount * light[i];
  else
    for (size_t i = 0; i < n; ++i) light[i] += amount * spread[i] - amount * taken[i];
}
void addIn(float* light, const float* spread, size_t n, float amount) {
  for (size_t i = 0; i < n; ++i) light[i] += amount * spread[i];
}

// Light that went out over the things that gave it makes the picture's cover wider: so much of the work on a layer as it was.
void widen(std::vector<float>& alpha, const LensWork& w, const Picture& layer, float amount, const LensContext& c) {
  const float* takes = w.all ? layer.rgb.data() : w.taken.rgb.empty() ? nullptr : w.taken.rgb.data();
  c.tasks.forEach(c.height, [&](int y) {
    for (size_t k = size_t(y) * size_t(c.width), end = k + size_t(c.width); k < end; ++k) {
      if (alpha[k] >= 1) continue;
      float most = 0;
      for (size_t i = 3 * k; i < 3 * k + 3; ++i) most = std::max(most, amount * w.spread.rgb[i] - (takes ? amount * takes[i] : 0));
      alpha[k] += (1 - alpha[k]) * clamp01(most);
    }
  });
}

// What is moved covers the picture where it comes to be: of the cover, the sources' part goes the way of their light.
void carry(std::vector<float>& alpha, std::vector<float> own, const LensOperator& op, float amount, const std::vector<float>& mask, const LensContext& c) {
  Picture cover(c.width, c.height);
  for (size_t i = 0; i < own.size(); ++i) cover.rgb[3 * i] = cover.rgb[3 * i + 1] = cover.rgb[3 * i + 2] = std::min(own[i], alpha[i]);
  const LensWork w = writtenOut(op.apply(cover), cover);
  for (size_t i = 0; i < alpha.size(); ++i) alpha[i] = clamp01(alpha[i] + amount * (mask.empty() ? 1 : mask[i]) * (w.spread.rgb[3 * i + 1] - w.taken.rgb[3 * i + 1]));
}

// Where a thing is moved away from the plates behind it more of them is seen, and less where it comes to be.
void uncover(const LensLight& light, std::vector<Stacked>& layers, const std::vector<float>& own, const LensOperator& op, float amount, const std::vector<float>& mask, const LensContext& c) {
  const auto backdrop = std::find_if(layers.begin(), layers.end(), [](const Stacked& l) { return l.backdrop; });
  if (backdrop == layers.end()) return;
  Picture cover(c.width, c.height);
  for (size_t i = 0; i < own.size(); ++i) cover.rgb[3 * i] = cover.rgb[3 * i + 1] = cover.rgb[3 * i + 2] = clamp01(own[i]);
  const LensWork moved = op.apply(cover);
  if (!moved.all && moved.taken.rgb.empty()) return; // it leaves things where they are
  const LensWork w = writtenOut(moved, cover);
  forRows(c.tasks, c.height, c.width, [&](size_t i, size_t end) {
    for (; i < end; ++i) backdrop->light.rgb[i] += amount * (mask.empty() ? 1 : mask[i / 3]) * (w.taken.rgb[i] - w.spread.rgb[i]) * light.behind.rgb[i];
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
StageResult act(const Step& step, uint64_t bit, const LensContext& c, const LensLight& light, std::vector<Stacked>& layers, bool works, LensResult& result) {
  const Params p(*step.node, c.frame);
  Picture& apart = result.apart;
  std::vector<float>& alpha = result.alpha;
  StageResult r{.stage = step.node->id};
  const auto nothing = [&](const char* why) {
    if (works) r.work = {Picture(c.width, c.height), Picture(c.width, c.height)};
    r.idle = why;
    return r;
  };
  const float amount = p.real("amount");
  std::vector<Stacked*> mine;
  for (Stacked& l : layers)
    if (l.takenBy & bit) mine.push_back(&l);
  if (amount <= 0) return nothing("its amount is 0");
  if (mine.empty()) return nothing("none of its sources is in the picture");
  Picture summed;
  if (mine.size() > 1) summed = mine.front()->light;
  for (size_t i = 1; i < mine.size(); ++i) addTo(summed, mine[i]->light, c.tasks);
  const Picture& source = mine.size() > 1 ? summed : mine.front()->light;
  if (dark(source, c.tasks)) return nothing("its sources give no light in the picture");
  const std::vector<float> mask = actsWhere(step, p, c, light);
  if (!mask.empty() && std::all_of(mask.begin(), mask.end(), [](float m) { return m <= 0; })) return nothing("what it acts on is not in the picture");
  LensContext own = c;
  own.oneLayer = mine.size() == 1;
  if (step.stage->covers) own.covered = shownBy(step.source, c, light, source, layers);
  if (!step.map.everything) {
    own.map = Picture(c.width, c.height);
    for (const Stacked& l : layers)
      if (l.takenBy & bit << 32) addTo(own.map, l.light, c.tasks);
  }
  const LensOperator op = step.stage->prepare(p, source, own);
  const LensBlend mode = lensBlend(op.blend.empty() ? p.text("blend") : op.blend);
  const bool aside = p.text("over_alpha") == "apart", widens = !alpha.empty() && !step.stage->inPlace && p.text("over_alpha") == "widens";
  // A picture that is covered everywhere stays so.
  if (widens && step.stage->carries && std::any_of(alpha.begin(), alpha.end(), [](float a) { return a < 1; }))
    carry(alpha, step.source.whole() ? alpha : shownBy(step.source, c, light, source, layers), op, amount, mask, c);
  const bool named = !step.source.whole() && std::none_of(mine.begin(), mine.end(), [](const Stacked* l) { return l->backdrop; });
  if (step.stage->carries && named && !light.behind.rgb.empty() && !aside) uncover(light, layers, shownBy(step.source, c, light, source, layers), op, amount, mask, c);
  std::vector<LensWork> each;
  for (Stacked* l : mine) each.push_back(op.apply(l->light));
  // With what is added whatever the light, the first layer's work is the stage's own.
  if (!op.rest.rgb.empty()) addTo(each.front().spread, op.rest, c.tasks);
  const bool one = each.size() == 1, told = !step.stage->inPlace && !effectsOf(c.doc, *step.node).empty();
  const auto does = [&](bool any) {
    if (!any) r.idle = step.stage->idle && !step.stage->idle(p).empty() ? step.stage->idle(p) : "it changes nothing with these values";
  };
  if (mode == LensBlend::Add && one && mask.empty() && !aside && !works) {
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
      if (!changes.load(std::memory_order_relaxed) && (all || some ? !std::equal(spread, spread + n, all ? l : taken) : std::any_of(spread, spread + n, [](float v) { return v != 0; }))) changes = true;
      if (all) blendIn(l, spread, l, n, amount);
      else if (some) blendIn(l, spread, taken, n, amount);
      else addIn(l, spread, n, amount);
    });
    does(changes);
    if (told) r.light = double(amount) * luminanceOf(w.spread, c);
    return r;
  }
  for (size_t k = 0; k < each.size(); ++k) each[k] = writtenOut(std::move(each[k]), mine[k]->light);
  // What one layer comes to is the whole, if it is the only one.
  LensWork& all = r.work;
  if (one) all = std::move(each.front());
  else all = each.front();
  for (size_t k = 1; k < each.size(); ++k) {
    addTo(all.taken, each[k].taken, c.tasks);
    addTo(all.spread, each[k].spread, c.tasks);
  }
  const auto share = [&](size_t i) { return mask.empty() ? amount : amount * mask[i / 3]; };
  if (aside && apart.rgb.empty()) apart = Picture(c.width, c.height);
  // Where another blend than adding is asked for, what all light becomes is shared out: more light goes to what is spread, less is taken of
  // what is there.
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
  const bool plain = mode == LensBlend::Add && one && mask.empty() && !aside;
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
        if (out >= b || b == 0) given = spread != 0 ? (out - b) / spread : 0;
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
        l = before + a * (kept * (before - w.taken.rgb[i]) + (aside ? 0 : given * w.spread.rgb[i]) - before);
      }
      // As it came to be.
      all.taken.rgb[i] = a * (taken + (1 - kept) * (mode == LensBlend::Add ? 0 : base.rgb[i] - taken));
      all.spread.rgb[i] = a * given * spread;
      if (aside) apart.rgb[i] += all.spread.rgb[i];
    }
    if (any) changes = true;
  });
  does(changes);
  if (told) r.light = luminanceOf(r.work.spread, c);
  if (widens && !step.stage->carries) widen(alpha, r.work, {}, 1, c);
  if (!works) r.work = {};
  return r;
}

} // namespace

PatternPoint LensContext::point(float x, float y) const {
  PatternPoint p;
  const float u = (x - float(left)) / float(std::max(1, frameWidth)), v = 1 - (y - float(top)) / float(std::max(1, frameHeight));
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
  if (options.on)
    for (const Node* s : lensStages(c.doc)) {
      const bool last = options.until == s->id;
      if (last && options.before) break;
      if (options.solo ? s->id == options.solo : stageActs(c.doc, *s, c.frame)) steps.push_back({s, &stageOf(*s), sourceQuery(c.doc, *s), mapQuery(c.doc, *s)});
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
      const auto same = std::find_if(out.begin(), out.end(), [&](const Stacked& o) { return o.tag == l.tag && (o.takenBy & later) == (l.takenBy & later); });
      if (same == out.end()) out.push_back(std::move(l));
      else {
        addTo(same->light, l.light, c.tasks);
        same->backdrop |= l.backdrop;
      }
    }
    layers = std::move(out);
  };
  r.alpha = light.alpha;
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
    if (light.coverage) light.coverage = [of = std::move(light.coverage), wide = c](const LayerQuery& q) { return cut(of(q), wide); };
    c.width = c.frameWidth;
    c.height = c.frameHeight;
    if (c.anchor)
      c.anchor = [of = std::move(c.anchor), left = float(c.left), top = float(c.top)](NodeId thing, const V3f& at, double frame) {
        Anchor a = of(thing, at, frame);
        a.at -= V2f(left, top);
        return a;
      };
    c.left = c.top = 0;
  };
  for (size_t i = 0; i < steps.size(); ++i) {
    c.tasks.stopIfAsked();
    merge(i);
    if (std::all_of(steps.begin() + ptrdiff_t(i), steps.end(), [](const Step& s) { return s.stage->inPlace; })) frameAlone();
    r.stages.push_back(act(steps[i], uint64_t(1) << i, c, light, layers, options.works, r));
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

bool hasLayers(const Scene& scene, const Document& doc) {
  // A pass of the same question is no substitute: it is not kept apart.
  const auto among = [](const std::vector<LayerQuery>& wanted, const std::vector<LayerQuery>& there) {
    return std::all_of(wanted.begin(), wanted.end(), [&](const LayerQuery& q) { return std::any_of(there.begin(), there.end(), [&](const LayerQuery& t) { return t == q && (t.apart || !q.apart || q.whole()); }); });
  };
  return among(lensQueries(doc), scene.queries) && among(lensMasks(doc), scene.maskQueries);
}

bool hasSurroundings(const Scene& scene, const Document& doc) { return lensOverscan(doc) <= double(scene.overscan) * (1 + 1e-6); }

int layerIndex(const Scene& scene, const LayerQuery& query) {
  const auto it = std::find(scene.queries.begin(), scene.queries.end(), query);
  if (it == scene.queries.end()) throw badInput(query.name + ": the light of its sources was not rendered");
  return int(it - scene.queries.begin());
}

std::vector<Picture> lightBeside(const Scene& scene, const Film& film, const std::vector<Color>& amounts, const Tasks& tasks) {
  std::vector<Picture> beside;
  if (const Film* around = film.surround())
    for (int cell = 0; cell < scene.table.cells(); ++cell) beside.push_back(collectLayers(*around, 1u << cell, amounts, 1, tasks));
  return beside;
}

SceneLight sceneLight(const Scene& scene, const Film& film, const std::vector<Color>& amounts, const Tasks& tasks, const Denoiser* denoiser, const CancelFlag* cancel) {
  SceneLight light;
  for (int l = 0; l < scene.table.size(); ++l) light.layers.push_back(collectLayers(film, 1u << l, amounts, 1, tasks));
  if (denoiser) {
    std::vector<const Picture*> all;
    for (const Picture& p : light.layers) all.push_back(&p);
    light.layers = denoiser->apply(all, tasks, cancel);
    light.covers = cleanCoverage(film, *denoiser, tasks, cancel);
  }
  light.beside = lightBeside(scene, film, amounts, tasks);
  if (scene.plates) {
    PlateLayers plates = plateLayers(*scene.plates, film, light.covers.alpha, tasks);
    light.keep = std::move(plates.keep);
    light.add = std::move(plates.add);
    light.parts = std::move(plates.parts);
  }
  return light;
}

Picture queryLight(const Scene& scene, const SceneLight& light, const LayerQuery& query) {
  Picture out;
  for (uint32_t bits = scene.table.layers(layerIndex(scene, query)); bits; bits &= bits - 1) {
    const Picture& p = light.layers[size_t(std::countr_zero(bits))];
    if (out.rgb.empty()) out = p;
    else
      for (size_t i = 0; i < p.rgb.size(); ++i) out.rgb[i] += p.rgb[i];
  }
  return out.rgb.empty() ? Picture(light.layers.front().width, light.layers.front().height) : out;
}

namespace {

std::vector<LayerQuery> queriesOfCell(const Scene& scene, int cell) {
  std::vector<LayerQuery> out;
  for (uint32_t bits = scene.table.queriesOf(cell); bits; bits &= bits - 1) out.push_back(scene.queries[size_t(std::countr_zero(bits))]);
  return out;
}

// `margin`: by how many pixels the pictures reach over the frame.
LensContext contextOf(const Document& doc, double frame, const Scene& scene, int width, int height, int margin, const Tasks& tasks, const LensOptions& options) {
  LensContext c = LensContext::of(doc, frame, width, height, tasks);
  c.assets = options.assets;
  c.convolutions = options.convolutions;
  c.left = c.top = margin;
  c.width += 2 * margin;
  c.height += 2 * margin;
  if (activeCamera(doc))
    c.anchor = [&doc, &scene, width, height, margin](NodeId thing, const V3f& place, double at) {
      const SeenAt s = seenAt(doc, scene, thing, place, at);
      return Anchor{{s.at.x * float(width) / float(scene.width) + float(margin), s.at.y * float(height) / float(scene.height) + float(margin)}, s.share, s.depth};
    };
  c.bounds = [&doc, &scene](NodeId thing) {
    Box3f box;
    const std::set<NodeId> all = heldBy(doc, thing);
    for (const Instance& i : scene.instances)
      if (scene.things[i.thing].among(all)) box.extendBy(i.bounds);
    return box;
  };
  c.right = scene.camera.right();
  return c;
}

// By how many pixels of the film the stack's pictures reach over its frame.
int marginOf(const Document& doc, double frame, const Film& film, const LensOptions& options) {
  if (!options.on || !film.surround()) return 0;
  for (const Node* s : lensStages(doc))
    if (!stageOf(*s).inPlace && (options.solo ? s->id == options.solo : stageActs(doc, *s, frame))) return Film::coarse * film.margin();
  return 0;
}

// A number of every pixel, in and beside the frame: it is smooth enough there to be taken as a picture.
std::vector<float> surrounded(const Film& film, int margin, const Tasks& tasks, const std::function<float(const Film& of, size_t pixel)>& value) {
  const auto fill = [&](const Film& of, float* to, size_t apart) {
    tasks.forEach(of.height(), [&](int y) {
      for (size_t i = size_t(y) * size_t(of.width()), end = i + size_t(of.width()); i < end; ++i) to[apart * i] = value(of, i);
    });
  };
  if (margin == 0) {
    std::vector<float> out(size_t(film.width()) * size_t(film.height()));
    fill(film, out.data(), 1);
    return out;
  }
  Picture frame(film.width(), film.height()), beside(film.surround()->width(), film.surround()->height());
  fill(film, frame.rgb.data(), 3);
  fill(*film.surround(), beside.rgb.data(), 3);
  const Picture p = ilumbra::surrounded(film, frame, std::move(beside), tasks);
  std::vector<float> out(p.pixels());
  tasks.forEach(p.height, [&](int y) {
    for (size_t i = size_t(y) * size_t(p.width), end = i + size_t(p.width); i < end; ++i) out[i] = p.rgb[3 * i];
  });
  return out;
}

// In the middle of a larger picture that is else empty.
std::vector<float> padded(const std::vector<float>& v, int width, int height, int margin) {
  if (margin == 0) return v;
  const int wide = width + 2 * margin;
  std::vector<float> out(size_t(wide) * size_t(height + 2 * margin), 0.0f);
  for (int y = 0; y < height; ++y) std::copy_n(v.begin() + ptrdiff_t(size_t(y) * size_t(width)), width, out.begin() + ptrdiff_t(size_t(y + margin) * size_t(wide)) + margin);
  return out;
}
Picture padded(Picture p, int margin) {
  if (margin == 0) return p;
  Picture out(p.width + 2 * margin, p.height + 2 * margin);
  for (int y = 0; y < p.height; ++y) std::copy_n(p.at(0, y), 3 * p.width, out.at(margin, y + margin));
  return out;
}

bool names(const LayerQuery& q, const PlatePart& part) {
  // A plate is seen straight alone.
  return q.direct && q.seenIn.empty() && std::any_of(q.things.begin(), q.things.end(), [&](NodeId id) { return id == part.id || id == part.plate; });
}

// What plates add to all light: their parts as light of what names them. Plates end with the frame.
void addPlates(LensLight& light, const Scene& scene, Picture all, std::vector<PlatePart> parts, int margin) {
  const int width = all.width, height = all.height;
  for (PlatePart& p : parts) {
    for (size_t i = 0; i < all.rgb.size(); ++i) all.rgb[i] -= p.light.rgb[i];
    LensLight::Layer layer;
    for (const LayerQuery& q : scene.queries)
      if (q.apart && names(q, p)) layer.of.push_back(q);
    layer.light = padded(std::move(p.light), margin);
    light.layers.push_back(std::move(layer));
  }
  light.layers.push_back({{}, padded(std::move(all), margin), true});
  if (parts.empty()) return;
  light.coverage = [of = std::move(light.coverage), parts = std::make_shared<const std::vector<PlatePart>>(std::move(parts)), width, height, margin](const LayerQuery& q) {
    std::vector<float> out = of ? of(q) : std::vector<float>();
    for (const PlatePart& p : *parts) {
      if (!names(q, p)) continue;
      const std::vector<float> covers = padded(p.covers, width, height, margin);
      out.resize(covers.size(), 0.0f);
      for (size_t i = 0; i < out.size(); ++i) out[i] += covers[i];
    }
    return out;
  };
}

// `covers`: of the film's own pixels; empty: as it has them.
LensLight lightOf(const Scene& scene, const Film& film, int margin, std::vector<Picture> cells, const CleanCoverage& covers, const Tasks& tasks) {
  LensLight light;
  for (int cell = 0; cell < scene.table.cells(); ++cell) light.layers.push_back({queriesOfCell(scene, cell), std::move(cells[size_t(cell)])});
  light.coverage = [&scene, &film, margin, &tasks, masks = covers.masks](const LayerQuery& q) {
    const auto it = std::find(scene.maskQueries.begin(), scene.maskQueries.end(), q);
    if (it == scene.maskQueries.end()) return std::vector<float>();
    const auto mask = size_t(it - scene.maskQueries.begin());
    return surrounded(film, margin, tasks, [&](const Film& of, size_t i) { return &of == &film && mask < masks.size() ? masks[mask][i] : of.coverage(i, int(mask)); });
  };
  light.alpha = surrounded(film, margin, tasks, [&](const Film& of, size_t i) { return &of == &film ? plateAlpha(scene.plates.get(), covers.alpha.empty() ? film.alpha(i) : covers.alpha[i], i) : clamp01(of.alpha(i)); });
  return light;
}

// All that a stack works on.
LensLight stackedLight(const Scene& scene, const Film& film, const SceneLight& light, float exposure, int margin, const Tasks& tasks) {
  const auto exposed = [&](Picture& p, const Picture& keep) {
    forRows(tasks, p.height, p.width, [&](size_t i, size_t end) {
      for (; i < end; ++i) p.rgb[i] *= keep.rgb.empty() ? exposure : exposure * keep.rgb[i];
    });
  };
  std::vector<Picture> cells;
  for (int cell = 0; cell < scene.table.cells(); ++cell) {
    cells.push_back(light.layers[size_t(cell)]);
    exposed(cells.back(), light.keep);
    if (margin == 0) continue;
    Picture beside = light.beside[size_t(cell)];
    exposed(beside, {});
    cells.back() = surrounded(film, cells.back(), std::move(beside), tasks);
  }
  LensLight out = lightOf(scene, film, margin, std::move(cells), light.covers, tasks);
  if (!light.add.rgb.empty()) {
    addPlates(out, scene, light.add, light.parts, margin);
    if (Picture behind = platesBehind(*scene.plates, film.width(), film.height(), tasks); !behind.rgb.empty()) out.behind = padded(std::move(behind), margin);
  }
  return out;
}

LensLight platesStacked(const Scene& scene, const Tasks& tasks) {
  LensLight light;
  if (scene.plates) addPlates(light, scene, platesLight(*scene.plates, tasks), platesParts(*scene.plates), 0);
  else light.layers.push_back({{}, Picture(scene.width, scene.height)});
  return light;
}

} // namespace

LensLight filmLight(const Scene& scene, const Film& film, const SceneLight& light, float exposure, const Tasks& tasks) {
  return stackedLight(scene, film, light, exposure, light.beside.empty() ? 0 : Film::coarse * film.margin(), tasks);
}

LensResult develop(const Document& doc, double frame, const Scene& scene, const Film& film, const std::vector<Color>& amounts, const Tasks& all, const LensOptions& options) {
  const Tasks tasks = all.stoppedBy(options.cancel);
  if (scene.plates) return develop(doc, frame, scene, film, sceneLight(scene, film, amounts, tasks), tasks, options);
  const float exposure = exposureFactor(doc, frame);
  std::vector<Picture> cells;
  if (!options.on) return {collect(film, 0, amounts, exposure, tasks), {}};
  const int margin = marginOf(doc, frame, film, options);
  for (int l = 0; l < scene.table.cells(); ++l) {
    cells.push_back(collectLayers(film, 1u << l, amounts, exposure, tasks));
    if (margin > 0) cells.back() = surrounded(film, cells.back(), collectLayers(*film.surround(), 1u << l, amounts, exposure, tasks), tasks);
  }
  return applyLens(contextOf(doc, frame, scene, film.width(), film.height(), margin, tasks, options), lightOf(scene, film, margin, std::move(cells), {}, tasks), options);
}

LensResult develop(const Document& doc, double frame, const Scene& scene, const Film& film, const SceneLight& light, const Tasks& all, const LensOptions& options) {
  const Tasks tasks = all.stoppedBy(options.cancel);
  const int margin = light.beside.empty() ? 0 : marginOf(doc, frame, film, options);
  return applyLens(contextOf(doc, frame, scene, film.width(), film.height(), margin, tasks, options), stackedLight(scene, film, light, exposureFactor(doc, frame), margin, tasks), options);
}

LensResult developPlates(const Document& doc, double frame, const Scene& scene, const Tasks& all, const LensOptions& options) {
  const Tasks tasks = all.stoppedBy(options.cancel);
  return applyLens(contextOf(doc, frame, scene, scene.width, scene.height, 0, tasks, options), platesStacked(scene, tasks), options);
}

SmallLens::SmallLens(const Scene& scene, const Film& film, const std::vector<Color>& amounts, float exposure, int width, const Tasks& tasks) : m_scene(scene), m_tasks(tasks) {
  // Plates alone have no film.
  const bool bare = scene.bare();
  LensLight full = bare ? platesStacked(scene, tasks) : filmLight(scene, film, sceneLight(scene, film, amounts, tasks), exposure, tasks);
  const int wide = full.layers.front().light.width, high = full.layers.front().light.height, margin = bare ? 0 : (wide - film.width()) / 2, w = wide - 2 * margin, h = high - 2 * margin;
  m_width = std::clamp(width, 1, std::max(1, w));
  m_height = std::clamp(m_width * h / std::max(1, w), 1, std::max(1, h));
  // As much of what lies beside the frame as makes whole pixels.
  m_margin = std::min(margin * m_width / std::max(1, w), margin * m_height / std::max(1, h));
  const int across = int(std::lround(double(m_margin) * w / m_width)), down = int(std::lround(double(m_margin) * h / m_height));
  const auto small = [&](const std::vector<float>& v, int channels) {
    const int cw = w + 2 * across, ch = h + 2 * down;
    if (cw == wide && ch == high) return shrunk(v, cw, ch, channels, m_width + 2 * m_margin, m_height + 2 * m_margin, tasks);
    std::vector<float> part(size_t(cw) * size_t(ch) * size_t(channels));
    for (int y = 0; y < ch; ++y) std::copy_n(v.begin() + ptrdiff_t((size_t(y + margin - down) * size_t(wide) + size_t(margin - across)) * size_t(channels)), size_t(cw) * size_t(channels), part.begin() + ptrdiff_t(size_t(y) * size_t(cw) * size_t(channels)));
    return shrunk(part, cw, ch, channels, m_width + 2 * m_margin, m_height + 2 * m_margin, tasks);
  };
  for (LensLight::Layer& l : full.layers) {
    Picture p(m_width + 2 * m_margin, m_height + 2 * m_margin);
    p.rgb = small(l.light.rgb, 3);
    m_light.layers.push_back({std::move(l.of), std::move(p)});
  }
  if (full.coverage)
    for (const LayerQuery& q : scene.maskQueries)
      if (const std::vector<float> c = full.coverage(q); !c.empty()) m_covered.emplace_back(q, small(c, 1));
  if (!full.alpha.empty()) m_light.alpha = small(full.alpha, 1);
}

LensResult SmallLens::develop(const Document& doc, double frame, const LensOptions& options) const {
  LensLight light = m_light;
  light.coverage = [this](const LayerQuery& q) {
    const auto it = std::find_if(m_covered.begin(), m_covered.end(), [&](const auto& c) { return c.first == q; });
    return it == m_covered.end() ? std::vector<float>() : it->second;
  };
  const Tasks tasks = m_tasks.stoppedBy(options.cancel);
  return applyLens(contextOf(doc, frame, m_scene, m_width, m_height, m_margin, tasks, options), std::move(light), options);
}

std::optional<double> fittingAmount(const Document& doc, NodeId stage, double frame, const Scene& scene, const Film& film, const std::vector<Color>& amounts, const Tasks& tasks, const LensOptions& options) {
  const Node* n = doc.find(stage);
  if (!n || stageOf(*n).level <= 0) return {};
  const ParamDef& d = *n->kind->param("amount");
  const double present = Params(*n, frame).number("amount"), level = double(stageOf(*n).level);
  // At the most that there can be, so that what is faint is not left out.
  LensOptions until = options;
  until.until = stage;
  until.works = true;
  const LensResult r = SmallLens(scene, film, amounts, exposureFactor(doc, frame), std::min(scene.width, 320), tasks).develop(setValue(doc, stage, "amount", Constant(d.hardMax)), frame, until);
  for (const StageResult& s : r.stages) {
    if (s.stage != stage || s.work.spread.rgb.empty()) continue;
    std::vector<float> all;
    for (size_t i = 0; i < s.work.spread.pixels(); ++i) all.push_back(std::max({s.work.spread.rgb[3 * i], s.work.spread.rgb[3 * i + 1], s.work.spread.rgb[3 * i + 2]}));
    const auto most = all.begin() + std::ptrdiff_t(all.size() - 1 - all.size() / 1000);
    std::nth_element(all.begin(), most, all.end());
    const double unit = double(*most) / d.hardMax;
    if (!(unit > 0) || (unit * present > 0.4 * level && unit * present < 2.5 * level)) return {};
    // Two digits read like a choice.
    const double wanted = std::clamp(level / unit, 1e-4, d.hardMax), digit = std::pow(10, std::floor(std::log10(wanted)) - 1);
    return std::clamp(std::round(wanted / digit) * digit, d.hardMin, d.hardMax);
  }
  return {};
}

std::vector<Picture> lightShares(const Document& doc, double frame, const Scene& scene, const Film& film, const std::vector<Color>& amounts, const std::vector<int>& groups, const Tasks& tasks, const LensOptions& options) {
  const float exposure = exposureFactor(doc, frame);
  const int margin = marginOf(doc, frame, film, options);
  LensLight light = lightOf(scene, film, margin, std::vector<Picture>(size_t(scene.table.cells())), {}, tasks);
  light.layers.clear();
  std::vector<Color> rest = amounts;
  for (const int g : groups) rest[size_t(g)] = Color(0.0f);
  const auto layersOf = [&](const std::vector<Color>& chosen, int tag) {
    for (int cell = 0; cell < scene.table.cells(); ++cell) {
      Picture p = collectLayers(film, 1u << cell, chosen, exposure, tasks);
      if (margin > 0) p = surrounded(film, p, collectLayers(*film.surround(), 1u << cell, chosen, exposure, tasks), tasks);
      light.layers.push_back({queriesOfCell(scene, cell), std::move(p), false, tag});
    }
  };
  layersOf(rest, -1);
  for (const int g : groups) {
    std::vector<Color> one(amounts.size(), Color(0.0f));
    one[size_t(g)] = amounts[size_t(g)];
    layersOf(one, g);
  }
  LensResult r = applyLens(contextOf(doc, frame, scene, film.width(), film.height(), margin, tasks, options), std::move(light), options);
  std::vector<Picture> out;
  for (const int g : groups)
    for (auto& [tag, picture] : r.shares)
      if (tag == g) out.push_back(std::move(picture));
  return out;
}

} // namespace ilumbra
