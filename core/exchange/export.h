#pragma once
#include "core/geometry/model.h"
#include "core/render/scene.h"

namespace ilumbra {

/// The compiled set as a model: every object in world space (exact spheres tessellated), materials in glTF's terms,
/// punctual lights, own light, the camera. `notes` tells what a model cannot hold.
Model modelOf(const Document& doc, const Scene& scene);

/// A model as a binary glTF 2.0 file (GLB). Images are not written.
std::string toGlb(const Model& model);

/// Writes .glb, as a whole or not at all. Throws Usage for another extension.
void exportModel(const Model& model, const std::string& path);

} // namespace ilumbra
