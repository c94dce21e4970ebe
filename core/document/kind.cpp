#include "core/document/kind.h"

#include "core/base/error.h"

#include <algorithm>

namespace ilumbra {

std::string_view invalidationName(Invalidation stage) {
  static constexpr std::string_view names[] = {"display", "lens", "mix", "shading", "placement", "geometry"};
  return names[size_t(stage)];
}

std::string_view typeName(ParamType type) {
  static constexpr std::string_view names[] = {"number", "integer", "switch", "choice",    "colour",
                                               "vector", "text",    "file",   "reference", "references"};
  return names[size_t(type)];
}

static ParamDef define(std::string name, std::string label, ParamType type, Constant initial) {
  ParamDef d;
  d.name = std::move(name);
  d.label = std::move(label);
  d.type = type;
  d.initial = std::move(initial);
  return d;
}

ParamDef number(std::string name, std::string label, std::string unit, double initial) {
  ParamDef d = define(std::move(name), std::move(label), ParamType::Number, initial);
  d.unit = std::move(unit);
  return d;
}
ParamDef integer(std::string name, std::string label, double initial) {
  return define(std::move(name), std::move(label), ParamType::Integer, initial);
}
ParamDef flag(std::string name, std::string label, bool initial) {
  return define(std::move(name), std::move(label), ParamType::Flag, initial);
}
ParamDef choice(std::string name, std::string label, std::vector<std::string> choices) {
  ParamDef d = define(std::move(name), std::move(label), ParamType::Choice, choices.front());
  d.choices = std::move(choices);
  return d;
}
ParamDef color(std::string name, std::string label, Triple initial) {
  return define(std::move(name), std::move(label), ParamType::Color, initial).range(0, 1e6);
}
ParamDef vector(std::string name, std::string label, std::string unit, Triple initial) {
  ParamDef d = define(std::move(name), std::move(label), ParamType::Vector, initial);
  d.unit = std::move(unit);
  return d;
}
ParamDef text(std::string name, std::string label, std::string initial) {
  return define(std::move(name), std::move(label), ParamType::Text, std::move(initial)).fixed();
}
ParamDef file(std::string name, std::string label) {
  return define(std::move(name), std::move(label), ParamType::File, std::string()).fixed();
}
ParamDef reference(std::string name, std::string label, std::vector<std::string> accepts) {
  ParamDef d = define(std::move(name), std::move(label), ParamType::Reference, Reference{}).fixed();
  d.accepts = std::move(accepts);
  return d;
}
ParamDef references(std::string name, std::string label, std::vector<std::string> accepts) {
  ParamDef d = define(std::move(name), std::move(label), ParamType::References, std::vector<Reference>{});
  d.accepts = std::move(accepts);
  return d;
}

const ParamDef* Kind::param(std::string_view name) const {
  for (const ParamDef& p : params)
    if (p.name == name) return &p;
  for (const ParamDef& p : params)
    if (std::find(p.formerly.begin(), p.formerly.end(), name) != p.formerly.end()) return &p;
  return nullptr;
}
const ChildSlot* Kind::slot(std::string_view name) const {
  for (const ChildSlot& s : slots)
    if (s.name == name) return &s;
  return nullptr;
}

const ChildSlot* Kind::slotFor(std::string_view kind) const {
  for (const ChildSlot& s : slots)
    if (accepted(s.accepts, kind)) return &s;
  return nullptr;
}

bool accepted(const std::vector<std::string>& accepts, std::string_view kind) {
  return std::any_of(accepts.begin(), accepts.end(),
                     [&](const std::string& a) { return a.ends_with('.') ? kind.starts_with(a) : kind == a; });
}

Kinds::Kinds(std::vector<Kind> kinds) : m_kinds(std::move(kinds)) {
  for (size_t i = 0; i < m_kinds.size(); ++i)
    for (size_t j = 0; j < i; ++j)
      if (m_kinds[i].id == m_kinds[j].id) throw badInput("the kind " + m_kinds[i].id + " is declared twice");
  std::vector<std::string> families;
  for (const Kind& k : m_kinds)
    if (std::string family = std::string(k.family()) + '.';
        !k.standsFor.empty() && std::find(families.begin(), families.end(), family) == families.end())
      families.push_back(std::move(family));
  for (Kind& k : m_kinds)
    for (ParamDef& p : k.params)
      if (const auto it = std::find(p.accepts.begin(), p.accepts.end(), standIns); it != p.accepts.end())
        p.accepts.insert(p.accepts.erase(it), families.begin(), families.end());
}

const Kind* Kinds::find(std::string_view id) const {
  for (const Kind& k : m_kinds)
    if (k.id == id) return &k;
  for (const Kind& k : m_kinds)
    if (std::find(k.formerly.begin(), k.formerly.end(), id) != k.formerly.end()) return &k;
  return nullptr;
}

std::vector<ParamDef> join(std::initializer_list<std::vector<ParamDef>> lists) {
  std::vector<ParamDef> all;
  for (const auto& l : lists) all.insert(all.end(), l.begin(), l.end());
  return all;
}

Kind pictureKind() {
  return {
      .id = "picture.settings",
      .label = "Picture",
      .helpText = "The picture as a whole: its size, its samples and its time.",
      .params = {
          integer("width", "Width", 1280).soft(64, 4096).range(1, 32768).fixed().help("Width of the picture in pixels"),
          integer("height", "Height", 720)
              .soft(64, 4096)
              .range(1, 32768)
              .fixed()
              .help("Height of the picture in pixels"),
          integer("samples", "Samples", 256)
              .soft(1, 4096)
              .range(1, 1048576)
              .log()
              .fixed()
              .help("Light paths a pixel when the picture counts as finished"),
          number("noise", "Noise target", "%", 0.02)
              .soft(0.002, 0.2)
              .range(0, 1)
              .log()
              .fixed()
              .help("Where the raw picture's noise is below this it is done before all samples are spent; 0 spends "
                    "them all"),
          flag("denoise", "Denoise", true)
              .fixed()
              .at(Invalidation::Mix)
              .help("Smooths what noise is left, guided by what is seen, alike in every layer; off: as it was sampled"),
          integer("bounces", "Longest light path", 0)
              .soft(0, 64)
              .range(0, 4096)
              .fixed()
              .zero("no limit")
              .help("Longest light path; 0 sets no limit and keeps all light"),
          integer("seed", "Seed", 1)
              .soft(0, 100)
              .range(0, 2147483647)
              .fixed()
              .help("The grain's pattern: the same seed gives the same pixels"),
          number("firefly_limit", "Firefly limit", "×", 0)
              .soft(0, 64)
              .range(0, 1e6)
              .fixed()
              .zero("off")
              .help("Most that one light path may add after two bounces, in multiples of white; 0 keeps all light, "
                    "else some is lost"),
          number("overscan", "Overscan", "%", 0.1)
              .soft(0, 0.5)
              .range(0, 1)
              .fixed()
              .help("How far beside the frame light is counted, coarsely, so that the lens spreads it into the frame; "
                    "of the frame's height. Only where a lens stage spreads light"),
          reference("camera", "Camera", {"camera."}).zero("the first one").help("The camera that takes the picture"),
          choice("view", "Display view", {"ACES SDR", "Plain sRGB"})
              .at(Invalidation::Display)
              .help("How scene light is shown on the screen and in PNG files"),
          number("frame", "Frame", "", 1).soft(1, 240).range(-1e6, 1e6).fixed().in("Time").help("The frame shown"),
          integer("first_frame", "First frame", 1)
              .soft(1, 240)
              .range(-1e6, 1e6)
              .fixed()
              .in("Time")
              .at(Invalidation::Display)
              .help("Where playback and sequences start"),
          integer("last_frame", "Last frame", 120)
              .soft(1, 240)
              .range(-1e6, 1e6)
              .fixed()
              .in("Time")
              .at(Invalidation::Display)
              .help("Where playback and sequences end"),
          number("rate", "Rate", "fps", 24)
              .soft(12, 60)
              .range(1, 1000)
              .fixed()
              .in("Time")
              .at(Invalidation::Geometry)
              .help("Frames a second"),
      }};
}

} // namespace ilumbra
