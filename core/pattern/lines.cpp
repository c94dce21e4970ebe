#include "core/pattern/lines.h"

#include "core/base/error.h"

#include "core/document/inputs.h"

#include <functional>
#include <set>

namespace ilumbra {
namespace {

constexpr int deepest = 64;

class Lister {
 public:
  Lister(const Document& doc, std::vector<PatternLine>& out) : m_doc(doc), m_out(out) {}

  void list(const Params& p, int depth) {
    const Node& n = p.node();
    if (depth >= deepest || std::find(m_open.begin(), m_open.end(), n.id) != m_open.end()) return;
    m_open.push_back(n.id);
    std::vector<size_t> mine;
    const auto put = [&](const Params& child, const Reference& use, Address at, std::string words) {
      mine.push_back(m_out.size());
      m_out.push_back({child.node().id, use, std::move(at), depth, std::move(words), false});
      list(child, depth + 1);
    };
    // Parts first: the top layer stands on top.
    for (const ChildSlot& slot : n.kind->slots)
      if (const auto it = n.children.find(slot.name); it != n.children.end())
        for (const NodeId id : it->second)
          if (const Node* part = m_doc.find(id)) put(p.inside(*part), {}, {}, {});
    for (const ParamDef& d : n.kind->params)
      if (const auto use = p.pattern(d.name))
        if (const Node* inner = m_doc.find(use->pattern.target))
          put(Params(*inner, p.frame(), use->pattern.with.get()), use->pattern, {n.id, d.name, 0, {}},
              d.joins.empty() ? d.label : d.joins);
    if (!mine.empty()) m_out[mine.back()].last = true;
    m_open.pop_back();
  }

 private:
  const Document& m_doc;
  std::vector<PatternLine>& m_out;
  std::vector<NodeId> m_open;
};

bool isPart(const Document& doc, const Node& n) {
  for (NodeId up = n.parent; up;) {
    const Node* p = doc.find(up);
    if (!p) return false;
    if (p->kind->family() == "pattern") return true;
    up = p->parent;
  }
  return false;
}

// The pattern that a node is, or is a part of; null: neither.
const Node* patternOf(const Document& doc, const Node& n) {
  if (n.kind->family() == "pattern") return &n;
  if (!isPart(doc, n)) return nullptr;
  const Node* up = doc.find(n.parent);
  while (up && up->kind->family() != "pattern") up = doc.find(up->parent);
  return up;
}

} // namespace

std::vector<PatternLine> patternLines(const Document& doc, const Reference& pattern) {
  std::vector<PatternLine> out;
  const Node* n = doc.find(pattern.target);
  if (!n || n->kind->family() != "pattern") return out;
  out.push_back({pattern.target, pattern, {}, 0, {}, true});
  Lister(doc, out).list(Params(*n, currentFrame(doc), pattern.with.get()), 1);
  return out;
}

std::vector<Address> patternUses(const Document& doc, NodeId pattern) {
  std::vector<Address> out;
  std::set<NodeId> visited;
  const std::function<void(NodeId)> follow = [&](NodeId id) {
    if (!visited.insert(id).second) return;
    for (Address& at : drivenAt(doc, id))
      if (const Node* holder = patternOf(doc, *doc.find(at.node)))
        follow(holder->id);
      else
        out.push_back(std::move(at));
  };
  follow(pattern);
  return out;
}

Document withoutLine(const Document& doc, const PatternLine& line) {
  if (!line.at.node) return removeNode(doc, line.node);
  Document out = resetValue(doc, line.at.node, line.at.param);
  // What it was made of alone goes with it.
  std::vector<NodeId> made;
  for (const PatternLine& l : patternLines(doc, {line.node, nullptr})) made.push_back(l.node);
  for (const NodeId id : made)
    if (const Node* n = out.find(id); n && n->kind->family() == "pattern" && !isUsed(out, id))
      out = removeNode(out, id);
  return out;
}

Document swappedLines(const Document& doc, const std::vector<PatternLine>& lines, size_t a, size_t b) {
  if (a > b) std::swap(a, b);
  const PatternLine &first = lines.at(a), &second = lines.at(b);
  if (!first.at.node || !second.at.node || a == b) throw badInput("only two inputs can change places");
  bool within = true;
  for (size_t i = a + 1; i <= b; ++i) within &= lines[i].depth > first.depth;
  if (within) throw badInput(doc.find(second.node)->name + " lies within " + doc.find(first.node)->name);
  const Value upper = valueAt(doc, first.at), lower = valueAt(doc, second.at);
  return setAt(setAt(doc, first.at, lower), second.at, upper);
}

} // namespace ilumbra
