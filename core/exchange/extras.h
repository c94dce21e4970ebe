#pragma once
#include "core/document/document.h"
#include "core/geometry/model.h"

namespace ilumbra {

// What a model file cannot say travels in its extras (glTF 2.0, section 3.12) under "ilumbra": the document as a whole
// at the top, and at each node and material the thing that it stands for with what was written of it, so that what
// another program has changed since is known.

/// The document, for the top of the file that holds `model`.
std::string documentExtra(const Document& doc, const Model& model);
/// Of a node that stands for a thing; of one copy of a thing; of a material.
std::string placeExtra(const std::string& thing, const ModelNode& node, const Model& model);
std::string copyExtra();
std::string materialExtra(const ModelMaterial& material);

/// The things with what holds them, what they use and what belongs to them, as a document of their own.
Document excerpt(const Document& doc, const std::vector<NodeId>& things);

/// True if the model brings a document along.
bool hasDocument(const Model& model);
/// True if the node stands for a thing of that document, or for a copy of one.
bool isKnown(const ModelNode& node);

struct Restored {
  Document doc;
  std::vector<std::pair<int, NodeId>> materials; ///< of the model, that were changed since, and what they are here
  std::vector<std::string> notes;
};
/// The document that a model brings along, with what was changed in the file since: places, forms, things that are
/// gone. Throws BadInput if this version does not read it. `file`: absolute path of the model.
Restored restored(const Model& model, const std::string& file, const std::shared_ptr<const Kinds>& kinds);

} // namespace ilumbra
