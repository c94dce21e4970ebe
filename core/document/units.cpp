#include "core/document/units.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/document/file.h"
#include "core/document/words.h"

#include <cmath>
#include <fmt/format.h>
#include <muParser.h>

namespace ilumbra {
namespace {

struct Symbol {
  std::string_view text;
  double factor;
};
struct Unit {
  std::string_view name;
  std::vector<Symbol> symbols;
};

// Per unit of the document, what may be typed and by what it is multiplied.
const std::vector<Unit>& units() {
  static const std::vector<Unit> table = {
      {"m",
       {{"mm", 1e-3}, {"cm", 1e-2}, {"km", 1e3}, {"m", 1}, {"in", 0.0254}, {"ft", 0.3048}, {"µm", 1e-6}, {"um", 1e-6}}},
      {"mm", {{"mm", 1}, {"cm", 10}, {"m", 1e3}, {"in", 25.4}}},
      {"nm", {{"nm", 1}, {"µm", 1e3}, {"um", 1e3}}},
      {"lm", {{"klm", 1e3}, {"lm", 1}}},
      {"lx", {{"klx", 1e3}, {"lx", 1}}},
      {"cd/m³", {{"kcd/m³", 1e3}, {"kcd/m3", 1e3}, {"cd/m³", 1}, {"cd/m3", 1}}},
      {"1/m", {{"1/m", 1}, {"/m", 1}, {"1/cm", 100}, {"1/km", 1e-3}}},
      {"m/s", {{"m/s", 1}, {"cm/s", 1e-2}, {"mm/s", 1e-3}}},
      {"1/s", {{"1/s", 1}, {"/s", 1}}},
      {"cd/m²", {{"kcd/m²", 1e3}, {"kcd/m2", 1e3}, {"cd/m²", 1}, {"cd/m2", 1}}},
      {"°", {{"°", 1}, {"deg", 1}, {"rad", 180 / 3.14159265358979323846}, {"turns", 360}, {"turn", 360}}},
      {"stops", {{"stops", 1}, {"stop", 1}}},
      {"EV", {{"EV", 1}, {"stops", 1}, {"stop", 1}}},
      {"%", {{"%", 0.01}}},
      {"K", {{"K", 1}}},
      {"px", {{"px", 1}}},
      {"frames", {{"frames", 1}, {"frame", 1}}},
      {"fps", {{"fps", 1}}},
      {"×", {{"×", 1}, {"x", 1}}},
  };
  return table;
}

std::string trimmed(std::string_view s) {
  while (!s.empty() && std::isspace(static_cast<unsigned char>(s.front()))) s.remove_prefix(1);
  while (!s.empty() && std::isspace(static_cast<unsigned char>(s.back()))) s.remove_suffix(1);
  return std::string(s);
}

double arithmetic(const ParamDef& def, const std::string& text) {
  try {
    mu::Parser parser;
    parser.DefineConst("pi", 3.14159265358979323846);
    parser.SetExpr(text);
    const double v = parser.Eval();
    if (!std::isfinite(v)) throw badInput(fmt::format("{}: {} is not a finite number", def.label, quotation(text)));
    return v;
  } catch (const mu::Parser::exception_type&) {
    throw badInput(fmt::format("{}: {} is not a number{}", def.label, quotation(text),
                               def.unit.empty() ? "" : fmt::format(" in {}", def.unit)));
  }
}

void checkRange(const ParamDef& def, double v) {
  if (!std::isfinite(v)) throw badInput(fmt::format("{}: not a finite number", def.label));
  if (v < def.hardMin)
    throw badInput(
        fmt::format("{}: {} is below the least, {}", def.label, formatNumber(def, v), formatNumber(def, def.hardMin)));
  if (v > def.hardMax)
    throw badInput(
        fmt::format("{}: {} is above the most, {}", def.label, formatNumber(def, v), formatNumber(def, def.hardMax)));
}

bool isLight(const std::string& unit) { return unit == "lm" || unit == "lx" || unit == "cd/m²" || unit == "×"; }

std::vector<std::string> splitCommas(std::string_view text) {
  std::vector<std::string> parts;
  int depth = 0;
  std::string part;
  for (const char c : text) {
    if (c == '(') ++depth;
    if (c == ')') --depth;
    if (c == ',' && depth == 0) {
      parts.push_back(trimmed(part));
      part.clear();
    } else {
      part += c;
    }
  }
  part = trimmed(part);
  if (!part.empty() || !parts.empty()) parts.push_back(part);
  return parts;
}

Reference parseReference(const Document& doc, const ParamDef& def, const std::string& name) {
  if (name.empty() || name == "none" || (!def.ifZero.empty() && name == def.ifZero)) return {};
  const Node* n = doc.findByName(name);
  if (!n) throw badInput(fmt::format("{}: there is nothing named {}", def.label, quotation(name)));
  if (!accepted(def.accepts, n->kind->id))
    throw badInput(fmt::format("{}: {} is a {}, which does not go here", def.label, name, n->kind->label));
  return {n->id, nullptr};
}

} // namespace

double parseNumber(const ParamDef& def, std::string_view typed, double present) {
  std::string text = trimmed(typed);
  if (!def.ifZero.empty() && text == def.ifZero) return 0;
  if (text.empty()) throw badInput(def.label + ": nothing was typed");
  // A relative change of light in stops.
  if (isLight(def.unit) && (text[0] == '+' || text[0] == '-'))
    for (const std::string_view s : {" stops", " stop", "stops", "stop"})
      if (text.ends_with(s)) {
        const double v = present * std::exp2(arithmetic(def, text.substr(0, text.size() - s.size())));
        checkRange(def, v);
        return v;
      }
  double factor = def.unit == "%" ? 0.01 : 1;
  bool found = false;
  for (const Unit& u : units()) {
    if (u.name != def.unit) continue;
    for (const Symbol& s : u.symbols)
      if (text.size() > s.text.size() && text.ends_with(s.text)) {
        const char before = text[text.size() - s.text.size() - 1];
        if (std::isalpha(static_cast<unsigned char>(before))) continue;
        factor = s.factor;
        text = trimmed(std::string_view(text).substr(0, text.size() - s.text.size()));
        found = true;
        break;
      }
  }
  if (!found && !text.empty() && (std::isalpha(static_cast<unsigned char>(text.back())) || (text.back() & 0x80)) &&
      !text.ends_with("pi"))
    throw badInput(fmt::format("{}: {} does not end in a unit it can have{}", def.label, quotation(trimmed(typed)),
                               def.unit.empty() ? " (it is a pure number)" : fmt::format(" (it is in {})", def.unit)));
  // Dividing by 100 keeps 35 % at 0.35; multiplying by 0.01 would not.
  double v = factor < 1 ? arithmetic(def, text) / (1 / factor) : arithmetic(def, text) * factor;
  if (def.type == ParamType::Integer) {
    if (std::abs(v - std::round(v)) > 1e-6) throw badInput(fmt::format("{}: {} is not a whole number", def.label, v));
    v = std::round(v);
  }
  checkRange(def, v);
  return v;
}

std::string shownUnit(const ParamDef& def, double value) {
  if (value == 0 && !def.ifZero.empty()) return {};
  if (def.unit == "m" && value != 0 && std::abs(value) < 0.0999995) return "mm";
  if (value == 1 && (def.unit == "frames" || def.unit == "stops")) return def.unit.substr(0, def.unit.size() - 1);
  return def.unit;
}

std::string formatNumber(const ParamDef& def, double value, bool withUnit) {
  if (value == 0 && !def.ifZero.empty()) return def.ifZero;
  const std::string unit = shownUnit(def, value);
  double v = value;
  if (unit == "%") v *= 100;
  if (unit == "mm" && def.unit == "m") v *= 1000;
  std::string s;
  if (def.type == ParamType::Integer || std::abs(v) >= 1e15)
    s = fmt::format("{:.0f}", v);
  else {
    const double a = std::abs(v);
    const int decimals = a == 0 ? 0 : std::clamp(3 - int(std::floor(std::log10(a))), 0, 9);
    s = fmt::format("{:.{}f}", v, decimals);
    if (s.find('.') != std::string::npos) {
      while (s.back() == '0') s.pop_back();
      if (s.back() == '.') s.pop_back();
    }
    if (s == "-0") s = "0";
  }
  // Thousands apart by a thin space.
  const size_t point = std::min(s.find('.'), s.size()), start = s[0] == '-' ? 1 : 0;
  if (point - start > 4)
    for (size_t i = point; i > start + 3;) {
      i -= 3;
      s.insert(i, "\u2009");
    }
  if (withUnit && !unit.empty()) s += (unit == "°" ? "" : " ") + unit;
  return s;
}

Value parseValue(const Document& doc, const ParamDef& def, std::string_view typed, const Value* present) {
  const std::string text = trimmed(typed);
  if (text.starts_with('{')) return valueFromJson(doc, def, text);
  if (text.starts_with("pattern ") && def.type != ParamType::Text && def.type != ParamType::File) {
    if (!def.patternable) throw badInput(fmt::format("{}: cannot be driven by a pattern", def.label));
    const std::string name = trimmed(std::string_view(text).substr(8));
    const Node* n = doc.findByName(name);
    if (!n || n->kind->family() != "pattern")
      throw badInput(fmt::format("{}: there is no pattern {}", def.label, quotation(name)));
    return PatternUse{{n->id, nullptr}};
  }
  switch (def.type) {
  case ParamType::Number:
  case ParamType::Integer: {
    double before = 0;
    if (present)
      if (const Constant* c = present->constant())
        if (const double* d = std::get_if<double>(c)) before = *d;
    return Constant(parseNumber(def, text, before));
  }
  case ParamType::Flag:
    for (const std::string_view t : {"on", "yes", "true", "1"})
      if (text == t) return Constant(true);
    for (const std::string_view t : {"off", "no", "false", "0"})
      if (text == t) return Constant(false);
    throw badInput(fmt::format("{}: {} is neither on nor off", def.label, quotation(text)));
  case ParamType::Choice: {
    for (const std::string& c : def.choices)
      if (c == text) return Constant(text);
    for (const auto& [before, now] : def.formerChoices)
      if (before == text) return Constant(now);
    throw badInput(fmt::format("{}: {} is none of: {}", def.label, quotation(text), fmt::join(def.choices, ", ")));
  }
  case ParamType::Color:
    if (text.size() == 7 && text[0] == '#' &&
        text.find_first_not_of("0123456789abcdefABCDEF", 1) == std::string::npos) {
      Triple t;
      for (size_t i = 0; i < 3; ++i)
        t[i] = srgbDecoded<double>(std::stoi(text.substr(1 + 2 * i, 2), nullptr, 16) / 255.0);
      return Constant(t);
    }
    [[fallthrough]];
  case ParamType::Vector: {
    const std::vector<std::string> parts = splitCommas(text);
    if (parts.size() != 3 && parts.size() != 1)
      throw badInput(fmt::format("{}: {} is not three numbers with commas", def.label, quotation(text)));
    Triple t;
    for (size_t i = 0; i < 3; ++i) t[i] = parseNumber(def, parts[parts.size() == 3 ? i : 0]);
    return Constant(t);
  }
  case ParamType::Text:
  case ParamType::File:
    return Constant(text);
  case ParamType::Reference:
    return Constant(parseReference(doc, def, text));
  case ParamType::References: {
    std::vector<Reference> refs;
    for (const std::string& name : splitCommas(text))
      if (const Reference r = parseReference(doc, def, name); r.target) refs.push_back(r);
    return Constant(refs);
  }
  }
  return {};
}

std::string formatValue(const Document& doc, const ParamDef& def, const Value& value) {
  const auto name = [&](const Reference& r) {
    const Node* n = doc.find(r.target);
    std::string s = n ? n->name : def.ifZero.empty() ? "none" : def.ifZero;
    if (r.with && !r.with->empty()) s += fmt::format(" ({} own)", r.with->size());
    return s;
  };
  if (const Moved* m = value.moved()) {
    std::string movers;
    for (const Mover& one : m->movers) movers += " + " + one.kind;
    const Keys* k = std::get_if<Keys>(&m->rest);
    return formatValue(doc, def, k ? Value(*k) : Value(std::get<Constant>(m->rest))) + movers;
  }
  if (const Keys* k = value.keys()) return fmt::format("{} keys", k->keys.size());
  if (const PatternUse* p = value.pattern()) return "pattern " + name(p->pattern);
  const Constant& c = *value.constant();
  if (const bool* b = std::get_if<bool>(&c)) return *b ? "on" : "off";
  if (const double* d = std::get_if<double>(&c)) return formatNumber(def, *d);
  if (const auto* s = std::get_if<std::string>(&c)) return *s;
  if (const Triple* t = std::get_if<Triple>(&c))
    return fmt::format("{}, {}, {}", formatNumber(def, (*t)[0]), formatNumber(def, (*t)[1]),
                       formatNumber(def, (*t)[2]));
  if (const Reference* r = std::get_if<Reference>(&c)) return name(*r);
  std::string all;
  for (const Reference& r : std::get<std::vector<Reference>>(c)) all += (all.empty() ? "" : ", ") + name(r);
  return all.empty() ? "none" : all;
}

} // namespace ilumbra
