#include "core/effects/route_parts.h"
#include "core/effects/cover.h"
#include "core/geometry/shape.h"

#include "core/base/colorspace.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/document/units.h"
#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"

#include <fmt/format.h>
#include <set>

namespace ilumbra {

std::string percent(double share) {
  const double p = 100 * share;
  return p == 0     ? "0 %"
         : p < 0.01 ? "less than 0.01 %"
         : p < 1    ? fmt::format("{:.2g} %", p)
                    : fmt::format("{:.0f} %", p);
}

const Node* leaf(const Document& doc, NodeId id, std::vector<const Node*>& out) {
  const Node* n = doc.find(id);
  if (!n) return nullptr;
  // A group is what it holds; all else is itself, with what it carries. Modifiers and points are no sources.
  if (!isGroup(*n)) out.push_back(n);
  for (const char* slot : {"objects", "carries"})
    if (const auto it = n->children.find(slot); it != n->children.end())
      for (const NodeId c : it->second) leaf(doc, c, out);
  return n;
}

std::string names(const std::vector<const Node*>& nodes) {
  if (nodes.empty()) return "";
  if (nodes.size() == 1) return nodes[0]->name;
  return fmt::format("{} and {} more", nodes[0]->name, nodes.size() - 1);
}

namespace {

// True if any copy of an instance is among these.
bool any(const Scene& scene, const InstancedObject& i, const std::set<NodeId>& ids) {
  if (i.thingByInstance.empty()) return scene.things[i.thing].among(ids);
  return std::any_of(i.thingByInstance.begin(), i.thingByInstance.end(),
                     [&](uint16_t t) { return scene.things[t].among(ids); });
}

} // namespace

NodeId blocker(const Scene& scene, const RayCaster& rays, V3f from, const V3f& d, float far, bool eye,
               float& distance) {
  distance = 0;
  for (int guard = 0; guard < 64; ++guard) {
    Hit hit;
    if (!rays.intersect(from, d, far, hit)) return 0;
    distance += hit.distance;
    const InstancedObject& in = *hit.object;
    bool passes = in.light >= 0 || (in.switches & SwitchCatches) || !(in.switches & (eye ? SwitchSeen : SwitchShadow));
    if (!passes && in.material != noMaterial) {
      const Material& m = *scene.materials[in.material];
      passes = m.layered() ? false
                           : (m.transmission.real({}) > 0.5f && in.lightThrough != LightThrough::Blocked) ||
                                 (!m.opacity.program && m.opacity.constant.x < 0.5f) ||
                                 (!m.veil.keys.empty() && m.veil.at(1) < 0.5f);
    }
    if (!passes) return scene.things[in.thing].node;
    const V3f next = offset(hit.point, dot(d, hit.geometric) > 0 ? hit.geometric : -hit.geometric);
    far -= hit.distance;
    from = next;
  }
  return 0;
}

// What share of an object's surface shows one of the materials that its own is layered of; 0: none.
static double shareLaid(const Document& doc, const Scene& scene, const Node& object, const Reference& worn,
                        NodeId material, double frame) {
  const Node* n = doc.find(worn.target);
  if (!n) return 0;
  if (n->id == material) return 1;
  if (!n->kind->param("below") || !n->kind->param("mask")) return 0;
  const Params p(*n, frame, worn.with.get());
  const double above = shareLaid(doc, scene, object, p.reference("above"), material, frame),
               below = shareLaid(doc, scene, object, p.reference("below"), material, frame);
  if (above <= 0 && below <= 0) return 0;
  double mask = p.number("mask");
  if (const auto use = p.pattern("mask")) {
    const Cover c = coverOf(doc, scene, {object.id}, use->pattern.target);
    mask = c.area > 0 ? c.covered / c.area : 0;
  }
  return above * mask + below * (1 - mask);
}

double lumensOf(const Document& doc, double frame, const Scene& scene, const Node& n) {
  if (n.kind->family() == "light") {
    const ParamDef* power = n.kind->param("power");
    if (!power || power->unit != "lm") return 0;
    // A lamp that copies take along shines once for each of them.
    const auto lamps = std::count_if(scene.emitters.begin(), scene.emitters.end(),
                                     [&](const Emitter& e) { return scene.things[e.thing].node == n.id; });
    return double(luminance(lightAmount(doc, n, frame))) * double(std::max<std::ptrdiff_t>(1, lamps));
  }
  const std::set<NodeId> self{n.id};
  const bool part = n.kind->family() == "source";
  const NodeId partMaterial = part ? Params(n, frame).reference("material").target : 0;
  double sum = 0;
  if (part && !partMaterial) // its lamps
    for (const Emitter& e : scene.emitters)
      if (const Thing& t = scene.things[e.thing]; t.among(self))
        if (const Node* lamp = doc.find(t.node); lamp && lamp->kind->family() == "light" &&
                                                 lamp->kind->param("power") && lamp->kind->param("power")->unit == "lm")
          sum += double(luminance(lightAmount(doc, *lamp, frame)));
  for (const InstancedObject& i : scene.objects) {
    if (i.light >= 0 || i.material == noMaterial) continue;
    const Node* object = doc.find(scene.things[i.thing].node);
    if (!object || !object->kind->param("material")) continue;
    Reference use = wornMaterial(doc, *object, frame);
    if (!use.target && object->kind->param("own_light")) use.target = object->id; // a card shines by itself
    double laid = 1;
    if (n.kind->family() == "material" && use.target != n.id) {
      laid = shareLaid(doc, scene, *object, use, n.id, frame);
      if (laid > 0) use = {n.id, nullptr};
    }
    if (part                             ? !any(scene, i, self) || (partMaterial && use.target != partMaterial)
        : n.kind->family() == "material" ? use.target != n.id
                                         : object->id != n.id)
      continue;
    const float l = luminance(ownLight(doc, use, frame));
    if (l <= 0) continue;
    double area = 0;
    const Shape& s = i.geometry->shape;
    if (s.sphereRadius > 0) {
      const double scale = std::cbrt(std::abs(double(i.toWorld.determinant())));
      area = 4 * 3.14159265358979 * sqr(s.sphereRadius) * scale * scale;
    } else {
      for (const auto& t : s.mesh.triangles) {
        const V3f a = transformPoint(i.toWorld, s.mesh.positions[t.a]);
        area += 0.5 * double(length(cross(transformPoint(i.toWorld, s.mesh.positions[t.b]) - a,
                                          transformPoint(i.toWorld, s.mesh.positions[t.c]) - a)));
      }
      if (!isClosed(s.mesh)) area *= 2; // both sides shine
    }
    double copies = 0; // by their areas, as large as the first or not
    for (uint32_t c = 0; c < i.instanceCount; ++c)
      if (!part || scene.things[i.thingAt(c)].among(self))
        copies += std::cbrt(
            sqr(float(std::abs(scene.instances[i.firstInstance + c].toWorld.determinant() / i.toWorld.determinant()))));
    sum += 3.14159265358979 * double(l) * area * copies * laid;
  }
  return sum;
}

std::string Emitted::reading(const char* far) const {
  if (endless && lumens <= 0) return far;
  return fmt::format("{} lm", formatNumber(number("x", "x", "", 0), std::round(lumens)));
}

Emitted emittedBy(const DevelopedEffect& of, const std::vector<const Node*>& sources, Route& route) {
  Emitted out;
  for (const Node* n : sources) {
    const double lm = lumensOf(of.doc, of.frame, of.scene, *n);
    out.lumens += lm;
    const bool sky = n->kind->family() == "light" && n->kind->param("power") && n->kind->param("power")->unit != "lm";
    out.endless |= sky;
    if (!(sky ? isBlack(lightAmount(of.doc, *n, of.frame)) : lm <= 0)) continue;
    Finding f{Finding::Weight::Broken, "from", n->id, n->name + " gives no light", {}};
    mendDark(of.doc, of.frame, *n, f);
    route.findings.push_back(std::move(f));
  }
  return out;
}

SeenShare seenAmong(const Film& film, size_t pixel, const Scene& scene, const std::set<NodeId>& things) {
  const Film::Ranked& seen = film.seen(pixel);
  SeenShare s{0, seen.dropped};
  for (size_t k = 0; k < size_t(Film::ranks); ++k) {
    s.total += seen.weight[k];
    if (seen.weight[k] > 0 && scene.things[seen.thing[k]].among(things)) s.part += seen.weight[k];
  }
  return s;
}

Loss lossTo(const Document& doc, NodeId thing, double share) {
  const Node* n = doc.find(thing);
  return {n ? n->name : "something", thing, share};
}

void sortLosses(std::vector<Loss>& losses, double least) {
  std::erase_if(losses, [&](const Loss& l) { return l.share < least; });
  std::sort(losses.begin(), losses.end(), [](const Loss& a, const Loss& b) { return a.share > b.share; });
}

Route finished(Route r, const DevelopedEffect& of, const char* role) {
  const Node& e = of.effect;
  if (!Params(e, of.frame).flag("on"))
    r.findings.insert(
        r.findings.begin(),
        {Finding::Weight::Note, role, e.id, e.name + " is off", {{"Switch it on", {{at(e, "on"), "on"}}}}});
  std::stable_sort(r.findings.begin(), r.findings.end(),
                   [](const Finding& a, const Finding& b) { return a.weight > b.weight; });
  return r;
}

void mendDark(const Document& doc, double frame, const Node& n, Finding& f) {
  if (n.kind->family() == "light") {
    const Params p(n, frame);
    if (!p.flag("on")) f.mends.push_back({"Switch it on", {{n.name + ".on", "on"}}});
    if (p.number("power") <= 0) {
      const ParamDef* d = n.kind->param("power");
      const double v = std::get<double>(d->initial);
      f.mends.push_back({"Set its power to " + formatNumber(*d, v), {{n.name + ".power", fmt::format("{:g}", v)}}});
    }
    return;
  }
  NodeId material = n.id;
  if (n.kind->family() == "object") material = wornMaterial(doc, n, frame).target;
  if (n.kind->family() == "source") {
    const Params p(n, frame);
    const Node* of = doc.find(p.reference("of").target);
    if (of && of->kind->family() == "light") return mendDark(doc, frame, *of, f);
    material = p.reference("material").target;
    if (!material && of && of->kind->param("material")) material = wornMaterial(doc, *of, frame).target;
  }
  const Node* m = doc.find(material);
  if (!m) return;
  const double v = 8 / std::max(1e-30, double(exposureFactor(doc, frame)));
  f.mends.push_back({fmt::format("Give {} own light of {:.0f} cd/m²", m->name, v),
                     {{m->name + ".own_light", fmt::format("{:.0f}", v)}}});
}

} // namespace ilumbra
