#include "core/render/mix.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/light/light.h"
#include "core/surface/material.h"

namespace ilumbra {

Kind mixKind() {
  return {.id = "mix.row",
          .label = "Mix of a light",
          .helpText = "A light's switch, stops and tint in the mix.",
          .params = {reference("source", "Light", {"light.", "material."}).at(Stage::Mix).help("The light, or the material with own light"),
                     flag("on", "On", true).at(Stage::Mix).help("Off: dark in the mix"),
                     flag("solo", "Solo", false).at(Stage::Mix).help("On: only lights that are solo are seen"),
                     number("stops", "Stops", "stops", 0).soft(-6, 6).range(-60, 60).at(Stage::Mix).help("Brighter or darker than the light itself says"),
                     color("tint", "Tint", {1, 1, 1}).soft(0, 1).at(Stage::Mix).help("Multiplies its colour")},
          .existence = Stage::Mix};
}

std::vector<Kind> allMixes() { return {mixKind()}; }

const Node* mixRow(const Document& doc, NodeId source) {
  for (const Node* n : doc.family("mix"))
    if (Params(*n, 0).reference("source").target == source) return n;
  return nullptr;
}

Document setMix(const Document& doc, NodeId source, std::string_view param, const Constant& value) {
  Document out = doc;
  NodeId id = 0;
  if (const Node* row = mixRow(doc, source)) {
    id = row->id;
  } else {
    const Node* light = doc.find(source);
    if (!light) throw badInput("there is no such light");
    out = addNode(out, "mix.row", "Mix of " + light->name, {}, &id);
    out = setValue(out, id, "source", Constant(Reference{source, nullptr}));
  }
  out = setValue(out, id, param, value);
  const Node* row = out.find(id);
  const bool says = std::any_of(row->kind->params.begin(), row->kind->params.end(), [&](const ParamDef& d) {
    const Value* v = row->find(d.name);
    return d.name != "source" && v && *v != Value(d.initial);
  });
  return says ? out : removeNode(out, id);
}

Document clearMix(const Document& doc) {
  Document out = doc;
  for (const Node* n : doc.family("mix")) out = removeNode(out, n->id);
  return out;
}

Mix::Mix(const Document& doc, double frame) {
  // The row of a light that is gone says nothing.
  const auto meant = [&](const Node* n) { return doc.find(Params(*n, frame).reference("source").target) != nullptr; };
  for (const Node* n : doc.family("mix")) m_solo |= meant(n) && Params(*n, frame).flag("solo");
  for (const Node* n : doc.family("mix")) {
    if (!meant(n)) continue;
    const Params p(*n, frame);
    const bool heard = p.flag("on") && (!m_solo || p.flag("solo"));
    m_factors[p.reference("source").target] = heard ? working(p.triple("tint")) * float(std::exp2(p.number("stops"))) : Color(0.0f);
  }
}

Color Mix::factor(NodeId source) const {
  const auto it = m_factors.find(source);
  return it != m_factors.end() ? it->second : Color(m_solo ? 0.0f : 1.0f);
}

namespace {

// Every number of a value, keyed ones too.
Value mapped(const Value& v, const std::function<double(double)>& f) {
  if (const Constant* c = v.constant()) return Constant(f(std::get<double>(*c)));
  if (const Keys* k = v.keys()) {
    Keys out = *k;
    for (Key& key : out.keys) key.value = f(std::get<double>(key.value));
    return out;
  }
  return v;
}
Value mappedColor(const Value& v, const std::function<Triple(const Triple&)>& f) {
  if (const Constant* c = v.constant()) return Constant(f(std::get<Triple>(*c)));
  if (const Keys* k = v.keys()) {
    Keys out = *k;
    for (Key& key : out.keys) key.value = f(std::get<Triple>(key.value));
    return out;
  }
  return v;
}
Triple tripleOf(const Color& c) { return {double(c.x), double(c.y), double(c.z)}; }

} // namespace

Document bakeMix(const Document& doc) {
  const double frame = currentFrame(doc);
  const Mix mix(doc, frame);
  Document out = doc;
  const auto valueOf = [](const Node& n, const char* param) {
    const Value* v = n.find(param);
    return v ? *v : Value(n.kind->param(param)->initial);
  };
  for (const NodePtr& node : doc.nodes()) {
    const Node& n = *node;
    const bool light = n.kind->family() == "light", glows = n.kind->param("own_light") != nullptr;
    if (!light && !glows) continue;
    const Color f = mix.factor(n.id);
    if (f == Color(1.0f)) continue;
    const Node* row = mixRow(doc, n.id);
    if (isBlack(f)) {
      const Params p(n, frame);
      if (light) out = setValue(out, n.id, "on", Constant(false));
      else if (p.number("own_light") > 0) out = setValue(out, n.id, "own_light_on", Constant(false));
      continue;
    }
    const Params p(*row, frame);
    const Color tint = working(p.triple("tint"));
    const bool tinted = tint != working({1, 1, 1});
    const double stops = p.number("stops");
    if (light) {
      double lift = stops;
      if (tinted) {
        const Color amount = lightAmount(Params(n, frame)), after = amount * tint;
        if (!isBlack(amount)) {
          lift += std::log2(double(luminance(after) / luminance(amount)));
          out = setValue(out, n.id, "color", Constant(tripleOf(rec709FromAcescg(after * (1 / maxComponent(after))))));
          out = setValue(out, n.id, "by_temperature", Constant(false));
        }
      }
      out = setValue(out, n.id, "stops", mapped(valueOf(n, "stops"), [&](double v) { return v + lift; }));
    } else {
      const Value color = valueOf(n, "own_light_color");
      if (tinted && color.pattern()) throw badInput(n.name + ".own_light_color: is driven by a pattern, so the mix's tint cannot be written into it; take the tint off first");
      out = setValue(out, n.id, "own_light", mapped(valueOf(n, "own_light"), [&](double v) { return v * std::exp2(stops); }));
      if (tinted) out = setValue(out, n.id, "own_light_color", mappedColor(color, [&](const Triple& t) { return tripleOf(rec709FromAcescg(working(t) * tint)); }));
    }
  }
  return clearMix(out);
}

} // namespace ilumbra
