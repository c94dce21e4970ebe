#include "core/compile/compile.h"
#include "core/compile/scene_compiler.h"

#include "core/air/beam.h"
#include "core/air/voxel_grid.h"
#include "core/base/attenuation.h"
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

// 0..1, of one place that a medium fills.
static float randomOf(const Node& n, size_t place) {
  return float(mixBits(uint32_t(n.id) + uint32_t(place) * 0x9e37u)) * 0x1p-32f;
}

std::vector<NodePtr> SceneCompiler::patternNodes() const {
  std::vector<NodePtr> out;
  for (const NodePtr& n : m_doc.nodes()) {
    const Node* up = n.get();
    while (up && up->kind->family() != "pattern") up = up->parent ? m_doc.find(up->parent) : nullptr;
    if (up) out.push_back(n);
  }
  return out;
}

std::shared_ptr<const Program> SceneCompiler::amountOf(const Params& p, float& even) const {
  even = p.pattern("amount") ? 1 : p.real("amount");
  const auto use = p.pattern("amount");
  if (!use) return nullptr;
  auto program =
      std::make_shared<const Program>(Program::compile(m_doc, use->pattern, m_options.frame, m_assets, false));
  if (const Sample4* c = program->constant()) {
    even = std::max(0.0f, (c->x + c->y + c->z) / 3);
    return nullptr;
  }
  return program;
}

void SceneCompiler::guide(const Params& p, const std::shared_ptr<const Program>& amount,
                          std::vector<MediumPlace>& places) {
  const Node& n = p.node();
  SceneCache::Content::Cells now;
  now.nodes = patternNodes();
  now.amount = *n.find("amount");
  now.numbers = {m_options.frame, p.number("fineness"), double(amount->surroundings())};
  if (p.node().kind->param("reach"))
    for (const char* param : {"edge", "fade", "start", "reach"}) now.numbers.push_back(p.number(param));
  for (const MediumPlace& place : places) {
    now.matrices.push_back(place.toObject);
    now.boxes.push_back(place.bounds);
  }
  SceneCache::Content::Cells& kept = m_cache.cells[n.id];
  if (kept.nodes != now.nodes || kept.numbers != now.numbers || kept.matrices != now.matrices ||
      kept.boxes != now.boxes || !(kept.amount == now.amount)) {
    const int share = std::max(1, int(std::cbrt(double(places.size()))));
    for (size_t k = 0; k < places.size(); ++k) {
      stopIfCancelled();
      DensityPtr density = std::make_shared<const PatternDensity>(amount, places[k].toObject, randomOf(n, k));
      if (const int fine = int(p.number("fineness")); fine > 0)
        density = VoxelDensity::baked(*density, places[k].bounds, std::max(4, fine / share));
      if (places[k].beam)
        density = std::make_shared<const BeamDensity>(*places[k].beam, p.real("edge"), p.real("fade"), density);
      now.made.emplace_back(density,
                            std::make_shared<const DensityCells>(*density, places[k].bounds, std::max(4, 48 / share)));
    }
    kept = std::move(now);
  }
  for (size_t i = 0; i < places.size(); ++i) std::tie(places[i].density, places[i].cells) = kept.made[i];
}

// What patterns of an air's colours and of its anisotropy say from place to place. Those that say the same everywhere
// are in the haze.
struct SceneCompiler::AirPatterns {
  std::shared_ptr<const Program> color, tint, light, turning; ///< null: none that varies
  Color evenLight{1.0f};
  float depth = 0;  ///< of the tint, metres
  float lost = 0;   ///< without the tint, per metre
  Color most{0.0f}; ///< extinction at the darkest tint, per metre
};

SceneCompiler::AirPatterns SceneCompiler::airPatterns(const Params& p, Haze& haze) const {
  AirPatterns out;
  const auto compiled = [&](const char* param, const auto& even) -> std::shared_ptr<const Program> {
    const ParamDef* d = p.node().kind->param(param);
    const auto use = d ? p.pattern(param) : std::nullopt;
    if (!use) return nullptr;
    auto program = std::make_shared<const Program>(
        Program::compile(m_doc, use->pattern, m_options.frame, m_assets, d->type == ParamType::Color));
    const Sample4* c = program->constant();
    if (!c) return program;
    even(Color(c->x, c->y, c->z));
    return nullptr;
  };
  const auto within = [](Color c, float low, float high) {
    for (int k = 0; k < 3; ++k) c[k] = std::clamp(std::isfinite(c[k]) ? c[k] : 0, low, high);
    return c;
  };
  out.color = compiled("color", [&](const Color& c) { haze.scattering *= within(c, 0, 1); });
  out.turning = compiled("anisotropy",
                         [&](const Color& c) { haze.anisotropy = std::clamp((c.x + c.y + c.z) / 3, -0.99f, 0.99f); });
  out.light = compiled("own_light_color", [&](const Color& c) { out.evenLight = within(c, 0, 1e6f); });
  out.depth = p.real("attenuation_depth");
  if (!(out.depth > 0)) return out;
  out.tint = compiled("attenuation_color", [&](const Color& c) { haze.extinction += absorptionOfTint(c, out.depth); });
  if (!out.tint) return out;
  // Wherever it is, no tint is darker than the pattern's least.
  const Bounds4 all = out.tint->bounds(PatternBox::anywhere());
  out.lost = haze.extinction.x; // of no colour yet
  haze.extinction += absorptionOfTint(within({all.x.low, all.y.low, all.z.low}, 0, 1), out.depth);
  out.most = haze.extinction;
  return out;
}

void SceneCompiler::varyPlaces(const Params& p, const AirPatterns& patterns, Medium& h) const {
  h.glow *= patterns.evenLight;
  const auto with = [](AirColorPtr& to, const AirColorPtr& other) {
    to = to ? std::make_shared<const ProductColor>(to, other) : other;
  };
  for (size_t k = 0; k < h.places.size(); ++k) {
    MediumPlace& place = h.places[k];
    const auto varying = [&](const std::shared_ptr<const Program>& program, float low, float high) {
      return std::make_shared<const PatternColor>(program, place.toObject, randomOf(p.node(), k), low, high);
    };
    if (patterns.color) with(place.tint, varying(patterns.color, 0, 1));
    if (patterns.light) with(place.warmth, varying(patterns.light, 0, 1e6f));
    if (patterns.turning) place.turning = varying(patterns.turning, -0.99f, 0.99f);
    if (!patterns.tint) continue;
    place.dark = std::make_shared<const TintedExtinction>(varying(patterns.tint, 0, 1), patterns.lost, patterns.depth,
                                                          patterns.most);
    if (place.bounds.isEmpty() || place.bounds.isInfinite()) continue;
    constexpr int probes = 64;
    double sum = 0;
    RandomStream random(1);
    for (int i = 0; i < probes; ++i) {
      V3f u;
      for (int c = 0; c < 3; ++c) u[c] = random.next();
      sum += double(luminance(place.dark->colorAt(place.bounds.min + u * place.bounds.size())));
    }
    place.darkMean = std::clamp(float(sum / probes), 0.01f, 1.0f);
  }
}

void SceneCompiler::addLamps(NodeId light, MediumPlace& place) const {
  const Scene& s = *m_scene;
  for (size_t i = 0; i < s.emitters.size(); ++i)
    if (s.things[s.emitters[i].thing].node == light) place.lamps.push_back(uint32_t(i));
  for (size_t i = 0; i < s.skies.size(); ++i)
    if (s.things[s.skies[i].thing].node == light) place.skies.push_back(uint32_t(i));
}

void SceneCompiler::showLights(const Params& p, Medium& h, float even) {
  const Node& n = p.node();
  if (const std::vector<Reference> lights = p.references("lit_by"); !lights.empty()) {
    h.chosen = true;
    for (MediumPlace& place : h.places)
      for (const Reference& r : lights) addLamps(r.target, place);
  }
  if (!isBlack(airLight(p, true))) {
    Color baked;
    h.group = groupOf({n.id, {}, 0, 0}, baked);
    h.glow = baked * even;
    if (h.everywhere && !(std::min(h.haze.extinction.x, std::min(h.haze.extinction.y, h.haze.extinction.z)) > 0) &&
        !std::isfinite(h.end))
      throw badInput(
          "own_light: it is everywhere and hides nothing, so its light has no end; give it a density or a shape");
  }
}

GeometryPtr SceneCompiler::insideOf(const Node& n) {
  const GeometryPtr whole = formed(n).geometry;
  const uint64_t key = contentHash("inside", formKey(m_doc, n, m_options.frame).hash);
  m_used.insert(key);
  auto it = m_cache.forms.find(key);
  if (it == m_cache.forms.end()) {
    Shape shape;
    if (whole->shape.sphereRadius <= 0) shape.mesh = innermostVoids(whole->shape.mesh);
    if (shape.mesh.triangles.empty())
      throw badInput(fmt::format("part: {} is not hollow: it has no inside but all of itself", n.name));
    SceneCache::Content::Made made;
    made.geometry = std::make_shared<const Geometry>(m_cache.device, std::move(shape));
    it = m_cache.forms.emplace(key, std::move(made)).first;
  }
  return it->second.geometry;
}

void SceneCompiler::fillHaze(const Params& p, Medium& h, float even, const std::shared_ptr<const Program>& amount) {
  Scene& s = *m_scene;
  if (const NodeId id = p.reference("fills").target) {
    const Node& shape = *m_doc.find(id);
    if (isGroup(shape)) throw badInput("fills: a group has no form of its own; choose one object");
    h.fills = id;
    h.geometry = p.text("part") == "its inside" ? insideOf(shape) : formed(shape).geometry;
    if (!h.geometry->closed()) throw badInput(fmt::format("fills: {} is open, so it has no inside", shape.name));
    for (const M44f& place :
         worldPlaces(m_doc, shape, m_options.frame, [this](const Node& up) { return copiesOf(up); }))
      if (std::abs(place.determinant()) > 1e-30f)
        h.places.push_back({place.inverse(), Imath::transform(h.geometry->bounds, place)});
  } else if (!amount) {
    h.everywhere = true;
    h.places.emplace_back();
  } else { // as far as the set reaches, the camera in it
    MediumPlace place;
    place.bounds.extendBy(V3f(s.camera.ray(0.5f * float(s.width), 0.5f * float(s.height), {0.5f, 0.5f}, 0.5f).origin));
    for (const InstancedObject& i : s.objects)
      if (i.light < 0) place.bounds.extendBy(i.bounds);
    place.bounds.min -= V3f(0.5f);
    place.bounds.max += V3f(0.5f);
    for (int k = 0; k < 3; ++k) {
      V3f normal(0.0f);
      normal[k] = 1;
      place.region.plane(normal, place.bounds.max);
      place.region.plane(-normal, place.bounds.min);
    }
    h.places.push_back(place);
  }
  if (amount) guide(p, amount, h.places);
  h.start = p.real("start");
  if (p.real("end") > 0) h.end = p.real("end");
  h.eye = s.camera.ray(0.5f * float(s.width), 0.5f * float(s.height), {0.5f, 0.5f}, 0.5f).origin;
  showLights(p, h, even);
}

void SceneCompiler::fitBeam(const Params& p, Medium& h, const std::shared_ptr<const Program>& dust) {
  Scene& s = *m_scene;
  const NodeId id = p.reference("light").target;
  if (!id) throw badInput("light: a beam needs a light");
  h.chosen = true;
  std::vector<Opening> openings;
  if (const NodeId path = p.reference("opening").target) {
    const Node& line = *m_doc.find(path);
    const std::vector<V3f> corners =
        shapeKind(line)->line(Params(line, m_options.frame), {m_doc, m_options.frame, m_assets});
    for (const M44f& place :
         worldPlaces(m_doc, line, m_options.frame, [this](const Node& up) { return copiesOf(up); })) {
      std::vector<V3f> world;
      for (const V3f& c : corners) world.push_back(transformPoint(place, c));
      if (world.size() > 1 && length(world.front() - world.back()) < 1e-6f) world.pop_back();
      openings.emplace_back(world);
    }
  }
  const auto fit = [&](const Emitter& e, uint32_t index, const Opening* opening) {
    const LightReach reach = e.light->reach();
    const BeamSource from{reach.centre, reach.radius,
                          reach.spread < 3 && !e.light->infinite() ? reach.axis : V3f(0.0f)};
    if (!opening && e.light->infinite())
      throw badInput(
          fmt::format("opening: {} is far away, so its beam needs an opening to come through", s.things[e.thing].name));
    const BeamForm form = beamForm(p, e.light->lit() ? *e.light->lit() : Convex(), from, opening);
    MediumPlace place;
    place.region = form.region;
    place.beam = std::make_shared<const BeamForm>(form);
    const Frame frame(dot(form.axis, form.axis) > 0 ? form.axis : V3f(0, 0, 1));
    M44f own;
    for (int k = 0; k < 3; ++k) {
      own[0][k] = frame.x[k];
      own[1][k] = frame.y[k];
      own[2][k] = frame.z[k];
      own[3][k] = form.begin[k];
    }
    place.toObject = own.inverse();
    place.bounds = form.bounds(opening);
    (e.light->infinite() ? place.skies : place.lamps).push_back(index);
    if (!dust)
      if (auto density = std::make_shared<const BeamDensity>(form, p.real("edge"), p.real("fade"), nullptr);
          !density->even())
        place.density = density;
    for (const Reference& r : p.references("lit_by"))
      if (r.target != id) addLamps(r.target, place);
    h.places.push_back(std::move(place));
  };
  const auto fitAll = [&](const std::vector<Emitter>& lights) {
    for (size_t i = 0; i < lights.size(); ++i) {
      if (s.things[lights[i].thing].node != id) continue;
      if (openings.empty()) fit(lights[i], uint32_t(i), nullptr);
      for (const Opening& o : openings) fit(lights[i], uint32_t(i), &o);
    }
  };
  fitAll(s.emitters);
  fitAll(s.skies);
  if (dust && !h.places.empty()) guide(p, dust, h.places);
}

void SceneCompiler::placeGrid(const Params& p, Medium& h, const std::shared_ptr<const Program>& amount) {
  const Node& n = p.node();
  std::string file = p.text("file");
  if (file.empty()) throw badInput("file: no file is named");
  if (p.flag("numbered")) {
    const Footage f = m_assets.footage(file);
    if (!f.files.empty())
      file = f.files[size_t(std::clamp(playedFrame(p, m_doc, f).index, 0, int(f.files.size()) - 1))];
  }
  const std::shared_ptr<const VoxelGrid> grid =
      m_assets.volume(file, {p.text("density_grid"), p.text("heat_grid"), p.text("color_grid")});
  if (grid->coarser > 1)
    m_scene->warnings.push_back(
        fmt::format("{}: the file has more voxels than fit; {} a side are taken as one", n.name, grid->coarser));
  const M44f place = grid->toFile * worldMatrix(m_doc, n, m_options.frame);
  if (std::abs(place.determinant()) < 1e-30f) return;
  SceneCache::Content::Cells now;
  now.nodes = patternNodes();
  if (const Value* v = n.find("amount")) now.amount = *v;
  const bool glows = p.text("heat_is") == "temperature";
  now.content = grid->content;
  now.numbers = {m_options.frame, glows ? p.number("hottest") : 0, amount ? double(amount->surroundings()) : 0};
  now.matrices = {place};
  now.boxes.emplace_back();
  MediumPlace out;
  out.toObject = place.inverse();
  Box3f box; // half a voxel beyond the middles of the outermost
  box.min = V3f(-0.5f);
  for (int k = 0; k < 3; ++k) box.max[k] = float(grid->size[k]) - 0.5f;
  out.bounds = Imath::transform(box, place);
  for (int k = 0; k < 3; ++k)
    for (const float side : {-1.0f, 1.0f}) {
      V3f normal(0.0f);
      normal[k] = side;
      out.region.plane(normalize(transformNormal(out.toObject, normal)),
                       transformPoint(place, side < 0 ? box.min : box.max));
    }
  Box3f middles;
  middles.min = V3f(0.0f);
  for (int k = 0; k < 3; ++k) middles.max[k] = std::max(1e-3f, float(grid->size[k] - 1));
  const auto voxels = [&](const std::vector<float>& values, float most) {
    return std::make_shared<const PlacedDensity>(
        std::make_shared<const VoxelDensity>(middles, grid->size[0], grid->size[1], grid->size[2], values),
        out.toObject, 1 / std::max(1e-30f, most));
  };
  SceneCache::Content::Cells& kept = m_cache.cells[n.id];
  if (kept.made.empty() || kept.content != now.content || kept.numbers != now.numbers ||
      kept.matrices != now.matrices || kept.nodes != now.nodes || !(kept.amount == now.amount)) {
    DensityPtr density = voxels(grid->density, 1);
    if (amount)
      density = std::make_shared<const BothDensity>(
          density, std::make_shared<const PatternDensity>(amount, out.toObject, 0.5f), BothDensity::How::Times);
    DensityPtr guided = density;
    if (!grid->heat.empty()) {
      now.heat = voxels(grid->heat, grid->hottest);
      if (glows) {
        const auto body = std::make_shared<const Glowing>(now.heat, p.real("hottest"));
        now.heat = body;
        now.warmth = body;
      }
      guided = std::make_shared<const BothDensity>(density, now.heat, BothDensity::How::Plus,
                                                   0.05f); // what is hot and thin is visited too
    }
    if (!grid->color.empty()) now.tint = std::make_shared<const VoxelColor>(grid->size, grid->color, out.toObject);
    stopIfCancelled();
    now.made.emplace_back(density, std::make_shared<const DensityCells>(*guided, out.bounds, 64));
    kept = std::move(now);
  }
  std::tie(out.density, out.cells) = kept.made.front();
  out.heat = kept.heat;
  out.tint = kept.tint;
  out.warmth = kept.warmth;
  h.places.push_back(std::move(out));
}

void SceneCompiler::addAir() {
  Scene& s = *m_scene;
  std::vector<Medium> hazes;
  for (const Node* n : m_doc.family("air")) {
    stopIfCancelled();
    const Params p(*n, m_options.frame);
    if (!p.flag("shown") || !switchedOn(m_doc, n->id, m_options.frame)) continue;
    try {
      Medium h;
      h.haze = hazeOf(p);
      const AirPatterns patterns = airPatterns(p, h.haze);
      h.scatterings = int(p.number("scatterings"));
      float even;
      const std::shared_ptr<const Program> amount = amountOf(p, even);
      h.haze.scattering *= even;
      h.haze.extinction *= even;
      switch (airForm(*n)) {
      case AirForm::Filling:
        fillHaze(p, h, even, amount);
        break;
      case AirForm::Beam:
        fitBeam(p, h, amount);
        break;
      case AirForm::Grid:
        placeGrid(p, h, amount);
        showLights(p, h, even);
        break;
      }
      varyPlaces(p, patterns, h);
      if (h.places.empty() || (isBlack(h.haze.extinction) && isBlack(h.glow))) continue;
      h.thing = thingOf(*n);
      hazes.push_back(std::move(h));
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::Cancelled) throw;
      s.warnings.push_back(std::string(e.what()).starts_with(n->name) ? std::string(e.what())
                                                                      : fmt::format("{}.{}", n->name, e.what()));
    }
  }
  if (!hazes.empty()) s.media = std::make_shared<const Media>(std::move(hazes), m_cache.device);
}
} // namespace ilumbra
