// Reflection: what is mirrored in a surface. Its route: how much comes back at which angle, from where, how blurred.
#include "core/effects/reflection.h"

#include "core/base/colorspace.h"
#include "core/compile/resting_lobes.h"
#include "core/document/units.h"
#include "core/effects/making.h"
#include "core/effects/sight_route.h"
#include "core/geometry/shape.h"
#include "core/scene/geometry.h"
#include "core/scene/scene.h"
#include "core/surface/presets.h"

#include <fmt/format.h>
#include <ImathMatrixAlgo.h>
#include <ImathQuat.h>

namespace ilumbra {
namespace {

constexpr double degree = 3.14159265358979 / 180;

Document makeReflection(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  const double frame = currentFrame(doc);
  const auto mirrors = [&](const Node& n) {
    const Node* m = n.kind->param("material") ? doc.find(wornMaterial(doc, n, frame).target) : nullptr;
    if (!m || !m->kind->param("metalness")) return false;
    const Params p(*m, frame);
    return !p.pattern("roughness") && p.number("roughness") < 0.3 &&
           (p.number("metalness") > 0.5 || p.number("coat") > 0.5 || p.number("transmission") > 0.5);
  };
  // Of a selection, what mirrors is the mirror; of one thing alone it is meant.
  const std::vector<NodeId> named = roleOf(doc, *doc.find(effect), "from");
  if (roleOf(doc, *doc.find(effect), "onto").empty() && !named.empty()) {
    std::vector<NodeId> bright, objects;
    for (const NodeId id : named) {
      if (doc.find(id)->kind->family() != "object") continue;
      objects.push_back(id);
      if (mirrors(*doc.find(id))) bright.push_back(id);
    }
    if (bright.empty() && !objects.empty()) bright.push_back(objects.back());
    for (const NodeId id : bright) {
      doc = leaveRole(doc, effect, "from", id);
      take(doc, effect, "onto", id);
    }
  }
  if (roleOf(doc, *doc.find(effect), "onto").empty()) {
    NodeId found = 0;
    for (const Node* n : doc.family("object"))
      if (!found && isShown(doc, *n, frame) && mirrors(*n)) found = n->id;
    if (found) {
      tell(told, fmt::format("{} is the mirror", doc.find(found)->name));
    } else {
      const NodeId main = mainObject(doc);
      const Box3f box = main ? boundsOf(doc, {main}) : Box3f();
      if (main && !doc.family("object").empty()) {
        // A polished slab below what there is.
        const NodeId slate = add(doc, "material.surface", "Polished slate", {});
        doc = applyPreset(doc, slate, findPreset("Black lacquer"));
        const double size = double(length(box.size()));
        found = add(doc, "object.plane", "Mirror slab",
                    {{"width", tidy(6 * size)},
                     {"depth", tidy(6 * size)},
                     {"position", text({box.center().x, box.min.y - 0.002f * float(size), box.center().z})},
                     {"material", doc.find(slate)->name}});
        tell(told, "There was no mirror: a polished slab was laid below it");
      } else {
        found = ballOf(doc, "Mirror ball", "Quicksilver", "Quicksilver");
        tell(told, "There was nothing that mirrors: a ball of quicksilver was made");
      }
    }
    take(doc, effect, "onto", found);
  }
  std::vector<NodeId> bodies;
  for (const NodeId id : roleOf(doc, *doc.find(effect), "onto"))
    for (const NodeId held : treeOf(doc, id)) bodies.push_back(held);
  stageFor(doc, bodies, Stage::Lit, told);
  return doc;
}

class ReflectionRoute : private SightRoute {
 public:
  explicit ReflectionRoute(const DevelopedEffect& of) : SightRoute(of, "onto"), m_from(inRole("from")) {}

  Route measure() {
    const bool there = judgePresence("an object that mirrors");
    const Light light = this->light();
    const double mirrors = double(luminance(m_probe.mirrored));
    m_route.pictureShare = light.share;
    m_route.seen = m_from.empty() ? 1 : sharedWith(thingsOf(m_from));
    m_route.peak = light.brightest;
    m_route.stations.push_back({"from",
                                "From",
                                m_from.empty() ? "all around" : names(m_from),
                                m_from.empty() ? mostly() : fmt::format("{} of what it mirrors", percent(m_route.seen)),
                                1,
                                {}});
    Station onto{"onto", "Onto", m_bodies.empty() ? "empty" : names(m_bodies), "", 0, {}},
        picture{"picture", "Picture", "", fmt::format("{} of the picture", percent(light.share)), 0, {}};
    if (there) {
      measureBlur();
      onto.share = mirrors;
      onto.reading = byAngle(mirrors);
      onto.losses = {{"goes into it, or is scattered", 0, std::max(0.0, 1 - mirrors)}};
      picture.share = mirrors * m_route.seen;
      picture.name = m_blur < 0.2 ? "sharp" : fmt::format("blurred by {:.0f}°", std::max(1.0, m_blur));
      for (const auto& [thing, w] : m_probe.mirroredTo)
        if (!m_from.empty() && mirrors > 0 && (thing < 0 || !thingsOf(m_from).count(uint16_t(thing))))
          picture.losses.push_back({"shows " + nameOf(thing), nodeOf(thing), w / mirrors});
    }
    sortLosses(onto.losses, 0.005);
    sortLosses(picture.losses, 0.02);
    m_route.stations.push_back(std::move(onto));
    m_route.stations.push_back(std::move(picture));
    if (there) judge(mirrors, light);
    return finished(std::move(m_route), m_of, "onto");
  }

 private:
  double sharedWith(const std::set<uint16_t>& things) const {
    double part = 0, all = 0;
    for (const auto& [thing, w] : m_probe.mirroredTo) {
      all += w;
      if (thing >= 0 && things.count(uint16_t(thing))) part += w;
    }
    return all > 0 ? part / all : 0;
  }
  std::string mostly() const {
    double all = 0;
    for (const auto& [thing, w] : m_probe.mirroredTo) all += w;
    const auto most = std::max_element(m_probe.mirroredTo.begin(), m_probe.mirroredTo.end(),
                                       [](const auto& a, const auto& b) { return a.second < b.second; });
    return most == m_probe.mirroredTo.end() ? "nothing"
                                            : fmt::format("{} {}", nameOf(most->first), percent(most->second / all));
  }

  // Off the first face, by how it is looked at: what is seen straight on and what at the rim.
  std::string byAngle(double mirrors) const {
    double sums[2] = {}, counts[2] = {};
    for (const SightRay& r : m_probe.rays) {
      const int bin = r.cosine > 0.8f ? 0 : r.cosine < 0.3f ? 1 : -1;
      if (bin < 0) continue;
      ++counts[bin];
      if (r.ends && r.mirrored) sums[bin] += double(luminance(r.carried));
    }
    std::string text = fmt::format("mirrors {}", percent(mirrors));
    const double enough = 0.03 * double(m_probe.rays.size());
    if (counts[0] > enough && counts[1] > enough)
      text +=
          fmt::format(": {} straight on, {} at the rim", percent(sums[0] / counts[0]), percent(sums[1] / counts[1]));
    return text;
  }

  // Mean angle between where sight goes and where a mirror would send it.
  void measureBlur() {
    double weights = 0;
    for (const SightRay& r : m_probe.rays) {
      if (!r.ends || !r.mirrored || r.surfaces != 1) continue;
      const double w = double(luminance(r.carried));
      const V3f goes = r.thing < 0 ? r.end : normalize(r.end - r.place),
                mirror = r.way - r.normal * (2 * dot(r.way, r.normal));
      m_blur += w * std::acos(std::clamp(double(dot(goes, mirror)), -1.0, 1.0)) / degree;
      weights += w;
    }
    if (weights > 0) m_blur /= weights;
  }

  void judge(double mirrors, const Light& light) {
    for (const Node* n : m_bodies) judgeBody(*n, mirrors);
    if (mirrors > 0.02 && !m_from.empty() && m_route.seen < 0.002) judgeMissed();
    const auto sky = m_probe.mirroredTo.find(-1);
    if (!m_from.empty() && m_route.seen >= 0.002 && m_route.seen < 0.2 && sky != m_probe.mirroredTo.end() &&
        sky->second > 0.7 * mirrors && hasSky())
      tell(Weight::Weak, "from", m_from.front()->id,
           fmt::format("The sky takes {} of the mirror: it hides {}", percent(sky->second / mirrors), names(m_from)),
           skyDown());
    if (mirrors > 0.02 && light.stops > -99 && light.brightest < -3) judgeDark(light);
    if (mirrors > 0.02 && light.stops <= -99 && paramsOf(m_of.effect).flag("on"))
      tell(Weight::Broken, "from", m_of.effect.id,
           "Nothing that gives light is mirrored in it: put a lamp or a panel where it looks");
    if (light.clipped > 0.25)
      tell(Weight::Weak, "picture", m_bodies.front()->id,
           fmt::format("{} of the reflection is above white: it has lost its colour", percent(light.clipped)),
           clippedMends(light.brightest));
  }

  void judgeBody(const Node& n, double mirrors) {
    const Node* m = matterOf(n);
    if (!m) return;
    const Params p = paramsOf(*m);
    if (p.pattern("roughness")) return;
    const double rough = p.number("roughness"), coat = p.pattern("coat") ? 1 : p.number("coat");
    if (coat > 0.3) return; // the coat mirrors, whatever lies below it
    if (rough > 0.45 && m_blur > 12)
      tell(mirrors > 0.02 ? Weight::Weak : Weight::Broken, "onto", n.id,
           fmt::format("{} is too rough to mirror: all is blurred by {:.0f}°", n.name, m_blur),
           {{"Polish it", {{at(*m, "roughness"), "0.08"}}}, {"Lacquer it", {{at(*m, "coat"), "1"}}}});
    else if (mirrors < 0.02)
      tell(Weight::Broken, "onto", n.id, fmt::format("{} mirrors {} of what is around it", n.name, percent(mirrors)),
           {{"Let its boundary mirror", {{at(*m, "specular"), "1"}, {at(*m, "ior"), "1.5"}}},
            {"Lacquer it", {{at(*m, "coat"), "1"}}},
            {"Make it metal", {{at(*m, "metalness"), "1"}, {at(*m, "base_color"), "0.9, 0.9, 0.9"}}}});
  }

  // What is wanted is not in it: turned so that the middle of the mirror shows it.
  void judgeMissed() {
    std::vector<Mend> mends;
    const Node& body = *m_bodies.front();
    const InstancedObject* mirror = compiled(body);
    const V3f to = middleOf(*m_from.front());
    if (mirror && body.kind->param("turn") && mirror->geometry) {
      const V3f size = mirror->geometry->bounds.size();
      // What is flat has a face that can be turned; a ball shows all around it anyway.
      int flat = 0;
      for (int axis = 1; axis < 3; ++axis)
        if (size[axis] < size[flat]) flat = axis;
      if (size[flat] < 0.2f * std::max({size.x, size.y, size.z})) {
        const V3f here = mirror->bounds.center();
        V3f face(0.0f);
        face[flat] = 1;
        face = normalize(transformVector(mirror->toWorld, face));
        const V3f eye = normalize(m_scene.camera.position() - here);
        if (dot(face, eye) < 0) face = -face;
        const V3f wanted = normalize(eye + normalize(to - here));
        mends.push_back({fmt::format("Turn {} so that it shows it", body.name),
                         {{at(body, "turn"), turnText(body, face, wanted)}}});
      }
    }
    tell(Weight::Broken, "from", m_from.front()->id,
         fmt::format("{} is not in the reflection: it shows {}", names(m_from), mostly()), std::move(mends));
  }
  V3f middleOf(const Node& n) const {
    if (const InstancedObject* i = compiled(n); i && !i->bounds.isEmpty()) return i->bounds.center();
    return transformPoint(worldMatrix(m_doc, n, m_of.frame), V3f(0.0f));
  }
  // The turn that brings one direction onto another, after the turn that it has.
  std::string turnText(const Node& n, const V3f& from, const V3f& to) const {
    const M44f now = worldMatrix(m_doc, n, m_of.frame),
               above = n.parent ? worldMatrix(m_doc, *m_doc.find(n.parent), m_of.frame) : M44f();
    const Imath::Quatf q = [&] {
      Imath::Quatf r;
      r.setRotation(from, to);
      return r.normalized();
    }();
    M44f local = now * q.toMatrix44() * above.inverse();
    Imath::V3f scale, shear, angles, move;
    Imath::extractSHRT(local, scale, shear, angles, move, false);
    return fmt::format("{:.2f}, {:.2f}, {:.2f}", double(angles.x) / degree, double(angles.y) / degree,
                       double(angles.z) / degree);
  }

  bool hasSky() const {
    return std::any_of(m_scene.skies.begin(), m_scene.skies.end(), [](const Emitter&) { return true; });
  }
  std::vector<Mend> skyDown() const {
    std::vector<Mend> mends;
    for (const Node* n : m_doc.family("light"))
      if (n->kind->id == "light.sky" && n->kind->param("seen_mirrored") && paramsOf(*n).flag("seen_mirrored"))
        mends.push_back({fmt::format("Take {} out of mirrors", n->name), {{at(*n, "seen_mirrored"), "off"}}});
    return mends;
  }

  void judgeDark(const Light& light) {
    std::vector<Mend> mends;
    for (const Node* n : m_from) {
      const double own = n->kind->family() == "light" && n->kind->param("stops") ? brightestOf(*n) : -100;
      if (own < -99) continue;
      const double up = std::ceil(-own);
      mends.push_back({fmt::format("Raise {} by {:.0f} stops", n->name, up),
                       {{at(*n, "stops"), fmt::format("{:g}", paramsOf(*n).number("stops") + up)}}});
    }
    tell(Weight::Weak, "from", m_of.effect.id,
         fmt::format("Nothing bright enough is mirrored: the brightest of it lies {:.1f} stops below white",
                     -light.brightest),
         std::move(mends));
  }

  std::vector<Mend> clippedMends(double brightest) const {
    std::vector<Mend> mends;
    const double down = std::max(1.0, std::ceil(brightest));
    for (const Node* n : m_from)
      if (n->kind->family() == "light" && n->kind->param("stops") && brightestOf(*n) > 0)
        mends.push_back({fmt::format("Lower {} by {:.0f} stops", n->name, down),
                         {{at(*n, "stops"), fmt::format("{:g}", paramsOf(*n).number("stops") - down)}}});
    for (const Node* n : m_bodies)
      if (const Node* m = matterOf(*n); m && down <= 3 && !paramsOf(*m).pattern("specular") &&
                                        !paramsOf(*m).pattern("metalness") && paramsOf(*m).number("metalness") <= 0)
        mends.push_back(
            {fmt::format("Let {} mirror less", n->name),
             {{at(*m, "specular"), fmt::format("{:.2g}", paramsOf(*m).number("specular") * std::exp2(-down))}}});
    return mends;
  }

  const std::vector<const Node*> m_from;
  double m_blur = 0; // degrees
};

} // namespace

Route measureReflection(const DevelopedEffect& of) { return ReflectionRoute(of).measure(); }

EffectKind reflectionEffect() {
  return {
      .kind =
          {.id = "effect.reflection",
           .label = "Reflection",
           .helpText = "What is mirrored in a surface: what it shows, how strong by the angle, how blurred.",
           .params = {flag("on", "On", true).at(Invalidation::Geometry).help("Off: where it would mirror it is dark"),
                      references("from", "From", {"object.", "light.", "plate."})
                          .fixed()
                          .at(Invalidation::Lens)
                          .help("What is to be seen in the mirror; nothing: all around"),
                      references("onto", "Onto", {"object."})
                          .fixed()
                          .at(Invalidation::Geometry)
                          .help("The surfaces that mirror it")},
           .existence = Invalidation::Geometry,
           .role = seesMirrored},
      .roles = {{"from", "From", "what is mirrored; nothing: all"}, {"onto", "Onto", "an object that mirrors", true}},
      .make = makeReflection,
      .share = sightShare,
      .measure = measureReflection};
}

} // namespace ilumbra
