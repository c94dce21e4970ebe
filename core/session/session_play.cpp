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
    ahead.reset();
    keptFull = false;
    noteKept();
  }
  keptDoc = still;
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
                      .works = false};
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
  if (!developed) return false;
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
  return !k ? 0 : k->converged() ? UINT32_MAX : k->step() > 1 ? 1 : std::max(2u, k->samples());
}

void Session::Content::keepFrame(double frame, const Document& even, const Rendering& r,
                                 const std::vector<Color>& scales, const Denoiser* denoiser) {
  const FileAssets files = assets->assets(even.folder(), &leaving);
  LensSight sight;
  const LensOptions options{
      .assets = &files, .cancel = &leaving, .convolutions = &convolutions, .sight = &sight, .works = false};
  develop(even, frame, r.scene(), r.film(), scales, tasks, options);
  if (!frames.keep(frame, KeptFrame(r, scales, denoiser, std::move(sight), tasks))) keptFull = true;
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
    if (kept >= std::max(2u, most)) continue;
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
  const auto next = nextAhead();
  if (!next || !written) return;
  if (!ahead) {
    const auto [frame, goal] = *next;
    const Document even = withEvenValues(atFrame(*written, frame), frame, assets->assets(written->folder(), &cancel));
    CompileOptions options;
    options.frame = frame;
    options.queries = lensQueries(even);
    options.masks = lensMasks(even);
    options.overscan = lensOverscan(even);
    const ScenePtr made = compileScene(even, options, assets->assets(even.folder(), &cancel), cache, &cancel);
    Ahead a{frame, goal, even, Rendering()};
    if (made->bare()) return;
    a.rendering.restart(made, goal == 1 ? draftStep : 1);
    ahead.emplace(std::move(a));
    noteKept();
  }
  Ahead& a = *ahead;
  const uint32_t wanted = a.target == 1 ? aheadCoarse : a.target;
  const double noise = settingsOf(a.doc).number("noise");
  while (a.rendering.samples() < wanted && !a.rendering.converged()) {
    const uint32_t pass = a.target == 1 ? wanted : a.rendering.nextPass(wanted);
    if (!trace([&] { return a.rendering.advance(tasks, pass, cancel, {}, a.target == 1 ? 0 : noise); }, a.rendering))
      return; // it goes on later
  }
  std::optional<Denoiser> denoiser;
  if (settingsOf(a.doc).flag("denoise")) denoiser.emplace(a.rendering.film(), tasks, &leaving);
  keepFrame(a.frame, a.doc, a.rendering, a.rendering.scene().groupScales, denoiser ? &*denoiser : nullptr);
  ahead.reset();
  noteKept();
}

void Session::Content::noteKept() {
  auto state = std::make_shared<KeptState>();
  const double most = now ? std::max(2.0, settingsOf(now->doc).number("samples")) : 2;
  for (const auto& [frame, kept] : frames.all()) {
    const double samples = kept.converged() ? most : kept.step() > 1 ? 1 : std::max(2u, kept.samples());
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
