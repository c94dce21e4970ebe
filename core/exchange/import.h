#pragma once
#include "core/document/document.h"
#include "core/exchange/assets.h"

namespace ilumbra {

struct ImportOptions {
  double scale = 1; ///< metres per unit of the file
};
struct Imported {
  Document doc;
  NodeId root = 0;                ///< the group that holds the model
  std::vector<std::string> notes; ///< what was left out or changed, a sentence each
};

/// Adds a model (glTF 2.0, OBJ, PLY, STL) to a document: its tree as groups and meshes, its materials with image
/// patterns, its lights and cameras. `path` is absolute, or starts from the current folder. Throws Error with the path.
Imported importModel(const Document& doc, const std::string& path, AssetCache& cache, const ImportOptions& options = {});

} // namespace ilumbra
