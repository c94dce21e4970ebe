#pragma once
#include "core/base/picture.h"
#include "core/base/tasks.h"
#include "core/document/document.h"

#include <functional>

namespace ilumbra {

/// What a lens stage does to light, in the two parts that its layers and shares are made of.
struct LensWork {
  Picture taken;  ///< what it takes out of the picture, 0 or more
  Picture spread; ///< what it puts back elsewhere
};

/// A kind of lens stage: its table, and its function. `source` is the light of its sources, exposed. The function may
/// not depend on light that is not a source.
struct LensStage {
  Kind kind;
  std::function<LensWork(const Params&, const Picture& source, const Tasks&)> apply;
  /// The same work on one layer of the source (one light's share, say), with any key computed from the whole source:
  /// the sum over layers is the work on the source.
  std::function<LensWork(const Params&, const Picture& layer, const Picture& source, const Tasks&)> share;
};

/// Every stage. A new one is a file in this folder and a line here.
std::vector<LensStage> allStages();
/// What every stage has: on, and its sources.
std::vector<ParamDef> stageParams();

} // namespace ilumbra
