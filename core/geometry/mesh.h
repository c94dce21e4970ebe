#pragma once
#include "core/base/vec.h"

#include <cstdint>
#include <string>
#include <vector>

namespace ilumbra {

/// Triangles in metres, counter-clockwise seen from outside.
struct Mesh {
  std::vector<V3f> positions;
  std::vector<V3f> normals; ///< per vertex, unit length; empty: faceted
  std::vector<V2f> uvs;     ///< per vertex, v upwards from the image's bottom row as seen; empty: none
  std::vector<V2f> uvs2;    ///< a second set of them; empty: none
  std::vector<V4f> colors;  ///< per vertex, painted: linear Rec. 709 and alpha; empty: none
  struct Triangle {
    uint32_t a, b, c;
  };
  std::vector<Triangle> triangles;
  /// Per triangle: 1 where what was inside came to light by a cut or a burst; empty: nowhere.
  std::vector<uint8_t> inside;
};

/// One more vertex of `to`, as vertex `i` of `from` in all but its normal.
void appendVertex(Mesh& to, const Mesh& from, size_t i);
/// One more vertex halfway between two of the same mesh, in all but its normal.
void appendMiddle(Mesh& mesh, size_t a, size_t b);
/// True if every edge is shared by exactly two triangles of opposite direction, vertices compared by place.
bool isClosed(const Mesh& mesh);
/// Every triangle shaded by itself.
void facet(Mesh& mesh);
/// Normals across the mesh from its triangles, by their angles; edges that turn by more than `sharpDegrees` stay sharp.
void smooth(Mesh& mesh, float sharpDegrees = 40);
/// Throws BadInput when a position is not finite or a triangle names a vertex that does not exist.
void validate(const Mesh& mesh, const std::string& name);
/// A number for each place, vertices at the same place being one: `of` by vertex; returns how many there are.
uint32_t placesOf(const Mesh& mesh, std::vector<uint32_t>& of);

} // namespace ilumbra
