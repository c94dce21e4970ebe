#include "core/document/inputs.h"

#include "core/base/error.h"
#include "core/document/lookup.h"
#include "core/document/words.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

constexpr int deepest = 32, mostSteps = 256; // longer ways of inputs through inputs run in a circle

InputTarget split(std::string_view path) {
  const size_t dot = path.find('.');
  InputTarget t;
  t.param = std::string(path.substr(0, dot));
  if (dot != path.npos) t.input = std::string(path.substr(dot + 1));
  return t;
}

std::vector<InputTarget> targetsOf(const Node& n, std::string_view input) {
  if (const NamedInput* named = namedInput(n, input)) return named->sets;
  return {split(input)};
}

const Node* nodeOf(const Document& doc, const Node& shared, const InputTarget& t) {
  return t.node ? doc.find(t.node) : &shared;
}

// The use in a parameter that refers to one shared thing.
Reference used(const Params& p, const std::string& param) {
  if (const auto use = p.pattern(param)) return use->pattern;
  const ParamDef* d = p.node().kind->param(param);
  return d && d->type == ParamType::Reference ? p.reference(param) : Reference{};
}

// `steps` are left: inputs may lead in circles.
const ParamDef* definition(const Document& doc, const Node& shared, std::string_view input, int& steps) {
  if (--steps < 0) return nullptr;
  for (const InputTarget& t : targetsOf(shared, input)) {
    const Node* n = nodeOf(doc, shared, t);
    if (!n || !n->kind->param(t.param)) continue;
    if (t.input.empty()) return n->kind->param(t.param);
    const Node* next = doc.find(used(Params(*n, 0), t.param).target);
    if (!next || !takesOverrides(*next)) continue;
    if (const ParamDef* d = definition(doc, *next, t.input, steps)) return d;
  }
  return nullptr;
}

// Calls f on every use in a value, those in overrides too; true if one was changed.
bool eachUse(Value& v, const std::function<bool(Reference&)>& f);
bool eachUse(Reference& r, const std::function<bool(Reference&)>& f) {
  bool changed = false;
  if (r.with) {
    Overrides with = *r.with;
    for (auto& [input, value] : with) changed |= eachUse(value, f);
    if (changed) r.with = std::make_shared<const Overrides>(std::move(with));
  }
  return f(r) || changed;
}
bool eachUse(Constant& c, const std::function<bool(Reference&)>& f) {
  bool changed = false;
  if (auto* r = std::get_if<Reference>(&c)) changed = eachUse(*r, f);
  if (auto* list = std::get_if<std::vector<Reference>>(&c))
    for (Reference& r : *list) changed |= eachUse(r, f);
  return changed;
}
bool eachUse(Value& v, const std::function<bool(Reference&)>& f) {
  bool changed = false;
  if (auto* c = std::get_if<Constant>(&v.v)) return eachUse(*c, f);
  if (auto* p = std::get_if<PatternUse>(&v.v)) return eachUse(p->pattern, f);
  if (auto* k = std::get_if<Keys>(&v.v))
    for (Key& key : k->keys) changed |= eachUse(key.value, f);
  return changed;
}

void checkName(const std::string& name) {
  if (name.empty() || name.find_first_of(".,[]\n\t=") != std::string::npos)
    throw badInput(
        fmt::format("{}: the name of an input is text without dots, commas, = or square brackets", quotation(name)));
}

bool uses(const Value& v, NodeId target) {
  if (const PatternUse* p = v.pattern()) return p->pattern.target == target;
  const Constant* c = v.constant();
  const auto* r = c ? std::get_if<Reference>(c) : nullptr;
  return r && r->target == target;
}

// What stands for others by the roles of an effect.
bool names(const Node& n, NodeId thing) {
  return std::any_of(n.kind->params.begin(), n.kind->params.end(), [&](const ParamDef& d) {
    const Value* v = d.type == ParamType::References ? n.find(d.name) : nullptr;
    if (!v) return false;
    bool found = false;
    Value looked = *v;
    eachUse(looked, [&](Reference& r) {
      found |= r.target == thing;
      return false;
    });
    return found;
  });
}

void collectPlaces(const Document& doc, const Node& n, const std::string& param, const std::string& input,
                   std::vector<InputPlace>& out, int depth) {
  if (depth > deepest) return;
  const auto add = [&](const Node& owner, const InputTarget& t) {
    const bool known =
        std::any_of(out.begin(), out.end(), [&](const InputPlace& p) { return p.owner == owner.id && p.target == t; });
    if (!known) out.push_back({owner.id, t});
    return !known;
  };
  // The thing itself, or what holds it as a part.
  const Node* owner = &n;
  while (owner && !takesOverrides(*owner) && owner->parent) owner = doc.find(owner->parent);
  const bool shared = owner && takesOverrides(*owner);
  if (shared && !add(*owner, {owner == &n ? 0 : n.id, param, input})) return;
  for (const NodePtr& other : doc.nodes()) {
    // What stands for others, or switches them.
    if (!other->kind->standsFor.empty() || !other->kind->switches.empty()) {
      if (names(*other, n.id) || (shared && names(*other, owner->id))) add(*other, {n.id, param, input});
      continue;
    }
    if (!shared) continue;
    for (const auto& [name, value] : other->values) {
      if (!uses(value, owner->id)) continue;
      const NamedInput* named = nullptr;
      for (const NamedInput& i : owner->inputs)
        if (std::find(i.sets.begin(), i.sets.end(), InputTarget{owner == &n ? 0 : n.id, param, input}) != i.sets.end())
          named = &i;
      // Inside a part it has no path of its own: only a name leads there.
      if (!named && owner != &n) continue;
      const std::string way = named ? named->name : input.empty() ? param : param + '.' + input;
      if (takesOverrides(*other) || other->parent) collectPlaces(doc, *other, name, way, out, depth + 1);
    }
  }
}

} // namespace

bool takesOverrides(const Node& n) { return n.kind->family() == "pattern" || n.kind->family() == "material"; }

const NamedInput* namedInput(const Node& n, std::string_view name) {
  const auto it = std::find_if(n.inputs.begin(), n.inputs.end(), [&](const NamedInput& i) { return i.name == name; });
  return it == n.inputs.end() ? nullptr : &*it;
}

const ParamDef* inputDefinition(const Document& doc, const Node& shared, std::string_view input) {
  int steps = mostSteps;
  return definition(doc, shared, input, steps);
}

static Value valueOf(const Document& doc, const Node& shared, const Overrides* with, std::string_view input,
                     int depth) {
  const Params p(shared, 0, with);
  if (with)
    if (const auto it = with->find(std::string(input)); it != with->end()) return it->second;
  for (const InputTarget& t : targetsOf(shared, input)) {
    const Node* n = nodeOf(doc, shared, t);
    const ParamDef* d = n ? n->kind->param(t.param) : nullptr;
    if (!d) continue;
    const Params there = n == &shared ? p : p.inside(*n);
    if (t.input.empty()) {
      const Value* v = there.stored(t.param);
      return v ? *v : Value(d->initial);
    }
    const Reference r = used(there, t.param);
    const Node* next = doc.find(r.target);
    if (next && depth < deepest && inputDefinition(doc, *next, t.input))
      return valueOf(doc, *next, r.with.get(), t.input, depth + 1);
  }
  throw badInput(fmt::format("{}: has no input {}", shared.name, quotation(input)));
}

Value inputValue(const Document& doc, const Node& shared, const Overrides* with, std::string_view input) {
  return valueOf(doc, shared, with, input, 0);
}

Document setInput(const Document& doc, NodeId id, std::string_view input, const Value& value) {
  const Node& n = need(doc, id);
  if (!inputDefinition(doc, n, input)) {
    std::vector<std::string> words;
    for (const NamedInput& i : n.inputs) words.push_back(i.name);
    const std::string near = nearestWord(input, words);
    throw badInput(fmt::format("{}: has no input {}{}", n.name, quotation(input),
                               near.empty() ? "" : fmt::format("; the nearest is {}", quotation(near))));
  }
  Document out = doc;
  for (const InputTarget& t : targetsOf(n, input)) {
    const NodeId at = t.node ? t.node : id;
    const Node* there = out.find(at);
    if (!there || !there->kind->param(t.param)) continue;
    if (t.input.empty()) {
      out = setValue(out, at, t.param, value);
      continue;
    }
    const Node* next = out.find(used(Params(*there, 0), t.param).target);
    if (next && inputDefinition(out, *next, t.input)) out = setOverride(out, at, t.param, 0, t.input, &value);
  }
  return out;
}

Document setInputs(const Document& doc, NodeId id, std::vector<NamedInput> inputs) {
  const Node& before = need(doc, id);
  Node copy = before;
  copy.inputs = std::move(inputs);
  DocumentBuilder b(doc);
  b.put(copy);
  Document out = b.take();
  for (size_t i = 0; i < copy.inputs.size(); ++i) {
    const NamedInput& in = copy.inputs[i];
    // What was there already may rest: what it set can come back.
    const NamedInput* was = namedInput(before, in.name);
    if (was && *was == in) continue;
    checkName(in.name);
    if (std::any_of(copy.inputs.begin(), copy.inputs.begin() + std::ptrdiff_t(i),
                    [&](const NamedInput& other) { return other.name == in.name; }))
      throw badInput(fmt::format("{}: has an input {} already", copy.name, quotation(in.name)));
    const ParamDef* first = inputDefinition(out, copy, in.name);
    if (!first)
      throw badInput(fmt::format("{}: the input {} sets nothing that there is", copy.name, quotation(in.name)));
    for (const InputTarget& t : in.sets) {
      if (was && std::find(was->sets.begin(), was->sets.end(), t) != was->sets.end()) continue;
      Node one = copy;
      one.inputs = {{"it", {t}}};
      const ParamDef* d = inputDefinition(out, one, "it");
      if (!d)
        throw badInput(fmt::format("{}: the input {} sets {}, which there is not", copy.name, quotation(in.name),
                                   quotation(inputText(t))));
      if (d->initial.index() != first->initial.index() || d->unit != first->unit)
        throw badInput(fmt::format("{}: {} and {} are not of one kind: one input cannot set both", copy.name,
                                   first->label, d->label));
    }
  }
  return out;
}

Document addInput(const Document& doc, NodeId id, std::string_view name, const InputTarget& target) {
  std::vector<NamedInput> inputs = need(doc, id).inputs;
  const auto it = std::find_if(inputs.begin(), inputs.end(), [&](const NamedInput& i) { return i.name == name; });
  if (it == inputs.end())
    inputs.push_back({std::string(name), {target}});
  else if (std::find(it->sets.begin(), it->sets.end(), target) == it->sets.end())
    it->sets.push_back(target);
  return setInputs(doc, id, std::move(inputs));
}

Document renameInput(const Document& doc, NodeId id, std::string_view before, std::string_view after) {
  const Node& n = need(doc, id);
  if (!namedInput(n, before)) throw badInput(fmt::format("{}: has no input {}", n.name, quotation(before)));
  std::vector<NamedInput> inputs = n.inputs;
  if (after.empty())
    std::erase_if(inputs, [&](const NamedInput& i) { return i.name == before; });
  else
    for (NamedInput& i : inputs)
      if (i.name == before) i.name = std::string(after);
  if (!after.empty()) {
    checkName(std::string(after));
    if (after != before && namedInput(n, after))
      throw badInput(fmt::format("{}: has an input {} already", n.name, quotation(after)));
  }
  Node renamed = n;
  renamed.inputs = std::move(inputs);
  DocumentBuilder b(doc);
  b.put(std::move(renamed));
  const std::string from(before);
  const auto follow = [&](Reference& r) {
    if (r.target != id || !r.with || !r.with->count(from)) return false;
    Overrides with = *r.with;
    auto held = with.extract(from);
    if (!after.empty()) {
      held.key() = std::string(after);
      with.insert(std::move(held));
    }
    r.with = with.empty() ? nullptr : std::make_shared<const Overrides>(std::move(with));
    return true;
  };
  for (const NodePtr& other : std::vector<NodePtr>(b.peek().nodes())) {
    Node copy = *other;
    bool changed = false;
    for (auto& [param, value] : copy.values) changed |= eachUse(value, follow);
    // What passes it on names it too.
    for (NamedInput& i : copy.inputs)
      for (InputTarget& t : i.sets) {
        if (t.input != before) continue;
        const Node* holder = t.node ? b.peek().find(t.node) : other.get();
        if (!holder || !holder->find(t.param) || !uses(*holder->find(t.param), id)) continue;
        if (!after.empty()) t.input = std::string(after);
        changed = true;
      }
    if (after.empty() && changed)
      for (NamedInput& i : copy.inputs)
        std::erase_if(i.sets, [&](const InputTarget& t) {
          const Node* holder = t.node ? b.peek().find(t.node) : other.get();
          return t.input == before && holder && holder->find(t.param) && uses(*holder->find(t.param), id);
        });
    std::erase_if(copy.inputs, [](const NamedInput& i) { return i.sets.empty(); });
    if (changed) b.put(std::move(copy));
  }
  return b.take();
}

std::vector<InputPlace> inputPlaces(const Document& doc, const Address& a) {
  std::vector<InputPlace> out;
  const Node* n = doc.find(a.node);
  if (n && n->kind->param(a.param)) collectPlaces(doc, *n, a.param, a.input, out, 0);
  return out;
}

bool isUsed(const Document& doc, NodeId thing) {
  for (const NodePtr& n : doc.nodes())
    for (const auto& [param, value] : n->values) {
      bool found = false;
      Value looked = value;
      eachUse(looked, [&](Reference& use) {
        found |= use.target == thing;
        return false;
      });
      if (found) return true;
    }
  return false;
}

std::vector<Address> drivenAt(const Document& doc, NodeId pattern) {
  std::vector<Address> out;
  for (const Node* n : doc.inOrder())
    for (const auto& [param, value] : n->values) {
      const auto overridden = [&](const Reference& r, size_t index) {
        if (r.with)
          for (const auto& [input, v] : *r.with)
            if (v.pattern() && v.pattern()->pattern.target == pattern) out.push_back({n->id, param, index, input});
      };
      if (const PatternUse* p = value.pattern()) {
        if (p->pattern.target == pattern) out.push_back({n->id, param, 0, {}});
        overridden(p->pattern, 0);
      }
      const Constant* c = value.constant();
      if (const auto* r = c ? std::get_if<Reference>(c) : nullptr) overridden(*r, 0);
      if (const auto* list = c ? std::get_if<std::vector<Reference>>(c) : nullptr)
        for (size_t i = 0; i < list->size(); ++i) overridden((*list)[i], i);
    }
  return out;
}

Reference useAt(const Document& doc, const Address& a) {
  const Node* n = doc.find(a.node);
  if (!n || !n->kind->param(a.param)) return {};
  const Params p(*n, 0);
  if (n->kind->param(a.param)->type != ParamType::References) return used(p, a.param);
  const auto list = p.references(a.param);
  return a.index < list.size() ? list[a.index] : Reference{};
}

std::vector<std::string> shownInputs(const Document& doc, const Address& use) {
  const Reference r = useAt(doc, use);
  const Node* shared = doc.find(r.target);
  std::vector<std::string> out;
  if (!shared) return out;
  for (const NamedInput& i : shared->inputs)
    if (inputDefinition(doc, *shared, i.name)) out.push_back(i.name);
  if (r.with)
    for (const auto& [input, value] : *r.with)
      if (std::find(out.begin(), out.end(), input) == out.end() && inputDefinition(doc, *shared, input))
        out.push_back(input);
  return out;
}

std::optional<std::string> namedInputAt(const Document& doc, const Address& a) {
  for (const InputPlace& place : inputPlaces(doc, a))
    for (const NamedInput& i : doc.find(place.owner)->inputs)
      if (std::find(i.sets.begin(), i.sets.end(), place.target) != i.sets.end()) return i.name;
  return {};
}

const Node* copiedFrom(const Document& doc, const Node& copy) {
  const Node* found = nullptr;
  for (const NodePtr& n : doc.nodes())
    if (n->kind == copy.kind && n->id != copy.id && copy.name.starts_with(n->name + " of ") &&
        (!found || n->name.size() > found->name.size()))
      found = n.get();
  return found;
}

Document joinAgain(const Document& doc, NodeId id, const std::string& param) {
  const Node& n = need(doc, id);
  const Node& copy = need(doc, useAt(doc, {id, param, 0, {}}).target);
  const Node* from = copiedFrom(doc, copy);
  if (!from) throw badInput(fmt::format("{}: {} was copied from nothing that is there", n.name, copy.name));
  const Reference r{from->id, nullptr};
  Document out =
      n.find(param)->pattern() ? setValue(doc, id, param, PatternUse{r}) : setValue(doc, id, param, Constant(r));
  if (isUsed(out, copy.id)) return out;
  return removeNode(out, copy.id);
}

std::string inputText(const InputTarget& t) {
  return (t.node ? fmt::format("{}.", t.node) : "") + t.param + (t.input.empty() ? "" : '.' + t.input);
}

InputTarget inputTarget(std::string_view text) {
  NodeId node = 0;
  if (const size_t dot = text.find('.');
      dot != text.npos && dot > 0 && dot < 10 && text.substr(0, dot).find_first_not_of("0123456789") == text.npos) {
    node = NodeId(std::stoul(std::string(text.substr(0, dot))));
    text.remove_prefix(dot + 1);
  }
  InputTarget t = split(text);
  t.node = node;
  return t;
}

} // namespace ilumbra
