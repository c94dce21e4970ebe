#pragma once
#include "core/base/tasks.h"
#include "core/geometry/mesh_tools.h"

#include <array>

namespace ilumbra {

/// What is wrong with a mesh, with the places: matter that fills a body and haze need closed shapes.
struct MeshHealth {
  using Line = std::array<V3f, 2>;
  using Face = std::array<V3f, 3>;
  std::vector<Line> open;     ///< edges with a face on one side only
  std::vector<Line> crowded;  ///< edges at which more than two faces meet
  std::vector<Face> flipped;  ///< faces that look inwards, or against their neighbours
  std::vector<Face> doubled;  ///< faces that lie on another one with the same corners
  std::vector<Face> empty;    ///< faces without area
  std::vector<Face> crossing; ///< faces that run through others
  uint32_t holes = 0;         ///< rings of open edges
  uint32_t bodies = 0;        ///< that hang together by edges
  bool well() const {
    return open.empty() && crowded.empty() && flipped.empty() && doubled.empty() && empty.empty() && crossing.empty();
  }
};
/// `crossings`: looks for these too, which takes most of the time: five seconds for a million triangles in all. Throws
/// Cancelled.
MeshHealth examine(const Mesh& mesh, bool crossings = true, const CancelFlag* cancel = nullptr);
/// A sentence: "2 holes (24 open edges), 3 faces look inwards"; "closed and well" if nothing is wrong.
std::string summary(const MeshHealth& health);

struct Mending {
  float merge = 0;           ///< metres within which vertices become one; 0: only those at the same place
  bool clean = true;         ///< faces without area and doubled ones are taken out
  bool outwards = true;      ///< faces are turned until bodies look outwards, hollows inwards, sheets to one side
  bool close = true;         ///< holes are closed
  size_t largestHole = 1000; ///< edges around a hole that is closed
};
/// Normals and texture coordinates stay where the faces stay; new faces are flat.
Mesh mended(const Mesh& mesh, const Mending& how);

/// By triangle: 1 if it must be turned about for its body to look outwards.
std::vector<char> lookingWrong(const Welded& mesh, const std::vector<MeshEdge>& edges);

} // namespace ilumbra
