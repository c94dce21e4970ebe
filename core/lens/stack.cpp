#include "core/lens/stack.h"

#include "core/render/plate.h"

#include "core/base/error.h"
#include "core/lens/glow.h"

#include <set>

namespace ilumbra {

std::vector<LensStage> allStages() { return {glowStage()}; }

std::vector<ParamDef> stageParams() {
  return {flag("on", "On", true).at(Stage::Lens).help("Off: the light passes as it is"),
          references("sources", "Sources", {"light.", "object.", "material.", "air.", "source.", "effect."}).at(Stage::Shading)
              .help("What it takes its light from; an effect stands for its From; none: all light"),
          flag("direct", "Seen directly", true).at(Stage::Shading).in("Sources seen").help("The sources as the camera sees them straight"),
          flag("mirrored", "Seen in mirrors", true).at(Stage::Shading).in("Sources seen").help("The sources as mirrors show them"),
          flag("through", "Seen through clear things", true).at(Stage::Shading).in("Sources seen").help("The sources as seen behind glass")};
}

std::vector<const Node*> lensStages(const Document& doc) {
  std::vector<const Node*> out;
  for (const NodeId id : doc.roots())
    if (const Node* n = doc.find(id); n && n->kind->family() == "lens") out.push_back(n);
  return out;
}

static void follow(const Document& doc, NodeId id, std::vector<NodeId>& out, std::set<NodeId>& visited) {
  const Node* n = doc.find(id);
  if (!n || !visited.insert(id).second) return;
  if (n->kind->family() == "effect") {
    for (const Reference& r : Params(*n, 0).references("from")) follow(doc, r.target, out, visited);
    return;
  }
  out.push_back(id);
  // A group stands for what it holds, an object for what it carries too; modifiers and points are no sources.
  for (const char* slot : {"objects", "carries"})
    if (const auto it = n->children.find(slot); it != n->children.end())
      for (const NodeId c : it->second) follow(doc, c, out, visited);
}

std::vector<NodeId> sourcesOfStage(const Document& doc, const Node& stage) {
  std::vector<NodeId> out;
  std::set<NodeId> visited;
  for (const Reference& r : Params(stage, 0).references("sources")) follow(doc, r.target, out, visited);
  return out;
}

static LayerQuery queryOf(const Document& doc, const Node& stage) {
  const Params p(stage, 0);
  LayerQuery q{.name = stage.name};
  q.direct = p.flag("direct");
  q.mirrored = p.flag("mirrored");
  q.through = p.flag("through");
  q.everything = p.references("sources").empty();
  for (const NodeId id : sourcesOfStage(doc, stage))
    (doc.find(id)->kind->family() == "material" ? q.materials : q.things).push_back(id);
  return q;
}

std::vector<LayerQuery> lensQueries(const Document& doc) {
  std::vector<LayerQuery> queries = {{.name = "all light", .everything = true}};
  // Effects of caustics are told apart, for their reading.
  for (const Node* e : doc.family("effect"))
    if (e->kind->id == "effect.caustics" && queries.size() == 1) queries.push_back(causticsLayer());
  for (const Node* s : lensStages(doc)) {
    LayerQuery q = queryOf(doc, *s);
    // One layer serves all stages that ask the same.
    if (std::find(queries.begin(), queries.end(), q) == queries.end()) queries.push_back(std::move(q));
  }
  return queries;
}

bool stageActs(const Document& doc, const Node& stage, double frame) {
  if (!Params(stage, frame).flag("on")) return false;
  bool used = false;
  for (const Node* e : doc.family("effect")) {
    if (!e->kind->param("lens")) continue;
    const Params p(*e, frame);
    for (const Reference& r : p.references("lens"))
      if (r.target == stage.id) {
        if (p.flag("on")) return true;
        used = true;
      }
  }
  return !used;
}

static const LensStage& featureOf(const Node& n) {
  static const std::vector<LensStage> all = allStages();
  for (const LensStage& s : all)
    if (s.kind.id == n.kind->id) return s;
  throw badInput(n.kind->id + ": is no lens stage");
}

LensResult applyLens(const Document& doc, double frame, const std::function<Picture(const LayerQuery&)>& light, const Tasks& tasks, NodeId solo) {
  LensResult r;
  r.picture = light({.name = "all light", .everything = true});
  for (const Node* s : lensStages(doc)) {
    if (solo ? s->id != solo : !stageActs(doc, *s, frame)) continue;
    const Picture source = light(queryOf(doc, *s));
    LensWork work = featureOf(*s).apply(Params(*s, frame), source, tasks);
    const size_t row = size_t(r.picture.width) * 3;
    tasks.forEach(r.picture.height, [&](int y) {
      for (size_t i = size_t(y) * row; i < (size_t(y) + 1) * row; ++i) r.picture.rgb[i] += work.spread.rgb[i] - work.taken.rgb[i];
    });
    r.stages.push_back({s->id, std::move(work)});
  }
  return r;
}

bool hasLayers(const Scene& scene, const Document& doc) {
  const std::vector<LayerQuery> wanted = lensQueries(doc);
  return std::all_of(wanted.begin(), wanted.end(), [&](const LayerQuery& q) { return std::find(scene.queries.begin(), scene.queries.end(), q) != scene.queries.end(); });
}

int layerIndex(const Scene& scene, const LayerQuery& query) {
  const auto it = std::find(scene.queries.begin(), scene.queries.end(), query);
  if (it == scene.queries.end()) throw badInput(query.name + ": the light of its sources was not rendered");
  return int(it - scene.queries.begin());
}

LensResult develop(const Document& doc, double frame, const Scene& scene, const Film& film, const std::vector<Color>& amounts, const Tasks& tasks,
                   bool withLens, NodeId solo) {
  if (scene.plates) return develop(doc, frame, scene, collectLayers(scene, film, amounts, tasks), tasks, withLens, solo);
  const float exposure = exposureFactor(doc, frame);
  const auto light = [&](const LayerQuery& q) { return collect(film, layerIndex(scene, q), amounts, exposure, tasks); };
  if (withLens) return applyLens(doc, frame, light, tasks, solo);
  return {light({.name = "all light", .everything = true}), {}};
}

std::vector<Picture> collectLayers(const Scene& scene, const Film& film, const std::vector<Color>& amounts, const Tasks& tasks, const Denoiser* denoiser, const CancelFlag* cancel) {
  std::vector<Picture> layers;
  std::vector<const Picture*> all;
  for (size_t q = 0; q < scene.queries.size(); ++q) layers.push_back(collect(film, int(q), amounts, 1, tasks));
  if (denoiser) {
    for (const Picture& p : layers) all.push_back(&p);
    layers = denoiser->apply(all, tasks, cancel);
  }
  if (scene.plates) {
    PlateLayers plates = plateLayers(*scene.plates, film, tasks);
    layers.push_back(std::move(plates.keep));
    layers.push_back(std::move(plates.add));
  }
  return layers;
}

LensResult develop(const Document& doc, double frame, const Scene& scene, const std::vector<Picture>& layers, const Tasks& tasks, bool withLens, NodeId solo) {
  const float exposure = exposureFactor(doc, frame);
  const auto light = [&](const LayerQuery& q) {
    Picture p = layers[size_t(layerIndex(scene, q))];
    const size_t row = size_t(p.width) * 3, n = scene.queries.size();
    const Picture *keep = layers.size() > n ? &layers[n] : nullptr, *add = keep && q.everything ? &layers[n + 1] : nullptr;
    tasks.forEach(p.height, [&](int y) {
      for (size_t i = size_t(y) * row; i < size_t(y + 1) * row; ++i) p.rgb[i] = p.rgb[i] * (keep ? exposure * keep->rgb[i] : exposure) + (add ? add->rgb[i] : 0.0f);
    });
    return p;
  };
  if (withLens) return applyLens(doc, frame, light, tasks, solo);
  return {light({.name = "all light", .everything = true}), {}};
}

LensResult developPlates(const Document& doc, double frame, const Scene& scene, const Tasks& tasks, bool withLens, NodeId solo) {
  const auto light = [&](const LayerQuery& q) { return scene.plates && q.everything ? platesLight(*scene.plates, tasks) : Picture(scene.width, scene.height); };
  if (withLens) return applyLens(doc, frame, light, tasks, solo);
  return {light({.name = "all light", .everything = true}), {}};
}

Picture glowShare(const Document& doc, double frame, const Scene& scene, const Film& film, const std::vector<Color>& amounts, NodeId stage, int group,
                  const Tasks& tasks) {
  const Node* n = doc.find(stage);
  if (!n) throw badInput("there is no such lens stage");
  const int q = layerIndex(scene, queryOf(doc, *n));
  const float exposure = exposureFactor(doc, frame);
  const Picture source = collect(film, q, amounts, exposure, tasks);
  const Picture layer = collectGroup(film, q, group, amounts[size_t(group)], exposure, tasks);
  return featureOf(*n).share(Params(*n, frame), layer, source, tasks).spread;
}

} // namespace ilumbra
