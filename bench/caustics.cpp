#include "bench/measure.h"
#include "bench/parts.h"

#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/lens/queries.h"
#include "core/scene/ray_caster.h"
#include "core/transport/photons.h"
#include "core/transport/rendering.h"
#include "demo/scene_builder.h"

#include <fmt/format.h>

using namespace ilumbra;

namespace {

Document with(const Document& doc, const char* node, const char* param, const std::string& value) {
  const Node& n = node ? *doc.findByName(node) : doc.settings();
  return setValue(doc, n.id, param, parseValue(doc, *n.kind->param(param), value));
}

// A floor and a small lamp above it; what gathers the light is added.
SceneBuilder floorAndLamp(const std::shared_ptr<const Kinds>& kinds) {
  SceneBuilder b(kinds);
  b.settings({{"width", "320"}, {"height", "240"}});
  b.add("material.surface", "Grey", {{"base_color", "0.5, 0.5, 0.5"}, {"roughness", "1"}, {"ior", "1"}});
  b.preset("Glass", "Crown glass");
  b.set(b.find("Glass"), {{"abbe", "0"}});
  b.add("light.point", "Lamp", {{"power", "2000"}, {"position", "-0.5, 1.4, -0.3"}, {"radius", "15 mm"}});
  b.add("camera.lens", "Camera", {{"position", "0.4, 1.3, 1.3"}, {"target", "0.1, 0, 0.05"}, {"focal_length", "60"}});
  b.add("effect.caustics", "Caustics", {{"from", "Lamp"}, {"edge", "60 %"}, {"photons", "40000"}});
  return b;
}

double squaredError(const Picture& p, const Picture& truth) {
  double sum = 0;
  for (size_t i = 0; i < p.rgb.size(); ++i) sum += std::pow(double(p.rgb[i] - truth.rgb[i]), 2) / double(p.rgb.size());
  return sum;
}

// What the camera sees on the floor, through glass and water too: how the lamp itself sparkles in them is the same with
// photons and without.
std::vector<LayerQuery> onFloor(const Document& doc) {
  return {{.name = "floor", .things = {doc.findByName("Floor")->id}}};
}
Picture light(const Rendering& r, const Document& doc, const Tasks& tasks) {
  return collect(r.film(), layerIndex(r.scene(), onFloor(doc).front()), r.scene().groupScales, 1, tasks);
}

// Mean squared error after about so many seconds of samples, and how long they took.
struct Run {
  double error = 0, time = 0, mean = 0;
  uint32_t samples = 0;
};
Run runFor(Hall& hall, const Document& doc, double time, const Picture& truth) {
  const Tasks tasks;
  const CancelFlag never;
  SceneCache cache;
  Run out;
  constexpr int seeds = 3;
  for (int seed = 0; seed < seeds; ++seed) {
    Rendering r(hall.compile(with(doc, nullptr, "seed", std::to_string(20 + seed)), cache, onFloor(doc)));
    double so = 0;
    while (so < time) so += seconds([&] { r.advance(tasks, r.samples() + 1, never, {}, 0); });
    const Picture p = light(r, doc, tasks);
    out.error += squaredError(p, truth) / seeds;
    out.time += so / seeds;
    for (const float v : p.rgb) out.mean += double(v) / double(p.rgb.size()) / seeds;
    out.samples = r.samples();
  }
  return out;
}

} // namespace

void causticsRatios(Hall& hall) {
  const Tasks tasks;
  const CancelFlag never;
  std::vector<std::pair<std::string, Document>> sets;
  {
    SceneBuilder b = floorAndLamp(hall.kinds);
    b.add("object.plane", "Floor", {{"width", "8"}, {"depth", "8"}, {"material", "Grey"}});
    b.add("object.sphere", "Ball",
          {{"radius", "0.15"}, {"position", "0, 0.16, 0"}, {"material", "Glass"}, {"light_through", "focused"}});
    b.set(b.find("Caustics"), {{"through", "Ball"}});
    sets.emplace_back("a glass ball", b.take());
  }
  {
    SceneBuilder b = floorAndLamp(hall.kinds);
    b.add("object.plane", "Floor", {{"width", "8"}, {"depth", "8"}, {"material", "Grey"}});
    b.add("object.turned", "Goblet",
          {{"look", "goblet"},
           {"scale", "0.6"},
           {"position", "0, 0.001, 0"},
           {"material", "Glass"},
           {"light_through", "focused"}});
    b.set(b.find("Caustics"), {{"through", "Goblet"}});
    sets.emplace_back("a turned goblet", b.take());
  }
  {
    SceneBuilder b = floorAndLamp(hall.kinds);
    b.add("object.box", "Floor",
          {{"width", "8"}, {"height", "0.1"}, {"depth", "8"}, {"position", "0, -0.36, 0"}, {"material", "Grey"}});
    b.preset("Water", "Water");
    b.set(b.find("Water"), {{"abbe", "0"}});
    const NodeId water = b.add(
        "object.water", "Sheet",
        {{"width", "1.6"}, {"length", "1.6"}, {"depth", "0.3"}, {"material", "Water"}, {"light_through", "focused"}});
    for (const auto& [height, length, way] :
         {std::tuple{"4 mm", "0.3", "20"}, {"3 mm", "0.22", "-50"}, {"2 mm", "0.16", "100"}})
      b.add("water.wave", "", {{"height", height}, {"wavelength", length}, {"direction", way}}, {water, "waves"});
    b.set(b.find("Caustics"), {{"through", "Sheet"}});
    sets.emplace_back("a water sheet", b.take());
  }
  {
    SceneCache cache;
    const ScenePtr scene = hall.compile(sets.front().second, cache, {});
    std::vector<double> times;
    std::shared_ptr<const PhotonMap> map;
    for (const float share : {0.25f, 2.5f, 25.0f, 250.0f}) {
      times.push_back(seconds([&] { map = tracePhotons(*scene, 0, share, tasks, never); }));
    }
    const auto kept = double(map->grids().front().photons.size());
    line("photons: time of 10 million ÷ that of 10 thousand, ÷ 1000", "≤ 1.5",
         fmt::format("{:.2f}", times[3] / times[0] / 1000),
         fmt::format("the glass ball, traced and sorted: {:.2f} M photons/s at 10 thousand, {:.2f} at 100 thousand, "
                     "{:.2f} at 1 million, {:.2f} at 10 million",
                     0.01 / times[0], 0.1 / times[1], 1 / times[2], 10 / times[3]));
    line("memory a photon", "≤ 64 bytes", fmt::format("{:.0f} bytes", double(map->bytes()) / kept),
         "kept and found by place, of 10 million traced");
    // Gathered at places of the floor under the ball.
    const auto floor = uint16_t(
        std::find_if(scene->things.begin(), scene->things.end(), [](const Thing& t) { return t.name == "Floor"; }) -
        scene->things.begin());
    const auto small = tracePhotons(*scene, 0, 25, tasks, never);
    uint64_t met = 0;
    constexpr int places = 20000;
    const double t = seconds([&] {
      for (int i = 0; i < places; ++i)
        small->near({float(i % 200) * 0.003f - 0.1f, 0, float(i / 200) * 0.006f - 0.3f}, {0, 1, 0}, false, floor,
                    [&](const Photon&, float) { ++met; });
    });
    line("photons gathered", "told", fmt::format("{:.1f} M/s", double(met) / t / 1e6),
         fmt::format("one thread, of 1 million traced, {:.0f} at a place in the mean", double(met) / places));
  }
  for (const auto& [name, doc] : sets) {
    SceneCache cache;
    Rendering truth(hall.compile(with(with(doc, "Caustics", "edge", "75 %"), "Caustics", "photons", "200000"), cache,
                                 onFloor(doc)));
    truth.advance(tasks, 150, never, {}, 0);
    const Picture t = light(truth, doc, tasks);
    const double time = 5;
    const Run photons = runFor(hall, doc, time, t), paths = runFor(hall, with(doc, "Caustics", "on", "off"), time, t);
    line(fmt::format("under {}: squared error at equal time, path tracing ÷ photons", name), "≥ 16",
         fmt::format("{:.0f}", paths.error * paths.time / (photons.error * photons.time)),
         fmt::format("seen on the floor, a lamp of 15 mm radius, 320×240, 40 000 photons a pass, {:.1f} s each ({} and "
                     "{} samples, means {:.4g} and {:.4g} cd/m²); against 150 passes of 200 000 photons",
                     time, paths.samples, photons.samples, paths.mean, photons.mean));
  }
}
