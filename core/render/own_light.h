#pragma once
#include "core/light/light.h"
#include "core/surface/material.h"

namespace ilumbra {

/// Own light of a mesh: triangles by area, both sides. `radiance` of samples follows the material's pattern at unit
/// own light.
std::unique_ptr<Light> glowingMesh(const Shape& shape, const M44f& toWorld, const Material& material);
/// Own light of a sphere under any placement, by area.
std::unique_ptr<Light> glowingSphere(float radius, const M44f& toWorld, const Material& material);

} // namespace ilumbra
