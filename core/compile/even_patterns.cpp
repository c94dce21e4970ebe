#include "core/compile/even_patterns.h"

#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/document/inputs.h"
#include "core/pattern/program.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace ilumbra {
namespace {

// What a pattern gives, if it is the same everywhere.
std::optional<Constant> evenValue(const Document& doc, const PatternUse& use, const ParamDef& def, double frame,
                                  const Assets& assets) {
  try {
    const Program program = Program::compile(doc, use.pattern, frame, assets, false);
    const Sample4* v = program.constant();
    if (!v) return {};
    const auto one = [&](float x) {
      return std::isfinite(x) ? std::clamp(double(x), def.hardMin, def.hardMax) : def.hardMin;
    };
    if (def.type == ParamType::Color) return Triple{one(v->x), one(v->y), one(v->z)};
    return one((v->x + v->y + v->z) / 3);
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::Cancelled) throw;
    return {};
  }
}

template <typename F> void eachEven(const Document& doc, const F& f) {
  for (const NodePtr& n : doc.nodes())
    for (const auto& [name, value] : n->values)
      if (value.pattern())
        if (const ParamDef* d = n->kind->param(name); d && d->evenOnly) f(*n, *d);
}

// Calls f(thing, parameter that refers, reference, input, its definition) for what a use sets for itself by patterns.
template <typename F> void eachEvenOverride(const Document& doc, const F& f) {
  for (const NodePtr& n : doc.nodes())
    for (const auto& [name, value] : n->values) {
      const auto* r = value.constant() ? std::get_if<Reference>(value.constant()) : nullptr;
      const Node* target = r && r->with ? doc.find(r->target) : nullptr;
      if (!target) continue;
      for (const auto& [input, v] : *r->with)
        if (v.pattern())
          if (const ParamDef* d = inputDefinition(doc, *target, input); d && d->evenOnly) f(*n, name, *r, input, *d);
    }
}

} // namespace

std::string whyEven(const ParamDef& d) {
  return fmt::format("{} takes only a pattern that is the same everywhere, such as Time or Follow: {}", d.label,
                     d.evenBecause.empty() ? "it is one number for the whole thing" : d.evenBecause);
}

Document withEvenValues(const Document& doc, double frame, const Assets& assets) {
  Document out = doc;
  for (const NodePtr& n : doc.nodes())
    for (const auto& [name, value] : n->values)
      if (const Keys* k = value.keys(); k && std::holds_alternative<std::vector<Reference>>(k->keys.front().value))
        out = setValue(out, n->id, name, evaluate(*k, frame));
  eachEven(doc, [&](const Node& n, const ParamDef& d) {
    if (const auto use = Params(n, frame).pattern(d.name))
      if (const auto v = evenValue(doc, *use, d, frame, assets)) out = setValue(out, n.id, d.name, *v);
  });
  eachEvenOverride(doc, [&](const Node& n, const std::string& param, const Reference& r, const std::string& input,
                            const ParamDef& d) {
    if (const auto v = evenValue(doc, *r.with->at(input).pattern(), d, frame, assets))
      out = setAt(out, {n.id, param, 0, input}, *v);
  });
  return out;
}

std::vector<std::string> unevenPatterns(const Document& doc) {
  std::vector<std::string> out;
  eachEven(doc, [&](const Node& n, const ParamDef& d) {
    const auto use = Params(n, 0).pattern(d.name);
    const Node* pattern = use ? doc.find(use->pattern.target) : nullptr;
    if (pattern) out.push_back(fmt::format("{}: {} varies. {}", n.name, pattern->name, whyEven(d)));
  });
  eachEvenOverride(
      doc, [&](const Node& n, const std::string&, const Reference& r, const std::string& input, const ParamDef& d) {
        if (const Node* pattern = doc.find(r.with->at(input).pattern()->pattern.target))
          out.push_back(fmt::format("{}: {} varies. {}", n.name, pattern->name, whyEven(d)));
      });
  return out;
}

} // namespace ilumbra
