#pragma once
#include "core/light/light.h"
#include "core/surface/material.h"

namespace ilumbra {

/// What a surface sends out, at unit own light: its material's pattern, as much of it as opacity and the masks of
/// layers let be there.
struct OwnLight {
  const Material* material = nullptr;
  std::vector<std::pair<const Driven*, bool>> masks; ///< of the layers above it; true: it is the upper one
  bool patterned = false;                            ///< it asks for more than texture coordinates
  /// `cosine` between the outward normal and the way to the viewer.
  Color at(const PatternPoint& p, float cosine) const;
};

/// Own light of a mesh: triangles by area.
std::unique_ptr<Light> glowingMesh(const Shape& shape, const M44f& toWorld, OwnLight own);
/// Own light of a sphere under any placement, by area.
std::unique_ptr<Light> glowingSphere(float radius, const M44f& toWorld, OwnLight own);

} // namespace ilumbra
