#pragma once
#include "core/lens/stage.h"

namespace ilumbra {

/// Shapes drawn in the picture, to which a lens stage is confined: children of the stage in its slot "areas".
std::vector<Kind> allAreas();

/// How much of a stage acts in a pixel, 0 to 1, by the shapes of its slot: those that add cover together, what a shape
/// that cuts out covers is taken off; without shapes, or with such that cut out alone, they start from everything.
/// Hidden anchors fade their shape. Empty: everywhere.
std::vector<float> areaMask(const Document& doc, const Node& stage, const LensContext& context);

} // namespace ilumbra
