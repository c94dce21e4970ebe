// A changeover: one look turns into another within a zone, with a rim of light where they meet.
#include "core/effects/cover.h"
#include "core/effects/dressing.h"
#include "core/effects/making.h"
#include "core/effects/route_parts.h"
#include "core/geometry/shape.h"
#include "core/surface/material.h"
#include "core/surface/presets.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

using Weight = Finding::Weight;

// What an effect's look is made of.
struct Look {
  const Node *edge = nullptr, *band = nullptr; // patterns: where the other look is, where the rim is
  const Node* other = nullptr;                 // the material that it turns into
  const Node* rim = nullptr;                   // the material that shines
};
Look lookOf(const Document& doc, const Node& effect) {
  Look l;
  for (const NodeId id : roleOf(doc, effect, "look")) {
    const Node* n = doc.find(id);
    if (!n) continue;
    if (n->kind->family() == "material") l.other = l.other ? l.other : n;
    if (n->kind->family() != "pattern") continue;
    const bool band = n->kind->param("gives") && Params(*n, currentFrame(doc)).text("gives") == "rim";
    const Node*& to = band ? l.band : l.edge;
    to = to ? to : n;
  }
  for (const NodeId id : roleOf(doc, effect, "from"))
    if (const Node* n = doc.find(id); n && n->kind->family() == "material" && !l.rim) l.rim = n;
  return l;
}

Document dressChangeover(const Document& doc, NodeId effect) {
  const Node& e = *doc.find(effect);
  const Look l = lookOf(doc, e);
  const std::vector<NodeId> objects = roleOf(doc, e, "onto");
  Document out = doc;
  const auto lay = [&](const Node* mask, const Node* above, const std::vector<NodeId>& on) {
    if (!mask || !above) return;
    Dress dress{mask->id, above->id, e.name + (mask == l.band ? " rim" : "")};
    // Each object may turn from and into its own picture.
    if (mask == l.edge)
      dress.inputs = {{"colour before", {{0, "below", "base_color"}}}, {"colour after", {{0, "above", "base_color"}}}};
    out = dressed(out, on, dress);
  };
  // The rim lies on top: where it goes, it goes first.
  std::vector<NodeId> staying;
  for (const NodeId id : objectsAmong(doc, objects)) staying.push_back(id);
  lay(l.band, l.rim, {});
  lay(l.edge, l.other, staying);
  lay(l.band, l.rim, staying);
  return out;
}

NodeId objectFor(Document& doc, std::vector<std::string>* told) {
  if (const NodeId best = mainObject(doc)) {
    tell(told, fmt::format("It turns {}", doc.find(best)->name));
    return best;
  }
  tell(told, "There was nothing to turn: a ball was made");
  return ballOf(doc, "Ball", "Brass", "Polished brass");
}

Document makeChangeover(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  if (roleOf(doc, *doc.find(effect), "onto").empty()) take(doc, effect, "onto", objectFor(doc, told));
  lightIfDark(doc, told);
  const std::string name = doc.find(effect)->name;
  const Box3f box = boundsOf(doc, objectsAmong(doc, roleOf(doc, *doc.find(effect), "onto")));
  const Framed f = framed(doc);
  const V3f middle = box.isEmpty() ? f.middle : box.center(),
            extent = box.isEmpty() ? V3f(0.5f * f.height) : box.size();
  const float size = std::max(1e-3f, length(extent));
  NodeId zone = 0;
  if (const auto zones = roleOf(doc, *doc.find(effect), "zone"); !zones.empty()) zone = zones.front();
  if (!zone) {
    // It grows from a corner, low and to the right, until it holds all.
    const V3f corner = middle + V3f(0.5f * extent.x, -0.5f * extent.y, 0.3f * extent.z);
    const std::string side = tidy(2.2 * double(size));
    zone = add(doc, "zone.zone", name + " zone",
               {{"position", text(corner)},
                {"size", side + ", " + side + ", " + side},
                {"edge", tidy(0.012 * double(size))},
                {"share", "50 %"}});
    take(doc, effect, "zone", zone);
    tell(told, fmt::format("{} says where: its Share goes from nothing to all", doc.find(zone)->name));
  }
  const Look l = lookOf(doc, *doc.find(effect));
  const Reference where{zone, nullptr};
  if (!l.edge || !l.band) {
    const double push = 0.035 * double(size);
    const NodeId noise =
        add(doc, "pattern.noise", name + " front",
            {{"scale", tidy(0.16 * double(size))}, {"octaves", "4"}, {"low", "0"}, {"high", tidy(2 * push)}});
    const auto pushed = [&](NodeId pattern) {
      doc = setValue(doc, pattern, "zone", Constant(where));
      doc = setValue(doc, pattern, "pushed", PatternUse{{noise, nullptr}});
      take(doc, effect, "look", pattern);
    };
    if (!l.edge) pushed(add(doc, "pattern.zone", name + " edge", {}));
    if (!l.band) {
      const NodeId band =
          add(doc, "pattern.zone", name + " rim", {{"gives", "rim"}, {"width", tidy(0.02 * double(size))}});
      const NodeId sparks = add(doc, "pattern.noise", name + " sparkle",
                                {{"scale", tidy(0.02 * double(size))}, {"churn", "2"}, {"low", "0.1"}, {"high", "1"}});
      doc = setValue(doc, band, "high", PatternUse{{sparks, nullptr}});
      pushed(band);
    }
  }
  if (!l.other) {
    const NodeId other = add(doc, "material.surface", name + " look", {});
    doc = applyPreset(doc, other, findPreset("Weathered bronze"));
    take(doc, effect, "look", other);
  }
  if (!l.rim) {
    const NodeId rim = add(doc, "material.surface", name + " light",
                           {{"base_color", "0.02, 0.02, 0.02"},
                            {"own_light", tidy(8 * white(doc))},
                            {"own_light_color", "1, 0.42, 0.12"}});
    take(doc, effect, "from", rim);
  }
  return doc;
}

class ChangeoverRoute {
 public:
  explicit ChangeoverRoute(const DevelopedEffect& of) : m_of(of), m_doc(of.doc), m_look(lookOf(of.doc, of.effect)) {
    m_route.effect = of.effect.id;
    m_onto = objectsAmong(m_doc, roleOf(m_doc, of.effect, "onto"));
    for (const NodeId id : roleOf(m_doc, of.effect, "zone"))
      if (const Node* n = m_doc.find(id)) m_zones.push_back(n);
  }

  Route measure() {
    const Cover turned = m_look.edge ? coverOf(m_doc, m_of.scene, m_onto, m_look.edge->id) : Cover(),
                rim = m_look.band ? coverOf(m_doc, m_of.scene, m_onto, m_look.band->id) : Cover();
    m_route.raysTraced = turned.rays + rim.rays;
    const double share = turned.area > 0 ? turned.covered / turned.area : 0;
    std::vector<const Node*> objects;
    for (const NodeId id : m_onto) objects.push_back(m_doc.find(id));
    const double shines = m_look.rim ? double(luminance(ownLight(m_doc, {m_look.rim->id, nullptr}, m_of.frame))) : 0;
    m_route.emitted = 3.14159265358979 * shines * rim.covered;
    if (m_look.rim && m_look.band && shines <= 0) {
      Finding f{Weight::Weak, "from", m_look.rim->id, m_look.rim->name + " gives no light: the rim is dark", {}, {}};
      mendDark(m_doc, m_of.frame, *m_look.rim, f);
      m_route.findings.push_back(std::move(f));
    }
    m_route.stations.push_back(
        {"from",
         "From",
         m_look.rim ? m_look.rim->name : "no rim",
         rim.covered > 0 ? fmt::format("{} of rim, {:.0f} lm", areaText(rim.covered), m_route.emitted) : "no rim yet",
         1,
         {}});
    m_route.stations.push_back({"zone", "Zone", m_zones.empty() ? "empty" : names(m_zones), zoneReading(), 1, {}});
    m_route.stations.push_back({"onto",
                                "Onto",
                                objects.empty() ? "empty" : names(objects),
                                fmt::format("{} turned, {} as it was", percent(share), percent(1 - share)),
                                turned.covered > 0 ? 1.0 : 0.0,
                                {}});
    m_route.stations.push_back(coverStation(m_doc, turned, m_look.other ? m_look.other->name : ""));
    for (const NodeId stage : roleOf(m_doc, m_of.effect, "lens"))
      for (const StageResult& s : m_of.developed.stages)
        if (s.stage == stage) m_route.pictureShare += s.share;
    m_route.seen = turned.covered > 0 ? turned.seen / turned.covered : 0;
    judge(share, turned);
    return finished(std::move(m_route), m_of, "onto");
  }

 private:
  std::string zoneReading() const {
    return m_zones.empty() ? "" : percent(Params(*m_zones.front(), m_of.frame).number("share")) + " of it";
  }
  void tell(Weight w, const char* role, NodeId thing, std::string text, std::vector<Mend> mends = {}) {
    m_route.findings.push_back({w, role, thing, std::move(text), std::move(mends), {}});
  }
  void judge(double share, const Cover& turned) {
    if (m_onto.empty()) tell(Weight::Broken, "onto", m_of.effect.id, "Onto is empty: nothing turns");
    if (m_zones.empty()) tell(Weight::Broken, "zone", m_of.effect.id, "Zone is empty: nothing says where it turns");
    if (!m_look.edge) tell(Weight::Broken, "look", m_of.effect.id, "Look has no pattern of a zone: it is nowhere");
    if (!m_look.other) tell(Weight::Broken, "look", m_of.effect.id, "Look has no material to turn into");
    if (m_onto.empty() || m_zones.empty() || !m_look.edge || !m_look.other) return;
    const Node& zone = *m_zones.front();
    const Params p(zone, m_of.frame);
    if (share <= 1e-4 && p.number("share") <= 0)
      tell(Weight::Weak, "zone", zone.id, "It has not begun: there is nothing of its zone yet",
           {{"Half of it", {{at(zone, "share"), "50 %"}}}});
    else if (share <= 1e-4)
      tell(Weight::Broken, "zone", zone.id,
           fmt::format("{} does not reach {}", zone.name, m_doc.find(m_onto.front())->name), mendReach(zone, turned));
    else if (share >= 0.9999)
      tell(Weight::Note, "onto", m_onto.front(), "It is over: all has turned");
    if (share > 1e-4 && turned.seen < 0.02 * turned.covered)
      tell(Weight::Weak, "picture", m_onto.front(), "What has turned lies where the camera does not see it");
  }
  static std::vector<Mend> mendReach(const Node& zone, const Cover& turned) {
    if (turned.places.empty() || zone.parent) return {};
    V3f middle(0.0f);
    for (const V3f& p : turned.places) middle += p * (1 / float(turned.places.size()));
    return {{"Move it there", {{at(zone, "position"), text(middle)}}}};
  }

  const DevelopedEffect& m_of;
  const Document& m_doc;
  Look m_look;
  std::vector<NodeId> m_onto;
  std::vector<const Node*> m_zones;
  Route m_route;
};

} // namespace

EffectKind changeoverEffect() {
  return {
      .kind = {.id = "effect.changeover",
               .label = "Changeover",
               .helpText = "One look turns into another within a zone: tarnish that creeps, frost, day and night.",
               .params =
                   {flag("on", "On", true).at(Invalidation::Shading).help("Off: the objects are as they were"),
                    references("from", "From", {"material.", "light."})
                        .fixed()
                        .at(Invalidation::Shading)
                        .help("What shines along the rim: a material with light of its own"),
                    references("zone", "Zone", {"zone."}).fixed().at(Invalidation::Shading).help("Where it has turned"),
                    references("onto", "Onto", {"object."})
                        .fixed()
                        .at(Invalidation::Shading)
                        .help("What turns: any number of objects, each from its own look"),
                    references("look", "Look", {"pattern.", "material."})
                        .fixed()
                        .at(Invalidation::Shading)
                        .help("Where it has turned and where its rim is, patterns of a zone; and the material "
                              "that it turns into"),
                    references("lens", "Lens", {"lens."})
                        .fixed()
                        .at(Invalidation::Lens)
                        .help("The lens stages that spread the light of the rim")},
               .existence = Invalidation::Shading,
               .standsFor = "from",
               .switches = {"look", "lens"}},
      .roles = {{"from", "From", "a rim that shines"},
                {"zone", "Zone", "where it turns", true},
                {"onto", "Onto", "what turns"},
                {"look", "Look", "what it turns into", true},
                {"lens", "Lens", "a lens stage, such as Glow"}},
      .lensStage = "lens.glow",
      .make = makeChangeover,
      .dress = dressChangeover,
      .measure = [](const DevelopedEffect& of) { return ChangeoverRoute(of).measure(); }};
}

} // namespace ilumbra
