#pragma once
#include "core/light/light.h"
#include "core/surface/material.h"

namespace ilumbra {

/// What a surface sends out, at unit own light: its material's pattern, as much of it as opacity and the masks of
/// layers let be there.
struct OwnLight {
  const Material* material = nullptr;
  std::vector<std::pair<const Driven*, bool>> masks; ///< of the layers above it; true: it is the upper one
  PatternPoint common;                               ///< what all its points have in common
  bool patterned = false;                            ///< it asks for more than texture coordinates
  /// `cosine` between the outward normal and the way to the viewer.
  Color at(const PatternPoint& p, float cosine) const;
  /// True if it may differ from place to place.
  bool varies() const;
};

/// Own light of a mesh (`closed`: a body's, whose inside is never seen), sampled by area and by what its pattern sends
/// out; the more `copies` of it there are, the coarser.
std::unique_ptr<Light> glowingMesh(const Shape& shape, bool closed, const M44f& toWorld, OwnLight own, size_t copies);
/// The same of a sphere under any placement.
std::unique_ptr<Light> glowingSphere(float radius, const M44f& toWorld, OwnLight own, size_t copies);

} // namespace ilumbra
