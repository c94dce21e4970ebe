// The route of gathered light: out of its lamps, onto what bends or mirrors it, from there onto surfaces, and to the
// camera.
#include "core/effects/caustics_route.h"

#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/document/units.h"
#include "core/effects/route_parts.h"
#include "core/geometry/shape.h"
#include "core/image/picture_ops.h"
#include "core/label/layer_query.h"
#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"
#include "core/scene/trace_count.h"
#include "core/transport/photons.h"

#include <fmt/format.h>
#include <set>

namespace ilumbra {
namespace {

using Weight = Finding::Weight;
constexpr uint32_t photonsPerLight = 20'000;
constexpr double wantedWithin = 100; // photons that one place should gather over all samples to look smooth

std::string metres(double m) {
  return m < 0.01 ? fmt::format("{:.1f} mm", 1000 * m)
         : m < 1  ? fmt::format("{:.0f} cm", 100 * m)
                  : fmt::format("{:.2f} m", m);
}

// How wide the light lies: the radius about its middle that holds half of it, `t` metres back along its way.
struct Spread {
  V3f middle{0.0f};
  float half = 0;
};
Spread spreadOf(const std::vector<Photon>& photons, float t) {
  Spread s;
  double all = 0;
  V3f sum(0.0f);
  for (const Photon& p : photons) {
    const float w = luminance(p.power);
    sum += (p.place + p.from.unit() * t) * w;
    all += double(w);
  }
  if (!(all > 0)) return s;
  s.middle = sum * float(1 / all);
  std::vector<std::pair<float, float>> by;
  for (const Photon& p : photons) by.emplace_back(length(p.place + p.from.unit() * t - s.middle), luminance(p.power));
  std::sort(by.begin(), by.end());
  double so = 0;
  for (const auto& [r, w] : by)
    if ((so += double(w)) >= 0.5 * all) {
      s.half = r;
      break;
    }
  return s;
}

// Mean angle, degrees, by which a mesh's normals stray from its faces.
double bent(const Mesh& m) {
  if (m.normals.empty()) return 0;
  double sum = 0, areas = 0;
  for (const auto& t : m.triangles) {
    const V3f n = cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a]);
    const float area = length(n);
    if (!(area > 0)) continue;
    for (const uint32_t i : {t.a, t.b, t.c})
      sum += double(area) * std::acos(std::clamp(double(dot(n, m.normals[i]) / area), -1.0, 1.0)) / 3;
    areas += double(area);
  }
  return areas > 0 ? sum / areas * 180 / 3.14159265358979 : 0;
}

// The groups of the lights that an effect gathers: of others there may be some in the layer too.
std::set<uint16_t> groupsOf(const Scene& scene, NodeId effect) {
  std::set<uint16_t> groups;
  if (scene.caustics)
    for (const CausticRule& r : scene.caustics->rules())
      for (size_t i = 0; r.effect == effect && i < r.from.size(); ++i)
        if (r.from[i])
          groups.insert(i < scene.emitters.size() ? scene.emitters[i].group
                                                  : scene.skies[i - scene.emitters.size()].group);
  return groups;
}

int layerOf(const Scene& scene) {
  const auto layer = std::find(scene.queries.begin(), scene.queries.end(), causticsLayer());
  return layer == scene.queries.end() ? -1 : int(layer - scene.queries.begin());
}

// How the layer of caustics compares with the light beside it where it lies.
double contrastOf(const Scene& scene, NodeId effect, const Film& film, const std::vector<Color>& groupScales,
                  const Tasks& tasks) {
  if (layerOf(scene) < 0) return 0;
  std::vector<Color> chosen(groupScales.size(), Color(0.0f));
  for (const uint16_t g : groupsOf(scene, effect)) chosen[g] = groupScales[g];
  const Picture mine = collect(film, layerOf(scene), chosen, 1, tasks), all = collect(film, 0, groupScales, 1, tasks);
  double squares = 0, others = 0;
  for (size_t i = 0; i < mine.pixels(); ++i) {
    const double c = double(luminance({mine.rgb[3 * i], mine.rgb[3 * i + 1], mine.rgb[3 * i + 2]})),
                 a = double(luminance({all.rgb[3 * i], all.rgb[3 * i + 1], all.rgb[3 * i + 2]}));
    squares += c * c;
    others += c * std::max(0.0, a - c);
  }
  return others > 0 ? squares / others : squares > 0 ? 1e6 : 0;
}

} // namespace

double causticsShare(const Scene& scene, NodeId effect, const Film& film, const std::vector<Color>& groupScales,
                     const Picture& picture, float exposure, const Tasks& tasks) {
  const std::set<uint16_t> groups = groupsOf(scene, effect);
  if (layerOf(scene) < 0 || groups.empty()) return 0;
  std::vector<Color> mine(groupScales.size(), Color(0.0f));
  for (const uint16_t g : groups) mine[g] = groupScales[g] * exposure;
  const double total = luminanceSum(picture, {}, tasks) / double(std::max<size_t>(1, picture.pixels()));
  return total > 0 ? double(luminance(meanLight(film, layerOf(scene), mine, tasks))) / total : 0;
}

Route measureCausticsRoute(const Document& doc, const Node& effect, double frame, const Scene& scene, const Film& film,
                           const std::vector<Color>& groupScales, const LensResult& developed, const Tasks& tasks) {
  Route r;
  r.effect = effect.id;
  const Params own(effect, frame);
  std::vector<const Node*> lamps, through, onto;
  for (const NodeId id : roleOf(doc, effect, "from")) leaf(doc, id, lamps);
  for (const NodeId id : roleOf(doc, effect, "through")) leaf(doc, id, through);
  for (const NodeId id : roleOf(doc, effect, "onto")) leaf(doc, id, onto);

  // From.
  bool endless = false;
  for (const Node* n : lamps) {
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
  for (const Node* n : lamps) {
    const Params p(*n, frame);
    if (n->kind->param("caustics") && !p.flag("caustics")) {
      Finding f{Weight::Broken, "from", n->id, n->name + " is switched off for caustics", {}};
      f.mends.push_back({"Switch it on", {{at(*n, "caustics"), "on"}}});
      r.findings.push_back(std::move(f));
    } else if (n->kind->param("clear_shadows") &&
               (p.text("clear_shadows") == "straight" || p.text("clear_shadows") == "blocked")) {
      Finding f{Weight::Broken,
                "from",
                n->id,
                fmt::format("The light of {} {}", n->name,
                            p.text("clear_shadows") == "blocked" ? "is blocked by all clear things"
                                                                 : "goes straight through clear things"),
                {}};
      f.mends.push_back({"Focus it", {{at(*n, "clear_shadows"), "focused"}}});
      r.findings.push_back(std::move(f));
    }
  }
  if (lamps.empty())
    r.findings.push_back({Weight::Broken, "from", effect.id, "From is empty: no lamp's light is gathered", {}});
  r.stations.push_back({"from",
                        "From",
                        lamps.empty() ? "empty" : names(lamps),
                        lamps.empty() ? ""
                        : endless && r.emitted <= 0
                            ? "from far away"
                            : fmt::format("{} lm", formatNumber(number("x", "x", "", 0), std::round(r.emitted))),
                        1,
                        {}});

  // Through.
  if (through.empty())
    r.findings.push_back(
        {Weight::Broken, "through", effect.id, "Through is empty: nothing bends or mirrors the light", {}});
  for (const Node* n : through) {
    if (!isShown(doc, *n, frame)) {
      Finding f{Weight::Broken, "through", n->id, n->name + " is not shown", {}};
      f.mends.push_back({"Show it", {{at(*n, "shown"), "on"}}});
      r.findings.push_back(std::move(f));
    } else if (n->kind->param("light_through") && Params(*n, frame).text("light_through") == "blocked") {
      Finding f{Weight::Broken, "through", n->id, n->name + " lets no light of lamps through", {}};
      f.mends.push_back({"Let it gather light", {{at(*n, "light_through"), "focused"}}});
      r.findings.push_back(std::move(f));
    } else if (n->kind->param("casts_shadow") && !Params(*n, frame).flag("casts_shadow")) {
      Finding f{Weight::Broken, "through", n->id, n->name + " casts no shadow, so light passes it by", {}};
      f.mends.push_back({"Let it meet light", {{at(*n, "casts_shadow"), "on"}}});
      r.findings.push_back(std::move(f));
    }
  }
  Station meets{"through", "Through", through.empty() ? "empty" : names(through), "", 0, {}},
      lands{"onto", "Onto", onto.empty() ? "all surfaces" : names(onto), "", 0, {}},
      picture{"picture", "Picture", "", "", 0, {}};
  const bool onlyAir =
      !onto.empty() && std::all_of(onto.begin(), onto.end(), [](const Node* n) { return n->kind->family() == "air"; });
  const auto nameOf = [&](uint16_t thing) { return scene.things[thing].name; };
  size_t rule = 0;
  if (scene.caustics)
    while (rule < scene.caustics->rules().size() && scene.caustics->rules()[rule].effect != effect.id) ++rule;
  const bool there = scene.caustics && rule < scene.caustics->rules().size();
  PhotonFlow flow;
  if (there) flow = followPhotons(scene, rule, photonsPerLight);
  r.raysTraced = flow.rays;
  const double base = std::max(1e-30, endless ? flow.aimed : std::max(r.emitted, flow.aimed));
  r.pictureShare =
      causticsShare(scene, effect.id, film, groupScales, developed.picture, exposureFactor(doc, frame), tasks);
  if (there) {
    meets.share = flow.meets / base;
    meets.reading = fmt::format("{} meets it", percent(meets.share));
    meets.losses.push_back({"misses it", 0, (base - flow.aimed + flow.misses) / base});
    for (const auto& [thing, w] : flow.blocked)
      meets.losses.push_back({nameOf(thing), scene.things[thing].node, w / base});
    if (flow.dull > 0) meets.losses.push_back({"meets its matte surfaces", 0, flow.dull / base});
    lands.share = flow.lands / base;
    double away = flow.meets - flow.lands;
    if (flow.meets > 0) {
      lands.reading = fmt::format("{} of it lands", percent(flow.lands / flow.meets));
      if (onlyAir) {
        lands.share = flow.turned / base;
        lands.reading = fmt::format("{} of it is turned in the air", percent(flow.turned / flow.meets));
      }
      for (const auto& [thing, w] : flow.elsewhere) {
        lands.losses.push_back({nameOf(thing), scene.things[thing].node, w / flow.meets});
        away -= w;
      }
      lands.losses.push_back({"is left out by the effect", 0, flow.leftOut / flow.meets});
      lands.losses.push_back({"leaves the scene or is absorbed", 0, std::max(0.0, (away - flow.leftOut) / flow.meets)});
    }
    // What of it the camera sees.
    TraceCount count;
    const RayCaster rays(scene, count, nullptr);
    double visible = 0, outside = 0, all = 0;
    std::map<NodeId, double> hides;
    const std::vector<Photon>& ends = onlyAir ? flow.inAir : flow.landed;
    const size_t step = std::max<size_t>(1, ends.size() / 2000);
    for (size_t i = 0; i < ends.size(); i += step) {
      const Photon& p = ends[i];
      const double w = double(luminance(p.power));
      all += w;
      float x, y, got;
      if (!scene.camera.project(p.place, x, y) || x < 0 || y < 0 || x >= float(scene.width) ||
          y >= float(scene.height)) {
        outside += w;
        continue;
      }
      const V3f way = scene.camera.position() - p.place;
      const float far = length(way);
      if (const NodeId by =
              blocker(scene, rays, offset(p.place, p.facing.unit()), way * (1 / far), far * 0.999f, true, got))
        hides[by] += w;
      else
        visible += w;
    }
    r.raysTraced += count.rays;
    r.seen = all > 0 ? visible / all : 0;
    picture.share = lands.share * r.seen;
    picture.name = all > 0 ? fmt::format("{} in sight", percent(r.seen)) : "dark";
    if (all > 0) {
      picture.losses.push_back({"is out of frame", 0, outside / all});
      for (const auto& [by, w] : hides)
        picture.losses.push_back({doc.find(by) ? doc.find(by)->name : "something", by, w / all});
    }
  }
  picture.reading = fmt::format("{} of the picture", percent(r.pictureShare));
  const double towards = there ? 0.02 * (flow.aimed - flow.misses) / base
                               : 1; // a small thing takes little of all light, whatever stands before it
  for (Station* s : {&meets, &lands, &picture}) {
    std::erase_if(s->losses, [&](const Loss& l) { return l.share < (s == &meets ? std::min(0.005, towards) : 0.005); });
    std::sort(s->losses.begin(), s->losses.end(), [](const Loss& a, const Loss& b) { return a.share > b.share; });
    r.stations.push_back(*s);
  }
  if (!there || through.empty() || lamps.empty()) return r;

  // What is wrong, where it happens.
  const CausticRule& own2 = scene.caustics->rules()[rule];
  const Node& first = *through.front();
  double before = 0;
  for (const auto& [thing, w] : flow.blocked) before += w;
  if (flow.aimed > 0 && flow.meets < 0.02 * (flow.aimed - flow.misses) && before > flow.dull) {
    const auto most = std::max_element(flow.blocked.begin(), flow.blocked.end(),
                                       [](const auto& a, const auto& b) { return a.second < b.second; });
    const Node* by = doc.find(scene.things[most->first].node);
    Finding f{Weight::Broken,
              "through",
              by ? by->id : 0,
              fmt::format("{} keeps the light of {} from {}", nameOf(most->first), names(lamps), names(through)),
              {}};
    if (by && by->kind->param("casts_shadow"))
      f.mends.push_back({fmt::format("Let light pass {}", by->name), {{at(*by, "casts_shadow"), "off"}}});
    r.findings.push_back(std::move(f));
  } else if (flow.aimed > 0 && flow.meets < 0.02 * flow.dull) {
    Finding f{Weight::Broken,
              "through",
              first.id,
              fmt::format("Nothing of {} bends or mirrors light: its surface is matte", names(through)),
              {}};
    if (const Node* m = doc.find(wornMaterial(doc, first, frame).target); m && m->kind->id == "material.surface") {
      f.mends.push_back({fmt::format("Make {} clear", m->name),
                         {{at(*m, "transmission"), "1"}, {at(*m, "roughness"), "0"}, {at(*m, "metalness"), "0"}}});
      f.mends.push_back(
          {fmt::format("Make {} a mirror", m->name), {{at(*m, "metalness"), "1"}, {at(*m, "roughness"), "0"}}});
    }
    r.findings.push_back(std::move(f));
  }
  if (flow.meets > 0) {
    if (!onlyAir && flow.lands < 0.02 * flow.meets) {
      const auto most = std::max_element(flow.elsewhere.begin(), flow.elsewhere.end(),
                                         [](const auto& a, const auto& b) { return a.second < b.second; });
      if (most != flow.elsewhere.end() && most->second > 0.05 * flow.meets) {
        const Node* other = doc.find(scene.things[most->first].node);
        Finding f{Weight::Broken,
                  "onto",
                  onto.empty() ? effect.id : onto.front()->id,
                  fmt::format("The light misses {}: it lands on {}", names(onto), nameOf(most->first)),
                  {}};
        if (other)
          f.mends.push_back({fmt::format("Show it on {} instead", other->name), {{at(effect, "onto"), other->name}}});
        r.findings.push_back(std::move(f));
      } else {
        r.findings.push_back({Weight::Broken,
                              "onto",
                              onto.empty() ? effect.id : onto.front()->id,
                              onto.empty() ? "There is no surface on which the light could land"
                                           : fmt::format("The light does not land on {}", names(onto)),
                              {}});
      }
    }
    for (const Node* n : onto) {
      if (!n->kind->param("material")) continue; // air
      const Node* m = doc.find(wornMaterial(doc, *n, frame).target);
      if (!m || m->kind->id != "material.surface") continue;
      const Params p(*m, frame);
      const Triple c = p.triple("base_color");
      if (p.number("metalness") > 0.5 && p.number("roughness") < 0.15 && !p.pattern("metalness")) {
        Finding f{Weight::Broken, "onto", n->id, n->name + " is a mirror: no pattern shows on it", {}};
        f.mends.push_back(
            {fmt::format("Make {} matte", m->name), {{at(*m, "metalness"), "0"}, {at(*m, "roughness"), "0.6"}}});
        r.findings.push_back(std::move(f));
      } else if (!p.pattern("base_color") && std::max({c[0], c[1], c[2]}) < 0.03 && p.number("metalness") < 0.5) {
        Finding f{Weight::Weak, "onto", n->id, n->name + " is too dark to show the pattern", {}};
        f.mends.push_back({fmt::format("Brighten {}", m->name), {{at(*m, "base_color"), "0.4, 0.4, 0.4"}}});
        r.findings.push_back(std::move(f));
      }
    }
  }
  if (flow.landed.size() > 200) {
    const Spread here = spreadOf(flow.landed, 0);
    // Photons within reach of one place, where half of the light lies.
    const double traced = double(own2.photons) /
                          std::max<double>(1, double(std::count(own2.from.begin(), own2.from.end(), true))),
                 landed = double(flow.landed.size()) / photonsPerLight * traced;
    const double ratio = double(own2.radius) / std::max(1e-6, double(here.half)), share = 0.5 * ratio * ratio;
    // A quarter of the samples that a pixel may have are sure.
    const double passes = std::max(1.0, Params(doc.settings(), frame).number("samples") / 4),
                 within = share * landed * (own2.passes > 0 ? std::min(passes, double(own2.passes)) : passes);
    if (within < 0.3 * wantedWithin) {
      const double wanted = std::ceil(double(own2.photons) * wantedWithin / within / 1e5) * 1e5;
      Finding f{Weight::Weak,
                "through",
                effect.id,
                fmt::format("Too few photons for so large a pattern and so sharp an edge: {:.1g} find each place",
                            std::max(0.1, within)),
                {}};
      if (wanted <= 5e6)
        f.mends.push_back({fmt::format("Trace {:.1f} million", wanted / 1e6),
                           {{at(effect, "photons"), fmt::format("{:.0f}", wanted)}}});
      const double softer = own.number("edge") - std::log(std::sqrt(wantedWithin / within)) / std::log(100.0);
      if (softer >= 0)
        f.mends.push_back({fmt::format("Soften the edge to {:.0f} %", 100 * softer),
                           {{at(effect, "edge"), fmt::format("{:.0f} %", 100 * softer)}}});
      r.findings.push_back(std::move(f));
    }
    // Where it would be narrowest, before the surface or behind it.
    float best = 0, narrow = here.half;
    float size = 0;
    for (const auto& a : own2.aims) size = std::max(size, a.radius);
    for (int side = -1; side <= 1; side += 2)
      for (int k = 1; k <= 24; ++k) {
        const float t = float(side) * size * 0.05f * std::pow(1.2f, float(k));
        if (const float w = spreadOf(flow.landed, t).half; w < narrow) narrow = w, best = t;
      }
    if (best != 0 && narrow < 0.4f * here.half && std::abs(best) > 0.05f * size) {
      V3f way(0.0f), facing(0.0f);
      for (const Photon& p : flow.landed)
        way += p.from.unit() * luminance(p.power), facing += p.facing.unit() * luminance(p.power);
      const float height = std::abs(best * dot(normalize(way), normalize(facing)));
      r.findings.push_back(
          {Weight::Note,
           "onto",
           onto.empty() ? effect.id : onto.front()->id,
           fmt::format("The focus lies {} {} the surface", metres(double(height)), best > 0 ? "before" : "behind"),
           {}});
    }
  }
  const double contrast = contrastOf(scene, effect.id, film, groupScales, tasks);
  if (r.pictureShare > 0 && r.seen > 0.02 && contrast < 0.1) {
    Finding f{Weight::Weak,
              "picture",
              effect.id,
              fmt::format("Other light washes it out: where it lies it is {} of it", percent(contrast)),
              {}};
    const Node* strongest = nullptr;
    double most = 0;
    for (const Node* n : doc.family("light")) {
      if (std::find(lamps.begin(), lamps.end(), n) != lamps.end() || !n->kind->param("stops")) continue;
      for (size_t g = 0; g < scene.groups.size(); ++g)
        if (scene.groups[g].node == n->id) {
          const Picture p = collectGroup(film, 0, int(g), groupScales[g], 1, tasks);
          double sum = 0;
          for (const float v : p.rgb) sum += double(v);
          if (sum > most) most = sum, strongest = n;
        }
    }
    if (strongest) {
      const double down = std::min(6.0, std::log2(0.3 / std::max(1e-4, contrast)));
      f.mends.push_back(
          {fmt::format("Dim {} by {:.1f} stops", strongest->name, down),
           {{at(*strongest, "stops"), fmt::format("{:.2f}", Params(*strongest, frame).number("stops") - down)}}});
    }
    r.findings.push_back(std::move(f));
  }
  for (const InstancedObject& i : scene.objects) {
    if (i.light >= 0 || i.geometry->shape.sphereRadius > 0) continue;
    const Node* n = doc.find(scene.things[i.thing].node);
    if (!n || std::find(through.begin(), through.end(), n) == through.end()) continue;
    if (const double angle = bent(i.geometry->shape.mesh); angle > 4)
      r.findings.push_back({Weight::Note,
                            "through",
                            n->id,
                            fmt::format("The smooth normals of {} bend light by {:.0f}° more than its facets do: its "
                                        "pattern is that of a smooth shape, its outline is not",
                                        n->name, angle),
                            {}});
  }
  std::string beyond;
  const auto told = [&](bool is, const std::string& what) {
    if (is) beyond += (beyond.empty() ? "" : ", ") + what;
  };
  told(own2.strength != 1, fmt::format("strength {:.3g} ×", own2.strength));
  told(own2.saturation != 1, fmt::format("saturation {:.0f} %", 100 * own2.saturation));
  told(own2.carry > 0, fmt::format("carry {:.0f} %", 100 * own2.carry));
  told(!own2.mirrored || !own2.passed, own2.mirrored ? "only mirrored light" : "only light that is let through");
  told(own2.surfaces > 0, fmt::format("{} surfaces at most", own2.surfaces));
  told(own2.cutOff > 0, fmt::format("nothing below {:.3g} %", 100 * own2.cutOff));
  if (!beyond.empty()) r.findings.push_back({Weight::Note, "through", effect.id, "Beyond physics: " + beyond, {}});
  if (flow.meets > 0 && r.seen < 0.02 && !(onlyAir ? flow.inAir : flow.landed).empty())
    r.findings.push_back({Weight::Broken, "picture", effect.id, "The pattern is out of sight", {}});
  return r;
}

} // namespace ilumbra
