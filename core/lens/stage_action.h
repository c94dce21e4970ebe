#pragma once
#include "core/lens/stack.h"

#include <map>

namespace ilumbra {

/// One stage's place in the stack.
struct StageStep {
  const Node* node;
  const LensStage* stage;
  LayerQuery source, map;
  bool told;                         ///< its light is told to an effect that it is in
  std::vector<NodeId> takes, actsOn; ///< the stages whose light alone it takes, and where whose light lies it acts
};

/// A layer of light on its way through the stack.
struct StackedLayer {
  uint64_t takenBy = 0; ///< bits of the steps whose source it is; and of those whose map it is, 32 higher
  int tag = 0;
  Picture light;
  bool backdrop = false;
  Region part = {}; ///< where `light` lies; the pictures are black beside it. The whole, but for what local stages take
};
/// Makes it lie there: what is cut off is lost, what is new is black.
void resize(StackedLayer& layer, const Region& to, const Tasks& tasks);

/// True if no step from this one on tells them apart.
bool alikeFrom(const StackedLayer& a, const StackedLayer& b, size_t step);

/// What stages have put into the picture, of those that later ones name: by stage, the share of each pixel that it
/// covers.
using StageCopies = std::map<NodeId, std::vector<float>>;

/// The stack while it is applied: what one stage after the other works on.
struct StackState {
  LensContext context;
  LensLight light; ///< its layers have gone into `layers`
  std::vector<StageStep> steps;
  std::vector<StackedLayer> layers;
  StageCopies copies;
  LensResult result; ///< stages, alpha and apart as far as they have come
  bool open = false; ///< something of the picture is not wholly covered
  bool works;        ///< LensOptions::works
  bool shares;       ///< LensOptions::shares

  Region whole() const { return {0, 0, context.width, context.height}; }
  Region frame() const { return {context.left, context.top, context.frameWidth, context.frameHeight}; }
};

/// Does what a step's stage does to the layers that it takes, and with it to all others.
StageResult act(StackState& state, size_t step);

} // namespace ilumbra
