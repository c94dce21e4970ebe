#pragma once
#include "core/document/kind.h"

#include <algorithm>

#include <memory>
#include <optional>

namespace ilumbra {

/// What a named input sets: a parameter or, beyond the shared thing that it refers to, an input of that.
struct InputTarget {
  NodeId node = 0;   ///< 0: the thing that has the input; else one inside it or, for what stands for others, in a role
  std::string param; ///< of that node
  std::string input; ///< path beyond the reference or pattern in `param`: names with dots between; empty: itself
  bool operator==(const InputTarget&) const = default;
};
/// A name under which uses of a shared thing set for themselves what it names.
struct NamedInput {
  std::string name;
  std::vector<InputTarget> sets; ///< at least one; the first says what kind of value it is
  bool operator==(const NamedInput&) const = default;
};

/// One thing in a document. Immutable once it is in one.
struct Node {
  NodeId id = 0;
  const Kind* kind = nullptr;                          ///< owned by the document's Kinds
  std::string name;                                    ///< unique in the document, without '.', ',', '[' or ']'
  std::map<std::string, Value> values;                 ///< only what differs from the kind's default
  std::map<std::string, std::vector<NodeId>> children; ///< by child slot, in order
  NodeId parent = 0;                                   ///< 0: stands at the top of the document
  std::vector<NamedInput> inputs;                      ///< in the order in which they are shown
  std::string unknown; ///< JSON object of fields that this version does not know, kept for the next save

  const Value* find(std::string_view param) const;
};
using NodePtr = std::shared_ptr<const Node>;

/// An immutable picture of everything. Edits (edit.h) return a new one that shares all unchanged nodes.
class Document {
 public:
  /// An empty document with its picture settings.
  static Document create(std::shared_ptr<const Kinds> kinds);

  const Kinds& kinds() const { return *m_kinds; }
  const std::shared_ptr<const Kinds>& sharedKinds() const { return m_kinds; }
  /// All nodes by ascending id.
  const std::vector<NodePtr>& nodes() const { return m_nodes; }
  /// The nodes at the top, in order. Lens stages act in this order.
  const std::vector<NodeId>& roots() const { return m_roots; }
  NodeId nextId() const { return m_nextId; }

  /// Null if there is none. Pointers live as long as any document that holds the node.
  const Node* find(NodeId id) const;
  const Node* findByName(std::string_view name) const;
  const Node& settings() const;
  /// All nodes of a family ("light"), those inside groups too: by tree order.
  std::vector<const Node*> family(std::string_view family) const;
  /// All nodes whose kind has a role (Kind::role), by tree order.
  std::vector<const Node*> withRole(std::string_view role) const;
  /// Every node in tree order: a parent, then its children.
  std::vector<const Node*> inOrder() const;
  /// A name that is free: "Lamp", "Lamp 2", ...
  std::string freeName(std::string_view wanted) const;
  /// JSON object of unknown top-level fields.
  const std::string& unknown() const { return m_unknown; }
  /// The folder that relative file names start from; empty: the current folder. Not part of equality.
  const std::string& folder() const { return m_folder; }

  bool operator==(const Document& o) const;

 private:
  friend class DocumentBuilder;
  std::shared_ptr<const Kinds> m_kinds;
  std::vector<NodePtr> m_nodes;
  std::vector<NodeId> m_roots;
  NodeId m_nextId = 1;
  std::string m_unknown;
  std::string m_folder;
};

/// Changes the raw content of a document. Checks nothing but ids: edit.h and file.h are what callers want.
class DocumentBuilder {
 public:
  explicit DocumentBuilder(std::shared_ptr<const Kinds> kinds) { m_doc.m_kinds = std::move(kinds); }
  explicit DocumentBuilder(const Document& from) : m_doc(from) {}
  void put(Node node);
  void erase(NodeId id);
  std::vector<NodeId>& roots() { return m_doc.m_roots; }
  NodeId takeId() { return m_doc.m_nextId++; }
  void setNextId(NodeId id) { m_doc.m_nextId = id; }
  void setUnknown(std::string json) { m_doc.m_unknown = std::move(json); }
  void setFolder(std::string folder) { m_doc.m_folder = std::move(folder); }
  Document take() { return std::move(m_doc); }
  const Document& peek() const { return m_doc; }

 private:
  Document m_doc;
};

/// Reads the parameters of one node at one frame, defaults included. With a reference, the overrides of that use win:
/// by the names of inputs, or by paths of parameters ("roughness", "roughness.edge"). An override that fits nothing
/// rests.
class Params {
 public:
  /// The overrides live as long as what is read from them.
  Params(const Node& node, double frame, const Overrides* with = nullptr);
  /// Of a child, with what overrides reach into it.
  Params inside(const Node& child) const;
  double number(std::string_view name) const;
  float real(std::string_view name) const { return float(number(name)); }
  bool flag(std::string_view name) const;
  Triple triple(std::string_view name) const;
  std::string text(std::string_view name) const;
  Reference reference(std::string_view name) const;
  std::vector<Reference> references(std::string_view name) const;
  /// The pattern that drives the parameter, if one does, with what is passed through to it.
  std::optional<PatternUse> pattern(std::string_view name) const;
  /// The value as stored, or null where the default stands.
  const Value* stored(std::string_view name) const;
  Constant constant(std::string_view name) const;
  const Node& node() const { return m_node; }
  double frame() const { return m_frame; }

 private:
  struct Passed; // what overrides set, by node and path
  Reference passed(const Reference& r, std::string_view name) const;
  const Node& m_node;
  double m_frame;
  std::shared_ptr<const Passed> m_with; ///< null: nothing is overridden
};

/// The picture's settings. None of them depends on the frame.
inline Params settingsOf(const Document& doc) { return {doc.settings(), 0}; }
/// False while a parameter says nothing, since another one of its node stands elsewhere (ParamDef::when).
bool counts(const Node& node, const ParamDef& def, double frame);
/// The frame that the document shows.
double currentFrame(const Document& doc);
/// A node and all that is in it; none if there is no such node.
std::vector<NodeId> treeOf(const Document& doc, NodeId id);
/// The nodes that name one in a parameter that switches it (Kind::switches).
std::vector<const Node*> switchesOf(const Document& doc, NodeId id);
/// True if a node is on as far as its switches say: it has none, or one of them is on.
bool switchedOn(const Document& doc, NodeId id, double frame);
/// True if any value of the node has keys, or it runs by itself.
bool isAnimated(const Node& node);
/// The same of a node, anything that holds it, or a path that one of them follows.
bool isAnimated(const Document& doc, const Node& node);

} // namespace ilumbra
