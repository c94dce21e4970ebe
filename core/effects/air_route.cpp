// The route of light through air: out of its lights, into the air, turned there, and towards the camera.
#include "core/effects/air_route.h"

#include "core/air/haze.h"
#include "core/document/units.h"
#include "core/effects/air_path.h"
#include "core/effects/route_parts.h"
#include "core/geometry/mesh_tools.h"
#include "core/scene/geometry.h"
#include "core/scene/media.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

using Weight = Finding::Weight;

bool isHollow(const Scene& scene, NodeId node) {
  for (const InstancedObject& i : scene.objects)
    if (i.light < 0 && i.geometry && scene.things[i.thing].node == node)
      return !innermostVoids(i.geometry->shape.mesh).triangles.empty();
  return false;
}

std::string depthText(double d) { return fmt::format("optical depth {:.2g}", d); }

class AirRoute {
 public:
  explicit AirRoute(const DevelopedEffect& of) : m_of(of), m_doc(of.doc), m_scene(of.scene) {
    m_route.effect = of.effect.id;
    for (const NodeId id : roleOf(m_doc, of.effect, "through"))
      if (const Node* n = m_doc.find(id); n && n->kind->family() == "air") {
        m_air.push_back(n);
        m_hazes.insert(id);
      }
    if (m_scene.media)
      for (size_t i = 0; i < m_scene.media->size(); ++i) m_there.insert(m_scene.things[(*m_scene.media)[i].thing].node);
    m_glows = std::any_of(m_air.begin(), m_air.end(),
                          [&](const Node* n) { return !isBlack(airLight(Params(*n, of.frame))); });
    findLights();
  }

  Route measure() {
    emit();
    judgeAir();
    std::set<NodeId> lights;
    for (const Node* n : m_from) lights.insert(n->id);
    m_path = followThroughAir(m_scene, lights, m_hazes);
    m_route.raysTraced = m_path.rays;
    m_route.pictureShare = airShare(m_of);
    const bool lit = m_path.sent > 0 &&
                     std::any_of(m_air.begin(), m_air.end(), [&](const Node* n) { return m_there.count(n->id) > 0; });
    const bool onlyGlows = m_from.empty() && m_glows;
    const Station picture = onlyGlows ? glowStations() : litStations(lit);
    // What is wrong, where it happens.
    if (lit && !onlyGlows) {
      judgeEntrance();
      judgeDepth();
      judgeNoise();
      judgeSight(picture);
    }
    if (m_air.empty()) return finished(std::move(m_route), m_of, "through");
    const Node& first = *m_air.front();
    if (onlyGlows && m_route.pictureShare < 1e-4)
      tell(Weight::Weak, "picture", first.id,
           fmt::format("The light of {} does not show in the picture", names(m_air)));
    if (m_path.inside && fills(first))
      tell(Weight::Note, "picture", first.id, fmt::format("The camera is inside {}", names(m_air)));
    if (airForm(first) == AirForm::Beam && m_of.effect.kind->param("onto")) judgeReach(first);
    return finished(std::move(m_route), m_of, "through");
  }

 private:
  void tell(Weight weight, const char* role, NodeId thing, std::string text, std::vector<Mend> mends = {}) {
    m_route.findings.push_back({weight, role, thing, std::move(text), std::move(mends)});
  }
  Params paramsOf(const Node& n) const { return {n, m_of.frame}; }
  // The object that air fills; 0: it is everywhere, or is of another form.
  NodeId fills(const Node& air) const { return air.kind->param("fills") ? paramsOf(air).reference("fills").target : 0; }
  Mend fillAll(const Node& air) const { return {"Let it fill the whole scene", {{at(air, "fills"), ""}}}; }
  double depth() const { return m_path.enters > 0 ? m_path.depth / m_path.enters : 0; }

  // Without named lights: those of the beams, or all that shine.
  void findLights() {
    for (const NodeId id : roleOf(m_doc, m_of.effect, "from")) leaf(m_doc, id, m_from);
    if (m_from.empty())
      for (const Node* n : m_air)
        if (n->kind->param("light"))
          if (const Node* l = m_doc.find(paramsOf(*n).reference("light").target)) m_from.push_back(l);
    m_any = m_from.empty();
    if (m_any && !m_glows)
      for (const Node* n : m_doc.family("light"))
        if (!isBlack(lightAmount(m_doc, *n, m_of.frame))) m_from.push_back(n);
  }

  void emit() {
    std::vector<const Node*> lamps;
    for (const Node* n : m_from)
      if (n->kind->family() == "light") lamps.push_back(n);
    const Emitted emitted = emittedBy(m_of, lamps, m_route);
    m_route.emitted = emitted.lumens;
    std::string name = m_any ? "all lights" : names(m_from), reading = emitted.reading("from all around");
    if (m_from.empty()) {
      if (!m_glows) tell(Weight::Broken, "from", m_of.effect.id, "From is empty: no light shines into the air");
      name = m_glows ? "own light" : "empty";
      reading = m_glows ? names(m_air) : "";
    }
    m_route.stations.push_back({"from", "From", name, reading, 1, {}});
  }

  // Through: the air must be there.
  void judgeAir() {
    if (m_air.empty()) tell(Weight::Broken, "through", m_of.effect.id, "Through is empty: no air shows the light");
    if (!paramsOf(m_of.effect).flag("on")) return;
    for (const Node* n : m_air)
      if (!m_there.count(n->id)) m_route.findings.push_back(missing(*n));
  }

  Finding missing(const Node& n) const {
    const Params p = paramsOf(n);
    Finding f{Weight::Broken, "through", n.id, n.name + " is not there", {}};
    const Node* shape = m_doc.find(fills(n));
    const auto trouble = std::find_if(m_scene.warnings.begin(), m_scene.warnings.end(),
                                      [&](const std::string& t) { return t.starts_with(n.name); });
    if (!p.flag("shown")) {
      f.text = n.name + " is not shown";
      f.mends.push_back({"Show it", {{at(n, "shown"), "on"}}});
    } else if (trouble != m_scene.warnings.end()) {
      f.text = *trouble;
      if (shape && shape->kind->id == "object.mesh")
        f.mends.push_back({"Close its holes", {}, {{"modifier.mend", shape->name, "modifiers"}}});
      if (shape) f.mends.push_back(fillAll(n));
    } else if (const Node* light = n.kind->param("light") ? m_doc.find(p.reference("light").target) : nullptr;
               light && !isShown(m_doc, *light, m_of.frame)) {
      f.text = fmt::format("{} has no light: {} is not shown", n.name, light->name);
      if (light->kind->param("shown"))
        f.mends.push_back({fmt::format("Show {}", light->name), {{at(*light, "shown"), "on"}}});
    } else if (p.number("density") <= 0 && p.text("measure") == "density") {
      f.text = n.name + " has a density of 0";
      f.mends.push_back({"Set it to 0.1 1/m", {{at(n, "density"), "0.1"}}});
    } else if (p.number("amount") <= 0 && !p.pattern("amount")) {
      f.text = n.name + " has an amount of 0 %";
      f.mends.push_back({"Set it to 100 %", {{at(n, "amount"), "100 %"}}});
    }
    return f;
  }

  std::string shareText() const { return fmt::format("{} of the picture", percent(m_route.pictureShare)); }

  // Returns the last station, as litStations() does.
  Station glowStations() {
    const bool seen = m_route.pictureShare > 0;
    m_route.stations.push_back({"through", "Into the air", names(m_air), "shines by itself", 1, {}});
    m_route.stations.push_back({"picture", "Picture", seen ? "in sight" : "dark", shareText(), seen ? 1.0 : 0.0, {}});
    return m_route.stations.back();
  }

  Station litStations(bool lit) {
    Station enters{"through", "Into the air", m_air.empty() ? "empty" : names(m_air), "", 0, {}},
        turned{"scattered", "Scattered", "", "", 0, {}}, picture{"picture", "Picture", "", shareText(), 0, {}};
    const AirPath& t = m_path;
    if (lit) {
      enters.share = t.enters / t.sent;
      enters.reading = fmt::format("{} of it enters", percent(enters.share));
      if (t.sent - t.meets > 0) enters.losses.push_back({"misses the air", 0, (t.sent - t.meets) / t.sent});
      for (const auto& [node, w] : t.blocked) enters.losses.push_back(lossTo(m_doc, node, w / t.sent));
      turned.share = t.scatters / t.sent;
      if (t.enters > 0) {
        turned.reading = fmt::format("{} turned", percent(t.scatters / t.enters));
        turned.name = depthText(depth());
        turned.losses.push_back({"goes straight on", 0, t.passes / t.enters});
        if (t.absorbs > 0) turned.losses.push_back({"is absorbed", 0, t.absorbs / t.enters});
      }
      picture.share = t.seen / t.sent;
      picture.name = "dark";
      if (t.scatters > 0) {
        m_route.seen = t.seen / t.scatters;
        picture.name = fmt::format("{} in sight", percent(m_route.seen));
        if (t.outside > 0) picture.losses.push_back({"is out of frame", 0, t.outside / t.scatters});
        if (t.dimmed > 0) picture.losses.push_back({"is lost in the air before it", 0, t.dimmed / t.scatters});
        for (const auto& [node, w] : t.hides) picture.losses.push_back(lossTo(m_doc, node, w / t.scatters));
      }
    }
    for (Station* s : {&enters, &turned, &picture}) {
      sortLosses(s->losses, 0.005);
      m_route.stations.push_back(*s);
    }
    return picture;
  }

  void judgeEntrance() {
    const Node& first = *m_air.front();
    if (m_path.meets < 0.002 * m_path.sent) {
      std::vector<Mend> mends;
      if (fills(first)) mends.push_back(fillAll(first));
      if (const Node& light = *m_from.front(); airForm(first) == AirForm::Beam && light.kind->family() == "light")
        mends.push_back({fmt::format("Fit it to {}", light.name), {{at(first, "light"), light.name}}});
      tell(Weight::Broken, "through", first.id, fmt::format("The light of {} misses {}", names(m_from), names(m_air)),
           mends);
      return;
    }
    if (m_path.enters >= 0.02 * m_path.meets) return;
    const auto most = std::max_element(m_path.blocked.begin(), m_path.blocked.end(),
                                       [](const auto& a, const auto& b) { return a.second < b.second; });
    const Node* by = m_doc.find(most->first); // something blocks it, or it would enter
    const Loss worst = lossTo(m_doc, most->first, most->second / m_path.meets);
    const bool opening = airForm(first) == AirForm::Beam && paramsOf(first).reference("opening").target &&
                         m_path.near > 0.5 * (m_path.meets - m_path.enters);
    Finding f{Weight::Broken,
              "through",
              worst.thing,
              opening ? fmt::format("The opening of {} is closed: {} stands in it", first.name, worst.by)
                      : fmt::format("{} blocks {} of the light before it enters {}", worst.by, percent(worst.share),
                                    names(m_air)),
              {}};
    // What is filled is the wall itself; the room within it was meant.
    if (by && first.kind->param("part") && fills(first) == by->id && paramsOf(first).text("part") == "all of it" &&
        isHollow(m_scene, by->id)) {
      f.text =
          fmt::format("{} fills the walls of {}, where no light comes: its inside is left out", first.name, by->name);
      f.thing = first.id;
      f.mends.push_back({fmt::format("Fill the inside of {}", by->name), {{at(first, "part"), "its inside"}}});
    } else if (by && by->kind->param("casts_shadow"))
      f.mends.push_back({fmt::format("Let light pass {}", by->name), {{at(*by, "casts_shadow"), "off"}}});
    m_route.findings.push_back(std::move(f));
  }

  void judgeDepth() {
    if (depth() <= 5) return;
    // Thick air may glow all the same: then it is worth a note, and no fault.
    const Node& first = *m_air.front();
    const bool shows = m_route.pictureShare > 0.02;
    const Params p = paramsOf(first);
    const double now = p.text("measure") == "visibility" ? densityOfVisibility(p.number("visibility"))
                                                         : p.number("density"),
                 better = now * std::log(2) / depth();
    Mend m{fmt::format("Let half through: {:.2g} 1/m", better),
           {{at(first, "density"), fmt::format("{:.3g}", better)}}};
    if (p.text("measure") != "density") m.sets.insert(m.sets.begin(), {at(first, "measure"), "density"});
    tell(shows ? Weight::Note : Weight::Weak, "scattered", first.id,
         fmt::format("Nothing crosses {}{}: {}", first.name, shows ? " to its far side" : "", depthText(depth())), {m});
  }

  // Too little to be told from the noise.
  void judgeNoise() {
    if (m_path.enters <= 0 || m_route.seen <= 0.02 || m_of.film.samples(0) < 16 || m_route.pictureShare >= 0.01) return;
    double signal = 0, noise = 0;
    bool any = false;
    for (size_t i = 0; i < m_of.developed.picture.pixels(); ++i) {
      const SeenShare s = seenAmong(m_of.film, i, m_scene, m_hazes);
      if (s.part <= 0 || s.total <= 0) continue;
      signal += double(luminance(m_of.film.total(i)) * s.part / s.total);
      noise += std::sqrt(std::max(0.0, double(luminance(m_of.film.variance(i)))));
      any = true;
    }
    if (!any || signal >= 0.3 * noise) return;
    const Node &first = *m_air.front(), &light = *m_from.front();
    const Params p = paramsOf(first);
    const double more = std::min(50.0, 3 * noise / std::max(1e-12, signal)), denser = p.number("density") * more;
    std::vector<Mend> mends;
    if (p.text("measure") == "density" && depth() * more < 3)
      mends.push_back({fmt::format("Raise the density to {:.2g} 1/m", denser),
                       {{at(first, "density"), fmt::format("{:.3g}", denser)}}});
    else if (light.kind->param("stops"))
      mends.push_back(
          {fmt::format("Raise {} by {:.1f} stops", light.name, std::log2(more)),
           {{at(light, "stops"), fmt::format("{:.2f}", paramsOf(light).number("stops") + std::log2(more))}}});
    tell(Weight::Weak, "picture", first.id,
         fmt::format("{} scatters less than the noise shows: {}", names(m_air), shareText()), mends);
  }

  void judgeSight(const Station& picture) {
    if (m_path.scatters <= 0) return;
    if (m_path.outside > 0.95 * m_path.scatters) {
      tell(Weight::Broken, "picture", m_air.front()->id, fmt::format("What {} shows is out of frame", names(m_air)));
    } else if (m_route.seen < 0.05) {
      const auto worst =
          std::find_if(picture.losses.begin(), picture.losses.end(), [](const Loss& l) { return l.thing != 0; });
      if (worst != picture.losses.end())
        tell(Weight::Weak, "picture", worst->thing,
             fmt::format("{} hides {} of what the air shows", worst->by, percent(worst->share)));
    }
  }

  // A beam that ends before what it should light.
  void judgeReach(const Node& first) {
    for (const NodeId id : roleOf(m_doc, m_of.effect, "onto")) {
      const Node* target = m_doc.find(id);
      Box3f box;
      for (const InstancedObject& i : m_scene.objects)
        if (m_scene.things[i.thing].node == id) box.extendBy(i.bounds);
      if (!target || box.isEmpty() || !m_scene.media) continue;
      for (size_t i = 0; i < m_scene.media->size(); ++i) {
        const Medium& medium = (*m_scene.media)[i];
        if (m_scene.things[medium.thing].node != first.id || medium.places.empty()) continue;
        const auto& beam = medium.places.front().beam;
        if (!beam) continue;
        V3f nearest;
        for (int k = 0; k < 3; ++k) nearest[k] = std::clamp(beam->begin[k], box.min[k], box.max[k]);
        const float distance = length(nearest - beam->begin), reach = beam->reach;
        if (distance <= reach) continue;
        const double better = std::ceil(double(distance) * 1.1 * 10) / 10;
        tell(Weight::Weak, "onto", first.id,
             fmt::format("{} ends {} before {}", first.name,
                         formatNumber(*first.kind->param("reach"), double(distance - reach)), target->name),
             {{fmt::format("Let it reach {:g} m", better), {{at(first, "reach"), fmt::format("{:g}", better)}}}});
      }
    }
  }

  const DevelopedEffect& m_of;
  const Document& m_doc;
  const Scene& m_scene;
  std::vector<const Node*> m_air, m_from;
  std::set<NodeId> m_hazes, m_there; ///< ids of the air, and of all air that was compiled
  bool m_glows = false;              ///< the air shines by itself
  bool m_any = false;                ///< no lights are named
  AirPath m_path;
  Route m_route;
};

} // namespace

double airShare(const DevelopedEffect& of) {
  const Picture& picture = of.developed.picture;
  std::set<NodeId> hazes;
  for (const NodeId id : roleOf(of.doc, of.effect, "through")) hazes.insert(id);
  std::vector<char> ours;
  for (const Thing& t : of.scene.things) ours.push_back(t.among(hazes));
  std::vector<std::pair<double, double>> rows(size_t(picture.height),
                                              {0, 0}); // all light, and what of it is seen on these hazes
  of.tasks.forEach(picture.height, [&](int y) {
    auto& [all, part] = rows[size_t(y)];
    for (int x = 0; x < picture.width; ++x) {
      const double l = double(luminance(picture.color(x, y)));
      all += l;
      const Film::Ranked& seen = of.film.seen(size_t(y) * size_t(picture.width) + size_t(x));
      float total = seen.dropped, mine = 0;
      for (size_t k = 0; k < size_t(Film::ranks); ++k) {
        total += seen.weight[k];
        if (seen.weight[k] > 0 && ours[seen.thing[k]]) mine += seen.weight[k];
      }
      if (total > 0) part += l * double(mine / total);
    }
  });
  double all = 0, part = 0;
  for (const auto& [a, p] : rows) {
    all += a;
    part += p;
  }
  return all > 0 ? part / all : 0;
}

Route measureAirRoute(const DevelopedEffect& of) { return AirRoute(of).measure(); }

} // namespace ilumbra
