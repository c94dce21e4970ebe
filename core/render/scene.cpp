#include "core/render/scene.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/document/units.h"
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"
#include "core/air/beam.h"
#include "core/air/voxel_grid.h"
#include "core/pattern/playback.h"
#include "core/render/air.h"
#include "core/render/caustics.h"
#include "core/render/crowd.h"
#include "core/render/geometry.h"
#include "core/render/hit.h"
#include "core/render/balance.h"
#include "core/render/part.h"
#include "core/render/plate.h"
#include "core/render/own_light.h"
#include "core/surface/tables.h"

#include <ImathBoxAlgo.h>
#include <fmt/format.h>
#include <utility>
#include <limits>
#include <map>
#include <set>

namespace ilumbra {

struct SceneCache::Content {
  struct {
    std::vector<NodePtr> nodes;
    double frame = 0;
    int width = 0, height = 0;
    std::shared_ptr<const Plates> plates;
  } plates; ///< of the last compile
  RTCDevice device = rtcNewDevice("set_affinity=0");
  struct Made {
    GeometryPtr geometry; ///< null: of a group
    std::vector<M44f> copies;
    std::vector<std::string> troubles; ///< modifiers that were left out
  };
  // What guides uneven hazes, and what it was made of.
  struct Cells {
    std::vector<NodePtr> nodes;
    uint64_t content = 0; ///< of a file of voxels
    Value amount = Constant(0.0);
    std::vector<double> numbers;
    std::vector<M44f> matrices;
    std::vector<Box3f> boxes;
    std::vector<std::pair<DensityPtr, std::shared_ptr<const DensityCells>>> made;
    DensityPtr heat;
    std::shared_ptr<const AirColor> tint, warmth;
  };
  std::map<NodeId, Cells> cells; ///< of things that are there
  std::map<uint64_t, Made> forms;
  SurfaceTables tables;
  std::vector<LightKind> lightKinds = allLights();
  Content() = default;
  Content(const Content&) = delete;
  Content& operator=(const Content&) = delete;
  ~Content() {
    forms.clear();
    rtcReleaseDevice(device);
  }
};

SceneCache::SceneCache() : m_content(std::make_unique<Content>()) {}
SceneCache::~SceneCache() = default;

Scene::~Scene() {
  if (everything) rtcReleaseScene(everything);
  if (blockers) rtcReleaseScene(blockers);
  if (clearBlockers) rtcReleaseScene(clearBlockers);
}

int groupLimit(int width, int height, size_t queries, size_t layerMemory) {
  const size_t perGroup = size_t(width) * size_t(height) * 12 * std::max<size_t>(1, queries);
  return int(std::clamp<size_t>(layerMemory / std::max<size_t>(1, perGroup), 2, 64));
}

namespace {

// For each thing the materials that can be seen on it: its own, those that came to light by a cut, and what these are layered of.
std::vector<std::set<uint16_t>> wornBy(const Scene& s) {
  std::vector<std::set<uint16_t>> worn(s.things.size());
  const auto add = [&](auto& self, std::set<uint16_t>& to, uint16_t material) -> void {
    if (material == noMaterial || !to.insert(material).second || !s.materials[material]->layered()) return;
    self(self, to, uint16_t(s.materials[material]->below));
    self(self, to, uint16_t(s.materials[material]->above));
  };
  for (const Instance& i : s.instances) {
    std::set<uint16_t> own;
    add(add, own, i.material);
    add(add, own, i.insideMaterial);
    worn[i.thing].insert(own.begin(), own.end());
    std::vector<char> done(i.thingByCopy.empty() ? 0 : s.things.size(), 0); // there may be a million copies
    for (const uint16_t thing : i.thingByCopy)
      if (!std::exchange(done[thing], 1)) worn[thing].insert(own.begin(), own.end());
  }
  return worn;
}

constexpr size_t mostEmitters = 1'000'000;

// One source of light of its own in a document: what gets a light group.
struct Source {
  NodeId node = 0;    ///< the light, or the material
  Reference material; ///< of own light
  NodeId object = 0;  ///< of own light that is split in the balance
  uint32_t copy = 0;  ///< of copies that are split in the balance
  std::string name = {};
  Color amount{0.0f};
  bool operator==(const Source& o) const { return node == o.node && material == o.material && object == o.object && copy == o.copy; }
};

// The materials that a layered one is made of, below before above.
void forLeaves(const Document& doc, const Reference& use, double frame, int depth, const std::function<void(const Reference&)>& f) {
  const Node* n = doc.find(use.target);
  if (!n || depth > 64) return;
  if (n->kind->id != "material.layer") {
    f(use);
    return;
  }
  const Params p(*n, frame, use.with.get());
  forLeaves(doc, p.reference("below"), frame, depth + 1, f);
  forLeaves(doc, p.reference("above"), frame, depth + 1, f);
}

// Lights in tree order, then uses of materials with own light, each once. `copiesOf`: of lights and objects that stand more than
// once.
std::vector<Source> sourcesOf(const Document& doc, double frame, const std::map<NodeId, uint32_t>& copiesOf) {
  std::vector<Source> out;
  const Balance balance(doc, frame);
  const auto copies = [&](NodeId id) {
    const auto it = copiesOf.find(id);
    return it == copiesOf.end() ? 1u : it->second;
  };
  for (const Node* n : doc.family("light"))
    for (uint32_t c = 1; c <= (balance.isSplit(n->id) ? copies(n->id) : 1); ++c) {
      const BalanceSource source = balance.ofLight(n->id, c);
      out.push_back({n->id, {}, 0, source.copy, source.copy ? fmt::format("{} {}", n->name, c) : n->name, lightAmount(Params(*n, frame)) * balance.factor(source)});
    }
  for (const Node* n : doc.family("object")) {
    if (!n->kind->param("material")) continue;
    forLeaves(doc, wornMaterial(doc, *n, frame), frame, 0, [&](const Reference& use) {
      // What is off keeps its group, so that it can come on.
      if (isBlack(ownLight(doc, use, frame, true))) return;
      for (uint32_t c = 1; c <= (balance.isSplit({use.target, n->id}) ? copies(n->id) : 1); ++c) {
        const BalanceSource source = balance.ofOwnLight(use.target, n->id, c);
        Source s{use.target, use, source.object, source.copy, doc.find(use.target)->name, ownLight(doc, use, frame) * balance.factor(source)};
        if (use.with || source.object) s.name += " on " + n->name;
        if (source.copy) s.name += fmt::format(" {}", c);
        if (std::find(out.begin(), out.end(), s) == out.end()) out.push_back(std::move(s));
      }
    });
  }
  for (const Node* n : doc.family("air"))
    if (const Params p(*n, frame); !isBlack(airLight(p, true))) out.push_back({n->id, {}, 0, 0, n->name, airLight(p) * balance.factor(n->id)});
  // What clear things show of plates, in values of the picture, whatever the camera's exposure.
  for (const Node* n : doc.family("plate"))
    if (const Params p(*n, frame); p.flag("shown") && p.text("lies") == "behind") {
      out.push_back({n->id, {}, 0, 0, n->name, Color(1 / exposureFactor(doc, frame))});
      break;
    }
  return out;
}

LightThrough clearAs(const std::string& choice) { return choice == "focused" ? LightThrough::Focused : choice == "blocked" ? LightThrough::Blocked : LightThrough::Straight; }

class Compiler {
public:
  Compiler(const Document& doc, const CompileOptions& o, const Assets& assets, SceneCache::Content& cache, const CancelFlag* cancel)
      : m_doc(doc), m_options(o), m_assets(assets), m_cache(cache), m_cancel(cancel), m_balance(doc, o.frame), m_scene(std::make_shared<Scene>()) {}

  ScenePtr compile() {
    Scene& s = *m_scene;
    const Params settings = settingsOf(m_doc);
    s.width = m_options.width > 0 ? m_options.width : int(settings.number("width"));
    s.height = m_options.height > 0 ? m_options.height : int(settings.number("height"));
    s.seed = uint32_t(settings.number("seed"));
    s.bounces = int(settings.number("bounces"));
    s.exposure = exposureFactor(m_doc, m_options.frame);
    s.fireflyLimit = float(settings.number("firefly_limit")) / s.exposure;
    s.queries = m_options.queries;
    const LayerQuery all{.name = "all light", .everything = true};
    if (s.queries.empty() || !(s.queries.front() == all)) s.queries.insert(s.queries.begin(), all);
    if (const Node* c = activeCamera(m_doc)) s.camera = Camera(m_doc, *c, m_options.frame, s.width, s.height);
    m_shutter = shutterOf(m_doc, m_options.frame);
    s.moves = s.camera.moves();

    layPlates();
    m_parts = partsOf(m_doc, m_options.frame, &s.troubles);
    countCopies();
    assignGroups();
    for (const Node* n : m_doc.family("object")) {
      stopIfCancelled();
      if (n->kind->param("material") && isShown(m_doc, *n, m_options.frame)) addObject(*n);
    }
    for (const Node* n : m_doc.family("light"))
      if (isShown(m_doc, *n, m_options.frame)) addLight(*n);
    addAir();
    linkLights();
    weighEmitters();
    build();
    s.caustics = causticsOf(m_doc, m_options.frame, s);
    std::vector<std::vector<NodeId>> things;
    for (const Thing& t : s.things) {
      things.push_back({t.node});
      things.back().insert(things.back().end(), t.parts.begin(), t.parts.end());
    }
    std::vector<NodeId> materials;
    for (const auto& m : s.materials) materials.push_back(m->node);
    std::map<NodeId, NodeId> onlyOn;
    for (const Part& p : m_parts)
      if (p.material) onlyOn[p.node] = p.material;
    const std::vector<std::set<uint16_t>> worn = wornBy(s);
    s.table = LayerTable(s.queries, things, materials, onlyOn, worn);
    s.maskQueries = m_options.masks;
    s.overscan = float(m_options.overscan);
    s.masks = LayerTable(s.maskQueries, things, materials, onlyOn, worn);
    forgetUnused();
    return m_scene;
  }

private:
  void stopIfCancelled() const {
    if (m_cancel && m_cancel->requested()) throw cancelled();
  }

  void assignGroups() {
    Scene& s = *m_scene;
    m_sources = sourcesOf(m_doc, m_options.frame, s.copiesOf);
    // What lies beside the frame takes its share of the memory.
    const double across = double(s.width) / s.height, beside = ((across + 2 * double(s.overscan)) * (1 + 2 * double(s.overscan)) / across - 1) / (Film::coarse * Film::coarse);
    const auto limit = size_t(groupLimit(s.width, s.height, s.queries.size(), size_t(double(m_options.layerMemory) / (1 + beside))));
    s.sharedGroups = m_sources.size() > limit;
    const size_t own = s.sharedGroups ? limit - 1 : m_sources.size();
    for (size_t i = 0; i < own; ++i) {
      s.groups.push_back({m_sources[i].name, m_sources[i].node, m_sources[i].material, m_sources[i].object, m_sources[i].copy});
      s.amounts.push_back(m_sources[i].amount);
    }
    if (s.sharedGroups) {
      s.groups.push_back({"Other lights", 0, {}, 0, 0});
      s.amounts.emplace_back(1.0f);
      for (size_t i = own; i < m_sources.size(); ++i) s.restAmounts.push_back(m_sources[i].amount);
    }
    if (s.plateBehind)
      for (const Source& source : m_sources)
        if (const Node* n = m_doc.find(source.node); n->kind->family() == "plate") {
          s.plateGroup = groupOf(source, s.plateBaked);
          s.plateThing = thingOf(*n);
        }
    if (s.groups.empty()) {
      s.groups.push_back({"No light", 0, {}, 0, 0});
      s.amounts.emplace_back(0.0f);
    }
  }

  // Group of a source, and what its light is multiplied by within the group.
  uint16_t groupOf(const Source& wanted, Color& baked) const {
    const auto i = size_t(std::find(m_sources.begin(), m_sources.end(), wanted) - m_sources.begin());
    const size_t own = m_scene->sharedGroups ? m_scene->groups.size() - 1 : m_sources.size();
    baked = i < own ? Color(1.0f) : m_sources[i].amount;
    return uint16_t(std::min(i, own));
  }

  void layPlates() {
    Scene& s = *m_scene;
    std::vector<NodePtr> nodes;
    bool patterned = false;
    for (const NodePtr& n : m_doc.nodes())
      if (n->kind->family() == "plate") {
        nodes.push_back(n);
        for (const char* param : {"color", "coverage"}) patterned |= n->find(param) && n->find(param)->pattern();
      }
    if (nodes.empty()) return;
    auto& kept = m_cache.plates;
    if (patterned || !kept.plates || kept.nodes != nodes || kept.frame != m_options.frame || kept.width != s.width || kept.height != s.height) {
      kept = {};
      try {
        kept = {nodes, m_options.frame, s.width, s.height, platesOf(m_doc, m_options.frame, s.width, s.height, m_assets, m_options.playing)};
      } catch (const Error& e) {
        if (e.kind() == Refusal::Cancelled) throw;
        s.troubles.push_back(e.what());
      }
    }
    s.plates = kept.plates;
    s.plateBehind = s.plates && !s.plates->behind.alpha.empty();
  }

  uint16_t materialOf(const Reference& use) {
    for (size_t i = 0; i < m_uses.size(); ++i)
      if (m_uses[i] == use) return uint16_t(i);
    if (m_uses.size() >= noMaterial) throw badInput("more than 65 535 materials in one picture");
    const size_t index = m_uses.size();
    m_uses.push_back(use);
    m_materials.push_back(std::make_unique<Material>(defaultMaterial(&m_cache.tables)));
    m_open.push_back(use.target);
    Material m;
    try {
      m = compileMaterial(m_doc, use, m_options.frame, m_assets, [&](const Reference& part) {
        if (part.target && std::find(m_open.begin(), m_open.end(), part.target) != m_open.end()) throw badInput("the material is layered over itself");
        return int(materialOf(part));
      }, &m_cache.tables);
    } catch (const Error& e) {
      if (e.kind() == Refusal::Cancelled) throw;
      m_scene->troubles.push_back(fmt::format("{}: {}", m_doc.find(use.target)->name, e.what()));
      m = defaultMaterial(&m_cache.tables);
      m.node = use.target;
    }
    m_open.pop_back();
    m.index = uint16_t(index);
    *m_materials[index] = std::move(m);
    return uint16_t(index);
  }

  // Calls f(leaf, masks) for every material that a (layered) one is made of.
  void leaves(uint16_t index, std::vector<std::pair<const Driven*, bool>> masks, const std::function<void(const Material&, const std::vector<std::pair<const Driven*, bool>>&)>& f) const {
    const Material& m = *m_materials[index];
    if (!m.layered()) {
      f(m, masks);
      return;
    }
    masks.emplace_back(&m.mask, false);
    leaves(uint16_t(m.below), masks, f);
    masks.back().second = true;
    leaves(uint16_t(m.above), masks, f);
  }
  bool anyLeaf(uint16_t index, const std::function<bool(const Material&)>& f) const {
    bool any = false;
    leaves(index, {}, [&](const Material& m, const auto&) { any |= f(m); });
    return any;
  }

  // True if the thing may be elsewhere at other times of the shutter.
  bool maybeMoves(const Node& n) const { return m_shutter.close > m_shutter.open && isAnimated(m_doc, n); }

  // The times at which a form that changes is built, or none.
  std::vector<double> formTimes(const Node& n, const FormKey& key) const {
    if (!(m_shutter.close > m_shutter.open) || !key.changes) return {};
    const int steps = std::clamp(int(std::ceil(4 * (m_shutter.close - m_shutter.open))), 2, 32);
    std::vector<double> times;
    for (int i = 0; i <= steps; ++i) times.push_back(m_shutter.open + (m_shutter.close - m_shutter.open) * i / steps);
    if (std::all_of(times.begin(), times.end(), [&](double t) { return formKey(m_doc, n, t).hash == key.hash; })) return {};
    return times;
  }

  // The form of an object, or the copies of a group, made once for all that come to the same.
  const SceneCache::Content::Made& formed(const Node& n) {
    const FormKey own = formKey(m_doc, n, m_options.frame);
    uint64_t key = own.hash;
    const bool object = n.kind->param("material") != nullptr;
    const std::vector<double> times = object ? formTimes(n, own) : std::vector<double>();
    for (const double t : times) key = contentHash(fmt::format("{}|{}", key, formKey(m_doc, n, t).hash));
    m_used.insert(key);
    auto it = m_cache.forms.find(key);
    if (it == m_cache.forms.end()) {
      SceneCache::Content::Made made;
      Form form = formOf(n, {m_doc, m_options.frame, m_assets, m_cancel, &made.troubles});
      made.copies = std::move(form.copies);
      if (object) made.geometry = std::make_shared<const Geometry>(m_cache.device, withForms(n, std::move(form.shape), times));
      it = m_cache.forms.emplace(key, std::move(made)).first;
    }
    for (const std::string& t : it->second.troubles)
      if (std::find(m_scene->troubles.begin(), m_scene->troubles.end(), t) == m_scene->troubles.end()) m_scene->troubles.push_back(t);
    if (!times.empty() && it->second.geometry->shape.forms.empty()) m_scene->troubles.push_back(n.name + ": its triangles change while the shutter is open, so that its form is not blurred");
    return it->second;
  }

  std::vector<M44f> copiesOf(const Node& n) {
    const auto it = n.children.find("modifiers");
    if (it == n.children.end() || it->second.empty()) return {};
    const std::vector<M44f>& copies = formed(n).copies;
    if (copies.size() > 1) m_scene->ownCopies[n.id] = uint32_t(copies.size());
    return copies;
  }

  // A shape with all that it is at the times where it changes; without if they have not the same triangles.
  Shape withForms(const Node& n, Shape shape, const std::vector<double>& times) {
    for (const double t : times) {
      stopIfCancelled();
      std::vector<std::string> again; // told once already
      Shape then = formOf(n, {m_doc, t, m_assets, m_cancel, &again}).shape;
      const auto same = [](const Mesh::Triangle& a, const Mesh::Triangle& b) { return a.a == b.a && a.b == b.b && a.c == b.c; };
      if (then.mesh.positions.size() != shape.mesh.positions.size() || then.mesh.normals.size() != shape.mesh.normals.size() ||
          !std::equal(then.mesh.triangles.begin(), then.mesh.triangles.end(), shape.mesh.triangles.begin(), shape.mesh.triangles.end(), same)) {
        shape.forms.clear();
        break;
      }
      shape.forms.push_back({then.sphereRadius, std::move(then.mesh.positions), std::move(then.mesh.normals)});
    }
    return shape;
  }

  uint16_t thingOf(const Node& n, std::vector<NodeId> parts = {}) {
    if (m_scene->things.size() >= 0xfffe) throw badInput("more than 65 534 things in one picture");
    m_scene->things.push_back({n.id, n.name, std::move(parts)});
    return uint16_t(m_scene->things.size() - 1);
  }
  // A thing for each set of parts that copies of a node belong to, by copy; one alone where they divide nothing.
  std::vector<uint16_t> thingsOf(const Node& n, size_t copies) {
    std::vector<const Part*> mine;
    for (const Part& p : m_parts)
      for (const Node* up = &n; up; up = m_doc.find(up->parent))
        if (up->id == p.of) mine.push_back(&p);
    if (mine.empty()) return {thingOf(n)};
    std::map<std::vector<NodeId>, uint16_t> made;
    std::vector<uint16_t> out;
    std::map<NodeId, size_t> counts;
    const auto countOf = [&](const Node& up) {
      const auto [it, fresh] = counts.emplace(up.id, 0);
      if (fresh) it->second = copiesOf(up).size();
      return it->second;
    };
    for (uint32_t k = 0; k < copies; ++k) {
      std::vector<NodeId> in;
      for (const Part* p : mine)
        if (p->has(copyNumber(m_doc, n, p->of, k, countOf))) in.push_back(p->node);
      const auto it = made.find(in);
      out.push_back(it != made.end() ? it->second : made.emplace(in, thingOf(n, in)).first->second);
    }
    if (made.size() == 1) out.resize(1);
    return out;
  }

  // How often lights and objects stand, where the balance asks for it.
  void countCopies() {
    std::set<NodeId> asked;
    for (const BalanceSource& s : m_balance.split()) {
      const Node* n = m_doc.find(s.object ? s.object : s.light);
      if (n && n->kind->family() != "material") asked.insert(n->id);
    }
    for (const NodeId id : asked) {
      size_t count = 1;
      for (const Node* up = m_doc.find(id); up; up = m_doc.find(up->parent)) {
        try {
          if (up->kind->param("turn")) count *= std::max<size_t>(1, copiesOf(*up).size());
        } catch (const Error& e) { // told where it is built
          if (e.kind() == Refusal::Cancelled) throw;
        }
      }
      m_scene->copiesOf[id] = uint32_t(std::min<size_t>(count, 65'000));
    }
  }

  void addObject(const Node& n) {
    Scene& s = *m_scene;
    const Params p(n, m_options.frame);
    Instance i;
    std::vector<M44f> places;
    try {
      i.geometry = formed(n).geometry;
      places = worldPlaces(m_doc, n, m_options.frame, [this](const Node& up) { return copiesOf(up); });
    } catch (const Error& e) {
      if (e.kind() == Refusal::Cancelled) throw;
      s.troubles.push_back(std::string(e.what()).starts_with(n.name) ? std::string(e.what()) : fmt::format("{}: {}", n.name, e.what()));
      return;
    }
    std::erase_if(places, [](const M44f& m) { return !(std::abs(m.determinant()) > 1e-30f); });
    if (places.empty()) {
      s.troubles.push_back(n.name + ".size: is zero along an axis, so the object has no body");
      return;
    }
    i.toWorld = places.front();
    i.toObject = i.toWorld.inverse();
    const Box3f box = i.geometry->bounds;
    const float radius = box.isEmpty() ? 0 : std::max(length(box.min), length(box.max));
    const std::vector<MotionPtr> motions = motionsOf(n, places.size(), radius);
    s.moves |= !i.geometry->shape.forms.empty();
    i.thingByCopy = thingsOf(n, places.size());
    i.thing = i.thingByCopy.front();
    if (i.thingByCopy.size() == 1) i.thingByCopy.clear();
    if (places.size() > 1) m_scene->copiesOf.emplace(n.id, uint32_t(places.size()));
    const Reference use = wornMaterial(m_doc, n, m_options.frame);
    i.material = materialOf(use);
    const std::pair<const char*, uint16_t> switches[] = {
        {"seen", SwitchSeen}, {"seen_mirrored", SwitchMirrored}, {"seen_through", SwitchThrough}, {"casts_shadow", SwitchShadow},
        {"takes_light", SwitchTakesLight}, {"lights_others", SwitchLightsOthers}, {"cuts_out", SwitchCutsOut}, {"catches", SwitchCatches}};
    for (const auto& [name, bit] : switches)
      if (p.flag(name)) i.switches |= bit;
    i.lightThrough = clearAs(p.text("light_through"));
    if (anyLeaf(i.material, [](const Material& m) { return m.hasInside(); })) i.closed = i.geometry->closed();
    size_t glows = 0;
    leaves(i.material, {}, [&](const Material& m, const auto&) { glows += m.emits; });
    if (s.emitters.size() + glows * places.size() > mostEmitters) {
      s.troubles.push_back(n.name + ": its copies would be more than a million sources of light");
      return;
    }
    i.insideMaterial = insideMaterialOf(n, i);
    i.firstCopy = uint32_t(s.copies.size());
    i.copies = uint32_t(places.size());
    for (size_t k = 0; k < places.size(); ++k) {
      const MotionPtr motion = motions.empty() ? nullptr : motions[k];
      if (motion) s.motions.push_back(motion);
      s.moves |= motion != nullptr;
      s.copies.push_back({places[k], places[k].inverse(), motion.get(), uint32_t(s.instances.size()), uint32_t(k)});
      const M44f rest = motion ? rigidPart(places[k]).inverse() : M44f();
      leaves(i.material, {}, [&](const Material& m, const auto& masks) {
        if (!m.emits || box.isEmpty()) return;
        const Shape& shape = i.geometry->shape;
        OwnLight own{&m, masks, patterned(i.material)};
        auto light = shape.sphereRadius > 0 ? glowingSphere(shape.sphereRadius, places[k], std::move(own)) : glowingMesh(shape, places[k], std::move(own));
        Emitter e;
        e.light = light.get();
        const Reference& source = m_uses[m.index];
        const BalanceSource row = m_balance.ofOwnLight(source.target, n.id, uint32_t(k + 1));
        e.group = groupOf({source.target, source, row.object, row.copy}, e.baked);
        e.thing = i.thingAt(uint32_t(k));
        if (motion) {
          e.motion = std::make_shared<const Motion>(motion->rigid());
          e.rest = rest;
        }
        if (k == 0) i.glows.emplace_back(m.index, int(s.emitters.size()));
        s.emitters.push_back(e);
        s.lights.push_back(std::move(light));
      });
      for (int corner = 0; corner < 8 && !box.isEmpty(); ++corner)
        i.bounds.extendBy(transformPoint(places[k], {corner & 1 ? box.max.x : box.min.x, corner & 2 ? box.max.y : box.min.y, corner & 4 ? box.max.z : box.min.z}));
    }
    s.bounds.extendBy(i.bounds);
    s.instances.push_back(std::move(i));
  }

  // How each copy moves while the shutter is open; empty: none does.
  std::vector<MotionPtr> motionsOf(const Node& n, size_t copies, float radius) {
    bool changes = false;
    for (const Node* up = &n; up; up = m_doc.find(up->parent)) changes |= isAnimated(*up) || (up->children.count("modifiers") && formKey(m_doc, *up, m_options.frame).changes);
    if (!changes || !(m_shutter.close > m_shutter.open)) return {};
    std::vector<MotionPtr> out;
    if (copies == 1) {
      out.push_back(motionOf([&](double at) { return worldMatrix(m_doc, n, at); }, m_shutter.open, m_shutter.close, radius));
      if (n.children.count("modifiers") == 0 || formed(n).copies.empty()) return out;
      out.clear();
    }
    // All copies at some times; one whose number changes is not blurred.
    constexpr int steps = 8;
    std::vector<std::vector<M44f>> at;
    for (int k = 0; k <= steps; ++k) {
      const double frame = m_shutter.open + (m_shutter.close - m_shutter.open) * k / steps;
      at.push_back(worldPlaces(m_doc, n, frame, [&](const Node& up) {
        const auto it = up.children.find("modifiers");
        return it == up.children.end() || it->second.empty() ? std::vector<M44f>() : formOf(up, {m_doc, frame, m_assets, m_cancel}).copies;
      }));
      if (at.back().size() != copies) return {};
    }
    for (size_t c = 0; c < copies; ++c)
      out.push_back(motionOf([&](double frame) {
                      const double t = std::clamp((frame - m_shutter.open) / (m_shutter.close - m_shutter.open), 0.0, 1.0) * steps;
                      const int k = std::min(int(t), steps - 1);
                      const float f = float(t - k);
                      M44f m;
                      for (int e = 0; e < 16; ++e) (&m[0][0])[e] = mix((&at[size_t(k)][c][0][0])[e], (&at[size_t(k) + 1][c][0][0])[e], f);
                      return m;
                    },
                    m_shutter.open, m_shutter.close, radius));
    return out;
  }

  // What the cut faces of an object are made of, by its last modifier that says so.
  uint16_t insideMaterialOf(const Node& n, const Instance& i) {
    if (i.geometry->shape.mesh.inside.empty()) return noMaterial;
    uint16_t material = noMaterial;
    if (const auto it = n.children.find("modifiers"); it != n.children.end())
      for (const NodeId id : it->second) {
        const Node* m = m_doc.find(id);
        if (!m || !m->kind->param("inside_material") || !Params(*m, m_options.frame).flag("on")) continue;
        if (const Reference use = Params(*m, m_options.frame).reference("inside_material"); use.target) material = materialOf(use);
      }
    return material;
  }

  void addLight(const Node& n) {
    Scene& s = *m_scene;
    const auto kind = std::find_if(m_cache.lightKinds.begin(), m_cache.lightKinds.end(), [&](const LightKind& k) { return k.kind.id == n.kind->id; });
    if (kind == m_cache.lightKinds.end()) return;
    const Params p(n, m_options.frame);
    const Node* holder = n.parent ? m_doc.find(n.parent) : nullptr;
    std::vector<M44f> places{M44f()};
    std::vector<std::unique_ptr<Light>> lights;
    try {
      if (holder) places = worldPlaces(m_doc, *holder, m_options.frame, [this](const Node& up) { return copiesOf(up); });
      for (const M44f& world : places) {
        lights.push_back(kind->build(p, world, m_assets));
        if (lights.back()->infinite()) break; // a sky is there once
        if (s.emitters.size() + lights.size() > mostEmitters) throw badInput("more than a million copies of a light");
      }
    } catch (const Error& e) {
      if (e.kind() == Refusal::Cancelled) throw;
      s.troubles.emplace_back(fmt::format("{}: {}", n.name, e.what()));
      return;
    }
    std::vector<uint16_t> things = thingsOf(n, lights.size());
    things.resize(lights.size(), things.front());
    if (lights.size() > 1) m_scene->copiesOf.emplace(n.id, uint32_t(lights.size()));
    // Copies do not move by themselves, but all of them with what holds them.
    const bool moves = maybeMoves(n) && lights.size() == 1;
    for (size_t k = 0; k < lights.size(); ++k) placeLight(n, std::move(lights[k]), places[k], uint32_t(k + 1), things[k], moves);
  }

  void placeLight(const Node& n, std::unique_ptr<Light> light, const M44f& world, uint32_t copy, uint16_t thing, bool moves) {
    Scene& s = *m_scene;
    const Params p(n, m_options.frame);
    Emitter e;
    e.light = light.get();
    e.group = groupOf({n.id, {}, 0, m_balance.ofLight(n.id, copy).copy}, e.baked);
    e.thing = thing;
    const std::string clear = p.text("clear_shadows");
    if (clear != "as each thing says") e.clear = clearAs(clear);
    e.caustics = p.flag("caustics");
    if (!light->infinite() && moves) {
      const auto pose = [&](double at) {
        const Params then(n, at);
        M44f m;
        if (n.kind->param("target")) m = aimMatrix(then);
        else if (n.kind->param("position")) {
          const Triple t = then.triple("position");
          m.setTranslation(V3f(float(t[0]), float(t[1]), float(t[2])));
        }
        return m * (n.parent ? worldMatrix(m_doc, *m_doc.find(n.parent), at) : M44f());
      };
      if (const MotionPtr motion = motionOf(pose, m_shutter.open, m_shutter.close, 1)) {
        e.motion = std::make_shared<const Motion>(motion->rigid());
        e.rest = rigidPart(pose(m_options.frame)).inverse();
        s.moves = true;
      }
    }
    uint16_t switches = SwitchTakesLight | SwitchLightsOthers;
    if (n.kind->param("range") && p.real("range") > 0) e.range = p.real("range");
    if (p.flag("seen")) switches |= SwitchSeen;
    if (p.flag("seen_mirrored")) switches |= SwitchMirrored;
    if (p.flag("seen_through")) switches |= SwitchThrough;
    if (light->infinite()) {
      e.switches = switches;
      s.skies.push_back(e);
    } else {
      if (const Shape* shape = light->shape()) {
        Instance i;
        Shape body = *shape;
        if (body.sphereRadius > 0) {
          const Triple t = p.triple("position");
          const V3f at = transformPoint(world, {float(t[0]), float(t[1]), float(t[2])});
          i.toWorld.setTranslation(at);
        }
        if (e.motion) { // in the space that moves
          s.motions.push_back(e.motion);
          i.toWorld = e.rest.inverse();
          for (V3f& v : body.mesh.positions) v = transformPoint(e.rest, v);
        }
        i.geometry = std::make_shared<const Geometry>(m_cache.device, std::move(body));
        const Box3f box = i.geometry->bounds;
        for (int corner = 0; corner < 8; ++corner) i.bounds.extendBy(transformPoint(i.toWorld, {corner & 1 ? box.max.x : box.min.x, corner & 2 ? box.max.y : box.min.y, corner & 4 ? box.max.z : box.min.z}));
        i.toObject = i.toWorld.inverse();
        i.thing = e.thing;
        i.switches = switches;
        i.light = int(s.lights.size());
        i.emitter = int(s.emitters.size());
        i.firstCopy = uint32_t(s.copies.size());
        s.copies.push_back({i.toWorld, i.toObject, e.motion.get(), uint32_t(s.instances.size()), 0});
        s.instances.push_back(std::move(i));
      }
      s.emitters.push_back(e);
    }
    s.lights.push_back(std::move(light));
  }

  // Node by node, what patterns are made of: while none of it changes, what was made of them stays.
  std::vector<NodePtr> patternNodes() const {
    std::vector<NodePtr> out;
    for (const NodePtr& n : m_doc.nodes()) {
      const Node* up = n.get();
      while (up && up->kind->family() != "pattern") up = up->parent ? m_doc.find(up->parent) : nullptr;
      if (up) out.push_back(n);
    }
    return out;
  }

  // How a haze's amount varies: null where it is the same everywhere, which is then `even`.
  std::shared_ptr<const Program> amountOf(const Params& p, float& even) const {
    even = p.pattern("amount") ? 1 : p.real("amount");
    const PatternUse* use = p.pattern("amount");
    if (!use) return nullptr;
    auto program = std::make_shared<const Program>(Program::compile(m_doc, use->pattern, m_options.frame, m_assets, false));
    if (const Sample4* c = program->constant()) {
      even = std::max(0.0f, (c->x + c->y + c->z) / 3);
      return nullptr;
    }
    return program;
  }

  // The amounts of a haze's uneven places on voxels, if they are to be, and their guides: made anew when something that they are
  // made of has changed. `numbers`: what else that is.
  void guide(const Params& p, const std::shared_ptr<const Program>& amount, std::vector<Air::Place>& places) {
    const Node& n = p.node();
    SceneCache::Content::Cells now;
    now.nodes = patternNodes();
    now.amount = *n.find("amount");
    now.numbers = {m_options.frame, p.number("fineness"), double(amount->surroundings())};
    if (p.node().kind->param("reach"))
      for (const char* param : {"edge", "fade", "start", "reach"}) now.numbers.push_back(p.number(param));
    for (const Air::Place& place : places) {
      now.matrices.push_back(place.toObject);
      now.boxes.push_back(place.bounds);
    }
    SceneCache::Content::Cells& kept = m_cache.cells[n.id];
    if (kept.nodes != now.nodes || kept.numbers != now.numbers || kept.matrices != now.matrices || kept.boxes != now.boxes || !(kept.amount == now.amount)) {
      const int share = std::max(1, int(std::cbrt(double(places.size()))));
      for (size_t k = 0; k < places.size(); ++k) {
        stopIfCancelled();
        DensityPtr density = std::make_shared<const PatternDensity>(amount, places[k].toObject, float(mixBits(uint32_t(n.id) + uint32_t(k) * 0x9e37u)) * 0x1p-32f);
        if (const int fine = int(p.number("fineness")); fine > 0) density = VoxelDensity::baked(*density, places[k].bounds, std::max(4, fine / share));
        if (places[k].beam) density = std::make_shared<const BeamDensity>(*places[k].beam, p.real("edge"), p.real("fade"), density);
        now.made.emplace_back(density, std::make_shared<const DensityCells>(*density, places[k].bounds, std::max(4, 48 / share)));
      }
      kept = std::move(now);
    }
    for (size_t i = 0; i < places.size(); ++i) std::tie(places[i].density, places[i].cells) = kept.made[i];
  }

  void addLamps(NodeId light, Air::Place& place) const {
    const Scene& s = *m_scene;
    for (size_t i = 0; i < s.emitters.size(); ++i)
      if (s.things[s.emitters[i].thing].node == light) place.lamps.push_back(uint32_t(i));
    for (size_t i = 0; i < s.skies.size(); ++i)
      if (s.things[s.skies[i].thing].node == light) place.skies.push_back(uint32_t(i));
  }

  // The lights that a haze names, and its own.
  void showLights(const Params& p, Air::Filled& h, float even) {
    const Node& n = p.node();
    if (const std::vector<Reference> lights = p.references("lit_by"); !lights.empty()) {
      h.chosen = true;
      for (Air::Place& place : h.places)
        for (const Reference& r : lights) addLamps(r.target, place);
    }
    if (!isBlack(airLight(p, true))) {
      Color baked;
      h.group = groupOf({n.id, {}, 0, 0}, baked);
      h.glow = baked * even;
      if (h.everywhere && !(std::min(h.haze.extinction.x, std::min(h.haze.extinction.y, h.haze.extinction.z)) > 0) && !std::isfinite(h.end))
        throw badInput("own_light: it is everywhere and hides nothing, so its light has no end; give it a density or a shape");
    }
  }

  // The innermost void of a hollow body, as a form of its own.
  GeometryPtr insideOf(const Node& n) {
    const GeometryPtr whole = formed(n).geometry;
    const uint64_t key = contentHash("inside", formKey(m_doc, n, m_options.frame).hash);
    m_used.insert(key);
    auto it = m_cache.forms.find(key);
    if (it == m_cache.forms.end()) {
      Shape shape;
      if (whole->shape.sphereRadius <= 0) shape.mesh = innermostVoids(whole->shape.mesh);
      if (shape.mesh.triangles.empty()) throw badInput(fmt::format("part: {} is not hollow: it has no inside but all of itself", n.name));
      SceneCache::Content::Made made;
      made.geometry = std::make_shared<const Geometry>(m_cache.device, std::move(shape));
      it = m_cache.forms.emplace(key, std::move(made)).first;
    }
    return it->second.geometry;
  }

  void fillHaze(const Params& p, Air::Filled& h, float even, const std::shared_ptr<const Program>& amount) {
    Scene& s = *m_scene;
    if (const NodeId id = p.reference("fills").target) {
      const Node& shape = *m_doc.find(id);
      if (shape.kind->id == "object.group") throw badInput("fills: a group has no form of its own; choose one object");
      h.fills = id;
      h.geometry = p.text("part") == "its inside" ? insideOf(shape) : formed(shape).geometry;
      if (!h.geometry->closed()) throw badInput(fmt::format("fills: {} is open, so it has no inside", shape.name));
      for (const M44f& place : worldPlaces(m_doc, shape, m_options.frame, [this](const Node& up) { return copiesOf(up); }))
        if (std::abs(place.determinant()) > 1e-30f) h.places.push_back({place.inverse(), Imath::transform(h.geometry->bounds, place)});
    } else if (!amount) {
      h.everywhere = true;
      h.places.emplace_back();
    } else { // as far as the set reaches, the camera in it
      Air::Place place;
      place.bounds.extendBy(V3f(s.camera.ray(0.5f * float(s.width), 0.5f * float(s.height), {0.5f, 0.5f}, 0.5f).origin));
      for (const Instance& i : s.instances)
        if (i.light < 0) place.bounds.extendBy(i.bounds);
      place.bounds.min -= V3f(0.5f);
      place.bounds.max += V3f(0.5f);
      for (int k = 0; k < 3; ++k) {
        V3f normal(0.0f);
        normal[k] = 1;
        place.region.plane(normal, place.bounds.max);
        place.region.plane(-normal, place.bounds.min);
      }
      h.places.push_back(place);
    }
    if (amount) guide(p, amount, h.places);
    h.start = p.real("start");
    if (p.real("end") > 0) h.end = p.real("end");
    h.eye = s.camera.ray(0.5f * float(s.width), 0.5f * float(s.height), {0.5f, 0.5f}, 0.5f).origin;
    showLights(p, h, even);
  }

  void fitBeam(const Params& p, Air::Filled& h, const std::shared_ptr<const Program>& dust) {
    Scene& s = *m_scene;
    const NodeId id = p.reference("light").target;
    if (!id) throw badInput("light: a beam needs a light");
    h.chosen = true;
    std::vector<Opening> openings;
    if (const NodeId path = p.reference("opening").target) {
      const Node& line = *m_doc.find(path);
      const std::vector<V3f> corners = shapeKind(line)->line(Params(line, m_options.frame), {m_doc, m_options.frame, m_assets});
      for (const M44f& place : worldPlaces(m_doc, line, m_options.frame, [this](const Node& up) { return copiesOf(up); })) {
        std::vector<V3f> world;
        for (const V3f& c : corners) world.push_back(transformPoint(place, c));
        if (world.size() > 1 && length(world.front() - world.back()) < 1e-6f) world.pop_back();
        openings.emplace_back(world);
      }
    }
    const auto fit = [&](const Emitter& e, uint32_t index, const Opening* opening) {
      const LightReach reach = e.light->reach();
      const BeamSource from{reach.centre, reach.radius, reach.spread < 3 && !e.light->infinite() ? reach.axis : V3f(0.0f)};
      if (!opening && e.light->infinite()) throw badInput(fmt::format("opening: {} is far away, so its beam needs an opening to come through", s.things[e.thing].name));
      const BeamForm form = beamForm(p, e.light->lit() ? *e.light->lit() : Convex(), from, opening);
      Air::Place place;
      place.region = form.region;
      place.beam = std::make_shared<const BeamForm>(form);
      const Frame frame(dot(form.axis, form.axis) > 0 ? form.axis : V3f(0, 0, 1));
      M44f own;
      for (int k = 0; k < 3; ++k) {
        own[0][k] = frame.x[k];
        own[1][k] = frame.y[k];
        own[2][k] = frame.z[k];
        own[3][k] = form.begin[k];
      }
      place.toObject = own.inverse();
      place.bounds = form.bounds(opening);
      (e.light->infinite() ? place.skies : place.lamps).push_back(index);
      if (!dust)
        if (auto density = std::make_shared<const BeamDensity>(form, p.real("edge"), p.real("fade"), nullptr); !density->even()) place.density = density;
      for (const Reference& r : p.references("lit_by"))
        if (r.target != id) addLamps(r.target, place);
      h.places.push_back(std::move(place));
    };
    const auto fitAll = [&](const std::vector<Emitter>& lights) {
      for (size_t i = 0; i < lights.size(); ++i) {
        if (s.things[lights[i].thing].node != id) continue;
        if (openings.empty()) fit(lights[i], uint32_t(i), nullptr);
        for (const Opening& o : openings) fit(lights[i], uint32_t(i), &o);
      }
    };
    fitAll(s.emitters);
    fitAll(s.skies);
    if (dust && !h.places.empty()) guide(p, dust, h.places);
  }

  // Voxels of a file.
  void placeGrid(const Params& p, Air::Filled& h, const std::shared_ptr<const Program>& amount) {
    const Node& n = p.node();
    std::string file = p.text("file");
    if (file.empty()) throw badInput("file: no file is named");
    if (!m_assets.volume) throw badInput("file: voxels cannot be read here");
    if (p.flag("numbered") && m_assets.footage) {
      const Footage f = m_assets.footage(file);
      if (!f.files.empty()) file = f.files[size_t(std::clamp(playedFrame(p, m_doc, f).index, 0, int(f.files.size()) - 1))];
    }
    const std::shared_ptr<const VoxelGrid> grid = m_assets.volume(file, {p.text("density_grid"), p.text("heat_grid"), p.text("color_grid")});
    if (grid->coarser > 1) m_scene->troubles.push_back(fmt::format("{}: the file has more voxels than fit; {} a side are taken as one", n.name, grid->coarser));
    const M44f place = grid->toFile * placementOf(p) * (n.parent ? worldMatrix(m_doc, *m_doc.find(n.parent), m_options.frame) : M44f());
    if (std::abs(place.determinant()) < 1e-30f) return;
    SceneCache::Content::Cells now;
    now.nodes = patternNodes();
    if (const Value* v = n.find("amount")) now.amount = *v;
    const bool glows = p.text("heat_is") == "temperature";
    now.content = grid->content;
    now.numbers = {m_options.frame, glows ? p.number("hottest") : 0, amount ? double(amount->surroundings()) : 0};
    now.matrices = {place};
    now.boxes.emplace_back();
    Air::Place out;
    out.toObject = place.inverse();
    Box3f box; // half a voxel beyond the middles of the outermost
    box.min = V3f(-0.5f);
    for (int k = 0; k < 3; ++k) box.max[k] = float(grid->size[k]) - 0.5f;
    out.bounds = Imath::transform(box, place);
    for (int k = 0; k < 3; ++k)
      for (const float side : {-1.0f, 1.0f}) {
        V3f normal(0.0f);
        normal[k] = side;
        out.region.plane(normalize(transformNormal(out.toObject, normal)), transformPoint(place, side < 0 ? box.min : box.max));
      }
    Box3f middles;
    middles.min = V3f(0.0f);
    for (int k = 0; k < 3; ++k) middles.max[k] = std::max(1e-3f, float(grid->size[k] - 1));
    const auto voxels = [&](const std::vector<float>& values, float most) {
      return std::make_shared<const PlacedDensity>(std::make_shared<const VoxelDensity>(middles, grid->size[0], grid->size[1], grid->size[2], values), out.toObject, 1 / std::max(1e-30f, most));
    };
    SceneCache::Content::Cells& kept = m_cache.cells[n.id];
    if (kept.made.empty() || kept.content != now.content || kept.numbers != now.numbers || kept.matrices != now.matrices || kept.nodes != now.nodes || !(kept.amount == now.amount)) {
      DensityPtr density = voxels(grid->density, 1);
      if (amount) density = std::make_shared<const BothDensity>(density, std::make_shared<const PatternDensity>(amount, out.toObject, 0.5f), BothDensity::How::Times);
      DensityPtr guided = density;
      if (!grid->heat.empty()) {
        now.heat = voxels(grid->heat, grid->hottest);
        if (glows) {
          const auto body = std::make_shared<const Glowing>(now.heat, p.real("hottest"));
          now.heat = body;
          now.warmth = body;
        }
        guided = std::make_shared<const BothDensity>(density, now.heat, BothDensity::How::Plus, 0.05f); // what is hot and thin is visited too
      }
      if (!grid->color.empty()) now.tint = std::make_shared<const VoxelColor>(grid->size, grid->color, out.toObject);
      stopIfCancelled();
      now.made.emplace_back(density, std::make_shared<const DensityCells>(*guided, out.bounds, 64));
      kept = std::move(now);
    }
    std::tie(out.density, out.cells) = kept.made.front();
    out.heat = kept.heat;
    out.tint = kept.tint;
    out.warmth = kept.warmth;
    h.places.push_back(std::move(out));
  }

  void addAir() {
    Scene& s = *m_scene;
    std::vector<Air::Filled> hazes;
    // Air of effects that are off is not there, but for one that is on.
    std::set<NodeId> off, on;
    for (const Node* e : m_doc.family("effect"))
      if (const Params p(*e, m_options.frame); e->kind->param("through"))
        for (const Reference& r : p.references("through")) (p.flag("on") ? on : off).insert(r.target);
    for (const Node* n : m_doc.family("air")) {
      stopIfCancelled();
      const Params p(*n, m_options.frame);
      if (!p.flag("shown") || (off.count(n->id) && !on.count(n->id))) continue;
      try {
        Air::Filled h;
        h.haze = hazeOf(p);
        h.scatterings = int(p.number("scatterings"));
        float even;
        const std::shared_ptr<const Program> amount = amountOf(p, even);
        h.haze.scattering *= even;
        h.haze.extinction *= even;
        if (n->kind->id == "air.beam") fitBeam(p, h, amount);
        else if (n->kind->id == "air.grid") placeGrid(p, h, amount), showLights(p, h, even);
        else fillHaze(p, h, even, amount);
        if (h.places.empty() || (isBlack(h.haze.extinction) && isBlack(h.glow))) continue;
        h.thing = thingOf(*n);
        hazes.push_back(std::move(h));
      } catch (const Error& e) {
        if (e.kind() == Refusal::Cancelled) throw;
        s.troubles.push_back(std::string(e.what()).starts_with(n->name) ? std::string(e.what()) : fmt::format("{}.{}", n->name, e.what()));
      }
    }
    if (!hazes.empty()) s.air = std::make_shared<const Air>(std::move(hazes), m_cache.device);
  }

  // Which things take a lamp's light, groups standing for all that they hold.
  void linkLights() {
    Scene& s = *m_scene;
    const auto link = [&](Emitter& e) {
      const Node* n = m_doc.find(s.things[e.thing].node);
      if (!n || !n->kind->param("links")) return;
      const Params p(*n, m_options.frame);
      const std::string which = p.text("links");
      if (which == "everything") return;
      std::set<NodeId> named;
      for (const Reference& r : p.references("linked")) named.insert(r.target);
      for (const Thing& t : s.things) {
        bool in = false;
        for (const Node* o = m_doc.find(t.node); o && !in; o = m_doc.find(o->parent)) in = named.count(o->id) > 0;
        e.linked.push_back(in == (which == "only these"));
      }
    };
    for (Emitter& e : s.emitters) link(e);
    for (Emitter& e : s.skies) link(e);
  }

  // Each source is chosen by how bright it is; one that is off keeps a floor, so that it can come on.
  void weighEmitters() {
    Scene& s = *m_scene;
    const auto weigh = [&](std::vector<Emitter>& list) {
      float most = 0;
      for (Emitter& e : list) {
        e.weight = luminance(s.amounts[e.group] * e.baked);
        if (const LightReach reach = e.light->reach(); !e.light->infinite()) {
          e.centre = reach.centre;
          e.flux = reach.flux;
        }
        most = std::max(most, e.weight);
      }
      for (Emitter& e : list) e.weight = most > 0 ? std::max(e.weight, 0.01f * most) : 1;
    };
    weigh(s.emitters);
    weigh(s.skies);
    std::vector<LightTree::Entry> lights;
    for (const Emitter& e : s.emitters) {
      lights.push_back({e.light->reach(), e.weight});
      if (e.motion) sweep(lights.back().reach, e);
      lights.back().reach.range = std::min(lights.back().reach.range, e.range);
    }
    s.tree = LightTree(lights);
  }

  // A reach that holds for all times of the shutter.
  static void sweep(LightReach& r, const Emitter& e) {
    Box3f centres;
    float turned = 1;
    constexpr int times = 32;
    for (int i = 0; i <= times; ++i) {
      const M44f m = e.rest * e.motion->at(float(i) / times);
      centres.extendBy(transformPoint(m, r.centre));
      turned = std::min(turned, dot(r.axis, normalize(transformVector(m, r.axis))));
    }
    r.centre = centres.center();
    r.radius += 0.51f * length(centres.size());
    r.spread = std::min(pi, r.spread + 1.05f * std::acos(std::clamp(turned, -1.0f, 1.0f)));
  }

  void build() {
    Scene& s = *m_scene;
    // One Embree geometry for each object that stands still, in as many scenes as it belongs to; hits have the copy's id.
    const auto single = [&](const Copy& c, const Instance& i) {
      const RTCGeometry g = rtcNewGeometry(m_cache.device, RTC_GEOMETRY_TYPE_INSTANCE);
      rtcSetGeometryInstancedScene(g, i.geometry->scene);
      if (c.motion) {
        rtcSetGeometryTimeStepCount(g, unsigned(c.motion->steps()));
        for (int step = 0; step < c.motion->steps(); ++step) {
          RTCQuaternionDecomposition q;
          c.motion->fill(step, q);
          rtcSetGeometryTransformQuaternion(g, unsigned(step), &q);
        }
      } else {
        rtcSetGeometryTransform(g, 0, RTC_FORMAT_FLOAT4X4_COLUMN_MAJOR, &c.toWorld[0][0]);
      }
      rtcCommitGeometry(g);
      return g;
    };
    s.everything = rtcNewScene(m_cache.device);
    s.blockers = rtcNewScene(m_cache.device);
    s.clearBlockers = rtcNewScene(m_cache.device);
    for (const RTCScene scene : {s.everything, s.blockers, s.clearBlockers}) {
      rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
      rtcSetSceneBuildQuality(scene, RTC_BUILD_QUALITY_HIGH);
    }
    bool anyClear = false;
    const auto goesStraight = [](const Emitter& e) { return e.clear == LightThrough::Straight; };
    const bool insists = std::any_of(s.emitters.begin(), s.emitters.end(), goesStraight) || std::any_of(s.skies.begin(), s.skies.end(), goesStraight);
    for (const Instance& i : s.instances) {
      std::vector<RTCScene> in{s.everything};
      if (i.light < 0 && (i.switches & SwitchShadow) && !(i.switches & SwitchCatches)) {
        const auto letsThrough = [&](const Material& m) { return !m.alwaysOpaque() || (m.mayPassLight() && (i.lightThrough == LightThrough::Straight || insists)); };
        const bool clear = anyLeaf(i.material, letsThrough) || (i.insideMaterial != noMaterial && anyLeaf(i.insideMaterial, letsThrough));
        in.push_back(clear ? s.clearBlockers : s.blockers);
        anyClear |= clear;
      }
      const auto attach = [&](RTCGeometry g, uint32_t id) {
        for (const RTCScene scene : in) rtcAttachGeometryByID(scene, g, id);
        rtcReleaseGeometry(g);
      };
      const Copy* first = s.copies.data() + i.firstCopy;
      if (i.copies >= 8 && std::none_of(first, first + i.copies, [](const Copy& c) { return c.motion; })) {
        s.crowds.push_back(std::make_unique<Scene::Crowd>(Scene::Crowd{i.geometry->scene, first, i.firstCopy, i.geometry->bounds}));
        attach(crowdGeometry(m_cache.device, *s.crowds.back(), i.copies), i.firstCopy);
      } else {
        for (uint32_t c = 0; c < i.copies; ++c) attach(single(first[c], i), i.firstCopy + c);
      }
    }
    rtcCommitScene(s.everything);
    rtcCommitScene(s.blockers);
    if (!anyClear) {
      rtcReleaseScene(s.clearBlockers);
      s.clearBlockers = nullptr;
    } else {
      rtcCommitScene(s.clearBlockers);
    }
    for (size_t k = 0; k < m_materials.size(); ++k) s.patterned.push_back(patterned(uint16_t(k)));
    s.materials = std::move(m_materials);
    placeCamera();
  }

  bool patterned(uint16_t index) const {
    if (m_materials[index]->layered() && m_materials[index]->mask.program) return true;
    return anyLeaf(index, [&](const Material& m) { return m.patterned; }) || (m_materials[index]->layered() && (patterned(uint16_t(m_materials[index]->below)) || patterned(uint16_t(m_materials[index]->above))));
  }

  // The closed bodies around the camera: those whose surface a ray from it leaves once more than it enters.
  void placeCamera() {
    Scene& s = *m_scene;
    TraceCount count;
    const RayCaster rays(s, count, nullptr);
    const V3f direction = normalize(V3f(0.531f, 0.713f, 0.457f));
    V3f origin = s.camera.position();
    std::map<const Copy*, int> left;
    for (int i = 0; i < 256; ++i) {
      Hit hit;
      if (!rays.intersect(origin, direction, std::numeric_limits<float>::infinity(), hit)) break;
      const bool leaving = dot(direction, hit.geometric) > 0;
      if (hit.instance->closed) left[hit.copy] += leaving ? 1 : -1;
      origin = offset(hit.point, leaving ? hit.geometric : -hit.geometric);
    }
    for (const auto& [copy, times] : left)
      if (times > 0) s.cameraInside.push_back(copy);
  }

  void forgetUnused() {
    std::erase_if(m_cache.cells, [&](const auto& e) { return !m_doc.find(e.first); });
    if (m_cache.forms.size() > 2 * m_used.size() + 64)
      std::erase_if(m_cache.forms, [&](const auto& e) { return !m_used.count(e.first); });
  }

  const Document& m_doc;
  const CompileOptions& m_options;
  const Assets& m_assets;
  SceneCache::Content& m_cache;
  const CancelFlag* m_cancel;
  const Balance m_balance;
  std::shared_ptr<Scene> m_scene;
  Shutter m_shutter{0, 0};
  std::vector<Source> m_sources;
  std::vector<Part> m_parts;
  std::vector<Reference> m_uses;
  std::vector<NodeId> m_open; ///< materials being compiled
  std::vector<std::unique_ptr<Material>> m_materials;
  std::set<uint64_t> m_used;
};

} // namespace

ScenePtr compileScene(const Document& doc, const CompileOptions& options, const Assets& assets, SceneCache& cache, const CancelFlag* cancel) {
  return Compiler(doc, options, assets, cache.content(), cancel).compile();
}

std::vector<Color> balancedAmounts(const Scene& scene, const Document& doc, double frame) {
  const std::vector<Source> sources = sourcesOf(doc, frame, scene.copiesOf);
  std::vector<Color> amounts;
  const size_t own = scene.sharedGroups ? scene.groups.size() - 1 : scene.groups.size();
  if (sources.empty() && scene.groups.size() == 1 && !scene.groups[0].node) return {Color(0.0f)};
  if (sources.size() < own || (!scene.sharedGroups && sources.size() != own)) return {};
  for (size_t i = 0; i < own; ++i) {
    // Own light is told by its material; which numbers a use overrides may change with the balance.
    if (sources[i].node != scene.groups[i].node || sources[i].object != scene.groups[i].object || sources[i].copy != scene.groups[i].copy) return {};
    amounts.push_back(sources[i].amount);
  }
  if (scene.sharedGroups) {
    if (sources.size() != own + scene.restAmounts.size()) return {};
    for (size_t i = own; i < sources.size(); ++i)
      if (sources[i].amount != scene.restAmounts[i - own]) return {};
    amounts.emplace_back(1.0f);
  }
  return amounts;
}

} // namespace ilumbra
