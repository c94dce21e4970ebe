#include "core/compile/camera.h"
#include "core/session/session_content.h"

#include "core/base/error.h"
#include "core/compile/plate.h"
#include "core/display/enlarge.h"
#include "core/display/false_colour.h"
#include "core/display/view.h"
#include "core/document/difference.h"
#include "core/image/convolution.h"
#include "core/image/resample.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"

#include <atomic>
#include <chrono>
#include <condition_variable>
#include <fmt/format.h>
#include <mutex>
#include <optional>
#include <thread>
#include <utility>

namespace ilumbra {

Picture SessionImage::light() const { return enlarged(*linear, linearStep, liveWidth, liveHeight); }

std::vector<SessionImage::LensStageShown> Session::Content::stagesShown(const LensResult& developed) {
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
    const bool faint = s.idle.empty() && n && stageOf(*n).level > 0 &&
                       std::none_of(small.rgb.begin(), small.rgb.end(), [](float v) { return v > 0.002f; });
    out.push_back({s.stage, faint ? std::string(tooFaint) : s.idle, w, h, display(small, true)});
  }
  return out;
}

const ViewTable& Session::Content::viewTable(const std::string& view) {
  if (!table || tableView != view) {
    table = std::make_shared<ViewTable>(*views, view, tasks);
    tableView = view;
  }
  return *table;
}

std::vector<uint8_t> Session::Content::display(const Picture& linear, bool quick) {
  return display(linear, *now, quick);
}

std::vector<uint8_t> Session::Content::display(const Picture& linear, const SessionRequest& as, bool quick) {
  const std::string view = settingsOf(as.doc).text("view");
  if (as.stopsOverlay) return falseColour(linear, tasks);
  return viewTable(view).apply(linear, tasks, float(std::exp2(as.viewStops)), quick);
}

Picture Session::Content::passLight(const Rendering& r, const LayerQuery& pass) {
  const float exposure = exposureFactor(now->doc, currentFrame(now->doc));
  if (!showsClean()) return collect(r.film(), layerIndex(*scene, pass), groupScales, exposure, tasks);
  Picture p = queryLight(*scene, clean.light(), pass);
  for (float& v : p.rgb) v *= exposure;
  return p;
}

ShownFilm Session::Content::shownFilm(const Rendering& r) const {
  static const std::vector<float> asCounted;
  return {*scene, r.film(), r.step(), showsClean() ? clean.light().covers.alpha : asCounted};
}

void Session::Content::show(bool withRoute) {
  if (!scene) return;
  const Rendering& r = shown();
  const double frame = currentFrame(now->doc);
  // Readings are of the film, which has fewer pixels at first; plates alone are there at once, whole.
  const bool bare = scene->bare();
  const FileAssets files = assets->assets(now->doc.folder(), &cancel);
  const bool measures =
      now->effect && now->doc.find(now->effect) && (withRoute || !route || route->effect != now->effect);
  LensOptions options = lensOptions(files);
  lensStart = Clock::now();
  options.works = now->stages || measures;
  // A frame that is kept from before stands till the film is better.
  std::optional<LensResult> before;
  uint32_t beforeSamples = 0;
  int beforeStep = 1;
  if (!bare && showsLight(*now))
    if (const KeptFrame* k = frames.find(frame);
        k && (k->step() == 1 ? k->samples() > fullSamples() : r.step() > 1 && k->samples() > r.samples())) {
      before = developedKept(*now, now->doc);
      beforeSamples = k->step() > 1 ? 0 : k->samples();
      beforeStep = k->step();
    }
  const LensResult developed = developShown(options);
  const LensResult plates = bare ? developPlates(now->doc, frame, *scene, tasks, options) : LensResult();
  const Picture& picture = bare ? plates.picture : before ? before->picture : developed.picture;
  const int step = bare ? 1 : before ? beforeStep : r.step();
  auto image = std::make_shared<SessionImage>();
  image->width = image->liveWidth = scene->width;
  image->height = image->liveHeight = scene->height;
  image->linear = std::make_shared<const Picture>(picture);
  image->linearStep = step;
  image->effects = readEffects(now->doc, frame, *scene, r.film(), groupScales, developed, tasks);
  if (measures) {
    route = std::make_shared<const Route>(
        measureRoute(now->doc, now->effect, frame, *scene, r.film(), groupScales, developed, tasks));
    lastRoute = Clock::now();
  }
  if (!now->effect) route.reset();
  image->route = route;
  // Not before the first picture: rays are cast for it.
  if (!findings && !blink) findings = std::make_shared<const std::vector<Finding>>(findThings(now->doc, frame, *scene));
  image->findings = findings;
  fill(*image, r);
  if (before) {
    image->kept = true;
    image->samples = beforeSamples;
    image->draft = beforeStep > 1;
    image->denoised = settingsOf(now->doc).flag("denoise");
  }
  if (now->groups) image->groups = groupsShown(r);
  image->notNumbers = bare ? plates.notNumbers : developed.notNumbers;
  if (image->notNumbers)
    image->warnings.push_back(
        fmt::format("{} pixels are no numbers: they take their neighbours' light", image->notNumbers));
  if (now->stages) image->stages = stagesShown(bare ? plates : developed);
  if (now->left) {
    const Picture left = now->left->picture();
    image->width = left.width;
    image->height = left.height;
    compareWith(*image, left, 1);
  } else {
    compareWith(*image, picture, step);
    if (now->compare == Compare::None) {
      if (const LayerQuery* pass = lightPass(now->pass))
        compareWith(*image, passLight(r, *pass), r.step());
      else if (now->pass == ShownPass::Over)
        layOverChequers(image->rgba, shownFilm(r), tasks);
      else if (now->pass != ShownPass::Light)
        image->rgba = passShown(now->pass, shownFilm(r), tasks);
    }
  }
  last = image;
  send(std::move(image));
}

void Session::Content::compareWith(SessionImage& image, const Picture& live, int step) {
  if (now->compare == Compare::Difference && now->proof) {
    image.rgba = display(differencePicture(step == 1 ? live : image.light(), now->proof->picture()));
    return;
  }
  if (step == 1 && now->playing) { // as quick as a draft
    const Picture small = halved(live, tasks);
    image.rgba = enlargedBytes(display(small, true), small.width, small.height, 2, image.width, image.height, tasks);
  } else {
    image.rgba = display(live, step > 1);
    if (step > 1)
      image.rgba = enlargedBytes(image.rgba, live.width, live.height, step, image.width, image.height, tasks);
  }
  if (now->clipping && !now->stopsOverlay) {
    const Clipped c = markClipping(image.rgba, image.width, image.height, tasks);
    image.clippedWhite = c.white;
    image.clippedBlack = c.black;
  }
  if (now->compare != Compare::None && now->proof) {
    image.otherWidth = now->proof->width;
    image.otherHeight = now->proof->height;
    image.otherRgba = display(now->proof->picture());
  }
}

std::vector<SessionImage::Group> Session::Content::groupsShown(const Rendering& r) {
  if (groupUnitsOf != std::pair{&r, r.samples()}) {
    groupUnits = groupMeans(r.film(), 0, tasks);
    groupUnitsOf = {&r, r.samples()};
  }
  std::vector<SessionImage::Group> out;
  double total = 0;
  for (size_t g = 0; g < scene->groups.size() && g < groupUnits.size(); ++g) {
    const double l = std::max(0.0, double(luminance(groupUnits[g] * groupScales[g])));
    total += l;
    out.push_back({{scene->groups[g].node, scene->groups[g].object, scene->groups[g].copy},
                   scene->groups[g].name,
                   groupScales[g],
                   l});
  }
  for (SessionImage::Group& g : out) g.share = total > 0 ? g.share / total : 0;
  return out;
}

void Session::Content::fill(SessionImage& image, const Rendering& r) {
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
  image.warnings = scene->warnings;
  const uint64_t pathsMade = r.count().paths, rays = r.count().rays;
  const double perPath = pathsMade ? double(rays) / double(pathsMade) : 0;
  const double pixels =
      now->region.width > 0 ? double(now->region.width) * now->region.height : double(scene->width) * scene->height;
  const double left = pixels * std::max(0.0, double(target()) - double(image.samples));
  image.secondsLeft = image.raysPerSecond > 0 ? left * perPath / image.raysPerSecond : 0;
}

void Session::Content::tell() {
  auto image = std::make_shared<SessionImage>();
  image->error = error;
  send(std::move(image));
}

void Session::Content::send(std::shared_ptr<SessionImage> image) {
  image->edition = nowEdition;
  if (written) image->doc = *written; // what is kept of it is what was asked for
  lastDelivery = Clock::now();
  deliver(std::move(image));
}
} // namespace ilumbra
