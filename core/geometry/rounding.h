#pragma once
#include "core/geometry/flat.h"
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"

#include <array>
#include <map>
#include <unordered_map>

// Round edges: along each sharp edge a strip of an arc that touches both sides, where edges meet a patch of a ball. One
// algorithm in three files: round_corners.cpp gathers what meets in each corner and where it moves, round_room.cpp
// finds how far there is room for that, round_build.cpp makes the strips and patches.
namespace ilumbra::rounding {

using V3d = Imath::V3d;
using M33d = Imath::M33d;

inline constexpr uint32_t none = ~0u;

// The triangles around a corner between two edges that are rounded (or rims): they move away from the edges together.
struct Sector {
  uint32_t place = none;
  V3f way{0.0f};                             ///< where the corner goes, for a corner with all its room
  V3f normal{0.0f}, first{0.0f}, last{0.0f}; ///< of all of it, and beside the edge before and the edge after it
  bool across = false;                       ///< opposite the end of an edge: it takes the arc as its outline
  uint32_t begin = 0, end = 0;               ///< triangles' corners, counter-clockwise, in `corners`
};
// The sectors around one place, counter-clockwise seen from outside. Edge i lies between sector i - 1 and sector i.
struct Fan {
  uint32_t place = none;
  std::vector<uint32_t> sectors, edges;
  bool closed = true;  ///< false: a rim runs through; then there is no edge before the first sector
  bool ends = false;   ///< one edge ends here at a flat side: sectors before it, across, and after it
  uint32_t odd = none; ///< the edge (in `edges`) that goes in where the other two stick out, or the other way around
};
struct ArcPoint {
  V3f at, normal;
};
class Rounding {
 public:
  /// `half`: pieces of half an arc; `sharp`: degrees from which an edge counts; edges that go out, and those that go
  /// in.
  Rounding(const Mesh& mesh, float radius, int half, float sharp, bool outward, bool inward);
  size_t count() const { return m_count; }
  size_t crowded() const {
    return size_t(std::count_if(m_edges.begin(), m_edges.end(), [](const MeshEdge& e) { return e.crowded; }));
  }
  /// Corners that had less room than the radius asks for, of all that are rounded.
  size_t narrow = 0, rounded = 0;

  Mesh run(const BuildFrom& from);

 private:
  uint32_t vertex(uint32_t t, uint32_t k) const;
  // The mesh's own vertex at a corner of a welded triangle.
  uint32_t original(uint32_t corner) const;
  const V3f& at(uint32_t place) const { return m_w.positions[place]; }

  void chooseEdges();
  // Triangles that lie in one plane side by side.
  void findFlats();
  // The triangle beyond edge k of t.
  uint32_t across(uint32_t t, uint32_t k) const;
  uint32_t cornerIn(uint32_t t, uint32_t place) const {
    return vertex(t, 0) == place ? 0u : vertex(t, 1) == place ? 1u : 2u;
  }

  // How far from the edge the arc touches: radius · tan(half the turn), for a knife's edge that of 160°.
  float reach(uint32_t edge) const { return m_radius * std::tan(0.5f * std::min(m_turn[edge], 160 * pi / 180)); }

  void gatherFans();

  // Where an edge ends at a flat side between two sharp edges that are not rounded, the round is cut off by that side.
  bool splitAtEnd(Fan& fan);

  // Where an inner edge meets two outer ones (or the other way around) at a right angle to the side between those, the
  // outline of that side is an arc, and the corner a piece of a ring.
  void findOdd(Fan& fan);
  // Of such a corner: for each point of the odd edge's arc, from the sector before it to the one after, an arc from
  // there to the side across.
  std::vector<std::vector<ArcPoint>> ringAt(const Fan& fan) const;
  // From one direction to another, by equal angles.
  static V3f turned(const V3f& from, const V3f& to, float t);

  // The normal of the corners from `begin` up to `end`, by their angles: the mesh's own if it is near to it.
  V3f normalAround(uint32_t place, uint32_t begin, uint32_t end) const;

  // The place that keeps its distance from the edges on both sides and stays in the faces beside them: least squares in
  // three unknowns, exact wherever that can be had (flat sectors, and the straight lines between two flats).
  void solve(Sector& s, bool stays);

  V3f moved(uint32_t corner) const;

  // A flat's outline after its corners have moved, counter-clockwise around it. Of every point: the place in the mesh.
  struct OutlinePoint {
    ArcPoint point;
    uint32_t corner;
  };
  std::vector<std::vector<OutlinePoint>> outlines(const std::vector<uint32_t>& triangles) const;
  // The flat filled anew, of points of its outline; empty if the outline crosses itself or has turned over: then
  // `clashes` are the places of the mesh at which it does.
  std::vector<std::array<OutlinePoint, 3>> refilled(const std::vector<uint32_t>& triangles,
                                                    std::vector<uint32_t>* clashes = nullptr) const;

  // True if the patch of a corner folds over: more than three sides that no ball touches.
  bool folds(const Fan& fan);

  // Where a triangle would turn over, its flat is filled anew; where that is no way out, its corners get less of the
  // radius.
  void findRoom(const BuildFrom& from);

  uint32_t add(const V3f& position, const V3f& normal, const V2f& uv);
  void face(uint32_t a, uint32_t b, uint32_t c, uint8_t inside);
  uint8_t insideOf(uint32_t triangle) const {
    return m_mesh.inside.empty() ? uint8_t(0) : m_mesh.inside[m_w.origin[triangle]];
  }

  V2f uvOf(uint32_t corner) const { return m_mesh.uvs.empty() ? V2f(0, 0) : m_mesh.uvs[original(corner)]; }
  // Where the corner has gone to in the texture, read off the triangle of its sector under that place.
  V2f movedUv(uint32_t corner) const { return uvAt(corner, moved(corner)); }
  V2f uvAt(uint32_t corner, const V3f& position) const;

  void regions();

  V3f sectorAt(uint32_t sector) const {
    return at(m_sectors[sector].place) + m_sectors[sector].way * m_room[m_sectors[sector].place];
  }
  // Of the arc between two sectors, across an edge along `along`: more than 0 where it bulges.
  float arcRadius(uint32_t from, uint32_t to, const V3f& along) const;
  V3f alongOf(uint32_t edge) const { return normalize(at(m_edges[edge].b) - at(m_edges[edge].a)); }
  // It lies on the cylinder about the edge that touches both sides; where only two meet or one ends, it may be cut at a
  // slant, in the plane of its ends and the corner.
  std::vector<ArcPoint> arc(uint32_t from, uint32_t to, uint32_t edge, bool mayBeCut) const;
  // The outline that the end of a round gives the sector across from it, as the sector's outline runs.
  std::vector<ArcPoint> arcAcross(uint32_t sector) const;
  // Each edge's arc at each of its ends, from the sector before it to the one after, as the fan runs.
  void arcs(const Fan& fan);
  uint64_t key(uint32_t edge, uint32_t place) const { return 2 * uint64_t(edge) + (m_edges[edge].b == place); }

  void strip(uint32_t edge);

  // Where three edges or more meet (or two at a rim): from each sector's corner to the middles of the arcs beside it
  // and to the middle of the patch. A place in it is as far from the centres of its arcs as they are, along the normal
  // between the sectors'; for one radius that is the ball that touches all sides.
  void patch(const Fan& fan);
  // Of a corner with one edge that bends the other way.
  void oddPatch(const Fan& fan);
  // Side i runs from sector i - 1 to sector i; at a rim the last is a straight one, whose radius is 0.
  std::vector<std::vector<ArcPoint>> sidesOf(const Fan& fan, std::vector<float>& radius) const;

  const Mesh& m_mesh;
  const Welded m_w;
  const std::vector<MeshEdge> m_edges;
  const float m_radius;
  const int m_half; ///< facets from a side to the middle of the arc
  const float m_least;
  const bool m_outward, m_inward;
  std::vector<uint32_t> m_edgeOf; ///< by corner of a triangle: the edge that begins there
  std::vector<V3f> m_normals;     ///< by triangle
  std::vector<float> m_turn;      ///< by edge: radians; 0: it is not rounded
  size_t m_count = 0;
  std::vector<uint32_t> m_corners, m_sectorOf;
  std::vector<Sector> m_sectors;
  std::vector<Fan> m_fans;
  std::unordered_map<uint32_t, uint32_t> m_fanOf; ///< by sector across from an odd edge
  std::vector<char> m_out;                        ///< by edge: it sticks out
  std::vector<char> m_sharp;                      ///< by edge: it turns by more, rounded or not
  std::vector<uint32_t> m_flatOf;                 ///< by triangle: the flat that it is part of
  uint32_t m_flats = 0;
  std::vector<char> m_refill; ///< by flat
  std::vector<std::pair<uint32_t, std::vector<std::array<OutlinePoint, 3>>>>
      m_filled;              ///< a triangle of the flat, and those in its stead
  std::vector<float> m_room; ///< by place: the share of the radius
  std::unordered_map<uint64_t, std::vector<ArcPoint>> m_arcs;
  Mesh* m_made = nullptr;
};

} // namespace ilumbra::rounding
