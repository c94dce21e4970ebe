#include "core/compile/compile.h"
#include "core/compile/resting_lobes.h"
#include "core/compile/scene_compiler.h"

#include "core/air/beam.h"
#include "core/air/voxel_grid.h"
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/base/tasks.h"
#include "core/compile/balance.h"
#include "core/compile/caustics.h"
#include "core/compile/part.h"
#include "core/compile/plate.h"
#include "core/document/units.h"
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"
#include "core/geometry/no_assets.h"
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
#include <optional>
#include <set>
#include <utility>

namespace ilumbra {

static constexpr size_t mostEmitters = 1'000'000;

static LightThrough clearAs(const std::string& choice) {
  return choice == "focused"   ? LightThrough::Focused
         : choice == "blocked" ? LightThrough::Blocked
                               : LightThrough::Straight;
}

std::vector<double> SceneCompiler::formTimes(const Node& n, const FormKey& key) const {
  if (!(m_shutter.close > m_shutter.open) || !key.changes) return {};
  const int steps = std::clamp(int(std::ceil(4 * (m_shutter.close - m_shutter.open))), 2, 32);
  std::vector<double> times;
  for (int i = 0; i <= steps; ++i) times.push_back(m_shutter.open + (m_shutter.close - m_shutter.open) * i / steps);
  if (std::all_of(times.begin(), times.end(), [&](double t) { return formKey(m_doc, n, t).hash == key.hash; }))
    return {};
  return times;
}

const SceneCompiler::FormWanted& SceneCompiler::formWanted(const Node& n) {
  if (const auto it = m_formsWanted.find(n.id); it != m_formsWanted.end()) return it->second;
  const FormKey own = formKey(m_doc, n, m_options.frame);
  FormWanted w{own.hash, n.kind->param("material") ? formTimes(n, own) : std::vector<double>()};
  for (const double t : w.times) w.key = contentHash(fmt::format("{}|{}", w.key, formKey(m_doc, n, t).hash));
  return m_formsWanted[n.id] = std::move(w);
}

SceneCache::Content::Made SceneCompiler::makeForm(const Node& n, const std::vector<double>& times) const {
  SceneCache::Content::Made made;
  Form form = formOf(n, {m_doc, m_options.frame, m_assets, m_cancel, &made.warnings});
  made.copies = std::move(form.copies);
  if (n.kind->param("material"))
    made.geometry = std::make_shared<const Geometry>(m_cache.device, withForms(n, std::move(form.shape), times));
  return made;
}

void SceneCompiler::makeForms(const std::vector<const Node*>& nodes) {
  struct Job {
    const Node* node;
    FormWanted wanted;
    std::optional<SceneCache::Content::Made> made;
  };
  std::vector<Job> jobs;
  std::map<std::string, std::vector<size_t>> files; // each is read once, by one task
  std::vector<std::vector<size_t>> tasks;
  std::set<uint64_t> known;
  for (const Node* n : nodes) {
    const FormWanted& w = formWanted(*n);
    if (m_cache.forms.count(w.key) || !known.insert(w.key).second) continue;
    jobs.push_back({n, w, {}});
    const std::string name = n->kind->param("file") ? Params(*n, m_options.frame).text("file") : std::string();
    if (name.empty())
      tasks.push_back({jobs.size() - 1});
    else
      files[name].push_back(jobs.size() - 1);
  }
  // A reader is waited for: it is to be on its way before the rest.
  for (auto& [name, of] : files) tasks.insert(tasks.begin(), std::move(of));
  parallelFor(tasks.size(), [&](size_t t) {
    for (const size_t i : tasks[t]) {
      if (m_cancel && m_cancel->requested()) return;
      try {
        jobs[i].made = makeForm(*jobs[i].node, jobs[i].wanted.times);
      } catch (const std::exception&) { // formed() meets it again where it can be told
      }
    }
  });
  for (Job& j : jobs)
    if (j.made) m_cache.forms.emplace(j.wanted.key, std::move(*j.made));
}

const SceneCache::Content::Made& SceneCompiler::formed(const Node& n) {
  const auto& [key, times] = formWanted(n);
  m_used.insert(key);
  auto it = m_cache.forms.find(key);
  if (it == m_cache.forms.end()) it = m_cache.forms.emplace(key, makeForm(n, times)).first;
  for (const std::string& t : it->second.warnings)
    if (std::find(m_scene->warnings.begin(), m_scene->warnings.end(), t) == m_scene->warnings.end())
      m_scene->warnings.push_back(t);
  if (!times.empty() && it->second.geometry->shape.forms.empty())
    m_scene->warnings.push_back(n.name +
                                ": its triangles change while the shutter is open, so that its form is not blurred");
  return it->second;
}

std::vector<M44f> SceneCompiler::copiesOf(const Node& n) {
  const auto it = n.children.find("modifiers");
  if (it == n.children.end() || it->second.empty()) return {};
  const std::vector<M44f>& copies = formed(n).copies;
  if (copies.size() > 1) m_scene->ownCopies[n.id] = uint32_t(copies.size());
  return copies;
}

Shape SceneCompiler::withForms(const Node& n, Shape shape, const std::vector<double>& times) const {
  for (const double t : times) {
    stopIfCancelled();
    std::vector<std::string> again; // told once already
    Shape then = formOf(n, {m_doc, t, m_assets, m_cancel, &again}).shape;
    const auto same = [](const Mesh::Triangle& a, const Mesh::Triangle& b) {
      return a.a == b.a && a.b == b.b && a.c == b.c;
    };
    if (then.mesh.positions.size() != shape.mesh.positions.size() ||
        then.mesh.normals.size() != shape.mesh.normals.size() ||
        !std::equal(then.mesh.triangles.begin(), then.mesh.triangles.end(), shape.mesh.triangles.begin(),
                    shape.mesh.triangles.end(), same)) {
      shape.forms.clear();
      break;
    }
    shape.forms.push_back({then.sphereRadius, std::move(then.mesh.positions), std::move(then.mesh.normals)});
  }
  return shape;
}

uint16_t SceneCompiler::thingOf(const Node& n, std::vector<NodeId> parts) {
  if (m_scene->things.size() >= 0xfffe) throw badInput("more than 65 534 things in one picture");
  m_scene->things.push_back({n.id, n.name, std::move(parts)});
  return uint16_t(m_scene->things.size() - 1);
}

std::vector<uint16_t> SceneCompiler::thingsOf(const Node& n, size_t copies) {
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

void SceneCompiler::countCopies() {
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
        if (e.kind() == ErrorKind::Cancelled) throw;
      }
    }
    m_scene->copiesOf[id] = uint32_t(std::min<size_t>(count, 65'000));
  }
}

void SceneCompiler::addObject(const Node& n) {
  Scene& s = *m_scene;
  const Params p(n, m_options.frame);
  InstancedObject i;
  std::vector<M44f> places;
  try {
    i.geometry = formed(n).geometry;
    places = worldPlaces(m_doc, n, m_options.frame, [this](const Node& up) { return copiesOf(up); });
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::Cancelled) throw;
    s.warnings.push_back(std::string(e.what()).starts_with(n.name) ? std::string(e.what())
                                                                   : fmt::format("{}: {}", n.name, e.what()));
    return;
  }
  std::erase_if(places, [](const M44f& m) { return !(std::abs(m.determinant()) > 1e-30f); });
  if (places.empty()) {
    s.warnings.push_back(n.name + ".size: is zero along an axis, so the object has no body");
    return;
  }
  i.toWorld = places.front();
  i.toObject = i.toWorld.inverse();
  const Box3f box = i.geometry->bounds;
  const float radius = box.isEmpty() ? 0 : std::max(length(box.min), length(box.max));
  const std::vector<MotionPtr> motions = motionsOf(n, places.size(), radius);
  s.moves |= !i.geometry->shape.forms.empty();
  i.thingByInstance = thingsOf(n, places.size());
  i.thing = i.thingByInstance.front();
  i.chance = n.id * 2654435761u + 17u;
  if (i.thingByInstance.size() == 1) i.thingByInstance.clear();
  if (places.size() > 1) m_scene->copiesOf.emplace(n.id, uint32_t(places.size()));
  const Reference use = wornMaterial(m_doc, n, m_options.frame);
  i.material = materialOf(use);
  const std::pair<const char*, uint16_t> switches[] = {
      {"seen", SwitchSeen},           {"seen_mirrored", SwitchMirrored}, {"seen_through", SwitchThrough},
      {"casts_shadow", SwitchShadow}, {"takes_light", SwitchTakesLight}, {"lights_others", SwitchLightsOthers},
      {"cuts_out", SwitchCutsOut},    {"catches", SwitchCatches}};
  for (const auto& [name, bit] : switches)
    if (p.flag(name)) i.switches |= bit;
  i.switches |= restingLobes(m_doc, n, m_options.frame);
  i.lightThrough = clearAs(p.text("light_through"));
  if (anyLeaf(i.material, [](const Material& m) { return m.hasInside(); })) i.closed = i.geometry->closed();
  size_t glows = 0;
  leaves(i.material, {}, [&](const Material& m, const auto&) { glows += m.emits; });
  if (s.emitters.size() + glows * places.size() > mostEmitters) {
    s.warnings.push_back(n.name + ": its copies would be more than a million sources of light");
    return;
  }
  i.insideMaterial = insideMaterialOf(n, i);
  i.firstInstance = uint32_t(s.instances.size());
  i.instanceCount = uint32_t(places.size());
  for (size_t k = 0; k < places.size(); ++k) {
    const MotionPtr motion = motions.empty() ? nullptr : motions[k];
    if (motion) s.motions.push_back(motion);
    s.moves |= motion != nullptr;
    s.instances.push_back({places[k], places[k].inverse(), motion.get(), uint32_t(s.objects.size()), uint32_t(k)});
    const M44f rest = motion ? rigidPart(places[k]).inverse() : M44f();
    leaves(i.material, {}, [&](const Material& m, const auto& masks) {
      if (!m.emits || box.isEmpty()) return;
      const Shape& shape = i.geometry->shape;
      OwnLight own{&m, masks, pointOn(i, uint32_t(k)), patterned(i.material)};
      auto light = shape.sphereRadius > 0
                       ? glowingSphere(shape.sphereRadius, places[k], std::move(own), places.size())
                       : glowingMesh(shape, i.geometry->closed(), places[k], std::move(own), places.size());
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
      i.bounds.extendBy(
          transformPoint(places[k], {corner & 1 ? box.max.x : box.min.x, corner & 2 ? box.max.y : box.min.y,
                                     corner & 4 ? box.max.z : box.min.z}));
  }
  s.bounds.extendBy(i.bounds);
  s.objects.push_back(std::move(i));
}

std::vector<MotionPtr> SceneCompiler::motionsOf(const Node& n, size_t copies, float radius) {
  bool changes = isAnimated(m_doc, n);
  for (const Node* up = &n; up && !changes; up = m_doc.find(up->parent))
    changes = up->children.count("modifiers") && formKey(m_doc, *up, m_options.frame).changes;
  if (!changes || !(m_shutter.close > m_shutter.open)) return {};
  std::vector<MotionPtr> out;
  if (copies == 1) {
    out.push_back(
        motionOf([&](double at) { return worldMatrix(m_doc, n, at); }, m_shutter.open, m_shutter.close, radius));
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
      return it == up.children.end() || it->second.empty() ? std::vector<M44f>()
                                                           : formOf(up, {m_doc, frame, m_assets, m_cancel}).copies;
    }));
    if (at.back().size() != copies) return {};
  }
  for (size_t c = 0; c < copies; ++c)
    out.push_back(motionOf(
        [&](double frame) {
          const double t = std::clamp((frame - m_shutter.open) / (m_shutter.close - m_shutter.open), 0.0, 1.0) * steps;
          const int k = std::min(int(t), steps - 1);
          const float f = float(t - k);
          M44f m;
          for (int e = 0; e < 16; ++e)
            (&m[0][0])[e] = mix((&at[size_t(k)][c][0][0])[e], (&at[size_t(k) + 1][c][0][0])[e], f);
          return m;
        },
        m_shutter.open, m_shutter.close, radius));
  return out;
}

uint16_t SceneCompiler::insideMaterialOf(const Node& n, const InstancedObject& i) {
  if (i.geometry->shape.mesh.inside.empty()) return noMaterial;
  uint16_t material = noMaterial;
  if (const auto it = n.children.find("modifiers"); it != n.children.end())
    for (const NodeId id : it->second) {
      const Node* m = m_doc.find(id);
      if (!m || !m->kind->param("inside_material") || !Params(*m, m_options.frame).flag("on")) continue;
      if (const Reference use = Params(*m, m_options.frame).reference("inside_material"); use.target)
        material = materialOf(use);
    }
  return material;
}

void SceneCompiler::addLight(const Node& n) {
  Scene& s = *m_scene;
  const LightKind* kind = lightKind(n);
  if (!kind) return;
  const Params p(n, m_options.frame);
  const Node* holder = n.parent ? m_doc.find(n.parent) : nullptr;
  std::vector<M44f> places{M44f()};
  std::vector<std::unique_ptr<Light>> lights;
  if (const auto level = p.pattern("level")) {
    try {
      Program::compile(m_doc, level->pattern, m_options.frame, NoAssets(), false);
    } catch (const Error& e) {
      s.warnings.emplace_back(fmt::format("{}.level: {}; it stays at 1", n.name, e.what()));
    }
  }
  try {
    if (holder) places = worldPlaces(m_doc, *holder, m_options.frame, [this](const Node& up) { return copiesOf(up); });
    const std::shared_ptr<const Program> gel = gelOf(m_doc, p, m_assets);
    for (const M44f& world : places) {
      lights.push_back(throughGel(kind->build(p, world, m_assets), gel, p, world));
      if (lights.back()->infinite()) break; // a sky is there once
      if (s.emitters.size() + lights.size() > mostEmitters) throw badInput("more than a million copies of a light");
    }
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::Cancelled) throw;
    s.warnings.emplace_back(fmt::format("{}: {}", n.name, e.what()));
    return;
  }
  std::vector<uint16_t> things = thingsOf(n, lights.size());
  things.resize(lights.size(), things.front());
  if (lights.size() > 1) m_scene->copiesOf.emplace(n.id, uint32_t(lights.size()));
  // Copies do not move by themselves, but all of them with what holds them.
  const bool moves = maybeMoves(n) && lights.size() == 1;
  for (size_t k = 0; k < lights.size(); ++k)
    placeLight(n, std::move(lights[k]), places[k], uint32_t(k + 1), things[k], moves);
}

void SceneCompiler::placeLight(const Node& n, std::unique_ptr<Light> light, const M44f& world, uint32_t copy,
                               uint16_t thing, bool moves) {
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
      if (n.kind->param("target"))
        m = aimMatrix(then);
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
      InstancedObject i;
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
      for (int corner = 0; corner < 8; ++corner)
        i.bounds.extendBy(
            transformPoint(i.toWorld, {corner & 1 ? box.max.x : box.min.x, corner & 2 ? box.max.y : box.min.y,
                                       corner & 4 ? box.max.z : box.min.z}));
      i.toObject = i.toWorld.inverse();
      i.thing = e.thing;
      i.switches = switches;
      i.light = int(s.lights.size());
      i.emitter = int(s.emitters.size());
      i.firstInstance = uint32_t(s.instances.size());
      s.instances.push_back({i.toWorld, i.toObject, e.motion.get(), uint32_t(s.objects.size()), 0});
      s.objects.push_back(std::move(i));
    }
    s.emitters.push_back(e);
  }
  s.lights.push_back(std::move(light));
}
} // namespace ilumbra
