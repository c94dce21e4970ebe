#include "core/document/mover.h"

#include "core/base/error.h"
#include "core/document/movers/parts.h"
#include "core/document/words.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ilumbra {

// A line each, in the order of menus.
#define EACH_MOVER(X)                                                                                                  \
  X(spin)                                                                                                              \
  X(swing)                                                                                                             \
  X(wobble)                                                                                                            \
  X(drift)                                                                                                             \
  X(run)                                                                                                               \
  X(bob)                                                                                                               \
  X(orbit)                                                                                                             \
  X(push)                                                                                                              \
  X(shake)                                                                                                             \
  X(flicker)                                                                                                           \
  X(pulse)                                                                                                             \
  X(fade)                                                                                                              \
  X(hues)

namespace movers {
#define DECLARE(name) MoverKind name();
EACH_MOVER(DECLARE)
#undef DECLARE
} // namespace movers

const std::vector<MoverKind>& moverKinds() {
#define MADE(name) movers::name(),
  static const std::vector<MoverKind> all = {EACH_MOVER(MADE)};
#undef MADE
  return all;
}

const MoverKind* moverKind(std::string_view id) {
  for (const MoverKind& k : moverKinds())
    if (k.id == id) return &k;
  return nullptr;
}

std::vector<const ParamDef*> MoverKind::paramsFor(const ParamDef& moved) const {
  std::vector<const ParamDef*> out;
  for (const ParamDef& d : params)
    if (moverInput(moved, id + "." + d.name)) out.push_back(&d);
  return out;
}

std::vector<const MoverKind*> moversFor(const ParamDef& def) {
  std::vector<const MoverKind*> out;
  for (const MoverKind& k : moverKinds())
    if (def.keyable && k.moves(def)) out.push_back(&k);
  return out;
}

namespace {

const ParamDef* find(const std::vector<ParamDef>& defs, std::string_view name) {
  const auto it = std::find_if(defs.begin(), defs.end(), [&](const ParamDef& d) { return d.name == name; });
  return it == defs.end() ? nullptr : &*it;
}

bool isSingle(const ParamDef& moved) { return moved.type != ParamType::Vector && moved.type != ParamType::Color; }

Constant restAt(const Moved& m, double frame) {
  if (const Keys* k = std::get_if<Keys>(&m.rest)) return evaluate(*k, frame);
  return std::get<Constant>(m.rest);
}

// Through the movers of a value, or back through them.
Constant through(const Moved& m, double frame, const Constant& c, bool back) {
  const double* one = std::get_if<double>(&c);
  const Triple* three = std::get_if<Triple>(&c);
  if (!one && !three) return c;
  Triple v = three ? *three : Triple{*one, *one, *one};
  for (size_t i = 0; i < m.movers.size(); ++i) {
    const Mover& mover = m.movers[back ? m.movers.size() - 1 - i : i];
    if (const MoverKind* kind = moverKind(mover.kind))
      v = kind->move(MoverParams(kind->params, mover, one), frame, v, back);
  }
  if (three) return v;
  return v[0];
}

// What a parameter accepts: an angle that goes once round begins anew, all else stops.
Constant within(const ParamDef& def, Constant c) {
  if (double* v = std::get_if<double>(&c)) {
    if (def.unit == "°" && def.hardMax - def.hardMin == 360) *v -= 360 * std::floor((*v - def.hardMin) / 360);
    *v = std::clamp(*v, def.hardMin, def.hardMax);
  }
  if (Triple* t = std::get_if<Triple>(&c))
    for (double& v : *t) v = std::clamp(v, def.hardMin, def.hardMax);
  return c;
}

// Beyond the ends it is a key of the round that comes again.
Keys withKey(Keys keys, double frame, Constant now) {
  if (keys.beyond != BeyondKeys::Hold && keys.keys.size() > 1) {
    double rounds = 0;
    frame = frameWithin(keys, frame, &rounds);
    if (keys.beyond == BeyondKeys::GoOn) {
      const Constant &first = keys.keys.front().value, &last = keys.keys.back().value;
      if (double* d = std::get_if<double>(&now)) *d -= rounds * (std::get<double>(last) - std::get<double>(first));
      if (Triple* t = std::get_if<Triple>(&now))
        for (size_t c = 0; c < 3; ++c) (*t)[c] -= rounds * (std::get<Triple>(last)[c] - std::get<Triple>(first)[c]);
    }
  }
  const auto it = std::find_if(keys.keys.begin(), keys.keys.end(), [&](const Key& key) { return key.frame >= frame; });
  if (it != keys.keys.end() && it->frame == frame)
    it->value = now;
  else
    keys.keys.insert(it, Key{frame, now, KeyShape::Smooth});
  return keys;
}

// "swing.period" -> "swing" and "period".
std::pair<std::string_view, std::string_view> parts(std::string_view input) {
  const size_t dot = input.find('.');
  return {input.substr(0, dot), dot == input.npos ? std::string_view() : input.substr(dot + 1)};
}

const Mover* moverIn(const Value& value, std::string_view kind) {
  if (const Moved* m = value.moved())
    for (const Mover& one : m->movers)
      if (one.kind == kind) return &one;
  return nullptr;
}

} // namespace

const Constant& MoverParams::constant(std::string_view name) const {
  if (const auto it = m_mover.values.find(std::string(name)); it != m_mover.values.end()) return it->second;
  return find(m_defs, name)->initial;
}
double MoverParams::number(std::string_view name) const { return std::get<double>(constant(name)); }
Triple MoverParams::triple(std::string_view name) const { return std::get<Triple>(constant(name)); }
std::string MoverParams::text(std::string_view name) const { return std::get<std::string>(constant(name)); }

std::optional<Constant> evaluate(const Value& value, const ParamDef& def, double frame) {
  if (const Constant* c = value.constant()) return *c;
  if (const Keys* k = value.keys())
    return k->beyond == BeyondKeys::GoOn ? within(def, evaluate(*k, frame)) : evaluate(*k, frame);
  if (const Moved* m = value.moved()) return within(def, through(*m, frame, restAt(*m, frame), false));
  return {};
}

Constant restOf(const Value& value, double frame) {
  if (const Moved* m = value.moved()) return restAt(*m, frame);
  if (const Keys* k = value.keys()) return evaluate(*k, frame);
  return *value.constant();
}

Value withValueAt(const Value& before, const ParamDef& def, double frame, const Constant& now) {
  if (const Keys* k = before.keys()) return withKey(*k, frame, now);
  if (const Moved* m = before.moved()) {
    Moved out = *m;
    const Constant rest = within(def, through(*m, frame, now, true));
    if (const Keys* k = std::get_if<Keys>(&m->rest))
      out.rest = withKey(*k, frame, rest);
    else
      out.rest = rest;
    return out;
  }
  return now;
}

Value keyedAt(const Value& before, const ParamDef& def, double frame) {
  const auto with = [&](const std::variant<Constant, Keys>& rest) {
    const Keys* k = std::get_if<Keys>(&rest);
    return withKey(k ? *k : Keys{}, frame, k ? evaluate(*k, frame) : std::get<Constant>(rest));
  };
  if (const Moved* m = before.moved()) return Moved{with(m->rest), m->movers};
  if (const Keys* k = before.keys()) return with(*k);
  return with(evaluate(before, def, frame).value_or(def.initial));
}

Value unkeyed(const Value& before, const ParamDef& def, double frame) {
  if (const Moved* m = before.moved()) return Moved{restAt(*m, frame), m->movers};
  return evaluate(before, def, frame).value_or(def.initial);
}

void checkMovers(const Moved& moved, const ParamDef& def, const std::string& place) {
  if (moved.movers.empty()) throw badInput(place + ": movers without a mover");
  for (size_t i = 0; i < moved.movers.size(); ++i) {
    const Mover& m = moved.movers[i];
    const MoverKind* kind = moverKind(m.kind);
    if (!kind) {
      std::vector<std::string> names;
      for (const MoverKind& k : moverKinds()) names.push_back(k.id);
      const std::string near = nearestWord(m.kind, names);
      throw badInput(fmt::format("{}: there is no mover {}{}", place, quotation(m.kind),
                                 near.empty() ? "" : fmt::format("; the nearest is {}", near)));
    }
    const std::string at = place + ", " + kind->id;
    if (!def.keyable || !kind->moves(def)) throw badInput(at + ": it cannot move this");
    for (size_t k = 0; k < i; ++k)
      if (moved.movers[k].kind == m.kind) throw badInput(at + ": it is there twice");
    for (const auto& [name, value] : m.values) {
      const ParamDef* d = find(kind->params, name);
      if (!d) throw badInput(fmt::format("{}: it has no {}", at, quotation(name)));
      if (value.index() != d->initial.index()) throw badInput(fmt::format("{}, {}: not of the right kind", at, name));
      const auto number = [&](double v) {
        if (!std::isfinite(v)) throw badInput(fmt::format("{}, {}: not a finite number", at, name));
        if (v < d->hardMin || v > d->hardMax)
          throw badInput(fmt::format("{}, {}: {:g} is outside {:g} to {:g}", at, name, v, d->hardMin, d->hardMax));
      };
      if (const double* v = std::get_if<double>(&value)) number(*v);
      if (const Triple* t = std::get_if<Triple>(&value))
        for (const double v : *t) number(v);
      if (const std::string* s = std::get_if<std::string>(&value))
        if (std::find(d->choices.begin(), d->choices.end(), *s) == d->choices.end())
          throw badInput(
              fmt::format("{}, {}: {} is not one of {}", at, name, quotation(*s), fmt::join(d->choices, ", ")));
    }
  }
}

double periodOf(const Value& value) {
  double period = 1;
  if (const Keys* k = value.anyKeys())
    for (const Key& key : k->keys)
      if (key.value != k->keys.front().value) {
        const double span = k->keys.back().frame - k->keys.front().frame;
        if (k->beyond != BeyondKeys::Repeat && k->beyond != BeyondKeys::ToAndFro) return 0;
        period = k->beyond == BeyondKeys::Repeat ? span : 2 * span;
        break;
      }
  if (const Moved* m = value.moved())
    for (const Mover& mover : m->movers) {
      const MoverKind* kind = moverKind(mover.kind);
      const double one = kind ? kind->period(MoverParams(kind->params, mover)) : 1;
      if (!(one > 0)) return 0;
      // Of whole frames the least that both divide; of others, if one divides the other.
      const double more = std::max(period, one), less = std::min(period, one), times = more / less;
      if (std::abs(times - std::round(times)) < 1e-9)
        period = more;
      else if (std::abs(period - std::round(period)) < 1e-9 && std::abs(one - std::round(one)) < 1e-9)
        period = double(std::lcm(int64_t(std::round(period)), int64_t(std::round(one))));
      else
        return 0;
    }
  return period;
}

const ParamDef* moverInput(const ParamDef& def, std::string_view input) {
  const auto [id, name] = parts(input);
  const MoverKind* kind = moverKind(id);
  if (!kind || !def.keyable || !kind->moves(def)) return nullptr;
  if (!name.empty()) return isSingle(def) && name == kind->ofThree ? nullptr : find(kind->params, name);
  static const std::map<std::string, ParamDef, std::less<>> switches = [] {
    std::map<std::string, ParamDef, std::less<>> made;
    for (const MoverKind& k : moverKinds()) {
      ParamDef d = flag(k.id, k.label, false).fixed().help(k.helpText);
      made.emplace(k.id, std::move(d));
    }
    return made;
  }();
  return &switches.find(id)->second;
}

Constant moverValue(const Value& value, std::string_view input) {
  const auto [id, name] = parts(input);
  const Mover* m = moverIn(value, id);
  if (name.empty()) return m != nullptr;
  if (m)
    if (const auto it = m->values.find(std::string(name)); it != m->values.end()) return it->second;
  return find(moverKind(id)->params, name)->initial;
}

Value withMover(const Value& before, std::string_view input, const Constant& set) {
  const auto [id, name] = parts(input);
  Moved out;
  if (const Moved* m = before.moved())
    out = *m;
  else if (const Keys* k = before.keys())
    out.rest = *k;
  else if (const Constant* c = before.constant())
    out.rest = *c;
  else
    throw badInput(fmt::format("{}: a pattern drives this; take that away first", id));
  auto it = std::find_if(out.movers.begin(), out.movers.end(), [&](const Mover& m) { return m.kind == id; });
  const bool away = name.empty() && !std::get<bool>(set);
  if (away && it == out.movers.end()) return before;
  if (away) {
    out.movers.erase(it);
    if (!out.movers.empty()) return out;
    if (const Keys* k = std::get_if<Keys>(&out.rest)) return *k;
    return std::get<Constant>(out.rest);
  }
  if (it == out.movers.end()) it = out.movers.insert(it, Mover{std::string(id), {}});
  if (!name.empty()) {
    if (find(moverKind(id)->params, name)->initial == set)
      it->values.erase(std::string(name));
    else
      it->values[std::string(name)] = set;
  }
  return out;
}

Keys baked(const Value& value, const ParamDef& def, double first, double last, double tolerance) {
  constexpr double least = 1.0 / 16;
  const bool turn = def.type == ParamType::Vector && def.unit == "°";
  // Of turns that are the same, the one that is nearest to the one before: between keys nothing goes the long way
  // round.
  const auto at = [&](double frame, const Constant* near) -> Constant {
    const Constant c = evaluate(value, def, frame).value_or(def.initial);
    if (!turn || !near) return c;
    return movers::nearestTurn(std::get<Triple>(c), std::get<Triple>(*near));
  };
  const auto apart = [](const Constant& a, const Constant& b) {
    if (const double* v = std::get_if<double>(&a)) return std::abs(*v - std::get<double>(b));
    double most = 0;
    if (const Triple* t = std::get_if<Triple>(&a))
      for (size_t c = 0; c < 3; ++c) most = std::max(most, std::abs((*t)[c] - std::get<Triple>(b)[c]));
    return most;
  };
  Keys out;
  out.keys.push_back({first, at(first, nullptr), KeyShape::Linear});
  // Steps as long as they are true at a quarter, the middle and three quarters.
  for (double now = first, step = 1; now < last;) {
    step = std::min(step, last - now);
    const Key from = out.keys.back();
    Key to{now + step, at(now + step, &from.value), KeyShape::Linear};
    const Keys line{{from, to}};
    bool good = true;
    for (int k = 1; good && k < 8; ++k) {
      const double f = now + step * k / 8;
      good = apart(evaluate(line, f), at(f, &from.value)) <= tolerance;
    }
    if (!good && step > least) {
      step /= 2;
      continue;
    }
    out.keys.push_back(std::move(to));
    now += step;
    if (good) step *= 2;
  }
  return out;
}

} // namespace ilumbra
