#pragma once
#include "core/base/tasks.h"
#include "core/document/document.h"
#include "core/document/follow.h"
#include "core/document/placement.h"
#include "core/geometry/mesh.h"
#include "core/pattern/assets.h"

#include <functional>

namespace ilumbra {

/// The form of one object in its own space: an exact sphere about the origin, or a mesh.
struct Shape {
  float sphereRadius = 0;       ///< above 0: an exact sphere, and no mesh
  uint32_t sphereSegments = 64; ///< around it, where a mesh is made of it
  Mesh mesh;
  /// Where its form changes while the shutter is open: at equal steps of time, two at least; `sphereRadius` and `mesh`
  /// are those of mid-shutter, and the triangles stay the same.
  struct Form {
    float sphereRadius = 0;
    std::vector<V3f> positions, normals;
  };
  std::vector<Form> forms;
  /// Over all times.
  Box3f bounds() const;
  /// Square metres; of a mesh the sum over triangles.
  double area() const;
};

/// What a form is built from besides its own parameters.
struct BuildFrom {
  const Document& doc;
  double frame;
  const Assets& assets;
  const CancelFlag* cancel = nullptr;
  /// Where a modifier that cannot be applied is told, and the form goes on without it; null: it is thrown.
  std::vector<std::string>* warnings = nullptr;
  std::vector<NodeId> open = {}; ///< things whose forms are being built: what is made from itself never ends
  /// Throws Cancelled when that was asked for.
  void stopIfCancelled() const;
};

/// A kind of object with the function that builds its shape from its parameters.
struct ShapeKind {
  Kind kind;
  std::function<Shape(const Params&, const BuildFrom&)> build; ///< empty for groups
  std::function<bool(const Params&)> changesByTime =
      {}; ///< its form depends on the frame besides its parameters; null: no
  /// The line that it follows, for copies along it; closed if its ends are the same; null: it has none.
  std::function<std::vector<V3f>(const Params&, const BuildFrom&)> line = {};
  /// The points that it is drawn by: those in its slot, or, as long as there are none, those that it comes with; null:
  /// it is not drawn.
  std::function<std::vector<LinePoint>(const Document&, const Params&)> points = {};
};
/// Every shape. A new one is a file in this folder and a line here.
std::vector<ShapeKind> allShapes();

/// What every object has: placement, material and the switches of visibility.
std::vector<ParamDef> objectParams();
/// The material that an object wears: its own, or for a twin without one that of its original.
Reference wornMaterial(const Document& doc, const Node& object, double frame);
/// True if neither the thing nor anything that holds it is hidden.
bool isShown(const Document& doc, const Node& node, double frame);
/// True of an object that stands for the objects that it holds and has no form of its own.
inline bool isGroup(const Node& node) { return node.kind->slot("objects") != nullptr; }
/// True if the thing or anything that holds it is locked.
bool isLocked(const Document& doc, const Node& node);
Kind pathPointKind();
Kind profilePointKind();
Kind waterWaveKind();
Kind waterRingKind();

} // namespace ilumbra
