#include "core/compile/even_patterns.h"

#include "core/base/error.h"
#include "core/document/edit.h"
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

} // namespace

std::string whyEven(const ParamDef& d) {
  return fmt::format("{} takes only a pattern that is the same everywhere, such as Time or Follow: {}", d.label,
                     d.evenBecause.empty() ? "it is one number for the whole thing" : d.evenBecause);
}

Document withEvenValues(const Document& doc, double frame, const Assets& assets) {
  Document out = doc;
  eachEven(doc, [&](const Node& n, const ParamDef& d) {
    if (const auto use = Params(n, frame).pattern(d.name))
      if (const auto v = evenValue(doc, *use, d, frame, assets)) out = setValue(out, n.id, d.name, *v);
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
  return out;
}

} // namespace ilumbra
