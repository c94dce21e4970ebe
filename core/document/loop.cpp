#include "core/document/loop.h"

#include "core/document/key_edit.h"
#include "core/document/mover.h"

#include <cmath>
#include <fmt/format.h>

namespace ilumbra {

namespace {

struct Range {
  double first, last, length, rate;
};

Range rangeOf(const Document& doc) {
  const Params s = settingsOf(doc);
  const double first = s.number("first_frame"), last = std::max(first, s.number("last_frame"));
  return {first, last, last - first + 1, s.number("rate")};
}

bool differ(const ParamDef& d, const Constant& x, const Constant& y) {
  const auto apart = [&](double p, double q) {
    const double by = d.unit == "°" ? std::remainder(p - q, 360) : p - q;
    return std::abs(by) > 1e-6 * std::max(1.0, std::abs(p));
  };
  if (const double* p = std::get_if<double>(&x)) return apart(*p, std::get<double>(y));
  if (const Triple* p = std::get_if<Triple>(&x)) {
    const Triple& q = std::get<Triple>(y);
    return apart((*p)[0], q[0]) || apart((*p)[1], q[1]) || apart((*p)[2], q[2]);
  }
  return x != y;
}

bool whole(double v) { return std::abs(v - std::round(v)) < 1e-6; }

// Of a pattern that runs: its chance comes again after so many frames. By the names of its parameters, which all of
// them share.
bool runs(const Node& n) {
  const ParamDef* d = n.kind->param("loop");
  return d && d->type == ParamType::Integer && isAnimated(n);
}

// A wave that runs: the nearest speed at which whole ones pass in the range.
std::optional<double> loopingSpeed(const Node& n, const Range& r) {
  if (!n.kind->param("wave_speed") || !n.kind->param("wavelength")) return {};
  const Params p(n, r.first);
  const double length = p.number("wavelength"), seconds = r.length / r.rate;
  if (!(length > 0)) return {};
  // By gravity in deep water, where none is given (core/geometry/water.cpp).
  const double given = p.number("wave_speed"), speed = given != 0 ? given : std::sqrt(9.80665 * length / (2 * M_PI));
  const double waves = speed * seconds / length;
  return std::max(1.0, std::round(std::abs(waves))) * (waves < 0 ? -1 : 1) * length / seconds;
}

// The mover's periods as whole parts of the range, or as the range itself.
Mover fitted(const MoverKind& kind, Mover mover, const Range& r) {
  const MoverParams p(kind.params, mover);
  for (const ParamDef& d : kind.params) {
    if (d.name == "turns")
      mover.values[d.name] = std::round(p.number("turns")) != 0 ? std::round(p.number("turns")) : 1.0;
    if (d.name == "damping") mover.values[d.name] = 0.0;
    if (d.name == "loop") mover.values[d.name] = r.length;
    if (d.name == "period") mover.values[d.name] = r.length / std::max(1.0, std::round(r.length / p.number("period")));
  }
  return mover;
}

Value mended(const Value& value, const ParamDef& d, const Range& r) {
  Value out = value;
  if (const Moved* m = value.moved()) {
    Moved moved = *m;
    for (Mover& mover : moved.movers)
      if (const MoverKind* kind = moverKind(mover.kind)) mover = fitted(*kind, mover, r);
    out = moved;
  }
  if (const Keys* k = out.anyKeys(); k && !k->keys.empty()) {
    Keys keys = *k;
    const Constant begin = evaluate(keys, r.first);
    if (differ(d, begin, evaluate(keys, r.last + 1))) {
      keys.beyond = BeyondKeys::Hold;
      // What lies beyond is not seen.
      std::erase_if(keys.keys, [&](const Key& key) { return key.frame > r.last; });
      if (keys.keys.empty() || keys.keys.front().frame > r.first)
        keys.keys.insert(keys.keys.begin(), Key{r.first, begin, KeyShape::Linear});
      keys.keys.push_back({r.last + 1, begin, keys.keys.back().shape});
      out = withKeys(out, std::move(keys));
    }
  }
  return out;
}

} // namespace

std::vector<LoopBreak> loopBreaks(const Document& doc) {
  const Range r = rangeOf(doc);
  std::vector<LoopBreak> out;
  for (const Address& a : movingValues(doc)) {
    const ParamDef& d = definitionAt(doc, a);
    const Value v = valueAt(doc, a);
    const auto at = [&](double f) { return *evaluate(v, d, f); };
    if (!differ(d, at(r.first), at(r.last + 1))) continue;
    const double period = periodOf(v);
    const Value better = mended(v, d, r);
    const bool mends = !differ(d, *evaluate(better, d, r.first), *evaluate(better, d, r.last + 1));
    out.push_back({a,
                   period > 1 ? fmt::format("comes round after {:g} frames, not {:g}", period, r.length)
                              : "is not at the end what it is at the start",
                   mends});
  }
  for (const NodePtr& n : doc.nodes()) {
    if (runs(*n)) {
      const double loop = Params(*n, r.first).number("loop");
      if (loop <= 0 || !whole(r.length / loop))
        out.push_back(
            {{n->id, "loop", 0, {}},
             loop > 0 ? fmt::format("comes round after {:g} frames, not {:g}", loop, r.length) : "runs on for ever",
             true});
    }
    if (const auto speed = loopingSpeed(*n, r)) {
      const Params p(*n, r.first);
      const double given = p.number("wave_speed");
      if (std::abs(given - *speed) > 1e-4 * std::abs(*speed))
        out.push_back({{n->id, "wave_speed", 0, {}}, "runs no whole number of waves", true});
    }
  }
  return out;
}

Document looped(const Document& doc) {
  const Range r = rangeOf(doc);
  Document out = doc;
  for (const LoopBreak& b : loopBreaks(doc)) {
    if (!b.mends) continue;
    const Node& n = *out.find(b.at.node);
    if (b.at.param == "loop" && runs(n))
      out = setValue(out, b.at.node, "loop", Constant(r.length));
    else if (b.at.param == "wave_speed")
      out = setValue(out, b.at.node, "wave_speed", Constant(*loopingSpeed(n, r)));
    else
      out = setAt(out, b.at, mended(valueAt(out, b.at), definitionAt(out, b.at), r));
  }
  return out;
}

} // namespace ilumbra
