#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/compile/even_patterns.h"
#include "core/session/session_content.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/base/memory.h"
#include "core/compile/plate.h"
#include "core/display/view.h"
#include "core/document/difference.h"
#include "core/image/convolution.h"
#include "core/image/resample.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"
#include "core/scene/media.h"

#include <atomic>
#include <chrono>
#include <condition_variable>
#include <fmt/format.h>
#include <mutex>
#include <optional>
#include <thread>
#include <utility>

namespace ilumbra {
bool animated(const Document& doc) {
  return std::any_of(doc.nodes().begin(), doc.nodes().end(), [](const NodePtr& n) { return isAnimated(*n); });
}

// True if going from one document to the other needs rays.
bool needsTracing(const Document& from, const Document& to) {
  for (const Difference& d : differences(from, to)) {
    if (d.stage <= Invalidation::Mix) continue;
    // What a lens stage takes its light from is a matter of film layers, which the caller compares: so are the things
    // that an effect stands for, unless it is more than their name.
    const Node* n = to.find(d.node);
    if (!n) n = from.find(d.node);
    if (n && n->kind->family() == "lens") continue;
    if (n && !n->kind->standsFor.empty() && d.param == n->kind->standsFor && n->kind->role.empty()) continue;
    const bool frameOnly = n && n->kind->id == "picture.settings" && d.param == "frame";
    if (frameOnly && !animated(to)) continue;
    const bool samplesOnly = n && n->kind->id == "picture.settings" && (d.param == "samples" || d.param == "noise");
    if (samplesOnly) continue;
    return true;
  }
  return false;
}

bool Session::Content::cleanDue() const {
  const Rendering& r = shown();
  if (!wantsClean() || r.samples() == 0) return false;
  const bool same = clean.isOf(r) && !clean.empty();
  if (same && !showsClean()) return true; // another mix
  if (same && clean.samples() == r.samples()) return false;
  if (finished()) return r.samples() >= 2; // as a file has it
  return now->paused || !same || r.samples() >= 2 * clean.samples();
}

bool Session::Content::groupsDue() const {
  return showsClean() && finished() && clean.isOf(full) && clean.groups() < scene->groups.size() &&
         scene->groups.size() > 1 &&
         size_t(scene->width) * size_t(scene->height) * 12 * (scene->groups.size() + size_t(scene->table.size())) <=
             groupMemory;
}

bool Session::Content::jobWaits(bool ready) const {
  return std::any_of(jobs.begin(), jobs.end(),
                     [&](const Waiting& w) { return w.edition <= nowEdition && (!ready || isReady(w)); });
}

void Session::Content::run() {
  for (;;) {
    std::optional<SessionRequest> next;
    Clock::time_point asked{};
    std::vector<Waiting> todo;
    Refinement step = Refinement::Rest;
    {
      std::unique_lock lock(mutex);
      const auto idle = [&] {
        step = refinement();
        return !quit && !mailbox && !jobWaits(true) && step == Refinement::Rest;
      };
      while (idle()) wake.wait(lock);
      if (quit) {
        todo = std::exchange(jobs, {});
        lock.unlock();
        for (const Waiting& w : todo) answer(w, nullptr, "Ilumbra is being left");
        return;
      }
      // A job that waits for the document at work comes before a newer one.
      if (jobWaits(true)) {
        const auto split = std::stable_partition(
            jobs.begin(), jobs.end(), [&](const Waiting& w) { return w.edition > nowEdition || !isReady(w); });
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
      if (next)
        take(std::move(*next), asked);
      else if (!todo.empty())
        serve(todo);
      else
        refine(step);
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::Cancelled) fail(e.what());
    } catch (const std::bad_alloc&) {
      fail("There is not enough memory for this picture");
    } catch (const std::exception& e) { // of a library: the document is what is to be kept
      fail(fmt::format("The picture cannot be rendered: {}", e.what()));
    } catch (...) {
      fail("The picture cannot be rendered: something in it broke the renderer");
    }
  }
}

void Session::Content::fail(std::string why) {
  error = std::move(why);
  scene.reset();
  fullStale = true;
  clean.clear();
  tell();
}

void Session::Content::answer(const Waiting& w, const State* state, const std::string& why) {
  try {
    w.job(state, why);
  } catch (...) {
  }
}

Session::Content::Refinement Session::Content::refinement() const {
  if (!now || !scene || !activeCamera(now->doc)) return Refinement::Rest;
  if (played) return Refinement::Rest;
  if (cleanDue()) return Refinement::Clean;
  if (groupsDue()) return Refinement::Group;
  // Plates alone are shown without a film; what is written or read off is not.
  if (scene->bare()) return !now->playing && fullSamples() == 0 ? Refinement::Film : Refinement::Rest;
  const bool asked = fullSamples() == 0 && jobWaits(false);
  // The frame at hand first, as far as the coarsest that is kept; then the others, then all better.
  if (now->ahead && !now->playing && !asked && !scene->bare() &&
      (fullSamples() >= std::min(target(), aheadFirst) || finished() || now->paused) && (staleUnknown || nextAhead()))
    return Refinement::Ahead;
  const bool enough = now->paused || (now->playing ? draft.samples() >= 2 : finished() && !catchesUp());
  if (!asked && enough) return Refinement::Rest;
  if (fullSamples() == 0 && draft.samples() < draftSamples) return blink ? Refinement::Blink : Refinement::Draft;
  return catchesUp() ? Refinement::CatchUp : Refinement::Film;
}

bool Session::Content::hasPass(ShownPass pass) const {
  const LayerQuery* q = lightPass(pass);
  return !q || std::find(scene->queries.begin(), scene->queries.end(), *q) != scene->queries.end();
}

void Session::Content::take(SessionRequest request, Clock::time_point asked) {
  checkKept(request.doc);
  if (!now || request.keptLimit != frames.limit() || request.firstFrame != now->firstFrame ||
      request.lastFrame != now->lastFrame)
    keptFull = false;
  frames.setLimit(request.keptLimit);
  if (request.playing && showKept(request)) return;
  played.reset();
  written = request.doc;
  request.doc = withEvenValues(request.doc, currentFrame(request.doc), assets->assets(request.doc.folder(), &cancel));
  const bool first = !now;
  const bool sameDoc = now && now->doc == request.doc;
  if (!sameDoc) findings.reset();
  std::optional<SessionImage::Change> cost;
  if (now && !sameDoc) {
    cost = {Invalidation::Display, 0, 0};
    for (const Difference& d : differences(now->doc, request.doc)) cost->stage = std::max(cost->stage, d.stage);
  }
  const bool finer = scene && scene->plates && madePlaying && !request.playing;
  const bool traces = first || !scene || finer || (!sameDoc && needsTracing(now->doc, request.doc)) ||
                      !hasLayers(*scene, request.doc) || !hasPass(request.pass);
  // A stage that spreads light asks for what lies beside the frame: the picture itself goes on.
  const bool widens = !traces && !hasSurroundings(*scene, request.doc);
  now = std::move(request);
  raysBefore = raysMade;
  bool compile = traces || widens;
  if (!compile) {
    groupScales = balancedScales(*scene, now->doc, currentFrame(now->doc));
    compile = groupScales.empty();
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
    groupScales = scene->groupScales;
    error.clear();
    if (widens && fullSamples() > 0 && !scene->bare() && scene->groups.size() == before->groups.size() &&
        scene->table.size() == before->table.size()) {
      draft.restart(scene, draftStep, true); // it is not shown any more
      full.widen(scene);
      if (clean.isOf(draft)) clean.clear();
      clean.forgetBeside();
    } else {
      draft.restart(scene, scene->bare() ? 8 : draftStep, true);
      clean.clear();
      groupUnitsOf = {};
      fullStale = true;
      blink = true;
      const auto begin = Clock::now();
      const bool done = trace([&] { return draft.advance(tasks, 1, cancel); }, draft);
      // Where rays take their time, speckles are not worth showing; else the picture that answers a hand comes first.
      if (done && wantsClean() && !scene->bare() && since(begin) > cleanFirstFrom) {
        try {
          clean.make(*scene, draft, groupScales, tasks, cancel);
        } catch (const Error& e) { // there is a newer request: a stream of them has its pictures all the same
          if (e.kind() != ErrorKind::Cancelled) throw;
        }
      }
    }
  }
  full.reconsider();
  if (scene && wantsClean()) clean.mix(*scene, groupScales, tasks);
  if (cost) {
    cost->seconds = since(asked);
    cost->rays = raysMade - raysBefore;
    change = cost;
  }
  show(true);
}

LensResult Session::Content::developShown(const LensOptions& options) {
  const double frame = currentFrame(now->doc);
  if (showsClean()) return develop(now->doc, frame, *scene, shown().film(), clean.light(), tasks, options);
  return develop(now->doc, frame, *scene, shown().film(), groupScales, tasks, options);
}

LensOptions Session::Content::lensOptions(const Assets& files) {
  return {.on = now->withLens,
          .solo = now->soloStage,
          .until = now->lastStage,
          .before = now->beforeStage,
          .assets = &files,
          .cancel = &cancelLens,
          .convolutions = &convolutions};
}

void Session::Content::serve(const std::vector<Waiting>& todo) {
  const auto refuse = [&](const std::string& why) {
    for (const Waiting& w : todo) answer(w, nullptr, why);
  };
  if (played) {
    // They work on the frame that is shown: it is compiled after all.
    SessionRequest shownNow = *played;
    shownNow.playing = false;
    try {
      take(std::move(shownNow), Clock::now());
    } catch (const std::exception& e) {
      return refuse(e.what());
    }
  }
  if (!scene || !now) return refuse(error.empty() ? "there is no picture yet" : error);
  if (!activeCamera(now->doc)) return refuse("there is no camera: add one, then there is a picture");
  const bool cleaned = showsClean();
  std::optional<LensResult> developed;
  try {
    const FileAssets files = assets->assets(now->doc.folder(), &leaving);
    const LensOptions options{.on = now->withLens, .assets = &files, .cancel = &leaving, .convolutions = &convolutions};
    const double frame = currentFrame(now->doc);
    developed = cleaned ? develop(now->doc, frame, *scene, shown().film(), clean.light(), tasks, options)
                        : develop(now->doc, frame, *scene, shown().film(), groupScales, tasks, options);
  } catch (const std::exception& e) {
    return refuse(e.what());
  }
  const State state{now->doc,   written ? *written : now->doc,        shown(), groupScales,
                    *developed, cleaned ? clean.denoiser() : nullptr, tasks,   leaving};
  for (const Waiting& w : todo) answer(w, &state, {});
}

void Session::Content::refine(Refinement what) {
  switch (what) {
  case Refinement::Rest:
    return;
  case Refinement::Clean:
    clean.make(*scene, shown(), groupScales, tasks, cancel);
    show(true);
    // Of whole pixels that was much memory, and it takes twice the samples until it is wanted again.
    if (shown().step() == 1) releaseFreedMemory();
    keepShown();
    return;
  case Refinement::Group:
    return clean.makeGroup(*scene, tasks, cancel);
  case Refinement::Blink:
    next.restart(scene, draftStep);
    if (!trace([&] { return next.advance(tasks, 1, cancel); }, next)) return;
    std::swap(draft, next);
    next = Rendering();
    clean.clear();
    groupUnitsOf = {};
    blink = false;
    return showDraft();
  case Refinement::Draft:
    if (trace([&] { return draft.advance(tasks, draft.samples() * 2, cancel); }, draft)) showDraft();
    return;
  case Refinement::Film:
    return refineFilm();
  case Refinement::Ahead:
    return renderAhead();
  case Refinement::CatchUp:
    if (!trace([&] { return full.catchUp(tasks, cancel); }, full)) return;
    if (clean.isOf(full) && !clean.light().empty()) clean.refreshBeside(*scene, tasks);
    return show(false);
  }
}

void Session::Content::showDraft() {
  if (!cleanDue()) show(draft.samples() >= draftSamples);
}

void Session::Content::refineFilm() {
  if (scene->bare()) blink = false;
  if (fullStale) {
    full.restart(scene);
    fullStale = false;
  }
  const Region& region = now->region;
  // Around the pointer a picture has four times the samples, until it is finished.
  if (const int64_t at = pointer; at >= 0 && full.samples() > 0 && region.width == 0) {
    const int side = scene->height / 3, x = int(at >> 32), y = int(at & 0xffffffff);
    const uint32_t samples = std::min(target(), 4 * full.samples());
    if (!trace(
            [&] {
              return full.refineRegion(tasks, samples, cancel,
                                       {std::max(0, x - side / 2), std::max(0, y - side / 2), side, side});
            },
            full))
      return;
  }
  const bool done = trace(
      [&] {
        return full.advance(tasks, full.nextPass(target()), cancel, region, settingsOf(now->doc).number("noise"));
      },
      full);
  if (!done || cleanDue()) return;
  // Often at first, then as the eye can still tell.
  const bool last = finished();
  if (full.samples() <= 4 || since(lastDelivery.load()) > 0.25 || last)
    show(full.samples() <= 2 || since(lastRoute) > 2 || last);
}

Session::Session(std::shared_ptr<AssetCache> assets, std::shared_ptr<const ColorViews> views, Deliver deliver,
                 int threads)
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

std::shared_ptr<const KeptState> Session::kept() const {
  const std::lock_guard lock(m_content->mutex);
  return m_content->keptState;
}

ScenePtr Session::scene() const {
  const std::lock_guard lock(m_content->mutex);
  return m_content->sharedScene;
}

} // namespace ilumbra
