#include "core/document/difference.h"

#include "core/base/error.h"
#include "core/document/units.h"

#include <fmt/format.h>
#include <set>

namespace ilumbra {
namespace {

Value effective(const Node& n, const ParamDef& d) {
  const Value* v = n.find(d.name);
  return v ? *v : Value(d.initial);
}

bool uses(const Reference& r, NodeId pattern) {
  if (r.target == pattern) return true;
  if (r.with)
    for (const auto& [input, v] : *r.with)
      if (const PatternUse* p = v.pattern(); p && uses(p->pattern, pattern)) return true;
  return false;
}

// What shows through what uses it alone.
bool countsByUse(const Node& n) { return n.kind->family() == "pattern" || n.kind->family() == "zone"; }

// The dearest parameter that a pattern drives, directly, through another pattern, or in an override.
Invalidation patternInvalidation(const Document& doc, NodeId pattern, std::set<NodeId>& visited) {
  Invalidation stage = Invalidation::Display;
  if (!visited.insert(pattern).second) return stage;
  for (const NodePtr& n : doc.nodes())
    for (const auto& [name, value] : n->values) {
      const ParamDef* d = n->kind->param(name);
      bool used = false;
      if (const PatternUse* p = value.pattern()) used = uses(p->pattern, pattern);
      if (const Constant* c = value.constant()) {
        if (const auto* r = std::get_if<Reference>(c)) used = uses(*r, pattern);
        if (const auto* list = std::get_if<std::vector<Reference>>(c))
          for (const Reference& r : *list) used |= uses(r, pattern);
      }
      if (!used || !d) continue;
      stage = std::max(stage, countsByUse(*n) ? patternInvalidation(doc, n->id, visited) : d->stage);
    }
  return stage;
}

} // namespace

std::vector<Difference> differences(const Document& from, const Document& to) {
  using What = Difference::What;
  std::vector<Difference> out;
  for (const NodePtr& n : from.nodes())
    if (!to.find(n->id)) out.push_back({What::Removed, n->id, {}, n->name, {}, n->kind->existence, n->name});
  for (const NodePtr& n : to.nodes()) {
    const Node* before = from.find(n->id);
    if (before == n.get()) continue;
    if (!before || before->kind != n->kind) {
      out.push_back({What::Added, n->id, {}, {}, n->name, n->kind->existence, n->name});
      continue;
    }
    if (before->name != n->name)
      out.push_back({What::Renamed, n->id, {}, before->name, n->name, Invalidation::Display, n->name});
    if (before->parent != n->parent) out.push_back({What::Moved, n->id, {}, {}, {}, n->kind->existence, n->name});
    for (const ParamDef& d : n->kind->params) {
      const Value a = effective(*before, d), b = effective(*n, d);
      if (a == b) continue;
      Invalidation stage = d.stage;
      if (countsByUse(*n)) {
        std::set<NodeId> visited;
        stage = patternInvalidation(to, n->id, visited);
      }
      // What follows the parameter is redone as what it drives is.
      for (const Node* f : to.withRole("follows")) {
        const Params p(*f, 0);
        const std::string name = p.text("parameter");
        std::set<NodeId> visited;
        if (p.reference("of").target == n->id && (name == d.name || name == d.label))
          stage = std::max(stage, patternInvalidation(to, f->id, visited));
      }
      out.push_back({What::Changed, n->id, d.name, formatValue(from, d, a), formatValue(to, d, b), stage,
                     n->name + "." + d.name});
    }
    for (const ChildSlot& s : n->kind->slots) {
      const auto a = before->children.find(s.name), b = n->children.find(s.name);
      const bool has = a != before->children.end(), will = b != n->children.end();
      if (has != will || (has && a->second != b->second)) {
        // Additions and removals are told by themselves; what is left is a change of order.
        std::vector<NodeId> x, y;
        if (has)
          for (const NodeId c : a->second)
            if (will && std::count(b->second.begin(), b->second.end(), c)) x.push_back(c);
        if (will)
          for (const NodeId c : b->second)
            if (has && std::count(a->second.begin(), a->second.end(), c)) y.push_back(c);
        if (x != y) out.push_back({What::Moved, n->id, s.name, {}, {}, s.stage, n->name + "." + s.name});
      }
    }
  }
  std::vector<NodeId> x, y;
  for (const NodeId r : from.roots())
    if (to.find(r) && !to.find(r)->parent) x.push_back(r);
  for (const NodeId r : to.roots())
    if (from.find(r) && !from.find(r)->parent) y.push_back(r);
  for (size_t i = 0; i < std::min(x.size(), y.size()); ++i)
    if (x[i] != y[i]) {
      out.push_back({What::Moved, y[i], {}, {}, {}, to.find(y[i])->kind->existence, to.find(y[i])->name});
      break;
    }
  return out;
}

std::string describe(const Difference& d) {
  switch (d.what) {
  case Difference::What::Added:
    return d.place + ": added";
  case Difference::What::Removed:
    return d.place + ": removed";
  case Difference::What::Renamed:
    return fmt::format("{}: renamed to {}", d.before, d.after);
  case Difference::What::Moved:
    return d.place + ": moved";
  case Difference::What::Changed:
    break;
  }
  return fmt::format("{}: {} → {}", d.place, d.before, d.after);
}

// Where a thing goes in a list of siblings so that it follows the one that it follows in another list; siblings that
// are not there are passed over. Counted without the thing itself.
static size_t indexAfterNeighbour(const std::vector<NodeId>& there, std::vector<NodeId> here, NodeId node) {
  std::erase(here, node);
  auto it = std::find(there.begin(), there.end(), node);
  while (it != there.begin()) {
    --it;
    if (const auto at = std::find(here.begin(), here.end(), *it); at != here.end())
      return size_t(at - here.begin()) + 1;
  }
  return 0;
}

Document carryOver(const Document& onto, const Document& to, const Difference& d) {
  const Node* source = to.find(d.node);
  const Node* here = onto.find(d.node);
  const auto missing = [&] { return badInput(d.place + ": is not in this document any more"); };
  switch (d.what) {
  case Difference::What::Removed:
    if (!here) throw missing();
    return removeNode(onto, d.node);
  case Difference::What::Renamed:
    if (!here) throw missing();
    return rename(onto, d.node, d.after);
  case Difference::What::Changed: {
    if (!here || !source) throw missing();
    return setValue(onto, d.node, d.param, effective(*source, *source->kind->param(d.param)));
  }
  case Difference::What::Moved: {
    if (!here || !source) throw missing();
    Place place{source->parent, "", size_t(-1)};
    const std::vector<NodeId>* list = &to.roots();
    if (source->parent)
      for (const auto& [slot, ids] : to.find(source->parent)->children)
        if (std::find(ids.begin(), ids.end(), d.node) != ids.end()) {
          place.slot = slot;
          list = &ids;
        }
    const std::vector<NodeId>* siblings = &onto.roots();
    if (source->parent)
      if (const Node* p = onto.find(source->parent))
        if (const auto it = p->children.find(place.slot); it != p->children.end()) siblings = &it->second;
    place.index = indexAfterNeighbour(*list, *siblings, d.node);
    return moveNode(onto, d.node, place);
  }
  case Difference::What::Added: {
    if (!source) throw missing();
    if (here) throw badInput(d.place + ": is here already");
    Place place{onto.find(source->parent) ? source->parent : 0, "", size_t(-1)};
    if (place.parent)
      for (const auto& [slot, ids] : to.find(source->parent)->children)
        if (std::find(ids.begin(), ids.end(), d.node) != ids.end()) place.slot = slot;
    // The id is kept, so that later differences about it still find it.
    DocumentBuilder b(onto);
    Node copy = *source;
    copy.name = onto.freeName(source->name);
    copy.parent = place.parent;
    copy.children.clear();
    for (auto it = copy.values.begin(); it != copy.values.end();) {
      bool bad = false;
      try {
        checkValue(onto, *copy.kind->param(it->first), it->second, copy.name);
      } catch (const Error&) {
        bad = true;
      }
      it = bad ? copy.values.erase(it) : std::next(it);
    }
    b.put(copy);
    if (!place.parent)
      b.roots().insert(b.roots().begin() + ptrdiff_t(indexAfterNeighbour(to.roots(), onto.roots(), d.node)), d.node);
    Document made = b.take();
    return place.parent ? moveNode(made, d.node, place) : made;
  }
  }
  return onto;
}

Invalidation invalidationOf(const Document& from, const Document& to, bool* changed) {
  Invalidation stage = Invalidation::Display;
  const std::vector<Difference> all = differences(from, to);
  for (const Difference& d : all) stage = std::max(stage, d.stage);
  if (changed) *changed = !all.empty();
  return stage;
}

} // namespace ilumbra
