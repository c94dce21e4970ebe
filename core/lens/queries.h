#pragma once
#include "core/document/document.h"
#include "core/label/layer_query.h"

namespace ilumbra {

class Scene;

/// The lens stages of a document in the order in which they act.
std::vector<const Node*> lensStages(const Document& doc);
/// What a list of a stage ("sources", "acts_on", ...) names, stand-ins followed to what they stand for: lights, objects
/// and materials, and other stages, which stand for the light that they put into the picture.
std::vector<NodeId> namedBy(const Document& doc, const Node& stage, std::string_view list);
/// What a stage takes its light from. Empty: all light.
inline std::vector<NodeId> sourcesOfStage(const Document& doc, const Node& stage) {
  return namedBy(doc, stage, "sources");
}
/// True if the stage acts: it is on, and so is one of its switches (switchesOf), if it has any.
bool stageActs(const Document& doc, const Node& stage, double frame);
/// The light that a stage takes, as a question to the film (which knows nothing of what other stages put into the
/// picture);
LayerQuery sourceQuery(const Document& doc, const Node& stage);
/// what it can have for a map, asked for or not, so that asking traces no ray (of everything: there is none);
LayerQuery mapQuery(const Document& doc, const Node& stage);
/// and where it acts.
LayerQuery maskQuery(const Document& doc, const Node& stage);
/// The light that comes to the camera by way of the things that an effect of mirrors or of clear things names
/// (resting_lobes.h). Nothing while it is off.
LayerQuery sightLayer(const Document& doc, const Node& effect);
/// The film layers that the stack and the readings of effects need, everything first. Stages that are off are asked for
/// too, so that switching them on traces no ray.
std::vector<LayerQuery> lensQueries(const Document& doc);
/// The coverages that the stack needs: where stages are confined to act.
std::vector<LayerQuery> lensMasks(const Document& doc);
/// How far beside the frame the stack needs light, in shares of the frame's height: the picture's overscan if there is
/// a stage that spreads any, on or off.
double lensOverscan(const Document& doc);
/// True if a scene was compiled with all layers that the stack of this document needs,
bool hasLayers(const Scene& scene, const Document& doc);
/// and reaches as far beside the frame.
bool hasSurroundings(const Scene& scene, const Document& doc);
/// The layer of a scene that answers a query; throws BadInput if there is none.
int layerIndex(const Scene& scene, const LayerQuery& query);

} // namespace ilumbra
