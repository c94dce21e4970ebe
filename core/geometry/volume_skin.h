#pragma once
#include "core/geometry/mesh.h"

#include <openvdb/tools/VolumeToMesh.h>

namespace ilumbra {

/// The triangles of a mesher's polygons, turned outwards (it has them clockwise seen from outside); vertices are the
/// caller's.
inline void takePolygons(openvdb::tools::VolumeToMesh& mesher, Mesh& mesh) {
  for (size_t pool = 0; pool < mesher.polygonPoolListSize(); ++pool) {
    const auto& polygons = mesher.polygonPoolList()[pool];
    for (size_t i = 0; i < polygons.numQuads(); ++i) {
      const auto& q = polygons.quad(i);
      mesh.triangles.push_back({q[0], q[2], q[1]});
      mesh.triangles.push_back({q[0], q[3], q[2]});
    }
    for (size_t i = 0; i < polygons.numTriangles(); ++i) {
      const auto& t = polygons.triangle(i);
      mesh.triangles.push_back({t[0], t[2], t[1]});
    }
  }
}

} // namespace ilumbra
