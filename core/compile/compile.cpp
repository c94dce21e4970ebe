#include "core/compile/compile.h"

#include "core/compile/camera.h"
#include "core/compile/even_patterns.h"
#include "core/compile/resting_lobes.h"
#include "core/compile/scene_compiler.h"
#include "core/film/film.h"

#include "core/air/beam.h"
#include "core/air/voxel_grid.h"
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/compile/balance.h"
#include "core/compile/caustics.h"
#include "core/compile/part.h"
#include "core/compile/plate.h"
#include "core/document/follow.h"
#include "core/document/units.h"
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"
#include "core/pattern/playback.h"
#include "core/scene/geometry.h"
#include "core/scene/instance_array.h"
#include "core/scene/media.h"
#include "core/scene/own_light.h"
#include "core/scene/ray_caster.h"
#include "core/surface/tables.h"

#include <fmt/format.h>
#include <ImathBoxAlgo.h>
#include <limits>
#include <map>
#include <set>
#include <utility>

namespace ilumbra {

SceneCache::SceneCache() : m_content(std::make_unique<Content>()) {}
SceneCache::~SceneCache() = default;

int groupLimit(int width, int height, size_t queries, size_t layerMemory) {
  const size_t perGroup = size_t(width) * size_t(height) * 12 * std::max<size_t>(1, queries);
  return int(std::clamp<size_t>(layerMemory / std::max<size_t>(1, perGroup), 2, 64));
}

namespace {

// For each thing the materials that can be seen on it: its own, those that came to light by a cut, and what these are
// layered of.
std::vector<std::set<uint16_t>> wornBy(const Scene& s) {
  std::vector<std::set<uint16_t>> worn(s.things.size());
  const auto add = [&](auto& self, std::set<uint16_t>& to, uint16_t material) -> void {
    if (material == noMaterial || !to.insert(material).second || !s.materials[material]->layered()) return;
    self(self, to, uint16_t(s.materials[material]->below));
    self(self, to, uint16_t(s.materials[material]->above));
  };
  for (const InstancedObject& i : s.objects) {
    std::set<uint16_t> own;
    add(add, own, i.material);
    add(add, own, i.insideMaterial);
    worn[i.thing].insert(own.begin(), own.end());
    std::vector<char> done(i.thingByInstance.empty() ? 0 : s.things.size(), 0); // there may be a million copies
    for (const uint16_t thing : i.thingByInstance)
      if (!std::exchange(done[thing], 1)) worn[thing].insert(own.begin(), own.end());
  }
  return worn;
}

// Lights in tree order, then uses of materials with own light, each once. `copiesOf`: of lights and objects that stand
// more than once.
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
      out.push_back({n->id,
                     {},
                     0,
                     source.copy,
                     source.copy ? fmt::format("{} {}", n->name, c) : n->name,
                     lightAmount(doc, *n, frame) * balance.factor(source)});
    }
  for (const Node* n : doc.family("object")) {
    if (!n->kind->param("material")) continue;
    forEachLayer(doc, wornMaterial(doc, *n, frame), frame, [&](const Reference& use, bool layered) {
      // What is off keeps its group, so that it can come on.
      if (layered || isBlack(ownLight(doc, use, frame, true))) return;
      for (uint32_t c = 1; c <= (balance.isSplit({use.target, n->id}) ? copies(n->id) : 1); ++c) {
        const BalanceSource source = balance.ofOwnLight(use.target, n->id, c);
        Source s{use.target,
                 use,
                 source.object,
                 source.copy,
                 doc.find(use.target)->name,
                 ownLight(doc, use, frame) * balance.factor(source)};
        if (use.with || source.object) s.name += " on " + n->name;
        if (source.copy) s.name += fmt::format(" {}", c);
        if (std::find(out.begin(), out.end(), s) == out.end()) out.push_back(std::move(s));
      }
    });
  }
  for (const Node* n : doc.family("air"))
    if (const Params p(*n, frame); !isBlack(airLight(p, true)))
      out.push_back({n->id, {}, 0, 0, n->name, airLight(p) * balance.factor(n->id)});
  // What clear things show of plates, in values of the picture, whatever the camera's exposure.
  for (const Node* n : doc.family("plate"))
    if (const Params p(*n, frame); p.flag("shown") && p.text("lies") == "behind") {
      out.push_back({n->id, {}, 0, 0, n->name, Color(1 / exposureFactor(doc, frame))});
      break;
    }
  return out;
}

} // namespace

ScenePtr SceneCompiler::compile() {
  Scene& s = *m_scene;
  const Params settings = settingsOf(m_doc);
  s.width = m_options.width > 0 ? m_options.width : int(settings.number("width"));
  s.height = m_options.height > 0 ? m_options.height : int(settings.number("height"));
  s.seed = uint32_t(settings.number("seed"));
  for (std::string& told : unevenPatterns(m_doc)) s.warnings.push_back(std::move(told));
  s.bounces = int(settings.number("bounces"));
  s.exposure = exposureFactor(m_doc, m_options.frame);
  s.fireflyLimit = float(settings.number("firefly_limit")) / s.exposure;
  s.queries = m_options.queries;
  const LayerQuery all{.name = "all light", .everything = true};
  if (s.queries.empty() || !(s.queries.front() == all)) s.queries.insert(s.queries.begin(), all);
  if (const Node* c = activeCamera(m_doc)) s.camera = cameraOf(m_doc, *c, m_options.frame, s.width, s.height);
  m_shutter = shutterOf(m_doc, m_options.frame);
  s.moves = s.camera.moves();

  layPlates();
  m_parts = partsOf(m_doc, m_options.frame, &s.warnings);
  countCopies();
  assignGroups();
  std::vector<const Node*> objects;
  for (const Node* n : m_doc.family("object")) {
    if (!isShown(m_doc, *n, m_options.frame) || standsAside(m_doc, *n, m_options.frame)) continue;
    if (n->kind->param("along") && Params(*n, m_options.frame).reference("path").target &&
        !followedPath(m_doc, *n, m_options.frame))
      throw badInput(n->name + ".path: it is no path, or goes along with what follows it");
    if (n->kind->param("material")) objects.push_back(n);
  }
  makeForms(objects);
  for (const Node* n : objects) {
    stopIfCancelled();
    addObject(*n);
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

void SceneCompiler::stopIfCancelled() const {
  if (m_cancel && m_cancel->requested()) throw cancelled();
}

void SceneCompiler::assignGroups() {
  Scene& s = *m_scene;
  m_sources = sourcesOf(m_doc, m_options.frame, s.copiesOf);
  // What lies beside the frame takes its share of the memory.
  const double across = double(s.width) / s.height,
               beside = ((across + 2 * double(s.overscan)) * (1 + 2 * double(s.overscan)) / across - 1) /
                        (Film::coarse * Film::coarse);
  const auto limit =
      size_t(groupLimit(s.width, s.height, s.queries.size(), size_t(double(m_options.layerMemory) / (1 + beside))));
  s.sharedGroups = m_sources.size() > limit;
  const size_t own = s.sharedGroups ? limit - 1 : m_sources.size();
  for (size_t i = 0; i < own; ++i) {
    s.groups.push_back(
        {m_sources[i].name, m_sources[i].node, m_sources[i].material, m_sources[i].object, m_sources[i].copy});
    s.groupScales.push_back(m_sources[i].amount);
  }
  if (s.sharedGroups) {
    s.groups.push_back({"Other lights", 0, {}, 0, 0});
    s.groupScales.emplace_back(1.0f);
    for (size_t i = own; i < m_sources.size(); ++i) {
      const Source& one = m_sources[i];
      s.restScales.push_back(one.amount);
      if (const std::string layer = layerOfLight(m_doc, {one.node, one.object, one.copy}, one.name); layer != one.name)
        s.warnings.push_back(
            fmt::format("{}: there is no memory for a light group of its own; the layer of files {} goes without it",
                        one.name, layer));
    }
  }
  if (s.plateBehind)
    for (const Source& source : m_sources)
      if (const Node* n = m_doc.find(source.node); n->kind->family() == "plate") {
        s.plateGroup = groupOf(source, s.plateBaked);
        s.plateThing = thingOf(*n);
      }
  if (s.groups.empty()) {
    s.groups.push_back({"No light", 0, {}, 0, 0});
    s.groupScales.emplace_back(0.0f);
  }
}

uint16_t SceneCompiler::groupOf(const Source& wanted, Color& baked) const {
  const auto i = size_t(std::find(m_sources.begin(), m_sources.end(), wanted) - m_sources.begin());
  const size_t own = m_scene->sharedGroups ? m_scene->groups.size() - 1 : m_sources.size();
  baked = i < own ? Color(1.0f) : m_sources[i].amount;
  return uint16_t(std::min(i, own));
}

void SceneCompiler::layPlates() {
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
  if (patterned || !kept.plates || kept.nodes != nodes || kept.frame != m_options.frame || kept.width != s.width ||
      kept.height != s.height) {
    kept = {};
    try {
      kept = {nodes, m_options.frame, s.width, s.height,
              platesOf(m_doc, m_options.frame, s.width, s.height, m_assets, m_options.playing)};
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::Cancelled) throw;
      s.warnings.push_back(e.what());
    }
  }
  s.plates = kept.plates;
  s.plateBehind = s.plates && !s.plates->behind.alpha.empty();
}

uint16_t SceneCompiler::materialOf(const Reference& use) {
  for (size_t i = 0; i < m_uses.size(); ++i)
    if (m_uses[i] == use) return uint16_t(i);
  if (m_uses.size() >= noMaterial) throw badInput("more than 65 535 materials in one picture");
  const size_t index = m_uses.size();
  m_uses.push_back(use);
  m_materials.push_back(std::make_unique<Material>(defaultMaterial(&m_cache.tables)));
  m_open.push_back(use.target);
  Material m;
  try {
    m = compileMaterial(
        m_doc, use, m_options.frame, m_assets,
        [&](const Reference& part) {
          if (part.target && std::find(m_open.begin(), m_open.end(), part.target) != m_open.end())
            throw badInput("the material is layered over itself");
          return int(materialOf(part));
        },
        &m_cache.tables);
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::Cancelled) throw;
    m_scene->warnings.push_back(fmt::format("{}: {}", m_doc.find(use.target)->name, e.what()));
    m = defaultMaterial(&m_cache.tables);
    m.node = use.target;
  }
  m_open.pop_back();
  m.index = uint16_t(index);
  *m_materials[index] = std::move(m);
  return uint16_t(index);
}

void SceneCompiler::leaves(
    uint16_t index, std::vector<std::pair<const Driven*, bool>> masks,
    const std::function<void(const Material&, const std::vector<std::pair<const Driven*, bool>>&)>& f) const {
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

bool SceneCompiler::anyLeaf(uint16_t index, const std::function<bool(const Material&)>& f) const {
  bool any = false;
  leaves(index, {}, [&](const Material& m, const auto&) { any |= f(m); });
  return any;
}
ScenePtr compileScene(const Document& doc, const CompileOptions& options, const Assets& assets, SceneCache& cache,
                      const CancelFlag* cancel) {
  // The values stand for as long as the compiler looks at them.
  const Document even = withEvenValues(doc, options.frame, assets);
  return SceneCompiler(even, options, assets, cache.content(), cancel).compile();
}

std::vector<Color> balancedScales(const Scene& scene, const Document& doc, double frame) {
  const std::vector<Source> sources = sourcesOf(doc, frame, scene.copiesOf);
  std::vector<Color> amounts;
  const size_t own = scene.sharedGroups ? scene.groups.size() - 1 : scene.groups.size();
  if (sources.empty() && scene.groups.size() == 1 && !scene.groups[0].node) return {Color(0.0f)};
  if (sources.size() < own || (!scene.sharedGroups && sources.size() != own)) return {};
  for (size_t i = 0; i < own; ++i) {
    // Own light is told by its material; which numbers a use overrides may change with the balance.
    if (sources[i].node != scene.groups[i].node || sources[i].object != scene.groups[i].object ||
        sources[i].copy != scene.groups[i].copy)
      return {};
    amounts.push_back(sources[i].amount);
  }
  if (scene.sharedGroups) {
    if (sources.size() != own + scene.restScales.size()) return {};
    for (size_t i = own; i < sources.size(); ++i)
      if (sources[i].amount != scene.restScales[i - own]) return {};
    amounts.emplace_back(1.0f);
  }
  return amounts;
}

} // namespace ilumbra
