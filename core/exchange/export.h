#pragma once
#include "core/exchange/assets.h"
#include "core/geometry/model.h"
#include "core/geometry/no_assets.h"
#include "core/scene/scene.h"

namespace ilumbra {

struct ExportOptions {
  std::vector<NodeId> only; ///< these things with what is in them; empty: the whole set
};

/// The set as a model: its tree, each form once however often it stands there, materials in glTF's terms with their
/// pictures, punctual lights, own light, cameras, and places over time. What a model cannot hold goes along in its
/// extras (extras.h). `notes` tells what other programs will not see. `assets`: for the copies of what carries lamps.
Model modelOf(const Document& doc, const Scene& scene, const ExportOptions& options = {},
              const Assets& assets = NoAssets());

/// Builds the set and writes it as .glb, .gltf, .obj, .ply or .stl, or its air as .vdb (volume_write.h), as a whole or
/// not at all. Returns what was left out, a sentence each. Throws Usage for another extension, Io, Cancelled.
std::vector<std::string> exportSetTo(const Document& doc, const std::string& path, AssetCache& cache,
                                     const ExportOptions& options = {}, const CancelFlag* cancel = nullptr);
/// The same of a model that is there. `images`: the encoded bytes of each of its pictures, PNG or JPEG; empty: that one
/// is left out.
void exportModel(const Model& model, const std::string& path, const std::vector<std::string>& images = {});

/// A model as glTF 2.0: binary with everything inside, or text with everything inside as base64.
std::string toGlb(const Model& model, const std::vector<std::string>& images = {});
std::string toGltf(const Model& model, const std::vector<std::string>& images = {});

/// A material in glTF's terms; `images` receives the pictures that it uses, `unseen` what it cannot say,
/// as "Veil (its bump)".
ModelMaterial modelMaterialOf(const Document& doc, const Reference& use, double frame,
                              std::vector<std::pair<std::string, int>>& images, std::vector<std::string>& unseen);

} // namespace ilumbra
