// Translucency: light that enters a body or a sheet from behind or inside, wanders about in it and comes out towards
// the camera.
#include "core/base/colorspace.h"
#include "core/base/sampling.h"
#include "core/compile/camera.h"
#include "core/compile/resting_lobes.h"
#include "core/document/units.h"
#include "core/effects/cover.h"
#include "core/effects/making.h"
#include "core/effects/sight_route.h"
#include "core/effects/slab.h"
#include "core/geometry/no_assets.h"
#include "core/geometry/shape.h"
#include "core/image/picture_ops.h"
#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"
#include "core/scene/scene.h"
#include "core/surface/material.h"
#include "core/surface/presets.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

bool letsIn(const Document& doc, const Node& object, double frame) {
  const Node* m = object.kind->param("material") ? doc.find(wornMaterial(doc, object, frame).target) : nullptr;
  if (!m || !m->kind->param("subsurface")) return false;
  const Params p(*m, frame);
  return p.pattern("subsurface") || p.pattern("translucency") || p.number("subsurface") > 0.05 ||
         (p.flag("thin") && p.number("translucency") > 0.05);
}

// Brings the mean free path of what a body is made of in proportion: half of the light through a sixth of it.
void deepen(Document& doc, NodeId body) {
  const Node* m = doc.find(Params(*doc.find(body), currentFrame(doc)).reference("material").target);
  const Box3f box = boundsOf(doc, {body});
  if (!m || box.isEmpty()) return;
  const NoAssets none;
  const Material now =
      compileMaterial(doc, {m->id, nullptr}, currentFrame(doc), none, [](const Reference&) { return 0; });
  const V3f s = box.size();
  const double half = halfThrough(now.interior), thick = double(std::min({s.x, s.y, s.z}));
  if (half > 0)
    doc = setValue(
        doc, m->id, "subsurface_depth",
        Constant(std::stod(tidy(Params(*m, currentFrame(doc)).number("subsurface_depth") * thick / 6 / half))));
}

Document makeTranslucency(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  const double frame = currentFrame(doc);
  for (const NodeId id : roleOf(doc, *doc.find(effect), "from"))
    if (doc.find(id)->kind->family() == "object") {
      doc = leaveRole(doc, effect, "from", id);
      take(doc, effect, "through", id);
    }
  if (roleOf(doc, *doc.find(effect), "through").empty()) {
    NodeId found = 0;
    for (const Node* n : doc.family("object"))
      if (!found && isShown(doc, *n, frame) && letsIn(doc, *n, frame)) found = n->id;
    if (!found) found = mainObject(doc);
    if (found) {
      tell(told, fmt::format("{} is what light goes through", doc.find(found)->name));
    } else {
      found = ballOf(doc, "Alabaster ball", "Alabaster", "Alabaster");
      deepen(doc, found);
      tell(told, "There was nothing for light to go through: a ball of alabaster was made");
    }
    take(doc, effect, "through", found);
  }
  std::vector<const Node*> held;
  for (const NodeId id : roleOf(doc, *doc.find(effect), "through")) leaf(doc, id, held);
  std::vector<NodeId> bodies;
  for (const Node* n : held)
    if (n->kind->param("material")) bodies.push_back(n->id);
  for (const NodeId id : bodies) {
    const Node n = *doc.find(id);
    if (letsIn(doc, n, frame)) continue;
    const NodeId wax = add(doc, "material.surface", n.name + " alabaster", {});
    doc = applyPreset(doc, wax, findPreset("Alabaster"));
    doc = setValue(doc, id, "material", Constant(Reference{wax, nullptr}));
    deepen(doc, id);
    tell(told, n.name + " is of alabaster now");
  }
  if (roleOf(doc, *doc.find(effect), "from").empty() && !bodies.empty()) {
    // Behind it, a little above and to the side: its light comes through towards the camera.
    const Box3f box = boundsOf(doc, bodies);
    const Framed f = framed(doc);
    const V3f middle = box.isEmpty() ? f.middle : box.center();
    const float size = box.isEmpty() ? 0.25f * f.height : 0.5f * length(box.size());
    V3f eye(0, 0.3f, 1);
    if (const Node* c = activeCamera(doc)) eye = cameraOf(doc, *c, frame, 160, 90).position() - middle;
    eye = normalize(V3f(eye.x, 0, eye.z) + V3f(1e-6f));
    const V3f side(eye.z, 0, -eye.x),
        place = middle - eye * (2.1f * size) + side * (0.9f * size) + V3f(0, 0.9f * size, 0);
    const double away = double(length(place - middle));
    const NodeId lamp =
        add(doc, "light.spot", "Lamp behind",
            {{"position", text(place)},
             {"target", text(middle)},
             {"cone", fmt::format("{:.0f}", std::atan(1.15 * double(size) / away) * 180 / 3.14159265358979)},
             {"color", "1, 0.78, 0.5"},
             {"radius", tidy(0.4 * double(size))},
             {"seen", "off"},
             {"power", tidy(9 * white(doc) * away * away)}});
    take(doc, effect, "from", lamp);
    tell(told, "There was no light behind it: Lamp behind was made");
  }
  stageFor(doc, bodies, Stage::Dark, told);
  return doc;
}

class TranslucencyRoute : private SightRoute {
 public:
  explicit TranslucencyRoute(const DevelopedEffect& of) : SightRoute(of, "through"), m_from(inRole("from")) {}

  Route measure() {
    const Emitted emitted = emittedBy(m_of, m_from, m_route);
    m_route.emitted = emitted.lumens;
    m_route.stations.push_back({"from",
                                "From",
                                m_from.empty() ? "empty" : names(m_from),
                                m_from.empty() ? "" : emitted.reading("from far away"),
                                1,
                                {}});
    if (m_from.empty())
      tell(Weight::Broken, "from", m_of.effect.id, "From is empty: no light is behind it or inside it");
    const bool there = judgePresence("a body or a sheet that light enters");
    for (const Node* n : m_bodies) lightOn(*n);
    measurePicture();
    Station through{"through", "Through", m_bodies.empty() ? "empty" : names(m_bodies), "", 0, {}},
        picture{"picture", "Picture", "", fmt::format("{} of the picture", percent(m_route.pictureShare)), 0, {}};
    const double all = m_front + m_back;
    if (there) {
      through.share = emitted.endless || emitted.lumens <= 0 ? (all > 0 ? 1 : 0) : std::min(1.0, all / emitted.lumens);
      through.reading = half();
      if (!emitted.endless && emitted.lumens > all) through.losses.push_back({"misses it", 0, 1 - through.share});
      picture.share = through.share * (all > 0 ? m_back / all : 0);
      picture.name = all > 0 ? fmt::format("{} from behind", percent(m_back / all)) : "dark";
      if (all > 0) picture.losses.push_back({"falls on its front", 0, m_front / all});
    }
    sortLosses(through.losses, 0.005);
    sortLosses(picture.losses, 0.005);
    m_route.seen = all > 0 ? m_back / all : 0;
    m_route.stations.push_back(std::move(through));
    m_route.stations.push_back(std::move(picture));
    if (there) judge();
    return finished(std::move(m_route), m_of, "through");
  }

 private:
  // Lumens of From that fall on the side of a body that the camera sees, and on the others.
  void lightOn(const Node& body) {
    const InstancedObject* in = compiled(body);
    if (!in) return;
    TraceCount count;
    const RayCaster rays(m_scene, count, nullptr);
    const V3f eye = m_scene.camera.position();
    std::set<NodeId> ours;
    for (const Node* n : m_from) ours.insert(n->id);
    constexpr uint32_t places = 600;
    uint32_t index = 0;
    spreadOver(*in, places, [&](const SpreadPlace& p) {
      const V3f n = p.at.facing;
      Sampler sampler(2, 0, index++, 71);
      double lux = 0;
      for (const Emitter& e : m_scene.emitters) {
        if (!m_scene.things[e.thing].among(ours)) continue;
        LightSample s;
        if (!e.light->sample(p.at.world, sampler.get2(), s)) continue;
        const float cosine = dot(n, s.direction);
        if (cosine <= 0) continue;
        // What the body itself holds shines on its wall from inside.
        float got;
        if (blocker(m_scene, rays, offset(p.at.world, n), s.direction, s.distance * 0.999f, false, got)) continue;
        lux += double(luminance(s.radiance * e.baked * m_of.groupScales[e.group])) *
               double(std::isfinite(s.pdf) ? cosine / s.pdf : cosine);
      }
      (dot(n, eye - p.at.world) > 0 ? m_front : m_back) += lux * p.area;
      m_back += insideLux(p.at.world, n, ours, sampler, rays) * p.area;
    });
    m_route.raysTraced += count.rays;
  }
  // Of lamps within the body, on its wall.
  double insideLux(const V3f& place, const V3f& n, const std::set<NodeId>& ours, Sampler& sampler,
                   const RayCaster& rays) const {
    double lux = 0;
    for (const Emitter& e : m_scene.emitters) {
      if (!m_scene.things[e.thing].among(ours)) continue;
      LightSample s;
      if (!e.light->sample(place, sampler.get2(), s)) continue;
      const float cosine = -dot(n, s.direction);
      if (cosine <= 0) continue;
      Hit hit; // nothing of the body itself between
      if (rays.intersect(offset(place, -n), s.direction, s.distance * 0.999f, hit) && hit.object->light < 0) continue;
      lux += double(luminance(s.radiance * e.baked * m_of.groupScales[e.group])) *
             double(std::isfinite(s.pdf) ? cosine / s.pdf : cosine);
    }
    return lux;
  }

  // The bodies' light in the picture, of From and of all others.
  void measurePicture() {
    std::set<NodeId> ours;
    for (const Node* n : m_from) ours.insert(n->id);
    const Picture all = collect(m_of.film, 0, m_of.groupScales, 1, m_of.tasks);
    const double total = luminanceSum(all, {}, m_of.tasks);
    std::vector<float> cover(all.pixels(), 0);
    for (size_t i = 0; i < all.pixels(); ++i) {
      const Film::Ranked& first = m_of.film.identity(i);
      float mine = 0, samples = first.dropped;
      for (size_t k = 0; k < size_t(Film::ranks); ++k) {
        samples += first.weight[k];
        if (first.weight[k] > 0 && m_things.count(first.thing[k])) mine += first.weight[k];
      }
      if (samples > 0) cover[i] = mine / samples;
    }
    for (size_t g = 0; g < m_scene.groups.size(); ++g) {
      const Picture own = collectGroup(m_of.film, 0, int(g), m_of.groupScales[g], 1, m_of.tasks);
      double sum = 0;
      for (size_t i = 0; i < own.pixels(); ++i)
        if (cover[i] > 0)
          sum += double(cover[i]) * double(luminance({own.rgb[3 * i], own.rgb[3 * i + 1], own.rgb[3 * i + 2]}));
      if (ours.count(m_scene.groups[g].node)) {
        m_through += sum;
      } else {
        m_others += sum;
        if (sum > m_strongest) {
          m_strongest = sum;
          m_rival = m_doc.find(m_scene.groups[g].node);
        }
      }
    }
    m_route.pictureShare = total > 0 ? m_through / total : 0;
  }

  double thickness() const {
    double sum = 0;
    int n = 0;
    for (const SightRay& r : m_probe.rays)
      if (r.chord > 0) sum += double(r.chord), ++n;
    return n ? sum / n : 0;
  }
  const Material* scattering(const Node& n) const {
    const InstancedObject* i = compiled(n);
    if (!i || i->material == noMaterial) return nullptr;
    const Material& m = *m_scene.materials[i->material];
    return m.subsurface.any() && !m.thin ? &m : nullptr;
  }
  std::string half() const {
    for (const Node* n : m_bodies)
      if (const Material* m = scattering(*n); m && !m->interiorVaries)
        return fmt::format("half gets through at {}", lengthText(halfThrough(m->interior)));
    return "a sheet";
  }

  void judge() {
    const double thick = thickness();
    for (const Node* n : m_bodies) {
      const Node* m = matterOf(*n);
      if (!m) continue;
      const Params p = paramsOf(*m);
      if (!letsIn(m_doc, *n, m_of.frame)) {
        tell(Weight::Broken, "through", n->id,
             fmt::format("{} lets no light in: {} is matte all through", n->name, m->name),
             {{"Let light enter it", {{at(*m, "subsurface"), "1"}, {at(*m, "metalness"), "0"}}}});
        continue;
      }
      const InstancedObject* i = compiled(*n);
      if (i && !p.flag("thin") && !i->closed) {
        std::vector<Mend> mends;
        if (n->kind->id == "object.mesh")
          mends.push_back({"Close its holes", {}, {{"modifier.mend", n->name, "modifiers"}}});
        mends.push_back({"Take it for a sheet that passes light",
                         {{at(*m, "thin"), "on"}, {at(*m, "subsurface"), "0"}, {at(*m, "translucency"), "0.5"}}});
        tell(Weight::Broken, "through", n->id, n->name + " is open: light that enters it has no inside to wander in",
             std::move(mends));
      } else if (const Material* scatters = scattering(*n); scatters && !scatters->interiorVaries && thick > 0) {
        judgeDepth(*n, *m, halfThrough(scatters->interior), thick);
      }
    }
    const double all = m_front + m_back;
    if (!m_from.empty() && all <= 0 && m_route.emitted > 0)
      tell(Weight::Broken, "from", m_from.front()->id,
           fmt::format("The light of {} does not reach {}", names(m_from), names(m_bodies)));
    else if (all > 0 && m_back < 0.15 * all)
      tell(Weight::Weak, "from", m_from.front()->id,
           fmt::format("{} shines on the front of {} alone: nothing comes through", names(m_from), names(m_bodies)),
           behind());
    if (m_through > 0 && m_others > 3 * m_through && m_rival) {
      const double down = std::ceil(std::log2(m_others / m_through));
      std::vector<Mend> mends;
      if (m_rival->kind->param("stops"))
        mends.push_back({fmt::format("Lower {} by {:.0f} stops", m_rival->name, down),
                         {{at(*m_rival, "stops"), fmt::format("{:g}", paramsOf(*m_rival).number("stops") - down)}}});
      tell(Weight::Weak, "picture", m_rival->id,
           fmt::format("Other light on it is {:.0f} times what comes through; most of it is {}'s", m_others / m_through,
                       m_rival->name),
           std::move(mends));
    }
  }

  void judgeDepth(const Node& n, const Node& m, double halfAt, double thick) {
    const Params p = paramsOf(m);
    if (p.pattern("subsurface_depth") || !(halfAt > 0)) return;
    const double depth = p.number("subsurface_depth");
    // All ways in it scale with the mean free path.
    const std::string better = tidy(depth * thick / 6 / halfAt);
    const Mend mend{fmt::format("Set its mean free path to {}: half gets through {}", lengthText(std::stod(better)),
                                lengthText(thick / 6)),
                    {{at(m, "subsurface_depth"), better}}};
    if (halfAt < thick / 40)
      tell(Weight::Weak, "through", n.id,
           fmt::format("{} is {} thick, and half of the light is gone after {}: it looks matte", n.name,
                       lengthText(thick), lengthText(halfAt)),
           {mend});
    else if (halfAt > 2 * thick)
      tell(Weight::Weak, "through", n.id,
           fmt::format("{} is {} thick, and half of the light would get through {}: it looks like mist", n.name,
                       lengthText(thick), lengthText(halfAt)),
           {mend});
  }

  // To the other side of the body, as far from it.
  std::vector<Mend> behind() const {
    std::vector<Mend> mends;
    const InstancedObject* body = compiled(*m_bodies.front());
    if (!body) return mends;
    const V3f middle = body->bounds.center(), eye = normalize(m_scene.camera.position() - middle);
    for (const Node* n : m_from) {
      if (n->kind->family() != "light" || !n->kind->param("position")) continue;
      const Triple now = paramsOf(*n).triple("position");
      const M44f up = n->parent ? worldMatrix(m_doc, *m_doc.find(n->parent), m_of.frame) : M44f();
      const V3f from = transformPoint(up, V3f(float(now[0]), float(now[1]), float(now[2]))) - middle,
                to = middle + from - eye * (2 * std::max(0.0f, dot(from, eye)));
      Mend m{fmt::format("Move {} behind it", n->name), {{at(*n, "position"), text(transformPoint(up.inverse(), to))}}};
      if (n->kind->param("target")) m.sets.emplace_back(at(*n, "target"), text(transformPoint(up.inverse(), middle)));
      mends.push_back(std::move(m));
    }
    return mends;
  }

  const std::vector<const Node*> m_from;
  double m_front = 0, m_back = 0;                      // lumens
  double m_through = 0, m_others = 0, m_strongest = 0; // luminance in the picture
  const Node* m_rival = nullptr;
};

double throughShare(const DevelopedEffect& of) {
  // What the lights of From make of the bodies is the whole of their route: measured with it.
  return TranslucencyRoute(of).measure().pictureShare;
}

} // namespace

EffectKind translucencyEffect() {
  return {.kind = {.id = "effect.translucency",
                   .label = "Translucency",
                   .helpText = "Light behind or inside a body that comes through it.",
                   .params = {flag("on", "On", true).at(Invalidation::Geometry).help("Off: no light enters the bodies"),
                              references("from", "From", {"light.", "object."})
                                  .fixed()
                                  .at(Invalidation::Lens)
                                  .help("The lights behind it or inside it"),
                              references("through", "Through", {"object."})
                                  .fixed()
                                  .at(Invalidation::Geometry)
                                  .help("The bodies or sheets that light enters")},
                   .existence = Invalidation::Geometry,
                   .role = seesEntered},
          .roles = {{"from", "From", "a light behind it or inside"},
                    {"through", "Through", "a body that light enters", true}},
          .make = makeTranslucency,
          .share = throughShare,
          .measure = [](const DevelopedEffect& of) { return TranslucencyRoute(of).measure(); }};
}

} // namespace ilumbra
