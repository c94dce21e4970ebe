#pragma once
#include "core/lens/stage_action.h"

namespace ilumbra {

// Planes here are shares of a pixel, one a pixel of the stack's pictures.

/// How much a stage acts in each pixel; empty: wholly, everywhere.
std::vector<float> actsWhere(const StackState& state, const StageStep& step, const Params& params);
/// What share of each pixel shows what answers a query: as the film has counted, or else by its share of the light.
/// `source`: the light of what answers it.
std::vector<float> shownBy(const StackState& state, const LayerQuery& query, const Picture& source);
/// Adds to a cover what the copies of stages cover.
void addCopies(std::vector<float>& cover, const StageCopies& copies, const std::vector<NodeId>& of);

/// Light that went out over the things that gave it makes the picture's cover wider: so much of the work on a layer as
/// it was.
void widenCover(std::vector<float>& alpha, const LensWork& work, const Picture& layer, float amount,
                const LensContext& context);
/// The same of some pixels of a row; `taken` null: nothing.
void widenCover(float* alpha, const float* spread, const float* taken, size_t pixels, float amount);
/// What is moved covers the picture where it comes to be: of the cover, the sources' part (`own`) goes the way of their
/// light.
void carryCover(std::vector<float>& alpha, std::vector<float> own, const LensOperator& op, float amount,
                const std::vector<float>& mask, const LensContext& context);
/// Where a thing (`own`) is moved away from the plates behind it more of them is seen, and less where it comes to be.
void uncoverBackdrop(StackState& state, const std::vector<float>& own, const LensOperator& op, float amount,
                     const std::vector<float>& mask);

} // namespace ilumbra
