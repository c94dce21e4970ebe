#include "core/session/swatch.h"

#include "core/base/error.h"
#include "core/compile/compile.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/film/denoise.h"
#include "core/transport/rendering.h"

namespace ilumbra {
namespace {

constexpr uint32_t samples = 48;
constexpr const char* skyName = "Swatch sky";
// What the sky gives, of the lamps' light in the picture: enough to see the dark side of things.
constexpr float skyShare = 0.8f;
// A marble: tints and scattering have the depths of real things.
constexpr float radius = 0.015f;
// Of the table in the picture; 0.18 is middle grey.
constexpr float tableLevel = 0.3f;

Triple tripleOf(const V3f& v) { return {double(v.x), double(v.y), double(v.z)}; }

} // namespace

Document swatchSet(const Document& doc, const Box3f& framed, NodeId material) {
  const double frame = currentFrame(doc);
  DocumentBuilder b(doc);
  for (const NodePtr& n : doc.nodes()) {
    const auto f = n->kind->family();
    const bool stays = f == "material" || f == "pattern" || f == "veil" || f == "ramp" || f == "picture" ||
                       (f == "light" && !n->parent);
    if (stays) continue;
    std::erase(b.roots(), n->id);
    b.erase(n->id);
  }
  Document out = b.take();
  // What is framed becomes the ball.
  const V3f centre = framed.isEmpty() ? V3f(0.0f) : framed.center();
  const float scale = framed.isEmpty() ? radius : radius / std::max(1e-4f, 0.25f * length(framed.size()));
  bool lamps = false;
  for (const Node* n : out.family("light")) {
    const NodeId id = n->id;
    const Params p(*n, frame);
    for (const char* link : {"links", "linked"}) out = resetValue(out, id, link);
    for (const char* way : {"seen", "seen_mirrored", "seen_through"}) out = setValue(out, id, way, Constant(false));
    if (n->kind->param("position")) {
      lamps |= p.flag("on") && p.number("power") > 0;
      for (const char* place : {"position", "target"})
        if (n->kind->param(place)) {
          const Triple t = p.triple(place);
          const V3f place3{float(t[0]), float(t[1]), float(t[2])};
          V3f v = (place3 - centre) * scale;
          // A lamp inside what is framed stands beside the ball.
          if (std::string_view(place) == "position" && length(v) < 2.2f * radius)
            v = normalize(isBlack(v) ? V3f(0.5f, 0.7f, 0.5f) : v) * (2.2f * radius);
          out = setValue(out, id, place, Constant(tripleOf(v)));
        }
      for (const ParamDef& d : n->kind->params)
        if (d.unit == "m" && d.type == ParamType::Number)
          out = setValue(out, id, d.name, Constant(std::clamp(p.number(d.name) * double(scale), d.hardMin, d.hardMax)));
    } else {
      lamps |= p.flag("on") && p.number("power") > 0;
    }
  }
  const auto add = [&](const char* kind, const char* name,
                       std::initializer_list<std::pair<const char*, Constant>> values) {
    NodeId id = 0;
    out = addNode(out, kind, name, {}, &id);
    for (const auto& [param, v] : values) out = setValue(out, id, param, v);
    return id;
  };
  // Lengths in radii of the ball.
  const auto m = [](double radii) { return radii * double(radius); };
  const auto at = [&](double x, double y, double z) { return Triple{m(x), m(y), m(z)}; };
  if (!lamps)
    add("light.area", "Swatch key",
        {{"power", 2.0},
         {"width", m(2)},
         {"height", m(2)},
         {"position", at(-2.6, 3, 2.4)},
         {"target", at(0, 0, 0)},
         {"seen", false}});
  const auto matte = [&](const char* name, double grey) {
    return Reference{
        add("material.surface", name, {{"base_color", Triple{grey, grey, grey}}, {"roughness", 1.0}, {"ior", 1.0}}),
        nullptr};
  };
  const Reference table = matte("Swatch table", 0.3), pale = matte("Swatch wall", 0.75),
                  dark = matte("Swatch shade", 0.06);
  add("object.plane", "Swatch floor",
      {{"width", m(40)}, {"depth", m(40)}, {"position", at(0, -1, 0)}, {"material", table}});
  // Bands behind the ball, that clear things may show what they do to them.
  for (int band = -4; band <= 4; ++band)
    add("object.plane", "Swatch band",
        {{"width", m(1)},
         {"depth", m(9)},
         {"position", at(band, 2, -3)},
         {"turn", Triple{90, 0, 0}},
         {"material", band % 2 ? dark : pale}});
  add("object.sphere", "Swatch ball", {{"radius", m(1)}, {"material", Reference{material, nullptr}}});
  add("light.sky", skyName, {{"power", 1.0}, {"seen", false}});
  const NodeId camera =
      add("camera.lens", "Swatch camera",
          {{"position", at(0.9, 1.1, 5.6)}, {"target", at(0, 0, 0)}, {"focal_length", 76.0}, {"ev100", 0.0}});
  out = setValue(out, out.settings().id, "camera", Constant(Reference{camera, nullptr}));
  out = setValue(out, out.settings().id, "firefly_limit", Constant(0.0));
  out = setValue(out, out.settings().id, "bounces", Constant(12.0));
  return out;
}

SwatchMaker::SwatchMaker(std::shared_ptr<AssetCache> assets, std::shared_ptr<const ColorViews> views, Deliver deliver)
    : m_assets(std::move(assets)), m_views(std::move(views)), m_deliver(std::move(deliver)) {
  m_thread = std::thread([this] { run(); });
}

SwatchMaker::~SwatchMaker() {
  {
    const std::lock_guard lock(m_mutex);
    m_quit = true;
    m_cancel.request();
  }
  m_wake.notify_all();
  m_thread.join();
}

void SwatchMaker::ask(const std::string& key, std::function<Document()> make, int size) {
  {
    const std::lock_guard lock(m_mutex);
    std::erase_if(m_wanted, [&](const Wanted& w) { return w.key == key; });
    m_wanted.push_back({key, std::move(make), size});
  }
  m_wake.notify_all();
}

void SwatchMaker::prefer(const std::vector<std::string>& keys) {
  std::map<std::string, size_t> rank;
  for (size_t i = 0; i < keys.size(); ++i) rank.emplace(keys[i], i);
  const auto of = [&](const Wanted& w) {
    const auto it = rank.find(w.key);
    return it == rank.end() ? keys.size() : it->second;
  };
  const std::lock_guard lock(m_mutex);
  std::stable_sort(m_wanted.begin(), m_wanted.end(), [&](const Wanted& a, const Wanted& b) { return of(a) < of(b); });
}

void SwatchMaker::run() {
  const Tasks tasks(1, true);
  for (;;) {
    std::optional<Wanted> w;
    {
      std::unique_lock lock(m_mutex);
      while (!m_quit && m_wanted.empty()) m_wake.wait(lock);
      if (m_quit) return;
      w = std::move(m_wanted.front());
      m_wanted.pop_front();
    }
    try {
      const Document set = w->make();
      Made& made = m_made[w->key];
      if (!made.swatch || made.swatch->size != w->size || !(made.set == set)) made = {set, render(*w, set, tasks)};
      m_deliver(made.swatch);
    } catch (const std::exception& e) {
      m_made.erase(w->key);
      {
        const std::lock_guard lock(m_mutex);
        if (m_quit) return;
      }
      m_deliver(std::make_shared<const Swatch>(Swatch{w->key, w->size, {}, e.what()}));
    }
  }
}

std::shared_ptr<const SwatchMaker::Swatch> SwatchMaker::render(const Wanted& wanted, const Document& set,
                                                               const Tasks& tasks) {
  const ScenePtr scene =
      compileScene(set, {.frame = currentFrame(set), .width = wanted.size, .height = wanted.size, .queries = {}},
                   m_assets->assets(set.folder(), &m_cancel), m_cache, &m_cancel);
  Rendering r(scene);
  if (!r.advance(tasks, samples, m_cancel)) throw cancelled();
  const Denoiser denoiser(r.film(), tasks, &m_cancel);
  // The sky is mixed in by what the lamps turned out to give.
  std::vector<Color> groupScales = scene->groupScales;
  const std::vector<Color> means = groupMeans(r.film(), 0, tasks);
  float lamps = 0, sky = 0;
  for (size_t g = 0; g < groupScales.size(); ++g)
    (scene->groups[g].name == skyName ? sky : lamps) += std::max(0.0f, luminance(means[g] * groupScales[g]));
  for (size_t g = 0; g < groupScales.size(); ++g)
    if (scene->groups[g].name == skyName && lamps > 0 && sky > 0) groupScales[g] *= skyShare * lamps / sky;
  Picture p =
      std::move(denoised(
                    denoiser, 1,
                    [&](size_t, FilmLight which) { return collect(r.film(), 0, groupScales, 1, tasks, which); }, tasks)
                    .front());
  // Exposed by what falls on the table around the ball, so that a dark material is dark and a bright one bright.
  std::vector<float> around;
  for (int y = p.height * 3 / 4; y < p.height; ++y)
    for (int x = 0; x < p.width; ++x) around.push_back(luminance(p.color(x, y)));
  const auto middle = around.begin() + std::ptrdiff_t(around.size() * 3 / 4);
  std::nth_element(around.begin(), middle, around.end());
  if (*middle > 0)
    for (float& v : p.rgb) v *= tableLevel / *middle;
  const std::string view = settingsOf(set).text("view");
  if (!m_table || m_view != view) {
    m_table = std::make_unique<ViewTable>(*m_views, view, tasks);
    m_view = view;
  }
  auto swatch = std::make_shared<Swatch>();
  swatch->key = wanted.key;
  swatch->size = wanted.size;
  swatch->rgba = m_table->apply(p, tasks);
  return swatch;
}

} // namespace ilumbra
