#pragma once
#include "core/geometry/shape.h"

namespace ilumbra {

/// What an object or a group comes to: its shape, changed by its modifiers from first to last.
struct Form {
  Shape shape;
  /// Where it stands in its own space, once for each copy; empty: once, as it is.
  std::vector<M44f> copies;
  Box3f contents; ///< of a group: what it holds
  Box3f bounds() const { return contents.isEmpty() ? shape.bounds() : contents; }
};

/// A kind of modifier with the function that applies it.
struct ModifierKind {
  Kind kind;
  /// Throws BadInput with the parameter and the reason.
  std::function<void(Form&, const Params&, const BuildFrom&)> apply;
  std::function<bool(const Params&)>
      changesByTime; ///< what it does depends on the frame besides its parameters; null: no
};
/// Every modifier. A new one is a file in this folder and a line here.
std::vector<ModifierKind> allModifiers();
/// What every modifier has, after its own parameters: on or off.
std::vector<ParamDef> modifierParams(std::vector<ParamDef> own);

/// Shape and modifiers of an object, or the copies of a group. Messages begin with the thing and the parameter.
Form formOf(const Node& node, const BuildFrom& from);
/// What a form depends on, references to other things and files included.
struct FormKey {
  uint64_t hash = 0;    ///< the same for the same form
  bool changes = false; ///< it may be another at another frame
};
FormKey formKey(const Document& doc, const Node& node, double frame);

/// The kind of an object's form; null: of another thing.
const ShapeKind* shapeKind(const Node& node);

/// Where all copies of a thing stand in the world: its own, times those of all that hold or carry it. `copiesOf` tells
/// the copies of one of them in its own space (empty: none).
std::vector<M44f> worldPlaces(const Document& doc, const Node& node, double frame,
                              const std::function<std::vector<M44f>(const Node&)>& copiesOf);

/// The one mesh of a form: a sphere becomes facets, copies become one mesh.
Mesh& meshOf(Form& form);
/// The form of another object, to which a modifier refers, as a mesh in the space of the object that the modifier works
/// on. Throws BadInput if there is none, or if the one is made from the other.
Mesh meshOfOther(const Params& modifier, const char* param, const BuildFrom& from);
/// The line of an object (a path, or the middle of a ring), to which a modifier refers, in the same space; closed if
/// its ends are the same.
std::vector<V3f> lineOfOther(const Params& modifier, const char* param, const BuildFrom& from);

} // namespace ilumbra
