#include "core/delivery/job.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/hash.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/document/json.h"
#include "core/document/units.h"
#include "core/document/words.h"
#include "core/exchange/passes.h"
#include "core/exchange/picture_file.h"

#include <filesystem>
#include <fmt/args.h>
#include <fmt/format.h>
#include <numeric>

namespace ilumbra {

namespace fs = std::filesystem;

const Kind& deliveryKind() {
  static const Kind kind{
      "delivery.frames",
      "Delivery",
      "What is rendered and written",
      {choice("what", "What", {"frames", "still", "turntable", "mist plate", "test strip"})
           .matters()
           .help("frames: the range; still: its first frame; turntable: the camera once round what it looks at, over "
                 "the range; mist plate: plates alone, those that are shown (all, if none is), with their alpha and "
                 "without a ray; test strip: a still for each of some values, and a sheet of them"),
       text("of", "Of", "")
           .when("what", "test strip")
           .matters()
           .help("The address of the parameter that is tried, such as Lamp.power"),
       text("values", "Values", "")
           .when("what", "test strip")
           .matters()
           .help("To try, as they are typed, with \"; \" between: 200; 400; +1 stop"),
       integer("first_frame", "First frame", 1)
           .soft(1, 240)
           .range(-1e6, 1e6)
           .when("what", "frames|turntable|mist plate")
           .matters()
           .help("Where the range begins"),
       integer("last_frame", "Last frame", 1)
           .soft(1, 240)
           .range(-1e6, 1e6)
           .when("what", "frames|turntable|mist plate")
           .matters()
           .help("Where it ends"),
       integer("step", "Every", 1)
           .soft(1, 10)
           .range(1, 1e5)
           .when("what", "frames|turntable|mist plate")
           .matters()
           .help("1: every frame; 2: every other; and so on"),
       number("frame", "Frame", "", 1)
           .soft(1, 240)
           .range(-1e6, 1e6)
           .when("what", "still|test strip")
           .matters()
           .help("Of a still, or a strip"),
       text("output", "Files", "")
           .help("Names to write to, with \"; \" between several: .exr (scene light), .png, .jpg, .tif, .hdr, .webm, "
                 ".mkv. Tokens: {name} {frame:04} {camera} {width} {height} {samples}"),
       integer("width", "Width", 0).soft(320, 3840).range(0, 32768).zero("as the document says").help("Pixels"),
       integer("height", "Height", 0).soft(180, 2160).range(0, 32768).zero("as the document says").help("Pixels"),
       text("camera", "Camera", "").help("Name of a camera; empty: the document's"),
       integer("samples", "Samples", 0)
           .soft(1, 1024)
           .range(0, 1e6)
           .zero("as the document says")
           .help("Light paths a pixel"),
       number("noise", "Noise", "%", -1)
           .soft(0, 0.1)
           .range(-1, 1)
           .help("At which a part of the picture is done; 0 spends all samples; below 0: as the document says"),
       integer("seed", "Seed", -1).soft(0, 100).range(-1, 1e9).help("Pattern of the grain; -1: the document's"),
       number("seconds", "Longest", "", 0)
           .soft(0, 600)
           .range(0, 1e7)
           .zero("no limit")
           .help("Seconds after which a frame is taken as it is: no two runs are alike then"),
       integer("chunks", "Chunks", 0)
           .soft(0, 64)
           .range(0, 4096)
           .zero("one film")
           .help("A frame is rendered in so many parts of an even number of samples, each with a film of its own: the "
                 "same to the bit as films of so many chunks that are merged. All samples are spent"),
       text("region", "Region", "").help("X,Y,W,H in pixels: only this part"),
       text("passes", "Passes", "")
           .matters()
           .help("all, or names with commas: depth, normal, albedo, identity, lights, sources, lens, and the ways of "
                 "light; into .exr only"),
       flag("alpha", "With alpha", false)
           .matters()
           .when("what", "frames|still|turntable|test strip")
           .help("Transparent where nothing is: PNG, WebM by VP9, Matroska by FFV1"),
       flag("lens", "Lens", true).help("The lens stages act"),
       flag("denoise", "Denoised", true).help("Where the document says so; off: as it was sampled, noise and all"),
       choice("codec", "Codec", {"by the name", "VP9", "AV1", "FFV1"})
           .help("Of a movie. By the name: VP9 into .webm, FFV1 (without loss) into .mkv"),
       number("quality", "Quality", "%", 0.8).soft(0.3, 1).range(0, 1).help("Of a VP9 or AV1 movie"),
       flag("sheet", "Contact sheet", false)
           .when("what", "frames|turntable|mist plate")
           .matters()
           .help("A picture of the whole range, frame by frame, when it is done"),
       flag("prove", "Prove the passes", false)
           .help("Files with passes are read back, their layers put together by the recipe that goes with them, and "
                 "compared with the picture")}};
  return kind;
}

namespace {

// What has no references needs no document: any will do.
const Document& noDocument() {
  static const Document doc = Document::create(std::make_shared<const Kinds>(std::vector<Kind>{pictureKind()}));
  return doc;
}

const ParamDef& definition(std::string_view name) {
  if (const ParamDef* d = deliveryKind().param(name)) return *d;
  throw badInput(fmt::format("a delivery has no parameter {}", quotation(std::string(name))));
}

std::vector<std::string> split(const std::string& text, char at) {
  std::vector<std::string> out;
  for (size_t start = 0; start < text.size();) {
    const size_t end = std::min(text.find(at, start), text.size());
    size_t a = start, b = end;
    while (a < b && text[a] == ' ') ++a;
    while (b > a && text[b - 1] == ' ') --b;
    if (b > a) out.push_back(text.substr(a, b - a));
    start = end + 1;
  }
  return out;
}

} // namespace

Job::Job() {
  m_node.id = 1;
  m_node.kind = &deliveryKind();
  m_node.name = "Delivery";
}

Job Job::of(const Document& doc) {
  Job job;
  const Params s = settingsOf(doc);
  job.set("first_frame", s.number("first_frame"));
  job.set("last_frame", std::max(s.number("first_frame"), s.number("last_frame")));
  job.set("frame", currentFrame(doc));
  return job;
}

void Job::set(std::string_view name, const Constant& value) {
  const ParamDef& def = definition(name);
  checkValue(noDocument(), def, Value(value), def.label);
  if (value == def.initial)
    m_node.values.erase(def.name);
  else
    m_node.values[def.name] = Value(value);
}

void Job::setText(std::string_view name, std::string_view text) {
  const ParamDef& def = definition(name);
  const Value v = parseValue(noDocument(), def, text);
  if (!v.constant()) throw badInput(def.label + ": is one value here");
  set(name, *v.constant());
}

std::string Job::textOf(std::string_view name) const {
  const ParamDef& def = definition(name);
  return formatValue(noDocument(), def, Value(params().constant(name)));
}

std::string Job::json() const {
  Json j = Json::object();
  for (const ParamDef& d : deliveryKind().params)
    if (const Value* v = m_node.find(d.name)) j[d.name] = jsonOf(*v);
  return j.dump();
}

Job Job::fromJson(std::string_view text) {
  Job job;
  const Json j = Json::parse(text, nullptr, false);
  if (!j.is_object()) throw badInput("a delivery is one JSON object");
  for (const auto& [name, value] : j.items())
    if (const ParamDef* d = deliveryKind().param(name)) {
      const Value v = valueOf(*d, value, name);
      if (!v.constant()) throw badInput(name + ": is one value here");
      job.set(name, *v.constant());
    }
  return job;
}

std::vector<double> Job::frames() const {
  const Params p = params();
  if (p.text("what") == "still") return {p.number("frame")};
  if (isStrip()) {
    if (p.text("of").empty() || values().empty())
      throw usageError("a test strip needs the address of a parameter, and values to try");
    std::vector<double> pictures(values().size());
    std::iota(pictures.begin(), pictures.end(), 1.0);
    return pictures;
  }
  const double first = p.number("first_frame"), last = p.number("last_frame"), step = p.number("step");
  if (last < first || (last - first) / step > 100000)
    throw usageError(fmt::format("{:g} to {:g} is no range of frames", first, last));
  std::vector<double> out;
  for (double f = first; f <= last; f += step) out.push_back(f);
  return out;
}

bool Job::sequence() const { return params().text("what") != "still"; }

std::vector<std::string> Job::outputs() const { return split(params().text("output"), ';'); }

bool Job::withAlpha() const { return params().flag("alpha") || params().text("what") == "mist plate"; }
bool Job::isStrip() const { return params().text("what") == "test strip"; }

std::vector<std::string> Job::values() const { return split(params().text("values"), ';'); }

std::vector<std::string> Job::passes() const { return parsePasses(params().text("passes")); }

bool isMovieName(const std::string& path) {
  const std::string e = extensionOf(path);
  return e == ".webm" || e == ".mkv";
}

void Job::check() const {
  const Params p = params();
  const std::vector<std::string> names = outputs();
  if (names.empty()) throw usageError("a delivery needs the name of a file to write to");
  frames();
  const std::string codec = p.text("codec");
  bool exr = false;
  for (const std::string& n : names) {
    if (isMovieName(n)) {
      if (!plays()) throw usageError(n + ": a still is written as .exr, .png, .jpg, .tif or .hdr");
      if (extensionOf(n) == ".webm" && codec == "FFV1") throw usageError(n + ": FFV1 is written into .mkv");
      if (!p.text("region").empty()) throw usageError(n + ": a movie is of the whole picture, not of a region");
    } else if (!isPictureName(n)) {
      throw usageError(n + ": is written as .exr, .png, .jpg, .tif, .hdr, .webm or .mkv");
    }
    exr = exr || extensionOf(n) == ".exr";
  }
  if (p.number("chunks") > 0 && p.number("seconds") > 0)
    throw usageError("chunks spend all their samples: there is no longest time for them");
  if (!passes().empty() && !exr) throw usageError("passes are written to .exr only");
}

Document documentFor(const Document& given, const Job& job) {
  Document doc = given;
  const NodeId picture = doc.settings().id;
  const Params p = job.params();
  for (const char* name : {"width", "height", "samples"})
    if (p.number(name) > 0) doc = setValue(doc, picture, name, Constant(p.number(name)));
  if (p.number("noise") >= 0) doc = setValue(doc, picture, "noise", Constant(p.number("noise")));
  if (p.number("seed") >= 0) doc = setValue(doc, picture, "seed", Constant(p.number("seed")));
  if (!p.flag("denoise")) doc = setValue(doc, picture, "denoise", Constant(false));
  if (const std::string name = p.text("camera"); !name.empty()) {
    const Node* n = doc.findByName(name);
    if (!n || n->kind->family() != "camera") throw badInput(fmt::format("there is no camera named \"{}\"", name));
    doc = setValue(doc, picture, "camera", Constant(Reference{n->id, nullptr}));
  }
  if (p.text("what") == "turntable") {
    const Node* camera = activeCamera(doc);
    if (!camera) throw badInput("a turntable needs a camera");
    doc = setValue(doc, picture, "first_frame", Constant(p.number("first_frame")));
    doc = setValue(doc, picture, "last_frame", Constant(p.number("last_frame")));
    doc = startMover(doc, resolve(doc, camera->name + ".position"), "orbit");
  }
  if (job.isStrip())
    for (const double number : job.frames()) pictureFor(doc, job, number); // what cannot be tried is told at once
  if (p.text("what") == "mist plate") {
    if (doc.family("plate").empty()) throw badInput("a mist plate needs a plate: put the mist on one");
    std::vector<NodeId> gone;
    for (const std::string_view family : {"object", "light", "air"})
      for (const Node* n : doc.family(family))
        if (!n->parent) gone.push_back(n->id);
    for (const NodeId id : gone)
      if (doc.find(id)) doc = removeNode(doc, id);
    // Plates that stand by, beside the air that they are like, are what is asked for.
    const std::vector<const Node*> plates = doc.family("plate");
    const auto shown = [&](const Node* n) { return Params(*n, p.number("first_frame")).flag("shown"); };
    if (std::none_of(plates.begin(), plates.end(), shown)) {
      std::vector<NodeId> all;
      for (const Node* n : plates) all.push_back(n->id);
      for (const NodeId id : all) doc = setValue(doc, id, "shown", Constant(true));
    }
  }
  return doc;
}

Document pictureFor(const Document& rendered, const Job& job, double frame) {
  if (!job.isStrip()) return atFrame(rendered, frame);
  const Document doc = atFrame(rendered, job.params().number("frame"));
  const Address at = resolve(doc, job.params().text("of"));
  const Value now = valueAt(doc, at),
              tried = parseValue(doc, definitionAt(doc, at), job.values()[size_t(frame) - 1], &now);
  return tried.constant() ? setNow(doc, at, *tried.constant()) : setAt(doc, at, tried);
}

std::string frameName(const std::string& output, int frame) {
  const fs::path p(output);
  return (p.parent_path() / fmt::format("{}.{:04d}{}", p.stem().string(), frame, p.extension().string())).string();
}

std::vector<std::pair<std::string, std::string>> nameTokens() {
  return {{"{name}", "the document's name"}, {"{frame:04}", "the frame, with four digits"},
          {"{camera}", "the camera's name"}, {"{width}", "pixels across"},
          {"{height}", "pixels down"},       {"{samples}", "light paths a pixel"}};
}

std::string fileName(const std::string& output, const Document& doc, const Job& job, const std::string& document,
                     double frame) {
  const Params s = settingsOf(doc);
  const Node* camera = activeCamera(doc);
  const bool counts = output.find("{frame") != std::string::npos;
  fmt::dynamic_format_arg_store<fmt::format_context> args;
  args.push_back(fmt::arg("name", document.empty() ? std::string("picture") : fs::path(document).stem().string()));
  args.push_back(fmt::arg("frame", int(std::lround(frame))));
  args.push_back(fmt::arg("camera", camera ? camera->name : std::string("no camera")));
  args.push_back(fmt::arg("width", int(s.number("width"))));
  args.push_back(fmt::arg("height", int(s.number("height"))));
  args.push_back(fmt::arg("samples", int(s.number("samples"))));
  std::string name;
  try {
    name = fmt::vformat(output, args);
  } catch (const fmt::format_error&) {
    std::string known;
    for (const auto& [token, what] : nameTokens()) known += (known.empty() ? "" : ", ") + token;
    throw usageError(fmt::format("{} has a token that is not known (there are {})", quotation(output), known));
  }
  return job.sequence() && !counts && !isMovieName(output) ? frameName(name, int(std::lround(frame))) : name;
}

std::string frameIdentity(const Document& rendered, const Job& job, double frame) {
  // Wherever the document lies, its files are the same.
  std::string all = toJson(movedTo(pictureFor(rendered, job, frame), "/"));
  if (job.isStrip()) frame = job.params().number("frame");
  for (const NodePtr& n : rendered.nodes())
    for (const ParamDef& d : n->kind->params) {
      if (d.type != ParamType::File) continue;
      const std::string file = Params(*n, frame).text(d.name);
      if (file.empty()) continue;
      const std::string path = resolveFile(rendered, file);
      std::error_code e;
      const auto size = fs::file_size(path, e);
      const auto time = e ? fs::file_time_type() : fs::last_write_time(path, e);
      all += fmt::format("\n{} {} {}", path, e ? 0 : size, e ? 0 : time.time_since_epoch().count());
    }
  const Params p = job.params();
  all += fmt::format("\n{} {} {} {} {} {}", p.text("region"), p.text("passes"), p.flag("lens"), job.withAlpha(),
                     p.number("seconds"), p.number("chunks"));
  return fmt::format("{:016x}", contentHash(all));
}

} // namespace ilumbra
