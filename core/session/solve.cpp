#include "core/session/solve.h"

#include "core/advise/readings.h"
#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/compile/even_patterns.h"
#include "core/document/units.h"
#include "core/effects/route.h"
#include "core/effects/route_parts.h"
#include "core/effects/sight_probe.h"
#include "core/effects/slab.h"
#include "core/geometry/shape.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"
#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"
#include "core/transport/rendering.h"

#include <cmath>
#include <fmt/format.h>

namespace ilumbra {

namespace {

using What = Goal::What;

constexpr int wide = 240;          // of small renders
constexpr uint32_t fewSamples = 8; // of them: the same each time

// One small render: the film and all that is measured from it.
struct Small {
  Document doc;
  ScenePtr scene;
  Rendering rendering;
  LensResult developed;
};

class Solver {
 public:
  Solver(const Document& doc, const Goal& goal, const SolveOptions& options)
      : m_goal(goal), m_options(options), m_doc(small(doc)), m_frame(currentFrame(doc)) {}

  double measureIn(const Document& doc) {
    switch (m_goal.what) {
    case What::StopsAboveWhite:
      return route(doc).peak;
    case What::ShareThrough:
      return double(luminance(probe(doc).through));
    case What::MirroredShare:
      return double(luminance(probe(doc).mirrored));
    case What::HalfThrough:
      return half(doc);
    case What::FocusOn:
      return activeCamera(doc) ? Params(*activeCamera(doc), m_frame).number("focus") : 0;
    case What::HaloHalfWidth:
    case What::CoreOverSurround: {
      const Readings r = readings(doc);
      if (r.halo.empty()) return 0;
      return m_goal.what == What::HaloHalfWidth ? r.halo.front().halfWidth
                                                : r.halo.front().core - r.halo.front().surround;
    }
    }
    return 0;
  }

  Solution solve() {
    switch (m_goal.what) {
    case What::StopsAboveWhite:
    case What::CoreOverSurround:
      return brightness();
    case What::ShareThrough:
      return through();
    case What::HalfThrough:
      return halfThroughAt();
    case What::MirroredShare:
      return mirrored();
    case What::FocusOn:
      return focus();
    case What::HaloHalfWidth:
      return haloWidth();
    }
    return {};
  }
  const Document& doc() const { return m_doc; }

 private:
  // The document as small renders have it.
  static Document small(const Document& doc) {
    const Params s = settingsOf(doc);
    const double high = std::max(1.0, std::round(wide * s.number("height") / std::max(1.0, s.number("width"))));
    return setValue(setValue(doc, doc.settings().id, "width", Constant(double(wide))), doc.settings().id, "height",
                    Constant(high));
  }
  FileAssets files() const { return m_options.assets.assets(m_doc.folder(), m_options.cancel); }
  void told(double share) const {
    if (m_options.progress) m_options.progress(share);
  }
  static const CancelFlag& flag(const SolveOptions& o) {
    static const CancelFlag never;
    return o.cancel ? *o.cancel : never;
  }

  ScenePtr compiled(const Document& doc) {
    const FileAssets assets = files();
    return compileScene(
        doc, {.frame = m_frame, .queries = lensQueries(doc), .masks = lensMasks(doc), .overscan = lensOverscan(doc)},
        assets, m_cache, m_options.cancel);
  }
  Small render(const Document& given) {
    const FileAssets assets = files();
    Small s{withEvenValues(given, m_frame, assets), nullptr, {}, {}};
    s.scene = compiled(s.doc);
    if (!activeCamera(s.doc)) throw badInput("there is no camera");
    s.rendering = Rendering(s.scene);
    if (!s.scene->bare() && !s.rendering.advance(m_options.tasks, fewSamples, flag(m_options))) throw cancelled();
    s.developed = develop(s.doc, m_frame, *s.scene, s.rendering.film(), s.scene->groupScales, m_options.tasks,
                          {.assets = &assets, .cancel = m_options.cancel});
    return s;
  }
  Route route(const Document& doc) {
    const Small s = render(doc);
    return measureRoute(s.doc, m_goal.of, m_frame, *s.scene, s.rendering.film(), s.scene->groupScales, s.developed,
                        m_options.tasks);
  }
  Readings readings(const Document& doc) {
    const Small s = render(doc);
    return takeReadings(
        {.doc = s.doc, .frame = m_frame, .picture = s.developed.picture, .effect = m_goal.of, .scene = s.scene.get()});
  }
  SightProbe probe(const Document& given) {
    const FileAssets assets = files();
    const Document doc = withEvenValues(given, m_frame, assets);
    const ScenePtr scene = compiled(doc);
    std::set<NodeId> ids;
    for (const Node* n : bodies(doc)) ids.insert(n->id);
    std::set<uint16_t> things;
    for (size_t t = 0; t < scene->things.size(); ++t)
      if (scene->things[t].among(ids)) things.insert(uint16_t(t));
    SightProbe p = probeSight(*scene, things);
    if (p.rays.empty()) throw badInput(effect(doc).name + ": nothing of it is in the picture");
    return p;
  }
  const Node& effect(const Document& doc) const {
    const Node* n = doc.find(m_goal.of);
    if (!n || n->kind->family() != "effect") throw badInput("this goal is one of an effect");
    return *n;
  }
  std::vector<const Node*> bodies(const Document& doc) const {
    const Node& e = effect(doc);
    std::vector<const Node*> out;
    for (const NodeId id : roleOf(doc, e, e.kind->param("through") ? "through" : "onto")) leaf(doc, id, out);
    std::erase_if(out, [](const Node* n) { return !n->kind->param("material"); });
    if (out.empty()) throw badInput(e.name + ": has no body");
    return out;
  }
  // The surface material that the first of the bodies wears.
  const Node& matter(const Document& doc) const {
    for (const Node* n : bodies(doc))
      if (const Node* m = doc.find(wornMaterial(doc, *n, m_frame).target); m && m->kind->id == "material.surface")
        return *m;
    throw badInput(effect(doc).name + ": its body wears no surface material of its own");
  }
  double half(const Document& doc) {
    const ScenePtr scene = compiled(withEvenValues(doc, m_frame, files()));
    const NodeId wanted = matter(doc).id;
    for (const auto& m : scene->materials)
      if (m->node == wanted) return halfThrough(m->interior);
    return 0;
  }
  void needConstant(const Node& n, const char* param) const {
    if (const Value* v = n.find(param); v && v->pattern())
      throw badInput(fmt::format("{}.{}: a pattern drives it", n.name, param));
  }

  // A value set, told, and measured again.
  Solution found(const Document& before, double was, const std::vector<std::pair<Address, double>>& set) {
    Solution s;
    s.before = was;
    Document after = before;
    for (const auto& [at, v] : set) {
      const ParamDef& d = definitionAt(before, at);
      const double exact = std::clamp(v, d.hardMin, d.hardMax);
      // Four digits that count: they stay within the tolerance.
      const std::string typed = fmt::format("{:.4g}", exact);
      const Value now = Value(Constant(Params(*before.find(at.node), m_frame).constant(at.param)));
      const Document next = setNow(after, at, std::stod(typed));
      s.text += fmt::format("{}{} of {}: {} → {}", s.text.empty() ? "" : "; ", d.label, before.find(at.node)->name,
                            formatValue(before, d, now), formatValue(before, d, Value(Constant(std::stod(typed)))));
      s.sets.emplace_back(addressText(before, at), typed);
      after = next;
    }
    s.reached = measureIn(after);
    return s;
  }
  Solution refused(double was, std::string why) {
    Solution s;
    s.before = s.reached = was;
    s.why = std::move(why);
    return s;
  }

  // The parameter that makes the sources brighter: it is linear, so that stops add up.
  struct Source {
    Address at;
    bool stops = false; ///< it counts in stops; else in light
  };
  // All of them together, each once: then their light grows as one.
  std::vector<Source> sources() const {
    std::vector<Source> out;
    const auto add = [&](NodeId id, const char* param, bool stops) {
      const Address at{id, param, 0, {}};
      if (std::none_of(out.begin(), out.end(), [&](const Source& s) { return s.at == at; })) out.push_back({at, stops});
    };
    for (const NodeId id : roleOf(m_doc, effect(m_doc), "from")) {
      std::vector<const Node*> nodes;
      leaf(m_doc, id, nodes);
      for (const Node* n : nodes) {
        if (n->kind->param("stops") && n->kind->family() == "light") {
          add(n->id, "stops", true);
          continue;
        }
        const Node* m = n->kind->param("own_light")  ? n
                        : n->kind->param("material") ? m_doc.find(wornMaterial(m_doc, *n, m_frame).target)
                                                     : nullptr;
        if (!m || !m->kind->param("own_light") || Params(*m, m_frame).number("own_light") <= 0) continue;
        needConstant(*m, "own_light");
        add(m->id, "own_light", false);
      }
    }
    if (out.empty()) throw badInput(effect(m_doc).name + ": From has no light whose power could be set");
    return out;
  }
  std::vector<std::pair<Address, double>> brighter(const std::vector<Source>& sources, double stops) const {
    std::vector<std::pair<Address, double>> out;
    for (const Source& s : sources) {
      const double now = Params(*m_doc.find(s.at.node), m_frame).number(s.at.param);
      out.emplace_back(s.at, s.stops ? now + stops : now * std::exp2(stops));
    }
    return out;
  }
  Document with(const std::vector<std::pair<Address, double>>& set) const {
    Document out = m_doc;
    for (const auto& [at, v] : set) {
      const ParamDef& d = definitionAt(m_doc, at);
      out = setNow(out, at, std::clamp(v, d.hardMin, d.hardMax));
    }
    return out;
  }
  Solution brightness() {
    const std::vector<Source> all = sources();
    const double was = measureIn(m_doc);
    told(0.2);
    if (was <= -99) return refused(was, "nothing of it is seen: a brighter light changes nothing");
    // Light adds up: first as if it were all of the sources, then by what is left over.
    double stops = m_goal.value - was, best = stops, off = 1e300, nearest = was;
    for (int step = 0; step < 6 && std::abs(stops) < 40; ++step) {
      const double reached = measureIn(with(brighter(all, stops))), miss = m_goal.value - reached;
      told(0.2 + 0.12 * (step + 1));
      if (std::abs(miss) < off) {
        off = std::abs(miss);
        best = stops;
        nearest = reached;
      }
      if (off < 0.02) break;
      stops += miss;
    }
    if (off > 0.05)
      return refused(was, fmt::format("{} alone does not bring it there: the nearest is {}",
                                      m_doc.find(all.front().at.node)->name, goalText(m_goal.what, nearest)));
    return found(m_doc, was, brighter(all, best));
  }

  // The value of a parameter at which a measure that only rises or falls with it is met; none: it lies beyond.
  std::optional<double> bisect(const Address& at, double low, double high, bool logarithmic) {
    const auto of = [&](double v) { return measureIn(setNow(m_doc, at, v)); };
    double a = of(low), b = of(high);
    told(0.3);
    m_least = std::min(a, b);
    m_most = std::max(a, b);
    if ((m_goal.value - a) * (m_goal.value - b) > 0) return {};
    const bool rises = b > a;
    double best = low, off = 1e300;
    for (int step = 0; step < 24; ++step) {
      const double mid = logarithmic ? std::sqrt(low * high) : 0.5 * (low + high), v = of(mid);
      told(0.3 + 0.6 * step / 24);
      if (std::abs(v - m_goal.value) < off) {
        off = std::abs(v - m_goal.value);
        best = mid;
      }
      if (off < 0.004 * std::max(1e-9, std::abs(m_goal.value))) break;
      ((v < m_goal.value) == rises ? low : high) = mid;
    }
    return best;
  }

  Solution through() {
    const double was = measureIn(m_doc);
    told(0.1);
    const Node& m = matter(m_doc);
    const Params p(m, m_frame);
    if (p.flag("thin")) throw badInput(m.name + ": is a thin sheet, without a depth for light to lose itself in");
    needConstant(m, "attenuation_depth");
    needConstant(m, "attenuation_color");
    if (!(m_goal.value > 0) || m_goal.value >= 1)
      return refused(was, "between nothing and all of it can get through: type a share between 0 and 100 %");
    const Triple c = p.triple("attenuation_color");
    const NodeId id = m.id;
    const std::string name = m.name;
    // White takes nothing at any depth: a grey of half is what the depth then speaks of.
    const bool white = std::min({c[0], c[1], c[2]}) > 0.98;
    if (white) m_doc = setNow(m_doc, {id, "attenuation_color", 0, {}}, Triple{0.5, 0.5, 0.5});
    const Address at{id, "attenuation_depth", 0, {}};
    const auto v = bisect(at, 1e-4, 1e3, true);
    if (!v)
      return refused(was, fmt::format("at most {} gets through: the rest is mirrored off its faces; the least is {}",
                                      percent(m_most), percent(m_least)));
    Solution s = found(m_doc, was, {{at, *v}});
    if (white) {
      s.sets.insert(s.sets.begin(), {name + ".attenuation_color", "0.5, 0.5, 0.5"});
      s.text = fmt::format("{} becomes grey in depth; ", name) + s.text;
    }
    return s;
  }

  Solution halfThroughAt() {
    const Node& m = matter(m_doc);
    needConstant(m, "subsurface_depth");
    const double was = measureIn(m_doc);
    if (!(was > 0)) return refused(was, m.name + " does not scatter light inside: let light enter it first");
    if (!(m_goal.value > 0)) return refused(was, "a thickness is more than 0");
    // All ways in it scale with its mean free path.
    return found(
        m_doc, was,
        {{{m.id, "subsurface_depth", 0, {}}, Params(m, m_frame).number("subsurface_depth") * m_goal.value / was}});
  }

  Solution mirrored() {
    const double was = measureIn(m_doc);
    told(0.1);
    const Node& m = matter(m_doc);
    const Params p(m, m_frame);
    if (!(m_goal.value >= 0) || m_goal.value > 1) return refused(was, "type a share between 0 and 100 %");
    if (p.number("metalness") > 0.5) {
      needConstant(m, "base_color");
      // Its colour, darker or lighter: what it sends back is nearly that.
      const Triple c = p.triple("base_color");
      const double most = std::max({c[0], c[1], c[2], 1e-6});
      Triple best = c;
      double low = 0, high = 1 / most, off = 1e300;
      for (int step = 0; step < 20; ++step) {
        const double k = 0.5 * (low + high);
        const Triple t{c[0] * k, c[1] * k, c[2] * k};
        const double v = measureIn(setNow(m_doc, {m.id, "base_color", 0, {}}, t));
        told(0.1 + 0.04 * step);
        if (std::abs(v - m_goal.value) < off) {
          off = std::abs(v - m_goal.value);
          best = t;
        }
        if (off < 0.004) break;
        (v < m_goal.value ? low : high) = k;
      }
      if (off > 0.02 * std::max(0.05, m_goal.value))
        return refused(was, fmt::format("this metal sends back {} at most",
                                        percent(m_goal.value > was ? m_goal.value - off : m_goal.value + off)));
      Solution s;
      s.before = was;
      s.sets = {{m.name + ".base_color", fmt::format("{:.4g}, {:.4g}, {:.4g}", best[0], best[1], best[2])}};
      s.text = fmt::format("Colour of {}: {}", m.name, s.sets.front().second);
      s.reached = measureIn(applySolution(m_doc, s));
      return s;
    }
    needConstant(m, "ior");
    const Address at{m.id, "ior", 0, {}};
    const auto v =
        bisect(at, 1.0001, definitionAt(m_doc, at).hardMax < 1e3 ? definitionAt(m_doc, at).hardMax : 6, false);
    if (!v)
      return refused(was, fmt::format("a boundary like this sends back between {} and {}: make it metal for more",
                                      percent(m_least), percent(m_most)));
    return found(m_doc, was, {{at, *v}});
  }

  Solution focus() {
    const Node* camera = activeCamera(m_doc);
    if (!camera || !camera->kind->param("focus")) throw badInput("there is no camera that could be focused");
    const ScenePtr scene = compiled(withEvenValues(m_doc, m_frame, files()));
    const double was = Params(*camera, m_frame).number("focus");
    V3f place(0.0f);
    if (m_goal.of) {
      const Node* n = m_doc.find(m_goal.of);
      if (!n) throw badInput("there is no such thing");
      Box3f box;
      for (const InstancedObject& i : scene->objects)
        if (const NodeId id = scene->things[i.thing].node; id == n->id || inside(id, n->id)) box.extendBy(i.bounds);
      if (box.isEmpty()) {
        if (!n->kind->param("position")) throw badInput(n->name + ": stands nowhere that could be focused on");
        place = transformPoint(standingMatrix(m_doc, *n, m_frame), V3f(0.0f));
      } else {
        place = box.center();
        // Its surface, as the camera sees it.
        const V3f eye = scene->camera.position(), way = normalize(place - eye);
        TraceCount count;
        const RayCaster rays(*scene, count, nullptr);
        Hit hit;
        if (rays.intersect(eye, way, length(place - eye), hit)) {
          const NodeId id = scene->things[hit.object->thing].node;
          if (id == n->id || inside(id, n->id)) place = hit.point;
        }
      }
    } else {
      const Ray ray = scene->camera.through(float(m_goal.x * scene->width), float(m_goal.y * scene->height));
      TraceCount count;
      const RayCaster rays(*scene, count, nullptr);
      Hit hit;
      if (!rays.intersect(ray.origin, ray.direction, std::numeric_limits<float>::infinity(), hit))
        return refused(was, "there is nothing at this place");
      place = hit.point;
    }
    const double ahead = double(dot(place - scene->camera.position(), scene->camera.forward()));
    if (!(ahead > 0)) return refused(was, "it lies behind the camera");
    return found(m_doc, was, {{{camera->id, "focus", 0, {}}, ahead}});
  }
  bool inside(NodeId id, NodeId group) const {
    for (const Node* n = m_doc.find(id); n; n = m_doc.find(n->parent))
      if (n->id == group) return true;
    return false;
  }

  Solution haloWidth() {
    const double was = measureIn(m_doc);
    told(0.1);
    for (const NodeId id : roleOf(m_doc, effect(m_doc), "lens")) {
      const Node* n = m_doc.find(id);
      if (!n || n->kind->id != "lens.glow") continue;
      needConstant(*n, "size");
      const Address at{id, "size", 0, {}};
      const ParamDef& d = definitionAt(m_doc, at);
      const auto v = bisect(at, std::max(0.002, d.hardMin), std::min(2.0, d.hardMax), true);
      if (!v)
        return refused(was, fmt::format("with this light and falloff it lies between {:.1f} and {:.1f} % of the height",
                                        100 * m_least, 100 * m_most));
      return found(m_doc, was, {{at, *v}});
    }
    throw badInput(effect(m_doc).name + ": its lens has no glow whose size could be set");
  }

  const Goal& m_goal;
  const SolveOptions& m_options;
  Document m_doc;
  const double m_frame;
  SceneCache m_cache;
  double m_least = 0, m_most = 0;
};

} // namespace

const std::vector<std::string>& goalNames() {
  static const std::vector<std::string> names = {"stops above white",      "share through", "half through at",
                                                 "share mirrored",         "focus on",      "halo half as strong at",
                                                 "core above its surround"};
  return names;
}

const char* goalUnit(What what) {
  switch (what) {
  case What::StopsAboveWhite:
  case What::CoreOverSurround:
    return "stops";
  case What::ShareThrough:
  case What::MirroredShare:
  case What::HaloHalfWidth:
    return "%";
  case What::HalfThrough:
    return "mm";
  case What::FocusOn:
    return "";
  }
  return "";
}

namespace {
// A number of its own, so that units and sums are typed as they are everywhere.
ParamDef numberFor(What what) {
  const std::string unit = goalUnit(what);
  return number("value", "Value", unit == "mm" ? "m" : unit, 0).range(-1e6, 1e6);
}
} // namespace

double parseGoal(What what, const Document& doc, const std::string& text) {
  const Value none = Constant(0.0), v = parseValue(doc, numberFor(what), text, &none);
  return std::get<double>(*v.constant());
}

std::string goalText(What what, double value) {
  if (what == What::StopsAboveWhite) return stopsFromWhite(value);
  if (goalUnit(what) == std::string("%")) return fmt::format("{:.1f} %", 100 * value);
  if (goalUnit(what) == std::string("stops")) return fmt::format("{:.1f} stops", value);
  return formatNumber(number("value", "Value", "m", 0), value);
}

std::vector<What> goalsFor(const Document& doc, NodeId thing) {
  const Node* n = doc.find(thing);
  std::vector<What> out;
  if (!n) return out;
  const std::string& kind = n->kind->id;
  if (n->kind->family() != "effect") {
    if ((n->kind->family() == "object" || n->kind->family() == "light") && activeCamera(doc))
      out.push_back(What::FocusOn);
    return out;
  }
  if (kind == "effect.glass") out.push_back(What::ShareThrough);
  if (kind == "effect.translucency") out.push_back(What::HalfThrough);
  if (kind == "effect.reflection" || kind == "effect.softbox") out.push_back(What::MirroredShare);
  const EffectKind* e = effectKind(*n);
  if (e && n->kind->standsFor == "from" && n->kind->param("lens")) {
    out.push_back(What::StopsAboveWhite);
    out.push_back(What::CoreOverSurround);
    for (const NodeId id : roleOf(doc, *n, "lens"))
      if (const Node* s = doc.find(id); s && s->kind->id == "lens.glow") {
        out.push_back(What::HaloHalfWidth);
        break;
      }
  }
  return out;
}

Document applySolution(const Document& doc, const Solution& s) {
  Document out = doc;
  for (const auto& [address, text] : s.sets) {
    const Address at = resolve(out, address);
    const Value now = valueAt(out, at), v = parseValue(out, definitionAt(out, at), text, &now);
    out = v.constant() ? setNow(out, at, *v.constant()) : setAt(out, at, v);
  }
  return out;
}

Solution solve(const Document& doc, const Goal& goal, const SolveOptions& options) {
  Solution s = Solver(doc, goal, options).solve();
  if (options.progress) options.progress(1);
  return s;
}

double measure(const Document& doc, const Goal& goal, const SolveOptions& options) {
  Solver s(doc, goal, options);
  return s.measureIn(s.doc());
}

} // namespace ilumbra
