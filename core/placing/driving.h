#pragma once
#include "core/document/edit.h"
#include "core/pattern/presets.h"
#include "core/scene/scene.h"

namespace ilumbra {

/// A new pattern of a kind drives a parameter, in one step. It is as large as suits the things that show it in `scene`,
/// which was compiled from this document (null: as the kind has it), and runs between values about the one that stands
/// there. A pattern that drives it already becomes what an operation (warp, remap, math ...) works on. `made` receives
/// the id. Throws BadInput where nothing can drive the parameter, or the kind is no pattern.
Document drivenBy(const Document& doc, const Address& at, std::string_view kind, const Scene* scene,
                  NodeId* made = nullptr);

/// The same with a preset: its scale is the size of the things, what is under it is what stood there. A number runs
/// from where it stands to its other end instead of between the preset's colours.
Document drivenByPreset(const Document& doc, const Address& at, const PatternPreset& preset, const Scene* scene,
                        NodeId* made = nullptr);

/// The same with a pattern of another document, as it stands there: the one that none of its others uses. Throws
/// BadInput where it holds none.
Document drivenByCutting(const Document& doc, const Address& at, const Document& from, NodeId* made = nullptr);

/// The parameter of a kind of pattern that holds what it works on; null: it works on nothing but places.
const ParamDef* worksOn(const Kind& pattern);

/// What shows what is driven on a thing: the objects that wear it, or the thing itself.
std::vector<NodeId> showing(const Document& doc, NodeId node);

/// True of a kind of pattern that can be the same everywhere, so that it may drive what is one number for a whole
/// thing.
bool mayBeEven(const Kind& pattern);

} // namespace ilumbra
