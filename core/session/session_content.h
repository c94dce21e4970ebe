#pragma once
#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/display/view.h"
#include "core/image/convolution.h"
#include "core/label/layer_query.h"
#include "core/session/denoise_cache.h"
#include "core/session/kept_frame.h"
#include "core/session/session.h"

#include <atomic>
#include <chrono>
#include <condition_variable>
#include <mutex>
#include <optional>
#include <set>
#include <thread>

namespace ilumbra {

using Clock = std::chrono::steady_clock;
inline double since(Clock::time_point t) { return std::chrono::duration<double>(Clock::now() - t).count(); }

// The draft: a pixel for 2 × 2, direct light only, so that the first lit picture comes in the time of a few rays.
constexpr int draftStep = 2;
// Then the same pixels with whole paths, as many samples as one of the full picture costs: denoised, that shows more.
constexpr uint32_t draftSamples = 4;
// A first draft that took so many seconds is shown denoised at once; a quicker one is shown as it is and denoised
// after.
constexpr double cleanFirstFrom = 0.2;

// Frames that are rendered ahead: coarse ones at half the size with so many samples, then whole ones from so many on.
constexpr uint32_t aheadCoarse = 4, aheadFirst = 8;

/// True if something in it differs from frame to frame.
bool animated(const Document& doc);
/// True if going from one document to the other needs rays.
bool needsTracing(const Document& from, const Document& to);

// What the denoised groups may take: beyond it another mix is shown raw and denoised after.
constexpr size_t groupMemory = size_t(512) << 20;

/// What a session's thread works with: session.cpp takes requests and traces, session_show.cpp makes what is shown of
/// it.
struct Session::Content {
  std::shared_ptr<AssetCache> assets;
  std::shared_ptr<const ColorViews> views;
  Deliver deliver;
  Tasks tasks;
  std::mutex mutex;
  std::condition_variable wake;
  std::optional<SessionRequest> mailbox;
  Clock::time_point mailboxTime{}; ///< of the first request since one was taken
  struct Waiting {
    Job job;
    Needs needs;
    uint64_t edition; ///< that it must see at least
  };
  std::vector<Waiting> jobs;
  uint64_t edition = 0, mailboxEdition = 0;
  bool quit = false;
  CancelFlag cancel;     ///< of the request at work
  CancelFlag cancelLens; ///< of what it shows: a stream of requests still gets pictures
  CancelFlag leaving;
  std::atomic<int64_t> pointer{-1}; ///< x << 32 | y
  ScenePtr sharedScene;

  // Of the session's thread alone.
  SceneCache cache;
  ConvolutionCache convolutions;
  std::optional<SessionRequest> now; ///< with even patterns as their values at the frame
  std::optional<Document> written;   ///< its document as it was asked for
  uint64_t nowEdition = 0;           ///< guarded by the mutex as well
  ScenePtr scene;
  Rendering draft, next, full;
  bool madePlaying = false; ///< the scene has its plates as they play
  bool blink = true;        ///< the draft has direct light only
  bool fullStale = true;    ///< the full film is of an older scene: it is laid out anew when the draft is done
  std::vector<Color> groupScales;
  std::shared_ptr<ViewTable> table;
  std::string tableView;
  std::shared_ptr<const Route> route;
  std::shared_ptr<const std::vector<Finding>> findings; ///< of `now`; null: not looked for yet
  std::optional<SessionImage::Change> change;
  uint64_t raysBefore = 0, raysMade = 0;
  double traceSeconds = 0;
  uint64_t traceRays = 0;
  std::atomic<Clock::time_point> lastDelivery{}, lensStart{};
  std::string error;
  std::thread thread;

  Content(int threads) : tasks(threads, true) {}

  // Kept frames (session_play.cpp).
  KeptFrames frames;
  std::optional<Document> keptDoc;      ///< as submitted, at frame 0: that they are of
  std::optional<SessionRequest> played; ///< shown from a kept frame: `now` is still what was before
  std::shared_ptr<const KeptState> keptState = std::make_shared<KeptState>(); ///< under the mutex
  bool keptFull = false;
  /// Kept frames that do not answer the document as it is now: it asks for a layer or a light that they have not. They
  /// stay, for it may be taken back.
  std::set<double> stale;
  bool staleUnknown = false;                ///< the document has changed since they were looked for
  std::set<double> unrendered;              ///< frames that need no ray, or cannot be rendered: nothing is kept of them
  std::shared_ptr<const SessionImage> last; ///< of a film: what is read off it stands while frames are played
  /// A frame that is rendered ahead: it goes on where it was broken off.
  struct Ahead {
    double frame = 0;
    uint32_t target = 0;
    Rendering rendering;
  };
  std::optional<Ahead> ahead;
  /// Lets go of what a change needs rays for. `doc`: as submitted.
  void checkKept(const Document& doc);
  /// True, and it is shown, if the request is answered by a kept frame.
  bool showKept(const SessionRequest& request);
  std::optional<LensResult> developedKept(const SessionRequest& request, const Document& even);
  /// Keeps what is shown, if it is better than what is kept.
  void keepShown();
  /// The frame that is rendered ahead next, and up to how many samples; none: all are there.
  std::optional<std::pair<double, uint32_t>> nextAhead() const;
  void renderAhead();
  void renderAhead(double frame, uint32_t goal);
  void keepFrame(double frame, const Document& even, const Rendering& r, const std::vector<Color>& scales,
                 const Denoiser* denoiser);
  void noteKept();
  void findStale();
  uint32_t keptSamples(double frame) const;

  uint32_t fullSamples() const { return fullStale ? 0 : full.samples(); }
  DenoiseCache clean;

  bool wantsClean() const { return !now->raw && !now->playing && settingsOf(now->doc).flag("denoise"); }
  const Rendering& shown() const { return fullSamples() == 0 ? draft : full; }
  bool finished() const { return fullSamples() >= target() || (fullSamples() > 0 && full.converged()); }
  bool showsClean() const { return wantsClean() && clean.holds(shown(), groupScales); }
  // True if the picture shown should be denoised, or denoised anew, before anything else is done: at first, each time
  // its samples have doubled, and when it is finished.
  bool cleanDue() const;
  // Groups one by one, once there is nothing better to do.
  bool groupsDue() const;

  // What shows the light of a document and nothing else.
  bool showsLight(const SessionRequest& r) const {
    return r.pass == ShownPass::Light && !r.raw && !r.left && r.compare == Compare::None && !r.stages &&
           !r.region.width;
  }

  uint32_t target() const { return scene && scene->bare() ? 1 : uint32_t(settingsOf(now->doc).number("samples")); }

  // Those whose document is at work; `ready`: that have what they need, or never will.
  bool jobWaits(bool ready) const;
  bool isReady(const Waiting& w) const {
    return w.needs == Needs::Scene || !scene || !now || !activeCamera(now->doc) || scene->bare() || fullSamples() > 0;
  }

  void run();
  void fail(std::string why);

  // A job's own failure is its own affair.
  static void answer(const Waiting& w, const State* state, const std::string& why);
  // What refining the picture does next.
  enum class Refinement {
    Rest,
    Clean,   ///< denoises what is shown
    Group,   ///< denoises the next light group by itself
    Blink,   ///< a draft of whole paths takes the place of the one with direct light alone
    Draft,   ///< more samples of the draft
    Film,    ///< a pass of the full picture
    CatchUp, ///< samples of what lies beside the frame, of which the picture has more
    Ahead,   ///< other frames of the range, to be kept
  };
  // By the state of the session's thread and the jobs: under the mutex.
  Refinement refinement() const;

  bool catchesUp() const { return fullSamples() > 0 && now->region.width == 0 && full.behind(); }

  bool hasPass(ShownPass pass) const;
  void take(SessionRequest request, Clock::time_point asked);

  LensResult developShown(const LensOptions& options);
  LensOptions lensOptions(const Assets& files);

  // What each stage changes, as a small picture: what it adds, or else what it takes.
  std::vector<SessionImage::LensStageShown> stagesShown(const LensResult& developed);
  void serve(const std::vector<Waiting>& todo);

  template <typename F> bool trace(F f, const Rendering& r) {
    const uint64_t before = r.count().rays;
    const auto start = Clock::now();
    const bool done = f();
    const uint64_t rays = r.count().rays - before;
    raysMade += rays;
    traceRays = traceRays / 2 + rays;
    traceSeconds = traceSeconds / 2 + since(start);
    return done;
  }

  void refine(Refinement what);
  void showDraft();
  void refineFilm();

  Clock::time_point lastRoute{};

  const ViewTable& viewTable(const std::string& view);
  std::vector<uint8_t> display(const Picture& linear, bool quick = false);
  std::vector<uint8_t> display(const Picture& linear, const SessionRequest& as, bool quick);

  Picture passLight(const Rendering& r, const LayerQuery& pass);

  ShownFilm shownFilm(const Rendering& r) const;
  void show(bool withRoute);

  void compareWith(SessionImage& image, const Picture& live, int step);

  std::vector<Color> groupUnits;
  std::pair<const Rendering*, uint32_t> groupUnitsOf;

  std::vector<SessionImage::Group> groupsShown(const Rendering& r);
  void fill(SessionImage& image, const Rendering& r);
  void tell();
  void send(std::shared_ptr<SessionImage> image);
};

} // namespace ilumbra
