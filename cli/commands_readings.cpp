#include "cli/commands.h"
#include "cli/job_options.h"
#include "core/advise/readings.h"
#include "core/base/error.h"
#include "core/delivery/contact_sheet.h"
#include "core/delivery/frame_render.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/document/words.h"
#include "core/exchange/carried_document.h"
#include "core/exchange/picture_file.h"
#include "core/session/solve.h"
#include "core/session/strip.h"

#include <chrono>
#include <CLI/CLI.hpp>
#include <filesystem>
#include <fmt/format.h>

namespace ilumbra::cli {
namespace {

struct Args {
  std::string file, against, output, size, effect, region, param, by, values, byValues, spread = "around now", low,
                                                                                        high;
  std::vector<std::string> sets;
  double frame = 0;
  int samples = 0, threads = 0, count = 9, width = 320, columns = 0;
};

Document prepared(const Context& c, const Args& a, const std::string& file) {
  const Document doc = preparedDocument(c, file, a.sets, a.size, a.samples);
  return a.frame != 0 ? atFrame(doc, a.frame) : doc;
}

Region regionOf(const std::string& text) {
  Region r;
  int end = 0;
  if (!text.empty() && (std::sscanf(text.c_str(), "%d,%d,%d,%d%n", &r.x, &r.y, &r.width, &r.height, &end) != 4 ||
                        size_t(end) != text.size() || r.width < 1 || r.height < 1))
    throw usageError(fmt::format("\"{}\" is not a region like X,Y,W,H", text));
  return r;
}

// Of a document, rendered; or of a picture that there is.
Readings readingsOf(const Context& c, const Args& a, const std::string& file, const Tasks& tasks,
                    const ColorViews& views) {
  const bool rendered = std::filesystem::path(file).extension() == ".ilum";
  Args lighter = a;
  if (!lighter.samples) lighter.samples = 16;
  Document doc = rendered ? prepared(c, lighter, file) : Document::create(c.kinds);
  if (rendered && a.size.empty()) {
    const Params s = settingsOf(doc);
    const double high = std::max(1.0, std::round(640 * s.number("height") / std::max(1.0, s.number("width"))));
    doc = setValue(setValue(doc, doc.settings().id, "width", Constant(640.0)), doc.settings().id, "height",
                   Constant(high));
  }
  NodeId effect = 0;
  if (!a.effect.empty()) {
    const Node* n = doc.findByName(a.effect);
    if (!n || n->kind->family() != "effect")
      throw badInput(fmt::format("{}: there is no effect named \"{}\"", file, a.effect));
    effect = n->id;
  }
  const Region region = regionOf(a.region);
  const auto take = [&](const Document& of, const Picture& p, double noise, const Scene* scene) {
    if (region.width &&
        (region.x < 0 || region.y < 0 || region.x + region.width > p.width || region.y + region.height > p.height))
      throw usageError(
          fmt::format("the region {} does not lie inside the picture of {} × {}", a.region, p.width, p.height));
    const std::string view = settingsOf(of).text("view");
    return takeReadings({.doc = of,
                         .frame = currentFrame(of),
                         .picture = p,
                         .noise = noise,
                         .region = region,
                         .effect = effect,
                         .scene = scene,
                         .shown = [&](const Picture& shown) { return views.exact(shown, view); }});
  };
  if (!rendered) return take(doc, readPicture(file, c.cancel).picture(), 0, nullptr);
  FrameMaker maker(tasks);
  Progress progress;
  const RenderedFrame r =
      renderFrame(doc, currentFrame(doc), maker,
                  {.cancel = c.cancel, .progress = [&](uint32_t done, uint32_t wanted, double) {
                     progress.show(double(done) / wanted, fmt::format("{} of {} samples", done, wanted));
                   }});
  return take(r.doc, r.developed.picture, r.rendering.film().noise(), &r.rendering.scene());
}

Json json(const Readings& r) {
  Json lines = Json::array();
  for (const Finding& f : r.lines) {
    Json mends = Json::array();
    for (const Mend& m : f.mends) {
      Json sets = Json::array();
      for (const auto& [address, value] : m.sets) sets.push_back(address + "=" + value);
      mends.push_back({{"text", m.text}, {"set", sets}});
    }
    lines.push_back({{"weight", f.weight == Finding::Weight::Broken ? "broken"
                                : f.weight == Finding::Weight::Weak ? "weak"
                                                                    : "note"},
                     {"text", f.text},
                     {"mends", mends}});
  }
  Json out{{"verdict", r.verdict},
           {"reads", r.reads},
           {"stops_from_white", {{"brightest", r.brightest}, {"middle", r.middle}, {"darkest", r.darkest}}},
           {"clipped", {{"red", r.clipped[0]}, {"green", r.clipped[1]}, {"blue", r.clipped[2]}, {"any", r.anyClipped}}},
           {"black", r.black},
           {"noise", r.noise},
           {"histogram", {{"from_stop", Readings::lowest}, {"shares", r.histogram}}},
           {"lines", lines}};
  if (!r.halo.empty()) {
    const HaloReading& h = r.halo.front();
    Json profile = Json::array();
    for (const V2f& p : h.profile) profile.push_back({p.x, p.y});
    out["halo"] = {{"centre", {h.centre.x, h.centre.y}},
                   {"core_stops", h.core},
                   {"core_radius", h.radius},
                   {"surround_stops", h.surround},
                   {"half_width", h.halfWidth},
                   {"tail", h.tail},
                   {"rim_stops", h.rim},
                   {"falls", h.falls},
                   {"hue_kept_to", h.keepsHue},
                   {"profile", profile}};
  }
  return out;
}

void readingsCommand(const Context& c, const Args& a) {
  const Tasks tasks(a.threads);
  const ColorViews views;
  const Readings now = readingsOf(c, a, a.file, tasks, views);
  std::optional<Readings> other;
  if (!a.against.empty()) other = readingsOf(c, a, a.against, tasks, views);
  const std::vector<std::string> apart =
      other ? compareReadings(now, *other, std::filesystem::path(a.against).filename().string())
            : std::vector<std::string>();
  if (c.json) {
    Json out = json(now);
    if (other) out["against"] = {{"readings", json(*other)}, {"differences", apart}};
    return print(out);
  }
  print(now.verdict);
  for (const Finding& f : now.lines) {
    print("  " + f.text);
    for (const Mend& m : f.mends) {
      std::string sets;
      for (const auto& [address, value] : m.sets) sets += fmt::format(" \"{}={}\"", address, value);
      print(fmt::format("    mend: {} (set{})", m.text, sets));
    }
  }
  for (const std::string& s : apart) print("  " + s);
}

std::vector<std::string> valuesOf(const std::string& text) {
  // With ; between them, or with commas where there is none.
  const char between = text.find(';') != std::string::npos ? ';' : ',';
  std::vector<std::string> out;
  size_t start = 0;
  while (start <= text.size()) {
    const size_t end = std::min(text.find(between, start), text.size());
    std::string v = text.substr(start, end - start);
    v.erase(0, v.find_first_not_of(' '));
    v.erase(v.find_last_not_of(' ') + 1);
    if (!v.empty()) out.push_back(v);
    start = end + 1;
  }
  return out;
}

void stripCommand(const Context& c, const Args& a) {
  const auto begin = std::chrono::steady_clock::now();
  const Document doc = prepared(c, a, a.file);
  const auto& names = stripSpreadNames();
  const auto how = std::find(names.begin(), names.end(), a.spread);
  if (how == names.end()) throw usageError(fmt::format("--spread is one of: {}", fmt::join(names, ", ")));
  const auto axis = [&](const std::string& address, const std::string& values) {
    const Address at = resolve(doc, address);
    return StripAxis{at, values.empty() ? stripValues(doc, at, StripSpread(how - names.begin()), a.count, a.low, a.high)
                                        : valuesOf(values)};
  };
  std::vector<StripAxis> axes = {axis(a.param, a.values)};
  if (!a.by.empty()) axes.push_back(axis(a.by, a.byValues));
  const Tasks tasks(a.threads);
  AssetCache assets;
  StripRender strip(stripCells(doc, axes), a.width, uint32_t(a.samples > 0 ? a.samples : 32), assets, tasks);
  std::vector<Picture> pictures(strip.cells().size());
  std::vector<std::string> errors(pictures.size());
  double drafts = 0;
  size_t drawn = 0;
  Progress progress;
  const CancelFlag never;
  const CancelFlag& cancel = c.cancel ? *c.cancel : never;
  while (strip.advance(
      [&](StripRender::Picture p) {
        if (pictures[p.cell].rgb.empty() && ++drawn == pictures.size())
          drafts = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
        pictures[p.cell] = std::move(p.light);
      },
      [&](size_t cell, const std::string& why) { errors[cell] = why; }, cancel))
    progress.show(strip.progress(), fmt::format("{} pictures", pictures.size()));
  std::vector<std::pair<Picture, std::string>> cells;
  Json list = Json::array();
  for (size_t k = 0; k < pictures.size(); ++k) {
    if (!errors[k].empty()) throw badInput(fmt::format("{}: {}", strip.cells()[k].label, errors[k]));
    cells.emplace_back(std::move(pictures[k]), strip.cells()[k].label + (strip.cells()[k].now ? "  (now)" : ""));
    list.push_back({{"label", strip.cells()[k].label}, {"now", strip.cells()[k].now}});
  }
  const ColorViews views;
  // In one row, or in as many as the second parameter has values.
  const int columns = a.columns > 0 ? a.columns : axes.size() > 1 ? int(axes.front().values.size()) : 0;
  writeSheet(a.output, cells, columns, views, settingsOf(doc).text("view"));
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  if (c.json)
    return print(Json{{"file", a.output},
                      {"pictures", list},
                      {"films", strip.films()},
                      {"rays", strip.rays()},
                      {"seconds", seconds},
                      {"seconds_to_drafts", drafts}});
  print(fmt::format("{}: {} pictures, {} rendered, the others without a ray of their own; {:.1f} s", a.output,
                    cells.size(), strip.films(), seconds));
}

void solveCommand(const Context& c, const Args& a) {
  const Document doc = prepared(c, a, a.file);
  const Node* thing = doc.findByName(a.effect);
  if (!thing) throw badInput(fmt::format("{}: there is nothing named \"{}\"", a.file, a.effect));
  const auto& names = goalNames();
  const std::vector<Goal::What> fits = goalsFor(doc, thing->id);
  std::string known;
  for (const Goal::What w : fits) known += (known.empty() ? "" : ", ") + names[size_t(w)];
  const auto name = std::find(names.begin(), names.end(), a.param);
  Goal goal{.what = Goal::What(name - names.begin()), .of = thing->id};
  if (name == names.end() || std::find(fits.begin(), fits.end(), goal.what) == fits.end())
    throw usageError(known.empty() ? fmt::format("{}: there is no goal for a {}", thing->name, thing->kind->label)
                                   : fmt::format("of {} a goal is one of: {}", thing->name, known));
  if (goal.what != Goal::What::FocusOn) {
    if (a.values.empty()) throw usageError("--value is missing: what it should come to");
    goal.value = parseGoal(goal.what, doc, a.values);
  }
  const Tasks tasks(a.threads);
  AssetCache assets;
  Progress progress;
  const Solution s =
      solve(doc, goal, {.assets = assets, .tasks = tasks, .cancel = c.cancel, .progress = [&](double share) {
                          progress.show(share, "solving");
                        }});
  if (!s.sets.empty() && !a.output.empty()) writeDocument(applySolution(doc, s), a.output);
  if (c.json) {
    Json sets = Json::array();
    for (const auto& [address, value] : s.sets) sets.push_back(address + "=" + value);
    return print(Json{{"found", !s.sets.empty()},
                      {"text", s.text},
                      {"set", sets},
                      {"before", s.before},
                      {"reached", s.reached},
                      {"why", s.why}});
  }
  if (s.sets.empty()) throw badInput(fmt::format("{} is not reached: {}", a.param, s.why));
  print(s.text);
  print(fmt::format("  {} now, {} then", goalText(goal.what, s.before), goalText(goal.what, s.reached)));
  std::string sets;
  for (const auto& [address, value] : s.sets) sets += fmt::format(" \"{}={}\"", address, value);
  if (a.output.empty()) print("  set" + sets);
}

} // namespace

void addReadingsCommands(CLI::App& app, Context& c) {
  const auto command = [&](const char* name, const char* text, const std::shared_ptr<Args>& a) {
    CLI::App* s = app.add_subcommand(name, text);
    s->add_flag("--json", c.json, "One JSON object on standard output");
    s->add_option("--set", a->sets, "NAME.PARAM=VALUE for this time only");
    s->add_option("--frame", a->frame, "The frame");
    s->add_option("--samples", a->samples, "Light paths a pixel");
    addThreads(*s, a->threads);
    return s;
  };
  auto a = std::make_shared<Args>();
  CLI::App* s = command("readings", "What the picture measures, and whether it reads as light, with mends", a);
  s->add_option("FILE", a->file, "A document, or a picture in scene light (.exr) or as it is shown")->required();
  s->add_option("--effect", a->effect, "The effect whose light is looked at; else the brightest place");
  s->add_option("--region", a->region, "X,Y,W,H: this part alone");
  s->add_option("--size", a->size, "WxH in pixels (640 wide)");
  s->add_option("--against", a->against, "Another document or picture: what is otherwise than there");
  s->callback([&c, a] { readingsCommand(c, *a); });

  a = std::make_shared<Args>();
  s = command("strip", "A parameter at several values, side by side, or two crossed", a);
  s->add_option("FILE", a->file, "A document")->required();
  s->add_option("--param", a->param, "NAME.PARAM that is tried")->required();
  s->add_option("--values", a->values, "A;B;C as they are typed; else so many of --spread");
  s->add_option("--by", a->by, "NAME.PARAM that is crossed with it");
  s->add_option("--by-values", a->byValues, "Its values");
  s->add_option("--count", a->count, "How many values (9)")->check(CLI::Range(2, 25));
  s->add_option("--spread", a->spread, "around now, even or factors");
  s->add_option("--from", a->low, "Where an even spread, or one by factors, begins");
  s->add_option("--to", a->high, "and where it ends");
  s->add_option("--width", a->width, "Pixels of each picture (320)")->check(CLI::Range(32, 2048));
  s->add_option("--columns", a->columns, "Pictures in a row");
  s->add_option("-o", a->output, "The sheet, a PNG")->required();
  s->callback([&c, a] { stripCommand(c, *a); });

  a = std::make_shared<Args>();
  s = command("solve", "Finds the parameter that brings about what is wanted, and its value", a);
  s->add_option("FILE", a->file, "A document")->required();
  s->add_option("THING", a->effect, "An effect, or what is to be in focus")->required();
  s->add_option("--goal", a->param,
                "stops above white, share through, half through at, share mirrored, focus on, halo half as strong at, "
                "core above its surround")
      ->required();
  s->add_option("--value", a->values, "What it should come to: 3, 50 %, 20 mm");
  s->add_option("-o", a->output, "The document to write; else what to set is told");
  s->callback([&c, a] { solveCommand(c, *a); });
}

} // namespace ilumbra::cli
