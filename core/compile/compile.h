#pragma once
#include "core/base/tasks.h"
#include "core/document/document.h"
#include "core/pattern/assets.h"
#include "core/scene/scene.h"

namespace ilumbra {

/// Keeps what compiles share from one document to the next. Used by one thread at a time.
class SceneCache {
 public:
  SceneCache();
  ~SceneCache();
  struct Content;
  Content& content() { return *m_content; }

 private:
  std::unique_ptr<Content> m_content;
};

struct CompileOptions {
  double frame = 1;
  int width = 0, height = 0;          ///< 0: as in the document
  std::vector<LayerQuery> queries;    ///< besides the first, which is always everything
  std::vector<LayerQuery> masks = {}; ///< whose coverage the film keeps
  double overscan = 0;  ///< how far beside the frame light is counted for the lens, in shares of the frame's height
  bool playing = false; ///< the next frame is about to come: uneven plates at half their fineness
  size_t layerMemory = size_t(1) << 30; ///< bytes for film layers: bounds the number of light groups
};

/// Compiles a document. What cannot be made (a missing file) is left out and told in `warnings`.
ScenePtr compileScene(const Document& doc, const CompileOptions& options, const Assets& assets, SceneCache& cache,
                      const CancelFlag* cancel = nullptr);

/// The amounts of the groups of a scene for another document: what a balance needs. Empty if that document has other
/// groups, so that it must be compiled.
std::vector<Color> balancedScales(const Scene& scene, const Document& doc, double frame);

/// The most light groups for a picture of this size and number of queries.
int groupLimit(int width, int height, size_t queries, size_t layerMemory);

} // namespace ilumbra
