#include "cli/commands.h"
#include "core/advise/findings.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/document/inputs.h"
#include "core/document/units.h"
#include "core/document/words.h"
#include "core/effects/route.h"
#include "core/exchange/carried_document.h"
#include "core/exchange/export.h"
#include "core/exchange/import.h"
#include "core/geometry/form.h"
#include "core/geometry/health.h"
#include "core/lens/develop.h"
#include "core/lens/queries.h"
#include "core/pattern/presets.h"
#include "core/placing/framing.h"
#include "core/scene/scene.h"
#include "core/surface/presets.h"
#include "core/transport/rendering.h"
#include "demo/starters.h"

#include <CLI/CLI.hpp>
#include <filesystem>
#include <fmt/format.h>

namespace ilumbra::cli {
namespace {

Json paramJson(const ParamDef& d) {
  Json j = {{"name", d.name}, {"label", d.label}, {"type", typeName(d.type)}, {"unit", d.unit}};
  if (const double* v = std::get_if<double>(&d.initial)) j["default"] = *v;
  if (const bool* v = std::get_if<bool>(&d.initial)) j["default"] = *v;
  if (const auto* v = std::get_if<std::string>(&d.initial)) j["default"] = *v;
  if (const auto* v = std::get_if<Triple>(&d.initial)) j["default"] = *v;
  if (d.type == ParamType::Number || d.type == ParamType::Integer || d.type == ParamType::Vector) {
    if (d.hardMin > -1e30) j["least"] = d.hardMin;
    if (d.hardMax < 1e30) j["most"] = d.hardMax;
  }
  if (!d.choices.empty()) j["choices"] = d.choices;
  if (!d.accepts.empty()) j["accepts"] = d.accepts;
  j["keys"] = d.keyable;
  j["pattern"] = d.patternable;
  j["redoes"] = invalidationName(d.stage);
  j["help"] = d.helpText;
  return j;
}

Json kindJson(const Kind& k) {
  Json params = Json::array(), slots = Json::array();
  for (const ParamDef& d : k.params) params.push_back(paramJson(d));
  for (const ChildSlot& s : k.slots) slots.push_back({{"name", s.name}, {"accepts", s.accepts}});
  return {{"id", k.id}, {"label", k.label}, {"help", k.helpText}, {"parameters", params}, {"children", slots}};
}

// "light." is any light.
std::string acceptedText(const std::vector<std::string>& accepts) {
  std::string out;
  for (const std::string& a : accepts)
    out += (out.empty() ? "" : ", ") + (a.ends_with('.') ? "any " + a.substr(0, a.size() - 1) : a);
  return out;
}

void kindsCommand(const Context& c, const std::string& wanted) {
  if (!wanted.empty()) {
    const Kind* k = c.kinds->find(wanted);
    if (!k) {
      std::vector<std::string> ids;
      for (const Kind& other : c.kinds->all()) ids.push_back(other.id);
      const std::string near = nearestWord(wanted, ids);
      throw usageError(fmt::format("there is no kind {}{}", quotation(wanted),
                                   near.empty() ? "" : fmt::format("; the nearest is {}", near)));
    }
    if (c.json) return print(kindJson(*k));
    print(fmt::format("{}  {}: {}", k->id, k->label, k->helpText));
    for (const ParamDef& d : k->params) {
      std::string initial;
      if (const double* v = std::get_if<double>(&d.initial))
        initial = formatNumber(d, *v);
      else if (const bool* b = std::get_if<bool>(&d.initial))
        initial = *b ? "on" : "off";
      else if (const auto* s = std::get_if<std::string>(&d.initial))
        initial = *s;
      else if (const auto* t = std::get_if<Triple>(&d.initial))
        initial = fmt::format("{:g}, {:g}, {:g}", (*t)[0], (*t)[1], (*t)[2]);
      print(fmt::format("  {:<20} {:<10} {:<16} {}", d.name, typeName(d.type), initial, d.helpText));
      if (!d.choices.empty()) print(fmt::format("  {:<20} one of: {}", "", fmt::join(d.choices, ", ")));
      if (!d.accepts.empty()) print(fmt::format("  {:<20} takes: {}", "", acceptedText(d.accepts)));
      if (d.patternable)
        print(fmt::format("  {:<20} or a pattern by its name: \"pattern Wear\"{}", "",
                          d.evenOnly ? ", one that is the same everywhere" : ""));
    }
    for (const ChildSlot& s : k->slots) print(fmt::format("  list {:<15} of: {}", s.name, acceptedText(s.accepts)));
    return;
  }
  if (c.json) {
    Json all = Json::array();
    for (const Kind& k : c.kinds->all()) all.push_back(kindJson(k));
    return print(Json{{"kinds", all}});
  }
  for (const Kind& k : c.kinds->all()) print(fmt::format("{:<20} {}", k.id, k.helpText));
}

Json valueJson(const Document& doc, const ParamDef& d, const Value& v) {
  return {{"value", Json::parse(valueToJson(d, v))}, {"unit", d.unit}, {"text", formatValue(doc, d, v)}};
}

void showCommand(const Context& c, const std::string& file, const std::string& address) {
  const Document doc = readAnyDocument(c.kinds, file, c.cancel);
  if (address.empty()) {
    if (c.json) {
      Json things = Json::array();
      for (const Node* n : doc.inOrder()) things.push_back({{"id", n->id}, {"kind", n->kind->id}, {"name", n->name}});
      return print(Json{{"things", things}});
    }
    for (const Node* n : doc.inOrder()) {
      std::string indent;
      for (NodeId up = n->parent; up; up = doc.find(up)->parent) indent += "  ";
      print(fmt::format("{}{}  ({})", indent, n->name, n->kind->id));
    }
    return;
  }
  const Address a = resolve(doc, address);
  if (!a.param.empty()) {
    const ParamDef& d = definitionAt(doc, a);
    const Value v = valueAt(doc, a);
    if (c.json) return print(valueJson(doc, d, v));
    return print(formatValue(doc, d, v));
  }
  const Node& n = *doc.find(a.node);
  Json values = Json::object();
  for (const ParamDef& d : n.kind->params) {
    const Value* stored = n.find(d.name);
    const Value v = stored ? *stored : Value(d.initial);
    if (c.json)
      values[d.name] = valueJson(doc, d, v);
    else
      print(fmt::format("{:<20} {}{}", d.name, formatValue(doc, d, v), stored ? "" : "  (default)"));
  }
  Json inputs = Json::object();
  for (const NamedInput& i : n.inputs)
    if (const ParamDef* d = inputDefinition(doc, n, i.name)) {
      const Value v = inputValue(doc, n, nullptr, i.name);
      if (c.json)
        inputs[i.name] = valueJson(doc, *d, v);
      else
        print(fmt::format("inputs.{:<13} {}", i.name, formatValue(doc, *d, v)));
    }
  if (c.json) print(Json{{"id", n.id}, {"kind", n.kind->id}, {"name", n.name}, {"values", values}, {"inputs", inputs}});
}

void told(const Context& c, const std::string& output, const std::vector<std::string>& notes,
          Json more = Json::object()) {
  if (c.json) {
    more["file"] = output;
    more["notes"] = notes;
    return print(more);
  }
  for (const std::string& n : notes) print(n);
}

void addCommand(const Context& c, const std::string& file, const std::string& kind, const std::string& name,
                const std::vector<std::string>& values, const std::string& preset, const std::string& into,
                const std::string& output) {
  Document doc = readAnyDocument(c.kinds, file, c.cancel);
  NodeId id = 0;
  Place place;
  if (!into.empty()) {
    const Node* parent = doc.findByName(into);
    const ChildSlot* slot = parent ? parent->kind->slotFor(kind) : nullptr;
    // Of several lists, like the curves of a grade, one by its name: "Tones.red".
    if (const size_t dot = into.rfind('.'); !parent && dot != std::string::npos)
      if ((parent = doc.findByName(into.substr(0, dot)))) {
        slot = parent->kind->slot(into.substr(dot + 1));
        if (!slot)
          throw badInput(fmt::format("{}: a {} has no list \"{}\"", file, parent->kind->label, into.substr(dot + 1)));
        if (!accepted(slot->accepts, kind)) slot = nullptr;
      }
    if (!parent) throw badInput(fmt::format("{}: there is no \"{}\"", file, into));
    if (!slot) throw badInput(fmt::format("{}: a {} does not take a {}", file, parent->kind->label, kind));
    place = {parent->id, slot->name, size_t(-1)};
  }
  if (doc.findByName(name)) throw badInput(fmt::format("{}: another thing is named \"{}\"", file, name));
  doc = addNode(doc, kind, name, place, &id);
  if (!preset.empty()) doc = applyPreset(doc, id, findPreset(preset));
  for (const std::string& v : values) doc = applySetting(doc, doc.find(id)->name + "." + v);
  // An effect's lens stage takes its light from the effect until it is told otherwise, as in the window.
  if (const Node* n = doc.find(id); n->kind->family() == "effect" && n->kind->param("lens"))
    for (const Reference& r : Params(*n, 0).references("lens"))
      if (const Node* stage = doc.find(r.target);
          stage && stage->kind->param("sources") && Params(*stage, 0).references("sources").empty())
        doc = setValue(doc, stage->id, "sources", Constant(std::vector<Reference>{{id, nullptr}}));
  writeDocument(doc, output);
  if (c.json) print(Json{{"file", output}, {"id", id}, {"name", doc.find(id)->name}});
}

// What the routes of effects find, by a small picture of a few samples.
void findInEffects(const Context& c, const Document& doc, const ScenePtr& scene, AssetCache& assets,
                   std::vector<Finding>& findings) {
  const double frame = currentFrame(doc);
  const bool any = std::any_of(doc.nodes().begin(), doc.nodes().end(), [&](const NodePtr& n) {
    return n->kind->family() == "effect" && Params(*n, frame).flag("on");
  });
  if (!any || !activeCamera(doc) || scene->bare()) return;
  const Tasks tasks;
  Rendering rendering(scene);
  if (!rendering.advance(tasks, 12, *c.cancel)) throw cancelled();
  const FileAssets files = assets.assets(doc.folder(), c.cancel);
  const LensResult developed =
      develop(doc, frame, *scene, rendering.film(), scene->groupScales, tasks, {.assets = &files, .cancel = c.cancel});
  for (const Node* e : doc.family("effect")) {
    if (!Params(*e, frame).flag("on")) continue;
    for (Finding f :
         measureRoute(doc, e->id, frame, *scene, rendering.film(), scene->groupScales, developed, tasks).findings) {
      if (f.weight == Finding::Weight::Note) continue;
      f.text = e->name + ": " + f.text;
      findings.push_back(std::move(f));
    }
  }
}

void checkCommand(const Context& c, const std::string& file) {
  const Document doc = readAnyDocument(c.kinds, file, c.cancel);
  AssetCache assets;
  SceneCache cache;
  const Params settings = settingsOf(doc);
  const int width = 160, height = std::max(1, int(width * settings.number("height") / settings.number("width")));
  const ScenePtr scene = compileScene(doc,
                                      {.frame = currentFrame(doc),
                                       .width = width,
                                       .height = height,
                                       .queries = lensQueries(doc),
                                       .masks = lensMasks(doc)},
                                      assets.assets(doc.folder()), cache);
  std::vector<Finding> findings = findThings(doc, currentFrame(doc), *scene);
  findInEffects(c, doc, scene, assets, findings);
  const std::vector<std::string> unknown = unknownParameters(doc);
  if (c.json) {
    Json notes = Json::array();
    for (const Finding& f : findings) {
      Json mends = Json::array();
      for (const Mend& m : f.mends) {
        Json sets = Json::array();
        for (const auto& [address, value] : m.sets) sets.push_back(address + "=" + value);
        mends.push_back({{"text", m.text}, {"set", sets}});
      }
      notes.push_back({{"text", f.text}, {"mends", mends}});
    }
    print(Json{{"file", file}, {"problems", scene->warnings}, {"unknown", unknown}, {"findings", notes}});
  } else {
    for (const std::string& u : unknown) print(fmt::format("{}: {}", file, u));
    for (const Finding& f : findings) {
      print(fmt::format("{}: {}", file, f.text));
      for (const Mend& m : f.mends) {
        for (const Mend::Added& add : m.adds)
          print(fmt::format("  {}: add {} --into \"{}\"", m.text, add.kind, add.holder));
        for (const auto& [address, value] : m.sets) print(fmt::format("  {}: \"{}={}\"", m.text, address, value));
      }
    }
  }
  if (!scene->warnings.empty()) {
    if (!c.json)
      for (size_t i = 1; i < scene->warnings.size(); ++i) print(file + ": " + scene->warnings[i]);
    throw badInput(file + ": " + scene->warnings.front());
  }
  const size_t told = unknown.size() + findings.size();
  if (!c.json)
    print(fmt::format("{}: {}; {} things", file,
                      told == 0   ? "no problem"
                      : told == 1 ? "it can be rendered, with 1 remark"
                                  : fmt::format("it can be rendered, with {} remarks", told),
                      doc.nodes().size()));
}

void healthCommand(const Context& c, const std::string& file, const std::vector<std::string>& only) {
  const Document doc = readAnyDocument(c.kinds, file, c.cancel);
  AssetCache assets;
  const double frame = currentFrame(doc);
  std::vector<const Node*> things;
  for (const std::string& name : only) {
    const Node* n = doc.findByName(name);
    if (!n) throw badInput(fmt::format("{}: there is no \"{}\"", file, name));
    things.push_back(n);
  }
  if (only.empty()) things = doc.family("object");
  Json all = Json::array();
  for (const Node* n : things) {
    if (isGroup(*n)) continue;
    std::vector<std::string> warnings;
    Form form = formOf(*n, {doc, frame, assets.assets(doc.folder(), c.cancel), c.cancel, &warnings});
    form.copies.clear();
    const MeshHealth h = examine(meshOf(form), true, c.cancel);
    if (c.json)
      all.push_back({{"name", n->name},
                     {"well", h.well()},
                     {"open_edges", h.open.size()},
                     {"holes", h.holes},
                     {"crowded_edges", h.crowded.size()},
                     {"flipped", h.flipped.size()},
                     {"doubled", h.doubled.size()},
                     {"crossing", h.crossing.size()},
                     {"empty", h.empty.size()},
                     {"bodies", h.bodies}});
    else
      print(fmt::format("{}: {}", n->name, summary(h)));
  }
  if (c.json) print(Json{{"file", file}, {"meshes", all}});
}

void importCommand(const Context& c, const std::string& model, const std::string& output, const ImportOptions& options,
                   bool bare) {
  AssetCache assets;
  Imported imported = importModel(Document::create(c.kinds), model, assets, options);
  Document doc = imported.doc;
  SceneCache cache;
  const ScenePtr scene = compileScene(doc, {.frame = 1, .width = 16, .height = 16, .queries = {}},
                                      assets.assets(doc.folder()), cache, c.cancel);
  for (const std::string& t : scene->warnings) imported.notes.push_back(t);
  if (!bare) doc = standUp(doc, *scene, &imported.notes);
  writeDocument(doc, output);
  size_t triangles = 0, objects = doc.family("object").size();
  for (const InstancedObject& i : scene->objects) triangles += size_t(i.light >= 0 ? 0 : 1);
  told(c, output, imported.notes, Json{{"objects", objects}, {"bodies", triangles}});
}

void reloadCommand(const Context& c, const std::string& file, const std::string& model, const std::string& output) {
  AssetCache assets;
  const Imported reloaded = reloadModel(readAnyDocument(c.kinds, file, c.cancel), model, assets);
  writeDocument(reloaded.doc, output);
  told(c, output, reloaded.notes);
}

void exportCommand(const Context& c, const std::string& file, const std::vector<std::string>& only,
                   const std::string& output) {
  const Document doc = readAnyDocument(c.kinds, file, c.cancel);
  ExportOptions options;
  for (const std::string& name : only) {
    const Node* n = doc.findByName(name);
    if (!n) throw badInput(fmt::format("{}: there is no \"{}\"", file, name));
    options.only.push_back(n->id);
  }
  AssetCache assets;
  told(c, output, exportSetTo(doc, output, assets, options, c.cancel));
}

struct Args {
  std::string file, output, kind, name, address, starter, preset, into;
  std::vector<std::string> values;
  std::string unit, up = "stated", motion;
  bool bare = false, numbered = false, plain = false;
};

ImportOptions optionsOf(const Args& a) {
  ImportOptions o;
  if (!a.unit.empty())
    o.unit = parseNumber(number("unit", "Unit", "m", 1),
                         a.unit.find_first_of("0123456789") == std::string::npos ? "1 " + a.unit : a.unit);
  if (!a.unit.empty() && !(o.unit > 0)) throw usageError("--unit: a length above 0 is wanted");
  o.up = a.up == "y" ? ImportOptions::Up::Y : a.up == "z" ? ImportOptions::Up::Z : ImportOptions::Up::AsStated;
  o.motion = a.motion;
  o.numbered = a.numbered;
  o.plain = a.plain;
  return o;
}

using MakeCommand = std::function<CLI::App*(const char* name, const char* text)>;

// What makes, reads and changes documents.
void addEditCommands(const MakeCommand& command, Context& c) {
  CLI::App* s = command("starters", "The ready scenes of the Orrery Hall");
  s->callback([&c] {
    if (c.json) {
      Json all = Json::array();
      for (const Starter& st : allStarters())
        all.push_back({{"name", st.name}, {"label", st.label}, {"teaches", st.teaches}});
      return print(Json{{"starters", all}});
    }
    for (const Starter& st : allStarters()) print(fmt::format("{:<16} {}", st.name, st.teaches));
  });

  auto a = std::make_shared<Args>();
  s = command("new", "Writes a starter, or an empty scene");
  s->add_option("STARTER", a->starter, "Name of a starter; none: an empty scene");
  s->add_option("-o", a->output, "The document to write")->required();
  s->callback([&c, a] {
    if (a->starter.empty())
      writeDocument(Document::create(c.kinds), a->output);
    else
      writeStarter(findStarter(a->starter), c.kinds, a->output);
    if (c.json) print(Json{{"file", a->output}});
  });

  s = command("presets", "What a surface material can be made of, and patterns that can drive its numbers and colours");
  s->callback([&c] {
    if (c.json) {
      Json all = Json::array();
      for (const MaterialPreset& p : materialPresets())
        all.push_back({{"name", p.name}, {"group", p.group}, {"about", p.helpText}});
      Json patterns = Json::array();
      for (const PatternPreset& p : patternPresets()) patterns.push_back({{"name", p.name}, {"about", p.helpText}});
      return print(Json{{"presets", all}, {"patterns", patterns}});
    }
    for (const MaterialPreset& p : materialPresets()) print(fmt::format("{:<20} {}: {}", p.name, p.group, p.helpText));
    for (const PatternPreset& p : patternPresets()) print(fmt::format("{:<20} Pattern: {}", p.name, p.helpText));
  });

  a = std::make_shared<Args>();
  s = command("kinds", "Every kind of thing and its parameters");
  s->add_option("KIND", a->kind, "One kind");
  s->callback([&c, a] { kindsCommand(c, a->kind); });

  a = std::make_shared<Args>();
  s = command("show", "What a document holds");
  s->add_option("FILE", a->file, "A document")->required();
  s->add_option("ADDRESS", a->address, "NAME or NAME.PARAM");
  s->callback([&c, a] { showCommand(c, a->file, a->address); });

  a = std::make_shared<Args>();
  s = command("set", "Changes parameters");
  s->add_option("FILE", a->file, "A document")->required();
  s->add_option("ASSIGNMENT", a->values, "NAME.PARAM=VALUE")->required();
  s->add_option("-o", a->output, "The document to write")->required();
  s->callback([&c, a] {
    Document doc = readAnyDocument(c.kinds, a->file, c.cancel);
    for (const std::string& v : a->values) doc = applySetting(doc, v);
    writeDocument(doc, a->output);
    if (c.json) print(Json{{"file", a->output}});
  });

  a = std::make_shared<Args>();
  s = command("add", "Adds a thing");
  s->add_option("FILE", a->file, "A document")->required();
  s->add_option("KIND", a->kind, "Its kind, as kinds lists it")->required();
  s->add_option("NAME", a->name, "Its name")->required();
  s->add_option("PARAM=VALUE", a->values, "Parameters");
  s->add_option(
      "--into", a->into,
      "What holds it: a group, the object that a modifier changes, or one of the lists of a thing, like Tones.red");
  s->add_option("--preset", a->preset, "Of a surface material: what it is made of, as presets lists it");
  s->add_option("-o", a->output, "The document to write")->required();
  s->callback([&c, a] { addCommand(c, a->file, a->kind, a->name, a->values, a->preset, a->into, a->output); });
}

// What goes in from models, and out.
void addModelCommands(const MakeCommand& command, Context& c) {
  auto a = std::make_shared<Args>();
  CLI::App* s = command("check", "Validates a document and all that it uses");
  s->add_option("FILE", a->file, "A document")->required();
  s->callback([&c, a] { checkCommand(c, a->file); });

  a = std::make_shared<Args>();
  s = command("health", "Looks for open edges, faces that look inwards, lie double, cross others or have no area");
  s->add_option("FILE", a->file, "A document")->required();
  s->add_option("NAME", a->values, "Objects (default: all)");
  s->callback([&c, a] { healthCommand(c, a->file, a->values); });

  a = std::make_shared<Args>();
  s = command("import", "Makes a document from a model (.glb, .gltf, .fbx, .obj, .ply, .stl, .3mf and others)");
  s->add_option("MODEL", a->file, "A model")->required();
  s->add_option("-o", a->output, "The document to write")->required();
  s->add_option("--unit", a->unit,
                "What one unit of the file is: mm, cm, m, in, ft, or a length (default: as the file states, else m)");
  s->add_option("--up", a->up, "The file's upward axis: y, z, or as it is stated")
      ->check(CLI::IsMember({"stated", "y", "z"}));
  s->add_option("--motion", a->motion, "Which clip of animation plays (default: the first)");
  s->add_flag("--numbered", a->numbered, "The file is one of a numbered sequence that plays as one object");
  s->add_flag("--plain", a->plain,
              "A model that Ilumbra wrote is taken as any other, without what travels in its extras");
  s->add_flag("--bare", a->bare, "Adds no camera and no light");
  s->callback([&c, a] { importCommand(c, a->file, a->output, optionsOf(*a), a->bare); });

  a = std::make_shared<Args>();
  s = command("reload", "Takes a model that has changed on disk anew: materials, places and effects hold by name");
  s->add_option("FILE", a->file, "A document")->required();
  s->add_option("MODEL", a->name, "The model that it uses")->required();
  s->add_option("-o", a->output, "The document to write")->required();
  s->callback([&c, a] { reloadCommand(c, a->file, a->name, a->output); });

  a = std::make_shared<Args>();
  s = command(
      "export",
      "Writes the scene as a model (.glb, .gltf, .obj, .ply, .stl), or its air and dense forms as voxels (.vdb)");
  s->add_option("FILE", a->file, "A document")->required();
  s->add_option("-o", a->output, "The model to write")->required();
  s->add_option("--only", a->values, "Things that are written, with what is in them (default: all)");
  s->callback([&c, a] { exportCommand(c, a->file, a->values, a->output); });

  a = std::make_shared<Args>();
  s = command("docs", "Writes format.md and format.schema.json from the tables into a folder");
  s->add_option("FOLDER", a->output, "Where to")->required();
  s->callback([&c, a] {
    writeFileAtomically(a->output + "/format.md", formatDocs(*c.kinds));
    writeFileAtomically(a->output + "/format.schema.json", jsonSchema(*c.kinds));
  });
}

} // namespace

void addDocumentCommands(CLI::App& app, Context& c) {
  const MakeCommand command = [&](const char* name, const char* text) {
    CLI::App* s = app.add_subcommand(name, text);
    s->add_flag("--json", c.json, "One JSON object on standard output");
    return s;
  };
  addEditCommands(command, c);
  addModelCommands(command, c);
}

} // namespace ilumbra::cli
