#include "cli/commands.h"
#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/compile/even_patterns.h"
#include "core/compile/plate.h"
#include "core/display/view.h"
#include "core/document/difference.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/document/words.h"
#include "core/effects/route.h"
#include "core/exchange/assets.h"
#include "core/exchange/carried_document.h"
#include "core/exchange/frames.h"
#include "core/exchange/passes.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"
#include "core/scene/plates.h"
#include "core/scene/trace_count.h"
#include "core/session/proof.h"

#include <chrono>
#include <CLI/CLI.hpp>
#include <filesystem>
#include <fmt/format.h>
#include <optional>

namespace ilumbra::cli {
namespace {

using Clock = std::chrono::steady_clock;

struct Args {
  std::string file, other, output, size, region, camera, passes, frames, effect;
  std::vector<std::string> sets;
  double frame = 0, noise = -1, seconds = 0;
  int samples = 0, seed = -1, threads = 0;
  bool noLens = false, noDenoise = false, alpha = false;
};

std::vector<long> numbers(const std::string& text, const char* separators, size_t wanted, const char* what) {
  std::vector<long> out;
  std::string rest = text;
  for (size_t i = 0; i < wanted; ++i) {
    char* end = nullptr;
    const long v = std::strtol(rest.c_str(), &end, 10);
    const bool last = i + 1 == wanted;
    if (end == rest.c_str() || (last ? *end != 0 : !*end || !std::strchr(separators, *end)))
      throw usageError(fmt::format("{} is not {}", quotation(text), what));
    out.push_back(v);
    rest = last ? "" : end + 1;
  }
  return out;
}

Document prepared(const Context& c, const Args& a) {
  Document doc = readAnyDocument(c.kinds, a.file, c.cancel);
  for (const std::string& s : a.sets) doc = applySetting(doc, s);
  const std::string picture = doc.settings().name;
  const auto set = [&](const char* param, Constant v) { doc = setValue(doc, doc.settings().id, param, v); };
  if (!a.size.empty()) {
    const auto wh = numbers(a.size, "xX", 2, "a size like 1280x720");
    set("width", double(wh[0]));
    set("height", double(wh[1]));
  }
  if (a.samples > 0) set("samples", double(a.samples));
  if (a.seed >= 0) set("seed", double(a.seed));
  if (!a.camera.empty()) {
    const Node* n = doc.findByName(a.camera);
    if (!n || n->kind->family() != "camera")
      throw badInput(fmt::format("{}: there is no camera named \"{}\"", a.file, a.camera));
    set("camera", Reference{n->id, nullptr});
  }
  return doc;
}

struct Rendered {
  Rendering rendering;
  LensResult developed;
  std::optional<Denoiser> denoiser;
  double seconds = 0;
};

Rendered renderFrame(const Context& c, const Args& a, const Document& given, double frame, const Tasks& tasks,
                     AssetCache& assets, SceneCache& cache, double partStart, double partEnd) {
  const FileAssets files = assets.assets(given.folder(), c.cancel);
  const Document doc = withEvenValues(given, frame, files);
  const auto start = Clock::now();
  const auto elapsed = [&] { return std::chrono::duration<double>(Clock::now() - start).count(); };
  Region region;
  if (!a.region.empty()) {
    const auto r = numbers(a.region, ",", 4, "a region like X,Y,W,H");
    region = {int(r[0]), int(r[1]), int(r[2]), int(r[3])};
    const Params s = settingsOf(doc);
    if (r[2] < 1 || r[3] < 1 || r[0] < 0 || r[1] < 0 || double(r[0] + r[2]) > s.number("width") ||
        double(r[1] + r[3]) > s.number("height"))
      throw usageError(fmt::format("the region {} does not lie inside the picture", a.region));
  }
  std::vector<LayerQuery> queries = lensQueries(doc);
  for (LayerQuery& q : passQueries(parsePasses(a.passes)))
    if (std::find(queries.begin(), queries.end(), q) == queries.end()) queries.push_back(std::move(q));
  const ScenePtr scene = compileScene(doc,
                                      {.frame = frame,
                                       .queries = std::move(queries),
                                       .masks = lensMasks(doc),
                                       .overscan = lensOverscan(doc),
                                       .layerMemory = size_t(4) << 30},
                                      files, cache, c.cancel);
  for (const std::string& t : scene->warnings)
    std::fputs(fmt::format("ilumbra-cli: {}: {}\n", a.file, t).c_str(), stderr);
  if (!activeCamera(doc)) throw badInput(a.file + ": has no camera");
  Rendered r{Rendering(scene), {}, {}, 0};
  const auto target = uint32_t(settingsOf(doc).number("samples"));
  Progress progress;
  const double noise = a.noise >= 0 ? a.noise : settingsOf(doc).number("noise");
  // Plates alone need no ray.
  while (!scene->bare() && r.rendering.samples() < target && !r.rendering.converged()) {
    if (!r.rendering.advance(tasks, r.rendering.nextPass(target), *c.cancel, region, noise)) throw cancelled();
    const uint32_t done = r.rendering.samples();
    const double share = std::max(double(done) / target, a.seconds > 0 ? std::min(1.0, elapsed() / a.seconds) : 0.0);
    const double left = elapsed() / std::max(1e-6, share) * (1 - share);
    progress.show(partStart + (partEnd - partStart) * share,
                  fmt::format("{} of {} samples, {:.0f} s left", done, target, left));
    if (a.seconds > 0 && elapsed() >= a.seconds) break;
  }
  if (!a.noDenoise && settingsOf(doc).flag("denoise") && r.rendering.samples() > 1)
    r.denoiser.emplace(r.rendering.film(), tasks);
  const Denoiser* denoiser = r.denoiser ? &*r.denoiser : nullptr;
  r.developed = develop(doc, frame, *scene, r.rendering.film(),
                        sceneLight(*scene, r.rendering.film(), scene->groupScales, tasks, denoiser), tasks,
                        {.on = !a.noLens, .assets = &files});
  r.seconds = elapsed();
  return r;
}

// "1-48" or "1-48x2".
std::vector<double> frameRange(const std::string& text) {
  const size_t cross = text.find('x'), dash = text.find('-', 1);
  const auto wrong = [&] {
    return usageError(fmt::format("{} is not a range of frames like 1-48 or 1-48x2", quotation(text)));
  };
  const auto whole = [&](const std::string& s) {
    return long(numbers(s, "", 1, "a range of frames like 1-48 or 1-48x2")[0]);
  };
  if (dash == std::string::npos) throw wrong();
  const long from = whole(text.substr(0, dash)),
             to = whole(text.substr(dash + 1, cross == std::string::npos ? cross : cross - dash - 1)),
             by = cross == std::string::npos ? 1 : whole(text.substr(cross + 1));
  if (by < 1 || to < from || (to - from) / by > 100000) throw wrong();
  std::vector<double> frames;
  for (long f = from; f <= to; f += by) frames.push_back(double(f));
  return frames;
}

void renderCommand(const Context& c, const Args& a) {
  if (!isPictureName(a.output)) throw usageError(a.output + ": a picture is written as .exr, .png, .jpg, .tif or .hdr");
  const std::vector<std::string> passes = parsePasses(a.passes);
  if (!passes.empty() && std::filesystem::path(a.output).extension() != ".exr")
    throw usageError("passes are written to .exr only");
  if (a.samples < 0 || a.threads < 0 || a.seconds < 0)
    throw usageError("samples, threads and seconds are not negative");
  const Document base = prepared(c, a);
  std::vector<double> frames = {a.frame};
  const bool sequence = !a.frames.empty();
  if (sequence) {
    frames = frameRange(a.frames);
  } else if (a.frame == 0) {
    frames = {currentFrame(base)};
  }
  const ColorViews views;
  const Tasks tasks(a.threads);
  AssetCache assets;
  SceneCache cache;
  Json report = Json::array();
  for (size_t i = 0; i < frames.size(); ++i) {
    const Document doc = setValue(base, base.settings().id, "frame", Constant(frames[i]));
    const Rendered r = renderFrame(c, a, doc, frames[i], tasks, assets, cache, double(i) / double(frames.size()),
                                   double(i + 1) / double(frames.size()));
    PictureFile file = pictureFile(doc, frames[i], r.rendering, r.rendering.scene().groupScales, r.developed, passes,
                                   tasks, r.denoiser ? &*r.denoiser : nullptr);
    std::vector<float> alpha;
    if (a.alpha)
      for (size_t k = 0; k < r.developed.picture.pixels(); ++k)
        alpha.push_back(r.developed.alpha.empty()
                            ? plateAlpha(r.rendering.scene().plates.get(), r.rendering.film().alpha(k), k)
                            : r.developed.alpha[k]);
    const std::string output = sequence ? frameName(a.output, int(frames[i])) : a.output;
    carryDocument(file, doc, output);
    writePicture(file, output, views, settingsOf(doc).text("view"), a.alpha ? &alpha : nullptr);
    const TraceCount& count = r.rendering.count();
    report.push_back({{"file", output},
                      {"frame", frames[i]},
                      {"width", r.developed.picture.width},
                      {"height", r.developed.picture.height},
                      {"samples", r.rendering.samples()},
                      {"rays", count.rays},
                      {"paths", count.paths},
                      {"seconds", r.seconds},
                      {"rays_per_second", r.seconds > 0 ? double(count.rays) / r.seconds : 0},
                      {"noise", r.rendering.film().noise()},
                      {"denoised", r.denoiser.has_value()},
                      {"dropped", count.dropped},
                      {"limited", count.limited},
                      {"left_out", r.rendering.scene().warnings}});
  }
  if (c.json) {
    Json j = sequence ? Json{{"frames", report}} : report[0];
    j["threads"] = tasks.threads();
    j["peak_memory_mib"] = peakMemory();
    print(j);
  }
}

// The lens over one picture; what is told goes to standard error.
Json lensPicture(const Context& c, const Document& doc, double frame, const std::string& input,
                 const std::string& output, const Tasks& tasks, AssetCache& assets, const ColorViews& views) {
  const PictureFile in = readPicture(input, c.cancel, true);
  const FileAssets files = assets.assets(doc.folder(), c.cancel);
  LensResult r;
  try {
    r = lensOnFile(doc, frame, in, tasks, &files);
  } catch (const Error& e) {
    throw Error(e.kind(), input + ": " + e.what());
  }
  if (r.notNumbers)
    std::fputs(fmt::format("ilumbra-cli: {}: {} pixels are no numbers; they took their neighbours' light\n", input,
                           r.notNumbers)
                   .c_str(),
               stderr);
  Json idle = Json::array();
  for (const StageResult& s : r.stages)
    if (!s.idle.empty()) {
      idle.push_back({{"stage", doc.find(s.stage)->name}, {"why", s.idle}});
      std::fputs(fmt::format("ilumbra-cli: {} does nothing: {}\n", doc.find(s.stage)->name, s.idle).c_str(), stderr);
    }
  PictureFile out;
  out.width = r.picture.width;
  out.height = r.picture.height;
  FileLayer picture{"", {"R", "G", "B"}, false, std::move(r.picture.rgb)};
  if (!r.alpha.empty()) {
    picture.channels.push_back("A");
    std::vector<float> with;
    for (size_t i = 0; i < r.alpha.size(); ++i) {
      with.insert(with.end(), picture.data.begin() + ptrdiff_t(3 * i), picture.data.begin() + ptrdiff_t(3 * i + 3));
      with.push_back(r.alpha[i]);
    }
    picture.data = std::move(with);
  }
  out.layers.push_back(std::move(picture));
  if (!r.apart.rgb.empty()) out.layers.push_back({"Lens light", {"R", "G", "B"}, false, std::move(r.apart.rgb)});
  carryDocument(out, doc, output); // in the place of the one that the picture had
  writePicture(out, output, views, settingsOf(doc).text("view"), r.alpha.empty() ? nullptr : &r.alpha);
  return {{"file", output},       {"frame", frame}, {"width", out.width},
          {"height", out.height}, {"rays", 0},      {"not_numbers", r.notNumbers},
          {"idle", idle}};
}

void lensCommand(const Context& c, const Args& a) {
  const Document base = prepared(c, a);
  const Tasks tasks(a.threads);
  AssetCache assets;
  const ColorViews views;
  if (a.frames.empty()) {
    const double frame = a.frame == 0 ? currentFrame(base) : a.frame;
    const Json j = lensPicture(c, setValue(base, base.settings().id, "frame", Constant(frame)), frame, a.other,
                               a.output, tasks, assets, views);
    if (c.json) print(j);
    return;
  }
  Json report = Json::array();
  Progress progress;
  const std::vector<double> frames = frameRange(a.frames);
  for (size_t i = 0; i < frames.size(); ++i) {
    if (c.cancel->requested()) throw cancelled();
    report.push_back(lensPicture(c, setValue(base, base.settings().id, "frame", Constant(frames[i])), frames[i],
                                 frameName(a.other, int(frames[i])), frameName(a.output, int(frames[i])), tasks, assets,
                                 views));
    progress.show(double(i + 1) / double(frames.size()), fmt::format("frame {:g}", frames[i]));
  }
  if (c.json) print(Json{{"frames", report}});
}

Json routeJson(const Route& r, const std::string& name, bool on) {
  Json stations = Json::array(), findings = Json::array();
  for (const Station& s : r.stations) {
    Json losses = Json::array();
    for (const Loss& l : s.losses) losses.push_back({{"by", l.by}, {"share", l.share}});
    stations.push_back(
        {{"role", s.role}, {"name", s.name}, {"reading", s.reading}, {"share", s.share}, {"losses", losses}});
  }
  for (const Finding& f : r.findings) {
    Json mends = Json::array();
    for (const Mend& m : f.mends) {
      Json sets = Json::array();
      for (const auto& [address, value] : m.sets) sets.push_back(address + "=" + value);
      mends.push_back({{"text", m.text}, {"set", sets}});
    }
    findings.push_back({{"role", f.role},
                        {"weight", f.weight == Finding::Weight::Broken ? "broken"
                                   : f.weight == Finding::Weight::Weak ? "weak"
                                                                       : "note"},
                        {"text", f.text},
                        {"mends", mends}});
  }
  return {
      {"effect", name},       {"state", stateWord(r, on)}, {"emitted_lm", r.emitted},         {"in_sight", r.seen},
      {"peak_stops", r.peak}, {"spread", r.spread},        {"picture_share", r.pictureShare}, {"stations", stations},
      {"findings", findings}, {"rays", r.raysTraced}};
}

void routeCommand(const Context& c, const Args& a) {
  Args lighter = a;
  if (!lighter.samples) lighter.samples = 16;
  if (lighter.size.empty()) lighter.size = "480x270";
  Document doc = prepared(c, lighter);
  if (a.size.empty()) {
    // The document's own shape of frame.
    const Params s(readAnyDocument(c.kinds, a.file, c.cancel).settings(), 0);
    doc = setValue(doc, doc.settings().id, "height",
                   Constant(std::max(1.0, std::round(480 * s.number("height") / s.number("width")))));
  }
  const Tasks tasks(a.threads);
  AssetCache assets;
  SceneCache cache;
  std::vector<const Node*> effects = doc.family("effect");
  if (!a.effect.empty()) {
    const Node* n = doc.findByName(a.effect);
    if (!n || n->kind->family() != "effect")
      throw badInput(fmt::format("{}: there is no effect named \"{}\"", a.file, a.effect));
    effects = {n};
  }
  const double frame = a.frame != 0 ? a.frame : currentFrame(doc);
  const Rendered r = renderFrame(c, lighter, doc, frame, tasks, assets, cache, 0, 1);
  Json all = Json::array();
  for (const Node* e : effects) {
    const Route route = measureRoute(doc, e->id, frame, r.rendering.scene(), r.rendering.film(),
                                     r.rendering.scene().groupScales, r.developed, tasks);
    const bool on = Params(*e, frame).flag("on");
    if (c.json) {
      all.push_back(routeJson(route, e->name, on));
      continue;
    }
    print(fmt::format("{}: {}, {:.1f} % of the picture's light", e->name, stateWord(route, on),
                      100 * route.pictureShare));
    for (const Station& s : route.stations) {
      print(fmt::format("  {:<8} {}{}{}", s.label, s.name, s.reading.empty() ? "" : ", ", s.reading));
      for (const Loss& l : s.losses)
        print(l.thing ? fmt::format("           lost to {}: {:.0f} %", l.by, 100 * l.share)
                      : fmt::format("           {:.0f} % {}", 100 * l.share, l.by));
    }
    for (const Finding& f : route.findings) {
      print(fmt::format("  {} {}",
                        f.weight == Finding::Weight::Broken ? "broken:"
                        : f.weight == Finding::Weight::Weak ? "weak:"
                                                            : "note:",
                        f.text));
      for (const Mend& m : f.mends) {
        std::string sets;
        for (const auto& [address, value] : m.sets) sets += fmt::format(" \"{}={}\"", address, value);
        print(fmt::format("    mend: {} (set{})", m.text, sets));
      }
    }
  }
  if (c.json) print(Json{{"effects", all}, {"rays", r.rendering.count().rays}, {"seconds", r.seconds}});
}

void compareCommand(const Context& c, const Args& a) {
  const auto isDocument = [](const std::string& f) { return std::filesystem::path(f).extension() == ".ilum"; };
  if (isDocument(a.file) != isDocument(a.other)) throw usageError("two pictures are compared, or two documents");
  if (isDocument(a.file)) {
    const Document from = readAnyDocument(c.kinds, a.file, c.cancel), to = readAnyDocument(c.kinds, a.other, c.cancel);
    const auto all = differences(from, to);
    if (c.json) {
      Json list = Json::array();
      for (const Difference& d : all)
        list.push_back({{"place", d.place},
                        {"before", d.before},
                        {"after", d.after},
                        {"text", describe(d)},
                        {"redoes", invalidationName(d.stage)}});
      return print(Json{{"equal", all.empty()}, {"differences", list}});
    }
    if (all.empty()) print(std::string("no difference"));
    for (const Difference& d : all) print(describe(d));
    return;
  }
  const Picture one = readPicture(a.file).picture(), two = readPicture(a.other).picture();
  const PictureComparison r = comparePictures(one, two);
  if (!r.sameSize)
    throw badInput(
        fmt::format("{} is {} × {}, but {} is {} × {}", a.file, one.width, one.height, a.other, two.width, two.height));
  if (!a.output.empty()) {
    PictureFile out;
    out.width = one.width;
    out.height = one.height;
    out.layers.push_back({"", {"R", "G", "B"}, false, differencePicture(one, two).rgb});
    writePicture(out, a.output, ColorViews(), "Plain sRGB");
  }
  if (c.json)
    return print(Json{{"equal", r.equal()},
                      {"rms", r.rms},
                      {"most", r.most},
                      {"most_at", {r.mostX, r.mostY}},
                      {"mean_stops", r.meanStops},
                      {"differing", r.differing}});
  print(r.equal() ? std::string("equal")
                  : fmt::format("rms {:.6g}, most {:.6g} at {}, {}; mean {:+.3f} stops; {:.1f} % of the pixels differ",
                                r.rms, r.most, r.mostX, r.mostY, r.meanStops, 100 * r.differing));
}

} // namespace

void addPictureCommands(CLI::App& app, Context& c) {
  const auto command = [&](const char* name, const char* text) {
    CLI::App* s = app.add_subcommand(name, text);
    s->add_flag("--json", c.json, "One JSON object on standard output");
    return s;
  };
  auto a = std::make_shared<Args>();
  CLI::App* s = command("render", "Renders a document");
  s->add_option("FILE", a->file, "A document")->required();
  s->add_option("-o", a->output, "The picture: .exr, .png, .jpg, .tif, .hdr")->required();
  s->add_option("--size", a->size, "WxH in pixels");
  s->add_option("--samples", a->samples, "Light paths a pixel");
  s->add_option("--noise", a->noise,
                "Noise at which a part of the picture is done, 0.02 for 2 %; 0 spends all samples");
  s->add_option("--seconds", a->seconds, "Stops after this time");
  s->add_option("--seed", a->seed, "Pattern of the grain");
  auto* frame = s->add_option("--frame", a->frame, "The frame");
  s->add_option("--frames", a->frames, "A-B or A-BxSTEP: a sequence, NAME.0001.exr and so on")->excludes(frame);
  s->add_option("--region", a->region, "X,Y,W,H in pixels: only this part");
  s->add_option("--camera", a->camera, "Name of a camera");
  s->add_option("--set", a->sets, "NAME.PARAM=VALUE for this picture only");
  s->add_option("--passes", a->passes,
                "all, or names with commas: depth, normal, albedo, identity, lights, sources, lens");
  s->add_flag("--no-lens", a->noLens, "Without the lens stages");
  s->add_flag("--no-denoise", a->noDenoise, "As it was sampled, noise and all");
  s->add_flag("--alpha", a->alpha, "Unassociated alpha in PNG");
  s->add_option("--threads", a->threads, "Threads; 0: one a core");
  s->callback([&c, a] { renderCommand(c, *a); });

  a = std::make_shared<Args>();
  s = command("lens", "The lens stages alone, on a picture or a sequence");
  s->add_option("IN", a->other,
                "A picture; exact with what render writes for --passes sources, else by Cryptomattes and layers that "
                "have the names of things")
      ->required();
  s->add_option("FILE", a->file, "The document whose lens it is")->required();
  s->add_option("-o", a->output, "The picture")->required();
  s->add_option("--frame", a->frame, "The frame of the document");
  s->add_option("--frames", a->frames,
                "A-B or A-BxSTEP: a sequence, IN.0001.exr to OUT.0001.exr for IN.exr and OUT.exr");
  s->add_option("--set", a->sets, "NAME.PARAM=VALUE for this picture only");
  s->add_option("--threads", a->threads, "Threads; 0: one a core");
  s->callback([&c, a] { lensCommand(c, *a); });

  a = std::make_shared<Args>();
  s = command("route", "The measured way of an effect's light, and what is wrong");
  s->add_option("FILE", a->file, "A document")->required();
  s->add_option("EFFECT", a->effect, "One effect; else all");
  s->add_option("--samples", a->samples, "Light paths a pixel (16)");
  s->add_option("--size", a->size, "WxH in pixels (480 wide)");
  s->add_option("--frame", a->frame, "The frame");
  s->add_option("--set", a->sets, "NAME.PARAM=VALUE for this measurement only");
  s->add_option("--threads", a->threads, "Threads; 0: one a core");
  s->callback([&c, a] { routeCommand(c, *a); });

  a = std::make_shared<Args>();
  s = command("compare", "What differs between two pictures, or two documents");
  s->add_option("A", a->file, "A picture or a document")->required();
  s->add_option("B", a->other, "Another")->required();
  s->add_option("-o", a->output, "The difference as a picture");
  s->callback([&c, a] { compareCommand(c, *a); });
}

} // namespace ilumbra::cli
