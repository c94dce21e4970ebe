#include "core/pattern/lines.h"

#include <functional>
#include <set>

namespace ilumbra {
namespace {

constexpr int deepest = 64;

class Lister {
 public:
  Lister(const Document& doc, std::vector<PatternLine>& out) : m_doc(doc), m_out(out) {}

  void list(const Node& n, int depth) {
    if (depth >= deepest || std::find(m_open.begin(), m_open.end(), n.id) != m_open.end()) return;
    m_open.push_back(n.id);
    std::vector<size_t> mine;
    const auto put = [&](const Node& child, Address at, std::string words) {
      mine.push_back(m_out.size());
      m_out.push_back({child.id, std::move(at), depth, std::move(words), false});
      list(child, depth + 1);
    };
    // Parts first: the top layer stands on top.
    for (const ChildSlot& slot : n.kind->slots)
      if (const auto it = n.children.find(slot.name); it != n.children.end())
        for (const NodeId id : it->second)
          if (const Node* part = m_doc.find(id)) put(*part, {}, {});
    for (const ParamDef& d : n.kind->params)
      if (const Value* v = n.find(d.name); v && v->pattern())
        if (const Node* inner = m_doc.find(v->pattern()->pattern.target))
          put(*inner, {n.id, d.name, 0, {}}, d.joins.empty() ? d.label : d.joins);
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

bool isUsed(const Document& doc, NodeId pattern) {
  for (const NodePtr& n : doc.nodes())
    for (const auto& [name, value] : n->values)
      if (value.pattern() && value.pattern()->pattern.target == pattern) return true;
  return false;
}

} // namespace

std::vector<PatternLine> patternLines(const Document& doc, NodeId pattern) {
  std::vector<PatternLine> out;
  const Node* n = doc.find(pattern);
  if (!n || n->kind->family() != "pattern") return out;
  out.push_back({pattern, {}, 0, {}, true});
  Lister(doc, out).list(*n, 1);
  return out;
}

std::vector<Address> patternUses(const Document& doc, NodeId pattern) {
  std::vector<Address> out;
  std::set<NodeId> visited;
  const std::vector<const Node*> all = doc.inOrder();
  const std::function<void(NodeId)> follow = [&](NodeId id) {
    if (!visited.insert(id).second) return;
    for (const Node* n : all)
      for (const auto& [name, v] : n->values) {
        if (!v.pattern() || v.pattern()->pattern.target != id) continue;
        if (const Node* holder = patternOf(doc, *n))
          follow(holder->id);
        else
          out.push_back({n->id, name, 0, {}});
      }
  };
  follow(pattern);
  return out;
}

Document withoutLine(const Document& doc, const PatternLine& line) {
  if (!line.at.node) return removeNode(doc, line.node);
  Document out = resetValue(doc, line.at.node, line.at.param);
  // What it was made of alone goes with it.
  std::vector<NodeId> made;
  for (const PatternLine& l : patternLines(doc, line.node)) made.push_back(l.node);
  for (const NodeId id : made)
    if (const Node* n = out.find(id); n && n->kind->family() == "pattern" && !isUsed(out, id))
      out = removeNode(out, id);
  return out;
}

} // namespace ilumbra
