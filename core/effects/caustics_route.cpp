// The route of gathered light: out of its lamps, onto what bends or mirrors it, from there onto surfaces, and to the
// camera.
#include "core/effects/caustics_route.h"

#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/document/units.h"
#include "core/effects/route_parts.h"
#include "core/geometry/shape.h"
#include "core/image/picture_ops.h"
#include "core/label/layer_query.h"
#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"
#include "core/scene/trace_count.h"
#include "core/transport/photons.h"

#include <fmt/format.h>
#include <set>

namespace ilumbra {
namespace {

using Weight = Finding::Weight;
constexpr uint32_t photonsPerLight = 20'000;
constexpr double wantedWithin = 100; // photons that one place should gather over all samples to look smooth

std::string metres(double m) {
  return m < 0.01 ? fmt::format("{:.1f} mm", 1000 * m)
         : m < 1  ? fmt::format("{:.0f} cm", 100 * m)
                  : fmt::format("{:.2f} m", m);
}

// How wide the light lies: the radius about its middle that holds half of it, `t` metres back along its way.
struct Spread {
  V3f middle{0.0f};
  float half = 0;
};
Spread spreadOf(const std::vector<Photon>& photons, float t) {
  Spread s;
  double all = 0;
  V3f sum(0.0f);
  for (const Photon& p : photons) {
    const float w = luminance(p.power);
    sum += (p.place + p.from.unit() * t) * w;
    all += double(w);
  }
  if (!(all > 0)) return s;
  s.middle = sum * float(1 / all);
  std::vector<std::pair<float, float>> by;
  for (const Photon& p : photons) by.emplace_back(length(p.place + p.from.unit() * t - s.middle), luminance(p.power));
  std::sort(by.begin(), by.end());
  double so = 0;
  for (const auto& [r, w] : by)
    if ((so += double(w)) >= 0.5 * all) {
      s.half = r;
      break;
    }
  return s;
}

// Mean angle, degrees, by which a mesh's normals stray from its faces.
double bent(const Mesh& m) {
  if (m.normals.empty()) return 0;
  double sum = 0, areas = 0;
  for (const auto& t : m.triangles) {
    const V3f n = cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a]);
    const float area = length(n);
    if (!(area > 0)) continue;
    for (const uint32_t i : {t.a, t.b, t.c})
      sum += double(area) * std::acos(std::clamp(double(dot(n, m.normals[i]) / area), -1.0, 1.0)) / 3;
    areas += double(area);
  }
  return areas > 0 ? sum / areas * 180 / 3.14159265358979 : 0;
}

// The groups of the lights that an effect gathers: of others there may be some in the layer too.
std::set<uint16_t> groupsOf(const Scene& scene, NodeId effect) {
  std::set<uint16_t> groups;
  if (scene.caustics)
    for (const CausticRule& r : scene.caustics->rules())
      for (size_t i = 0; r.effect == effect && i < r.from.size(); ++i)
        if (r.from[i])
          groups.insert(i < scene.emitters.size() ? scene.emitters[i].group
                                                  : scene.skies[i - scene.emitters.size()].group);
  return groups;
}

int layerOf(const Scene& scene) {
  const auto layer = std::find(scene.queries.begin(), scene.queries.end(), causticsLayer());
  return layer == scene.queries.end() ? -1 : int(layer - scene.queries.begin());
}

// How the layer of caustics compares with the light beside it where it lies.
double contrastOf(const DevelopedEffect& of) {
  if (layerOf(of.scene) < 0) return 0;
  std::vector<Color> chosen(of.groupScales.size(), Color(0.0f));
  for (const uint16_t g : groupsOf(of.scene, of.effect.id)) chosen[g] = of.groupScales[g];
  const Picture mine = collect(of.film, layerOf(of.scene), chosen, 1, of.tasks),
                all = collect(of.film, 0, of.groupScales, 1, of.tasks);
  double squares = 0, others = 0;
  for (size_t i = 0; i < mine.pixels(); ++i) {
    const double c = double(luminance({mine.rgb[3 * i], mine.rgb[3 * i + 1], mine.rgb[3 * i + 2]})),
                 a = double(luminance({all.rgb[3 * i], all.rgb[3 * i + 1], all.rgb[3 * i + 2]}));
    squares += c * c;
    others += c * std::max(0.0, a - c);
  }
  return others > 0 ? squares / others : squares > 0 ? 1e6 : 0;
}

class CausticsRoute {
 public:
  explicit CausticsRoute(const DevelopedEffect& of) : m_of(of), m_doc(of.doc), m_scene(of.scene) {
    m_route.effect = of.effect.id;
    for (const NodeId id : roleOf(m_doc, of.effect, "from")) leaf(m_doc, id, m_lamps);
    for (const NodeId id : roleOf(m_doc, of.effect, "through")) leaf(m_doc, id, m_through);
    for (const NodeId id : roleOf(m_doc, of.effect, "onto")) leaf(m_doc, id, m_onto);
    m_onlyAir = !m_onto.empty() &&
                std::all_of(m_onto.begin(), m_onto.end(), [](const Node* n) { return n->kind->family() == "air"; });
    if (!m_scene.caustics) return;
    const std::vector<CausticRule>& rules = m_scene.caustics->rules();
    const auto rule =
        std::find_if(rules.begin(), rules.end(), [&](const CausticRule& r) { return r.effect == of.effect.id; });
    if (rule == rules.end()) return;
    m_rule = &*rule;
    m_flow = followPhotons(m_scene, size_t(rule - rules.begin()), photonsPerLight);
    m_route.raysTraced = m_flow.rays;
  }

  Route measure() {
    emit();
    judgeLamps();
    judgeThrough();
    m_route.pictureShare = causticsShare(m_of);
    addStations();
    if (!m_rule || m_through.empty() || m_lamps.empty()) return finished(std::move(m_route), m_of, "through");
    // What is wrong, where it happens.
    judgeMeeting();
    if (m_flow.meets > 0) {
      if (!m_onlyAir && m_flow.lands < 0.02 * m_flow.meets) judgeLanding();
      judgeSurfaces();
    }
    if (m_flow.landed.size() > 200) {
      const Spread here = spreadOf(m_flow.landed, 0);
      judgePhotons(here);
      judgeFocus(here);
    }
    judgeContrast();
    judgeNormals();
    tellBeyondPhysics();
    if (m_flow.meets > 0 && m_route.seen < 0.02 && !ends().empty())
      tell(Weight::Broken, "picture", m_of.effect.id, "The pattern is out of sight");
    return finished(std::move(m_route), m_of, "through");
  }

 private:
  void tell(Weight weight, const char* role, NodeId thing, std::string text, std::vector<Mend> mends = {}) {
    m_route.findings.push_back({weight, role, thing, std::move(text), std::move(mends)});
  }
  Params paramsOf(const Node& n) const { return {n, m_of.frame}; }
  const std::vector<Photon>& ends() const { return m_onlyAir ? m_flow.inAir : m_flow.landed; }
  NodeId receiver() const { return m_onto.empty() ? m_of.effect.id : m_onto.front()->id; }
  Loss lossBy(uint16_t thing, double share) const {
    return {m_scene.things[thing].name, m_scene.things[thing].node, share};
  }
  // The surface material that an object wears; null: it wears none, or another kind.
  const Node* matterOf(const Node& object) const {
    const Node* m = m_doc.find(wornMaterial(m_doc, object, m_of.frame).target);
    return m && m->kind->id == "material.surface" ? m : nullptr;
  }

  void emit() {
    const Emitted emitted = emittedBy(m_of, m_lamps, m_route);
    m_route.emitted = emitted.lumens;
    m_endless = emitted.endless;
    m_route.stations.push_back({"from",
                                "From",
                                m_lamps.empty() ? "empty" : names(m_lamps),
                                m_lamps.empty() ? "" : emitted.reading("from far away"),
                                1,
                                {}});
  }

  void judgeLamps() {
    for (const Node* n : m_lamps) {
      const Params p = paramsOf(*n);
      const std::string clear = n->kind->param("clear_shadows") ? p.text("clear_shadows") : "";
      if (n->kind->param("caustics") && !p.flag("caustics"))
        tell(Weight::Broken, "from", n->id, n->name + " is switched off for caustics",
             {{"Switch it on", {{at(*n, "caustics"), "on"}}}});
      else if (clear == "straight" || clear == "blocked")
        tell(Weight::Broken, "from", n->id,
             fmt::format("The light of {} {}", n->name,
                         clear == "blocked" ? "is blocked by all clear things" : "goes straight through clear things"),
             {{"Focus it", {{at(*n, "clear_shadows"), "focused"}}}});
    }
    if (m_lamps.empty()) tell(Weight::Broken, "from", m_of.effect.id, "From is empty: no lamp's light is gathered");
  }

  void judgeThrough() {
    if (m_through.empty())
      tell(Weight::Broken, "through", m_of.effect.id, "Through is empty: nothing bends or mirrors the light");
    for (const Node* n : m_through) {
      const Params p = paramsOf(*n);
      if (!isShown(m_doc, *n, m_of.frame))
        tell(Weight::Broken, "through", n->id, n->name + " is not shown", {{"Show it", {{at(*n, "shown"), "on"}}}});
      else if (n->kind->param("light_through") && p.text("light_through") == "blocked")
        tell(Weight::Broken, "through", n->id, n->name + " lets no light of lamps through",
             {{"Let it gather light", {{at(*n, "light_through"), "focused"}}}});
      else if (n->kind->param("casts_shadow") && !p.flag("casts_shadow"))
        tell(Weight::Broken, "through", n->id, n->name + " casts no shadow, so light passes it by",
             {{"Let it meet light", {{at(*n, "casts_shadow"), "on"}}}});
    }
  }

  void addStations() {
    Station meets{"through", "Through", m_through.empty() ? "empty" : names(m_through), "", 0, {}},
        lands{"onto", "Onto", m_onto.empty() ? "all surfaces" : names(m_onto), "", 0, {}},
        picture{"picture", "Picture", "", "", 0, {}};
    const double base = std::max(1e-30, m_endless ? m_flow.aimed : std::max(m_route.emitted, m_flow.aimed));
    double least = 0.005;
    if (m_rule) {
      meets.share = m_flow.meets / base;
      meets.reading = fmt::format("{} meets it", percent(meets.share));
      meets.losses.push_back({"misses it", 0, (base - m_flow.aimed + m_flow.misses) / base});
      for (const auto& [thing, w] : m_flow.blocked) meets.losses.push_back(lossBy(thing, w / base));
      if (m_flow.dull > 0) meets.losses.push_back({"meets its matte surfaces", 0, m_flow.dull / base});
      // A small thing takes little of all light, whatever stands before it.
      least = std::min(least, 0.02 * (m_flow.aimed - m_flow.misses) / base);
      land(lands, base);
      reachCamera(picture, lands.share);
    }
    picture.reading = fmt::format("{} of the picture", percent(m_route.pictureShare));
    sortLosses(meets.losses, least);
    sortLosses(lands.losses, 0.005);
    sortLosses(picture.losses, 0.005);
    for (const Station* s : {&meets, &lands, &picture}) m_route.stations.push_back(*s);
  }

  void land(Station& lands, double base) const {
    const PhotonFlow& flow = m_flow;
    lands.share = flow.lands / base;
    if (flow.meets <= 0) return;
    lands.reading = fmt::format("{} of it lands", percent(flow.lands / flow.meets));
    if (m_onlyAir) {
      lands.share = flow.turned / base;
      lands.reading = fmt::format("{} of it is turned in the air", percent(flow.turned / flow.meets));
    }
    double away = flow.meets - flow.lands;
    for (const auto& [thing, w] : flow.elsewhere) {
      lands.losses.push_back(lossBy(thing, w / flow.meets));
      away -= w;
    }
    lands.losses.push_back({"is left out by the effect", 0, flow.leftOut / flow.meets});
    lands.losses.push_back({"leaves the scene or is absorbed", 0, std::max(0.0, (away - flow.leftOut) / flow.meets)});
  }

  // What of it the camera sees.
  void reachCamera(Station& picture, double landed) {
    TraceCount count;
    const RayCaster rays(m_scene, count, nullptr);
    double visible = 0, outside = 0, all = 0;
    std::map<NodeId, double> hides;
    const size_t step = std::max<size_t>(1, ends().size() / 2000);
    for (size_t i = 0; i < ends().size(); i += step) {
      const Photon& p = ends()[i];
      const double w = double(luminance(p.power));
      all += w;
      float x, y, got;
      if (!m_scene.camera.project(p.place, x, y) || x < 0 || y < 0 || x >= float(m_scene.width) ||
          y >= float(m_scene.height)) {
        outside += w;
        continue;
      }
      const V3f way = m_scene.camera.position() - p.place;
      const float far = length(way);
      if (const NodeId by =
              blocker(m_scene, rays, offset(p.place, p.facing.unit()), way * (1 / far), far * 0.999f, true, got))
        hides[by] += w;
      else
        visible += w;
    }
    m_route.raysTraced += count.rays;
    m_route.seen = all > 0 ? visible / all : 0;
    picture.share = landed * m_route.seen;
    picture.name = all > 0 ? fmt::format("{} in sight", percent(m_route.seen)) : "dark";
    if (all <= 0) return;
    picture.losses.push_back({"is out of frame", 0, outside / all});
    for (const auto& [by, w] : hides) picture.losses.push_back(lossTo(m_doc, by, w / all));
  }

  void judgeMeeting() {
    const PhotonFlow& flow = m_flow;
    double before = 0;
    for (const auto& [thing, w] : flow.blocked) before += w;
    if (flow.aimed > 0 && flow.meets < 0.02 * (flow.aimed - flow.misses) && before > flow.dull) {
      const auto most = std::max_element(flow.blocked.begin(), flow.blocked.end(),
                                         [](const auto& a, const auto& b) { return a.second < b.second; });
      const Loss worst = lossBy(most->first, 0);
      const Node* by = m_doc.find(worst.thing);
      std::vector<Mend> mends;
      if (by && by->kind->param("casts_shadow"))
        mends.push_back({fmt::format("Let light pass {}", by->name), {{at(*by, "casts_shadow"), "off"}}});
      tell(Weight::Broken, "through", by ? by->id : 0,
           fmt::format("{} keeps the light of {} from {}", worst.by, names(m_lamps), names(m_through)), mends);
    } else if (flow.aimed > 0 && flow.meets < 0.02 * flow.dull) {
      std::vector<Mend> mends;
      if (const Node* m = matterOf(*m_through.front())) {
        mends.push_back({fmt::format("Make {} clear", m->name),
                         {{at(*m, "transmission"), "1"}, {at(*m, "roughness"), "0"}, {at(*m, "metalness"), "0"}}});
        mends.push_back(
            {fmt::format("Make {} a mirror", m->name), {{at(*m, "metalness"), "1"}, {at(*m, "roughness"), "0"}}});
      }
      tell(Weight::Broken, "through", m_through.front()->id,
           fmt::format("Nothing of {} bends or mirrors light: its surface is matte", names(m_through)), mends);
    }
  }

  void judgeLanding() {
    const auto most = std::max_element(m_flow.elsewhere.begin(), m_flow.elsewhere.end(),
                                       [](const auto& a, const auto& b) { return a.second < b.second; });
    if (most == m_flow.elsewhere.end() || most->second <= 0.05 * m_flow.meets) {
      tell(Weight::Broken, "onto", receiver(),
           m_onto.empty() ? "There is no surface on which the light could land"
                          : fmt::format("The light does not land on {}", names(m_onto)));
      return;
    }
    const Loss elsewhere = lossBy(most->first, 0);
    std::vector<Mend> mends;
    if (const Node* other = m_doc.find(elsewhere.thing))
      mends.push_back({fmt::format("Show it on {} instead", other->name), {{at(m_of.effect, "onto"), other->name}}});
    tell(Weight::Broken, "onto", receiver(),
         fmt::format("The light misses {}: it lands on {}", names(m_onto), elsewhere.by), mends);
  }

  void judgeSurfaces() {
    for (const Node* n : m_onto) {
      const Node* m = n->kind->param("material") ? matterOf(*n) : nullptr; // air wears none
      if (!m) continue;
      const Params p = paramsOf(*m);
      const Triple c = p.triple("base_color");
      if (p.number("metalness") > 0.5 && p.number("roughness") < 0.15 && !p.pattern("metalness"))
        tell(Weight::Broken, "onto", n->id, n->name + " is a mirror: no pattern shows on it",
             {{fmt::format("Make {} matte", m->name), {{at(*m, "metalness"), "0"}, {at(*m, "roughness"), "0.6"}}}});
      else if (!p.pattern("base_color") && std::max({c[0], c[1], c[2]}) < 0.03 && p.number("metalness") < 0.5)
        tell(Weight::Weak, "onto", n->id, n->name + " is too dark to show the pattern",
             {{fmt::format("Brighten {}", m->name), {{at(*m, "base_color"), "0.4, 0.4, 0.4"}}}});
    }
  }

  // Photons within reach of one place, where half of the light lies.
  void judgePhotons(const Spread& here) {
    const Node& effect = m_of.effect;
    const double traced = double(m_rule->photons) /
                          std::max<double>(1, double(std::count(m_rule->from.begin(), m_rule->from.end(), true))),
                 landed = double(m_flow.landed.size()) / photonsPerLight * traced;
    const double ratio = double(m_rule->radius) / std::max(1e-6, double(here.half)), share = 0.5 * ratio * ratio;
    // A quarter of the samples that a pixel may have are sure.
    const double passes = std::max(1.0, paramsOf(m_doc.settings()).number("samples") / 4),
                 within = share * landed * (m_rule->passes > 0 ? std::min(passes, double(m_rule->passes)) : passes);
    if (within >= 0.3 * wantedWithin) return;
    const double wanted = std::ceil(double(m_rule->photons) * wantedWithin / within / 1e5) * 1e5,
                 softer =
                     paramsOf(effect).number("edge") - std::log(std::sqrt(wantedWithin / within)) / std::log(100.0);
    std::vector<Mend> mends;
    if (wanted <= 5e6)
      mends.push_back({fmt::format("Trace {:.1f} million", wanted / 1e6),
                       {{at(effect, "photons"), fmt::format("{:.0f}", wanted)}}});
    if (softer >= 0)
      mends.push_back({fmt::format("Soften the edge to {:.0f} %", 100 * softer),
                       {{at(effect, "edge"), fmt::format("{:.0f} %", 100 * softer)}}});
    tell(Weight::Weak, "through", effect.id,
         fmt::format("Too few photons for so large a pattern and so sharp an edge: {:.1g} find each place",
                     std::max(0.1, within)),
         mends);
  }

  // Where the light would be narrowest, before the surface or behind it.
  void judgeFocus(const Spread& here) {
    float best = 0, narrow = here.half, size = 0;
    for (const auto& a : m_rule->aims) size = std::max(size, a.radius);
    for (int side = -1; side <= 1; side += 2)
      for (int k = 1; k <= 24; ++k) {
        const float t = float(side) * size * 0.05f * std::pow(1.2f, float(k));
        if (const float w = spreadOf(m_flow.landed, t).half; w < narrow) {
          narrow = w;
          best = t;
        }
      }
    if (best == 0 || narrow >= 0.4f * here.half || std::abs(best) <= 0.05f * size) return;
    V3f way(0.0f), facing(0.0f);
    for (const Photon& p : m_flow.landed) {
      way += p.from.unit() * luminance(p.power);
      facing += p.facing.unit() * luminance(p.power);
    }
    const float height = std::abs(best * dot(normalize(way), normalize(facing)));
    tell(Weight::Note, "onto", receiver(),
         fmt::format("The focus lies {} {} the surface", metres(double(height)), best > 0 ? "before" : "behind"));
  }

  void judgeContrast() {
    const double contrast = contrastOf(m_of);
    if (m_route.pictureShare <= 0 || m_route.seen <= 0.02 || contrast >= 0.1) return;
    const Node* strongest = nullptr;
    double most = 0;
    for (const Node* n : m_doc.family("light")) {
      if (std::find(m_lamps.begin(), m_lamps.end(), n) != m_lamps.end() || !n->kind->param("stops")) continue;
      for (size_t g = 0; g < m_scene.groups.size(); ++g) {
        if (m_scene.groups[g].node != n->id) continue;
        double sum = 0;
        const Picture own = collectGroup(m_of.film, 0, int(g), m_of.groupScales[g], 1, m_of.tasks);
        for (const float v : own.rgb) sum += double(v);
        if (sum > most) {
          most = sum;
          strongest = n;
        }
      }
    }
    std::vector<Mend> mends;
    if (strongest) {
      const double down = std::min(6.0, std::log2(0.3 / std::max(1e-4, contrast)));
      mends.push_back(
          {fmt::format("Dim {} by {:.1f} stops", strongest->name, down),
           {{at(*strongest, "stops"), fmt::format("{:.2f}", paramsOf(*strongest).number("stops") - down)}}});
    }
    tell(Weight::Weak, "picture", m_of.effect.id,
         fmt::format("Other light washes it out: where it lies it is {} of it", percent(contrast)), mends);
  }

  void judgeNormals() {
    for (const InstancedObject& i : m_scene.objects) {
      if (i.light >= 0 || i.geometry->shape.sphereRadius > 0) continue;
      const Node* n = m_doc.find(m_scene.things[i.thing].node);
      if (!n || std::find(m_through.begin(), m_through.end(), n) == m_through.end()) continue;
      if (const double angle = bent(i.geometry->shape.mesh); angle > 4)
        tell(Weight::Note, "through", n->id,
             fmt::format("The smooth normals of {} bend light by {:.0f}° more than its facets do: its "
                         "pattern is that of a smooth shape, its outline is not",
                         n->name, angle));
    }
  }

  void tellBeyondPhysics() {
    std::string beyond;
    const auto add = [&](bool is, const std::string& what) {
      if (is) beyond += (beyond.empty() ? "" : ", ") + what;
    };
    const CausticRule& r = *m_rule;
    add(r.strength != 1, fmt::format("strength {:.3g} ×", r.strength));
    add(r.saturation != 1, fmt::format("saturation {:.0f} %", 100 * r.saturation));
    add(r.carry > 0, fmt::format("carry {:.0f} %", 100 * r.carry));
    add(!r.mirrored || !r.passed, r.mirrored ? "only mirrored light" : "only light that is let through");
    add(r.surfaces > 0, fmt::format("{} surfaces at most", r.surfaces));
    add(r.cutOff > 0, fmt::format("nothing below {:.3g} %", 100 * r.cutOff));
    if (!beyond.empty()) tell(Weight::Note, "through", m_of.effect.id, "Beyond physics: " + beyond);
  }

  const DevelopedEffect& m_of;
  const Document& m_doc;
  const Scene& m_scene;
  std::vector<const Node*> m_lamps, m_through, m_onto;
  const CausticRule* m_rule = nullptr; ///< null: the effect is off, or nothing fills its roles
  PhotonFlow m_flow;
  bool m_onlyAir = false, m_endless = false;
  Route m_route;
};

} // namespace

double causticsShare(const DevelopedEffect& of) {
  const std::set<uint16_t> groups = groupsOf(of.scene, of.effect.id);
  const Picture& picture = of.developed.picture;
  if (layerOf(of.scene) < 0 || groups.empty()) return 0;
  const float exposure = exposureFactor(of.doc, of.frame);
  std::vector<Color> mine(of.groupScales.size(), Color(0.0f));
  for (const uint16_t g : groups) mine[g] = of.groupScales[g] * exposure;
  const double total = luminanceSum(picture, {}, of.tasks) / double(std::max<size_t>(1, picture.pixels()));
  return total > 0 ? double(luminance(meanLight(of.film, layerOf(of.scene), mine, of.tasks))) / total : 0;
}

Route measureCausticsRoute(const DevelopedEffect& of) { return CausticsRoute(of).measure(); }

} // namespace ilumbra
