#include "core/session/session.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/color/view.h"
#include "core/document/difference.h"
#include "core/lens/convolution.h"
#include "core/lens/resample.h"
#include "core/lens/stack.h"
#include "core/render/air.h"
#include "core/render/plate.h"

#include <atomic>
#include <chrono>
#include <condition_variable>
#include <fmt/format.h>
#include <mutex>
#include <optional>
#include <thread>
#include <utility>

namespace ilumbra {
namespace {

using Clock = std::chrono::steady_clock;
double since(Clock::time_point t) { return std::chrono::duration<double>(Clock::now() - t).count(); }

// The draft: a pixel for 2 × 2, direct light only, so that the first lit picture comes in the time of a few rays.
constexpr int draftStep = 2;
// Then the same pixels with whole paths, as many samples as two of the full picture cost.
constexpr uint32_t draftSamples = 8;
// From so many samples on, a picture is denoised each time they have doubled, and when it is finished.
constexpr uint32_t cleanDraftFrom = 2, cleanFullFrom = 4;

// The query of a light pass, or null.
const LayerQuery* lightPass(ShownPass pass) { return pass < ShownPass::Emission ? nullptr : &lightPasses()[size_t(pass) - size_t(ShownPass::Emission)]; }

// What the denoised groups may take: beyond it another mix is shown raw and denoised after.
constexpr size_t groupMemory = size_t(512) << 20;

bool animated(const Document& doc) {
  return std::any_of(doc.nodes().begin(), doc.nodes().end(), [](const NodePtr& n) { return isAnimated(*n); });
}

// True if going from one document to the other needs rays.
bool needsTracing(const Document& from, const Document& to) {
  for (const Difference& d : differences(from, to)) {
    if (d.stage <= Stage::Mix) continue;
    // What a lens stage takes its light from is a matter of film layers, which the caller compares.
    const Node* n = to.find(d.node);
    if (!n) n = from.find(d.node);
    if (n && (n->kind->family() == "lens" || n->kind->family() == "effect")) continue;
    const bool frameOnly = n && n->kind->id == "picture.settings" && d.param == "frame";
    if (frameOnly && !animated(to)) continue;
    const bool samplesOnly = n && n->kind->id == "picture.settings" && (d.param == "samples" || d.param == "noise");
    if (samplesOnly) continue;
    return true;
  }
  return false;
}

} // namespace

Picture SessionImage::light() const {
  const Picture& p = *linear;
  if (linearStep == 1) return p;
  Picture out(liveWidth, liveHeight);
  // Bilinear: a draft should look soft, not blocky.
  const auto place = [&](int x, int most, int& x0, int& x1) {
    const float f = std::clamp((float(x) + 0.5f) / float(linearStep) - 0.5f, 0.0f, float(most - 1));
    x0 = int(f);
    x1 = std::min(x0 + 1, most - 1);
    return f - float(x0);
  };
  for (int y = 0; y < liveHeight; ++y)
    for (int x = 0; x < liveWidth; ++x) {
      int x0, x1, y0, y1;
      const float ty = place(y, p.height, y0, y1), tx = place(x, p.width, x0, x1);
      const float *a = p.at(x0, y0), *b = p.at(x1, y0), *c = p.at(x0, y1), *d = p.at(x1, y1);
      float* o = out.at(x, y);
      for (int k = 0; k < 3; ++k) o[k] = (a[k] * (1 - tx) + b[k] * tx) * (1 - ty) + (c[k] * (1 - tx) + d[k] * tx) * ty;
    }
  return out;
}

const std::vector<StopsColour>& stopsScale() {
  // From dark to bright, in equal steps of lightness, warm where light clips; our own scale.
  static const std::vector<StopsColour> scale = {{-8, 18, 18, 22},   {-6, 34, 40, 62},    {-4, 44, 74, 98},    {-3, 52, 104, 116},
                                                 {-2, 82, 134, 122}, {-1, 128, 160, 128}, {0, 186, 184, 140},  {1, 222, 190, 112},
                                                 {2, 232, 158, 82},  {4, 222, 112, 76},   {6, 206, 74, 92},    {8, 244, 226, 232}};
  return scale;
}

const std::array<StopsColour, 3>& clipColours() {
  static const std::array<StopsColour, 3> colours = {{{2, 206, 74, 92}, {1, 227, 162, 74}, {0, 70, 120, 108}}};
  return colours;
}

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
  std::optional<SessionRequest> now;
  uint64_t nowEdition = 0; ///< guarded by the mutex as well
  ScenePtr scene;
  Rendering draft, next, full;
  bool madePlaying = false; ///< the scene has its plates as they play
  bool blink = true;     ///< the draft has direct light only
  bool fullStale = true; ///< the full film is of an older scene: it is laid out anew when the draft is done
  std::vector<Color> amounts;
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

  uint32_t fullSamples() const { return fullStale ? 0 : full.samples(); }
  // What is denoised: of which film, at how many samples, and its layers at some amounts of the groups.
  struct Clean {
    const Rendering* of = nullptr;
    uint32_t samples = 0;
    std::optional<Denoiser> weights;
    SceneLight light;                      ///< empty: not made for `amounts` yet
    std::vector<Color> amounts;
    std::vector<std::vector<Picture>> groups; ///< by group and layer at unit power, so that mixing is a sum; a picture without light is empty
    void clear() { *this = Clean(); }
  } clean;

  bool wantsClean() const { return !now->raw && !now->playing && settingsOf(now->doc).flag("denoise"); }
  // A denoised draft is better to look at than a few whole samples.
  const Rendering& shown() const {
    if (fullSamples() == 0) return draft;
    return wantsClean() && clean.of == &draft && fullSamples() < cleanFullFrom && !finished() ? draft : full;
  }
  bool finished() const { return fullSamples() >= target() || (fullSamples() > 0 && full.calm()); }
  bool showsClean() const { return wantsClean() && clean.of == &shown() && !clean.light.empty() && clean.amounts == amounts; }
  // True if the picture shown should be denoised, or denoised anew, before anything else is done.
  bool cleanDue() const {
    if (!wantsClean() || blink) return false;
    const Rendering& r = shown();
    const bool same = clean.of == &r && clean.weights;
    if (same && !showsClean()) return true; // another mix
    const uint32_t from = r.step() > 1 ? cleanDraftFrom : cleanFullFrom;
    if (same && clean.samples == r.samples()) return false;
    if (finished() || now->paused) return r.samples() >= 2;
    return r.samples() >= from && (!same || r.samples() >= 2 * clean.samples);
  }
  // Groups one by one, once there is nothing better to do.
  bool groupsDue() const {
    return showsClean() && finished() && clean.of == &full && clean.groups.size() < scene->groups.size() && scene->groups.size() > 1 &&
           size_t(scene->width) * size_t(scene->height) * 12 * (scene->groups.size() + size_t(scene->table.size())) <= groupMemory;
  }

  uint32_t target() const { return scene && scene->bare() ? 1 : uint32_t(settingsOf(now->doc).number("samples")); }

  // Those whose document is at work; `ready`: that have what they need, or never will.
  bool jobWaits(bool ready) const {
    return std::any_of(jobs.begin(), jobs.end(), [&](const Waiting& w) { return w.edition <= nowEdition && (!ready || isReady(w)); });
  }
  bool isReady(const Waiting& w) const { return w.needs == Needs::Scene || !scene || !now || !activeCamera(now->doc) || scene->bare() || fullSamples() > 0; }

  void run() {
    for (;;) {
      std::optional<SessionRequest> next;
      Clock::time_point asked{};
      std::vector<Waiting> todo;
      {
        std::unique_lock lock(mutex);
        const auto idle = [&] { return !quit && !mailbox && !jobWaits(true) && !hasWork(); };
        while (idle()) wake.wait(lock);
        if (quit) {
          todo = std::exchange(jobs, {});
          lock.unlock();
          for (const Waiting& w : todo) answer(w, nullptr, "Ilumbra is being left");
          return;
        }
        // A job that waits for the document at work comes before a newer one.
        if (jobWaits(true)) {
          const auto split = std::stable_partition(jobs.begin(), jobs.end(), [&](const Waiting& w) { return w.edition > nowEdition || !isReady(w); });
          todo.assign(std::make_move_iterator(split), std::make_move_iterator(jobs.end()));
          jobs.erase(split, jobs.end());
        } else if (mailbox && !jobWaits(false)) {
          next = std::move(mailbox);
          mailbox.reset();
          nowEdition = mailboxEdition;
          asked = mailboxTime;
          cancel.clear();
          cancelLens.clear();
        }
      }
      try {
        if (next) take(std::move(*next), asked);
        else if (!todo.empty()) serve(todo);
        else work();
      } catch (const Error& e) {
        if (e.kind() != Refusal::Cancelled) fail(e.what());
      } catch (const std::bad_alloc&) {
        fail("There is not enough memory for this picture");
      } catch (const std::exception& e) { // of a library: the document is what is to be kept
        fail(fmt::format("The picture cannot be rendered: {}", e.what()));
      } catch (...) {
        fail("The picture cannot be rendered: something in it broke the renderer");
      }
    }
  }

  void fail(std::string why) {
    error = std::move(why);
    scene.reset();
    fullStale = true;
    clean.clear();
    tell();
  }

  // A job's own failure is its own affair.
  static void answer(const Waiting& w, const State* state, const std::string& why) {
    try {
      w.job(state, why);
    } catch (...) {
    }
  }

  bool hasWork() const {
    if (!now || !scene || !activeCamera(now->doc)) return false;
    if (cleanDue() || groupsDue()) return true;
    if (scene->bare()) return !now->playing && fullSamples() == 0; // shown without it; what is written or read off is not
    if (fullSamples() == 0 && jobWaits(false)) return true;
    if (now->paused) return false;
    if (now->playing) return draft.samples() < 2;
    return !finished() || catchesUp();
  }

  bool catchesUp() const { return fullSamples() > 0 && now->region.width == 0 && full.behind(); }

  bool hasPass(ShownPass pass) const {
    const LayerQuery* q = lightPass(pass);
    return !q || std::find(scene->queries.begin(), scene->queries.end(), *q) != scene->queries.end();
  }

  void take(SessionRequest request, Clock::time_point asked) {
    const bool first = !now;
    const bool sameDoc = now && now->doc == request.doc;
    if (!sameDoc) findings.reset();
    std::optional<SessionImage::Change> cost;
    if (now && !sameDoc) {
      cost = {Stage::Display, 0, 0};
      for (const Difference& d : differences(now->doc, request.doc)) cost->stage = std::max(cost->stage, d.stage);
    }
    const bool finer = scene && scene->plates && madePlaying && !request.playing;
    const bool traces = first || !scene || finer || (!sameDoc && needsTracing(now->doc, request.doc)) || !hasLayers(*scene, request.doc) || !hasPass(request.pass);
    // A stage that spreads light asks for what lies beside the frame: the picture itself goes on.
    const bool widens = !traces && !hasSurroundings(*scene, request.doc);
    now = std::move(request);
    raysBefore = raysMade;
    bool compile = traces || widens;
    if (!compile) {
      amounts = balancedAmounts(*scene, now->doc, currentFrame(now->doc));
      compile = amounts.empty();
    }
    if (compile) {
      // Until this is done nothing of the old scene may be taken for the new document.
      const ScenePtr before = std::exchange(scene, nullptr);
      CompileOptions options;
      options.frame = currentFrame(now->doc);
      options.queries = lensQueries(now->doc);
      options.masks = lensMasks(now->doc);
      options.overscan = lensOverscan(now->doc);
      options.playing = now->playing;
      if (const LayerQuery* pass = lightPass(now->pass)) options.queries.push_back(*pass);
      if (widens) {
        options.queries = before->queries;
        options.masks = before->maskQueries;
      }
      ScenePtr made = compileScene(now->doc, options, assets->assets(now->doc.folder(), &cancel), cache, &cancel);
      scene = std::move(made);
      madePlaying = now->playing;
      {
        const std::lock_guard lock(mutex);
        sharedScene = scene;
      }
      amounts = scene->amounts;
      error.clear();
      if (widens && fullSamples() > 0 && !scene->bare() && scene->groups.size() == before->groups.size() && scene->table.size() == before->table.size()) {
        draft.restart(scene, draftStep, true); // it is not shown any more
        full.widen(scene);
        if (clean.of == &draft) clean.clear();
        clean.light.beside.clear();
      } else {
        draft.restart(scene, scene->bare() ? 8 : draftStep, true);
        clean.clear();
        groupUnitsOf = {};
        fullStale = true;
        blink = true;
        trace([&] { return draft.advance(tasks, 1, cancel); }, draft);
      }
    }
    full.reconsider();
    mixClean();
    if (cost) {
      cost->seconds = since(asked);
      cost->rays = raysMade - raysBefore;
      change = cost;
    }
    show(true);
  }

  // With all groups at hand another mix is a sum.
  void mixClean() {
    if (!scene || !wantsClean() || clean.groups.size() != scene->groups.size() || clean.amounts == amounts) return;
    for (size_t q = 0; q < size_t(scene->table.size()); ++q) {
      Picture& p = clean.light.layers[q];
      const size_t row = size_t(p.width) * 3;
      tasks.forEach(p.height, [&](int y) {
        std::fill_n(p.rgb.begin() + std::ptrdiff_t(size_t(y) * row), row, 0.0f);
        for (size_t g = 0; g < amounts.size(); ++g) {
          const Picture& of = clean.groups[g][q];
          if (of.rgb.empty() || isBlack(amounts[g])) continue;
          for (size_t i = size_t(y) * row; i < size_t(y + 1) * row; i += 3)
            for (int k = 0; k < 3; ++k) p.rgb[i + size_t(k)] += of.rgb[i + size_t(k)] * amounts[g][k];
        }
      });
    }
    clean.light.beside = lightBeside(*scene, full.film(), amounts, tasks);
    clean.amounts = amounts;
  }

  void makeClean() {
    const Rendering& r = shown();
    if (clean.of != &r || clean.samples != r.samples() || !clean.weights) {
      Clean next;
      next.of = &r;
      next.samples = r.samples();
      next.weights.emplace(r.film(), tasks, &cancel);
      next.light = sceneLight(*scene, r.film(), amounts, tasks, &*next.weights, &cancel);
      next.amounts = amounts;
      clean = std::move(next);
    } else {
      clean.light = sceneLight(*scene, r.film(), amounts, tasks, &*clean.weights, &cancel);
      clean.amounts = amounts;
    }
    show(true);
  }

  void makeGroup() {
    const int g = int(clean.groups.size());
    const auto stored = size_t(scene->table.size());
    std::vector<Picture> raw, made(stored);
    std::vector<const Picture*> lit;
    for (size_t l = 0; l < stored; ++l) raw.push_back(collectLayersOfGroup(full.film(), 1u << l, g, Color(1.0f), 1, tasks));
    std::vector<size_t> which;
    for (size_t q = 0; q < raw.size(); ++q)
      if (std::any_of(raw[q].rgb.begin(), raw[q].rgb.end(), [](float v) { return v != 0; })) {
        lit.push_back(&raw[q]);
        which.push_back(q);
      }
    std::vector<Picture> out = lit.empty() ? std::vector<Picture>() : clean.weights->apply(lit, tasks, &cancel);
    for (size_t i = 0; i < which.size(); ++i) made[which[i]] = std::move(out[i]);
    clean.groups.push_back(std::move(made));
  }

  LensResult developShown(const LensOptions& options) {
    const double frame = currentFrame(now->doc);
    if (showsClean()) return develop(now->doc, frame, *scene, shown().film(), clean.light, tasks, options);
    return develop(now->doc, frame, *scene, shown().film(), amounts, tasks, options);
  }
  LensOptions lensOptions(const Assets& files) {
    return {.on = now->withLens, .solo = now->soloStage, .until = now->lastStage, .before = now->beforeStage, .assets = &files, .cancel = &cancelLens, .convolutions = &convolutions};
  }

  // What each stage changes, as a small picture: what it adds, or else what it takes.
  std::vector<SessionImage::LensStageShown> stagesShown(const LensResult& developed) {
    std::vector<SessionImage::LensStageShown> out;
    constexpr int wide = 96;
    for (const StageResult& s : developed.stages) {
      const Picture &more = s.work.spread, &less = s.work.taken;
      const int w = std::min(wide, more.width), h = std::max(1, w * more.height / std::max(1, more.width));
      Picture small(w, h);
      small.rgb = shrunk(more.rgb, more.width, more.height, 3, w, h, tasks);
      const std::vector<float> taken = shrunk(less.rgb, less.width, less.height, 3, w, h, tasks);
      for (size_t i = 0; i < taken.size(); ++i) small.rgb[i] = std::abs(small.rgb[i] - taken[i]);
      // Nine stops below white nobody sees it.
      const Node* n = now->doc.find(s.stage);
      const bool faint = s.idle.empty() && n && stageOf(*n).level > 0 && std::none_of(small.rgb.begin(), small.rgb.end(), [](float v) { return v > 0.002f; });
      out.push_back({s.stage, faint ? std::string(tooFaint) : s.idle, w, h, display(small, true)});
    }
    return out;
  }

  void serve(const std::vector<Waiting>& todo) {
    const auto refuse = [&](const std::string& why) {
      for (const Waiting& w : todo) answer(w, nullptr, why);
    };
    if (!scene || !now) return refuse(error.empty() ? "there is no picture yet" : error);
    if (!activeCamera(now->doc)) return refuse("there is no camera: add one, then there is a picture");
    // The denoised draft may look better than a few whole samples; who asks for the picture gets the picture.
    for (const Needs needs : {Needs::Scene, Needs::Picture}) {
      std::vector<Waiting> these;
      std::copy_if(todo.begin(), todo.end(), std::back_inserter(these), [&](const Waiting& w) { return w.needs == needs; });
      if (these.empty()) continue;
      const Rendering& of = needs == Needs::Picture && fullSamples() > 0 ? full : shown();
      const bool cleaned = showsClean() && &of == &shown();
      std::optional<LensResult> developed;
      try {
        const Assets files = assets->assets(now->doc.folder(), &leaving);
        const LensOptions options{.on = now->withLens, .assets = &files, .cancel = &leaving, .convolutions = &convolutions};
        const double frame = currentFrame(now->doc);
        developed = cleaned ? develop(now->doc, frame, *scene, of.film(), clean.light, tasks, options) : develop(now->doc, frame, *scene, of.film(), amounts, tasks, options);
      } catch (const std::exception& e) {
        for (const Waiting& w : these) answer(w, nullptr, e.what());
        continue;
      }
      const State state{now->doc, of, amounts, *developed, cleaned ? &*clean.weights : nullptr, tasks, leaving};
      for (const Waiting& w : these) answer(w, &state, {});
    }
  }

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

  void work() {
    if (cleanDue()) return makeClean();
    if (groupsDue()) return makeGroup();
    if (scene->bare()) blink = false;
    else if (fullSamples() == 0 && draft.samples() < draftSamples) {
      if (blink) {
        next.restart(scene, draftStep);
        if (!trace([&] { return next.advance(tasks, 1, cancel); }, next)) return;
        std::swap(draft, next);
        clean.clear();
        groupUnitsOf = {};
        blink = false;
      } else if (!trace([&] { return draft.advance(tasks, draft.samples() * 2, cancel); }, draft)) {
        return;
      }
      if (!cleanDue()) show(draft.samples() >= draftSamples);
      return;
    }
    if (fullStale) {
      full.restart(scene);
      fullStale = false;
    }
    if (catchesUp()) {
      if (!trace([&] { return full.catchUp(tasks, cancel); }, full)) return;
      if (clean.of == &full && !clean.light.empty()) clean.light.beside = lightBeside(*scene, full.film(), clean.amounts, tasks);
      return show(false);
    }
    const Region& region = now->region;
    // Around the pointer a picture has four times the samples, until it is finished.
    if (const int64_t at = pointer; at >= 0 && full.samples() > 0 && region.width == 0) {
      const int side = scene->height / 3, x = int(at >> 32), y = int(at & 0xffffffff);
      const uint32_t samples = std::min(target(), 4 * full.samples());
      if (!trace([&] { return full.ahead(tasks, samples, cancel, {std::max(0, x - side / 2), std::max(0, y - side / 2), side, side}); }, full)) return;
    }
    const bool done = trace([&] { return full.advance(tasks, full.nextPass(target()), cancel, region, settingsOf(now->doc).number("noise")); }, full);
    if (!done || cleanDue()) return;
    // Often at first, then as the eye can still tell.
    const bool last = finished();
    if (full.samples() <= 4 || since(lastDelivery.load()) > 0.25 || last) show(full.samples() <= 2 || since(lastRoute) > 2 || last);
  }

  Clock::time_point lastRoute{};

  const ViewTable& viewTable(const std::string& view) {
    if (!table || tableView != view) {
      table = std::make_shared<ViewTable>(*views, view, tasks);
      tableView = view;
    }
    return *table;
  }

  std::vector<uint8_t> display(const Picture& linear, bool quick = false) {
    const std::string view = settingsOf(now->doc).text("view");
    if (now->stopsOverlay) return overlay(linear);
    return viewTable(view).apply(linear, tasks, float(std::exp2(now->viewStops)), quick);
  }

  // Diagonal stripes over what the view leaves without any detail: all white, one channel at its end, all black.
  void markClipping(SessionImage& image) {
    std::atomic<size_t> white{0}, black{0};
    tasks.forEach(image.height, [&](int y) {
      size_t whites = 0, blacks = 0;
      for (int x = 0; x < image.width; ++x) {
        uint8_t* o = image.rgba.data() + 4 * (size_t(y) * size_t(image.width) + size_t(x));
        const int full = (o[0] == 255) + (o[1] == 255) + (o[2] == 255);
        const bool none = !o[0] && !o[1] && !o[2];
        whites += full == 3;
        blacks += none;
        if ((!full && !none) || ((x + y) >> 1) % 3) continue;
        const StopsColour& c = full == 3 ? clipColours()[0] : full ? clipColours()[1] : clipColours()[2];
        o[0] = c.r;
        o[1] = c.g;
        o[2] = c.b;
      }
      white += whites;
      black += blacks;
    });
    const double n = std::max(1.0, double(image.width) * image.height);
    image.clippedWhite = double(white) / n;
    image.clippedBlack = double(black) / n;
  }

  std::vector<uint8_t> overlay(const Picture& p) {
    const auto& scale = stopsScale();
    std::vector<uint8_t> out(p.pixels() * 4);
    tasks.forEach(p.height, [&](int y) {
      for (int x = 0; x < p.width; ++x) {
        const float l = luminance(p.color(x, y));
        const float stops = l > 0 ? std::log2(l) : -100;
        const StopsColour* c = &scale.front();
        for (const StopsColour& s : scale)
          if (stops >= float(s.stops) - 0.5f) c = &s;
        uint8_t* o = out.data() + 4 * (size_t(y) * size_t(p.width) + size_t(x));
        o[0] = c->r;
        o[1] = c->g;
        o[2] = c->b;
        o[3] = 255;
      }
    });
    return out;
  }

  // Passes without light are data: shown as they are, by the sRGB curve alone where they are colours.
  std::vector<uint8_t> displayPass(const Film& film, int width, int height, int step) {
    const bool cleaned = showsClean() && !clean.light.covers.alpha.empty();
    float far = 0;
    for (size_t i = 0; i < size_t(film.width()) * size_t(film.height()); ++i) far = std::max(far, film.depth(i));
    std::vector<uint8_t> out(size_t(width) * size_t(height) * 4);
    const auto byte = [](float v) { return uint8_t(clamp01(v) * 255 + 0.5f); };
    const auto curve = [](float v) { return v <= 0.0031308f ? 12.92f * v : 1.055f * std::pow(v, 1 / 2.4f) - 0.055f; };
    tasks.forEach(height, [&](int y) {
      for (int x = 0; x < width; ++x) {
        const size_t i = size_t(std::min(y / step, film.height() - 1)) * size_t(film.width()) + size_t(std::min(x / step, film.width() - 1));
        uint8_t* o = out.data() + 4 * (size_t(y) * size_t(width) + size_t(x));
        Color c(0.0f);
        switch (now->pass) {
        case ShownPass::Alpha: c = Color(cleaned ? clean.light.covers.alpha[i] : film.alpha(i)); break;
        case ShownPass::Depth: c = Color(far > 0 && film.depth(i) > 0 ? 1 - 0.92f * film.depth(i) / far : 0); break;
        case ShownPass::Normal:
          if (film.alpha(i) > 0) c = film.normal(i) * 0.5f + Color(0.5f);
          break;
        case ShownPass::Albedo: c = vmax(film.albedo(i), Color(0.0f)); break;
        case ShownPass::Identity: {
          const Film::Ranked& r = film.identity(i);
          float total = 0;
          for (size_t k = 0; k < size_t(Film::ranks); ++k) {
            if (r.weight[k] <= 0) continue;
            const uint32_t h = mixBits(r.thing[k] * 2654435761u + 77u);
            c += Color(0.25f + 0.6f * float(h & 255) / 255, 0.25f + 0.6f * float(h >> 8 & 255) / 255, 0.25f + 0.6f * float(h >> 16 & 255) / 255) * r.weight[k];
            total += r.weight[k];
          }
          if (total > 0) c *= film.alpha(i) / total;
          break;
        }
        case ShownPass::AirDepth: {
          // Of the air up to what is seen, by the colours of the stops: those of its power of two.
          AirWay way;
          const Ray ray = scene->camera.through(float(x) + 0.5f, float(y) + 0.5f);
          const float seen = film.depth(i);
          if (scene->air) scene->air->along(ray.origin, ray.direction, seen > 0 ? seen : std::numeric_limits<float>::infinity(), way);
          const float depth = scene->air ? scene->air->shownDepth(way, ray.origin, ray.direction) : 0;
          const StopsColour* colour = &stopsScale().front();
          for (const StopsColour& s : stopsScale())
            if (depth > 1e-5f && std::log2(depth) >= float(s.stops) - 0.5f) colour = &s;
          c = Color(float(colour->r), float(colour->g), float(colour->b)) * (1 / 255.0f);
          break;
        }
        default: break;
        }
        const bool data = now->pass == ShownPass::AirDepth || now->pass == ShownPass::Alpha || now->pass == ShownPass::Normal || now->pass == ShownPass::Depth || now->pass == ShownPass::Identity;
        for (int k = 0; k < 3; ++k) o[k] = byte(data ? c[k] : curve(c[k]));
        o[3] = 255;
      }
    });
    return out;
  }

  Picture passLight(const Rendering& r, const LayerQuery& pass) {
    const float exposure = exposureFactor(now->doc, currentFrame(now->doc));
    if (!showsClean()) return collect(r.film(), layerIndex(*scene, pass), amounts, exposure, tasks);
    Picture p = queryLight(*scene, clean.light, pass);
    for (float& v : p.rgb) v *= exposure;
    return p;
  }

  // What covers by its alpha, over a chequerboard of two greys.
  void overChequers(std::vector<uint8_t>& rgba, const Rendering& r) {
    const Film& film = r.film();
    const int width = scene->width, step = r.step();
    const Plates* plates = scene->plates && scene->plates->behind.light.width + scene->plates->front.light.width > 0 ? scene->plates.get() : nullptr;
    const bool alone = scene->bare(), cleaned = showsClean() && !clean.light.covers.alpha.empty();
    tasks.forEach(scene->height, [&](int y) {
      for (int x = 0; x < width; ++x) {
        const size_t i = size_t(std::min(y / step, film.height() - 1)) * size_t(film.width()) + size_t(std::min(x / step, film.width() - 1));
        const float own = alone ? 0 : clamp01(cleaned ? clean.light.covers.alpha[i] : film.alpha(i));
        float covers = own;
        if (plates) {
          const size_t full = size_t(y) * size_t(width) + size_t(x);
          const float back = plates->behind.alpha.empty() ? 0 : plates->behind.alpha[full], front = plates->front.alpha.empty() ? 0 : plates->front.alpha[full];
          covers = front + (1 - front) * (own + (1 - own) * back);
        }
        const float bare = 1 - covers, kept = scene->skies.empty() ? 1 : covers, tile = ((x / 12 + y / 12) & 1) ? 74.0f : 56.0f;
        uint8_t* o = rgba.data() + 4 * (size_t(y) * size_t(width) + size_t(x));
        // A sky that is seen is no part of what covers; all other light has its alpha in it already.
        for (int k = 0; k < 3; ++k) o[k] = uint8_t(std::min(255.0f, float(o[k]) * kept + tile * bare + 0.5f));
      }
    });
  }

  void show(bool withRoute) {
    if (!scene) return;
    const Rendering& r = shown();
    const double frame = currentFrame(now->doc);
    // Readings are of the film, which has fewer pixels at first; plates alone are there at once, whole.
    const bool bare = scene->bare();
    const Assets files = assets->assets(now->doc.folder(), &cancel);
    const bool measures = now->effect && now->doc.find(now->effect) && (withRoute || !route || route->effect != now->effect);
    LensOptions options = lensOptions(files);
    lensStart = Clock::now();
    options.works = now->stages || measures;
    const LensResult developed = developShown(options);
    const LensResult plates = bare ? developPlates(now->doc, frame, *scene, tasks, options) : LensResult();
    const Picture& picture = bare ? plates.picture : developed.picture;
    const int step = bare ? 1 : r.step();
    auto image = std::make_shared<SessionImage>();
    image->width = image->liveWidth = scene->width;
    image->height = image->liveHeight = scene->height;
    image->linear = std::make_shared<const Picture>(picture);
    image->linearStep = step;
    image->effects = readEffects(now->doc, frame, *scene, r.film(), amounts, developed, tasks);
    if (measures) {
      route = std::make_shared<const Route>(measureRoute(now->doc, now->effect, frame, *scene, r.film(), amounts, developed, tasks));
      lastRoute = Clock::now();
    }
    if (!now->effect) route.reset();
    image->route = route;
    // Not before the first picture: rays are cast for it.
    if (!findings && !blink) findings = std::make_shared<const std::vector<Finding>>(findThings(now->doc, frame, *scene));
    image->findings = findings;
    fill(*image, r);
    if (now->groups) image->groups = groupsShown(r);
    image->notNumbers = bare ? plates.notNumbers : developed.notNumbers;
    if (image->notNumbers) image->troubles.push_back(fmt::format("{} pixels are no numbers: they take their neighbours' light", image->notNumbers));
    if (now->stages) image->stages = stagesShown(bare ? plates : developed);
    if (now->left) {
      const Picture left = now->left->picture();
      image->width = left.width;
      image->height = left.height;
      compareWith(*image, left, 1);
    } else {
      compareWith(*image, picture, step);
      if (now->compare == Compare::None) {
        if (const LayerQuery* pass = lightPass(now->pass)) compareWith(*image, passLight(r, *pass), r.step());
        else if (now->pass == ShownPass::Over) overChequers(image->rgba, r);
        else if (now->pass != ShownPass::Light) image->rgba = displayPass(r.film(), scene->width, scene->height, r.step());
      }
    }
    send(std::move(image));
  }

  // The view of a draft is taken at its own size: a quarter of the work, and the eye cannot tell. Bilinear, in 1/(2 step)
  // of the small pixels, clamped at the rims: rows first, then columns.
  static std::vector<uint8_t> enlargeBytes(const std::vector<uint8_t>& in, int w, int h, int step, int width, int height, const Tasks& tasks) {
    std::vector<uint8_t> out(size_t(width) * size_t(height) * 4);
    const int unit = 2 * step;
    std::vector<std::pair<int, int>> columns(static_cast<size_t>(width));
    const auto place = [&](int x, int most) {
      const int f = std::clamp(2 * x + 1 - step, 0, unit * (most - 1));
      return std::pair{f / unit, f % unit};
    };
    for (int x = 0; x < width; ++x) columns[size_t(x)] = place(x, w);
    constexpr int band = 16;
    tasks.forEach((height + band - 1) / band, [&](int strip) {
      std::vector<uint16_t> row(size_t(w + 1) * 4);
      for (int y = strip * band; y < std::min(height, (strip + 1) * band); ++y) {
        const auto [y0, ty] = place(y, h);
        const uint8_t *above = in.data() + 4 * size_t(y0) * size_t(w), *below = in.data() + 4 * size_t(std::min(y0 + 1, h - 1)) * size_t(w);
        for (int i = 0; i < 4 * w; ++i) row[size_t(i)] = uint16_t(above[i] * (unit - ty) + below[i] * ty);
        for (size_t k = 0; k < 4; ++k) row[4 * size_t(w) + k] = row[4 * size_t(w - 1) + k];
        uint8_t* o = out.data() + 4 * size_t(y) * size_t(width);
        for (const auto& [x0, tx] : columns) {
          const uint16_t* a = row.data() + 4 * size_t(x0);
          for (int k = 0; k < 4; ++k) o[k] = uint8_t((a[k] * (unit - tx) + a[k + 4] * tx + unit * unit / 2) / (unit * unit));
          o += 4;
        }
      }
    });
    return out;
  }

  // Every second pixel's mean with its three neighbours.
  Picture halved(const Picture& p) {
    Picture out((p.width + 1) / 2, (p.height + 1) / 2);
    tasks.forEach(out.height, [&](int y) {
      const float *a = p.at(0, 2 * y), *b = p.at(0, std::min(2 * y + 1, p.height - 1));
      float* o = out.at(0, y);
      for (int x = 0; x < out.width; ++x) {
        const int left = 6 * x, right = 3 * std::min(2 * x + 1, p.width - 1);
        for (int c = 0; c < 3; ++c) *o++ = 0.25f * (a[left + c] + a[right + c] + b[left + c] + b[right + c]);
      }
    });
    return out;
  }

  void compareWith(SessionImage& image, const Picture& live, int step) {
    if (now->compare == Compare::Difference && now->proof) {
      image.rgba = display(differencePicture(step == 1 ? live : image.light(), now->proof->picture()));
      return;
    }
    if (step == 1 && now->playing) { // as quick as a draft
      const Picture small = halved(live);
      image.rgba = enlargeBytes(display(small, true), small.width, small.height, 2, image.width, image.height, tasks);
    } else {
      image.rgba = display(live, step > 1);
      if (step > 1) image.rgba = enlargeBytes(image.rgba, live.width, live.height, step, image.width, image.height, tasks);
    }
    if (now->clipping && !now->stopsOverlay) markClipping(image);
    if (now->compare != Compare::None && now->proof) {
      image.otherWidth = now->proof->width;
      image.otherHeight = now->proof->height;
      image.otherRgba = display(now->proof->picture());
    }
  }

  std::vector<Color> groupUnits;
  std::pair<const Rendering*, uint32_t> groupUnitsOf;

  std::vector<SessionImage::Group> groupsShown(const Rendering& r) {
    if (groupUnitsOf != std::pair{&r, r.samples()}) {
      groupUnits = groupMeans(r.film(), 0, tasks);
      groupUnitsOf = {&r, r.samples()};
    }
    std::vector<SessionImage::Group> out;
    double total = 0;
    for (size_t g = 0; g < scene->groups.size() && g < groupUnits.size(); ++g) {
      const double l = std::max(0.0, double(luminance(groupUnits[g] * amounts[g])));
      total += l;
      out.push_back({{scene->groups[g].node, scene->groups[g].object, scene->groups[g].copy}, scene->groups[g].name, amounts[g], l});
    }
    for (SessionImage::Group& g : out) g.share = total > 0 ? g.share / total : 0;
    return out;
  }

  void fill(SessionImage& image, const Rendering& r) {
    image.samples = r.step() == 1 || scene->bare() ? r.samples() : 0;
    image.target = target();
    image.draft = r.step() > 1 && !scene->bare();
    image.denoised = showsClean();
    // Without a camera there is nothing to wait for.
    image.finished = (!image.draft && finished() && !catchesUp()) || !activeCamera(now->doc);
    image.noise = image.draft ? 1 : r.film().noise();
    image.raysPerSecond = traceSeconds > 0 ? double(traceRays) / traceSeconds : 0;
    image.raysSinceRequest = raysMade - raysBefore;
    image.change = change;
    image.frame = currentFrame(now->doc);
    image.troubles = scene->troubles;
    const uint64_t pathsMade = r.count().paths, rays = r.count().rays;
    const double perPath = pathsMade ? double(rays) / double(pathsMade) : 0;
    const double pixels = now->region.width > 0 ? double(now->region.width) * now->region.height : double(scene->width) * scene->height;
    const double left = pixels * std::max(0.0, double(target()) - double(image.samples));
    image.secondsLeft = image.raysPerSecond > 0 ? left * perPath / image.raysPerSecond : 0;
  }

  void tell() {
    auto image = std::make_shared<SessionImage>();
    image->error = error;
    send(std::move(image));
  }

  void send(std::shared_ptr<SessionImage> image) {
    image->edition = nowEdition;
    if (now) image->doc = now->doc;
    lastDelivery = Clock::now();
    deliver(std::move(image));
  }
};

Session::Session(std::shared_ptr<AssetCache> assets, std::shared_ptr<const ColorViews> views, Deliver deliver, int threads)
    : m_content(std::make_unique<Content>(threads)) {
  Content& c = *m_content;
  c.assets = std::move(assets);
  c.views = std::move(views);
  c.deliver = std::move(deliver);
  c.thread = std::thread([&c] { c.run(); });
}

Session::~Session() {
  {
    const std::lock_guard lock(m_content->mutex);
    m_content->quit = true;
    m_content->cancel.request();
    m_content->cancelLens.request();
    m_content->leaving.request();
  }
  m_content->wake.notify_all();
  m_content->thread.join();
}

uint64_t Session::submit(SessionRequest request) {
  Content& c = *m_content;
  uint64_t edition;
  {
    const std::lock_guard lock(c.mutex);
    if (!c.mailbox) c.mailboxTime = Clock::now();
    c.mailbox = std::move(request);
    edition = c.mailboxEdition = ++c.edition;
    if (!c.jobWaits(false)) {
      c.cancel.request();
      // A slow lens is broken off, but a stream of requests (a value that is dragged) has its pictures all the same.
      if (since(c.lensStart.load()) > 0.3 && since(c.lastDelivery.load()) < 1) c.cancelLens.request();
    }
  }
  c.wake.notify_all();
  return edition;
}

void Session::setPointer(int x, int y) { m_content->pointer = x < 0 || y < 0 ? -1 : int64_t(x) << 32 | int64_t(y); }

void Session::run(Job job, Needs needs) {
  Content& c = *m_content;
  {
    const std::lock_guard lock(c.mutex);
    c.jobs.push_back({std::move(job), needs, c.edition});
  }
  c.wake.notify_all();
}

ScenePtr Session::scene() const {
  const std::lock_guard lock(m_content->mutex);
  return m_content->sharedScene;
}

} // namespace ilumbra
