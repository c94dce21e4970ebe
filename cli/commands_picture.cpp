#include "cli/commands.h"
#include "cli/job_options.h"
#include "core/base/error.h"
#include "core/compile/compile.h"
#include "core/delivery/frame_render.h"
#include "core/display/view.h"
#include "core/document/difference.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/document/words.h"
#include "core/effects/route.h"
#include "core/exchange/assets.h"
#include "core/exchange/carried_document.h"
#include "core/exchange/passes.h"
#include "core/lens/develop.h"
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
  std::string file, other, output, size, frames, effect;
  std::vector<std::string> sets;
  double frame = 0;
  int samples = 0, threads = 0;
};

Document prepared(const Context& c, const Args& a) { return preparedDocument(c, a.file, a.sets, a.size, a.samples); }

std::vector<double> frameRange(const std::string& text) {
  Job job;
  setFrames(job, text);
  return job.frames();
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
  std::vector<const Node*> effects = doc.family("effect");
  if (!a.effect.empty()) {
    const Node* n = doc.findByName(a.effect);
    if (!n || n->kind->family() != "effect")
      throw badInput(fmt::format("{}: there is no effect named \"{}\"", a.file, a.effect));
    effects = {n};
  }
  const double frame = a.frame != 0 ? a.frame : currentFrame(doc);
  FrameMaker maker(tasks);
  Progress progress;
  const auto shown = [&](uint32_t done, uint32_t wanted, double) {
    progress.show(double(done) / wanted, fmt::format("{} of {} samples", done, wanted));
  };
  const RenderedFrame r =
      renderFrame(atFrame(doc, frame), frame, maker, {.works = true, .cancel = c.cancel, .progress = shown});
  Json all = Json::array();
  for (const Node* e : effects) {
    const Route route = measureRoute(r.doc, e->id, frame, r.rendering.scene(), r.rendering.film(),
                                     r.rendering.scene().groupScales, r.developed, tasks);
    const bool on = Params(*r.doc.find(e->id), frame).flag("on");
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
  CLI::App* s = command("lens", "The lens stages alone, on a picture or a sequence");
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
  addThreads(*s, a->threads);
  s->callback([&c, a] { lensCommand(c, *a); });

  a = std::make_shared<Args>();
  s = command("route", "The measured way of an effect's light, and what is wrong");
  s->add_option("FILE", a->file, "A document")->required();
  s->add_option("EFFECT", a->effect, "One effect; else all");
  s->add_option("--samples", a->samples, "Light paths a pixel (16)");
  s->add_option("--size", a->size, "WxH in pixels (480 wide)");
  s->add_option("--frame", a->frame, "The frame");
  s->add_option("--set", a->sets, "NAME.PARAM=VALUE for this measurement only");
  addThreads(*s, a->threads);
  s->callback([&c, a] { routeCommand(c, *a); });

  a = std::make_shared<Args>();
  s = command("compare", "What differs between two pictures, or two documents");
  s->add_option("A", a->file, "A picture or a document")->required();
  s->add_option("B", a->other, "Another")->required();
  s->add_option("-o", a->output, "The difference as a picture");
  s->callback([&c, a] { compareCommand(c, *a); });
}

} // namespace ilumbra::cli
