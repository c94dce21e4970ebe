// The reference of the file format: docs/format.md and its JSON Schema are written from the tables alone.
#include "core/document/file.h"
#include "core/document/json.h"
#include "core/document/mover.h"
#include "core/document/units.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

Json constantSchema(const ParamDef& d) {
  const Json ref = {{"$ref", "#/$defs/reference"}};
  switch (d.type) {
  case ParamType::Number:
  case ParamType::Integer: {
    Json s = {{"type", d.type == ParamType::Integer ? "integer" : "number"}};
    if (d.hardMin > -1e29) s["minimum"] = d.hardMin;
    if (d.hardMax < 1e29) s["maximum"] = d.hardMax;
    return s;
  }
  case ParamType::Flag:
    return {{"type", "boolean"}};
  case ParamType::Choice:
    return {{"enum", d.choices}};
  case ParamType::Text:
  case ParamType::File:
    return {{"type", "string"}};
  case ParamType::Color:
  case ParamType::Vector:
    return {{"type", "array"}, {"items", {{"type", "number"}}}, {"minItems", 3}, {"maxItems", 3}};
  case ParamType::Reference:
    return ref;
  case ParamType::References:
    return {{"type", "array"}, {"items", ref}};
  }
  return {};
}

Json valueSchema(const ParamDef& d) {
  const Json constant = constantSchema(d);
  if (!d.keyable && !d.patternable) {
    Json s = constant;
    s["description"] = d.helpText;
    return s;
  }
  Json any = Json::array({constant});
  if (d.keyable)
    any.push_back({{"type", "object"},
                   {"required", {"keys"}},
                   {"properties",
                    {{"keys",
                      {{"type", "array"},
                       {"minItems", 1},
                       {"items",
                        {{"type", "object"},
                         {"required", {"frame", "value"}},
                         {"properties",
                          {{"frame", {{"type", "number"}}},
                           {"value", constant},
                           {"shape", {{"enum", keyShapeNames()}}},
                           {"ease", {{"type", "number"}, {"minimum", 0}, {"maximum", 1}}}}}}}}}}}});
  if (!moversFor(d).empty())
    any.push_back(
        {{"type", "object"},
         {"required", {"value", "movers"}},
         {"properties", {{"movers", {{"type", "array"}, {"minItems", 1}, {"items", {{"$ref", "#/$defs/mover"}}}}}}}});
  if (d.patternable)
    any.push_back({{"type", "object"},
                   {"required", {"pattern"}},
                   {"properties", {{"pattern", {{"$ref", "#/$defs/reference"}}}}}});
  return {{"anyOf", any}, {"description", d.helpText}};
}

// As files hold it, in the unit that the table states: 0.05 of a metre, not 50 of what it does not say.
std::string numberInFile(double v) { return fmt::format("{:.6g}", v); }
std::string unitInFile(const ParamDef& d) { return d.unit == "%" ? "share of 1" : d.unit; }

std::string initialText(const ParamDef& d) {
  if (const auto* v = std::get_if<double>(&d.initial))
    return numberInFile(*v) + (*v == 0 && !d.ifZero.empty() ? fmt::format(" ({})", d.ifZero) : "");
  if (const auto* b = std::get_if<bool>(&d.initial)) return *b ? "on" : "off";
  if (const auto* t = std::get_if<std::string>(&d.initial)) return *t;
  if (const auto* c = std::get_if<Triple>(&d.initial)) return fmt::format("{}, {}, {}", (*c)[0], (*c)[1], (*c)[2]);
  return "";
}

std::string rangeText(const ParamDef& d) {
  if (d.type == ParamType::Choice) return fmt::format("{}", fmt::join(d.choices, ", "));
  if (!d.accepts.empty()) return fmt::format("{}", fmt::join(d.accepts, ", "));
  const bool lo = d.hardMin > -1e29, hi = d.hardMax < 1e29;
  if (d.type == ParamType::Flag || (!lo && !hi)) return "";
  if (lo && hi) return fmt::format("{} to {}", numberInFile(d.hardMin), numberInFile(d.hardMax));
  return lo ? "from " + numberInFile(d.hardMin) : "to " + numberInFile(d.hardMax);
}

} // namespace

std::string jsonSchema(const Kinds& kinds) {
  Json nodeKinds = Json::array();
  Json defs = {
      {"reference",
       {{"description", "The id of a thing; with overrides, an object."},
        {"anyOf",
         {{{"type", "integer"}, {"minimum", 0}},
          {{"type", "object"},
           {"required", {"ref"}},
           {"properties", {{"ref", {{"type", "integer"}, {"minimum", 0}}}, {"with", {{"type", "object"}}}}}}}}}}};
  for (const Kind& k : kinds.all()) {
    Json values = Json::object();
    for (const ParamDef& d : k.params) values[d.name] = valueSchema(d);
    Json properties = {{"id", {{"type", "integer"}, {"minimum", 1}}},
                       {"kind", {{"const", k.id}}},
                       {"name", {{"type", "string"}, {"pattern", "^[^.\\[\\]\\n\\t]+$"}}},
                       {"inputs", {{"$ref", "#/$defs/inputs"}}},
                       {"values", {{"type", "object"}, {"properties", values}}}};
    if (!k.slots.empty()) {
      Json slots = Json::object();
      for (const ChildSlot& s : k.slots) slots[s.name] = {{"type", "array"}, {"items", {{"$ref", "#/$defs/node"}}}};
      properties["children"] = {{"type", "object"}, {"properties", slots}};
    }
    defs[k.id] = {{"type", "object"},
                  {"description", k.helpText},
                  {"required", {"id", "kind", "name"}},
                  {"properties", properties}};
    nodeKinds.push_back({{"$ref", "#/$defs/" + k.id}});
  }
  Json movers = Json::array();
  for (const MoverKind& k : moverKinds()) {
    Json properties = {{"kind", {{"const", k.id}}}};
    for (const ParamDef& d : k.params) {
      properties[d.name] = constantSchema(d);
      properties[d.name]["description"] = d.helpText;
    }
    movers.push_back({{"type", "object"},
                      {"description", k.helpText},
                      {"required", {"kind"}},
                      {"properties", properties},
                      {"additionalProperties", false}});
  }
  defs["mover"] = {{"oneOf", movers}};
  defs["inputs"] = {{"type", "array"},
                    {"items",
                     {{"type", "object"},
                      {"required", {"name", "sets"}},
                      {"properties",
                       {{"name", {{"type", "string"}}},
                        {"sets", {{"type", "array"}, {"items", {{"type", "string"}}}, {"minItems", 1}}}}}}}};
  defs["node"] = {{"oneOf", nodeKinds}};
  const Json schema = {{"$schema", "https://json-schema.org/draft/2020-12/schema"},
                       {"title", "Ilumbra document"},
                       {"type", "object"},
                       {"required", {"ilumbra", "nodes"}},
                       {"properties",
                        {{"ilumbra", {{"type", "integer"}, {"const", 1}}},
                         {"nodes", {{"type", "array"}, {"items", {{"$ref", "#/$defs/node"}}}}}}},
                       {"$defs", defs}};
  return schema.dump(1) + "\n";
}

std::string formatDocs(const Kinds& kinds) {
  std::string s = R"(# The .ilum format

Written from the tables by `./run docs`; do not edit. The same tables give `format.schema.json`.

An `.ilum` file is JSON in UTF-8: an object with `ilumbra` (the version of the format, 1) and `nodes`, the things at the
top of the document in order. A thing has an `id` (stable, unique), a `kind`, a `name` (unique, without dots, commas
and square brackets), `values` (only those that differ from the default), `children` by place, and `inputs`, the names
under which its uses set what they name: `[{"name": "edge", "sets": ["roughness", "base_color.edge", "12.amount"]}]` is
a parameter, an input of the pattern that drives another, and a parameter of thing 12, which lies in it. Fields that a
version does not know are kept.

- Colours are linear Rec. 709 triples; lengths are metres; angles degrees; light is photometric.
- A value is a constant; `{"keys": [{"frame": 1, "value": 0, "shape": "hold|linear|smooth|ease in|ease out|ease in and out",
  "ease": 1}, ...], "beyond": "hold|repeat|to and fro|go on"}`;
  `{"pattern": REFERENCE}`; or `{"value": CONSTANT OR KEYS, "movers": [{"kind": "swing", "period": 48, ...}]}`, what
  movers make of it, one after the other.
- A reference is the id of a thing, or `{"ref": ID, "with": {INPUT: VALUE, ...}}` where this use overrides inputs,
  by their names or as paths of parameters.
- File names are relative to the folder of the document.
- Addresses name what a person or a script means: `Lamp.power`, `Ring.material.roughness` (what this use of the material
  sets for itself), `Brass.roughness.scale` (of the pattern that drives it), `Tarnish.inputs.edge` (an input of the thing
  itself), `Group.objects[2].position`, `Ring.turn.spin` (a mover, on or off), `Ring.turn.spin.period` (what it is set to).

The column *redoes* names the dearest stage that a change invalidates. Nothing above *shading* traces a ray.
An *even pattern* is the same everywhere, such as Time or Follow and what works on those: what varies leaves the parameter
as it is by default.
)";
  s += "\n## Movers\n\nWhat moves a value by itself as frames go by; of a parameter each kind once at most. Frame 1 is "
       "where they "
       "begin.\n";
  for (const MoverKind& k : moverKinds()) {
    s += fmt::format("\n### {} — {}\n\n{}\n\n| parameter | type | unit | default | takes | meaning "
                     "|\n|---|---|---|---|---|---|\n",
                     k.id, k.label, k.helpText);
    for (const ParamDef& d : k.params)
      s += fmt::format("| `{}` | {} | {} | {} | {} | {} |\n", d.name, typeName(d.type), unitInFile(d), initialText(d),
                       rangeText(d), d.helpText);
  }
  for (const Kind& k : kinds.all()) {
    s += fmt::format("\n## {} — {}\n\n{}\n", k.id, k.label, k.helpText);
    for (const ChildSlot& c : k.slots)
      s += fmt::format("\nChildren in `{}` ({}): {}.\n", c.name, c.label, fmt::join(c.accepts, ", "));
    if (k.params.empty()) continue;
    s += "\n| parameter | type | unit | default | takes | keys, pattern | redoes | meaning "
         "|\n|---|---|---|---|---|---|---|---|\n";
    for (const ParamDef& d : k.params) {
      s += fmt::format("| `{}` | {} | {} | {} | {} | {} | {} | {} |\n", d.name, typeName(d.type), unitInFile(d),
                       initialText(d), rangeText(d),
                       d.evenOnly                   ? "keys, even pattern"
                       : d.keyable && d.patternable ? "both"
                       : d.keyable                  ? "keys"
                       : d.patternable              ? "pattern"
                                                    : "",
                       invalidationName(d.stage), d.helpText);
    }
  }
  return s;
}

} // namespace ilumbra
