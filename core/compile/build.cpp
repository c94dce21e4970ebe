#include "core/compile/scene_compiler.h"
#include "core/scene/trace_count.h"

#include "core/air/beam.h"
#include "core/air/voxel_grid.h"
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/compile/balance.h"
#include "core/compile/caustics.h"
#include "core/compile/part.h"
#include "core/compile/plate.h"
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

void SceneCompiler::linkLights() {
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

void SceneCompiler::weighEmitters() {
  Scene& s = *m_scene;
  const auto weigh = [&](std::vector<Emitter>& list) {
    float most = 0;
    for (Emitter& e : list) {
      e.weight = luminance(s.groupScales[e.group] * e.baked);
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

void SceneCompiler::sweep(LightReach& r, const Emitter& e) {
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

void SceneCompiler::build() {
  Scene& s = *m_scene;
  // One Embree geometry for each object that stands still, in as many scenes as it belongs to; hits have the copy's id.
  const auto single = [&](const Instance& c, const InstancedObject& i) {
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
  for (EmbreeScene* scene : {&s.everything, &s.blockers, &s.clearBlockers}) {
    *scene = EmbreeScene(rtcNewScene(m_cache.device));
    rtcSetSceneFlags(*scene, RTC_SCENE_FLAG_ROBUST);
    rtcSetSceneBuildQuality(*scene, RTC_BUILD_QUALITY_HIGH);
  }
  bool anyClear = false;
  const auto goesStraight = [](const Emitter& e) { return e.clear == LightThrough::Straight; };
  const bool insists = std::any_of(s.emitters.begin(), s.emitters.end(), goesStraight) ||
                       std::any_of(s.skies.begin(), s.skies.end(), goesStraight);
  for (const InstancedObject& i : s.objects) {
    std::vector<RTCScene> in{s.everything};
    if (i.light < 0 && (i.switches & SwitchShadow) && !(i.switches & SwitchCatches)) {
      const auto letsThrough = [&](const Material& m) {
        return !m.alwaysOpaque() || (m.mayPassLight() && (i.lightThrough == LightThrough::Straight || insists));
      };
      const bool clear = anyLeaf(i.material, letsThrough) ||
                         (i.insideMaterial != noMaterial && anyLeaf(i.insideMaterial, letsThrough));
      in.push_back(clear ? s.clearBlockers : s.blockers);
      anyClear |= clear;
    }
    const auto attach = [&](RTCGeometry g, uint32_t id) {
      for (const RTCScene scene : in) rtcAttachGeometryByID(scene, g, id);
      rtcReleaseGeometry(g);
    };
    const Instance* first = s.instances.data() + i.firstInstance;
    if (i.instanceCount >= 8 &&
        std::none_of(first, first + i.instanceCount, [](const Instance& c) { return c.motion; })) {
      s.instanceArrays.push_back(std::make_unique<InstanceArray>(
          InstanceArray{i.geometry->scene, first, i.firstInstance, i.geometry->bounds}));
      attach(instanceArrayGeometry(m_cache.device, *s.instanceArrays.back(), i.instanceCount), i.firstInstance);
    } else {
      for (uint32_t c = 0; c < i.instanceCount; ++c) attach(single(first[c], i), i.firstInstance + c);
    }
  }
  rtcCommitScene(s.everything);
  rtcCommitScene(s.blockers);
  if (anyClear)
    rtcCommitScene(s.clearBlockers);
  else
    s.clearBlockers.reset();
  for (size_t k = 0; k < m_materials.size(); ++k) s.patterned.push_back(patterned(uint16_t(k)));
  s.materials = std::move(m_materials);
  placeCamera();
}

bool SceneCompiler::patterned(uint16_t index) const {
  if (m_materials[index]->layered() && m_materials[index]->mask.program) return true;
  return anyLeaf(index, [&](const Material& m) { return m.patterned; }) ||
         (m_materials[index]->layered() &&
          (patterned(uint16_t(m_materials[index]->below)) || patterned(uint16_t(m_materials[index]->above))));
}

void SceneCompiler::placeCamera() {
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
    if (hit.object->closed) left[hit.instance] += leaving ? 1 : -1;
    origin = offset(hit.point, leaving ? hit.geometric : -hit.geometric);
  }
  for (const auto& [copy, times] : left)
    if (times > 0) s.cameraInside.push_back(copy);
}

void SceneCompiler::forgetUnused() {
  std::erase_if(m_cache.cells, [&](const auto& e) { return !m_doc.find(e.first); });
  if (m_cache.forms.size() > 2 * m_used.size() + 64)
    std::erase_if(m_cache.forms, [&](const auto& e) { return !m_used.count(e.first); });
}
} // namespace ilumbra
