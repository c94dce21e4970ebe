#pragma once
#include "core/document/document.h"

#include <functional>

namespace ilumbra {

/// Copies a thing with its children and all shared things that it uses (materials, patterns) from one document into
/// another, under names that are free there. `made` receives its id; `there` names things (by their id in `from`) that
/// the other document has already. File names go on from where that lies. Throws BadInput when it uses something else
/// (an object, a light).
Document transplant(const Document& to, const Document& from, NodeId thing, NodeId* made = nullptr,
                    const std::map<NodeId, NodeId>& there = {});
/// Everything of another document, but its picture settings, added to this one under free names and with its files;
/// `ids` receives what became of each thing.
Document merged(const Document& to, const Document& from, std::map<NodeId, NodeId>* ids = nullptr);
/// A document of this one thing and what it uses: a material that can be kept as a file and shared between scenes. File
/// names stay as they are, from the same folder.
Document cutting(const Document& from, NodeId thing);
/// The same of a thing that uses others too: those for which `goesAlong` is false, and what only they use, stay behind,
/// and references to them are empty.
Document cutting(const Document& from, NodeId thing, const std::function<bool(const Node&)>& goesAlong);

} // namespace ilumbra
