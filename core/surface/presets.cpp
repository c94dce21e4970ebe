#include "core/surface/presets.h"

#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/document/units.h"

#include <fmt/format.h>

namespace ilumbra {

const std::vector<MaterialPreset>& materialPresets() {
  static const std::vector<MaterialPreset> all = {
      {"Water", "Clear", "Clear water with the faint blue of some metres of depth",
       {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.333"}, {"transmission", "1"}, {"abbe", "55.7"}, {"attenuation_color", "0.62, 0.88, 0.94"}, {"attenuation_depth", "2 m"}}, {}},
      {"Ice", "Clear", "Ice with a worn face",
       {{"base_color", "1, 1, 1"}, {"roughness", "0.12"}, {"ior", "1.31"}, {"transmission", "1"}, {"attenuation_color", "0.72, 0.9, 0.96"}, {"attenuation_depth", "40 cm"}}, {}},
      {"Crown glass", "Clear", "Window and lens glass that hardly splits colours",
       {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.517"}, {"transmission", "1"}, {"abbe", "64.2"}}, {}},
      {"Dense flint glass", "Clear", "Heavy glass with fire: splits colours strongly",
       {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.785"}, {"transmission", "1"}, {"abbe", "25.7"}}, {}},
      {"Bottle glass", "Clear", "Green glass with iron in it",
       {{"base_color", "1, 1, 1"}, {"roughness", "0.02"}, {"ior", "1.52"}, {"transmission", "1"}, {"attenuation_color", "0.28, 0.62, 0.3"}, {"attenuation_depth", "12 mm"}}, {}},
      {"Cobalt glass", "Clear", "Deep blue glass",
       {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.53"}, {"transmission", "1"}, {"attenuation_color", "0.05, 0.12, 0.75"}, {"attenuation_depth", "8 mm"}}, {}},
      {"Frosted glass", "Clear", "Ground glass: light comes through, pictures do not",
       {{"base_color", "1, 1, 1"}, {"roughness", "0.38"}, {"ior", "1.517"}, {"transmission", "1"}}, {}},
      {"Window pane", "Clear", "A sheet of glass without thickness", {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.517"}, {"transmission", "1"}, {"thin", "on"}}, {}},
      {"Amber", "Clear", "Fossil resin",
       {{"base_color", "1, 1, 1"}, {"roughness", "0.04"}, {"ior", "1.54"}, {"transmission", "1"}, {"attenuation_color", "0.93, 0.45, 0.06"}, {"attenuation_depth", "18 mm"}}, {}},
      {"Garnet", "Clear", "Deep red gem",
       {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.79"}, {"transmission", "1"}, {"abbe", "44"}, {"attenuation_color", "0.72, 0.04, 0.07"}, {"attenuation_depth", "8 mm"}}, {}},
      {"Diamond", "Clear", "Hard, bright, full of fire", {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "2.417"}, {"transmission", "1"}, {"abbe", "55.3"}}, {}},
      {"Soap film", "Clear", "A bubble's skin with the colours of its thickness",
       {{"base_color", "1, 1, 1"}, {"roughness", "0"}, {"ior", "1.33"}, {"transmission", "1"}, {"thin", "on"}, {"film", "1"}, {"film_ior", "1.33"}, {"film_thickness", "460 nm"}}, {}},

      {"Slate", "Stone", "Split slate", {{"base_color", "0.06, 0.066, 0.074"}, {"roughness", "0.62"}, {"ior", "1.58"}}, {}},
      {"Honed slate", "Stone", "Slate rubbed smooth: a soft mirror at a low angle", {{"base_color", "0.045, 0.05, 0.058"}, {"roughness", "0.3"}, {"ior", "1.6"}}, {}},
      {"Alabaster", "Stone", "Soft stone that light goes into",
       {{"base_color", "0.93, 0.88, 0.8"}, {"roughness", "0.32"}, {"ior", "1.52"}, {"subsurface", "1"}, {"subsurface_color", "0.94, 0.87, 0.74"}, {"subsurface_depth", "4 mm"}, {"subsurface_spread", "1, 0.8, 0.6"}}, {}},
      {"Jade", "Stone", "Polished jade",
       {{"base_color", "0.36, 0.62, 0.4"}, {"roughness", "0.16"}, {"ior", "1.62"}, {"subsurface", "1"}, {"subsurface_color", "0.34, 0.7, 0.42"}, {"subsurface_depth", "2.5 mm"}, {"subsurface_spread", "0.6, 1, 0.7"}}, {}},
      {"Marble", "Stone", "White marble, polished",
       {{"base_color", "0.86, 0.85, 0.82"}, {"roughness", "0.2"}, {"ior", "1.49"}, {"subsurface", "1"}, {"subsurface_color", "0.83, 0.82, 0.78"}, {"subsurface_depth", "1.6 mm"}}, {}},
      {"Plaster", "Stone", "Dry lime plaster", {{"base_color", "0.78, 0.75, 0.7"}, {"roughness", "1"}, {"ior", "1.3"}}, {}},
      {"Porcelain", "Stone", "Glazed and white",
       {{"base_color", "0.88, 0.87, 0.84"}, {"roughness", "0.5"}, {"subsurface", "0.6"}, {"subsurface_color", "0.9, 0.88, 0.84"}, {"subsurface_depth", "0.8 mm"}, {"coat", "1"}, {"coat_roughness", "0.02"}, {"coat_ior", "1.55"}}, {}},
      {"Terracotta", "Stone", "Fired clay", {{"base_color", "0.48, 0.2, 0.11"}, {"roughness", "0.85"}, {"ior", "1.4"}}, {}},

      {"Polished brass", "Metal", "Brass as a mirror", {{"base_color", "0.89, 0.67, 0.32"}, {"metalness", "1"}, {"roughness", "0.08"}}, {}},
      {"Brushed brass", "Metal", "Brass with a grain that draws highlights out",
       {{"base_color", "0.89, 0.67, 0.32"}, {"metalness", "1"}, {"roughness", "0.34"}, {"anisotropy", "0.75"}}, {}},
      {"Gold", "Metal", "Pure gold", {{"base_color", "1, 0.71, 0.29"}, {"metalness", "1"}, {"roughness", "0.16"}}, {}},
      {"Copper", "Metal", "Bare copper", {{"base_color", "0.93, 0.55, 0.4"}, {"metalness", "1"}, {"roughness", "0.22"}}, {}},
      {"Silver", "Metal", "Pure silver", {{"base_color", "0.96, 0.94, 0.9"}, {"metalness", "1"}, {"roughness", "0.1"}}, {}},
      {"Brushed steel", "Metal", "Steel with a grain", {{"base_color", "0.56, 0.57, 0.58"}, {"metalness", "1"}, {"roughness", "0.36"}, {"anisotropy", "0.7"}}, {}},
      {"Quicksilver", "Metal", "A liquid mirror", {{"base_color", "0.78, 0.78, 0.77"}, {"metalness", "1"}, {"roughness", "0"}}, {}},
      {"Blued steel", "Metal", "Steel with an oxide skin that has the colours of heat",
       {{"base_color", "0.53, 0.54, 0.56"}, {"metalness", "1"}, {"roughness", "0.18"}, {"film", "1"}, {"film_ior", "2.3"}, {"film_thickness", "62 nm"}}, {}},
      {"Weathered bronze", "Metal", "Bronze that years have dulled", {{"base_color", "0.3, 0.19, 0.11"}, {"metalness", "1"}, {"roughness", "0.45"}}, {}},

      {"Red lacquer", "Coated", "Many layers, polished", {{"base_color", "0.36, 0.02, 0.018"}, {"roughness", "0.55"}, {"coat", "1"}, {"coat_roughness", "0.02"}, {"coat_color", "1, 0.9, 0.85"}}, {}},
      {"Black lacquer", "Coated", "Black, and deep", {{"base_color", "0.008, 0.008, 0.009"}, {"roughness", "0.6"}, {"coat", "1"}, {"coat_roughness", "0.015"}}, {}},
      {"Rubber", "Coated", "Dull and dark", {{"base_color", "0.035, 0.034, 0.033"}, {"roughness", "0.72"}, {"ior", "1.52"}}, {}},

      {"Velvet", "Cloth", "A pile that is bright at the rim", {{"base_color", "0.1, 0.008, 0.02"}, {"roughness", "1"}, {"ior", "1"}, {"sheen", "1"}, {"sheen_color", "0.85, 0.25, 0.35"}, {"sheen_roughness", "0.32"}}, {}},
      {"Silk", "Cloth", "A fine weave with a long highlight",
       {{"base_color", "0.62, 0.5, 0.36"}, {"roughness", "0.42"}, {"ior", "1.55"}, {"anisotropy", "0.65"}, {"sheen", "0.4"}, {"sheen_color", "0.95, 0.85, 0.7"}, {"sheen_roughness", "0.25"}}, {}},
      {"Linen", "Cloth", "A loose, pale weave", {{"base_color", "0.66, 0.6, 0.5"}, {"roughness", "1"}, {"ior", "1.2"}, {"sheen", "0.35"}, {"sheen_roughness", "0.6"}}, {}},
      {"Paper", "Cloth", "A sheet that glows with the light behind it",
       {{"base_color", "0.88, 0.86, 0.8"}, {"roughness", "0.9"}, {"ior", "1.3"}, {"thin", "on"}, {"translucency", "0.45"}, {"translucency_color", "0.95, 0.88, 0.75"}}, {}},

      {"Skin-like", "Living", "Light goes in white and comes out red",
       {{"base_color", "0.72, 0.46, 0.36"}, {"roughness", "0.42"}, {"ior", "1.4"}, {"subsurface", "1"}, {"subsurface_color", "0.78, 0.5, 0.38"}, {"subsurface_depth", "1.4 mm"}, {"subsurface_spread", "1, 0.36, 0.2"}}, {}},
      {"Wax", "Living", "Candle wax",
       {{"base_color", "0.93, 0.84, 0.66"}, {"roughness", "0.36"}, {"ior", "1.44"}, {"subsurface", "1"}, {"subsurface_color", "0.94, 0.83, 0.6"}, {"subsurface_depth", "3 mm"}, {"subsurface_spread", "1, 0.72, 0.4"}}, {}},
      {"Milk", "Living", "White and deep",
       {{"base_color", "0.92, 0.9, 0.84"}, {"roughness", "0.05"}, {"ior", "1.35"}, {"subsurface", "1"}, {"subsurface_color", "0.95, 0.92, 0.85"}, {"subsurface_depth", "1 mm"}, {"subsurface_spread", "1, 0.85, 0.7"}}, {}},
      {"Leaf", "Living", "A leaf: dark from above, bright against the light",
       {{"base_color", "0.09, 0.2, 0.035"}, {"roughness", "0.45"}, {"ior", "1.42"}, {"thin", "on"}, {"translucency", "0.5"}, {"translucency_color", "0.5, 0.85, 0.08"}}, {}},

      {"Ghost", "Veil", "Nearly nothing straight on, a pale rim; it only adds",
       {{"base_color", "0.7, 0.85, 1"}, {"roughness", "1"}, {"ior", "1"}, {"sheen", "0.8"}, {"sheen_color", "0.75, 0.9, 1"}, {"sheen_roughness", "0.35"}, {"veil_additive", "100 %"}, {"veil_front", "on"}}, {{0, 0.02}, {55, 0.1}, {90, 0.85}}},
      {"Spirit glass", "Veil", "A body of dim light with a clear heart",
       {{"base_color", "0.02, 0.05, 0.06"}, {"roughness", "0.3"}, {"ior", "1.2"}, {"veil_additive", "70 %"}}, {{0, 0.04}, {40, 0.12}, {75, 0.5}, {90, 1}}},
  };
  return all;
}

const MaterialPreset& findPreset(const std::string& name) {
  std::string known;
  for (const MaterialPreset& p : materialPresets()) {
    if (p.name == name) return p;
    known += (known.empty() ? "" : ", ") + p.name;
  }
  throw badInput(fmt::format("there is no preset \"{}\" (there are {})", name, known));
}

namespace {
bool shines(const ParamDef& d) { return d.name.starts_with("own_light"); }
} // namespace

Document applyPreset(const Document& doc, NodeId material, const MaterialPreset& preset) {
  const Node* n = doc.find(material);
  if (!n || n->kind->id != "material.surface") throw badInput("a preset is given to a surface material");
  Document out = doc;
  for (const ParamDef& d : n->kind->params)
    if (!shines(d) && n->find(d.name)) out = resetValue(out, material, d.name);
  if (const auto it = n->children.find("veil"); it != n->children.end())
    for (const NodeId k : it->second) out = removeNode(out, k);
  for (const auto& [param, text] : preset.values) out = setValue(out, material, param, parseValue(out, *out.find(material)->kind->param(param), text));
  for (const auto& [angle, opacity] : preset.veil) {
    NodeId key = 0;
    out = addNode(out, "veil.key", "", {material, "veil", size_t(-1)}, &key);
    out = setValue(out, key, "angle", Constant(angle));
    out = setValue(out, key, "opacity", Constant(opacity));
  }
  return out;
}

const MaterialPreset* presetOf(const Document& doc, NodeId material) {
  const Node* n = doc.find(material);
  if (!n || n->kind->id != "material.surface") return nullptr;
  for (const MaterialPreset& preset : materialPresets()) {
    const bool same = std::all_of(n->kind->params.begin(), n->kind->params.end(), [&](const ParamDef& d) {
      if (shines(d)) return true;
      const auto it = std::find_if(preset.values.begin(), preset.values.end(), [&](const auto& v) { return v.first == d.name; });
      const Value wanted = it == preset.values.end() ? Value(d.initial) : parseValue(doc, d, it->second);
      const Value* stored = n->find(d.name);
      return (stored ? *stored : Value(d.initial)) == wanted;
    });
    if (!same) continue;
    std::vector<std::pair<double, double>> veil;
    if (const auto it = n->children.find("veil"); it != n->children.end())
      for (const NodeId k : it->second) {
        const Params p(*doc.find(k), 1);
        veil.emplace_back(p.number("angle"), p.number("opacity"));
      }
    if (veil == preset.veil) return &preset;
  }
  return nullptr;
}

} // namespace ilumbra
