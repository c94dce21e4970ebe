// What the window makes in one act: effects with all that they need, patterns on parameters, named inputs.
#include "cli/commands.h"
#include "core/base/error.h"
#include "core/compile/compile.h"
#include "core/document/file.h"
#include "core/document/inputs.h"
#include "core/document/lookup.h"
#include "core/document/transplant.h"
#include "core/effects/effect.h"
#include "core/effects/kept_effect.h"
#include "core/exchange/assets.h"
#include "core/exchange/carried_document.h"
#include "core/placing/driving.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

namespace ilumbra::cli {
namespace {

struct Args {
  std::string file, output, what, address, name, of;
  std::vector<std::string> things;
  bool away = false;
};

const Node& named(const Document& doc, const std::string& name) { return *doc.find(resolve(doc, name).node); }

void written(const Context& c, const Document& doc, const std::string& output, const std::vector<std::string>& told,
             NodeId made) {
  writeDocument(doc, output);
  if (!c.json) {
    for (const std::string& t : told) print(t);
    return;
  }
  Json j{{"file", output}, {"notes", told}};
  if (const Node* n = doc.find(made)) j["id"] = n->id, j["name"] = n->name;
  print(j);
}

void effectCommand(const Context& c, const Args& a) {
  const Document doc = readAnyDocument(c.kinds, a.file, c.cancel);
  std::vector<NodeId> things;
  for (const std::string& t : a.things) things.push_back(named(doc, t).id);
  std::vector<std::string> told;
  NodeId made = 0;
  Document out = a.what.ends_with(".ilum") ? addKeptEffect(doc, readDocument(c.kinds, a.what), things, &made, &told)
                                           : addEffect(doc, a.what, things, &made, &told);
  if (!a.name.empty()) out = rename(out, made, a.name);
  told.insert(told.begin(), fmt::format("{} was made", out.find(made)->name));
  written(c, out, a.output, told, made);
}

void keepCommand(const Context& c, const Args& a) {
  const Document doc = readAnyDocument(c.kinds, a.file, c.cancel);
  const Node& n = named(doc, a.what);
  const Document kept = n.kind->family() == "effect" ? effectCutting(doc, n.id) : cutting(doc, n.id);
  written(c, kept, a.output, {}, 0);
}

void driveCommand(const Context& c, const Args& a) {
  const Document doc = readAnyDocument(c.kinds, a.file, c.cancel);
  const Address at = resolve(doc, a.address);
  // As large as suits the things that show it.
  AssetCache assets;
  SceneCache cache;
  const FileAssets files = assets.assets(doc.folder(), c.cancel);
  const ScenePtr scene = compileScene(doc, {.frame = currentFrame(doc)}, files, cache, c.cancel);
  NodeId made = 0;
  const bool kind = a.what.starts_with("pattern.");
  const Document out = a.what.ends_with(".ilum") ? drivenByCutting(doc, at, readDocument(c.kinds, a.what), &made)
                       : kind                    ? drivenBy(doc, at, a.what, scene.get(), &made)
                              : drivenByPreset(doc, at, findPatternPreset(a.what), scene.get(), &made);
  written(c, out, a.output, {fmt::format("{} drives {}", out.find(made)->name, addressText(out, at))}, made);
}

void inputCommand(const Context& c, const Args& a) {
  Document doc = readAnyDocument(c.kinds, a.file, c.cancel);
  if (a.away) {
    const Node& owner = named(doc, a.address);
    const NodeId id = owner.id;
    doc = renameInput(doc, id, a.name, "");
    return written(c, doc, a.output, {fmt::format("{} is no input any more", a.name)}, id);
  }
  const std::vector<InputPlace> places = inputPlaces(doc, resolve(doc, a.address));
  const NodeId of = a.of.empty() ? 0 : named(doc, a.of).id;
  std::string owners;
  for (const InputPlace& p : places) {
    if (!of || p.owner == of) {
      doc = addInput(doc, p.owner, a.name, p.target);
      return written(c, doc, a.output, {fmt::format("{} is an input of {}", a.name, doc.find(p.owner)->name)}, p.owner);
    }
    owners += (owners.empty() ? "" : ", ") + doc.find(p.owner)->name;
  }
  throw badInput(owners.empty() ? fmt::format("{}: is of nothing that is shared, and of no effect", a.address)
                                : fmt::format("{}: can be an input of {}", a.address, owners));
}

} // namespace

void addMakingCommands(CLI::App& app, Context& c) {
  const auto command = [&](const char* name, const char* text, const std::shared_ptr<Args>& a) {
    CLI::App* s = app.add_subcommand(name, text);
    s->add_flag("--json", c.json, "One JSON object on standard output");
    s->add_option("FILE", a->file, "A document")->required();
    s->add_option("-o", a->output, "The document to write")->required();
    return s;
  };
  auto a = std::make_shared<Args>();
  CLI::App* s = command("effect", "Adds an effect with all that it needs, as + add does in the window", a);
  s->add_option("KIND", a->what, "Its kind, as kinds lists it (effect.contact_line), or a file that keep wrote of one")
      ->required();
  s->add_option("THING", a->things, "What goes into its roles");
  s->add_option("--name", a->name, "What it is called");
  s->callback([&c, a] { effectCommand(c, *a); });

  a = std::make_shared<Args>();
  s = command("keep", "Writes a material, a pattern or an effect as a file of its own, with what it is made of", a);
  s->add_option("THING", a->what, "Its name")->required();
  s->callback([&c, a] { keepCommand(c, *a); });

  a = std::make_shared<Args>();
  s = command("drive", "Puts a new pattern on a parameter", a);
  s->add_option("ADDRESS", a->address, "NAME.PARAM")->required();
  s->add_option("BY", a->what,
                "A kind (pattern.noise), a preset (Rust), as presets lists it, or a file that keep wrote of one")
      ->required();
  s->callback([&c, a] { driveCommand(c, *a); });

  a = std::make_shared<Args>();
  s = command("input", "Makes a parameter a named input, which uses set for themselves", a);
  s->add_option("ADDRESS", a->address, "NAME.PARAM; with --away the NAME of what has the input")->required();
  s->add_option("INPUT", a->name, "What it is called; what is an input already sets this too")->required();
  s->add_option("--of", a->of, "The thing that has the input: what uses the parameter's own thing, or an effect");
  s->add_flag("--away", a->away, "Takes the input away, and what uses set by it");
  s->callback([&c, a] { inputCommand(c, *a); });
}

} // namespace ilumbra::cli
