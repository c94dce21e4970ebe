// Glass: what is seen through a body. Its route: what comes by way of it, what it mirrors, and what it keeps.
#include "core/base/colorspace.h"
#include "core/document/units.h"
#include "core/effects/cover.h"
#include "core/effects/making.h"
#include "core/effects/sight_route.h"
#include "core/geometry/shape.h"
#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"
#include "core/scene/scene.h"
#include "core/surface/presets.h"

#include "core/compile/resting_lobes.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

bool isClear(const Document& doc, const Node& object, double frame) {
  const Node* m = doc.find(wornMaterial(doc, object, frame).target);
  if (!m || !m->kind->param("transmission")) return false;
  const Params p(*m, frame);
  return p.pattern("transmission") || p.number("transmission") > 0.05;
}

Document makeGlass(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  const double frame = currentFrame(doc);
  // Of a selection what is clear, or all of it, is the glass; it stands in the first role that takes it.
  const std::vector<NodeId> named = roleOf(doc, *doc.find(effect), "from");
  if (roleOf(doc, *doc.find(effect), "through").empty() && !named.empty()) {
    std::vector<NodeId> clear, objects;
    for (const NodeId id : named) {
      if (doc.find(id)->kind->family() != "object") continue;
      objects.push_back(id);
      if (isClear(doc, *doc.find(id), frame)) clear.push_back(id);
    }
    for (const NodeId id : clear.empty() ? objects : clear) {
      doc = leaveRole(doc, effect, "from", id);
      take(doc, effect, "through", id);
    }
  }
  if (roleOf(doc, *doc.find(effect), "through").empty()) {
    NodeId found = 0;
    for (const Node* n : doc.family("object"))
      if (!found && n->kind->param("material") && isShown(doc, *n, frame) && isClear(doc, *n, frame)) found = n->id;
    if (found) {
      tell(told, fmt::format("{} is the glass", doc.find(found)->name));
    } else {
      found = ballOf(doc, "Glass ball", "Crown glass", "Crown glass");
      tell(told, "There was nothing clear: a ball of crown glass was made");
    }
    take(doc, effect, "through", found);
  }
  std::vector<const Node*> bodies;
  for (const NodeId id : roleOf(doc, *doc.find(effect), "through")) leaf(doc, id, bodies);
  std::vector<NodeId> ids;
  for (const Node* n : bodies) ids.push_back(n->id);
  for (const NodeId id : ids) {
    const Node n = *doc.find(id);
    if (!n.kind->param("material") || isClear(doc, n, frame)) continue;
    const NodeId glass = add(doc, "material.surface", n.name + " glass", {});
    doc = applyPreset(doc, glass, findPreset("Crown glass"));
    doc = setValue(doc, id, "material", Constant(Reference{glass, nullptr}));
    tell(told, n.name + " is of crown glass now");
  }
  stageFor(doc, ids, Stage::Lit, told);
  return doc;
}

class GlassRoute : private SightRoute {
 public:
  explicit GlassRoute(const DevelopedEffect& of) : SightRoute(of, "through"), m_from(inRole("from")) {}

  Route measure() {
    const bool there = judgePresence("a clear object");
    const Light light = this->light();
    const double passes = double(luminance(m_probe.through)), mirrors = double(luminance(m_probe.mirrored)),
                 keeps = std::max(0.0, 1 - passes - mirrors);
    m_route.pictureShare = light.share;
    m_route.seen = m_from.empty() ? 1 : sharedWith(thingsOf(m_from));
    m_route.stations.push_back({"from", "From", m_from.empty() ? "all that is behind" : names(m_from), "", 1, {}});
    Station through{"through", "Through", m_bodies.empty() ? "empty" : names(m_bodies), "", 0, {}},
        picture{"picture", "Picture", "", fmt::format("{} of the picture", percent(light.share)), 0, {}};
    if (there) {
      measureBend();
      through.share = passes;
      through.reading = fmt::format("passes {}, {}", percent(passes), thickness());
      through.losses = {{"is mirrored off its face", 0, mirrors}, {"stays inside it", 0, keeps}};
      picture.share = passes * m_route.seen;
      picture.name = fmt::format("shifted by {}", angleText(m_shift));
      for (const auto& [thing, w] : m_probe.ends)
        if (!m_from.empty() && passes > 0 && !thingsOf(m_from).count(uint16_t(thing)))
          picture.losses.push_back({"shows " + nameOf(thing), nodeOf(thing), w / passes});
    }
    sortLosses(through.losses, 0.005);
    sortLosses(picture.losses, 0.02);
    if (!m_from.empty()) m_route.stations.front().reading = fmt::format("{} of what is seen", percent(m_route.seen));
    m_route.stations.push_back(std::move(through));
    m_route.stations.push_back(std::move(picture));
    if (there) judge(passes, mirrors, keeps);
    return finished(std::move(m_route), m_of, "through");
  }

 private:
  // Of the sight that gets through: what ends at some things.
  double sharedWith(const std::set<uint16_t>& things) const {
    double part = 0, all = 0;
    for (const auto& [thing, w] : m_probe.ends) {
      all += w;
      if (thing >= 0 && things.count(uint16_t(thing))) part += w;
    }
    return all > 0 ? part / all : 0;
  }

  std::string thickness() const {
    double sum = 0;
    int n = 0;
    for (const SightRay& r : m_probe.rays)
      if (r.chord > 0) sum += double(r.chord), ++n;
    return n ? lengthText(sum / n) + " thick" : "a sheet";
  }

  // How far what lies behind is shifted: the angle between the way to where it is and the way in which it is seen.
  void measureBend() {
    double weights = 0;
    for (const SightRay& r : m_probe.rays) {
      if (!r.ends || r.mirrored) continue;
      const double w = double(luminance(r.carried));
      const V3f to = r.thing < 0 ? r.end : normalize(r.end - m_scene.camera.position());
      m_shift += w * std::acos(std::clamp(double(dot(to, r.way)), -1.0, 1.0)) * 180 / 3.14159265358979;
      weights += w;
    }
    if (weights > 0) m_shift /= weights;
  }

  void judge(double passes, double mirrors, double keeps) {
    for (const Node* n : m_bodies) judgeBody(*n);
    if (passes < 0.05 && keeps > 0.5) judgeBlack(keeps);
    judgeFaces();
    for (const Node* n : m_bodies) judgeShadow(*n);
    if (!m_byChance.empty()) {
      Mend straight{"Let light go straight through", {}};
      for (const Node* n : m_byChance) straight.sets.emplace_back(at(*n, "light_through"), "straight");
      tell(Weight::Note, "through", m_byChance.front()->id,
           fmt::format("The light through {} is found by chance alone: its shadow is dark and grainy",
                       names(m_byChance)),
           {straight});
    }
    if (!m_from.empty() && passes > 0.05 && m_route.seen < 0.01)
      tell(Weight::Weak, "from", m_from.front()->id,
           fmt::format("{} is not seen through {}: {} is", names(m_from), names(m_bodies), mostSeen()));
    if (passes > 0 && mirrors > 2 * passes)
      tell(Weight::Note, "through", m_bodies.front()->id, "It mirrors more than it lets through");
    std::string inside;
    for (const int t : m_probe.within)
      if (!m_things.count(uint16_t(t))) inside += (inside.empty() ? "" : ", ") + nameOf(t);
    if (!inside.empty()) tell(Weight::Note, "through", m_bodies.front()->id, "Inside it stands " + inside);
  }

  std::string mostSeen() const {
    const auto most = std::max_element(m_probe.ends.begin(), m_probe.ends.end(),
                                       [](const auto& a, const auto& b) { return a.second < b.second; });
    return most == m_probe.ends.end() ? "nothing" : nameOf(most->first);
  }

  void judgeBody(const Node& n) {
    const Node* m = matterOf(n);
    const InstancedObject* i = compiled(n);
    if (!m || !i) return;
    const Params p = paramsOf(*m);
    if (!isClear(m_doc, n, m_of.frame)) {
      tell(Weight::Broken, "through", n.id, fmt::format("{} is not clear: {} passes no light", n.name, m->name),
           {{fmt::format("Make {} clear", m->name),
             {{at(*m, "transmission"), "1"}, {at(*m, "metalness"), "0"}, {at(*m, "roughness"), "0"}}}});
      return;
    }
    if (!p.flag("thin") && !i->closed) {
      std::vector<Mend> mends;
      if (n.kind->id == "object.mesh")
        mends.push_back({"Close its holes", {}, {{"modifier.mend", n.name, "modifiers"}}});
      mends.push_back({"Take it for a thin sheet", {{at(*m, "thin"), "on"}}});
      tell(Weight::Broken, "through", n.id, n.name + " is open: it has no inside, so light is not bent as in a body",
           std::move(mends));
    } else if (!p.flag("thin") && !p.pattern("ior") && p.number("ior") < 1.001) {
      tell(Weight::Weak, "through", n.id,
           fmt::format("{} bends nothing: its index of refraction is that of air", n.name),
           {{"Set it to that of glass, 1.5", {{at(*m, "ior"), "1.5"}}}});
    } else if (p.flag("thin")) {
      tell(Weight::Note, "through", n.id, n.name + " is a thin sheet: it bends nothing",
           i->closed ? std::vector<Mend>{{"Take it for a body", {{at(*m, "thin"), "off"}}}} : std::vector<Mend>{});
    }
    const bool own = p.flag("own_clear_roughness");
    if (const char* rough = own ? "clear_roughness" : "roughness"; !p.pattern(rough) && p.number(rough) > 0.5)
      tell(Weight::Weak, "through", n.id, n.name + " is frosted so far that nothing is told apart behind it",
           {{"Polish it", {{at(*m, rough), "0.1"}}}});
  }

  // Next to nothing comes through: why.
  void judgeBlack(double keeps) {
    double chords = 0;
    int n = 0;
    for (const SightRay& r : m_probe.rays)
      if (r.chord > 0) chords += double(r.chord), ++n;
    const double thick = n ? chords / n : 0;
    for (const Node* body : m_bodies) {
      const Node* m = matterOf(*body);
      if (!m || thick <= 0 || paramsOf(*m).flag("thin")) continue;
      const Params p = paramsOf(*m);
      const double depth = p.number("attenuation_depth");
      const Triple c = p.triple("attenuation_color");
      if (depth <= 0 || p.pattern("attenuation_color")) continue;
      const auto passed = [&](double by) {
        Color t;
        for (int k = 0; k < 3; ++k) t[k] = float(std::pow(std::max(0.0, c[size_t(k)]), thick / by));
        return double(luminance(t));
      };
      if (passed(depth) > 0.1) continue;
      // Half of the light through its mean thickness.
      double low = depth, high = depth;
      while (passed(high) < 0.5 && high < 1e6 * depth) high *= 2;
      if (passed(high) < 0.5) { // some of the colour is black: no depth would do
        tell(Weight::Broken, "through", body->id,
             fmt::format("{} is black through and through: its colour lets nothing pass", body->name),
             {{"Give it a colour that passes light", {{at(*m, "attenuation_color"), "0.8, 0.9, 0.85"}}}});
        return;
      }
      for (int step = 0; step < 60; ++step) (passed(0.5 * (low + high)) < 0.5 ? low : high) = 0.5 * (low + high);
      const std::string better = tidy(high);
      tell(Weight::Broken, "through", body->id,
           fmt::format("{} is black: at {} of thickness its colour takes {} of the light", body->name,
                       lengthText(thick), percent(1 - passed(depth))),
           {{fmt::format("Set the depth to {}: half gets through", lengthText(std::stod(better))),
             {{at(*m, "attenuation_depth"), better}}}});
      return;
    }
    const Node& settings = m_doc.settings();
    if (m_scene.bounces > 0 && m_scene.bounces < 6)
      tell(Weight::Broken, "through", m_bodies.front()->id,
           fmt::format("Light may bounce {} times only: it does not find out of the glass", m_scene.bounces),
           {{"Allow 16 bounces", {{at(settings, "bounces"), "16"}}}});
    else if (m_route.findings.empty())
      tell(Weight::Broken, "through", m_bodies.front()->id,
           fmt::format("{} of sight is mirrored inside it to and fro, or ends on its surface", percent(keeps)));
  }

  // Clear faces of two bodies in one place: which is met first is chance, and a ray passes the other. So it leaves what
  // it has never entered, or never leaves what it has.
  void judgeFaces() {
    TraceCount count;
    const RayCaster rays(m_scene, count, nullptr);
    std::map<std::pair<int, int>, int> together;
    const auto clear = [&](const InstancedObject& i) {
      return i.closed && i.material != noMaterial && m_scene.materials[i.material]->mayPassLight();
    };
    for (const SightRay& r : m_probe.rays) {
      V3f from = m_scene.camera.position();
      std::vector<std::pair<const Instance*, int>> inside; // and what was met next
      for (const Instance* i : m_scene.cameraInside) inside.emplace_back(i, -1);
      int last = -1;
      const auto note = [&](int a, int b) {
        if (a >= 0 && b >= 0 && a != b && (m_things.count(uint16_t(a)) || m_things.count(uint16_t(b))))
          ++together[{std::min(a, b), std::max(a, b)}];
      };
      Hit hit;
      for (int guard = 0; guard < 24 && rays.intersect(from, r.way, std::numeric_limits<float>::infinity(), hit);
           ++guard) {
        const bool leaves = dot(hit.geometric, r.way) > 0;
        from = offset(hit.point, leaves ? hit.geometric : -hit.geometric);
        if (!clear(*hit.object)) continue;
        const int thing = hit.object->thingAt(hit.instance->index);
        const auto in =
            std::find_if(inside.begin(), inside.end(), [&](const auto& i) { return i.first == hit.instance; });
        for (auto& i : inside)
          if (i.first != hit.instance && i.second < 0) i.second = thing;
        if (!leaves && in == inside.end())
          inside.emplace_back(hit.instance, -1);
        else if (leaves && in != inside.end())
          inside.erase(in);
        else if (leaves)
          note(last, thing);
        last = thing;
      }
      for (const auto& [instance, next] : inside)
        if (std::find(m_scene.cameraInside.begin(), m_scene.cameraInside.end(), instance) == m_scene.cameraInside.end())
          note(m_scene.objects[instance->object].thingAt(instance->index), next);
    }
    m_route.raysTraced += count.rays;
    for (const auto& [pair, met] : together) {
      if (met < 0.03 * double(m_probe.rays.size())) continue;
      const bool firstOurs = m_things.count(uint16_t(pair.first)) > 0;
      const Node *ours = m_doc.find(nodeOf(firstOurs ? pair.first : pair.second)),
                 *other = m_doc.find(nodeOf(firstOurs ? pair.second : pair.first));
      if (!ours || !other) continue;
      std::vector<Mend> mends;
      const Node* smaller = lengthOf(*ours) < lengthOf(*other) ? ours : other;
      if (smaller->kind->param("size")) {
        const Triple s = paramsOf(*smaller).triple("size");
        mends.push_back(
            {fmt::format("Let {} overlap by a hundredth", smaller->name),
             {{at(*smaller, "size"), fmt::format("{:g}, {:g}, {:g}", 1.01 * s[0], 1.01 * s[1], 1.01 * s[2])}}});
      }
      tell(Weight::Weak, "through", ours->id,
           fmt::format("{} and {} have faces in one place: which is met first is chance", ours->name, other->name),
           std::move(mends));
    }
  }
  float lengthOf(const Node& n) const {
    const InstancedObject* i = compiled(n);
    return i ? length(i->bounds.size()) : 0;
  }

  // What lamps make of it, in the three ways in which they may.
  void judgeShadow(const Node& n) {
    if (!n.kind->param("light_through") || !isClear(m_doc, n, m_of.frame)) return;
    const std::string how = paramsOf(n).text("light_through");
    const Mend straight{"Let light go straight through", {{at(n, "light_through"), "straight"}}},
        focused{"Bend it as it really is", {{at(n, "light_through"), "focused"}}};
    if (how == "blocked") {
      tell(Weight::Weak, "through", n.id, n.name + " throws the shadow of a solid: lamps do not shine through it",
           {straight, focused});
      return;
    }
    if (how != "focused") return;
    for (const Node* e : m_doc.family("effect")) {
      if (!e->kind->param("photons") || !paramsOf(*e).flag("on")) continue;
      std::vector<const Node*> through;
      for (const NodeId id : roleOf(m_doc, *e, "through")) leaf(m_doc, id, through);
      if (std::find(through.begin(), through.end(), &n) != through.end()) return; // photons carry it
    }
    m_byChance.push_back(&n);
  }

  const std::vector<const Node*> m_from;
  std::vector<const Node*> m_byChance; ///< whose light no effect of caustics carries
  double m_shift = 0;                  // degrees
};

} // namespace

EffectKind glassEffect() {
  return {
      .kind = {.id = "effect.glass",
               .label = "Glass",
               .helpText = "What is seen through a clear body: how much passes, how far it is bent, what stays inside.",
               .params = {flag("on", "On", true).at(Invalidation::Geometry).help("Off: as if it were not there"),
                          references("from", "From", {"object.", "light.", "plate."})
                              .fixed()
                              .at(Invalidation::Lens)
                              .help("What is to be seen through it; nothing: all that is behind"),
                          references("through", "Through", {"object."})
                              .fixed()
                              .at(Invalidation::Geometry)
                              .help("The clear bodies or panes")},
               .existence = Invalidation::Geometry,
               .role = seesThrough},
      .roles = {{"from", "From", "what is seen through it; nothing: all"},
                {"through", "Through", "a clear object", true}},
      .make = makeGlass,
      .share = sightShare,
      .measure = [](const DevelopedEffect& of) { return GlassRoute(of).measure(); }};
}

} // namespace ilumbra
