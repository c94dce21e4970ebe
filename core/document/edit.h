#pragma once
#include "core/document/document.h"

namespace ilumbra {

// Each edit takes a document and returns a new one. All throw BadInput with the thing, the place and the reason, and
// leave nothing half done.

/// Sets a parameter; checks type, range, finiteness and what a reference may take.
Document setValue(const Document& doc, NodeId id, std::string_view param, const Value& value);
/// Back to the default.
Document resetValue(const Document& doc, NodeId id, std::string_view param);
/// Sets or (with null) drops what one use of a shared thing sets for itself: `param` of node `id` holds the reference,
/// `index` counts in a list of references.
Document setOverride(const Document& doc, NodeId id, std::string_view param, size_t index, std::string_view input,
                     const Value* value);
/// Gives this use its own copy of the shared thing (also a pattern that drives the parameter), with the overrides
/// written into it: "own copy here".
Document ownCopy(const Document& doc, NodeId id, std::string_view param, NodeId* made = nullptr);

struct Place {
  NodeId parent = 0;         ///< 0: at the top
  std::string slot;          ///< of the parent
  size_t index = size_t(-1); ///< before which; past the end: last
};
/// Adds a node; `made` receives its id. The name is made free.
Document addNode(const Document& doc, std::string_view kind, std::string_view name, const Place& place = {},
                 NodeId* made = nullptr);
/// Removes a node and its children; references to them are dropped.
Document removeNode(const Document& doc, NodeId id);
Document rename(const Document& doc, NodeId id, std::string_view name);
/// Moves a node to another place or order.
Document moveNode(const Document& doc, NodeId id, const Place& place);
/// A copy of the node and its children beside it, referring to the same shared things.
Document duplicate(const Document& doc, NodeId id, NodeId* made = nullptr);

/// Checks one value against its definition; `place` begins the message.
void checkValue(const Document& doc, const ParamDef& def, const Value& value, const std::string& place);
/// Everything that is wrong with a document, each line with its place: for `check` and for opening files.
std::vector<std::string> problems(const Document& doc);

/// One parameter (or one node) in a document: "Projector.power", "Brass.base_color", "Ring.material.roughness" (what
/// this use of the material sets for itself), "Sun glow.sources[1].name".
struct Address {
  NodeId node = 0;
  std::string param; ///< empty: the node itself
  size_t index = 0;  ///< within a list of references, from 0
  /// With an input: an override of the shared thing that `param` refers to, by name or path; where `param` is "inputs",
  /// what that input of the thing itself stands for.
  std::string input;
  bool operator==(const Address&) const = default;
};
/// Throws BadInput naming the part that does not exist. Indices in text count from 1.
Address resolve(const Document& doc, std::string_view address);
std::string addressText(const Document& doc, const Address& a);
/// What stands at an address, the default included.
Value valueAt(const Document& doc, const Address& a);
const ParamDef& definitionAt(const Document& doc, const Address& a);
Document setAt(const Document& doc, const Address& a, const Value& value);
/// Sets what stands there at the current frame: where there are keys, the key of that frame, which is made if there is
/// none.
Document setNow(const Document& doc, const Address& a, const Constant& value);

/// Moves what stands at an address by a mover that is not there yet ("spin"), in periods that go into the document's
/// range of frames; an orbit of what has a target goes round that. setAt() with its switch, or anything of it, does the
/// same.
Document startMover(const Document& doc, const Address& a, std::string_view mover);

/// The document at another frame. What was never at a frame of its own is given one.
Document atFrame(const Document& doc, double frame);

} // namespace ilumbra
