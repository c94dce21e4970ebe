#pragma once
#include "core/lens/stage.h"
#include "core/render/denoise.h"
#include "core/render/scene.h"

namespace ilumbra {

/// The lens stages of a document in the order in which they act.
std::vector<const Node*> lensStages(const Document& doc);
/// What a stage takes its light from, effects followed to what is in their From: lights, objects and materials. Empty:
/// all light.
std::vector<NodeId> sourcesOfStage(const Document& doc, const Node& stage);
/// True if the stage acts: it is on, and so is one of the effects that use it (or none does).
bool stageActs(const Document& doc, const Node& stage, double frame);
/// The film layers that the stack needs, everything first. Stages that are off are asked for too, so that switching
/// them on traces no ray.
std::vector<LayerQuery> lensQueries(const Document& doc);

/// One stage's doing in a picture.
struct StageResult {
  NodeId stage = 0;
  LensWork work;
};
struct LensResult {
  Picture picture;                 ///< with the lens
  std::vector<StageResult> stages; ///< of those that are on
};

/// Applies the stack. `light(query)` gives a layer, exposed; each stage works on the rendered light of its sources, and
/// its doing is added to the picture. With `solo`, that stage alone.
LensResult applyLens(const Document& doc, double frame, const std::function<Picture(const LayerQuery&)>& light, const Tasks& tasks, NodeId solo = 0);
/// True if a scene was compiled with all layers that the stack of this document needs.
bool hasLayers(const Scene& scene, const Document& doc);
/// The layer of a scene that answers a query; throws BadInput if there is none.
int layerIndex(const Scene& scene, const LayerQuery& query);
/// The film through mix, exposure and lens: what the camera's film records, scene-linear. With `withLens` off, without
/// the stages.
LensResult develop(const Document& doc, double frame, const Scene& scene, const Film& film, const std::vector<Color>& amounts, const Tasks& tasks,
                   bool withLens = true, NodeId solo = 0);
/// What the stack works on, apart from the film: a picture for each query of the scene, unexposed; denoised if a denoiser is
/// given; where there are plates, after them what these keep of each and add to all light (render/plate.h). Throws Cancelled.
std::vector<Picture> collectLayers(const Scene& scene, const Film& film, const std::vector<Color>& amounts, const Tasks& tasks, const Denoiser* denoiser = nullptr,
                                   const CancelFlag* cancel = nullptr);
/// As above, from such layers.
LensResult develop(const Document& doc, double frame, const Scene& scene, const std::vector<Picture>& layers, const Tasks& tasks, bool withLens = true, NodeId solo = 0);
/// Of a bare scene: its plates through the lens, at full size, without a film.
LensResult developPlates(const Document& doc, double frame, const Scene& scene, const Tasks& tasks, bool withLens = true, NodeId solo = 0);
/// One light group's exact share of what a stage spreads.
Picture glowShare(const Document& doc, double frame, const Scene& scene, const Film& film, const std::vector<Color>& amounts, NodeId stage, int group,
                  const Tasks& tasks);

} // namespace ilumbra
