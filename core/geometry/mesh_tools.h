#pragma once
#include "core/geometry/shape.h"

#include <functional>

namespace ilumbra {

/// Vertices at the same place made one, and triangles without area left out: what edges and bodies are found by.
struct Welded {
  std::vector<V3f> positions;
  std::vector<Mesh::Triangle> triangles;
  std::vector<uint32_t> place;  ///< by vertex of the mesh: where it went
  std::vector<uint32_t> origin; ///< by triangle here: the mesh's triangle
};
Welded weld(const Mesh& mesh);

/// An edge of a welded mesh; a < b.
struct MeshEdge {
  static constexpr uint32_t none = ~0u;
  uint32_t a, b;
  uint32_t left = none, right = none; ///< triangles that run a to b, and b to a
  bool crowded = false;               ///< more than one triangle on a side
  bool open() const { return left == none || right == none; }
};
std::vector<MeshEdge> edgesOf(const Welded& mesh);

/// By edge: 1 if it is the diagonal of a quad. Pairs of triangles are joined greedily, the flattest with the rightest
/// corners first; each triangle is in one quad at most.
std::vector<char> quadDiagonals(const Welded& mesh, const std::vector<MeshEdge>& edges);

/// Of a triangle, unit length.
V3f normalOf(const Welded& mesh, uint32_t triangle);
/// The corner of a triangle that is not on one of its edges.
uint32_t oppositeOf(const Mesh::Triangle& triangle, const MeshEdge& edge);
/// By place: the mean of the normals around it, by the angles that the triangles have there (Thürmer and Wüthrich
/// 1998).
std::vector<V3f> placeNormals(const Welded& mesh);

/// Cubic metres inside; of a mesh that is closed, more than 0 if its normals point outwards.
double volume(const Mesh& mesh);
/// The voids of a body: those of its closed parts that face inwards and hold no other such part, turned outwards;
/// empty: it has none.
Mesh innermostVoids(const Mesh& mesh);
/// Vertices minus edges plus faces of the welded mesh: 2 for a ball, 0 for a ring, and their sum for several bodies.
int eulerCharacteristic(const Mesh& mesh);
/// Bodies (or sheets) that hang together by edges: a number for each triangle; returns how many there are.
uint32_t components(const Mesh& mesh, std::vector<uint32_t>& of);

/// The numbers of these, the one with the largest area first.
std::vector<uint32_t> piecesBySize(const Mesh& mesh);

/// Splits edges that are longer than `length` metres until none is, in all triangles at an edge alike, so that what is
/// closed stays closed. Stops at `most` triangles.
void splitLongEdges(Mesh& mesh, float length, size_t most = 4'000'000);
/// Moves every vertex; normals follow by the map's own slope.
void deform(Mesh& mesh, const std::function<V3f(const V3f&)>& map);
/// Turned by a matrix; normals too.
void transform(Mesh& mesh, const M44f& matrix);
/// A skin becomes a wall that reaches `in` metres inwards and `out` outwards, around its open edges too if `closeRim`;
/// a body becomes hollow. The wall is as thick on both sides of an edge.
void thicken(Mesh& mesh, float in, float out, bool closeRim);
/// Inside out.
void flip(Mesh& mesh);
/// The triangles for which `keep` holds, and the vertices that they need.
Mesh part(const Mesh& mesh, const std::function<bool(size_t triangle)>& keep);

/// A mesh of a ball about the origin, in rows from pole to pole.
Mesh ballMesh(float radius, uint32_t around);

/// Colours and second texture coordinates that a mesh lacks and the one that it was made from has: those of the place
/// of it that is nearest, between the vertices about the nearest one.
void repaint(Mesh& to, const Mesh& from);
/// The point of a triangle that is nearest to another (Ericson 2004, "Real-Time Collision Detection", 5.1.5).
V3f nearestOnTriangle(const V3f& p, const V3f& a, const V3f& b, const V3f& c);

} // namespace ilumbra
