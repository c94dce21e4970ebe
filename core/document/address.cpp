#include "core/document/inputs.h"

#include "core/base/error.h"
#include "core/document/lookup.h"
#include "core/document/mover.h"
#include "core/document/units.h"
#include "core/document/words.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

// "name[3]" -> name and 2; without brackets the index is left alone.
bool splitIndex(std::string& part, size_t& index) {
  const size_t open = part.find('[');
  if (open == std::string::npos) return false;
  const std::string digits = part.substr(open + 1, part.size() - open - 2);
  if (part.back() != ']' || digits.empty() || digits.size() > 6 ||
      digits.find_first_not_of("0123456789") != std::string::npos)
    throw badInput(fmt::format("\"{}\": an index is a whole number in square brackets", part));
  index = size_t(std::stoul(digits));
  if (index == 0) throw badInput(fmt::format("\"{}\": indices count from 1", part));
  --index;
  part = part.substr(0, open);
  return true;
}

// The shared thing that a parameter uses: what it refers to, or the pattern that drives it.
Reference useIn(const Params& p, const std::string& param) {
  if (const auto use = p.pattern(param)) return use->pattern;
  return needParam(p.node(), param).type == ParamType::Reference ? p.reference(param) : Reference{};
}

// The definition of what an address names of a mover; null: it names none.
const ParamDef* moverAt(const Document& doc, const Address& a) {
  if (a.input.empty()) return nullptr;
  const Node& n = need(doc, a.node);
  const ParamDef* d = n.kind->param(a.param);
  const Value* v = n.find(a.param);
  return d && !(v && v->pattern()) ? moverInput(*d, a.input) : nullptr;
}

} // namespace

Address resolve(const Document& doc, std::string_view address) {
  std::vector<std::string> parts;
  for (size_t start = 0;;) {
    const size_t dotAt = address.find('.', start);
    parts.emplace_back(address.substr(start, dotAt - start));
    if (dotAt == std::string_view::npos) break;
    start = dotAt + 1;
  }
  const Node* n = doc.findByName(parts[0]);
  if (!n) {
    std::vector<std::string> names;
    for (const NodePtr& other : doc.nodes()) names.push_back(other->name);
    const std::string near = nearestWord(parts[0], names);
    throw badInput(fmt::format("{}: there is nothing named {}{}", quotation(address), quotation(parts[0]),
                               near.empty() ? "" : fmt::format("; the nearest is {}", near)));
  }
  Address a{n->id, {}, 0, {}};
  for (size_t i = 1; i < parts.size(); ++i) {
    std::string part = parts[i];
    size_t index = 0;
    const bool indexed = splitIndex(part, index);
    if (!a.param.empty()) { // beyond a reference
      std::string way = parts[i];
      for (size_t k = i + 1; k < parts.size(); ++k) way += '.' + parts[k];
      if (moverAt(doc, {n->id, a.param, 0, way})) {
        a.input = way;
        break;
      }
      const Params p(*n, 0);
      Reference r;
      if (needParam(*n, a.param).type == ParamType::References) {
        const std::vector<Reference> list = p.references(a.param);
        if (a.index >= list.size()) throw badInput(fmt::format("{}: {} has {} entries", address, a.param, list.size()));
        r = list[a.index];
      } else {
        r = useIn(p, a.param);
      }
      const Node* target = doc.find(r.target);
      if (const auto movers = moversFor(needParam(*n, a.param)); !target && !movers.empty()) {
        std::vector<std::string> words;
        for (const MoverKind* k : movers) words.push_back(k->id);
        const MoverKind* meant = moverKind(std::string_view(way).substr(0, way.find('.')));
        if (meant && std::find(movers.begin(), movers.end(), meant) != movers.end()) {
          words.clear();
          for (const ParamDef* d : meant->paramsFor(needParam(*n, a.param))) words.push_back(meant->id + "." + d->name);
        }
        throw badInput(fmt::format("{}: no mover and nothing of one is called {}; there are {}", address,
                                   quotation(way), fmt::join(words, ", ")));
      }
      if (!target) throw badInput(fmt::format("{}: {} refers to nothing", address, a.param));
      if (way == "name") {
        a = {target->id, "name", 0, {}};
        break;
      }
      if (!inputDefinition(doc, *target, way)) {
        std::vector<std::string> words;
        for (const NamedInput& in : target->inputs) words.push_back(in.name);
        const std::string near = nearestWord(way, words);
        throw badInput(fmt::format("{}: {} has no input \"{}\"{}", address, target->name, way,
                                   near.empty() ? "" : fmt::format("; the nearest is \"{}\"", near)));
      }
      a.input = way;
      break;
    }
    if (part == "inputs" && !indexed && i + 1 < parts.size() && !n->kind->param(part)) {
      std::string way = parts[i + 1];
      for (size_t k = i + 2; k < parts.size(); ++k) way += '.' + parts[k];
      if (!namedInput(*n, way)) {
        std::vector<std::string> words;
        for (const NamedInput& in : n->inputs) words.push_back(in.name);
        const std::string near = nearestWord(way, words);
        throw badInput(fmt::format("{}: {} has no input \"{}\"{}", address, n->name, way,
                                   near.empty() ? "" : fmt::format("; the nearest is \"{}\"", near)));
      }
      a.param = part;
      a.input = way;
      break;
    }
    if (const ChildSlot* s = n->kind->slot(part)) {
      const auto it = n->children.find(s->name);
      const size_t count = it == n->children.end() ? 0 : it->second.size();
      if (!indexed) throw badInput(fmt::format("{}: {} is a list; say {}[1]", address, part, part));
      if (index >= count) throw badInput(fmt::format("{}: {} has {} entries", address, part, count));
      n = doc.find(it->second[index]);
      a = {n->id, {}, 0, {}};
      continue;
    }
    if (part == "name" && i + 1 == parts.size()) {
      a.param = "name";
      break;
    }
    needParam(*n, part);
    a.param = part;
    a.index = index;
  }
  return a;
}

std::string addressText(const Document& doc, const Address& a) {
  const Node& n = need(doc, a.node);
  std::string s = n.name;
  if (!a.param.empty()) {
    s += "." + a.param;
    const ParamDef* d = n.kind->param(a.param);
    if (d && d->type == ParamType::References && !a.input.empty()) s += fmt::format("[{}]", a.index + 1);
  }
  if (!a.input.empty()) s += "." + a.input;
  return s;
}

static const Node* sharedAt(const Document& doc, const Address& a, Reference& r) {
  const Params p(need(doc, a.node), 0);
  if (needParam(p.node(), a.param).type == ParamType::References) {
    const auto list = p.references(a.param);
    if (a.index < list.size()) r = list[a.index];
  } else {
    r = useIn(p, a.param);
  }
  return doc.find(r.target);
}

const ParamDef& definitionAt(const Document& doc, const Address& a) {
  static const ParamDef nameDef = text("name", "Name", "");
  if (a.param == "name") return nameDef;
  if (a.input.empty()) return needParam(need(doc, a.node), a.param);
  if (const ParamDef* d = moverAt(doc, a)) return *d;
  Reference r;
  const Node* shared = a.param == "inputs" ? &need(doc, a.node) : sharedAt(doc, a, r);
  const ParamDef* d = shared ? inputDefinition(doc, *shared, a.input) : nullptr;
  if (!d) throw badInput(addressText(doc, a) + ": there is no such input");
  return *d;
}

Value valueAt(const Document& doc, const Address& a) {
  const Node& n = need(doc, a.node);
  if (a.param == "name") return Constant(n.name);
  const ParamDef& d = definitionAt(doc, a); // throws if there is none
  if (a.input.empty()) {
    const Value* v = n.find(a.param);
    return v ? *v : Value(d.initial);
  }
  if (moverAt(doc, a)) return moverValue(valueAt(doc, {a.node, a.param, 0, {}}), a.input);
  Reference r;
  const Node* shared = a.param == "inputs" ? &n : sharedAt(doc, a, r);
  return inputValue(doc, *shared, r.with.get(), a.input);
}

Document setAt(const Document& doc, const Address& a, const Value& value) {
  if (a.param == "name") {
    const Constant* c = value.constant();
    if (!c || !std::holds_alternative<std::string>(*c)) throw badInput("a name is text");
    return rename(doc, a.node, std::get<std::string>(*c));
  }
  if (a.param == "inputs") return setInput(doc, a.node, a.input, value);
  if (const ParamDef* d = moverAt(doc, a)) {
    if (!value.constant()) throw badInput(addressText(doc, a) + ": takes a plain value");
    checkValue(doc, *d, value, addressText(doc, a));
    const Address moved{a.node, a.param, 0, {}};
    const std::string mover = a.input.substr(0, a.input.find('.'));
    const bool there = moverValue(valueAt(doc, moved), mover) == Constant(true);
    if (!there && *value.constant() == Constant(false)) return doc;
    const Document with = there ? doc : startMover(doc, moved, mover);
    return setValue(with, a.node, a.param, withMover(valueAt(with, moved), a.input, *value.constant()));
  }
  if (!a.input.empty()) return setOverride(doc, a.node, a.param, a.index, a.input, &value);
  return setValue(doc, a.node, a.param, value);
}

Document startMover(const Document& doc, const Address& a, std::string_view mover) {
  const Node& n = need(doc, a.node);
  const ParamDef& def = needParam(n, a.param);
  const auto input = [&](const char* name) { return fmt::format("{}.{}", mover, name); };
  if (!moverInput(def, mover))
    throw badInput(fmt::format("{}: {} cannot move it", addressText(doc, a), quotation(mover)));
  Value v = withMover(valueAt(doc, a), mover, true);
  const double range = settingsOf(doc).number("last_frame") - settingsOf(doc).number("first_frame") + 1;
  const auto fit = [&](const std::string& name, double frames) {
    if (const ParamDef* d = moverInput(def, name); d && range > 1)
      v = withMover(v, name, std::clamp(frames, d->hardMin, d->hardMax));
  };
  if (moverInput(def, input("turns")))
    fit(input("period"), range);
  else if (const ParamDef* d = moverInput(def, input("period")))
    fit(input("period"), range / std::max(1.0, std::round(range / std::get<double>(d->initial))));
  fit(input("loop"), range);
  if (moverInput(def, input("about")) && n.kind->param("target"))
    v = withMover(v, input("about"), Params(n, currentFrame(doc)).triple("target"));
  return setValue(doc, a.node, a.param, v);
}

Document setNow(const Document& doc, const Address& a, const Constant& value) {
  return setAt(doc, a, withValueAt(valueAt(doc, a), definitionAt(doc, a), currentFrame(doc), value));
}

} // namespace ilumbra
