#include "core/document/document.h"

#include "core/base/error.h"
#include "core/document/follow.h"
#include "core/document/mover.h"

#include <algorithm>
#include <set>

namespace ilumbra {

const Value* Node::find(std::string_view param) const {
  const auto it = values.find(std::string(param));
  return it == values.end() ? nullptr : &it->second;
}

Document Document::create(std::shared_ptr<const Kinds> kinds) {
  DocumentBuilder b(std::move(kinds));
  Node n;
  n.id = b.takeId();
  n.kind = b.peek().kinds().find("picture.settings");
  n.name = "Picture";
  b.roots().push_back(n.id);
  b.put(std::move(n));
  return b.take();
}

const Node* Document::find(NodeId id) const {
  const auto it = std::lower_bound(m_nodes.begin(), m_nodes.end(), id,
                                   [](const NodePtr& n, NodeId wanted) { return n->id < wanted; });
  return it != m_nodes.end() && (*it)->id == id ? it->get() : nullptr;
}

const Node* Document::findByName(std::string_view name) const {
  for (const NodePtr& n : m_nodes)
    if (n->name == name) return n.get();
  return nullptr;
}

const Node& Document::settings() const {
  for (const NodePtr& n : m_nodes)
    if (n->kind->id == "picture.settings") return *n;
  throw badInput("the document has no picture settings");
}

static void appendTree(const Document& doc, NodeId id, std::vector<const Node*>& out) {
  const Node* n = doc.find(id);
  if (!n) return;
  out.push_back(n);
  for (const ChildSlot& slot : n->kind->slots)
    if (const auto it = n->children.find(slot.name); it != n->children.end())
      for (const NodeId child : it->second) appendTree(doc, child, out);
}

std::vector<const Node*> Document::inOrder() const {
  std::vector<const Node*> out;
  for (const NodeId id : m_roots) appendTree(*this, id, out);
  return out;
}

std::vector<const Node*> Document::family(std::string_view family) const {
  std::vector<const Node*> out;
  for (const Node* n : inOrder())
    if (n->kind->family() == family) out.push_back(n);
  return out;
}

std::vector<const Node*> Document::withRole(std::string_view role) const {
  std::vector<const Node*> out;
  for (const Node* n : inOrder())
    if (n->kind->role == role) out.push_back(n);
  return out;
}

std::string Document::freeName(std::string_view wanted) const {
  std::string base;
  for (const char c : wanted)
    if (c != '.' && c != '[' && c != ']' && c != ',' && c != '\n' && c != '\t') base += c;
  while (!base.empty() && base.back() == ' ') base.pop_back();
  while (!base.empty() && base.front() == ' ') base.erase(base.begin());
  if (base.empty()) base = "Thing";
  std::set<std::string_view> taken;
  for (const NodePtr& n : m_nodes) taken.insert(n->name);
  if (!taken.count(base)) return base;
  // "Lamp 2" is followed by "Lamp 3", not by "Lamp 2 2".
  std::string stem = base;
  while (!stem.empty() && stem.back() >= '0' && stem.back() <= '9') stem.pop_back();
  if (stem.size() == base.size() || stem.empty() || stem.back() != ' ') stem = base + " ";
  for (int i = 2;; ++i) {
    std::string name = stem + std::to_string(i);
    if (!taken.count(name)) return name;
  }
}

bool Document::operator==(const Document& o) const {
  if (m_roots != o.m_roots || m_nodes.size() != o.m_nodes.size() || m_unknown != o.m_unknown) return false;
  return std::equal(m_nodes.begin(), m_nodes.end(), o.m_nodes.begin(), [](const NodePtr& a, const NodePtr& b) {
    return a == b ||
           (a->id == b->id && a->kind->id == b->kind->id && a->name == b->name && a->values == b->values &&
            a->children == b->children && a->parent == b->parent && a->inputs == b->inputs && a->unknown == b->unknown);
  });
}

void DocumentBuilder::put(Node node) {
  auto& nodes = m_doc.m_nodes;
  const NodeId id = node.id;
  m_doc.m_nextId = std::max(m_doc.m_nextId, id + 1);
  auto it = std::lower_bound(nodes.begin(), nodes.end(), id, [](const NodePtr& n, NodeId w) { return n->id < w; });
  auto ptr = std::make_shared<const Node>(std::move(node));
  if (it != nodes.end() && (*it)->id == id)
    *it = std::move(ptr);
  else
    nodes.insert(it, std::move(ptr));
}

void DocumentBuilder::erase(NodeId id) {
  std::erase_if(m_doc.m_nodes, [&](const NodePtr& n) { return n->id == id; });
  std::erase(m_doc.m_roots, id);
}

static const ParamDef& definition(const Node& node, std::string_view name) {
  const ParamDef* d = node.kind->param(name);
  if (!d) throw badInput(node.kind->id + " has no parameter " + std::string(name));
  return *d;
}

struct Params::Passed {
  std::map<std::pair<NodeId, std::string>, const Value*, std::less<>> values; ///< node 0: the one that is read
  std::shared_ptr<const Overrides> own; ///< what they lie in, if it was made for a child
};

Params::Params(const Node& node, double frame, const Overrides* with) : m_node(node), m_frame(frame) {
  if (!with || with->empty()) return;
  auto passed = std::make_shared<Passed>();
  for (const auto& [name, value] : *with) {
    const auto input = std::find_if(node.inputs.begin(), node.inputs.end(),
                                    [&name = name](const NamedInput& i) { return i.name == name; });
    if (input == node.inputs.end()) {
      passed->values[{0, name}] = &value;
      continue;
    }
    for (const InputTarget& t : input->sets)
      passed->values[{t.node, t.input.empty() ? t.param : t.param + '.' + t.input}] = &value;
  }
  m_with = std::move(passed);
}

Params Params::inside(const Node& child) const {
  Overrides own;
  if (m_with)
    for (const auto& [at, value] : m_with->values)
      if (at.first == child.id) own.emplace(at.second, *value);
  if (own.empty()) return {child, m_frame};
  const auto kept = std::make_shared<const Overrides>(std::move(own));
  Params out(child, m_frame, kept.get());
  auto passed = std::make_shared<Passed>(*out.m_with);
  passed->own = kept;
  out.m_with = std::move(passed);
  return out;
}

const Value* Params::stored(std::string_view name) const {
  if (m_with)
    if (const auto it = m_with->values.find(std::pair<NodeId, std::string>(0, name)); it != m_with->values.end()) {
      // What it overrides may be something else by now.
      const Constant* c = it->second->constant();
      if (const Keys* k = it->second->anyKeys()) c = &k->keys.front().value;
      if (const Moved* moved = it->second->moved(); moved && !c) c = &std::get<Constant>(moved->rest);
      if (!c || c->index() == definition(m_node, name).initial.index()) return it->second;
    }
  return m_node.find(name);
}

Reference Params::passed(const Reference& r, std::string_view name) const {
  if (!m_with) return r;
  const std::string from = std::string(name) + '.';
  Overrides with;
  for (auto it = m_with->values.lower_bound({0, from});
       it != m_with->values.end() && it->first.first == 0 && it->first.second.starts_with(from); ++it)
    with[it->first.second.substr(from.size())] = *it->second;
  if (with.empty()) return r;
  if (r.with) with.insert(r.with->begin(), r.with->end());
  return {r.target, std::make_shared<const Overrides>(std::move(with))};
}

Constant Params::constant(std::string_view name) const {
  const ParamDef& d = definition(m_node, name);
  const Value* v = stored(name);
  if (!v) return d.initial;
  return evaluate(*v, d, m_frame).value_or(d.initial);
}

double Params::number(std::string_view name) const {
  const Constant c = constant(name);
  return std::holds_alternative<double>(c) ? std::get<double>(c) : 0.0;
}
bool Params::flag(std::string_view name) const {
  const Constant c = constant(name);
  return std::holds_alternative<bool>(c) && std::get<bool>(c);
}
Triple Params::triple(std::string_view name) const {
  const Constant c = constant(name);
  return std::holds_alternative<Triple>(c) ? std::get<Triple>(c) : Triple{};
}
std::string Params::text(std::string_view name) const {
  const Constant c = constant(name);
  return std::holds_alternative<std::string>(c) ? std::get<std::string>(c) : std::string();
}
Reference Params::reference(std::string_view name) const {
  const Constant c = constant(name);
  return std::holds_alternative<Reference>(c) ? passed(std::get<Reference>(c), name) : Reference{};
}
std::vector<Reference> Params::references(std::string_view name) const {
  const Constant c = constant(name);
  return std::holds_alternative<std::vector<Reference>>(c) ? std::get<std::vector<Reference>>(c)
                                                           : std::vector<Reference>{};
}
std::optional<PatternUse> Params::pattern(std::string_view name) const {
  const Value* v = stored(name);
  if (!v || !v->pattern()) return {};
  return PatternUse{passed(v->pattern()->pattern, name)};
}

double currentFrame(const Document& doc) { return settingsOf(doc).number("frame"); }

std::vector<NodeId> treeOf(const Document& doc, NodeId id) {
  std::vector<NodeId> out;
  if (doc.find(id)) out.push_back(id);
  for (size_t i = 0; i < out.size(); ++i)
    for (const auto& [slot, list] : doc.find(out[i])->children) out.insert(out.end(), list.begin(), list.end());
  return out;
}

bool counts(const Node& node, const ParamDef& def, double frame) {
  if (def.onlyIf.empty()) return true;
  if (def.onlyAt == "a pattern") return node.find(def.onlyIf) && node.find(def.onlyIf)->pattern();
  if (def.onlyAt == "a thing") return Params(node, frame).reference(def.onlyIf).target != 0;
  const std::string now = Params(node, frame).text(def.onlyIf);
  for (std::string_view rest = def.onlyAt;;) {
    const size_t bar = rest.find('|');
    if (rest.substr(0, bar) == now) return true;
    if (bar == rest.npos) return false;
    rest.remove_prefix(bar + 1);
  }
}

// True if a node names another in a parameter that switches it.
static bool switches(const Node& n, NodeId id) {
  return std::any_of(n.kind->switches.begin(), n.kind->switches.end(), [&](const std::string& param) {
    const auto named = Params(n, 0).references(param);
    return std::any_of(named.begin(), named.end(), [&](const Reference& r) { return r.target == id; });
  });
}

std::vector<const Node*> switchesOf(const Document& doc, NodeId id) {
  std::vector<const Node*> out = doc.inOrder();
  std::erase_if(out, [&](const Node* n) { return !switches(*n, id); });
  return out;
}

// Asked for every pattern that is compiled: no list is made.
bool switchedOn(const Document& doc, NodeId id, double frame) {
  bool any = false;
  for (const NodePtr& n : doc.nodes()) {
    if (n->kind->switches.empty() || !switches(*n, id)) continue;
    if (Params(*n, frame).flag("on")) return true;
    any = true;
  }
  return !any;
}

bool isAnimated(const Node& node) {
  if (node.kind->changesByTime && node.kind->changesByTime(Params(node, 0))) return true;
  return std::any_of(node.values.begin(), node.values.end(),
                     [](const auto& v) { return v.second.keys() || v.second.moved(); });
}

bool isAnimated(const Document& doc, const Node& node) {
  for (const Node* n = &node; n; n = doc.find(n->parent)) {
    if (isAnimated(*n)) return true;
    const Node* path = followedPath(doc, *n, 0);
    if (!path) continue;
    if (isAnimated(doc, *path)) return true;
    if (const auto points = path->children.find("points"); points != path->children.end())
      for (const NodeId id : points->second)
        if (isAnimated(*doc.find(id))) return true;
  }
  return false;
}

} // namespace ilumbra
