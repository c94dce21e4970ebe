#pragma once
#include "core/advise/findings.h"
#include "core/compile/balance.h"
#include "core/display/false_colour.h"
#include "core/display/passes.h"
#include "core/exchange/assets.h"
#include "core/session/proof.h"

#include <functional>
#include <map>
#include <memory>
#include <optional>

namespace ilumbra {

class ColorViews;
class Denoiser;

/// How a proof is put beside the live picture.
enum class Compare { None, Wipe, SideBySide, Difference };

/// What the window wants to see. View state: none of it is in the document but the document itself.
struct SessionRequest {
  Document doc;
  NodeId effect = 0; ///< whose route is measured; 0: none
  bool paused = false;
  bool withLens = true;
  bool raw = false;         ///< as it was sampled, whatever the document says of denoising
  NodeId soloStage = 0;     ///< the only lens stage that acts; 0: all
  NodeId lastStage = 0;     ///< the lens acts up to this stage; 0: to the end
  bool beforeStage = false; ///< and without it
  bool stages = false;      ///< SessionImage::stages are wanted
  ShownPass pass = ShownPass::Light;
  bool stopsOverlay = false; ///< false colour by stops from white
  bool clipping = false;     ///< stripes over what the display cannot show
  double viewStops = 0;      ///< brightens the view only
  Region region;             ///< width 0: the whole picture
  Compare compare = Compare::None;
  std::shared_ptr<const Proof> proof;   ///< the other picture of a comparison
  std::shared_ptr<const Proof> left;    ///< instead of the live picture, if set
  bool playing = false;                 ///< kept frames or drafts only: the next frame is about to come
  bool ahead = false;                   ///< the frames from `firstFrame` to `lastFrame` are rendered and kept
  double firstFrame = 1, lastFrame = 0; ///< last below first: the document's range
  size_t keptLimit = size_t(768) << 20; ///< bytes that kept frames may take
  bool groups = false;                  ///< SessionImage::groups are wanted
};

/// What the session has: immutable, made by the session's thread.
struct SessionImage {
  uint64_t edition = 0; ///< of the request that it answers
  Document doc;         ///< that made it
  int width = 0, height = 0;
  std::vector<uint8_t> rgba;      ///< as shown, four bytes a pixel
  std::vector<uint8_t> otherRgba; ///< the proof beside it, same size as `other`
  int otherWidth = 0, otherHeight = 0;
  std::shared_ptr<const Picture> linear; ///< the developed light of the live picture
  int linearStep = 1;                    ///< a pixel of `linear` stands for so many by so many of the live picture
  int liveWidth = 0, liveHeight = 0;     ///< of the live picture, whatever is shown
  Picture light() const;                 ///< `linear` at the size of the live picture
  uint32_t samples = 0, target = 0;
  bool draft = false, finished = false;
  bool denoised = false;
  double noise = 1;
  double raysPerSecond = 0, secondsLeft = 0;
  uint64_t raysSinceRequest = 0; ///< 0 while a change traced nothing
  /// What the last change of the document cost.
  struct Change {
    Invalidation stage = Invalidation::Geometry; ///< the dearest that it asked for
    double seconds = 0;                          ///< from the request to its first picture
    uint64_t rays = 0;                           ///< for that picture
  };
  std::optional<Change> change;              ///< none: nothing was shown before
  double clippedWhite = 0, clippedBlack = 0; ///< with SessionRequest::clipping: shares of the pixels
  double frame = 1;
  bool kept = false; ///< of a kept frame, without a ray
  std::vector<EffectReading> effects;
  /// A lens stage that acts, and what it makes.
  struct LensStageShown {
    NodeId stage = 0;
    std::string idle; ///< why it does nothing; empty: it does something
    int width = 0, height = 0;
    std::vector<uint8_t> rgba; ///< what it changes, small, as the picture is shown
  };
  std::vector<LensStageShown> stages; ///< with SessionRequest::stages
  size_t notNumbers = 0;              ///< pixels whose light was no number
  /// A light group as it stands in the picture.
  struct Group {
    BalanceSource source; ///< of nothing: lights that share the last group
    std::string name;
    Color amount{0.0f}; ///< in the working space
    double share = 0;   ///< of the picture's light, before the lens
  };
  std::vector<Group> groups;
  std::shared_ptr<const Route> route; ///< of SessionRequest::effect
  std::vector<std::string> warnings;
  std::shared_ptr<const std::vector<Finding>> findings; ///< about things, apart from the effect
  std::string error;                                    ///< the document could not be rendered at all
};

/// The frames that are kept for playing, before the lens.
struct KeptState {
  std::map<double, float> quality; ///< by frame, above 0 to 1: its samples against what the document asks for
  size_t bytes = 0, limit = 0;
  bool full = false;             ///< the limit leaves no room for more
  std::vector<std::string> live; ///< light groups that can still be balanced
  double working = 0;            ///< the frame being rendered ahead
  bool works = false;            ///< one is
  uint64_t change = 0;           ///< another number: another state
};

/// The renderer at work: one thread that owns the film. Requests go into a mailbox that keeps the latest; each is
/// answered from the cheapest stage that its change allows; rendering goes on until the picture is finished.
class Session {
 public:
  using Deliver = std::function<void(std::shared_ptr<const SessionImage>)>;
  /// `deliver` is called on the session's thread. threads 0: one per core, at a lower priority than the window.
  Session(std::shared_ptr<AssetCache> assets, std::shared_ptr<const ColorViews> views, Deliver deliver,
          int threads = 0);
  ~Session();
  Session(const Session&) = delete;
  Session& operator=(const Session&) = delete;

  /// Returns the edition of the request. Work on an older one is broken off within some milliseconds, unless a job
  /// waits for it.
  uint64_t submit(SessionRequest request);
  /// Where the pointer is in the picture, in its pixels: what is around it is refined first. Negative: nowhere.
  void setPointer(int x, int y);
  /// What a job works on.
  struct State {
    const Document& doc;     ///< patterns that are the same everywhere are values in it
    const Document& written; ///< the same as it was submitted
    const Rendering& rendering;
    const std::vector<Color>& groupScales;
    const LensResult& developed;
    const Denoiser* denoiser; ///< that was used for it; null: it is raw
    const Tasks& tasks;
    const CancelFlag& leaving; ///< set when the session is being taken down
  };
  /// Gets null and the reason where it cannot be done.
  using Job = std::function<void(const State*, const std::string& why)>;
  enum class Needs {
    Scene,  ///< whatever is there: a draft will do
    Picture ///< whole pixels: it waits for the first samples of the full picture, also while the view is paused
  };
  /// Runs `job` once on the session's thread between two passes, with the document of the last submit() before this
  /// call, or a later one. It is run always: with what it needs, or with null and why not (there is no picture, it
  /// cannot be rendered, the session ends). What it throws ends with it.
  void run(Job job, Needs needs = Needs::Scene);
  /// What is kept for playing. Frames stay until a change needs rays.
  std::shared_ptr<const KeptState> kept() const;
  /// The compiled scene of the last image, for picking and framing. Null before the first.
  ScenePtr scene() const;

 private:
  struct Content;
  std::unique_ptr<Content> m_content;
};

} // namespace ilumbra
