#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"
#include "core/pattern/image.h"

#include <functional>
#include <memory>

namespace ilumbra {

/// Triangles in metres, counter-clockwise seen from outside.
struct Mesh {
  std::vector<V3f> positions;
  std::vector<V3f> normals; ///< per vertex, unit length; empty: faceted
  std::vector<V2f> uvs;     ///< per vertex, v upwards from the image's bottom row as seen; empty: none
  struct Triangle {
    uint32_t a, b, c;
  };
  std::vector<Triangle> triangles;
};

/// The form of one object in its own space: an exact sphere about the origin, or a mesh.
struct Shape {
  float sphereRadius = 0; ///< above 0: an exact sphere, and no mesh
  Mesh mesh;
  /// Where its form changes while the shutter is open: at equal steps of time, two at least; `sphereRadius` and `mesh` are
  /// those of mid-shutter, and the triangles stay the same.
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

/// True if every edge is shared by exactly two triangles of opposite direction, vertices compared by place.
bool isClosed(const Mesh& mesh);
/// Every triangle shaded by itself.
void facet(Mesh& mesh);
/// Normals across the mesh from its triangles, by their angles; edges that turn by more than `sharpDegrees` stay sharp.
void smooth(Mesh& mesh, float sharpDegrees = 40);
/// Throws BadInput when a position is not finite or a triangle names a vertex that does not exist.
void validate(const Mesh& mesh, const std::string& name);

/// An imported model as it comes from a file: parts, their materials, lights and cameras, in a tree.
struct Model;

/// How builders get at files; relative names start from the document's folder. What cannot be read is reported by
/// exception.
struct Assets {
  std::function<std::shared_ptr<const Model>(const std::string& file)> model;
  /// `index` picks an image inside a model file; -1: the file is an image.
  std::function<std::shared_ptr<const Image>(const std::string& file, int index)> image;
};

/// A kind of object with the function that builds its shape from its parameters.
struct ShapeKind {
  Kind kind;
  std::function<Shape(const Params&, const Assets&)> build; ///< empty for groups
};
/// Every shape. A new one is a file in this folder and a line here.
std::vector<ShapeKind> allShapes();

/// What every object has: placement, material and the switches of visibility.
std::vector<ParamDef> objectParams();
std::vector<ParamDef> placementParams();
/// Object-to-parent matrix from the placement parameters.
M44f placementOf(const Params& params);
/// Object-to-world matrix through all groups that hold the node.
M44f worldMatrix(const Document& doc, const Node& node, double frame);

ShapeKind boxShape();
ShapeKind coneShape();
ShapeKind cylinderShape();
ShapeKind groupShape();
ShapeKind meshShape();
ShapeKind planeShape();
ShapeKind sphereShape();
ShapeKind torusShape();

} // namespace ilumbra
