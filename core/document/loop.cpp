#include "core/document/loop.h"

#include "core/document/follow.h"
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

// Speeds a second of what repeats itself in space: with whole repeats in the range it is the same again.
struct Drift {
  const char* param;
  double now, better;
};
std::vector<Drift> driftsOf(const Node& n, const Range& r) {
  std::vector<Drift> out;
  const auto add = [&](const char* param, const std::vector<const char*>& sizes, double more, double times) {
    if (!n.kind->param(param) || std::any_of(sizes.begin(), sizes.end(), [&](auto s) { return !n.kind->param(s); }))
      return;
    const Params p(n, r.first);
    double repeat = more;
    for (const char* size : sizes) repeat += times * p.number(size);
    const double now = p.number(param), seconds = r.length / r.rate;
    if (now == 0 || !(repeat > 0)) return;
    const double repeats = std::max(1.0, std::round(std::abs(now) * seconds / repeat));
    out.push_back({param, now, std::copysign(repeats * repeat / seconds, now)});
  };
  // Bands of a lens (core/lens/stages/bands.cpp).
  add("drift", {"width", "gap"}, 0, 1);
  if (n.kind->param("roll_depth") && Params(n, r.first).number("roll_depth") != 0)
    add("roll_speed", {"roll_width"}, 1, 2);
  return out;
}

// What plays, as it is after its mend; none: it comes round. `why`: what it does instead.
struct Playing {
  std::string play;
  double begins = 1, speed = 1;
};
std::optional<Playing> loopingPlay(const Node& n, const Range& r, const FramesOfRound& rounds, std::string& why) {
  const Params p(n, r.first);
  const std::string play = p.text("play");
  const double speed = p.number("speed"), once = rounds ? rounds(n) : 0, round = once / std::abs(speed);
  if (speed == 0 || (rounds && once == 0)) return {};
  Playing better{play == "once" ? "loop" : play, std::min(p.number("begins"), r.first), speed};
  // One that is over before the range begins is at rest.
  if (play == "once" && once > 0 && p.number("begins") + round <= r.first) return {};
  if (play == "once")
    why = "plays once";
  else if (p.number("begins") > r.first)
    why = fmt::format("begins at frame {:g}", p.number("begins"));
  else if (once > 0 && !whole(r.length / round))
    why = fmt::format("comes round after {:.4g} frames, not {:g}", round, r.length);
  if (why.empty()) return {};
  if (once > 0) better.speed = std::copysign(std::max(1.0, std::round(r.length / round)) * once / r.length, speed);
  return better;
}

// The mover's periods as whole parts of the range, or as the range itself.
Mover fitted(const MoverKind& kind, Mover mover, const Range& r) {
  const MoverParams p(kind.params, mover);
  for (const ParamDef& d : kind.params) {
    if (d.name == "turns")
      mover.values[d.name] = std::round(p.number("turns")) != 0 ? std::round(p.number("turns")) : 1.0;
    if (d.name == "by") mover.values[d.name] = std::round(p.number("by")) != 0 ? std::round(p.number("by")) : 1.0;
    if (d.name == "damping") mover.values[d.name] = 0.0;
    if (d.name == "loop") mover.values[d.name] = r.length;
    if (d.name == "period") mover.values[d.name] = r.length / std::max(1.0, std::round(r.length / p.number("period")));
  }
  return mover;
}

// True if what follows a path is where it began after the range; what begins anew at the end of its path is, a whole
// number of paths later.
bool comesRound(const Document& doc, NodeId follower, const Range& r) {
  const Node& thing = *doc.find(follower);
  const Node* path = followedPath(doc, thing, r.first);
  if (!path) return true;
  const auto rounds = [&](double at) {
    const Params p(thing, at);
    const double length = pathLength(doc, thing, at);
    return p.number("along") + (length > 0 ? p.number("travelled") / length : 0);
  };
  const double a = rounds(r.first), b = rounds(r.last + 1);
  if (!Params(*path, r.first).flag("closed") && Params(thing, r.first).text("at_its_end") == "stops")
    return std::abs(std::clamp(a, 0.0, 1.0) - std::clamp(b, 0.0, 1.0)) < 1e-4;
  return std::abs(a - b - std::round(a - b)) < 1e-4;
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

bool playsByItself(const Node& n) {
  return n.kind->param("play") && n.kind->param("begins") && Params(n, 0).text("play") != "still";
}

std::vector<LoopBreak> loopBreaks(const Document& doc, const FramesOfRound& rounds) {
  const Range r = rangeOf(doc);
  std::vector<LoopBreak> out;
  for (const Address& a : movingValues(doc)) {
    const ParamDef& d = definitionAt(doc, a);
    const Value v = valueAt(doc, a);
    const auto at = [&](double f) { return *evaluate(v, d, f); };
    if (!differ(d, at(r.first), at(r.last + 1))) continue;
    const bool onPath = followedPath(doc, *doc.find(a.node), r.first) && (a.param == "along" || a.param == "travelled");
    // Of a round of a path what counts is where it leads.
    if (onPath && comesRound(doc, a.node, r)) continue;
    const double period = periodOf(v);
    const Value better = mended(v, d, r);
    const bool mends = onPath ? comesRound(setAt(doc, a, better), a.node, r)
                              : !differ(d, *evaluate(better, d, r.first), *evaluate(better, d, r.last + 1));
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
    if (playsByItself(*n)) {
      std::string why;
      if (loopingPlay(*n, r, rounds, why)) out.push_back({{n->id, "play", 0, {}}, why, rounds != nullptr});
    }
    for (const Drift& d : driftsOf(*n, r))
      if (std::abs(d.now - d.better) > 1e-9 * std::abs(d.better))
        out.push_back({{n->id, d.param, 0, {}}, "drifts no whole number of times", true});
  }
  return out;
}

Document looped(const Document& doc, const FramesOfRound& rounds) {
  const Range r = rangeOf(doc);
  Document out = doc;
  for (const LoopBreak& b : loopBreaks(doc, rounds)) {
    if (!b.mends) continue;
    const Node& n = *out.find(b.at.node);
    if (b.at.param == "loop" && runs(n))
      out = setValue(out, b.at.node, "loop", Constant(r.length));
    else if (b.at.param == "wave_speed")
      out = setValue(out, b.at.node, "wave_speed", Constant(*loopingSpeed(n, r)));
    else if (b.at.param == "play" && playsByItself(n)) {
      std::string why;
      const Playing better = *loopingPlay(n, r, rounds, why);
      out = setValue(out, b.at.node, "play", Constant(better.play));
      out = setValue(out, b.at.node, "begins", Constant(better.begins));
      out = setValue(out, b.at.node, "speed", Constant(better.speed));
    } else if (const auto drifts = driftsOf(n, r);
               std::any_of(drifts.begin(), drifts.end(), [&](const Drift& d) { return d.param == b.at.param; })) {
      for (const Drift& d : drifts)
        if (d.param == b.at.param) out = setValue(out, b.at.node, d.param, Constant(d.better));
    } else
      out = setAt(out, b.at, mended(valueAt(out, b.at), definitionAt(out, b.at), r));
  }
  return out;
}

} // namespace ilumbra
