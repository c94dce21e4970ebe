#include "core/pattern/presets.h"

#include "core/base/error.h"
#include "core/document/inputs.h"
#include "core/document/units.h"

#include <fmt/format.h>

namespace ilumbra {

const std::vector<PatternPreset>& patternPresets() {
  static const std::vector<PatternPreset> all = {
      {"Rust",
       "Iron that stood in the rain: dark where it began, orange where it is young",
       {"pattern.noise", {{"scale", "0.4"}, {"octaves", "7"}, {"gain", "0.58"}, {"contrast", "1.5"}}},
       {"pattern.noise",
        {{"family", "puffed"},
         {"scale", "0.06"},
         {"octaves", "5"},
         {"low", "0.09, 0.025, 0.01"},
         {"high", "0.42, 0.13, 0.025"}}},
       {{"amount", "54 %"}, {"edge", "12 %"}}},
      {"Verdigris",
       "What copper and bronze turn into: it runs and gathers",
       {"pattern.noise", {{"scale", "0.5"}, {"octaves", "6"}, {"gain", "0.55"}, {"contrast", "1.7"}}},
       {"pattern.noise",
        {{"scale", "0.12"}, {"octaves", "5"}, {"low", "0.03, 0.16, 0.13"}, {"high", "0.36, 0.72, 0.58"}}},
       {{"amount", "50 %"}, {"edge", "28 %"}, {"settles", "12 %"}}},
      {"Frost",
       "Crystals that grow over a cold pane",
       {"pattern.noise",
        {{"family", "ridged"}, {"scale", "0.22"}, {"octaves", "8"}, {"gain", "0.62"}, {"contrast", "1.7"}}},
       {"pattern.noise",
        {{"family", "ridged"},
         {"scale", "0.05"},
         {"octaves", "4"},
         {"low", "0.55, 0.66, 0.74"},
         {"high", "0.93, 0.97, 1"}}},
       {{"amount", "45 %"}, {"edge", "34 %"}}},
      {"Smoke",
       "A haze that turns over and rises",
       {"pattern.noise",
        {{"scale", "0.6"},
         {"octaves", "6"},
         {"gain", "0.52"},
         {"contrast", "1.5"},
         {"drift", "0, 0.12, 0"},
         {"churn", "0.15"}}},
       {"pattern.noise",
        {{"scale", "0.3"},
         {"octaves", "4"},
         {"drift", "0, 0.12, 0"},
         {"churn", "0.15"},
         {"contrast", "2.2"},
         {"low", "0.05, 0.055, 0.065"},
         {"high", "0.72, 0.72, 0.7"}}},
       {{"amount", "50 %"}, {"edge", "70 %"}},
       {{"churns", "value.churn"}}},
      {"Embers",
       "Coal that glows in its cracks, breathing",
       {"pattern.noise",
        {{"family", "ridged"},
         {"scale", "0.3"},
         {"octaves", "5"},
         {"gain", "0.5"},
         {"contrast", "1.8"},
         {"churn", "0.1"}}},
       {"pattern.noise",
        {{"scale", "0.5"}, {"octaves", "3"}, {"churn", "0.5"}, {"low", "0.5, 0.03, 0"}, {"high", "1, 0.42, 0.06"}}},
       {{"amount", "9 %"}, {"edge", "45 %"}},
       {{"breathes", "high.churn"}},
       true},
      {"Foam",
       "Bubbles that gather on water in patches",
       {"pattern.noise",
        {{"family", "cellular"}, {"scale", "0.3"}, {"octaves", "5"}, {"gain", "0.6"}, {"contrast", "1.7"}}},
       {"pattern.cells",
        {{"pitch", "0.035"},
         {"border", "0.005"},
         {"edge", "0.003"},
         {"low", "0.66, 0.72, 0.74"},
         {"high", "0.95, 0.97, 0.97"}}},
       {{"amount", "48 %"}, {"edge", "20 %"}},
       {{"bubbles", "high.pitch"}}},
      {"Dust",
       "What settles on all that faces up",
       {"pattern.noise", {{"scale", "0.18"}, {"octaves", "6"}, {"gain", "0.6"}, {"contrast", "1"}}},
       {"pattern.noise",
        {{"scale", "0.03"}, {"octaves", "4"}, {"low", "0.3, 0.27, 0.23"}, {"high", "0.52, 0.48, 0.42"}}},
       {{"amount", "62 %"}, {"edge", "45 %"}, {"settles", "60 %"}},
       {{"settles", "settles"}}},
      {"Moss",
       "Cushions that grow in patches on what faces up",
       {"pattern.noise",
        {{"family", "puffed"}, {"scale", "0.3"}, {"octaves", "6"}, {"gain", "0.58"}, {"contrast", "1.4"}}},
       {"pattern.noise",
        {{"family", "puffed"},
         {"scale", "0.03"},
         {"octaves", "4"},
         {"low", "0.015, 0.035, 0.008"},
         {"high", "0.14, 0.2, 0.035"}}},
       {{"amount", "45 %"}, {"edge", "14 %"}, {"settles", "40 %"}},
       {{"settles", "settles"}}},
      {"Veined stone",
       "Veins that run through marble",
       {"pattern.noise",
        {{"family", "ridged"}, {"scale", "0.55"}, {"octaves", "6"}, {"gain", "0.45"}, {"contrast", "2.2"}}},
       {"pattern.noise",
        {{"scale", "0.25"}, {"octaves", "4"}, {"low", "0.06, 0.055, 0.06"}, {"high", "0.3, 0.24, 0.17"}}},
       {{"amount", "13 %"}, {"edge", "30 %"}}},
      {"Worn edges",
       "Paint rubbed off where hands and tools have met it",
       {"pattern.math", {{"does", "multiply"}}},
       {"pattern.noise",
        {{"scale", "0.04"}, {"octaves", "4"}, {"low", "0.3, 0.28, 0.25"}, {"high", "0.72, 0.69, 0.64"}}},
       {{"amount", "48 %"}, {"edge", "10 %"}},
       {{"reach", "value.a.reach"}},
       false,
       {{"a", {"pattern.edges", {{"reach", "0.09"}}}},
        {"b",
         {"pattern.noise",
          {{"scale", "0.22"},
           {"octaves", "7"},
           {"gain", "0.68"},
           {"contrast", "2.2"},
           {"low", "0, 0, 0"},
           {"high", "1.4, 1.4, 1.4"}}}}},
       0.09},
      {"Star field",
       "Points of light strewn over the dark, that flicker",
       {"pattern.cells",
        {{"gives", "distance"}, {"fills", "space"}, {"pitch", "0.08"}, {"low", "1, 1, 1"}, {"high", "0, 0, 0"}}},
       {"pattern.noise",
        {{"scale", "0.1"},
         {"octaves", "2"},
         {"churn", "1.2"},
         {"contrast", "2.4"},
         {"low", "0.05, 0.1, 0.25"},
         {"high", "1, 0.95, 0.85"}}},
       {{"amount", "12 %"}, {"edge", "8 %"}},
       {{"apart", "value.pitch"}, {"flickers", "high.churn"}},
       true}};
  return all;
}

const PatternPreset& findPatternPreset(const std::string& name) {
  const auto& all = patternPresets();
  const auto it = std::find_if(all.begin(), all.end(), [&](const PatternPreset& p) { return p.name == name; });
  if (it != all.end()) return *it;
  std::vector<std::string> names;
  for (const PatternPreset& p : all) names.push_back(p.name);
  throw badInput(fmt::format("{}: is no preset; there are {}", name, fmt::join(names, ", ")));
}

Document addPatternPreset(const Document& doc, const PatternPreset& preset, NodeId* made) {
  Document out = doc;
  const auto add = [&](const PatternPreset::Part& part, const std::string& name) {
    NodeId id = 0;
    out = addNode(out, part.kind, name, {}, &id);
    for (const auto& [param, text] : part.values)
      out = setValue(out, id, param, parseValue(out, *out.find(id)->kind->param(param), text));
    return id;
  };
  // The whole first, so that it has the name.
  const NodeId whole = add({"pattern.turn", {}}, preset.name);
  const std::string name = out.find(whole)->name;
  const NodeId cover = add({"pattern.cover", preset.lies}, name + " cover"), where = add(preset.where, name + " where"),
               what = add(preset.what, name + " grain");
  for (const auto& [param, part] : preset.within)
    out = setValue(out, where, param, PatternUse{{add(part, name + " " + param), nullptr}});
  out = setValue(out, cover, "value", PatternUse{{where, nullptr}});
  out = setValue(out, cover, "high", PatternUse{{what, nullptr}});
  out = setValue(out, whole, "value", PatternUse{{cover, nullptr}});
  std::vector<NamedInput> inputs{{"size", {{0, "scale", ""}}}};
  const auto input = [&](const std::string& title, const std::string& path) {
    inputs.push_back({title, {{0, "value", path}}});
  };
  input("amount", "amount");
  input("soft edge", "edge");
  for (const auto& [title, path] : preset.inputs) input(title, path);
  input("dark", "high.low");
  input("light", "high.high");
  if (!preset.shines) input("under it", "low");
  if (made) *made = whole;
  return setInputs(out, whole, std::move(inputs));
}

} // namespace ilumbra
