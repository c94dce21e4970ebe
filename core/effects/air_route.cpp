// The route of light through air: out of its lights, into the air, turned there, and towards the camera.
#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/document/units.h"
#include "core/effects/air_effects.h"
#include "core/effects/route_parts.h"
#include "core/geometry/mesh_tools.h"
#include "core/scene/geometry.h"
#include "core/scene/media.h"
#include "core/scene/ray_caster.h"
#include "core/scene/trace_count.h"

#include <fmt/format.h>
#include <map>
#include <set>

namespace ilumbra {
namespace {

using Weight = Finding::Weight;
constexpr float infinite = std::numeric_limits<float>::infinity();
constexpr int raysPerLight = 2048;

bool isHollow(const Scene& scene, NodeId node) {
  for (const InstancedObject& i : scene.objects)
    if (i.light < 0 && i.geometry && scene.things[i.thing].node == node)
      return !innermostVoids(i.geometry->shape.mesh).triangles.empty();
  return false;
}

struct Through {
  double sent = 0, meets = 0, enters = 0, scatters = 0, absorbs = 0, passes = 0; ///< weights
  double seen = 0, outside = 0, dimmed = 0;                                      ///< of what is scattered
  double depth = 0; ///< mean optical depth of rays that cross the air
  double near = 0;  ///< of what is blocked: by something within a hand of where the air begins
  std::map<NodeId, double> blocked, hides;
  bool inside = false; ///< the camera is in the air
  uint64_t rays = 0;
};

// Rays out of the lights (or, of what is far away, back from the air towards it), through the hazes of the effect.
Through follow(const Scene& scene, const std::set<NodeId>& lights, const std::set<NodeId>& hazes) {
  Through t;
  if (!scene.media) return t;
  const Media& air = *scene.media;
  TraceCount count;
  const RayCaster rays(scene, count, nullptr);
  const auto ours = [&](const MediumSegment& s) { return hazes.count(scene.things[air[s.haze].thing].node) > 0; };
  const V3f eye = scene.camera.position();
  // Is the camera in it?
  for (const V3f& d : {V3f(0, 1, 0), V3f(1, 0, 0)}) {
    RayMedia way;
    air.along(eye, d, 1e-3f, way);
    t.inside |= std::any_of(way.begin(), way.end(), ours);
  }
  RandomStream random(71);
  // Light that is scattered at a place: does the camera see it there?
  const auto see = [&](const V3f& x, double w) {
    float px, py;
    if (!scene.camera.project(x, px, py) || px < 0 || py < 0 || px >= float(scene.width) || py >= float(scene.height)) {
      t.outside += w;
      return;
    }
    const V3f to = eye - x;
    const float far = length(to);
    float distance;
    ++t.rays;
    if (const NodeId by = blocker(scene, rays, x, to * (1 / far), far, true, distance)) {
      t.hides[by] += w;
      return;
    }
    RayMedia way;
    air.along(x, to * (1 / far), far, way);
    const double through = double(luminance(air.meanTransmittance(way, far)));
    t.seen += w * through;
    t.dimmed += w * (1 - through);
  };
  const auto cross = [&](const V3f& from, const V3f& d, float far, double w) {
    RayMedia way;
    air.along(from, d, far, way);
    double depth = 0, turned = 0;
    float place = -1;
    double chosen = 0;
    for (const auto& s : way) {
      if (!ours(s)) continue;
      const Haze& h = air[s.haze].haze;
      const float length = std::min(s.to, far) - s.from;
      const double e =
          double(luminance(h.extinction)) * double(s.mean) * (std::isfinite(length) ? double(length) : 1e3);
      const double albedo =
          e > 0 && luminance(h.extinction) > 0 ? double(luminance(h.scattering) / luminance(h.extinction)) : 0;
      const double lost = std::exp(-depth) * -std::expm1(-e);
      turned += lost * albedo;
      chosen += lost;
      if (lost > 0 && double(random.next()) * chosen < lost) { // one place, by how much is lost there
        const double u = double(random.next()) * -std::expm1(-e);
        place = s.from + float(-std::log1p(-u) / std::max(1e-9, double(luminance(h.extinction)) * double(s.mean)));
      }
      depth += e;
    }
    t.depth += w * depth;
    t.scatters += w * turned;
    t.absorbs += w * (-std::expm1(-depth) - turned);
    t.passes += w * std::exp(-depth);
    if (place >= 0 && turned > 0) see(from + d * place, w * turned);
  };
  for (const Emitter& e : scene.emitters) {
    if (!lights.count(scene.things[e.thing].node)) continue;
    const double weight = double(luminance(scene.groupScales[e.group] * e.baked));
    const LightReach reach = e.light->reach();
    const float cosSpread = std::cos(std::min(pi, reach.spread + reach.fall));
    for (int k = 0; k < raysPerLight; ++k) {
      Sampler sampler(uint32_t(e.thing), 23, uint32_t(k), 5);
      // A direction within which it shines, and a point of it as seen from far along there.
      const V3f local = sampleCone(sampler.get2(), 1 - cosSpread);
      const V3f d = Frame(reach.axis).toWorld(local);
      const float off = 1e3f * std::max(0.01f, reach.radius);
      LightSample s;
      if (!e.light->sample(reach.centre + d * off, sampler.get2(), s)) continue;
      const double w = weight * 2 * double(pi) * double(1 - cosSpread) / raysPerLight * double(luminance(s.radiance)) *
                       double(off) * double(off) / (std::isfinite(s.pdf) ? double(s.pdf) : 1.0);
      if (!(w > 0)) continue;
      const V3f from = reach.centre + d * (off - s.distance * 0.99999f);
      t.sent += w;
      RayMedia way;
      air.along(from, d, std::isfinite(e.range) ? e.range : infinite, way);
      const auto first = std::find_if(way.begin(), way.end(), ours);
      if (first == way.end()) continue;
      t.meets += w;
      float far = infinite, got;
      ++t.rays;
      const NodeId by = blocker(scene, rays, from, d, infinite, false, got);
      if (by) far = got;
      float begin = infinite;
      for (const auto& s2 : way)
        if (ours(s2)) begin = std::min(begin, s2.from);
      if (far <= begin + 1e-4f) {
        t.blocked[by] += w;
        if (begin - far < 0.15f) t.near += w;
        continue;
      }
      t.enters += w;
      cross(from, d, far, w);
    }
  }
  for (const Emitter& sky : scene.skies) {
    if (!lights.count(scene.things[sky.thing].node)) continue;
    const double weight = double(luminance(scene.groupScales[sky.group] * sky.baked));
    for (size_t i = 0; i < air.size(); ++i) {
      if (!hazes.count(scene.things[air[i].thing].node)) continue;
      for (const MediumPlace& place : air[i].places) {
        Box3f box = air[i].everywhere ? scene.bounds : place.bounds;
        if (box.isEmpty()) continue;
        for (int k = 0; k < raysPerLight; ++k) {
          Sampler sampler(uint32_t(i), 29, uint32_t(k), 5);
          const V2f a = sampler.get2(), b = sampler.get2();
          const V3f x = box.min + box.size() * V3f(a.x, a.y, b.x);
          RayMedia here;
          air.along(x, V3f(0, 1, 0), 1e-4f * length(box.size()), here);
          if (std::none_of(here.begin(), here.end(), ours)) continue;
          LightSample s;
          if (!sky.light->sample(x, sampler.get2(), s)) continue;
          const double w =
              weight * double(luminance(s.radiance)) / (std::isfinite(s.pdf) ? double(s.pdf) : 1.0) / raysPerLight;
          if (!(w > 0)) continue;
          t.sent += w;
          t.meets += w;
          float got;
          ++t.rays;
          if (const NodeId by = blocker(scene, rays, x, s.direction, infinite, false, got)) {
            t.blocked[by] += w;
            continue;
          }
          t.enters += w;
          // From where it comes in, through the place, as far as it goes.
          RayMedia back;
          air.along(x, s.direction, infinite, back);
          float edge = 0;
          for (const auto& s2 : back)
            if (ours(s2) && std::isfinite(s2.to)) edge = std::max(edge, s2.to);
          float far = infinite;
          if (blocker(scene, rays, x, -s.direction, infinite, false, got)) far = got + edge;
          cross(x + s.direction * edge, -s.direction, far, w);
        }
      }
    }
  }
  return t;
}

std::string depthText(double d) { return fmt::format("optical depth {:.2g}", d); }

} // namespace

double airShare(const Document& doc, const Node& effect, const Scene& scene, const Film& film,
                const std::vector<Color>&, const Picture& picture, const Tasks& tasks) {
  std::set<NodeId> hazes;
  for (const NodeId id : roleOf(doc, effect, "through")) hazes.insert(id);
  std::vector<char> ours;
  for (const Thing& t : scene.things) ours.push_back(t.among(hazes));
  std::vector<std::pair<double, double>> rows(size_t(picture.height),
                                              {0, 0}); // all light, and what of it is seen on these hazes
  tasks.forEach(picture.height, [&](int y) {
    auto& [all, part] = rows[size_t(y)];
    for (int x = 0; x < picture.width; ++x) {
      const double l = double(luminance(picture.color(x, y)));
      all += l;
      const Film::Ranked& seen = film.seen(size_t(y) * size_t(picture.width) + size_t(x));
      float total = seen.dropped, mine = 0;
      for (size_t k = 0; k < size_t(Film::ranks); ++k) {
        total += seen.weight[k];
        if (seen.weight[k] > 0 && ours[seen.thing[k]]) mine += seen.weight[k];
      }
      if (total > 0) part += l * double(mine / total);
    }
  });
  double all = 0, part = 0;
  for (const auto& [a, p] : rows) {
    all += a;
    part += p;
  }
  return all > 0 ? part / all : 0;
}

Route measureAirRoute(const Document& doc, const Node& effect, double frame, const Scene& scene, const Film& film,
                      const std::vector<Color>&, const LensResult& developed, const Tasks& tasks) {
  Route r;
  r.effect = effect.id;
  const Params own(effect, frame);
  std::set<NodeId> hazes, lights;
  std::vector<const Node*> air, from;
  for (const NodeId id : roleOf(doc, effect, "through"))
    if (const Node* n = doc.find(id); n && n->kind->family() == "air") {
      air.push_back(n);
      hazes.insert(id);
    }
  for (const NodeId id : roleOf(doc, effect, "from")) leaf(doc, id, from);
  const bool glows =
      std::any_of(air.begin(), air.end(), [&](const Node* n) { return !isBlack(airLight(Params(*n, frame))); });
  // Without named lights: those of the beams, or all that shine.
  if (from.empty())
    for (const Node* n : air)
      if (n->kind->param("light"))
        if (const Node* l = doc.find(Params(*n, frame).reference("light").target)) from.push_back(l);
  const bool any = from.empty();
  if (any && !glows)
    for (const Node* n : doc.family("light"))
      if (!isBlack(lightAmount(Params(*n, frame)))) from.push_back(n);
  for (const Node* n : from) lights.insert(n->id);

  // From.
  bool endless = false;
  for (const Node* n : from) {
    if (n->kind->family() != "light") continue;
    const double lm = lumensOf(doc, frame, scene, *n);
    r.emitted += lm;
    const bool sky = n->kind->param("power") && n->kind->param("power")->unit != "lm";
    endless |= sky;
    if (sky ? isBlack(lightAmount(Params(*n, frame))) : lm <= 0) {
      Finding f{Weight::Broken, "from", n->id, n->name + " gives no light", {}};
      mendDark(doc, frame, *n, f);
      r.findings.push_back(std::move(f));
    }
  }
  if (from.empty() && !glows)
    r.findings.push_back({Weight::Broken, "from", effect.id, "From is empty: no light shines into the air", {}});
  r.stations.push_back({"from",
                        "From",
                        from.empty() ? glows ? "own light" : "empty"
                        : any        ? "all lights"
                                     : names(from),
                        from.empty() ? glows ? names(air) : ""
                        : endless && r.emitted <= 0
                            ? "from all around"
                            : fmt::format("{} lm", formatNumber(number("x", "x", "", 0), std::round(r.emitted))),
                        1,
                        {}});

  // Through: the air must be there.
  if (air.empty())
    r.findings.push_back({Weight::Broken, "through", effect.id, "Through is empty: no air shows the light", {}});
  std::set<NodeId> there;
  if (scene.media)
    for (size_t i = 0; i < scene.media->size(); ++i) there.insert(scene.things[(*scene.media)[i].thing].node);
  for (const Node* n : air) {
    const Params p(*n, frame);
    if (there.count(n->id)) continue;
    Finding f{Weight::Broken, "through", n->id, n->name + " is not there", {}};
    const Node* shape = n->kind->param("fills") ? doc.find(p.reference("fills").target) : nullptr;
    const auto trouble = std::find_if(scene.warnings.begin(), scene.warnings.end(),
                                      [&](const std::string& t) { return t.starts_with(n->name); });
    if (!own.flag("on")) continue;
    if (!p.flag("shown")) {
      f.text = n->name + " is not shown";
      f.mends.push_back({"Show it", {{at(*n, "shown"), "on"}}});
    } else if (trouble != scene.warnings.end()) {
      f.text = *trouble;
      if (shape && shape->kind->id == "object.mesh")
        f.mends.push_back({"Close its holes", {}, {{"modifier.mend", shape->name, "modifiers"}}});
      if (shape) f.mends.push_back({"Let it fill the whole scene", {{at(*n, "fills"), ""}}});
    } else if (const Node* light = n->kind->param("light") ? doc.find(p.reference("light").target) : nullptr;
               light && !isShown(doc, *light, frame)) {
      f.text = fmt::format("{} has no light: {} is not shown", n->name, light->name);
      if (light->kind->param("shown"))
        f.mends.push_back({fmt::format("Show {}", light->name), {{at(*light, "shown"), "on"}}});
    } else if (p.number("density") <= 0 && p.text("measure") == "density") {
      f.text = n->name + " has a density of 0";
      f.mends.push_back({"Set it to 0.1 1/m", {{at(*n, "density"), "0.1"}}});
    } else if (p.number("amount") <= 0 && !p.pattern("amount")) {
      f.text = n->name + " has an amount of 0 %";
      f.mends.push_back({"Set it to 100 %", {{at(*n, "amount"), "100 %"}}});
    }
    r.findings.push_back(std::move(f));
  }

  const Through t = follow(scene, lights, hazes);
  r.raysTraced = t.rays;
  const double sent = std::max(1e-30, t.sent);
  Station enters{"through", "Into the air", air.empty() ? "empty" : names(air), "", 0, {}},
      turned{"scattered", "Scattered", "", "", 0, {}}, picture{"picture", "Picture", "", "", 0, {}};
  const bool lit =
      t.sent > 0 && std::any_of(air.begin(), air.end(), [&](const Node* n) { return there.count(n->id) > 0; });
  const bool onlyGlows = from.empty() && glows;
  if (onlyGlows) {
    enters.share = turned.share = 1;
    enters.reading = "shines by itself";
  } else if (lit) {
    enters.share = t.enters / sent;
    enters.reading = fmt::format("{} of it enters", percent(enters.share));
    if (t.sent - t.meets > 0) enters.losses.push_back({"misses the air", 0, (t.sent - t.meets) / sent});
    for (const auto& [node, w] : t.blocked)
      enters.losses.push_back({doc.find(node) ? doc.find(node)->name : "something", node, w / sent});
    turned.share = t.scatters / sent;
    turned.reading = t.enters > 0 ? fmt::format("{} turned", percent(t.scatters / t.enters)) : "";
    turned.name = t.enters > 0 ? depthText(t.depth / t.enters) : "";
    if (t.enters > 0) {
      turned.losses.push_back({"goes straight on", 0, t.passes / t.enters});
      if (t.absorbs > 0) turned.losses.push_back({"is absorbed", 0, t.absorbs / t.enters});
    }
    picture.share = t.seen / sent;
    if (t.scatters > 0) {
      if (t.outside > 0) picture.losses.push_back({"is out of frame", 0, t.outside / t.scatters});
      if (t.dimmed > 0) picture.losses.push_back({"is lost in the air before it", 0, t.dimmed / t.scatters});
      for (const auto& [node, w] : t.hides)
        picture.losses.push_back({doc.find(node) ? doc.find(node)->name : "something", node, w / t.scatters});
    }
    picture.name = t.scatters > 0 ? fmt::format("{} in sight", percent(t.seen / t.scatters)) : "dark";
    r.seen = t.scatters > 0 ? t.seen / t.scatters : 0;
  }
  for (Station* s : {&enters, &turned, &picture})
    std::erase_if(s->losses, [](const Loss& l) { return l.share < 0.005; });
  for (Station* s : {&enters, &turned, &picture})
    std::sort(s->losses.begin(), s->losses.end(), [](const Loss& a, const Loss& b) { return a.share > b.share; });
  r.pictureShare = airShare(doc, effect, scene, film, {}, developed.picture, tasks);
  if (onlyGlows) picture.share = r.pictureShare > 0 ? 1 : 0, picture.name = r.pictureShare > 0 ? "in sight" : "dark";
  picture.reading = fmt::format("{} of the picture", percent(r.pictureShare));
  r.stations.push_back(enters);
  if (!onlyGlows) r.stations.push_back(turned);
  r.stations.push_back(picture);

  // What is wrong, where it happens.
  const Node* first = air.empty() ? nullptr : air.front();
  if (lit && !onlyGlows) {
    if (t.meets < 0.002 * t.sent) {
      Finding f{
          Weight::Broken, "through", first->id, fmt::format("The light of {} misses {}", names(from), names(air)), {}};
      if (first->kind->param("fills") && Params(*first, frame).reference("fills").target)
        f.mends.push_back({"Let it fill the whole scene", {{at(*first, "fills"), ""}}});
      if (airForm(*first) == AirForm::Beam && from.front()->kind->family() == "light")
        f.mends.push_back(
            {fmt::format("Fit it to {}", from.front()->name), {{at(*first, "light"), from.front()->name}}});
      r.findings.push_back(std::move(f));
    } else if (t.enters < 0.02 * t.meets) {
      const auto most = std::max_element(t.blocked.begin(), t.blocked.end(),
                                         [](const auto& a, const auto& b) { return a.second < b.second; });
      const Node* by = doc.find(most->first); // something blocks it, or it would enter
      const Loss worst{by ? by->name : "something", most->first, most->second / t.meets};
      const bool opening = airForm(*first) == AirForm::Beam && Params(*first, frame).reference("opening").target &&
                           t.near > 0.5 * (t.meets - t.enters);
      Finding f{Weight::Broken,
                "through",
                worst.thing,
                opening ? fmt::format("The opening of {} is closed: {} stands in it", first->name, worst.by)
                        : fmt::format("{} blocks {} of the light before it enters {}", worst.by, percent(worst.share),
                                      names(air)),
                {}};
      // What is filled is the wall itself; the room within it was meant.
      if (by && first->kind->param("part") && Params(*first, frame).reference("fills").target == by->id &&
          Params(*first, frame).text("part") == "all of it" && isHollow(scene, by->id)) {
        f.text = fmt::format("{} fills the walls of {}, where no light comes: its inside is left out", first->name,
                             by->name);
        f.thing = first->id;
        f.mends.push_back({fmt::format("Fill the inside of {}", by->name), {{at(*first, "part"), "its inside"}}});
      } else if (by && by->kind->param("casts_shadow"))
        f.mends.push_back({fmt::format("Let light pass {}", by->name), {{at(*by, "casts_shadow"), "off"}}});
      r.findings.push_back(std::move(f));
    }
    const double depth = t.enters > 0 ? t.depth / t.enters : 0;
    if (t.enters > 0 && depth > 5) {
      // Thick air may glow all the same: then it is worth a note, and no fault.
      const bool shows = r.pictureShare > 0.02;
      const Params p(*first, frame);
      const double now = p.text("measure") == "visibility" ? densityOfVisibility(p.number("visibility"))
                                                           : p.number("density"),
                   better = now * std::log(2) / depth;
      Finding f{shows ? Weight::Note : Weight::Weak,
                "scattered",
                first->id,
                fmt::format("Nothing crosses {}{}: {}", first->name, shows ? " to its far side" : "", depthText(depth)),
                {}};
      Mend m{fmt::format("Let half through: {:.2g} 1/m", better),
             {{at(*first, "density"), fmt::format("{:.3g}", better)}}};
      if (p.text("measure") != "density") m.sets.insert(m.sets.begin(), {at(*first, "measure"), "density"});
      f.mends.push_back(std::move(m));
      r.findings.push_back(std::move(f));
    }
    // Too little to be told from the noise.
    if (t.enters > 0 && r.seen > 0.02) {
      double signal = 0, noise = 0;
      size_t n = 0;
      std::set<NodeId> ids = hazes;
      for (size_t i = 0; i < developed.picture.pixels(); ++i) {
        const Film::Ranked& seen = film.seen(i);
        float total = seen.dropped, mine = 0;
        for (size_t k = 0; k < size_t(Film::ranks); ++k) {
          total += seen.weight[k];
          if (seen.weight[k] > 0 && scene.things[seen.thing[k]].among(ids)) mine += seen.weight[k];
        }
        if (mine <= 0 || total <= 0) continue;
        signal += double(luminance(film.total(i)) * mine / total);
        noise += std::sqrt(std::max(0.0, double(luminance(film.variance(i)))));
        ++n;
      }
      if (n > 0 && film.samples(0) >= 16 && signal < 0.3 * noise && r.pictureShare < 0.01) {
        const Params p(*first, frame);
        const double more = std::min(50.0, 3 * noise / std::max(1e-12, signal));
        Finding f{Weight::Weak,
                  "picture",
                  first->id,
                  fmt::format("{} scatters less than the noise shows: {} of the picture", names(air),
                              percent(r.pictureShare)),
                  {}};
        if (p.text("measure") == "density" && depth * more < 3)
          f.mends.push_back({fmt::format("Raise the density to {:.2g} 1/m", p.number("density") * more),
                             {{at(*first, "density"), fmt::format("{:.3g}", p.number("density") * more)}}});
        else if (const ParamDef* d = from.front()->kind->param("stops"))
          f.mends.push_back(
              {fmt::format("Raise {} by {:.1f} stops", from.front()->name, std::log2(more)),
               {{at(*from.front(), "stops"),
                 fmt::format("{:.2f}", Params(*from.front(), frame).number(d->name) + std::log2(more))}}});
        r.findings.push_back(std::move(f));
      }
    }
    if (t.scatters > 0 && t.outside > 0.95 * t.scatters)
      r.findings.push_back(
          {Weight::Broken, "picture", first->id, fmt::format("What {} shows is out of frame", names(air)), {}});
    else if (t.scatters > 0 && r.seen < 0.05) {
      const auto worst =
          std::find_if(picture.losses.begin(), picture.losses.end(), [](const Loss& l) { return l.thing != 0; });
      if (worst != picture.losses.end())
        r.findings.push_back({Weight::Weak,
                              "picture",
                              worst->thing,
                              fmt::format("{} hides {} of what the air shows", worst->by, percent(worst->share)),
                              {}});
    }
  }
  if (onlyGlows && r.pictureShare < 1e-4)
    r.findings.push_back({Weight::Weak,
                          "picture",
                          first->id,
                          fmt::format("The light of {} does not show in the picture", names(air)),
                          {}});
  if (t.inside && first && first->kind->param("fills") && Params(*first, frame).reference("fills").target)
    r.findings.push_back({Weight::Note, "picture", first->id, fmt::format("The camera is inside {}", names(air)), {}});
  // A beam that ends before what it should light.
  if (effect.kind->param("onto"))
    for (const NodeId id : roleOf(doc, effect, "onto")) {
      const Node* target = doc.find(id);
      if (!target || !first || airForm(*first) != AirForm::Beam) continue;
      Box3f box;
      for (const InstancedObject& i : scene.objects)
        if (scene.things[i.thing].node == id) box.extendBy(i.bounds);
      if (box.isEmpty()) continue;
      for (size_t i = 0; scene.media && i < scene.media->size(); ++i) {
        if (scene.things[(*scene.media)[i].thing].node != first->id || (*scene.media)[i].places.empty()) continue;
        const auto& beam = (*scene.media)[i].places.front().beam;
        if (!beam) continue;
        V3f nearest;
        for (int k = 0; k < 3; ++k) nearest[k] = std::clamp(beam->begin[k], box.min[k], box.max[k]);
        const float distance = length(nearest - beam->begin), reach = beam->reach;
        if (distance > reach) {
          const double better = std::ceil(double(distance) * 1.1 * 10) / 10;
          r.findings.push_back(
              {Weight::Weak,
               "onto",
               first->id,
               fmt::format("{} ends {} before {}", first->name,
                           formatNumber(*first->kind->param("reach"), double(distance - reach)), target->name),
               {{fmt::format("Let it reach {:g} m", better), {{at(*first, "reach"), fmt::format("{:g}", better)}}}}});
        }
      }
    }
  if (!own.flag("on"))
    r.findings.insert(
        r.findings.begin(),
        {Weight::Note, "through", effect.id, effect.name + " is off", {{"Switch it on", {{at(effect, "on"), "on"}}}}});
  std::stable_sort(r.findings.begin(), r.findings.end(),
                   [](const Finding& a, const Finding& b) { return a.weight > b.weight; });
  return r;
}

} // namespace ilumbra
