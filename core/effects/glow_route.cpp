// The route of light that the lens spreads: out of its sources, to the camera, through the stages.
#include "core/effects/glow_route.h"

#include "core/compile/camera.h"
#include "core/effects/line_of_sight.h"
#include "core/effects/mends.h"
#include "core/effects/route_parts.h"
#include "core/geometry/shape.h"
#include "core/image/picture_ops.h"
#include "core/lens/queries.h"
#include "core/scene/geometry.h"
#include "core/transport/plate_layers.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

using Weight = Finding::Weight;

// By their boxes: a bulb around its lamp.
bool encloses(const Scene& scene, NodeId shell, NodeId inside) {
  Box3f outer, inner;
  for (const InstancedObject& i : scene.objects) {
    if (scene.things[i.thing].node == shell) outer.extendBy(i.bounds);
    if (scene.things[i.thing].node == inside) inner.extendBy(i.bounds);
  }
  for (const Emitter& e : scene.emitters)
    if (scene.things[e.thing].node == inside) inner.extendBy(e.light->reach().centre);
  return !outer.isEmpty() && !inner.isEmpty() && outer.intersects(inner.min) && outer.intersects(inner.max);
}

std::string stopsText(double stops) {
  return fmt::format("{:.1f} stops {} white", std::abs(stops), stops >= 0 ? "above" : "below");
}

double luminanceAt(const Picture& p, size_t pixel) {
  const float* c = p.rgb.data() + 3 * pixel;
  return double(luminance({c[0], c[1], c[2]}));
}

class GlowRoute {
 public:
  explicit GlowRoute(const DevelopedEffect& of) : m_of(of), m_doc(of.doc), m_scene(of.scene) {
    for (const NodeId id : roleOf(m_doc, of.effect, "from")) leaf(m_doc, id, m_sources);
    for (const Node* n : m_sources) m_ids.insert(n->id);
    m_route.effect = of.effect.id;
  }

  Route measure() {
    emit();
    const Sight sight = lookAt(m_doc, m_of.frame, m_scene, m_sources);
    m_route.raysTraced = sight.rays;
    measureSourceLight();
    const Station seen = reachCamera(sight);
    m_route.stations.push_back(seen);
    if (m_plates && m_route.emitted <= 0 && m_sourceLight <= 0)
      tell(Weight::Broken, "picture", m_sources[0]->id,
           fmt::format("{} gives no light in the plate at this frame", names(m_sources)));
    const bool gives = (m_route.emitted > 0 || m_endless) && !m_sources.empty();
    if (gives && sight.sent > 0 && m_route.seen < 0.02)
      judgeHidden(seen.losses.empty() ? Loss{"something", 0, 1} : seen.losses.front());
    else if (gives && sight.sent <= 0 && !m_endless && m_sourceLight <= 0)
      judgeSizeless();
    spread();
    if (m_sourceLight > 0 && m_route.peak < -1 && m_route.spread > 0)
      tell(Weight::Note, "picture", m_sources[0]->id,
           fmt::format("{} is {}: its glow will hardly show", names(m_sources), stopsText(m_route.peak)));
    return finished(std::move(m_route), m_of, "lens");
  }

 private:
  void tell(Weight weight, const char* role, NodeId thing, std::string text, std::vector<Mend> mends = {}) {
    m_route.findings.push_back({weight, role, thing, std::move(text), std::move(mends)});
  }

  // From: what is sent out. A picture's light was measured by whoever took it: it is there or it is not.
  void emit() {
    std::vector<const Node*> own;
    for (const Node* n : m_sources)
      if (n->kind->family() == "plate" || n->kind->family() == "layer")
        m_plates = true;
      else
        own.push_back(n);
    const Emitted emitted = emittedBy(m_of, own, m_route);
    m_route.emitted = emitted.lumens;
    m_endless = emitted.endless;
    if (m_sources.empty())
      tell(Weight::Broken, "from", m_of.effect.id, "From is empty: nothing gives its light to the effect");
    m_route.stations.push_back(
        {"from",
         "From",
         m_sources.empty() ? "empty" : names(m_sources),
         m_plates && !m_endless && emitted.lumens <= 0 ? "in the plate" : emitted.reading("from all around"),
         1,
         {}});
  }

  // The layer of the sources: the stage's own if it takes its light from the effect, else read from what is seen.
  void measureSourceLight() {
    LayerQuery mine{.name = m_of.effect.name};
    for (const Node* n : m_sources) (n->kind->family() == "material" ? mine.materials : mine.things).push_back(n->id);
    const auto exact = std::find_if(m_scene.queries.begin(), m_scene.queries.end(), [&](const LayerQuery& q) {
      return !q.everything && q.things == mine.things && q.materials == mine.materials;
    });
    const float exposure = exposureFactor(m_doc, m_of.frame);
    Picture layer = collect(m_of.film, 0, m_of.groupScales, exposure, m_of.tasks);
    m_allLight = luminanceSum(layer, {}, m_of.tasks);
    if (exact != m_scene.queries.end()) {
      layer = collect(m_of.film, int(exact - m_scene.queries.begin()), m_of.groupScales, exposure, m_of.tasks);
    } else {
      for (size_t i = 0; i < layer.pixels(); ++i) {
        const SeenShare s = seenAmong(m_of.film, i, m_scene, m_ids);
        for (size_t c = 0; c < 3; ++c) layer.rgb[3 * i + c] *= s.total > 0 ? s.part / s.total : 0;
      }
    }
    if (m_scene.plates && m_plates) {
      const PlateLayers laid = plateLayers(*m_scene.plates, m_of.film, {}, m_of.tasks);
      m_allLight += luminanceSum(laid.add, {}, m_of.tasks);
      for (const PlatePart& part : laid.parts)
        if (m_ids.count(part.id) || m_ids.count(part.plate)) addTo(layer, part.light, m_of.tasks);
    }
    double brightest = 0;
    for (size_t i = 0; i < layer.pixels(); ++i) {
      const double l = luminanceAt(layer, i);
      m_sourceLight += l;
      brightest = std::max(brightest, l);
    }
    m_route.peak = brightest > 0 ? std::log2(brightest) : -100;
  }

  // Picture: what of it comes through to the camera.
  Station reachCamera(const Sight& sight) {
    Station seen{"picture", "Picture", "", "", 0, {}};
    if (sight.sent > 0) {
      m_route.seen = sight.arrives / sight.sent;
      seen.reading = fmt::format("{} in sight", percent(m_route.seen));
      if (sight.outside > 0) seen.losses.push_back({"is out of frame", 0, sight.outside / sight.sent});
      if (sight.hidden > 0) seen.losses.push_back({"is not seen by the camera", 0, sight.hidden / sight.sent});
      std::vector<std::pair<double, NodeId>> blockers;
      for (const auto& [node, w] : sight.blocked) blockers.emplace_back(w, node);
      std::sort(blockers.rbegin(), blockers.rend());
      for (const auto& [w, node] : blockers) seen.losses.push_back(lossTo(m_doc, node, w / sight.sent));
      sortLosses(seen.losses);
    } else if (!m_sources.empty()) {
      m_route.seen = m_sourceLight > 0 ? 1 : 0;
      seen.reading = m_sourceLight > 0 ? "in sight" : "not in sight";
    }
    seen.share = m_route.seen;
    seen.name = m_sourceLight > 0 ? stopsText(m_route.peak) : "dark";
    return seen;
  }

  void judgeHidden(const Loss& worst) {
    const Weight weight = m_sourceLight > 0 ? Weight::Weak : Weight::Broken;
    const NodeId first = m_sources[0]->id;
    if (worst.by == "is out of frame") {
      tell(weight, "picture", first, fmt::format("{} is out of frame", names(m_sources)), aimAtSources());
    } else if (worst.by == "is not seen by the camera") {
      Mend m{"Let the camera see it", {}};
      for (const Node* n : m_sources)
        if (n->kind->param("seen")) m.sets.emplace_back(at(*n, "seen"), "on");
      tell(weight, "picture", first, fmt::format("{} is switched off for the camera", names(m_sources)), {m});
    } else if (const Node* blocker = m_doc.find(worst.thing)) {
      Finding f{weight,
                "picture",
                blocker->id,
                fmt::format("{} hides {}: {} of it is blocked", blocker->name, names(m_sources), percent(worst.share)),
                {}};
      // Nothing of it is seen past what encloses it, however bright that makes other things.
      if (encloses(m_scene, blocker->id, first)) {
        f.weight = Weight::Broken;
        f.text = fmt::format("{} sits inside {}, which lets no light out: {} of it is blocked", names(m_sources),
                             blocker->name, percent(worst.share));
        for (Mend& m : opened(m_doc, m_of.frame, *blocker))
          if (m.sets.size() > 1) f.mends.push_back(std::move(m)); // of glass: the camera looks through it too
      }
      if (blocker->kind->param("seen"))
        f.mends.push_back(
            {fmt::format("Let the camera look through {}", blocker->name), {{at(*blocker, "seen"), "off"}}});
      m_route.findings.push_back(std::move(f));
    }
  }

  std::vector<Mend> aimAtSources() const {
    const Node* camera = activeCamera(m_doc);
    V3f centre(0.0f);
    float count = 0;
    for (const InstancedObject& i : m_scene.objects)
      for (const Node* n : m_sources)
        if (m_scene.things[i.thing].node == n->id) {
          centre += transformPoint(i.toWorld, i.geometry->bounds.center());
          ++count;
        }
    if (!camera || count <= 0) return {};
    centre *= 1 / count;
    const M44f down = camera->parent ? worldMatrix(m_doc, *m_doc.find(camera->parent), m_of.frame).inverse() : M44f();
    const V3f local = transformPoint(down, centre);
    return {{fmt::format("Aim {} at it", camera->name),
             {{at(*camera, "target"), fmt::format("{:.4f}, {:.4f}, {:.4f}", local.x, local.y, local.z)}}}};
  }

  void judgeSizeless() {
    std::vector<Mend> mends;
    for (const Node* n : m_sources)
      if (n->kind->param("radius") && Params(*n, m_of.frame).number("radius") <= 0)
        mends.push_back({"Give it a radius of 50 mm", {{at(*n, "radius"), "50 mm"}}});
    tell(Weight::Broken, "picture", m_sources[0]->id,
         mends.empty() ? fmt::format("{} is not in the picture", names(m_sources))
                       : fmt::format("{} has no size, so the camera cannot see it", names(m_sources)),
         mends);
  }

  // Lens: what is spread. In the order in which light passes the stages.
  void spread() {
    const std::vector<NodeId> role = roleOf(m_doc, m_of.effect, "lens");
    double all = 0;
    std::string stageNames;
    for (const Node* s : lensStages(m_doc)) {
      if (std::find(role.begin(), role.end(), s->id) == role.end()) continue;
      stageNames += (stageNames.empty() ? "" : ", ") + s->name;
      const auto done = std::find_if(m_of.developed.stages.begin(), m_of.developed.stages.end(),
                                     [&](const StageResult& d) { return d.stage == s->id; });
      if (done != m_of.developed.stages.end()) {
        all += spreadBy(*s, *done);
        judgeValues(*s, *done);
      } else if (Params(m_of.effect, m_of.frame).flag("on") && !Params(*s, m_of.frame).flag("on")) {
        tell(Weight::Broken, "lens", s->id, s->name + " is off", {{"Switch it on", {{at(*s, "on"), "on"}}}});
      }
    }
    if (stageNames.empty()) {
      tell(Weight::Broken, "lens", m_of.effect.id, "Lens is empty: nothing spreads the light");
      stageNames = "empty";
    }
    // With sources unconfined the measured part may exceed the layer by noise.
    m_route.spread = m_sourceLight > 0 ? std::min(1.0, all / m_sourceLight) : 0;
    m_route.stations.push_back({"lens",
                                "Lens",
                                stageNames,
                                fmt::format("spreads {}", percent(m_route.spread)),
                                m_route.seen * m_route.spread,
                                {}});
    m_route.pictureShare = m_allLight > 0 ? all / m_allLight : 0;
  }

  // What a stage spreads of the sources' light.
  double spreadBy(const Node& stage, const StageResult& done) {
    if (stageOf(stage).inPlace) return 0;
    const Picture& taken = done.work.taken;
    // What takes nothing away is measured by what it adds; of whose light that is, only its sources tell.
    if (std::all_of(taken.rgb.begin(), taken.rgb.end(), [](float v) { return v == 0; }))
      return luminanceSum(done.work.spread, {}, m_of.tasks);
    return Params(stage, m_of.frame).references("sources").empty() ? takenOfAll(stage, taken)
                                                                   : takenOfNamed(stage, taken);
  }

  // Of a stage that takes all light: what it takes at a pixel is shared as that pixel's light is, by thing.
  double takenOfAll(const Node& stage, const Picture& taken) {
    double all = 0, ours = 0;
    std::map<NodeId, double> others;
    for (size_t i = 0; i < taken.pixels(); ++i) {
      const double l = luminanceAt(taken, i);
      if (l <= 0) continue;
      all += l;
      const Film::Ranked& things = m_of.film.seen(i);
      float total = things.dropped;
      for (const float w : things.weight) total += w;
      for (size_t k = 0; k < size_t(Film::ranks) && total > 0; ++k) {
        if (things.weight[k] <= 0) continue;
        const Thing& thing = m_scene.things[things.thing[k]];
        (thing.among(m_ids) ? ours : others[thing.node]) += l * double(things.weight[k] / total);
      }
    }
    double stray = 0;
    for (const auto& [node, v] : others) stray += v;
    if (stray > 0.01 * all && all > 0) {
      std::vector<std::pair<double, NodeId>> list;
      for (const auto& [node, v] : others) list.emplace_back(v, node);
      std::sort(list.rbegin(), list.rend());
      std::string text = "Other things glow too: ";
      for (size_t k = 0; k < std::min<size_t>(3, list.size()); ++k) {
        const Loss other = lossTo(m_doc, list[k].second, list[k].first / all);
        text += fmt::format("{}{} {}", k ? ", " : "", other.by, percent(other.share));
      }
      if (list.size() > 3) text += fmt::format(" and {} more", list.size() - 3);
      tell(Weight::Weak, "lens", stage.id, text, {takeOursOnly(stage)});
    }
    return ours;
  }

  // Of a stage that takes light of named sources: exact, since they are asked for by name.
  double takenOfNamed(const Node& stage, const Picture& taken) {
    double all = 0;
    for (size_t i = 0; i < taken.pixels(); ++i) all += std::max(0.0, luminanceAt(taken, i));
    std::vector<std::string> strangers;
    for (const NodeId id : sourcesOfStage(m_doc, stage)) {
      const Node* n = m_doc.find(id);
      if (n && !isGroup(*n) && n->kind->family() != "lens" && !m_ids.count(id)) strangers.push_back(n->name);
    }
    if (strangers.empty()) return all;
    double strange = 0;
    for (size_t i = 0; i < taken.pixels(); ++i)
      if (const SeenShare s = seenAmong(m_of.film, i, m_scene, m_ids); s.total > 0)
        strange += luminanceAt(taken, i) * double(1 - s.part / s.total);
    if (strange > 0.01 * all)
      tell(Weight::Weak, "lens", stage.id,
           fmt::format("{} also spreads light of {}: {} of it", stage.name,
                       strangers.front() +
                           (strangers.size() > 1 ? fmt::format(" and {} more", strangers.size() - 1) : ""),
                       percent(strange / all)),
           {takeOursOnly(stage)});
    return all - strange;
  }

  Mend takeOursOnly(const Node& stage) const {
    return {"Take light from this effect only", {{at(stage, "sources"), m_of.effect.name}}};
  }

  // A key that lies above all that is there, no amount, or nothing done.
  void judgeValues(const Node& stage, const StageResult& done) {
    const Params p(stage, m_of.frame);
    const bool keyed = stage.kind->param("keyed") && p.flag("keyed");
    if (keyed && m_sourceLight > 0) {
      const double key = p.number("key"), knee = p.number("knee"), peak = m_route.peak;
      if (std::exp2(peak) <= std::exp2(key) * (1 - knee)) {
        const double lower = std::floor((peak - 2) * 2) / 2;
        tell(Weight::Broken, "lens", stage.id,
             fmt::format("The key of {} lies {:.1f} stops above the brightest of {}", stage.name, key - peak,
                         names(m_sources)),
             {{fmt::format("Lower the key to {:g} stops", lower), {{at(stage, "key"), fmt::format("{:g}", lower)}}},
              {"Let all light pass", {{at(stage, "keyed"), "off"}}}});
      } else if (luminanceSum(done.work.spread, {}, m_of.tasks) < 1e-3 * m_sourceLight * p.number("amount")) {
        const double lower = std::floor(peak) - 2;
        tell(Weight::Weak, "lens", stage.id, fmt::format("The key of {} lets little pass", stage.name),
             {{fmt::format("Lower the key to {:g} stops", lower), {{at(stage, "key"), fmt::format("{:g}", lower)}}}});
      }
    }
    if (p.number("amount") <= 0)
      tell(Weight::Broken, "lens", stage.id, stage.name + " has an amount of 0 %",
           {{"Set it to 20 %", {{at(stage, "amount"), "20 %"}}}});
    else if (!done.idle.empty() && m_sourceLight > 0 && !keyed)
      tell(Weight::Weak, "lens", stage.id, fmt::format("{} does nothing: {}", stage.name, done.idle));
  }

  const DevelopedEffect& m_of;
  const Document& m_doc;
  const Scene& m_scene;
  std::vector<const Node*> m_sources; ///< groups opened
  std::set<NodeId> m_ids;             ///< of these
  bool m_endless = false, m_plates = false;
  double m_sourceLight = 0, m_allLight = 0; ///< sums over the picture, exposed
  Route m_route;
};

} // namespace

Route measureGlowRoute(const DevelopedEffect& of) { return GlowRoute(of).measure(); }

} // namespace ilumbra
