// A contact line: foam, wear, glow or moss where things meet a surface.
#include "core/effects/cover.h"
#include "core/effects/dressing.h"
#include "core/effects/making.h"
#include "core/effects/route_parts.h"
#include "core/geometry/shape.h"
#include "core/scene/geometry.h"
#include "core/surface/presets.h"

#include <fmt/format.h>
#include <ImathBoxAlgo.h>

namespace ilumbra {
namespace {

using Weight = Finding::Weight;

// What the look is of: its pattern and its material; null: there is none.
const Node* lookOf(const Document& doc, const Node& effect, std::string_view family) {
  for (const NodeId id : roleOf(doc, effect, "look"))
    if (const Node* n = doc.find(id); n && n->kind->family() == family) return n;
  return nullptr;
}

Document dressLine(const Document& doc, NodeId effect) {
  const Node& e = *doc.find(effect);
  const Node *mask = lookOf(doc, e, "pattern"), *above = lookOf(doc, e, "material");
  if (!mask || !above) return doc;
  return dressed(doc, roleOf(doc, e, "onto"), {mask->id, above->id, e.name});
}

float sizeOf(const Box3f& box) { return box.isEmpty() ? 0 : length(box.size()); }

bool touch(const Box3f& a, const Box3f& b) {
  if (a.isEmpty() || b.isEmpty()) return false;
  const V3f gap(0.03f * std::max(length(a.size()), length(b.size())) * 0.5f);
  return Box3f(a.min - gap, a.max + gap).intersects(b);
}

// Among what was selected, or all there is: the largest is the surface, and what touches it is what it is about.
void findRoles(Document& doc, NodeId effect, std::vector<std::string>* told) {
  const double frame = currentFrame(doc);
  std::vector<NodeId> chosen = roleOf(doc, *doc.find(effect), "onto");
  std::vector<std::pair<float, NodeId>> all;
  for (const Node* n : doc.family("object"))
    if (n->kind->param("material") && isShown(doc, *n, frame)) all.emplace_back(sizeOf(boundsOf(doc, {n->id})), n->id);
  std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  const auto touching = [&](NodeId of) {
    std::vector<NodeId> out;
    for (const auto& [size, id] : all)
      if (id != of && size > 0 && touch(boundsOf(doc, {of}), boundsOf(doc, {id}))) out.push_back(id);
    return out;
  };
  NodeId surface = 0;
  std::vector<NodeId> by;
  if (chosen.size() > 1) {
    std::stable_sort(chosen.begin(), chosen.end(),
                     [&](NodeId a, NodeId b) { return sizeOf(boundsOf(doc, {a})) > sizeOf(boundsOf(doc, {b})); });
    surface = chosen.front();
    by.assign(chosen.begin() + 1, chosen.end());
  } else if (chosen.size() == 1) {
    // Alone it is what lies on something larger, or what smaller things lie on.
    const auto near = touching(chosen.front());
    const float own = sizeOf(boundsOf(doc, {chosen.front()}));
    const auto larger =
        std::find_if(near.begin(), near.end(), [&](NodeId id) { return sizeOf(boundsOf(doc, {id})) > 1.2f * own; });
    if (larger != near.end()) {
      surface = *larger;
      by = chosen;
    } else {
      surface = chosen.front();
      by = near;
    }
  } else {
    // The largest that smaller things touch.
    for (const auto& [size, id] : all) {
      std::vector<NodeId> smaller;
      for (const NodeId other : touching(id))
        if (sizeOf(boundsOf(doc, {other})) < 0.8f * size) smaller.push_back(other);
      if (smaller.empty()) continue;
      surface = id;
      by = smaller;
      break;
    }
  }
  for (const NodeId id : chosen) doc = leaveRole(doc, effect, "onto", id);
  if (surface) take(doc, effect, "onto", surface);
  for (const NodeId id : by) take(doc, effect, "by", id);
  if (surface && !by.empty() && chosen.size() < 2)
    tell(told, fmt::format("It runs on {}, where {}{} meets it", doc.find(surface)->name, doc.find(by.front())->name,
                           by.size() > 1 ? fmt::format(" with {} more", by.size() - 1) : ""));
}

// A stone in a pool, where there is nothing that meets.
void makeScene(Document& doc, NodeId effect, std::vector<std::string>* told) {
  const Framed f = framed(doc);
  const float r = 0.16f * f.height;
  NodeId surface = 0;
  if (const auto onto = roleOf(doc, *doc.find(effect), "onto"); !onto.empty()) surface = onto.front();
  Box3f box = surface ? boundsOf(doc, {surface}) : Box3f();
  if (!surface) {
    const NodeId matter =
        add(doc, "material.surface", "Dark water", {{"base_color", "0.02, 0.035, 0.04"}, {"roughness", "0.06"}});
    surface = add(doc, "object.water", "Pool",
                  {{"width", tidy(6 * double(r) / 0.16)},
                   {"length", tidy(6 * double(r) / 0.16)},
                   {"depth", "0"},
                   {"position", text({f.middle.x, f.floor, f.middle.z})},
                   {"material", doc.find(matter)->name}});
    take(doc, effect, "onto", surface);
    tell(told, "There was no surface for it: a pool was made");
    box = boundsOf(doc, {surface});
  }
  if (roleOf(doc, *doc.find(effect), "by").empty()) {
    const NodeId matter =
        add(doc, "material.surface", "Stone", {{"base_color", "0.22, 0.2, 0.18"}, {"roughness", "0.7"}});
    const V3f at = box.isEmpty() ? f.middle : V3f(box.center().x, box.max.y, box.center().z);
    const NodeId stone = add(doc, "object.sphere", "Stone ball",
                             {{"radius", tidy(double(r))},
                              {"position", text(at + V3f(0, 0.4f * r, 0))},
                              {"material", doc.find(matter)->name}});
    take(doc, effect, "by", stone);
    tell(told, "Nothing met the surface: a stone was made");
  }
  if (doc.family("light").empty()) {
    const V3f at = f.middle + V3f(-0.7f, 1.1f, 0.5f) * f.height;
    const double away = double(length(at - f.middle));
    add(doc, "light.area", "Lamp",
        {{"position", text(at)},
         {"target", text(f.middle)},
         {"width", tidy(0.5 * double(f.height))},
         {"height", tidy(0.5 * double(f.height))},
         {"power", tidy(6 * white(doc) * 3.14159265358979 * away * away)}});
    add(doc, "light.sky", "Dusk", {{"power", tidy(0.06 * white(doc))}, {"color", "0.35, 0.5, 0.85"}});
    tell(told, "There was no light: a lamp and a dusk were made");
  }
}

Document makeLine(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  findRoles(doc, effect, told);
  makeScene(doc, effect, told);
  const std::string name = doc.find(effect)->name;
  const double size = double(std::max(1e-3f, sizeOf(boundsOf(doc, roleOf(doc, *doc.find(effect), "by"))))),
               reach = 0.1 * size;
  if (!lookOf(doc, *doc.find(effect), "pattern")) {
    // Flecks at large, and the bubbles that they are of.
    const NodeId coarse = add(doc, "pattern.noise", name + " flecks", {{"scale", tidy(0.9 * reach)}, {"octaves", "3"}}),
                 fine = add(doc, "pattern.cells", name + " bubbles", {{"pitch", tidy(0.3 * reach)}});
    const NodeId mask = add(doc, "pattern.contact", name + " edge", {{"reach", tidy(reach)}});
    doc = setValue(doc, mask, "line", Constant(Reference{effect, nullptr}));
    doc = setValue(doc, mask, "coarse", PatternUse{{coarse, nullptr}});
    doc = setValue(doc, mask, "fine", PatternUse{{fine, nullptr}});
    take(doc, effect, "look", mask);
  }
  if (!lookOf(doc, *doc.find(effect), "material"))
    take(doc, effect, "look",
         add(doc, "material.surface", name + " foam", {{"base_color", "0.86, 0.88, 0.87"}, {"roughness", "0.65"}}));
  return doc;
}

class ContactRoute {
 public:
  explicit ContactRoute(const DevelopedEffect& of) : m_of(of), m_doc(of.doc) {
    m_route.effect = of.effect.id;
    m_onto = objectsAmong(m_doc, roleOf(m_doc, of.effect, "onto"));
    m_by = objectsAmong(m_doc, roleOf(m_doc, of.effect, "by"));
    m_mask = lookOf(m_doc, of.effect, "pattern");
    m_above = lookOf(m_doc, of.effect, "material");
  }

  Route measure() {
    if (m_mask) m_cover = coverOf(m_doc, m_of.scene, m_onto, m_mask->id);
    m_route.raysTraced = m_cover.rays;
    const double share = m_cover.area > 0 ? m_cover.covered / m_cover.area : 0,
                 seen = m_cover.covered > 0 ? m_cover.seen / m_cover.covered : 0;
    m_route.seen = seen;
    m_route.stations.push_back({"by", "Things", namesOf(m_by), fmt::format("{} meet it", m_by.size()), 1, {}});
    Station onto{"onto",
                 "Onto",
                 namesOf(m_onto),
                 m_cover.covered > 0 ? fmt::format("{} covered, {}", areaText(m_cover.covered), percent(share))
                                     : "nothing covered",
                 m_cover.covered > 0 ? 1.0 : 0.0,
                 {}};
    m_route.stations.push_back(std::move(onto));
    m_route.stations.push_back(coverStation(m_doc, m_cover, m_above ? m_above->name : ""));
    judge(share, seen);
    return finished(std::move(m_route), m_of, "onto");
  }

 private:
  std::string namesOf(const std::vector<NodeId>& ids) const {
    std::vector<const Node*> nodes;
    for (const NodeId id : ids) nodes.push_back(m_doc.find(id));
    return nodes.empty() ? "empty" : names(nodes);
  }
  void tell(Weight w, const char* role, NodeId thing, std::string text, std::vector<Mend> mends = {}) {
    m_route.findings.push_back({w, role, thing, std::move(text), std::move(mends), {}});
  }
  Box3f sceneBox(const std::vector<NodeId>& ids) const {
    Box3f box;
    for (const InstancedObject& o : m_of.scene.objects)
      if (std::find(ids.begin(), ids.end(), m_of.scene.things[o.thing].node) != ids.end())
        box.extendBy(Imath::transform(o.geometry->bounds, o.toWorld));
    return box;
  }

  void judge(double share, double seen) {
    if (m_onto.empty())
      tell(Weight::Broken, "onto", m_of.effect.id, "Onto is empty: there is no surface for it to run on");
    if (m_by.empty()) tell(Weight::Broken, "by", m_of.effect.id, "Things is empty: nothing meets the surface");
    if (!m_mask || !m_above)
      tell(Weight::Broken, "look", m_of.effect.id,
           m_mask ? "Look has no material: nothing is laid there" : "Look has no pattern of contact: it is nowhere");
    if (m_onto.empty() || m_by.empty() || !m_mask || !m_above || !Params(m_of.effect, m_of.frame).flag("on")) return;
    const Params p(*m_mask, m_of.frame);
    const Box3f by = sceneBox(m_by);
    const double reach = p.number("reach"), size = double(sizeOf(by));
    const auto reachTo = [&](double metres) {
      return Mend{fmt::format("Reach {}", lengthText(metres)), {{at(*m_mask, "reach"), tidy(metres)}}};
    };
    if (share <= 1e-6) {
      double least = 1e30;
      for (const V3f& q : m_cover.places) {
        const V3f d = vmax(vmax(by.min - q, q - by.max), V3f(0.0f));
        least = std::min(least, double(length(d)));
      }
      std::vector<Mend> mends;
      if (least > reach && least < 1e20 && !p.pattern("reach")) mends.push_back(reachTo(1.6 * least));
      tell(Weight::Broken, "onto", m_onto.front(),
           least > reach && least < 1e20 ? fmt::format("Nothing is within reach of {}: the nearest is {} away",
                                                       namesOf(m_onto), lengthText(least))
                                         : "It is broken up until nothing is left",
           mends);
      return;
    }
    if (!p.flag("inverted") && !p.pattern("reach") && reach > 0.6 * size && size > 0)
      tell(Weight::Weak, "look", m_mask->id,
           fmt::format("Its reach of {} is large beside {}, {} across: no line is left", lengthText(reach),
                       namesOf(m_by), lengthText(size)),
           {reachTo(0.1 * size)});
    if (share > 0.98) tell(Weight::Weak, "onto", m_onto.front(), "It covers all of " + namesOf(m_onto));
    if (seen < 0.02)
      tell(Weight::Broken, "picture", m_onto.front(),
           m_cover.outside > 0.5 * m_cover.covered ? "It lies out of frame"
                                                   : "It lies where the camera does not see it");
  }

  const DevelopedEffect& m_of;
  const Document& m_doc;
  std::vector<NodeId> m_onto, m_by;
  const Node *m_mask = nullptr, *m_above = nullptr;
  Cover m_cover;
  Route m_route;
};

} // namespace

EffectKind contactLineEffect() {
  return {.kind = {.id = "effect.contact_line",
                   .label = "Contact line",
                   .helpText = "Foam, wear, glow or moss where things meet a surface.",
                   .params = {flag("on", "On", true).at(Invalidation::Shading).help("Off: the surface is as it was"),
                              references("onto", "Onto", {"object."})
                                  .fixed()
                                  .at(Invalidation::Shading)
                                  .help("The surface on which it runs: water, a table, a wall"),
                              references("by", "Things", {"object."})
                                  .fixed()
                                  .at(Invalidation::Shading)
                                  .help("What meets the surface"),
                              references("look", "Look", {"pattern.", "material."})
                                  .fixed()
                                  .at(Invalidation::Shading)
                                  .help("Where it is, a pattern of contact; and the material that is laid there")},
                   .existence = Invalidation::Shading,
                   .switches = {"look"}},
          .roles = {{"onto", "Onto", "water, a table, a wall"},
                    {"by", "Things", "what meets it"},
                    {"look", "Look", "a material", true}},
          .make = makeLine,
          .dress = dressLine,
          .measure = [](const DevelopedEffect& of) { return ContactRoute(of).measure(); }};
}

} // namespace ilumbra
