#include "core/effects/route.h"
#include "core/geometry/shape.h"
#include "core/image/picture_ops.h"

#include "core/compile/camera.h"
#include "core/effects/mends.h"
#include "core/transport/plate_layers.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/compile/plate.h"
#include "core/document/edit.h"
#include "core/document/units.h"
#include "core/effects/air_effects.h"
#include "core/effects/route_parts.h"
#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"

#include <embree3/rtcore.h>
#include <fmt/format.h>
#include <map>
#include <set>

namespace ilumbra {

Document applyMend(const Document& doc, const Mend& mend) {
  Document out = doc;
  for (const Mend::Added& a : mend.adds) {
    const Node* holder = out.findByName(a.holder);
    if (!holder) throw badInput(a.holder + " is not there any more");
    out = addNode(out, a.kind, "", {holder->id, a.slot});
  }
  for (const auto& [address, text] : mend.sets) {
    const Address a = resolve(out, address);
    const Value present = valueAt(out, a);
    out = setAt(out, a, parseValue(out, definitionAt(out, a), text, &present));
  }
  return out;
}

namespace {

// By their boxes: a bulb around its lamp.
bool encloses(const Scene& scene, NodeId shell, NodeId inside) {
  Box3f outer, inner;
  for (const InstancedObject& i : scene.objects) {
    if (scene.things[i.thing].node == shell) outer.extendBy(i.bounds);
    if (scene.things[i.thing].node == inside) inner.extendBy(i.bounds);
  }
  for (const Emitter& e : scene.emitters)
    if (scene.things[e.thing].node == inside) inner.extendBy(e.light->reach().centre);
  return !outer.isEmpty() && !inner.isEmpty() && outer.intersects(inner.min) && outer.intersects(inner.max);
}

// Lights, objects and materials that an effect's From names, groups opened.
std::vector<const Node*> sourcesOf(const Document& doc, const Node& effect) {
  std::vector<const Node*> out;
  for (const NodeId id : roleOf(doc, effect, "from")) leaf(doc, id, out);
  return out;
}

struct Sight {
  double sent = 0, arrives = 0, outside = 0, hidden = 0;
  std::map<NodeId, double> blocked;
  uint64_t rays = 0;
};

// A point on one copy of a body, uniform by area (close to it for stretched spheres), with its outward normal.
void surfacePoint(const Shape& s, const Instance& copy, const Distribution& areas, V2f u, float pickU, V3f& point,
                  V3f& normal) {
  if (s.sphereRadius > 0) {
    const V3f n = sampleUniformSphere(u);
    point = transformPoint(copy.toWorld, n * s.sphereRadius);
    normal = normalize(transformNormal(copy.toObject, n));
    return;
  }
  float p;
  const auto& t = s.mesh.triangles[areas.sample(pickU, p)];
  const float r = std::sqrt(u.x), b = 1 - r, c = u.y * r;
  const V3f &pa = s.mesh.positions[t.a], &pb = s.mesh.positions[t.b], &pc = s.mesh.positions[t.c];
  point = transformPoint(copy.toWorld, pa * (1 - b - c) + pb * b + pc * c);
  normal = normalize(transformNormal(copy.toObject, cross(pb - pa, pc - pa)));
}

// Rays from the camera to points spread over the sources: what of the side that faces the camera is in sight, and who
// hides the rest. Clear things and things the camera does not see let it pass.
Sight look(const Document& doc, double frame, const Scene& scene, const std::vector<const Node*>& sources) {
  Sight sight;
  std::set<NodeId> ids;
  for (const Node* n : sources) ids.insert(n->id);
  const V3f eye = scene.camera.position();
  constexpr size_t raysPerBody = 1024;
  for (const InstancedObject& body : scene.objects) {
    const NodeId node = scene.things[body.thing].node;
    // Copies take turns.
    const bool worn = body.material != noMaterial && ids.count(scene.materials[body.material]->node) > 0;
    std::vector<uint32_t> meant;
    for (uint32_t c = 0; c < body.instanceCount; ++c)
      if (worn || scene.things[body.thingAt(c)].among(ids)) meant.push_back(c);
    if (meant.empty()) continue;
    if (meant.size() > raysPerBody) { // spread over all of them
      for (size_t k = 0; k < raysPerBody; ++k) meant[k] = meant[k * meant.size() / raysPerBody];
      meant.resize(raysPerBody);
    }
    std::vector<float> weights;
    for (const auto& t : body.geometry->shape.mesh.triangles) {
      const auto& p = body.geometry->shape.mesh.positions;
      weights.push_back(length(cross(p[t.b] - p[t.a], p[t.c] - p[t.a])));
    }
    const Distribution areas(weights);
    if (areas.empty() && body.geometry->shape.sphereRadius <= 0) continue;
    const bool lamp = body.light >= 0;
    const Node* source = doc.find(node);
    const bool closed = lamp || body.geometry->shape.sphereRadius > 0 || isClosed(body.geometry->shape.mesh);
    // Several bodies share the effect by what they send out; copies of a lamp are bodies of their own.
    const auto lamps = scene.copiesOf.find(node);
    const uint32_t all = !lamp ? body.instanceCount : lamps == scene.copiesOf.end() ? 1 : lamps->second;
    const double lumens = std::max(1e-30, lumensOf(doc, frame, scene, *source) * double(meant.size()) / double(all)) /
                          double(raysPerBody);
    for (size_t k = 0; k < raysPerBody; ++k) {
      Sampler sampler(uint32_t(body.thing), 17, uint32_t(k), scene.seed);
      V3f point, normal;
      const V2f u = sampler.get2();
      const uint32_t own = body.firstInstance + meant[k % meant.size()];
      surfacePoint(body.geometry->shape, scene.instances[own], areas, u, sampler.get1(), point, normal);
      const V3f to = point - eye;
      const float distance = length(to);
      const V3f d = to * (1 / distance);
      float facing = -dot(d, normal);
      if (!closed) facing = std::abs(facing);
      if (facing <= 0) continue;
      const double w = lumens * double(facing);
      sight.sent += w;
      float x, y;
      if (!scene.camera.project(point, x, y) || x < 0 || y < 0 || x >= float(scene.width) || y >= float(scene.height)) {
        sight.outside += w;
        continue;
      }
      if (!(body.switches & SwitchSeen)) {
        sight.hidden += w;
        continue;
      }
      V3f from = eye;
      bool arrives = true;
      for (int guard = 0; guard < 64; ++guard) {
        RTCRayHit q{};
        fillRay(q.ray, from, d, length(point - from) * 0.9995f, 0.5f);
        q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        rtcIntersect1(scene.everything, &context, &q);
        ++sight.rays;
        if (q.hit.geomID == RTC_INVALID_GEOMETRY_ID) break;
        const InstancedObject& other = scene.objects[scene.instances[q.hit.instID[0]].object];
        bool passes = !(other.switches & SwitchSeen) || (other.switches & SwitchCatches) || q.hit.instID[0] == own;
        if (!passes && other.material != noMaterial) {
          const Material& m = *scene.materials[other.material];
          passes = m.transmission.real({}) > 0.5f || (!m.opacity.program && m.opacity.constant.x < 0.5f) ||
                   (!m.veil.keys.empty() && (m.veil.additive > 0.5f || m.veil.at(1) < 0.5f));
        }
        if (!passes) {
          sight.blocked[scene.things[other.thing].node] += w;
          arrives = false;
          break;
        }
        from = from + d * (q.ray.tfar * 1.0005f + 1e-5f);
        if (dot(point - from, d) <= 0) break;
      }
      if (arrives) sight.arrives += w;
    }
  }
  return sight;
}

std::string stopsText(double stops) {
  return fmt::format("{:.1f} stops {} white", std::abs(stops), stops >= 0 ? "above" : "below");
}

} // namespace

std::vector<EffectReading> readEffects(const Document& doc, double frame, const Scene& scene, const Film& film,
                                       const std::vector<Color>& groupScales, const LensResult& developed,
                                       const Tasks& tasks) {
  std::vector<EffectReading> out;
  for (const Node* e : doc.family("effect")) {
    EffectReading r{e->id, 0, Params(*e, frame).flag("on")};
    if (const EffectKind* kind = effectKind(*e); kind && kind->share)
      r.share = kind->share(doc, *e, scene, film, groupScales, developed.picture, tasks);
    for (const NodeId stage : roleOf(doc, *e, "lens"))
      for (const StageResult& s : developed.stages)
        if (s.stage == stage) r.share += s.share;
    out.push_back(r);
  }
  return out;
}

Route measureRoute(const Document& doc, NodeId effectId, double frame, const Scene& scene, const Film& film,
                   const std::vector<Color>& groupScales, const LensResult& developed, const Tasks& tasks) {
  const Node* effect = doc.find(effectId);
  const EffectKind* kind = effect ? effectKind(*effect) : nullptr;
  if (!kind) throw badInput("there is no such effect");
  return kind->measure(doc, *effect, frame, scene, film, groupScales, developed, tasks);
}

Route measureGlowRoute(const Document& doc, const Node& glow, double frame, const Scene& scene, const Film& film,
                       const std::vector<Color>& groupScales, const LensResult& developed, const Tasks& tasks) {
  const Node* const effect = &glow;
  const NodeId effectId = glow.id;
  using Weight = Finding::Weight;
  Route r;
  r.effect = effectId;
  const std::vector<const Node*> sources = sourcesOf(doc, *effect);
  const float exposure = exposureFactor(doc, frame);
  const Params own(*effect, frame);

  // From: what is sent out.
  bool endless = false, plates = false;
  for (const Node* n : sources) {
    // A picture's light was measured by whoever took it: it is there or it is not.
    if (n->kind->family() == "plate" || n->kind->family() == "layer") {
      plates = true;
      continue;
    }
    const double lm = lumensOf(doc, frame, scene, *n);
    r.emitted += lm;
    const bool sky = n->kind->family() == "light" && n->kind->param("power") && n->kind->param("power")->unit != "lm";
    endless |= sky;
    const bool dark = sky ? isBlack(lightAmount(Params(*n, frame))) : lm <= 0;
    if (dark) {
      Finding f{Weight::Broken, "from", n->id, n->name + " gives no light", {}};
      mendDark(doc, frame, *n, f);
      r.findings.push_back(std::move(f));
    }
  }
  if (sources.empty())
    r.findings.push_back(
        {Weight::Broken, "from", effectId, "From is empty: nothing gives its light to the effect", {}});
  Station from{"from",
               "From",
               names(sources),
               endless && r.emitted <= 0 ? "from all around"
               : plates && r.emitted <= 0
                   ? "in the plate"
                   : fmt::format("{} lm", formatNumber(number("x", "x", "", 0), std::round(r.emitted))),
               1,
               {}};
  if (sources.empty()) from.name = "empty";
  r.stations.push_back(from);

  // Picture: what of it comes through to the camera.
  const Sight sight = look(doc, frame, scene, sources);
  r.raysTraced = sight.rays;
  Station seen{"picture", "Picture", "", "", 0, {}};
  Picture layer;
  // In the order in which light passes them.
  std::vector<const Node*> stages;
  const std::vector<NodeId> role = roleOf(doc, *effect, "lens");
  for (const Node* s : lensStages(doc))
    if (std::find(role.begin(), role.end(), s->id) != role.end()) stages.push_back(s);
  const std::vector<LayerQuery> queries = lensQueries(doc);
  LayerQuery mine{.name = effect->name};
  for (const Node* n : sources) (n->kind->family() == "material" ? mine.materials : mine.things).push_back(n->id);
  // The layer of the sources: the stage's own if it takes its light from the effect, else read from what is seen.
  double sourceLight = 0, allLight = 0, brightest = 0;
  {
    std::set<NodeId> ids;
    for (const Node* n : sources) ids.insert(n->id);
    const auto exact = std::find_if(scene.queries.begin(), scene.queries.end(), [&](const LayerQuery& q) {
      return !q.everything && q.things == mine.things && q.materials == mine.materials;
    });
    const Picture all = collect(film, 0, groupScales, exposure, tasks);
    allLight = luminanceSum(all, {}, tasks);
    if (exact != scene.queries.end()) {
      layer = collect(film, int(exact - scene.queries.begin()), groupScales, exposure, tasks);
    } else {
      layer = all;
      for (size_t i = 0; i < layer.pixels(); ++i) {
        const Film::Ranked& seenThings = film.seen(i);
        float total = seenThings.dropped, part = 0;
        for (size_t k = 0; k < size_t(Film::ranks); ++k) {
          total += seenThings.weight[k];
          if (seenThings.weight[k] > 0 && scene.things[seenThings.thing[k]].among(ids)) part += seenThings.weight[k];
        }
        for (size_t c = 0; c < 3; ++c) layer.rgb[3 * i + c] *= total > 0 ? part / total : 0;
      }
    }
    if (scene.plates && plates) {
      const PlateLayers laid = plateLayers(*scene.plates, film, {}, tasks);
      allLight += luminanceSum(laid.add, {}, tasks);
      for (const PlatePart& part : laid.parts)
        if (ids.count(part.id) || ids.count(part.plate))
          for (size_t i = 0; i < layer.rgb.size(); ++i) layer.rgb[i] += part.light.rgb[i];
    }
    for (size_t i = 0; i < layer.pixels(); ++i) {
      const double l = double(luminance({layer.rgb[3 * i], layer.rgb[3 * i + 1], layer.rgb[3 * i + 2]}));
      sourceLight += l;
      brightest = std::max(brightest, l);
    }
  }
  r.peak = brightest > 0 ? std::log2(brightest) : -100;
  if (sight.sent > 0) {
    r.seen = sight.arrives / sight.sent;
    seen.reading = fmt::format("{} in sight", percent(r.seen));
    if (sight.outside > 0) seen.losses.push_back({"is out of frame", 0, sight.outside / sight.sent});
    if (sight.hidden > 0) seen.losses.push_back({"is not seen by the camera", 0, sight.hidden / sight.sent});
    std::vector<std::pair<double, NodeId>> blockers;
    for (const auto& [node, w] : sight.blocked) blockers.emplace_back(w, node);
    std::sort(blockers.rbegin(), blockers.rend());
    for (const auto& [w, node] : blockers)
      seen.losses.push_back({doc.find(node) ? doc.find(node)->name : "something", node, w / sight.sent});
    std::sort(seen.losses.begin(), seen.losses.end(), [](const Loss& a, const Loss& b) { return a.share > b.share; });
  } else if (!sources.empty()) {
    r.seen = sourceLight > 0 ? 1 : 0;
    seen.reading = sourceLight > 0 ? "in sight" : "not in sight";
  }
  seen.share = r.seen;
  seen.name = sourceLight > 0 ? stopsText(r.peak) : "dark";
  r.stations.push_back(seen);
  if (plates && r.emitted <= 0 && sourceLight <= 0)
    r.findings.push_back({Weight::Broken,
                          "picture",
                          sources[0]->id,
                          fmt::format("{} gives no light in the plate at this frame", names(sources)),
                          {}});
  const bool gives = r.emitted > 0 || endless;
  if (gives && !sources.empty() && sight.sent > 0 && r.seen < 0.02) {
    const auto worst = seen.losses.empty() ? Loss{"something", 0, 1} : seen.losses.front();
    const Weight weight = sourceLight > 0 ? Weight::Weak : Weight::Broken;
    const Node* camera = activeCamera(doc);
    if (worst.by == "is out of frame") {
      Finding f{weight, "picture", sources[0]->id, fmt::format("{} is out of frame", names(sources)), {}};
      V3f centre(0.0f);
      float count = 0;
      for (const InstancedObject& i : scene.objects)
        for (const Node* n : sources)
          if (scene.things[i.thing].node == n->id) {
            const Box3f b = i.geometry->bounds;
            centre += transformPoint(i.toWorld, b.center());
            ++count;
          }
      if (camera && count > 0) {
        centre *= 1 / count;
        const M44f down = camera->parent ? worldMatrix(doc, *doc.find(camera->parent), frame).inverse() : M44f();
        const V3f local = transformPoint(down, centre);
        f.mends.push_back(
            {fmt::format("Aim {} at it", camera->name),
             {{at(*camera, "target"), fmt::format("{:.4f}, {:.4f}, {:.4f}", local.x, local.y, local.z)}}});
      }
      r.findings.push_back(std::move(f));
    } else if (worst.by == "is not seen by the camera") {
      Finding f{
          weight, "picture", sources[0]->id, fmt::format("{} is switched off for the camera", names(sources)), {}};
      Mend m{"Let the camera see it", {}};
      for (const Node* n : sources)
        if (n->kind->param("seen")) m.sets.emplace_back(at(*n, "seen"), "on");
      f.mends.push_back(std::move(m));
      r.findings.push_back(std::move(f));
    } else if (const Node* blocker = doc.find(worst.thing)) {
      Finding f{weight,
                "picture",
                blocker->id,
                fmt::format("{} hides {}: {} of it is blocked", blocker->name, names(sources), percent(worst.share)),
                {}};
      // Nothing of it is seen past what encloses it, however bright that makes other things.
      if (encloses(scene, blocker->id, sources[0]->id)) {
        f.weight = Weight::Broken;
        f.text = fmt::format("{} sits inside {}, which lets no light out: {} of it is blocked", names(sources),
                             blocker->name, percent(worst.share));
        for (Mend& m : opened(doc, frame, *blocker))
          if (m.sets.size() > 1) f.mends.push_back(std::move(m)); // of glass: the camera looks through it too
      }
      if (blocker->kind->param("seen"))
        f.mends.push_back(
            {fmt::format("Let the camera look through {}", blocker->name), {{at(*blocker, "seen"), "off"}}});
      r.findings.push_back(std::move(f));
    }
  } else if (gives && !sources.empty() && sight.sent <= 0 && !endless && sourceLight <= 0) {
    Finding f{Weight::Broken,
              "picture",
              sources[0]->id,
              fmt::format("{} has no size, so the camera cannot see it", names(sources)),
              {}};
    for (const Node* n : sources)
      if (n->kind->param("radius") && Params(*n, frame).number("radius") <= 0)
        f.mends.push_back({"Give it a radius of 50 mm", {{at(*n, "radius"), "50 mm"}}});
    if (f.mends.empty()) f.text = fmt::format("{} is not in the picture", names(sources));
    r.findings.push_back(std::move(f));
  }

  // Lens: what is spread.
  double spread = 0, others = 0;
  std::map<NodeId, double> otherThings;
  std::string stageNames;
  for (const Node* s : stages) {
    stageNames += (stageNames.empty() ? "" : ", ") + s->name;
    const Params p(*s, frame);
    const auto done = std::find_if(developed.stages.begin(), developed.stages.end(),
                                   [&](const StageResult& d) { return d.stage == s->id; });
    if (done == developed.stages.end()) {
      if (own.flag("on") && !p.flag("on"))
        r.findings.push_back(
            {Weight::Broken, "lens", s->id, s->name + " is off", {{"Switch it on", {{at(*s, "on"), "on"}}}}});
      continue;
    }
    // By thing: what a stage takes at a pixel is shared as that pixel's light is.
    std::set<NodeId> ids;
    for (const Node* n : sources) ids.insert(n->id);
    double taken = 0, ours = 0;
    const bool confined = !p.references("sources").empty();
    // What takes nothing away is measured by what it adds; of whose light that is, only its sources tell.
    const bool adds =
        std::all_of(done->work.taken.rgb.begin(), done->work.taken.rgb.end(), [](float v) { return v == 0; });
    const bool spreads = !stageOf(*s).inPlace;
    if (adds && spreads) taken = ours = luminanceSum(done->work.spread, {}, tasks);
    for (size_t i = 0; spreads && i < done->work.taken.pixels(); ++i) {
      const float* t = done->work.taken.rgb.data() + 3 * i;
      const double l = double(luminance({t[0], t[1], t[2]}));
      if (l <= 0) continue;
      taken += l;
      if (confined) continue;
      const Film::Ranked& things = film.seen(i);
      float total = things.dropped;
      for (const float w : things.weight) total += w;
      for (size_t k = 0; k < size_t(Film::ranks) && total > 0; ++k) {
        if (things.weight[k] <= 0) continue;
        const NodeId node = scene.things[things.thing[k]].node;
        const double part = l * double(things.weight[k] / total);
        if (scene.things[things.thing[k]].among(ids))
          ours += part;
        else
          otherThings[node] += part;
      }
    }
    if (adds || !spreads) {
      spread += ours;
    } else if (confined) {
      // Sources that the effect does not name: exact, since they are asked for by name.
      const std::vector<NodeId> named = sourcesOfStage(doc, *s);
      ours = taken;
      std::vector<std::string> strangers;
      for (const NodeId id : named) {
        const Node* n = doc.find(id);
        if (n && !isGroup(*n) && n->kind->family() != "lens" && !ids.count(id)) strangers.push_back(n->name);
      }
      if (!strangers.empty()) {
        double strange = 0;
        for (size_t i = 0; i < done->work.taken.pixels(); ++i) {
          const float* t = done->work.taken.rgb.data() + 3 * i;
          const Film::Ranked& things = film.seen(i);
          float total = things.dropped, part = 0;
          for (size_t k = 0; k < size_t(Film::ranks); ++k) {
            total += things.weight[k];
            if (things.weight[k] > 0 && scene.things[things.thing[k]].among(ids)) part += things.weight[k];
          }
          if (total > 0) strange += double(luminance({t[0], t[1], t[2]})) * double(1 - part / total);
        }
        if (strange > 0.01 * taken)
          r.findings.push_back(
              {Weight::Weak,
               "lens",
               s->id,
               fmt::format("{} also spreads light of {}: {} of it", s->name,
                           strangers.front() +
                               (strangers.size() > 1 ? fmt::format(" and {} more", strangers.size() - 1) : ""),
                           percent(strange / taken)),
               {{"Take light from this effect only", {{at(*s, "sources"), effect->name}}}}});
        ours = taken - strange;
      }
    } else {
      double stray = 0;
      for (const auto& [node, v] : otherThings) stray += v;
      others += stray;
      if (stray > 0.01 * taken && taken > 0) {
        std::vector<std::pair<double, NodeId>> list;
        for (const auto& [node, v] : otherThings) list.emplace_back(v, node);
        std::sort(list.rbegin(), list.rend());
        std::string text = "Other things glow too: ";
        for (size_t k = 0; k < std::min<size_t>(3, list.size()); ++k) {
          const Node* n = doc.find(list[k].second);
          text += fmt::format("{}{} {}", k ? ", " : "", n ? n->name : "something", percent(list[k].first / taken));
        }
        if (list.size() > 3) text += fmt::format(" and {} more", list.size() - 3);
        r.findings.push_back({Weight::Weak,
                              "lens",
                              s->id,
                              text,
                              {{"Take light from this effect only", {{at(*s, "sources"), effect->name}}}}});
      }
    }
    if (!adds && spreads) spread += ours;
    // A key that lies above all that is there.
    if (p.node().kind->param("keyed") && p.flag("keyed") && sourceLight > 0) {
      const double key = p.number("key"), knee = p.number("knee");
      if (std::exp2(r.peak) <= std::exp2(key) * (1 - knee)) {
        const double lower = std::floor((r.peak - 2) * 2) / 2;
        r.findings.push_back(
            {Weight::Broken,
             "lens",
             s->id,
             fmt::format("The key of {} lies {:.1f} stops above the brightest of {}", s->name, key - r.peak,
                         names(sources)),
             {{fmt::format("Lower the key to {:g} stops", lower), {{at(*s, "key"), fmt::format("{:g}", lower)}}},
              {"Let all light pass", {{at(*s, "keyed"), "off"}}}}});
      } else if (luminanceSum(done->work.spread, {}, tasks) < 1e-3 * sourceLight * p.number("amount")) {
        r.findings.push_back({Weight::Weak,
                              "lens",
                              s->id,
                              fmt::format("The key of {} lets little pass", s->name),
                              {{fmt::format("Lower the key to {:g} stops", std::floor(r.peak) - 2),
                                {{at(*s, "key"), fmt::format("{:g}", std::floor(r.peak) - 2)}}}}});
      }
    }
    if (p.number("amount") <= 0)
      r.findings.push_back({Weight::Broken,
                            "lens",
                            s->id,
                            s->name + " has an amount of 0 %",
                            {{"Set it to 20 %", {{at(*s, "amount"), "20 %"}}}}});
    else if (!done->idle.empty() && sourceLight > 0 && !(p.node().kind->param("keyed") && p.flag("keyed")))
      r.findings.push_back({Weight::Weak, "lens", s->id, fmt::format("{} does nothing: {}", s->name, done->idle), {}});
  }
  if (stages.empty())
    r.findings.push_back({Weight::Broken, "lens", effectId, "Lens is empty: nothing spreads the light", {}});
  // With sources unconfined the measured part may exceed the layer by noise.
  r.spread = sourceLight > 0 ? std::min(1.0, spread / sourceLight) : 0;
  Station lens{"lens",
               "Lens",
               stages.empty() ? "empty" : stageNames,
               fmt::format("spreads {}", percent(r.spread)),
               r.seen * r.spread,
               {}};
  r.stations.push_back(lens);
  if (sourceLight > 0 && r.peak < -1 && r.spread > 0)
    r.findings.push_back({Weight::Note,
                          "picture",
                          sources[0]->id,
                          fmt::format("{} is {}: its glow will hardly show", names(sources), stopsText(r.peak)),
                          {}});
  r.pictureShare = allLight > 0 ? spread / allLight : 0;
  if (!own.flag("on"))
    r.findings.insert(
        r.findings.begin(),
        {Weight::Note, "lens", effectId, effect->name + " is off", {{"Switch it on", {{at(*effect, "on"), "on"}}}}});
  std::stable_sort(r.findings.begin(), r.findings.end(),
                   [](const Finding& a, const Finding& b) { return a.weight > b.weight; });
  return r;
}

std::string stateWord(const Route& route, bool on) {
  if (!on) return "off";
  if (route.findings.empty() || route.findings.front().weight == Finding::Weight::Note) return "works";
  return route.findings.front().weight == Finding::Weight::Broken ? "nothing shows" : "weak";
}

} // namespace ilumbra
