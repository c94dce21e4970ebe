#pragma once
#include "core/label/layer_query.h"
#include "core/lens/stage.h"

#include <string_view>

namespace ilumbra {

/// Why a stage that works shows nothing: LensPage and `readings` offer fittingAmount().
constexpr std::string_view tooFaint = "what it adds is too faint to be seen";

/// Light as a stack gets it: all of it, each piece in one layer, exposed.
struct LensLight {
  struct Layer {
    std::vector<LayerQuery> of; ///< the queries that it answers, besides those for all light
    Picture light;
    bool backdrop = false; ///< what of `behind` is seen: where things are moved away more of it is
    int tag = 0;           ///< layers of different tags are kept apart to the end (a light's share, say)
    Region part = {}; ///< where `light` lies in the pictures, which are black beside it; width 0: it is all of them
  };
  std::vector<Layer> layers;
  std::vector<float> alpha; ///< of the picture; empty: it has none
  Picture behind = {};      ///< the plates behind everything, whole; empty: there are none
  /// What share of a pixel shows what answers a query; null: nobody knows, stages act everywhere.
  std::function<std::vector<float>(const LayerQuery&)> coverage = {};
};

/// One stage's doing in a picture: what it came to take and to add, after amount, blend and where it acts.
struct StageResult {
  NodeId stage = 0;
  LensWork work = {}; ///< written out; empty where none was asked for
  double light =
      0; ///< sum of the luminance that it spreads in the frame, if it is in an effect; of a stage that works in place 0
  double share = 0; ///< of all light in the frame as it is after the stages of effects that follow one another here
  std::string idle = {}; ///< why it did nothing; empty: it did something
};
struct LensResult {
  Picture picture;                                  ///< with the lens
  std::vector<StageResult> stages;                  ///< of those that act
  std::vector<std::pair<int, Picture>> shares = {}; ///< by tag: they sum to the picture; empty if there is one tag
  std::vector<float> alpha = {};                    ///< with what stages made of it; empty: there was none
  Picture apart = {};    ///< light of stages whose light goes out apart; empty: there are none
  size_t notNumbers = 0; ///< pixels of the light that were no numbers, and took their neighbours' value
};

/// What stages asked of the set while they were applied: with it they can be applied again when the scene is gone.
struct LensSight {
  struct Seen {
    NodeId thing = 0;
    V3f place{0.0f};
    double frame = 1;
    Anchor anchor; ///< from the frame's own corner
  };
  bool camera = false;
  V3f right{1, 0, 0};
  std::vector<Seen> seen = {};
  std::vector<std::pair<NodeId, Box3f>> bounds = {};
};

/// Which of the stages act, besides what they say themselves, and what they may read.
struct LensOptions {
  bool on = true;                 ///< false: none
  NodeId solo = 0;                ///< this one alone, on the light as it is before the lens
  NodeId until = 0;               ///< this one is the last,
  bool before = false;            ///< or the one before it
  const Assets* assets = nullptr; ///< null: there are no files
  const CancelFlag* cancel =
      nullptr; ///< develop() throws Cancelled once it is set, within a row of a stage's work; null: it goes to the end
  ConvolutionCache* convolutions = nullptr; ///< kernels of pictures before; null: none is kept
  LensSight* sight = nullptr;               ///< develop() notes there what stages ask of the set; null: nobody wants it
  bool works =
      true; ///< false: the picture alone is asked for, and StageResult::work stays empty where it need not be made
  bool shares = true; ///< false: nor StageResult::light and share
};

/// Applies the stack: each stage works on what the ones before it have left, and what it spreads goes on as light of
/// its sources. The result is of the context's frame.
LensResult applyLens(const LensContext& context, LensLight light, const LensOptions& options = {});

} // namespace ilumbra
