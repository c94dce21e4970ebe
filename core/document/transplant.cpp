#include "core/document/transplant.h"

#include "core/base/error.h"
#include "core/document/file.h"

#include <fmt/format.h>
#include <set>

namespace ilumbra {
namespace {

// Calls f(reference) for every reference that a value holds, overrides of uses too.
template <typename F> void forReferences(const Value& v, const F& f);

template <typename F> void forReference(const Reference& r, const F& f) {
  f(r);
  if (r.with)
    for (const auto& [input, value] : *r.with) forReferences(value, f);
}
template <typename F> void forConstant(const Constant& c, const F& f) {
  if (const Reference* r = std::get_if<Reference>(&c)) forReference(*r, f);
  if (const auto* list = std::get_if<std::vector<Reference>>(&c))
    for (const Reference& r : *list) forReference(r, f);
}
template <typename F> void forReferences(const Value& v, const F& f) {
  if (const Constant* c = v.constant()) forConstant(*c, f);
  if (const Keys* k = v.keys())
    for (const Key& key : k->keys) forConstant(key.value, f);
  if (const PatternUse* p = v.pattern()) forReference(p->pattern, f); // what moves refers to nothing
}

using Ids = std::map<NodeId, NodeId>;
Value mapped(const Value& v, const Ids& ids);

Reference mapped(const Reference& r, const Ids& ids) {
  Reference out;
  const auto it = ids.find(r.target);
  if (it == ids.end()) return out;
  out.target = it->second;
  if (r.with) {
    Overrides with;
    for (const auto& [input, value] : *r.with) with.emplace(input, mapped(value, ids));
    out.with = std::make_shared<const Overrides>(std::move(with));
  }
  return out;
}
Constant mappedConstant(const Constant& c, const Ids& ids) {
  if (const Reference* r = std::get_if<Reference>(&c)) return mapped(*r, ids);
  if (const auto* list = std::get_if<std::vector<Reference>>(&c)) {
    std::vector<Reference> out;
    for (const Reference& r : *list)
      if (ids.count(r.target)) out.push_back(mapped(r, ids)); // what stays behind leaves no gap
    return out;
  }
  return c;
}
Value mapped(const Value& v, const Ids& ids) {
  if (const Constant* c = v.constant()) return mappedConstant(*c, ids);
  if (const Keys* k = v.keys()) {
    Keys out = *k;
    for (Key& key : out.keys) key.value = mappedConstant(key.value, ids);
    return out;
  }
  if (v.moved()) return v;
  return PatternUse{mapped(v.pattern()->pattern, ids)};
}

using GoesAlong = std::function<bool(const Node&)>;

// A thing, its children, and what they use, each once. What is no look goes along where `goesAlong` says so, and else
// stays behind; null: it is refused.
void gather(const Document& doc, NodeId id, std::vector<NodeId>& out, const Node& whole, const Ids& there,
            const GoesAlong* goesAlong = nullptr) {
  const auto in = [&](NodeId n) { return std::find(out.begin(), out.end(), n) != out.end(); };
  const Node* n = doc.find(id);
  if (!n || there.count(id) || in(id)) return;
  if (!out.empty() && goesAlong && (n->parent ? !in(n->parent) : !(*goesAlong)(*n))) return;
  if (!out.empty() && !goesAlong && !n->parent && !n->kind->shared)
    throw badInput(fmt::format("{}: uses {}, a {}, which cannot go along", whole.name, n->name, n->kind->label));
  out.push_back(id);
  for (const auto& [param, value] : n->values)
    forReferences(value, [&](const Reference& r) { gather(doc, r.target, out, whole, there, goesAlong); });
  for (const auto& [slot, list] : n->children)
    for (const NodeId c : list) gather(doc, c, out, whole, there, goesAlong);
}

// Puts things into another document; `ids` has what is there already, and receives the rest.
Document carried(const Document& to, const Document& from, const std::vector<NodeId>& all, Ids& ids) {
  DocumentBuilder b(to);
  std::set<std::string> names;
  for (const NodePtr& n : to.nodes()) names.insert(n->name);
  for (const NodeId id : all) ids[id] = b.takeId();
  const std::set<NodeId> coming(all.begin(), all.end());
  for (const NodeId id : all) {
    Node n = *from.find(id);
    n.id = ids[id];
    if (!names.insert(n.name).second) names.insert(n.name = b.peek().freeName(n.name));
    n.kind = to.kinds().find(n.kind->id);
    const bool inside = n.parent && coming.count(n.parent);
    n.parent = inside ? ids[n.parent] : 0;
    for (auto& [param, value] : n.values) value = mapped(value, ids);
    for (NamedInput& i : n.inputs)
      std::erase_if(i.sets, [&](InputTarget& t) {
        const auto it = ids.find(t.node);
        if (t.node && it != ids.end()) t.node = it->second;
        return t.node && it == ids.end(); // it stays behind
      });
    std::erase_if(n.inputs, [](const NamedInput& i) { return i.sets.empty(); });
    for (auto& [slot, list] : n.children)
      for (NodeId& c : list) c = ids.at(c);
    if (!inside) b.roots().push_back(n.id);
    b.put(std::move(n));
  }
  return b.take();
}

} // namespace

Document transplant(const Document& to, const Document& source, NodeId thing, NodeId* made,
                    const std::map<NodeId, NodeId>& there) {
  const Document from = movedBeside(source, to);
  const Node* whole = from.find(thing);
  if (!whole) throw badInput("there is no such thing");
  std::vector<NodeId> all;
  gather(from, thing, all, *whole, there);
  Ids ids = there;
  Document out = carried(to, from, all, ids);
  if (made) *made = ids[thing];
  return out;
}

Document merged(const Document& to, const Document& source, std::map<NodeId, NodeId>* made) {
  const Document from = movedBeside(source, to);
  std::vector<NodeId> all;
  for (const Node* n : from.inOrder())
    if (n->id != from.settings().id) all.push_back(n->id);
  Ids ids{{from.settings().id, to.settings().id}};
  Document out = carried(to, from, all, ids);
  if (made) *made = std::move(ids);
  return out;
}

// A document with nothing in it yet, where another one lies.
static Document emptyBeside(const Document& other) {
  DocumentBuilder b(Document::create(other.sharedKinds()));
  b.setFolder(other.folder());
  return b.take();
}

Document cutting(const Document& from, NodeId thing, const std::function<bool(const Node&)>& goesAlong) {
  const Node* whole = from.find(thing);
  if (!whole) throw badInput("there is no such thing");
  std::vector<NodeId> all;
  gather(from, thing, all, *whole, {}, &goesAlong);
  Ids ids;
  return carried(emptyBeside(from), from, all, ids);
}

Document cutting(const Document& from, NodeId thing) { return transplant(emptyBeside(from), from, thing); }

} // namespace ilumbra
