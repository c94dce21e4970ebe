#include "core/document/edit.h"

#include "core/base/error.h"
#include "core/document/inputs.h"
#include "core/document/lookup.h"
#include "core/document/mover.h"
#include "core/document/units.h"
#include "core/document/words.h"

#include <cmath>
#include <fmt/format.h>
#include <set>
#include <utility>

namespace ilumbra {
namespace {

void checkNumber(const ParamDef& def, double v, const std::string& place) {
  if (!std::isfinite(v)) throw badInput(place + ": not a finite number");
  if (v < def.hardMin)
    throw badInput(
        fmt::format("{}: {} is below the least, {}", place, formatNumber(def, v), formatNumber(def, def.hardMin)));
  if (v > def.hardMax)
    throw badInput(
        fmt::format("{}: {} is above the most, {}", place, formatNumber(def, v), formatNumber(def, def.hardMax)));
  if (def.type == ParamType::Integer && v != std::round(v))
    throw badInput(fmt::format("{}: {} is not a whole number", place, v));
}

void checkReference(const Document& doc, const ParamDef& def, const Reference& r, const std::string& place) {
  if (!r.target) return;
  const Node* n = doc.find(r.target);
  if (!n) throw badInput(fmt::format("{}: refers to thing {}, which does not exist", place, r.target));
  if (!accepted(def.accepts, n->kind->id))
    throw badInput(fmt::format("{}: {} is a {}, which does not go here", place, n->name, n->kind->label));
  if (r.with)
    for (const auto& [input, value] : *r.with) {
      // What fits no input (any more) rests: what drives a parameter may have been exchanged.
      const ParamDef* d = inputDefinition(doc, *n, input);
      const Constant* c = value.constant();
      if (d && (!c || c->index() == d->initial.index())) checkValue(doc, *d, value, place + "." + input);
    }
}

void checkConstant(const Document& doc, const ParamDef& def, const Constant& c, const std::string& place) {
  const auto wrong = [&](const char* wanted) { return badInput(fmt::format("{}: not {}", place, wanted)); };
  switch (def.type) {
  case ParamType::Number:
  case ParamType::Integer:
    if (!std::holds_alternative<double>(c)) throw wrong("a number");
    checkNumber(def, std::get<double>(c), place);
    break;
  case ParamType::Flag:
    if (!std::holds_alternative<bool>(c)) throw wrong("a switch (true or false)");
    break;
  case ParamType::Choice: {
    const auto* s = std::get_if<std::string>(&c);
    if (!s || std::find(def.choices.begin(), def.choices.end(), *s) == def.choices.end())
      throw badInput(
          fmt::format("{}: {}is none of: {}", place, s ? "\"" + *s + "\" " : "", fmt::join(def.choices, ", ")));
    break;
  }
  case ParamType::Color:
  case ParamType::Vector: {
    const auto* t = std::get_if<Triple>(&c);
    if (!t) throw wrong("three numbers");
    for (const double v : *t) checkNumber(def, v, place);
    break;
  }
  case ParamType::Text:
  case ParamType::File:
    if (!std::holds_alternative<std::string>(c)) throw wrong("text");
    break;
  case ParamType::Reference:
    if (!std::holds_alternative<Reference>(c)) throw wrong("a reference");
    checkReference(doc, def, std::get<Reference>(c), place);
    break;
  case ParamType::References: {
    const auto* list = std::get_if<std::vector<Reference>>(&c);
    if (!list) throw wrong("a list of references");
    std::set<NodeId> seen;
    for (size_t i = 0; i < list->size(); ++i) {
      checkReference(doc, def, (*list)[i], fmt::format("{}[{}]", place, i + 1));
      if (!seen.insert((*list)[i].target).second) throw badInput(fmt::format("{}[{}]: named twice", place, i + 1));
    }
    break;
  }
  }
}

void detach(DocumentBuilder& b, const Node& n) {
  if (!n.parent) {
    std::erase(b.roots(), n.id);
    return;
  }
  if (const Node* p = b.peek().find(n.parent)) {
    Node copy = *p;
    for (auto it = copy.children.begin(); it != copy.children.end();) {
      std::erase(it->second, n.id);
      it = it->second.empty() ? copy.children.erase(it) : std::next(it);
    }
    b.put(std::move(copy));
  }
}

void attach(DocumentBuilder& b, NodeId id, const Place& place) {
  const auto insert = [&](std::vector<NodeId>& list) {
    list.insert(list.begin() + ptrdiff_t(std::min(place.index, list.size())), id);
  };
  if (!place.parent) return insert(b.roots());
  Node copy = *b.peek().find(place.parent);
  insert(copy.children[place.slot]);
  b.put(std::move(copy));
}

void checkPlace(const Document& doc, const Kind& kind, const Place& place) {
  if (!place.parent) return;
  const Node& p = need(doc, place.parent);
  const ChildSlot* s = p.kind->slot(place.slot);
  if (!s) throw badInput(fmt::format("{}: a {} has no place \"{}\"", p.name, p.kind->label, place.slot));
  if (!accepted(s->accepts, kind.id))
    throw badInput(fmt::format("{}.{}: a {} does not go here", p.name, place.slot, kind.label));
}

// Takes what is gone out of a use, and out of what it overrides. True if anything was.
bool dropTargets(Reference& r, const std::set<NodeId>& gone) {
  bool changed = false;
  if (r.with) {
    Overrides kept;
    for (auto [input, value] : *r.with) {
      Reference* use = nullptr;
      if (auto* p = std::get_if<PatternUse>(&value.v)) use = &p->pattern;
      if (auto* c = std::get_if<Constant>(&value.v)) use = std::get_if<Reference>(c);
      const bool was = use && use->target;
      changed |= use && dropTargets(*use, gone);
      if (!was || use->target) kept.emplace(input, std::move(value));
    }
    if (changed) r.with = kept.empty() ? nullptr : std::make_shared<const Overrides>(std::move(kept));
  }
  if (gone.count(r.target)) {
    r = {};
    changed = true;
  }
  return changed;
}

// The same of a constant; `empty` is set for what refers to nothing (any more).
bool dropTargets(Constant& c, const std::set<NodeId>& gone, bool& empty) {
  bool changed = false;
  if (auto* r = std::get_if<Reference>(&c)) {
    changed = dropTargets(*r, gone);
    empty = !r->target;
  } else if (auto* list = std::get_if<std::vector<Reference>>(&c)) {
    for (Reference& entry : *list) changed |= dropTargets(entry, gone);
    std::erase_if(*list, [](const Reference& entry) { return !entry.target; });
    empty = list->empty();
  }
  return changed;
}

} // namespace

void checkValue(const Document& doc, const ParamDef& def, const Value& value, const std::string& place) {
  if (const Constant* c = value.constant()) return checkConstant(doc, def, *c, place);
  if (const Keys* k = value.keys()) {
    if (!def.keyable) throw badInput(place + ": cannot have keys");
    if (k->keys.empty()) throw badInput(place + ": keys without a key");
    for (size_t i = 0; i < k->keys.size(); ++i) {
      const std::string at = fmt::format("{}, key {}", place, i + 1);
      if (!std::isfinite(k->keys[i].frame)) throw badInput(at + ": its frame is not a finite number");
      if (i && k->keys[i].frame <= k->keys[i - 1].frame) throw badInput(at + ": not later than the key before it");
      checkConstant(doc, def, k->keys[i].value, at);
    }
    return;
  }
  if (const Moved* m = value.moved()) {
    if (const Keys* k = std::get_if<Keys>(&m->rest))
      checkValue(doc, def, *k, place);
    else
      checkConstant(doc, def, std::get<Constant>(m->rest), place);
    return checkMovers(*m, def, place);
  }
  const PatternUse* p = value.pattern();
  if (!def.patternable) throw badInput(place + ": cannot be driven by a pattern");
  const Node* n = doc.find(p->pattern.target);
  if (!n) throw badInput(fmt::format("{}: refers to pattern {}, which does not exist", place, p->pattern.target));
  if (n->kind->family() != "pattern")
    throw badInput(fmt::format("{}: {} is a {}, not a pattern", place, n->name, n->kind->label));
}

Document setValue(const Document& doc, NodeId id, std::string_view param, const Value& value) {
  const Node& n = need(doc, id);
  const ParamDef& d = needParam(n, param);
  checkValue(doc, d, value, n.name + "." + d.name);
  Node copy = n;
  if (value == Value(d.initial))
    copy.values.erase(d.name);
  else
    copy.values[d.name] = value;
  DocumentBuilder b(doc);
  b.put(std::move(copy));
  return b.take();
}

Document resetValue(const Document& doc, NodeId id, std::string_view param) {
  return setValue(doc, id, param, needParam(need(doc, id), param).initial);
}

Document setOverride(const Document& doc, NodeId id, std::string_view param, size_t index, std::string_view input,
                     const Value* value) {
  const Node& n = need(doc, id);
  const ParamDef& d = needParam(n, param);
  const Params p(n, 0);
  const auto change = [&](Reference& r) {
    const Node* shared = doc.find(r.target);
    if (!shared) throw badInput(fmt::format("{}.{}: refers to nothing yet", n.name, d.name));
    Overrides with = r.with ? *r.with : Overrides();
    if (value) {
      const ParamDef* in = inputDefinition(doc, *shared, input);
      if (!in) throw badInput(fmt::format("{}.{}: {} has no input \"{}\"", n.name, d.name, shared->name, input));
      checkValue(doc, *in, *value, fmt::format("{}.{}.{}", n.name, d.name, input));
      with[std::string(input)] = *value;
    } else {
      with.erase(std::string(input));
    }
    r.with = with.empty() ? nullptr : std::make_shared<const Overrides>(std::move(with));
  };
  if (const Value* v = n.find(param); v && v->pattern()) {
    Reference r = v->pattern()->pattern;
    change(r);
    return setValue(doc, id, param, PatternUse{r});
  }
  if (d.type == ParamType::Reference) {
    Reference r = p.reference(param);
    change(r);
    return setValue(doc, id, param, Constant(r));
  }
  if (d.type == ParamType::References) {
    if (const Value* v = n.find(param); v && v->keys())
      throw badInput(fmt::format(
          "{}.{}: has keys, so what one use sets for itself has no place in it; let it hold first", n.name, d.name));
    std::vector<Reference> list = p.references(param);
    if (index >= list.size())
      throw badInput(fmt::format("{}.{}[{}]: there is no such entry", n.name, d.name, index + 1));
    change(list[index]);
    return setValue(doc, id, param, Constant(list));
  }
  throw badInput(fmt::format("{}.{}: is not a reference", n.name, d.name));
}

Document ownCopy(const Document& doc, NodeId id, std::string_view param, NodeId* made) {
  const Node& n = need(doc, id);
  const Value* v = n.find(param);
  const bool driven = v && v->pattern();
  const Reference r = driven ? v->pattern()->pattern : Params(n, 0).reference(param);
  const Node& shared = need(doc, r.target);
  NodeId copyId = 0;
  Document d = duplicate(doc, r.target, &copyId);
  if (r.with)
    for (const auto& [input, value] : *r.with)
      if (inputDefinition(d, *d.find(copyId), input)) d = setInput(d, copyId, input, value);
  d = rename(d, copyId, d.freeName(shared.name + " of " + n.name));
  if (made) *made = copyId;
  const Reference own{copyId, nullptr};
  return driven ? setValue(d, id, param, PatternUse{own}) : setValue(d, id, param, Constant(own));
}

Document addNode(const Document& doc, std::string_view kindId, std::string_view name, const Place& place,
                 NodeId* made) {
  const Kind* kind = doc.kinds().find(kindId);
  if (!kind) throw badInput(fmt::format("there is no kind {}", quotation(kindId)));
  if (kind->id == "picture.settings") throw badInput("a document has one picture only");
  checkPlace(doc, *kind, place);
  DocumentBuilder b(doc);
  Node n;
  n.id = b.takeId();
  n.kind = kind;
  n.name = doc.freeName(name.empty() ? kind->label : name);
  n.parent = place.parent;
  if (made) *made = n.id;
  const NodeId id = n.id;
  b.put(std::move(n));
  attach(b, id, place);
  return b.take();
}

Document removeNode(const Document& doc, NodeId id) {
  const Node& n = need(doc, id);
  if (n.kind->id == "picture.settings") throw badInput("the picture's settings cannot be removed");
  const std::vector<NodeId> tree = treeOf(doc, id);
  const std::set<NodeId> gone(tree.begin(), tree.end());
  DocumentBuilder b(doc);
  detach(b, n);
  for (const NodeId g : tree) b.erase(g);
  const std::vector<NodePtr> nodes = b.peek().nodes();
  for (const NodePtr& other : nodes) {
    Node copy = *other;
    bool changed = false;
    for (auto it = copy.values.begin(); it != copy.values.end();) {
      Value& held = it->second;
      bool drop = false;
      if (auto* p = std::get_if<PatternUse>(&held.v)) {
        changed |= dropTargets(p->pattern, gone);
        drop = !p->pattern.target;
      }
      if (auto* c = std::get_if<Constant>(&held.v)) changed |= dropTargets(*c, gone, drop);
      if (auto* k = std::get_if<Keys>(&held.v)) {
        bool all = !k->keys.empty(); // a list of nothing at one of them says something
        for (Key& key : k->keys) {
          bool empty = false;
          changed |= dropTargets(key.value, gone, empty);
          all &= empty;
        }
        drop = all;
      }
      changed |= drop;
      it = drop ? copy.values.erase(it) : std::next(it);
    }
    for (NamedInput& i : copy.inputs)
      changed |= std::erase_if(i.sets, [&](const InputTarget& t) { return gone.count(t.node) > 0; }) > 0;
    std::erase_if(copy.inputs, [](const NamedInput& i) { return i.sets.empty(); });
    if (changed) b.put(std::move(copy));
  }
  return b.take();
}

Document rename(const Document& doc, NodeId id, std::string_view name) {
  const Node& n = need(doc, id);
  if (name.empty()) throw badInput(n.name + ": a name cannot be empty");
  if (name.find_first_of(".[],\n\t") != std::string_view::npos)
    throw badInput(fmt::format("{}: a name cannot have a dot, a comma or square brackets", quotation(name)));
  const Node* other = doc.findByName(name);
  if (other && other->id != id) throw badInput(fmt::format("{}: another thing has this name", quotation(name)));
  Node copy = n;
  copy.name = name;
  DocumentBuilder b(doc);
  b.put(std::move(copy));
  return b.take();
}

Document moveNode(const Document& doc, NodeId id, const Place& place) {
  const Node& n = need(doc, id);
  checkPlace(doc, *n.kind, place);
  const std::vector<NodeId> tree = treeOf(doc, id);
  if (std::find(tree.begin(), tree.end(), place.parent) != tree.end())
    throw badInput(n.name + ": cannot stand inside itself");
  DocumentBuilder b(doc);
  detach(b, n);
  Node copy = n;
  copy.parent = place.parent;
  b.put(std::move(copy));
  attach(b, id, place);
  return b.take();
}

static NodeId copyTree(DocumentBuilder& b, const Document& doc, NodeId id, NodeId parent,
                       std::map<NodeId, NodeId>& made) {
  Node copy = *doc.find(id);
  copy.id = b.takeId();
  copy.name = b.peek().freeName(copy.name);
  copy.parent = parent;
  made[id] = copy.id;
  const auto children = std::exchange(copy.children, {});
  b.put(copy);
  for (const auto& [slot, list] : children)
    for (const NodeId c : list) copy.children[slot].push_back(copyTree(b, doc, c, copy.id, made));
  for (NamedInput& i : copy.inputs)
    for (InputTarget& t : i.sets)
      if (const auto it = made.find(t.node); it != made.end()) t.node = it->second;
  const NodeId own = copy.id;
  b.put(std::move(copy));
  return own;
}

Document duplicate(const Document& doc, NodeId id, NodeId* made) {
  const Node& n = need(doc, id);
  if (n.kind->id == "picture.settings") throw badInput("the picture's settings cannot be copied");
  DocumentBuilder b(doc);
  std::map<NodeId, NodeId> copies;
  const NodeId copy = copyTree(b, doc, id, n.parent, copies);
  Place place{n.parent, "", size_t(-1)};
  const std::vector<NodeId>* siblings = &doc.roots();
  if (n.parent)
    for (const auto& [slot, list] : doc.find(n.parent)->children)
      if (std::find(list.begin(), list.end(), id) != list.end()) {
        place.slot = slot;
        siblings = &list;
      }
  place.index = size_t(std::find(siblings->begin(), siblings->end(), id) - siblings->begin()) + 1;
  attach(b, copy, place);
  if (made) *made = copy;
  return b.take();
}

std::vector<std::string> problems(const Document& doc) {
  std::vector<std::string> found;
  std::set<std::string_view> names;
  for (const NodePtr& n : doc.nodes()) {
    if (!names.insert(n->name).second) found.push_back(n->name + ": two things have this name");
    for (const auto& [name, value] : n->values) {
      const ParamDef* d = n->kind->param(name);
      if (!d) continue;
      try {
        checkValue(doc, *d, value, n->name + "." + name);
      } catch (const Error& e) {
        found.emplace_back(e.what());
      }
    }
  }
  return found;
}

Document atFrame(const Document& doc, double frame) {
  return setValue(doc, doc.settings().id, "frame", Constant(frame));
}

} // namespace ilumbra
