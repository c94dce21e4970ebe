// Frames that are kept: played without a ray, and rendered ahead.
#include "core/compile/camera.h"
#include "core/compile/even_patterns.h"
#include "core/display/enlarge.h"
#include "core/document/edit.h"
#include "core/image/resample.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"
#include "core/session/session_content.h"

#include "core/base/error.h"

#include <cmath>

namespace ilumbra {

namespace {

// From the first to the last, as they are played.
std::pair<double, double> rangeOf(const SessionRequest& r) {
  if (r.lastFrame >= r.firstFrame) return {r.firstFrame, r.lastFrame};
  const Params s = settingsOf(r.doc);
  return {s.number("first_frame"), std::max(s.number("first_frame"), s.number("last_frame"))};
}

} // namespace

void Session::Content::checkKept(const Document& doc) {
  const Document still = atFrame(doc, 0);
  if (keptDoc && *keptDoc == still) return;
  if (keptDoc && needsTracing(*keptDoc, still)) {
    frames.clear();
    unrendered.clear();
    ahead.reset();
    keptFull = false;
    noteKept();
  }
  keptDoc = still;
  staleUnknown = !frames.all().empty();
  if (stale.empty()) return;
  stale.clear();
  noteKept();
}

void Session::Content::findStale() {
  staleUnknown = false;
  if (!written) return;
  for (const auto& [frame, kept] : frames.all()) {
    if (cancel.requested()) {
      staleUnknown = true;
      return;
    }
    const Document even = withEvenValues(atFrame(*written, frame), frame, assets->assets(written->folder(), &leaving));
    if (!kept.answers(even, frame)) stale.insert(frame);
  }
  if (!stale.empty()) keptFull = false; // their room is free
  noteKept();
}

std::optional<LensResult> Session::Content::developedKept(const SessionRequest& request, const Document& even) {
  const double frame = currentFrame(even);
  const KeptFrame* k = frames.find(frame);
  if (!k) return {};
  const FileAssets files = assets->assets(even.folder(), &cancel);
  LensOptions options{.on = request.withLens,
                      .solo = request.soloStage,
                      .until = request.lastStage,
                      .before = request.beforeStage,
                      .assets = &files,
                      .cancel = &cancelLens,
                      .convolutions = &convolutions,
                      .works = false,
                      .shares = false};
  return k->develop(even, frame, tasks, options);
}

bool Session::Content::showKept(const SessionRequest& request) {
  if (!showsLight(request) || !now || !scene) return false;
  const double frame = currentFrame(request.doc);
  const KeptFrame* k = frames.find(frame);
  if (!k) return false;
  lensStart = Clock::now();
  const Document even = withEvenValues(request.doc, frame, assets->assets(request.doc.folder(), &cancel));
  const std::optional<LensResult> developed = developedKept(request, even);
  if (!developed) {
    if (stale.insert(frame).second) noteKept();
    return false;
  }
  if (stale.erase(frame)) noteKept();
  played = request;
  written = request.doc;
  auto image = std::make_shared<SessionImage>();
  image->width = image->liveWidth = k->pictureWidth();
  image->height = image->liveHeight = k->pictureHeight();
  image->linear = std::make_shared<const Picture>(developed->picture);
  image->linearStep = k->step();
  image->frame = frame;
  image->kept = true;
  image->samples = k->step() > 1 ? 0 : k->samples();
  image->target = target();
  image->draft = k->step() > 1;
  image->denoised = settingsOf(request.doc).flag("denoise");
  image->noise = 1;
  if (last) {
    image->effects = last->effects;
    image->groups = last->groups;
    image->stages = last->stages;
    image->route = last->route;
    image->findings = last->findings;
    image->warnings = last->warnings;
  }
  const Picture& p = developed->picture;
  image->rgba = display(p, request, true);
  if (p.width != image->width || p.height != image->height)
    image->rgba = enlargedBytes(image->rgba, p.width, p.height, k->step(), image->width, image->height, tasks);
  send(std::move(image));
  return true;
}

uint32_t Session::Content::keptSamples(double frame) const {
  const KeptFrame* k = frames.find(frame);
  if (!k || stale.count(frame)) return 0;
  if (k->step() > 1) return 1;
  return k->noise() <= settingsOf(now->doc).number("noise") ? UINT32_MAX : std::max(2u, k->samples());
}

void Session::Content::keepFrame(double frame, const Document& even, const Rendering& r,
                                 const std::vector<Color>& scales, const Denoiser* denoiser) {
  const FileAssets files = assets->assets(even.folder(), &leaving);
  LensSight sight;
  const LensOptions options{
      .assets = &files, .cancel = &leaving, .convolutions = &convolutions, .sight = &sight, .works = false};
  develop(even, frame, r.scene(), r.film(), scales, tasks, options);
  KeptFrame kept(r, even, scales, denoiser, std::move(sight), tasks);
  if (!frames.keep(frame, std::move(kept))) {
    // What is not played goes first.
    const auto [first, last] = rangeOf(*now);
    frames.keepWithin(first, last);
    keptFull = !frames.keep(frame, std::move(kept));
  }
  stale.erase(frame);
  noteKept();
}

void Session::Content::keepShown() {
  if (!now || !scene || scene->bare() || now->playing || now->region.width || !showsClean()) return;
  const Rendering& r = shown();
  const double frame = currentFrame(now->doc);
  // What no frame differs in needs no keeping.
  if (r.step() > 1 || r.samples() < aheadFirst || !keptDoc) return;
  if (!animated(*keptDoc)) return; // patterns of time stand there as they are written
  if (!now->ahead && !finished() && r.samples() < 32) return;
  if (keptSamples(frame) >= r.samples()) return;
  keepFrame(frame, now->doc, r, groupScales, clean.denoiser());
}

std::optional<std::pair<double, uint32_t>> Session::Content::nextAhead() const {
  if (keptFull || !now) return {};
  if (ahead) return std::pair{ahead->frame, ahead->target};
  const auto [first, last] = rangeOf(*now);
  const uint32_t most = target();
  const double here = currentFrame(now->doc);
  const auto next = [&](uint32_t kept) -> uint32_t {
    if (kept == 0) return 1; // the coarse one
    for (uint32_t s = aheadFirst; s < most; s *= 4)
      if (kept < s) return s;
    return most;
  };
  std::optional<std::pair<double, uint32_t>> best;
  double bestAway = 0;
  for (double f = first; f <= last; ++f) {
    const uint32_t kept = keptSamples(f);
    if (kept >= std::max(2u, most) || unrendered.count(f)) continue;
    const uint32_t goal = next(kept);
    const double away = f >= here ? f - here : f - here + (last - first + 1); // as it is played
    if (!best || goal < best->second || (goal == best->second && away < bestAway)) {
      best = {f, goal};
      bestAway = away;
    }
  }
  return best;
}

void Session::Content::renderAhead() {
  if (staleUnknown) return findStale();
  const auto next = nextAhead();
  if (!next || !written) return;
  try {
    renderAhead(next->first, next->second);
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::Cancelled) throw;
    // The picture at hand is none the worse for it; whoever goes to that frame is told.
    unrendered.insert(next->first);
    ahead.reset();
    noteKept();
  }
}

void Session::Content::renderAhead(double frame, uint32_t goal) {
  // As it is written now: between two passes the lens or the balance may have changed.
  const FileAssets files = assets->assets(written->folder(), &cancel);
  const Document even = withEvenValues(atFrame(*written, frame), frame, files);
  if (!ahead) {
    CompileOptions options;
    options.frame = frame;
    options.queries = lensQueries(even);
    options.masks = lensMasks(even);
    options.overscan = lensOverscan(even);
    const ScenePtr made = compileScene(even, options, files, cache, &cancel);
    if (made->bare()) {
      unrendered.insert(frame);
      return;
    }
    ahead.emplace(Ahead{frame, goal, Rendering(made, goal == 1 ? draftStep : 1)});
    noteKept();
  }
  Rendering& r = ahead->rendering;
  const uint32_t wanted = goal == 1 ? aheadCoarse : goal;
  const double noise = goal == 1 ? 0 : settingsOf(even).number("noise");
  while (r.samples() < wanted && !r.converged()) {
    const uint32_t pass = goal == 1 ? wanted : r.nextPass(wanted);
    if (!trace([&] { return r.advance(tasks, pass, cancel, {}, noise); }, r)) return; // it goes on later
  }
  const std::vector<Color> scales = balancedScales(r.scene(), even, frame);
  if (!hasLayers(r.scene(), even) || !hasSurroundings(r.scene(), even) || scales.empty()) {
    ahead.reset(); // from the start, with what is asked for now
    return;
  }
  std::optional<Denoiser> denoiser;
  if (settingsOf(even).flag("denoise")) denoiser.emplace(r.film(), tasks, &leaving);
  keepFrame(frame, even, r, scales, denoiser ? &*denoiser : nullptr);
  ahead.reset();
  noteKept();
}

void Session::Content::noteKept() {
  auto state = std::make_shared<KeptState>();
  const double most = now ? std::max(2.0, settingsOf(now->doc).number("samples")) : 2;
  for (const auto& [frame, kept] : frames.all()) {
    if (!now || stale.count(frame)) continue;
    const double samples = std::min(most, double(keptSamples(frame)));
    state->quality[frame] = float(std::clamp((1 + std::log2(samples)) / (1 + std::log2(most)), 0.05, 1.0));
  }
  state->bytes = frames.bytes();
  state->limit = frames.limit();
  state->full = keptFull;
  if (!frames.all().empty()) state->live = frames.all().begin()->second.live();
  state->works = ahead.has_value();
  state->working = ahead ? ahead->frame : 0;
  const std::lock_guard lock(mutex);
  state->change = keptState->change + 1;
  keptState = std::move(state);
}

} // namespace ilumbra
