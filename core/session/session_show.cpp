#include "core/base/colorspace.h"
#include "core/compile/camera.h"
#include "core/session/session_content.h"

#include "core/base/error.h"
#include "core/base/hash.h"
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
  static const std::vector<StopsColour> scale = {{-8, 18, 18, 22},   {-6, 34, 40, 62},   {-4, 44, 74, 98},
                                                 {-3, 52, 104, 116}, {-2, 82, 134, 122}, {-1, 128, 160, 128},
                                                 {0, 186, 184, 140}, {1, 222, 190, 112}, {2, 232, 158, 82},
                                                 {4, 222, 112, 76},  {6, 206, 74, 92},   {8, 244, 226, 232}};
  return scale;
}

const std::array<StopsColour, 3>& clipColours() {
  static const std::array<StopsColour, 3> colours = {{{2, 206, 74, 92}, {1, 227, 162, 74}, {0, 70, 120, 108}}};
  return colours;
}
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
  const std::string view = settingsOf(now->doc).text("view");
  if (now->stopsOverlay) return overlay(linear);
  return viewTable(view).apply(linear, tasks, float(std::exp2(now->viewStops)), quick);
}

void Session::Content::markClipping(SessionImage& image) {
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

std::vector<uint8_t> Session::Content::overlay(const Picture& p) {
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

std::vector<uint8_t> Session::Content::displayPass(const Film& film, int width, int height, int step) {
  const bool cleaned = showsClean() && !clean.light.covers.alpha.empty();
  float far = 0;
  for (size_t i = 0; i < size_t(film.width()) * size_t(film.height()); ++i) far = std::max(far, film.depth(i));
  std::vector<uint8_t> out(size_t(width) * size_t(height) * 4);
  const auto byte = [](float v) { return uint8_t(clamp01(v) * 255 + 0.5f); };
  tasks.forEach(height, [&](int y) {
    for (int x = 0; x < width; ++x) {
      const size_t i = size_t(std::min(y / step, film.height() - 1)) * size_t(film.width()) +
                       size_t(std::min(x / step, film.width() - 1));
      uint8_t* o = out.data() + 4 * (size_t(y) * size_t(width) + size_t(x));
      Color c(0.0f);
      switch (now->pass) {
      case ShownPass::Alpha:
        c = Color(cleaned ? clean.light.covers.alpha[i] : film.alpha(i));
        break;
      case ShownPass::Depth:
        c = Color(far > 0 && film.depth(i) > 0 ? 1 - 0.92f * film.depth(i) / far : 0);
        break;
      case ShownPass::Normal:
        if (film.alpha(i) > 0) c = film.normal(i) * 0.5f + Color(0.5f);
        break;
      case ShownPass::Albedo:
        c = vmax(film.albedo(i), Color(0.0f));
        break;
      case ShownPass::Identity: {
        const Film::Ranked& r = film.identity(i);
        float total = 0;
        for (size_t k = 0; k < size_t(Film::ranks); ++k) {
          if (r.weight[k] <= 0) continue;
          const uint32_t h = mixBits(r.thing[k] * 2654435761u + 77u);
          c += Color(0.25f + 0.6f * float(h & 255) / 255, 0.25f + 0.6f * float(h >> 8 & 255) / 255,
                     0.25f + 0.6f * float(h >> 16 & 255) / 255) *
               r.weight[k];
          total += r.weight[k];
        }
        if (total > 0) c *= film.alpha(i) / total;
        break;
      }
      case ShownPass::AirDepth: {
        // Of the air up to what is seen, by the colours of the stops: those of its power of two.
        RayMedia way;
        const Ray ray = scene->camera.through(float(x) + 0.5f, float(y) + 0.5f);
        const float seen = film.depth(i);
        if (scene->media)
          scene->media->along(ray.origin, ray.direction, seen > 0 ? seen : std::numeric_limits<float>::infinity(), way);
        const float depth = scene->media ? scene->media->shownDepth(way, ray.origin, ray.direction) : 0;
        const StopsColour* colour = &stopsScale().front();
        for (const StopsColour& s : stopsScale())
          if (depth > 1e-5f && std::log2(depth) >= float(s.stops) - 0.5f) colour = &s;
        c = Color(float(colour->r), float(colour->g), float(colour->b)) * (1 / 255.0f);
        break;
      }
      default:
        break;
      }
      const bool data = now->pass == ShownPass::AirDepth || now->pass == ShownPass::Alpha ||
                        now->pass == ShownPass::Normal || now->pass == ShownPass::Depth ||
                        now->pass == ShownPass::Identity;
      for (int k = 0; k < 3; ++k) o[k] = byte(data ? c[k] : srgbEncoded(c[k]));
      o[3] = 255;
    }
  });
  return out;
}

Picture Session::Content::passLight(const Rendering& r, const LayerQuery& pass) {
  const float exposure = exposureFactor(now->doc, currentFrame(now->doc));
  if (!showsClean()) return collect(r.film(), layerIndex(*scene, pass), groupScales, exposure, tasks);
  Picture p = queryLight(*scene, clean.light, pass);
  for (float& v : p.rgb) v *= exposure;
  return p;
}

void Session::Content::overChequers(std::vector<uint8_t>& rgba, const Rendering& r) {
  const Film& film = r.film();
  const int width = scene->width, step = r.step();
  const Plates* plates = scene->plates && scene->plates->behind.light.width + scene->plates->front.light.width > 0
                             ? scene->plates.get()
                             : nullptr;
  const bool alone = scene->bare(), cleaned = showsClean() && !clean.light.covers.alpha.empty();
  tasks.forEach(scene->height, [&](int y) {
    for (int x = 0; x < width; ++x) {
      const size_t i = size_t(std::min(y / step, film.height() - 1)) * size_t(film.width()) +
                       size_t(std::min(x / step, film.width() - 1));
      const float own = alone ? 0 : clamp01(cleaned ? clean.light.covers.alpha[i] : film.alpha(i));
      float covers = own;
      if (plates) {
        const size_t full = size_t(y) * size_t(width) + size_t(x);
        const float back = plates->behind.alpha.empty() ? 0 : plates->behind.alpha[full],
                    front = plates->front.alpha.empty() ? 0 : plates->front.alpha[full];
        covers = front + (1 - front) * (own + (1 - own) * back);
      }
      const float bare = 1 - covers, kept = scene->skies.empty() ? 1 : covers,
                  tile = ((x / 12 + y / 12) & 1) ? 74.0f : 56.0f;
      uint8_t* o = rgba.data() + 4 * (size_t(y) * size_t(width) + size_t(x));
      // A sky that is seen is no part of what covers; all other light has its alpha in it already.
      for (int k = 0; k < 3; ++k) o[k] = uint8_t(std::min(255.0f, float(o[k]) * kept + tile * bare + 0.5f));
    }
  });
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
  const LensResult developed = developShown(options);
  const LensResult plates = bare ? developPlates(now->doc, frame, *scene, tasks, options) : LensResult();
  const Picture& picture = bare ? plates.picture : developed.picture;
  const int step = bare ? 1 : r.step();
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
        overChequers(image->rgba, r);
      else if (now->pass != ShownPass::Light)
        image->rgba = displayPass(r.film(), scene->width, scene->height, r.step());
    }
  }
  send(std::move(image));
}

std::vector<uint8_t> Session::Content::enlargeBytes(const std::vector<uint8_t>& in, int w, int h, int step, int width,
                                                    int height, const Tasks& tasks) {
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
      const uint8_t *above = in.data() + 4 * size_t(y0) * size_t(w),
                    *below = in.data() + 4 * size_t(std::min(y0 + 1, h - 1)) * size_t(w);
      for (int i = 0; i < 4 * w; ++i) row[size_t(i)] = uint16_t(above[i] * (unit - ty) + below[i] * ty);
      for (size_t k = 0; k < 4; ++k) row[4 * size_t(w) + k] = row[4 * size_t(w - 1) + k];
      uint8_t* o = out.data() + 4 * size_t(y) * size_t(width);
      for (const auto& [x0, tx] : columns) {
        const uint16_t* a = row.data() + 4 * size_t(x0);
        for (int k = 0; k < 4; ++k)
          o[k] = uint8_t((a[k] * (unit - tx) + a[k + 4] * tx + unit * unit / 2) / (unit * unit));
        o += 4;
      }
    }
  });
  return out;
}

Picture Session::Content::halved(const Picture& p) {
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

void Session::Content::compareWith(SessionImage& image, const Picture& live, int step) {
  if (now->compare == Compare::Difference && now->proof) {
    image.rgba = display(differencePicture(step == 1 ? live : image.light(), now->proof->picture()));
    return;
  }
  if (step == 1 && now->playing) { // as quick as a draft
    const Picture small = halved(live);
    image.rgba = enlargeBytes(display(small, true), small.width, small.height, 2, image.width, image.height, tasks);
  } else {
    image.rgba = display(live, step > 1);
    if (step > 1)
      image.rgba = enlargeBytes(image.rgba, live.width, live.height, step, image.width, image.height, tasks);
  }
  if (now->clipping && !now->stopsOverlay) markClipping(image);
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
  if (now) image->doc = now->doc;
  lastDelivery = Clock::now();
  deliver(std::move(image));
}
} // namespace ilumbra
