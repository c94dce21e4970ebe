#include "core/session/swatch.h"

#include "core/base/error.h"
#include "core/color/view.h"
#include "core/document/edit.h"
#include "core/lens/stack.h"
#include "core/render/render.h"

namespace ilumbra {
namespace {

constexpr uint32_t samples = 48;
constexpr const char* skyName = "Swatch sky";
// What the faint sky gives, of the lamps' light in the picture: enough to tell a dark side from nothing.
constexpr float skyShare = 0.3f;

Triple tripleOf(const V3f& v) { return {double(v.x), double(v.y), double(v.z)}; }

} // namespace

Document swatchSet(const Document& doc, const Box3f& framed, NodeId material) {
  const double frame = currentFrame(doc);
  DocumentBuilder b(doc);
  for (const NodePtr& n : doc.nodes()) {
    const auto f = n->kind->family();
    const bool stays = f == "material" || f == "pattern" || f == "veil" || f == "ramp" || f == "picture" || (f == "light" && !n->parent);
    if (stays) continue;
    std::erase(b.roots(), n->id);
    b.erase(n->id);
  }
  Document out = b.take();
  // What is framed becomes the ball of 1 m.
  const V3f centre = framed.isEmpty() ? V3f(0.0f) : framed.center();
  const float scale = framed.isEmpty() ? 1 : 1 / std::max(1e-4f, 0.25f * length(framed.size()));
  bool lamps = false;
  for (const Node* n : out.family("light")) {
    const NodeId id = n->id;
    const Params p(*n, frame);
    out = setValue(out, id, "links", Constant(std::string("everything")));
    for (const char* way : {"seen", "seen_mirrored", "seen_through"}) out = setValue(out, id, way, Constant(false));
    if (n->kind->param("position")) {
      lamps |= p.flag("on") && p.number("power") > 0;
      for (const char* place : {"position", "target"})
        if (n->kind->param(place)) {
          const Triple t = p.triple(place);
          const V3f place3{float(t[0]), float(t[1]), float(t[2])};
          V3f v = (place3 - centre) * scale;
          // A lamp inside what is framed stands beside the ball.
          if (std::string_view(place) == "position" && length(v) < 2.2f) v = (isBlack(v) ? V3f(0.5f, 0.7f, 0.5f) : normalize(v)) * 2.2f;
          out = setValue(out, id, place, Constant(tripleOf(v)));
        }
      for (const ParamDef& d : n->kind->params)
        if (d.unit == "m" && d.type == ParamType::Number) out = setValue(out, id, d.name, Constant(std::clamp(p.number(d.name) * double(scale), d.hardMin, d.hardMax)));
    } else {
      lamps |= p.flag("on") && p.number("power") > 0;
    }
  }
  const auto add = [&](const char* kind, const char* name, std::initializer_list<std::pair<const char*, Constant>> values) {
    NodeId id = 0;
    out = addNode(out, kind, name, {}, &id);
    for (const auto& [param, v] : values) out = setValue(out, id, param, v);
    return id;
  };
  if (!lamps) add("light.area", "Swatch key", {{"power", 900.0}, {"width", 2.0}, {"height", 2.0}, {"position", Triple{-2.6, 3, 2.4}}, {"target", Triple{0, 0, 0}}, {"seen", false}});
  const NodeId table = add("material.surface", "Swatch table", {{"base_color", Triple{0.2, 0.2, 0.2}}, {"roughness", 0.7}});
  const NodeId wall = add("material.surface", "Swatch wall", {{"base_color", Triple{0.42, 0.42, 0.42}}, {"roughness", 1.0}, {"ior", 1.0}});
  add("object.plane", "Swatch floor", {{"width", 40.0}, {"depth", 40.0}, {"position", Triple{0, -1, 0}}, {"material", Reference{table, nullptr}}});
  add("object.plane", "Swatch back", {{"width", 1.1}, {"depth", 9.0}, {"position", Triple{0.55, 2, -3}}, {"turn", Triple{90, 0, 0}}, {"material", Reference{wall, nullptr}}});
  add("object.sphere", "Swatch ball", {{"radius", 1.0}, {"material", Reference{material, nullptr}}});
  add("light.sky", skyName, {{"power", 1.0}, {"seen", false}});
  const NodeId camera = add("camera.lens", "Swatch camera", {{"position", Triple{0.9, 1.1, 5.6}}, {"target", Triple{0, 0, 0}}, {"focal_length", 76.0}, {"ev100", 0.0}});
  out = setValue(out, out.settings().id, "camera", Constant(Reference{camera, nullptr}));
  out = setValue(out, out.settings().id, "firefly_limit", Constant(0.0));
  out = setValue(out, out.settings().id, "bounces", Constant(12.0));
  return out;
}

SwatchMaker::SwatchMaker(std::shared_ptr<AssetCache> assets, std::shared_ptr<const ColorViews> views, Deliver deliver)
    : m_assets(std::move(assets)), m_views(std::move(views)), m_deliver(std::move(deliver)), m_thread([this] { run(); }) {}

SwatchMaker::~SwatchMaker() {
  {
    const std::lock_guard lock(m_mutex);
    m_quit = true;
    m_cancel.request();
  }
  m_wake.notify_all();
  m_thread.join();
}

void SwatchMaker::ask(const std::string& key, Document set, int size) {
  {
    const std::lock_guard lock(m_mutex);
    std::erase_if(m_wanted, [&](const Wanted& w) { return w.key == key; });
    m_wanted.push_back({key, std::move(set), size});
  }
  m_wake.notify_all();
}

void SwatchMaker::forget() {
  const std::lock_guard lock(m_mutex);
  m_wanted.clear();
}

void SwatchMaker::run() {
  const Tasks tasks(1, true);
  SceneCache cache;
  std::unique_ptr<ViewTable> table;
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
      const double frame = currentFrame(w->set);
      const ScenePtr scene = compileScene(w->set, {.frame = frame, .width = w->size, .height = w->size, .queries = {}}, m_assets->assets(w->set.folder(), &m_cancel), cache, &m_cancel);
      Rendering r(scene);
      if (!r.advance(tasks, samples, m_cancel)) continue;
      const Denoiser denoiser(r.film(), tasks, &m_cancel);
      // The sky is mixed in by what the lamps turned out to give.
      std::vector<Color> amounts = scene->amounts;
      const std::vector<Color> means = groupMeans(r.film(), 0, tasks);
      float lamps = 0, sky = 0;
      for (size_t g = 0; g < amounts.size(); ++g) (scene->groups[g].name == skyName ? sky : lamps) += std::max(0.0f, luminance(means[g] * amounts[g]));
      for (size_t g = 0; g < amounts.size(); ++g)
        if (scene->groups[g].name == skyName && lamps > 0 && sky > 0) amounts[g] *= skyShare * lamps / sky;
      Picture p = denoiser.apply(collect(r.film(), 0, amounts, 1, tasks), tasks);
      // Exposed by what falls on the table around the ball, so that a dark material is dark and a bright one bright.
      std::vector<float> around;
      for (int y = p.height * 3 / 4; y < p.height; ++y)
        for (int x = 0; x < p.width; ++x) around.push_back(luminance(p.color(x, y)));
      std::nth_element(around.begin(), around.begin() + std::ptrdiff_t(around.size() * 3 / 4), around.end());
      const float lit = around[around.size() * 3 / 4];
      if (lit > 0)
        for (float& v : p.rgb) v *= 0.16f / lit;
      if (!table) table = std::make_unique<ViewTable>(*m_views, settingsOf(w->set).text("view"), tasks);
      auto swatch = std::make_shared<Swatch>();
      swatch->key = w->key;
      swatch->size = w->size;
      swatch->rgba = table->apply(p, tasks);
      m_deliver(std::move(swatch));
    } catch (const Error&) {
      // A material that cannot be compiled has no swatch; the picture itself tells why.
    }
  }
}

} // namespace ilumbra
