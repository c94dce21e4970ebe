#include "core/placing/driving.h"

#include "core/base/error.h"
#include "core/compile/balance.h"
#include "core/compile/even_patterns.h"
#include "core/document/inputs.h"
#include "core/document/mover.h"
#include "core/document/transplant.h"
#include "core/pattern/lines.h"
#include "core/placing/framing.h"

#include <fmt/format.h>
#include <ImathBox.h>

namespace ilumbra {
namespace {

// The longest side of the smallest of them, metres; 0: there is none.
double sizeOf(const Document& doc, NodeId node, const Scene& scene) {
  double least = 0;
  for (const NodeId id : showing(doc, node)) {
    const Box3f box = boundsOf(scene, doc, {id});
    if (box.isEmpty()) continue;
    const V3f s = box.size();
    const auto longest = double(std::max(s.x, std::max(s.y, s.z)));
    if (longest > 0 && std::isfinite(longest) && (least == 0 || longest < least)) least = longest;
  }
  return least;
}

Triple roundedPlace(const V3f& p) {
  Triple t;
  for (int k = 0; k < 3; ++k) t[size_t(k)] = std::round(double(p[k]) * 1e3) / 1e3;
  return t;
}

// The two ends that a shape runs between: below and above what stands there.
std::pair<Triple, Triple> endsAbout(const ParamDef& def, const Constant& now) {
  if (const Triple* c = std::get_if<Triple>(&now)) {
    Triple low = *c, high = *c;
    const bool dark = std::max({low[0], low[1], low[2]}) < 0.05;
    for (size_t k = 0; k < 3; ++k) {
      low[k] = twoDigits(low[k] * 0.25);
      if (dark) high[k] = 0.8;
    }
    return {low, high};
  }
  const double v = std::holds_alternative<double>(now) ? std::get<double>(now) : 0,
               most = std::min(def.hardMax, def.softMax);
  // What is nothing runs up to the half of what is usual; what is all there is runs down.
  double low = 0.4 * v, high = std::min(std::max(v, def.hardMax), 1.6 * v);
  if (v == 0) high = 0.5 * most;
  if (def.hardMax > v) high = std::min(high, v == 0 ? high : std::max(v, 0.5 * (v + most)));
  low = std::clamp(twoDigits(low), def.hardMin, def.hardMax);
  high = std::clamp(twoDigits(high), def.hardMin, def.hardMax);
  return {{low, low, low}, {high, high, high}};
}

} // namespace

std::vector<NodeId> showing(const Document& doc, NodeId node) {
  const auto wearing = objectsByMaterial(doc, currentFrame(doc));
  const auto it = wearing.find(node);
  return it == wearing.end() ? std::vector<NodeId>{node} : it->second;
}

bool mayBeEven(const Kind& pattern) {
  static const std::vector<PatternKind> all = allPatterns();
  return std::any_of(all.begin(), all.end(), [&](const PatternKind& k) { return k.kind.id == pattern.id && k.even; });
}

const ParamDef* worksOn(const Kind& pattern) {
  for (const char* name : {"value", "a", "below"})
    if (const ParamDef* d = pattern.param(name); d && d->patternable && d->type == ParamType::Color) return d;
  return nullptr;
}

Document drivenBy(const Document& doc, const Address& at, std::string_view kindId, const Scene* scene, NodeId* made) {
  const ParamDef& def = definitionAt(doc, at);
  if (!def.patternedAt.empty() && at.input.empty())
    return drivenBy(doc, {at.node, def.patternedAt, 0, {}}, kindId, scene, made);
  if (!def.patternable) throw badInput(addressText(doc, at) + ": no pattern can drive it");
  const Kind* kind = doc.kinds().find(std::string(kindId));
  if (!kind || kind->family() != "pattern") throw badInput(std::string(kindId) + ": is no pattern");
  if (def.evenOnly && !mayBeEven(*kind)) throw badInput(whyEven(def));
  const Node& node = *doc.find(at.node);
  const Value before = valueAt(doc, at);
  NodeId id = 0;
  Document out = addNode(doc, kindId, fmt::format("{} of {}", kind->label, node.name), {}, &id);
  // Lengths of a kind suit a thing of a metre.
  if (const double size = scene ? sizeOf(doc, at.node, *scene) : 0; size > 0)
    for (const ParamDef& d : kind->params)
      if (const double* metres = std::get_if<double>(&d.initial); metres && d.unit == "m" && *metres > 0)
        out = setValue(out, id, d.name, Constant(std::clamp(twoDigits(*metres * size), d.hardMin, d.hardMax)));
  const Constant now = evaluate(before, def, currentFrame(doc)).value_or(def.initial);
  const auto [low, high] = endsAbout(def, now);
  if (const ParamDef* inner = worksOn(*kind)) {
    if (before.pattern())
      out = setValue(out, id, inner->name, before);
    else if (const Triple* c = std::get_if<Triple>(&now))
      out = setValue(out, id, inner->name, Constant(*c));
    else if (const double* v = std::get_if<double>(&now))
      out = setValue(out, id, inner->name, Constant(Triple{*v, *v, *v}));
  } else {
    for (const auto& [lowName, highName] : {std::pair{"low", "high"}, {"far", "near"}, {"facing", "rim"}})
      if (const ParamDef* l = kind->param(lowName), *h = kind->param(highName);
          l && h && l->type == ParamType::Color && h->type == ParamType::Color) {
        out = setValue(out, id, lowName, Constant(low));
        out = setValue(out, id, highName, Constant(high));
        break;
      }
  }
  for (const PatternKind& k : allPatterns())
    if (k.begin && k.kind.id == kindId) out = k.begin(out, id);
  // What drives all of a lamp as one number shows over time alone.
  if (const ParamDef* churn = kind->param("churn");
      churn && node.kind->family() == "light" && def.type == ParamType::Number)
    out = setValue(out, id, "churn", Constant(1.5));
  // On a thing an outline lies on that, not in the picture.
  if (const std::string_view family = node.kind->family();
      kindId == "pattern.outline" && family != "lens" && family != "plate") {
    const double size = scene ? sizeOf(doc, at.node, *scene) : 0, scale = size > 0 ? twoDigits(size) : 1;
    out = setValue(out, id, "space", Constant(std::string("object")));
    out = setValue(out, id, "scale", Constant(std::clamp(scale, 1e-4, 1e4)));
    out = setValue(out, id, "edge", Constant(twoDigits(0.02 * scale)));
  }
  // What moves is what wears it.
  if (kindId == "pattern.speed")
    if (const std::vector<NodeId> worn = showing(doc, at.node); !worn.empty())
      out = setValue(out, id, "of", Constant(Reference{worn.front(), nullptr}));
  // A zone of its own, across the thing's side, so that inside and outside both are seen.
  for (const ParamDef& d : kind->params)
    if (d.type == ParamType::Reference && d.accepts == std::vector<std::string>{"zone."}) {
      NodeId zone = 0;
      out = addNode(out, "zone.zone", node.name + " zone", {}, &zone);
      if (const Box3f box = scene ? boundsOf(*scene, doc, showing(doc, at.node)) : Box3f(); !box.isEmpty()) {
        const V3f s = box.size(), c = box.center();
        const double size = twoDigits(double(std::max(s.x, std::max(s.y, s.z))));
        out = setValue(out, zone, "position", Constant(roundedPlace(c + V3f(0.25f * s.x, 0.25f * s.y, 0.25f * s.z))));
        out = setValue(out, zone, "size", Constant(Triple{size, size, size}));
        out = setValue(out, zone, "edge", Constant(twoDigits(0.05 * size)));
      }
      out = setValue(out, id, d.name, Constant(Reference{zone, nullptr}));
    }
  if (made) *made = id;
  return setAt(out, at, PatternUse{{id, nullptr}});
}

Document drivenByCutting(const Document& doc, const Address& at, const Document& from, NodeId* made) {
  const ParamDef& def = definitionAt(doc, at);
  if (!def.patternedAt.empty() && at.input.empty())
    return drivenByCutting(doc, {at.node, def.patternedAt, 0, {}}, from, made);
  if (!def.patternable) throw badInput(addressText(doc, at) + ": no pattern can drive it");
  const auto all = from.family("pattern");
  // Parts, such as keys of a ramp, are of the family too.
  const Node* top = nullptr;
  size_t most = 0;
  for (const Node* n : all)
    if (!n->parent)
      if (const size_t lines = patternLines(from, {n->id, nullptr}).size(); lines > most) top = n, most = lines;
  if (!top) throw badInput("it holds no pattern");
  NodeId id = 0;
  const Document out = transplant(doc, from, top->id, &id);
  if (def.evenOnly && !mayBeEven(*out.find(id)->kind)) throw badInput(whyEven(def));
  if (made) *made = id;
  return setAt(out, at, PatternUse{{id, nullptr}});
}

Document drivenByPreset(const Document& doc, const Address& at, const PatternPreset& preset, const Scene* scene,
                        NodeId* made) {
  const ParamDef& def = definitionAt(doc, at);
  if (!def.patternedAt.empty() && at.input.empty())
    return drivenByPreset(doc, {at.node, def.patternedAt, 0, {}}, preset, scene, made);
  if (!def.patternable) throw badInput(addressText(doc, at) + ": no pattern can drive it");
  if (def.evenOnly) throw badInput(whyEven(def));
  const Value before = valueAt(doc, at);
  NodeId id = 0;
  Document out = addPatternPreset(doc, preset, &id);
  const auto set = [&](const char* input, const Value& v) { out = setInput(out, id, input, v); };
  if (const double size = scene ? sizeOf(doc, at.node, *scene) : 0; size > 0) {
    set("size", Constant(std::clamp(twoDigits(size), 1e-6, 1e6)));
    if (preset.reach > 0) set("reach", Constant(std::clamp(twoDigits(preset.reach * size), 1e-6, 1e4)));
  }
  const Constant now = evaluate(before, def, currentFrame(doc)).value_or(def.initial);
  if (def.type == ParamType::Color) {
    // What stood there shows where it is not; a pattern that did, too.
    if (!preset.shines && (before.pattern() || std::holds_alternative<Triple>(now)))
      set("under it", before.pattern() ? before : Value(now));
  } else {
    const auto [low, high] = endsAbout(def, now);
    const double v = std::holds_alternative<double>(now) ? std::get<double>(now) : low[0];
    const double other = std::abs(high[0] - v) > std::abs(v - low[0]) ? high[0] : low[0];
    const Triple from{v, v, v}, to{other, other, other};
    const Triple nearly{v + 0.8 * (other - v), v + 0.8 * (other - v), v + 0.8 * (other - v)};
    set("dark", Constant(nearly));
    set("light", Constant(to));
    if (before.pattern())
      out = setInput(out, id, "value.low", before);
    else
      out = setInput(out, id, "value.low", Constant(from));
  }
  if (made) *made = id;
  return setAt(out, at, PatternUse{{id, nullptr}});
}

} // namespace ilumbra
