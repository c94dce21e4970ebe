#pragma once
#include "core/document/document.h"
#include "core/exchange/assets.h"

namespace ilumbra {

struct ImportOptions {
  double unit = 0; ///< metres per unit of the file; 0: as it states, else one metre
  enum class Up { AsStated, Y, Z } up = Up::AsStated;
  std::string motion;    ///< which clip of animation; empty: the first
  bool plain = false;    ///< leaves what Ilumbra has put into the file's extras, and takes it as any other file
  bool numbered = false; ///< the file is one of a numbered sequence, which plays as one moving object
};
struct Imported {
  Document doc;
  NodeId root = 0; ///< the group that holds the model; 0: its things stand as they stood when it was written
  std::vector<std::string> notes; ///< what was left out or changed, a sentence each
};

/// Adds a model (glTF 2.0, OBJ, PLY, STL, FBX, 3MF and what else assimp reads) to a document: its tree as groups and
/// meshes, its materials with image patterns, its lights and cameras; animation of places as keys from the first frame
/// on, skins and morphs as meshes that play. `path` is absolute, or starts from the current folder. Throws Error with
/// the path.
Imported importModel(const Document& doc, const std::string& path, AssetCache& cache,
                     const ImportOptions& options = {});

/// What a file says of itself, before it is imported.
struct ModelSurvey {
  double unit = 0; ///< metres; 0: not stated
  bool zUp = false;
  V3f size{0.0f}; ///< at rest, in units of the file, its own axes
  size_t parts = 0, triangles = 0, materials = 0, lights = 0;
  std::vector<std::string> motions;
  size_t numbered = 0; ///< files of the sequence that its name belongs to; 0: it has no number
};
ModelSurvey survey(const std::string& path, AssetCache& cache);

/// Takes a model that has changed on disk anew. Its parts are known by name: those that are there keep their place,
/// their material, their modifiers and their roles in effects; new ones are added beside them with materials of the
/// same name where there are such; parts that are gone are removed. `root` is the object that was nearest above them
/// all.
Imported reloadModel(const Document& doc, const std::string& path, AssetCache& cache);

} // namespace ilumbra
