#pragma once
#include "core/lens/stage.h"

namespace ilumbra {

/// Shapes drawn in the picture, to which a lens stage is confined: children of the stage in its slot "areas".
std::vector<Kind> allAreas();

/// Where the points of a drawn shape (core/pattern/outline.h) lie in the picture, in pixels from its top left corner.
class DrawnArea {
 public:
  DrawnArea(const Params& area, const LensContext& context);
  V2f toPicture(const V2f& point) const;
  V2f fromPicture(const V2f& at) const;

 private:
  Params m_params;
  V2f m_centre;
  float m_unit, m_cosine, m_sine;
};

/// How much of a stage acts in a pixel, 0 to 1, by the shapes of its slot: those that add cover together, what a shape
/// that cuts out covers is taken off; without shapes, or with such that cut out alone, they start from everything.
/// Hidden anchors fade their shape. Empty: everywhere.
std::vector<float> areaMask(const Document& doc, const Node& stage, const LensContext& context);

} // namespace ilumbra
