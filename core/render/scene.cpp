#include "core/render/scene.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/document/file.h"
#include "core/document/units.h"
#include "core/render/geometry.h"
#include "core/render/hit.h"
#include "core/render/mix.h"
#include "core/render/own_light.h"

#include <filesystem>
#include <fmt/format.h>
#include <limits>
#include <map>
#include <set>

namespace ilumbra {

struct SceneCache::Content {
  RTCDevice device = rtcNewDevice("set_affinity=0");
  std::map<uint64_t, GeometryPtr> shapes;
  std::vector<ShapeKind> shapeKinds = allShapes();
  std::vector<LightKind> lightKinds = allLights();
  Content() = default;
  Content(const Content&) = delete;
  Content& operator=(const Content&) = delete;
  ~Content() {
    shapes.clear();
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

// One source of light of its own in a document: what gets a light group.
struct Source {
  NodeId node = 0;    ///< the light, or the material
  Reference material; ///< of own light
  NodeId object = 0;  ///< of own light that is split in the mix
  std::string name;
  Color amount{0.0f};
  bool operator==(const Source& o) const { return node == o.node && material == o.material && object == o.object; }
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

// Lights in tree order, then uses of materials with own light, each once.
std::vector<Source> sourcesOf(const Document& doc, double frame) {
  std::vector<Source> out;
  const Mix mix(doc, frame);
  for (const Node* n : doc.family("light")) out.push_back({n->id, {}, 0, n->name, lightAmount(Params(*n, frame)) * mix.factor(n->id)});
  for (const Node* n : doc.family("object")) {
    if (!n->kind->param("material")) continue;
    forLeaves(doc, Params(*n, frame).reference("material"), frame, 0, [&](const Reference& use) {
      // What is off keeps its group, so that it can come on.
      if (isBlack(ownLight(doc, use, frame, true))) return;
      const NodeId object = mix.isSplit(use.target) ? n->id : 0;
      Source s{use.target, use, object, doc.find(use.target)->name, ownLight(doc, use, frame) * mix.factor({use.target, object})};
      if (use.with || object) s.name += " on " + n->name;
      if (std::find(out.begin(), out.end(), s) == out.end()) out.push_back(std::move(s));
    });
  }
  return out;
}

uint64_t shapeKey(const Document& doc, const Node& n, double frame) {
  std::string text = n.kind->id;
  const Params p(n, frame);
  for (const ParamDef& d : n.kind->params) {
    if (d.stage != Stage::Geometry) continue;
    text += '|';
    switch (d.type) {
    case ParamType::Number:
    case ParamType::Integer: text += fmt::format("{}", p.number(d.name)); break;
    case ParamType::Flag: text += p.flag(d.name) ? '1' : '0'; break;
    case ParamType::File: {
      const std::string path = resolveFile(doc, p.text(d.name));
      std::error_code error;
      const auto time = std::filesystem::last_write_time(path, error);
      text += path + fmt::format("@{}", error ? 0 : time.time_since_epoch().count());
      break;
    }
    case ParamType::Color:
    case ParamType::Vector:
      for (const double v : p.triple(d.name)) text += fmt::format("{},", v);
      break;
    default: text += p.text(d.name);
    }
  }
  return contentHash(text);
}

class Compiler {
public:
  Compiler(const Document& doc, const CompileOptions& o, const Assets& assets, SceneCache::Content& cache, const CancelFlag* cancel)
      : m_doc(doc), m_options(o), m_assets(assets), m_cache(cache), m_cancel(cancel), m_mix(doc, o.frame), m_scene(std::make_shared<Scene>()) {}

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

    assignGroups();
    for (const Node* n : m_doc.family("object")) {
      stopIfCancelled();
      if (n->kind->param("material")) addObject(*n);
    }
    for (const Node* n : m_doc.family("light")) addLight(*n);
    linkLights();
    weighEmitters();
    build();
    std::vector<NodeId> things, materials;
    for (const Thing& t : s.things) things.push_back(t.node);
    for (const auto& m : s.materials) materials.push_back(m->node);
    s.table = LayerTable(s.queries, things, materials);
    forgetUnused();
    return m_scene;
  }

private:
  void stopIfCancelled() const {
    if (m_cancel && m_cancel->requested()) throw cancelled();
  }

  void assignGroups() {
    Scene& s = *m_scene;
    m_sources = sourcesOf(m_doc, m_options.frame);
    const auto limit = size_t(groupLimit(s.width, s.height, s.queries.size(), m_options.layerMemory));
    s.sharedGroups = m_sources.size() > limit;
    const size_t own = s.sharedGroups ? limit - 1 : m_sources.size();
    for (size_t i = 0; i < own; ++i) {
      s.groups.push_back({m_sources[i].name, m_sources[i].node, m_sources[i].material, m_sources[i].object});
      s.amounts.push_back(m_sources[i].amount);
    }
    if (s.sharedGroups) {
      s.groups.push_back({"Other lights", 0, {}, 0});
      s.amounts.emplace_back(1.0f);
      for (size_t i = own; i < m_sources.size(); ++i) s.restAmounts.push_back(m_sources[i].amount);
    }
    if (s.groups.empty()) {
      s.groups.push_back({"No light", 0, {}, 0});
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

  uint16_t materialOf(const Reference& use) {
    for (size_t i = 0; i < m_uses.size(); ++i)
      if (m_uses[i] == use) return uint16_t(i);
    if (m_uses.size() >= noMaterial) throw badInput("more than 65 535 materials in one picture");
    const size_t index = m_uses.size();
    m_uses.push_back(use);
    m_materials.push_back(std::make_unique<Material>(defaultMaterial()));
    m_open.push_back(use.target);
    Material m;
    try {
      m = compileMaterial(m_doc, use, m_options.frame, m_assets, [&](const Reference& part) {
        if (part.target && std::find(m_open.begin(), m_open.end(), part.target) != m_open.end()) throw badInput("the material is layered over itself");
        return int(materialOf(part));
      });
    } catch (const Error& e) {
      if (e.kind() == Refusal::Cancelled) throw;
      m_scene->troubles.push_back(fmt::format("{}: {}", m_doc.find(use.target)->name, e.what()));
      m = defaultMaterial();
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
  std::vector<double> formTimes(const Node& n) const {
    if (!(m_shutter.close > m_shutter.open) || !isAnimated(n)) return {};
    const int steps = std::clamp(int(std::ceil(4 * (m_shutter.close - m_shutter.open))), 2, 32);
    std::vector<double> times;
    for (int i = 0; i <= steps; ++i) times.push_back(m_shutter.open + (m_shutter.close - m_shutter.open) * i / steps);
    const uint64_t here = shapeKey(m_doc, n, m_options.frame);
    if (std::all_of(times.begin(), times.end(), [&](double t) { return shapeKey(m_doc, n, t) == here; })) return {};
    return times;
  }

  GeometryPtr geometryOf(const Node& n) {
    uint64_t key = shapeKey(m_doc, n, m_options.frame);
    const std::vector<double> times = formTimes(n);
    for (const double t : times) key = contentHash(fmt::format("{}|{}", key, shapeKey(m_doc, n, t)));
    m_used.insert(key);
    GeometryPtr& geometry = m_cache.shapes[key];
    if (!geometry) {
      try {
        geometry = build(n, times);
      } catch (...) {
        m_cache.shapes.erase(key);
        throw;
      }
    }
    if (!times.empty() && geometry->shape.forms.empty()) m_scene->troubles.push_back(n.name + ": its triangles change while the shutter is open, so that its form is not blurred");
    return geometry;
  }

  // The shape of a thing, at all of the times where it changes; without them if they have not the same triangles.
  GeometryPtr build(const Node& n, const std::vector<double>& times) {
    const auto kind = std::find_if(m_cache.shapeKinds.begin(), m_cache.shapeKinds.end(), [&](const ShapeKind& k) { return k.kind.id == n.kind->id; });
    if (kind == m_cache.shapeKinds.end() || !kind->build) throw badInput(n.kind->id + ": cannot be built");
    const auto made = [&](double frame) {
      const Params p(n, frame);
      Shape shape = kind->build(p, m_assets);
      validate(shape.mesh, n.name);
      if (const std::string facets = p.text("facets"); facets == "faceted") facet(shape.mesh);
      else if (facets == "smooth") smooth(shape.mesh);
      return shape;
    };
    Shape shape = made(m_options.frame);
    for (const double t : times) {
      stopIfCancelled();
      Shape then = made(t);
      const auto same = [](const Mesh::Triangle& a, const Mesh::Triangle& b) { return a.a == b.a && a.b == b.b && a.c == b.c; };
      if (then.mesh.positions.size() != shape.mesh.positions.size() || then.mesh.normals.size() != shape.mesh.normals.size() ||
          !std::equal(then.mesh.triangles.begin(), then.mesh.triangles.end(), shape.mesh.triangles.begin(), shape.mesh.triangles.end(), same)) {
        shape.forms.clear();
        break;
      }
      shape.forms.push_back({then.sphereRadius, std::move(then.mesh.positions), std::move(then.mesh.normals)});
    }
    return std::make_shared<const Geometry>(m_cache.device, std::move(shape));
  }

  uint16_t thingOf(const Node& n) {
    if (m_scene->things.size() >= 0xfffe) throw badInput("more than 65 534 things in one picture");
    m_scene->things.push_back({n.id, n.name});
    return uint16_t(m_scene->things.size() - 1);
  }

  void addObject(const Node& n) {
    Scene& s = *m_scene;
    const Params p(n, m_options.frame);
    Instance i;
    try {
      i.geometry = geometryOf(n);
    } catch (const Error& e) {
      if (e.kind() == Refusal::Cancelled) throw;
      s.troubles.emplace_back(fmt::format("{}: {}", n.name, e.what()));
      return;
    }
    i.toWorld = worldMatrix(m_doc, n, m_options.frame);
    if (!(std::abs(i.toWorld.determinant()) > 1e-30f)) {
      s.troubles.push_back(n.name + ".size: is zero along an axis, so the object has no body");
      return;
    }
    i.toObject = i.toWorld.inverse();
    const Box3f box = i.geometry->shape.bounds();
    const float radius = box.isEmpty() ? 0 : std::max(length(box.min), length(box.max));
    M44f rest;
    if (maybeMoves(n)) i.motion = motionOf([&](double at) { return worldMatrix(m_doc, n, at); }, m_shutter.open, m_shutter.close, radius);
    if (i.motion) rest = rigidPart(i.toWorld).inverse();
    s.moves |= i.motion || !i.geometry->shape.forms.empty();
    i.thing = thingOf(n);
    const Reference use = p.reference("material");
    i.material = materialOf(use);
    const std::pair<const char*, uint16_t> switches[] = {
        {"seen", SwitchSeen}, {"seen_mirrored", SwitchMirrored}, {"seen_through", SwitchThrough}, {"casts_shadow", SwitchShadow},
        {"takes_light", SwitchTakesLight}, {"lights_others", SwitchLightsOthers}, {"cuts_out", SwitchCutsOut}, {"catches", SwitchCatches}};
    for (const auto& [name, bit] : switches)
      if (p.flag(name)) i.switches |= bit;
    const std::string through = p.text("light_through");
    i.lightThrough = through == "focused" ? LightThrough::Focused : through == "blocked" ? LightThrough::Blocked : LightThrough::Straight;
    if (anyLeaf(i.material, [](const Material& m) { return m.hasInside(); })) i.closed = i.geometry->closed();
    leaves(i.material, {}, [&](const Material& m, const auto& masks) {
      if (!m.emits) return;
      const Shape& shape = i.geometry->shape;
      OwnLight own{&m, masks, patterned(i.material)};
      auto light = shape.sphereRadius > 0 ? glowingSphere(shape.sphereRadius, i.toWorld, std::move(own)) : glowingMesh(shape, i.toWorld, std::move(own));
      Emitter e;
      e.light = light.get();
      const Reference& source = m_uses[m.index];
      e.group = groupOf({source.target, source, m_mix.isSplit(source.target) ? n.id : 0, {}, {}}, e.baked);
      e.thing = i.thing;
      if (i.motion) {
        e.motion = std::make_shared<const Motion>(i.motion->rigid());
        e.rest = rest;
      }
      i.glows.emplace_back(m.index, int(s.emitters.size()));
      s.emitters.push_back(e);
      s.lights.push_back(std::move(light));
    });
    for (int corner = 0; corner < 8 && !box.isEmpty(); ++corner)
      s.bounds.extendBy(transformPoint(i.toWorld, {corner & 1 ? box.max.x : box.min.x, corner & 2 ? box.max.y : box.min.y,
                                                   corner & 4 ? box.max.z : box.min.z}));
    s.instances.push_back(std::move(i));
  }

  void addLight(const Node& n) {
    Scene& s = *m_scene;
    const auto kind = std::find_if(m_cache.lightKinds.begin(), m_cache.lightKinds.end(), [&](const LightKind& k) { return k.kind.id == n.kind->id; });
    if (kind == m_cache.lightKinds.end()) return;
    const Params p(n, m_options.frame);
    const auto worldAt = [&](double at) { return n.parent ? worldMatrix(m_doc, *m_doc.find(n.parent), at) : M44f(); };
    const M44f world = worldAt(m_options.frame);
    std::unique_ptr<Light> light;
    try {
      light = kind->build(p, world, m_assets);
    } catch (const Error& e) {
      if (e.kind() == Refusal::Cancelled) throw;
      s.troubles.emplace_back(fmt::format("{}: {}", n.name, e.what()));
      return;
    }
    Emitter e;
    e.light = light.get();
    e.group = groupOf({n.id, {}, 0, {}, {}}, e.baked);
    e.thing = thingOf(n);
    if (!light->infinite() && maybeMoves(n)) {
      const auto pose = [&](double at) {
        const Params then(n, at);
        M44f m;
        if (n.kind->param("target")) m = aimMatrix(then);
        else if (n.kind->param("position")) {
          const Triple t = then.triple("position");
          m.setTranslation(V3f(float(t[0]), float(t[1]), float(t[2])));
        }
        return m * worldAt(at);
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
          i.motion = e.motion;
          i.toWorld = e.rest.inverse();
          for (V3f& v : body.mesh.positions) v = transformPoint(e.rest, v);
        }
        i.geometry = std::make_shared<const Geometry>(m_cache.device, std::move(body));
        i.toObject = i.toWorld.inverse();
        i.thing = e.thing;
        i.switches = switches;
        i.light = int(s.lights.size());
        i.emitter = int(s.emitters.size());
        s.instances.push_back(std::move(i));
      }
      s.emitters.push_back(e);
    }
    s.lights.push_back(std::move(light));
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
    const auto attach = [&](RTCScene scene, const Instance& i) {
      const RTCGeometry g = rtcNewGeometry(m_cache.device, RTC_GEOMETRY_TYPE_INSTANCE);
      rtcSetGeometryInstancedScene(g, i.geometry->scene);
      if (i.motion) {
        rtcSetGeometryTimeStepCount(g, unsigned(i.motion->steps()));
        for (int step = 0; step < i.motion->steps(); ++step) {
          RTCQuaternionDecomposition q;
          i.motion->fill(step, q);
          rtcSetGeometryTransformQuaternion(g, unsigned(step), &q);
        }
      } else {
        rtcSetGeometryTransform(g, 0, RTC_FORMAT_FLOAT4X4_COLUMN_MAJOR, &i.toWorld[0][0]);
      }
      rtcCommitGeometry(g);
      rtcAttachGeometry(scene, g);
      rtcReleaseGeometry(g);
    };
    s.everything = rtcNewScene(m_cache.device);
    s.blockers = rtcNewScene(m_cache.device);
    s.clearBlockers = rtcNewScene(m_cache.device);
    for (const RTCScene scene : {s.everything, s.blockers, s.clearBlockers}) {
      rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
      rtcSetSceneBuildQuality(scene, RTC_BUILD_QUALITY_HIGH);
    }
    for (size_t k = 0; k < s.instances.size(); ++k) {
      const Instance& i = s.instances[k];
      attach(s.everything, i);
      if (i.light >= 0 || !(i.switches & SwitchShadow) || (i.switches & SwitchCatches)) continue;
      const bool clear = anyLeaf(i.material, [&](const Material& m) { return !m.alwaysOpaque() || (m.mayPassLight() && i.lightThrough == LightThrough::Straight); });
      attach(clear ? s.clearBlockers : s.blockers, i);
      if (clear) s.clearInstance.push_back(int(k));
    }
    rtcCommitScene(s.everything);
    rtcCommitScene(s.blockers);
    if (s.clearInstance.empty()) {
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
    std::map<const Instance*, int> left;
    for (int i = 0; i < 256; ++i) {
      Hit hit;
      if (!rays.intersect(origin, direction, std::numeric_limits<float>::infinity(), hit)) break;
      const bool leaving = dot(direction, hit.geometric) > 0;
      if (hit.instance->closed) left[hit.instance] += leaving ? 1 : -1;
      origin = offset(hit.point, leaving ? hit.geometric : -hit.geometric);
    }
    for (const auto& [instance, times] : left)
      if (times > 0) s.cameraInside.push_back(instance);
  }

  void forgetUnused() {
    if (m_cache.shapes.size() > 2 * m_used.size() + 64)
      std::erase_if(m_cache.shapes, [&](const auto& e) { return !m_used.count(e.first); });
  }

  const Document& m_doc;
  const CompileOptions& m_options;
  const Assets& m_assets;
  SceneCache::Content& m_cache;
  const CancelFlag* m_cancel;
  const Mix m_mix;
  std::shared_ptr<Scene> m_scene;
  Shutter m_shutter{0, 0};
  std::vector<Source> m_sources;
  std::vector<Reference> m_uses;
  std::vector<NodeId> m_open; ///< materials being compiled
  std::vector<std::unique_ptr<Material>> m_materials;
  std::set<uint64_t> m_used;
};

} // namespace

ScenePtr compileScene(const Document& doc, const CompileOptions& options, const Assets& assets, SceneCache& cache, const CancelFlag* cancel) {
  return Compiler(doc, options, assets, cache.content(), cancel).compile();
}

std::vector<Color> mixAmounts(const Scene& scene, const Document& doc, double frame) {
  const std::vector<Source> sources = sourcesOf(doc, frame);
  std::vector<Color> amounts;
  const size_t own = scene.sharedGroups ? scene.groups.size() - 1 : scene.groups.size();
  if (sources.empty() && scene.groups.size() == 1 && !scene.groups[0].node) return {Color(0.0f)};
  if (sources.size() < own || (!scene.sharedGroups && sources.size() != own)) return {};
  for (size_t i = 0; i < own; ++i) {
    // Own light is told by its material; which numbers a use overrides may change with the mix.
    if (sources[i].node != scene.groups[i].node || sources[i].object != scene.groups[i].object) return {};
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
