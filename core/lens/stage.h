#pragma once
#include "core/base/tasks.h"
#include "core/document/document.h"
#include "core/image/gaussians.h"
#include "core/image/picture.h"
#include "core/pattern/program.h"

#include <functional>

namespace ilumbra {

class ConvolutionCache;

/// What a lens stage does to light, in the two parts that its layers and shares are made of.
struct LensWork {
  Picture taken;    ///< what it takes out of the picture; empty: nothing, or all that there is
  Picture spread;   ///< what it puts back, here or elsewhere
  bool all = false; ///< it takes the whole layer
};
/// The same of this layer with what it takes written out.
LensWork writtenOut(LensWork work, const Picture& layer);

/// The work of a stage whose light does not go far, on pictures that are dark but for light that lies in a part of
/// them: to the bit what it does to them whole.
struct LocalOperator {
  /// What it takes of that light; empty: all.
  std::function<Picture(const Picture& light)> take;
  /// The part that what it spreads of light of a part comes into.
  std::function<Region(const Region& part)> reach;
  /// What it spreads in `to`, which reach() gives, of what it takes of a part.
  std::function<void(const Picture& taken, const Region& part, const Region& to, const GiveSpread& give)> spread;
};

/// Where an anchor stands in the picture.
struct Anchor {
  V2f at{0, 0};    ///< pixels from the top left corner of the stages' pictures; may lie outside
  float seen = 1;  ///< share of it that is in sight: 0 hidden, or behind the camera
  float depth = 1; ///< metres ahead of the camera
};

/// What stages know besides their parameters and the light. Pictures reach over the frame by a margin, so that light
/// beside the frame shines into it.
struct LensContext {
  const Document& doc;
  double frame = 1;
  int width = 0, height = 0;                ///< of the pictures
  int left = 0, top = 0;                    ///< where the frame begins in them
  int frameWidth = 0, frameHeight = 0;      ///< of the frame: shares of the frame in parameters are of these
  const Tasks& tasks;                       ///< of the session: they stop when it is asked to
  const Assets* assets = nullptr;           ///< null: there are no files
  ConvolutionCache* convolutions = nullptr; ///< null: none is kept
  /// Where a thing, or with thing 0 a place of the set, is seen at a frame; null: there is no camera.
  std::function<Anchor(NodeId thing, const V3f& place, double frame)> anchor = {};
  /// The box around a thing, empty if it has none; null: there is no set.
  std::function<Box3f(NodeId thing)> bounds = {};
  V3f right{1, 0, 0}; ///< of the camera
  /// What share of each pixel shows the stage's sources: of a stage that asks for it (LensStage::covers).
  std::vector<float> covered = {};
  bool oneLayer = false; ///< the source is the only layer whose light will be asked for, once: nothing is shared out
  /// The light that a stage has for a map, as it stands before it: of a stage with `map_of`. Empty: none.
  Picture map = {};

  /// A place given as shares of the frame from its top left corner, in pixels of the pictures.
  V2f place(double x, double y) const { return {float(left + x * frameWidth), float(top + y * frameHeight)}; }
  double seconds() const;
  /// Shares of the frame's height in pixels.
  float size(double share) const { return float(share * frameHeight); }
  /// What a pattern is asked at a place of the pictures, in pixels: texture coordinates run over the frame, places are
  /// in frame heights from its middle.
  PatternPoint point(float x, float y) const;
  /// A context without margin and set, for pictures that stand alone.
  static LensContext of(const Document& doc, double frame, int width, int height, const Tasks& tasks) {
    return {.doc = doc,
            .frame = frame,
            .width = width,
            .height = height,
            .frameWidth = width,
            .frameHeight = height,
            .tasks = tasks};
  }
};

/// A stage made ready for one picture. `apply` works on one layer of its sources (one light's share, say); the sum of
/// what it does to the layers is what it does to their sum.
struct LensOperator {
  std::function<LensWork(const Picture& layer)> apply;
  Picture rest = {};        ///< light that it adds whatever the layers hold; empty: none
  std::string blend = {};   ///< how its light lies over the picture whatever the stage says; empty: as it says
  LocalOperator local = {}; ///< of a stage that is `local`
};

/// A look that ships with a stage: parameters in text, by name.
struct StageLook {
  std::string name;
  std::vector<std::pair<std::string, std::string>> values;
};

/// A shape in the picture by which a stage is set; the window draws it and lets it be dragged.
struct StageHandle {
  enum class Shape {
    SourceRing, ///< a circle about the source: `param` is its radius, in frame heights
    CentreRing, ///< a circle about the stage's centre: `param` is its radius, in half diagonals of the frame
    Ray,        ///< a line from the source: its "length", in frame heights, and its "angle"
    Hinge       ///< the line of a hinge by its "angle", and how far the copy reaches from it
  };
  Shape shape;
  std::string param;
  std::string label; ///< "Halo's edge"
  float scale = 1;   ///< the circle's radius is so many times the parameter
};

/// A kind of lens stage: its table, and how it is made ready. `source` is all light of its sources, exposed: any key is
/// computed from it.
struct LensStage {
  Kind kind;
  std::vector<StageHandle> handles = {}; ///< each while its parameter counts; a stage with a "centre_x" shows that too
  std::function<LensOperator(const Params&, const Picture& source, const LensContext&)> prepare;
  /// What it adds should come to, of white, where it is brightest, when it is new: its amount is chosen for that from
  /// the light that is there. 0: it is as its table says.
  float level = 0;
  bool linear =
      true; ///< of its light where it has no key: prepare(a + b) does what prepare(a) and prepare(b) do together
  /// Why it does nothing although it is on and has light, or empty; null: it always does something.
  std::function<std::string(const Params&)> idle = {};
  bool inPlace = false; ///< it changes light where it is and spreads none: what lies beside the frame is nothing to it
  bool covers = false;  ///< it asks what share of each pixel shows its sources
  bool carries =
      false;          ///< it moves what is seen: what covers the picture goes the way of its light, by `apply` as well
  bool local = false; ///< what becomes of light depends on light near it alone: prepare() takes a part of the picture
                      ///< for its source, and gives an operator that works within such
  std::vector<StageLook> looks = {};
};

/// Every stage. A new one is a file in this folder and a line here.
std::vector<LensStage> allStages();
/// The stage of a node; throws BadInput for what is none.
const LensStage& stageOf(const Node& node);
/// What every stage has: on, amount, blend, its sources and where it acts. `most`: of the amount; more than 1 adds more
/// than there is.
std::vector<ParamDef> stageParams(double amount, double most);
/// What a stage can take light from, as `accepts` of a parameter (standIns among it), apart from other stages.
const std::vector<std::string>& stageSources();
/// The slot for the shapes drawn in the picture that it is confined to.
std::vector<ChildSlot> stageSlots();
/// Parameters of an anchored place: at a place of the frame, on a thing, or at a place of the set.
std::vector<ParamDef> anchorParams(const std::string& prefix, const std::string& label, const std::string& heading,
                                   double x = 0.5, double y = 0.5);
/// The place that such parameters give; fully in sight where it is not anchored.
Anchor anchorOf(const Params& params, const std::string& prefix, const LensContext& context);
/// The same as it was, or will be, at another frame: of what is anchored alone.
Anchor anchorAt(const Params& params, const std::string& prefix, const LensContext& context, double frame);

/// Parameters of a direction that can follow: its angle counts from the level, or from the way that leads to a thing or
/// a place of the set. With `param`: only while that one of the kind stands at `value`.
std::vector<ParamDef> followParams(const std::string& heading, const std::string& param = {},
                                   const std::string& value = {});
/// By how many degrees, counter-clockwise, such a way is turned from the level, as it leads on from a place of the
/// pictures.
float aimOf(const Params& params, const LensContext& context, const V2f& from);
/// The same of a way that leads to a place of the pictures.
float aimTo(const V2f& from, const V2f& to);

/// A pattern over row y of the picture, from the left.
std::vector<Sample4> patternRow(const Program& pattern, const LensContext& context, int y);
/// A shape of ghosts that are drawn freely.
Kind ghostElementKind();
/// Work of a stage that makes each pixel of a layer darker or brighter: by what it is multiplied with.
LensOperator scaled(std::shared_ptr<const Picture> gain, const Tasks& tasks);

/// Work of a stage that changes pixels each for itself: `out` is what becomes of `source`. Layers keep their shares of
/// every channel; what appears where there was nothing is the rest.
LensOperator pointwise(const Picture& source, Picture out, const LensContext& context);

} // namespace ilumbra
