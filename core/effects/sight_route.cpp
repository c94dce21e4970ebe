#include "core/effects/sight_route.h"

#include "core/compile/camera.h"
#include "core/compile/resting_lobes.h"
#include "core/geometry/shape.h"
#include "core/image/picture_ops.h"
#include "core/lens/queries.h"
#include "core/scene/geometry.h"
#include "core/scene/scene.h"

#include <cmath>
#include <fmt/format.h>

namespace ilumbra {

SightRoute::SightRoute(const DevelopedEffect& of, const char* bodies)
    : m_of(of), m_doc(of.doc), m_scene(of.scene), m_role(bodies), m_bodies(inRole(bodies)),
      m_things(thingsOf(m_bodies)), m_probe(probeSight(of.scene, m_things)) {
  m_route.effect = of.effect.id;
  m_route.raysTraced = m_probe.traced;
}

void SightRoute::tell(Weight weight, const char* role, NodeId thing, std::string text, std::vector<Mend> mends) {
  m_route.findings.push_back({weight, role, thing, std::move(text), std::move(mends), {}});
}

std::vector<const Node*> SightRoute::inRole(const char* role) const {
  std::vector<const Node*> out;
  for (const NodeId id : roleOf(m_doc, m_of.effect, role)) leaf(m_doc, id, out);
  return out;
}

std::set<uint16_t> SightRoute::thingsOf(const std::vector<const Node*>& nodes) const {
  std::set<NodeId> ids;
  for (const Node* n : nodes) ids.insert(n->id);
  std::set<uint16_t> out;
  for (size_t t = 0; t < m_scene.things.size(); ++t)
    if (m_scene.things[t].among(ids)) out.insert(uint16_t(t));
  return out;
}

const Node* SightRoute::matterOf(const Node& object) const {
  const Node* m = object.kind->param("material") ? m_doc.find(wornMaterial(m_doc, object, m_of.frame).target) : nullptr;
  return m && m->kind->id == "material.surface" ? m : nullptr;
}

const InstancedObject* SightRoute::compiled(const Node& object) const {
  for (const InstancedObject& i : m_scene.objects)
    if (i.light < 0 && m_scene.things[i.thing].node == object.id) return &i;
  return nullptr;
}

std::string SightRoute::nameOf(int thing) const { return thing < 0 ? "the sky" : m_scene.things[size_t(thing)].name; }
NodeId SightRoute::nodeOf(int thing) const { return thing < 0 ? 0 : m_scene.things[size_t(thing)].node; }

bool SightRoute::judgePresence(const char* teaches) {
  if (m_bodies.empty()) {
    tell(Weight::Broken, m_role, m_of.effect.id,
         fmt::format("{} is empty: put in {}", m_of.effect.kind->param(m_role)->label, teaches));
    return false;
  }
  for (const Node* n : m_bodies) {
    if (!isShown(m_doc, *n, m_of.frame))
      tell(Weight::Broken, m_role, n->id, n->name + " is not shown", {{"Show it", {{at(*n, "shown"), "on"}}}});
    else if (n->kind->param("seen") && !paramsOf(*n).flag("seen"))
      tell(Weight::Broken, m_role, n->id, n->name + " is switched off for the camera",
           {{"Let the camera see it", {{at(*n, "seen"), "on"}}}});
  }
  if (!m_probe.rays.empty()) return true;
  if (m_route.findings.empty() && paramsOf(m_of.effect).flag("on")) {
    std::vector<Mend> mends;
    const Node* camera = activeCamera(m_doc);
    if (const InstancedObject* i = compiled(*m_bodies.front()); i && camera && !i->bounds.isEmpty()) {
      const M44f down = camera->parent ? worldMatrix(m_doc, *m_doc.find(camera->parent), m_of.frame).inverse() : M44f();
      const V3f local = transformPoint(down, i->bounds.center());
      mends.push_back({fmt::format("Aim {} at it", camera->name),
                       {{at(*camera, "target"), fmt::format("{:.4f}, {:.4f}, {:.4f}", local.x, local.y, local.z)}}});
    }
    tell(Weight::Broken, "picture", m_bodies.front()->id, fmt::format("{} is not in the picture", names(m_bodies)),
         std::move(mends));
  }
  return false;
}

namespace {

// By thing: what of its own light that no layer tells is mirrored. Rough metal mirrors all that it sends out; of what
// is rough and has a body below nothing is told.
std::vector<float> mirroredByRough(const DevelopedEffect& of) {
  std::vector<float> out(of.scene.things.size(), 0);
  if (of.effect.kind->role != seesMirrored) return out;
  std::set<NodeId> ids;
  std::vector<const Node*> bodies;
  for (const NodeId id : roleOf(of.doc, of.effect, "onto")) leaf(of.doc, id, bodies);
  for (const Node* n : bodies) ids.insert(n->id);
  for (const InstancedObject& i : of.scene.objects) {
    if (i.light >= 0 || i.material == noMaterial || !of.scene.things[i.thing].among(ids)) continue;
    const Material& m = *of.scene.materials[i.material];
    const float rough = m.roughness.real({}), metal = m.metalness.real({});
    if (!m.layered() && rough * rough > mirrorAlpha) out[i.thing] = metal;
  }
  return out;
}

// The light of an effect's layer; nothing: there is no such layer.
Picture sightLight(const DevelopedEffect& of, float exposure) {
  const LayerQuery q = sightLayer(of.doc, of.effect);
  const auto layer = std::find(of.scene.queries.begin(), of.scene.queries.end(), q);
  if (q.nothing() || layer == of.scene.queries.end()) return {};
  Picture light = collect(of.film, int(layer - of.scene.queries.begin()), of.groupScales, exposure, of.tasks);
  const std::vector<float> rough = mirroredByRough(of);
  if (std::all_of(rough.begin(), rough.end(), [](float v) { return v <= 0; })) return light;
  const Picture all = collect(of.film, 0, of.groupScales, exposure, of.tasks);
  for (size_t i = 0; i < light.pixels(); ++i) {
    const Film::Ranked& first = of.film.identity(i);
    float part = 0, samples = first.dropped;
    for (size_t k = 0; k < size_t(Film::ranks); ++k) {
      samples += first.weight[k];
      if (first.weight[k] > 0) part += first.weight[k] * rough[first.thing[k]];
    }
    if (!(part > 0)) continue;
    for (size_t c = 3 * i; c < 3 * i + 3; ++c)
      light.rgb[c] += std::max(0.0f, all.rgb[c] - light.rgb[c]) * part / samples;
  }
  return light;
}

double shareOf(const DevelopedEffect& of, const Picture& mine, float exposure) {
  if (mine.rgb.empty()) return 0;
  const double all = luminanceSum(collect(of.film, 0, of.groupScales, exposure, of.tasks), {}, of.tasks);
  return all > 0 ? luminanceSum(mine, {}, of.tasks) / all : 0;
}

} // namespace

double sightShare(const DevelopedEffect& of) { return shareOf(of, sightLight(of, 1), 1); }

SightRoute::Light SightRoute::light() const {
  Light out;
  const float exposure = exposureFactor(m_doc, m_of.frame);
  const Picture mine = sightLight(m_of, exposure);
  out.share = shareOf(m_of, mine, exposure);
  std::vector<double> values;
  double sum = 0;
  for (size_t i = 0; i < mine.pixels(); ++i) {
    const Film::Ranked& first = m_of.film.identity(i);
    float ours = 0, samples = first.dropped;
    for (size_t k = 0; k < size_t(Film::ranks); ++k) {
      samples += first.weight[k];
      if (first.weight[k] > 0 && m_things.count(first.thing[k])) ours += first.weight[k];
    }
    if (!(samples > 0) || ours < 0.5f * samples) continue;
    const double v = double(luminance({mine.rgb[3 * i], mine.rgb[3 * i + 1], mine.rgb[3 * i + 2]}));
    values.push_back(v);
    sum += v;
    out.clipped += v > 1;
  }
  if (values.empty()) return out;
  out.clipped /= double(values.size());
  const auto stops = [](double v) { return v > 0 ? std::log2(v) : -100.0; };
  out.stops = stops(sum / double(values.size()));
  const size_t most = values.size() / 100;
  std::nth_element(values.begin(), values.begin() + ptrdiff_t(most), values.end(), std::greater<>());
  out.brightest = stops(values[most]);
  return out;
}

double SightRoute::brightestOf(const Node& light) const {
  const LayerQuery q = sightLayer(m_doc, m_of.effect);
  const auto layer = std::find(m_scene.queries.begin(), m_scene.queries.end(), q);
  if (q.nothing() || layer == m_scene.queries.end()) return -100;
  const float exposure = exposureFactor(m_doc, m_of.frame);
  double most = 0;
  for (size_t g = 0; g < m_scene.groups.size(); ++g) {
    if (m_scene.groups[g].node != light.id) continue;
    const Picture own = collectGroup(m_of.film, int(layer - m_scene.queries.begin()), int(g), m_of.groupScales[g],
                                     exposure, m_of.tasks);
    for (size_t i = 0; i < own.pixels(); ++i)
      most = std::max(most, double(luminance({own.rgb[3 * i], own.rgb[3 * i + 1], own.rgb[3 * i + 2]})));
  }
  return most > 0 ? std::log2(most) : -100;
}

std::string SightRoute::angleText(double degrees) const {
  const double height = double(m_scene.camera.pixelAngle()) * m_scene.height * 180 / 3.14159265358979;
  return degrees < 0.05 ? "nothing"
                        : fmt::format("{:.{}f}° ({:.0f} % of the height)", degrees, degrees < 10 ? 1 : 0,
                                      100 * degrees / std::max(1e-6, height));
}

} // namespace ilumbra
