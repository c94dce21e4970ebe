#include "core/geometry/solids.h"

#include "core/base/error.h"
#include "core/geometry/health.h"
#include "core/geometry/mesh_tools.h"

#include <CGAL/box_intersection_d.h>
#include <CGAL/Exact_predicates_inexact_constructions_kernel.h>
#include <CGAL/Polygon_mesh_processing/corefinement.h>
#include <CGAL/Polygon_mesh_processing/orient_polygon_soup.h>
#include <CGAL/Polygon_mesh_processing/orientation.h>
#include <CGAL/Polygon_mesh_processing/polygon_soup_to_polygon_mesh.h>
#include <CGAL/Polygon_mesh_processing/self_intersections.h>
#include <CGAL/Polygon_mesh_processing/triangulate_hole.h>
#include <CGAL/Surface_mesh.h>

#include <fmt/format.h>
#include <unordered_map>

namespace ilumbra {
namespace {

namespace pmp = CGAL::Polygon_mesh_processing;
using Kernel = CGAL::Exact_predicates_inexact_constructions_kernel;
using Solid = CGAL::Surface_mesh<Kernel::Point_3>;
using Face = Solid::Face_index;
// Which triangle a face is part of: of the first body by its number, of the second by -1 minus its number.
using Origins = Solid::Property_map<Face, int64_t>;

Solid solidOf(const Mesh& mesh, bool second, const std::string& name) {
  const Welded w = weld(mesh);
  Solid solid;
  std::vector<Solid::Vertex_index> at;
  for (const V3f& p : w.positions) at.push_back(solid.add_vertex({double(p.x), double(p.y), double(p.z)}));
  Origins origin = solid.add_property_map<Face, int64_t>("f:origin", 0).first;
  for (size_t i = 0; i < w.triangles.size(); ++i) {
    const auto& t = w.triangles[i];
    const Face f = solid.add_face(at[t.a], at[t.b], at[t.c]);
    if (f == Solid::null_face())
      throw badInput(name + ": has doubled faces, or edges at which more than two faces meet");
    origin[f] = second ? -1 - int64_t(w.origin[i]) : int64_t(w.origin[i]);
  }
  if (!CGAL::is_closed(solid)) throw badInput(name + ": is an open mesh, which has no inside");
  if (!pmp::is_outward_oriented(solid)) pmp::reverse_face_orientations(solid);
  return solid;
}

struct Visitor : pmp::Corefinement::Default_visitor<Solid> {
  int64_t splitting = 0;
  static Origins of(const Solid& s) { return s.property_map<Face, int64_t>("f:origin").first; }
  void before_subface_creations(Face f, Solid& s) { splitting = of(s)[f]; }
  void after_subface_created(Face f, Solid& s) { of(s)[f] = splitting; }
  void after_face_copy(Face from, const Solid& s, Face to, Solid& out) { of(out)[to] = of(s)[from]; }
};

struct CornerKey {
  V3f p, n;
  V2f uv;
  bool operator==(const CornerKey& o) const { return p == o.p && n == o.n && uv == o.uv; }
};
struct CornerHash {
  size_t operator()(const CornerKey& k) const {
    size_t h = 1469598103934665603u;
    for (const float v : {k.p.x, k.p.y, k.p.z, k.n.x, k.n.y, k.n.z, k.uv.x, k.uv.y})
      h = (h ^ std::hash<float>()(v)) * 1099511628211u;
    return h;
  }
};

} // namespace

static Mesh joinedOnce(const Mesh& first, const Mesh& second, Joining how, const std::string& firstName,
                       const std::string& secondName) {
  Solid a = solidOf(first, false, firstName), b = solidOf(second, true, secondName), out;
  out.add_property_map<Face, int64_t>("f:origin", 0);
  const auto done = [&] {
    const auto visitor = CGAL::parameters::visitor(Visitor()).throw_on_self_intersection(true);
    switch (how) {
    case Joining::Union:
      return pmp::corefine_and_compute_union(a, b, out, visitor);
    case Joining::Cut:
      return pmp::corefine_and_compute_difference(a, b, out, visitor);
    default:
      return pmp::corefine_and_compute_intersection(a, b, out, visitor);
    }
  };
  bool ok = false;
  try {
    ok = done();
  } catch (const std::exception&) {
    throw badInput(
        fmt::format("{} and {} cannot be joined: one of them crosses itself where they meet", firstName, secondName));
  }
  if (!ok)
    throw badInput(
        fmt::format("{} and {} touch in edges only, so that what comes of them is no body", firstName, secondName));
  Mesh mesh;
  const bool normals = !first.normals.empty() || !second.normals.empty(),
             uvs = !first.uvs.empty() || !second.uvs.empty();
  std::unordered_map<CornerKey, uint32_t, CornerHash> known;
  const Origins origin = Visitor::of(out);
  for (const Face f : out.faces()) {
    const bool other = origin[f] < 0;
    const Mesh& from = other ? second : first;
    const auto& t = from.triangles[size_t(other ? -1 - origin[f] : origin[f])];
    const Imath::V3d p0(from.positions[t.a]), e1 = Imath::V3d(from.positions[t.b]) - p0,
                                              e2 = Imath::V3d(from.positions[t.c]) - p0, n = e1.cross(e2);
    const double area = n.length2();
    const bool flipped = how == Joining::Cut && other;
    uint32_t v[3];
    int k = 0;
    for (const auto vertex : CGAL::vertices_around_face(out.halfedge(f), out)) {
      const auto& p = out.point(vertex);
      const Imath::V3d at(p.x(), p.y(), p.z()), d = at - p0;
      const double u = area > 0 ? d.cross(e2).dot(n) / area : 0, w = area > 0 ? e1.cross(d).dot(n) / area : 0;
      const auto across = [&](const auto& list) {
        return list[t.a] * float(1 - u - w) + list[t.b] * float(u) + list[t.c] * float(w);
      };
      CornerKey key{V3f(at), V3f(0.0f), V2f(0, 0)};
      if (normals) key.n = from.normals.empty() ? V3f(n.normalized()) : normalize(across(from.normals));
      if (flipped) key.n = -key.n;
      if (!from.uvs.empty()) key.uv = across(from.uvs);
      const auto [it, made] = known.emplace(key, uint32_t(mesh.positions.size()));
      if (made) {
        mesh.positions.push_back(key.p);
        if (normals) mesh.normals.push_back(key.n);
        if (uvs) mesh.uvs.push_back(key.uv);
      }
      v[k++ % 3] = it->second;
    }
    if (v[0] == v[1] || v[1] == v[2] || v[2] == v[0]) continue;
    mesh.triangles.push_back({v[0], v[1], v[2]});
    const bool was = !from.inside.empty() && from.inside[size_t(other ? -1 - origin[f] : origin[f])];
    mesh.inside.push_back(was || (other && how != Joining::Union));
  }
  if (std::none_of(mesh.inside.begin(), mesh.inside.end(), [](uint8_t i) { return i; })) mesh.inside.clear();
  return mesh;
}

// What came of one join may have corners so near to one another that floats let its faces fold: smoothed out, it is a
// body again.
Mesh joined(const Mesh& first, const Mesh& second, Joining how, const std::string& firstName,
            const std::string& secondName) {
  try {
    return joinedOnce(first, second, how, firstName, secondName);
  } catch (const Error&) {
    const auto isOpen = [](const Mesh& m) {
      const auto edges = edgesOf(weld(m));
      return std::any_of(edges.begin(), edges.end(), [](const MeshEdge& e) { return e.open() && !e.crowded; });
    };
    if (isOpen(first) || isOpen(second)) throw;
    const auto smoothed = [](const Mesh& m) {
      Box3f box;
      for (const V3f& p : m.positions) box.extendBy(p);
      return mended(
          m, {.merge = 2e-6f * length(box.size()), .clean = true, .outwards = false, .close = true, .largestHole = 6});
    };
    const Mesh a = smoothed(first), b = smoothed(second);
    if (!isClosed(a) || !isClosed(b) ||
        (a.triangles.size() == first.triangles.size() && b.triangles.size() == second.triangles.size() &&
         a.positions == first.positions && b.positions == second.positions))
      throw;
    return joinedOnce(a, b, how, firstName, secondName);
  }
}

Mesh clipped(const Mesh& mesh, const V3f& point, const V3f& normal) {
  Mesh out;
  std::vector<uint32_t> kept(mesh.positions.size(), ~0u);
  std::unordered_map<uint64_t, uint32_t> cuts;
  const auto side = [&](uint32_t i) { return dot(mesh.positions[i] - point, normal); };
  const auto add = [&](const V3f& p, const V3f& n, const V2f& uv) {
    out.positions.push_back(p);
    if (!mesh.normals.empty()) out.normals.push_back(n);
    if (!mesh.uvs.empty()) out.uvs.push_back(uv);
    return uint32_t(out.positions.size() - 1);
  };
  const auto vertex = [&](uint32_t i) {
    if (kept[i] == ~0u)
      kept[i] = add(mesh.positions[i], mesh.normals.empty() ? V3f(0.0f) : mesh.normals[i],
                    mesh.uvs.empty() ? V2f(0, 0) : mesh.uvs[i]);
    return kept[i];
  };
  const auto cut = [&](uint32_t a, uint32_t b) {
    if (a > b) std::swap(a, b);
    const auto [it, made] = cuts.emplace(uint64_t(a) << 32 | b, 0u);
    if (made) {
      // From the end with the smaller place, so that both sides of a seam come out the same to the bit.
      const V3f &pa = mesh.positions[a], &pb = mesh.positions[b];
      const bool turn = std::tie(pb.x, pb.y, pb.z) < std::tie(pa.x, pa.y, pa.z);
      const uint32_t i = turn ? b : a, k = turn ? a : b;
      const float si = side(i), t = si / (si - side(k));
      it->second = add(mix(mesh.positions[i], mesh.positions[k], t),
                       mesh.normals.empty() ? V3f(0.0f) : normalize(mix(mesh.normals[i], mesh.normals[k], t)),
                       mesh.uvs.empty() ? V2f(0, 0) : mesh.uvs[i] * (1 - t) + mesh.uvs[k] * t);
    }
    return it->second;
  };
  for (size_t i = 0; i < mesh.triangles.size(); ++i) {
    const auto& t = mesh.triangles[i];
    const uint32_t v[3] = {t.a, t.b, t.c};
    std::vector<uint32_t> ring;
    for (int k = 0; k < 3; ++k) {
      const uint32_t a = v[k], b = v[(k + 1) % 3];
      const bool in = side(a) <= 0, next = side(b) <= 0;
      if (in) ring.push_back(vertex(a));
      if (in != next) ring.push_back(cut(a, b));
    }
    for (size_t k = 1; k + 1 < ring.size(); ++k) {
      out.triangles.push_back({ring[0], ring[k], ring[k + 1]});
      if (!mesh.inside.empty()) out.inside.push_back(mesh.inside[i]);
    }
  }
  return out;
}

std::vector<uint32_t> crossingFaces(const Welded& w, const CancelFlag* cancel) {
  using Box = CGAL::Box_intersection_d::Box_with_info_d<float, 3, uint32_t>; // places are floats: the boxes are exact
  std::vector<Kernel::Point_3> points;
  points.reserve(w.positions.size());
  for (const V3f& p : w.positions) points.emplace_back(double(p.x), double(p.y), double(p.z));
  std::vector<Box> boxes;
  boxes.reserve(w.triangles.size());
  for (uint32_t i = 0; i < w.triangles.size(); ++i) {
    const auto& t = w.triangles[i];
    if (CGAL::collinear(points[t.a], points[t.b], points[t.c])) continue; // without area, and told as such
    const V3f &a = w.positions[t.a], &b = w.positions[t.b], &c = w.positions[t.c];
    V3f low = vmin(a, vmin(b, c)), high = vmax(a, vmax(b, c));
    boxes.emplace_back(Box(&low.x, &high.x, i));
  }
  std::vector<char> crosses(w.triangles.size(), 0);
  const auto triangle = [&](const Mesh::Triangle& t) {
    return Kernel::Triangle_3(points[t.a], points[t.b], points[t.c]);
  };
  CGAL::box_self_intersection_d(boxes.begin(), boxes.end(), [&](const Box& x, const Box& y) {
    if (cancel && cancel->requested()) throw cancelled();
    const auto &s = w.triangles[x.info()], &t = w.triangles[y.info()];
    const uint32_t a[3] = {s.a, s.b, s.c}, b[3] = {t.a, t.b, t.c};
    int shared = 0, sharedA = 0, sharedB = 0;
    for (int i = 0; i < 3; ++i)
      for (int k = 0; k < 3; ++k)
        if (a[i] == b[k]) {
          ++shared;
          sharedA = i;
          sharedB = k;
        }
    bool met = false;
    if (shared == 0) {
      met = CGAL::do_intersect(triangle(s), triangle(t));
    } else if (shared == 1) {
      // Beyond the corner that they share: the side opposite to it against the other face.
      const Kernel::Segment_3 far(points[a[(sharedA + 1) % 3]], points[a[(sharedA + 2) % 3]]),
          near(points[b[(sharedB + 1) % 3]], points[b[(sharedB + 2) % 3]]);
      met = CGAL::do_intersect(far, triangle(t)) || CGAL::do_intersect(near, triangle(s));
    } else if (shared == 2) {
      // Folded onto each other: in one plane, with their third corners on the same side.
      int i = 0, k = 0;
      while (a[i] == b[0] || a[i] == b[1] || a[i] == b[2]) ++i;
      while (b[k] == a[0] || b[k] == a[1] || b[k] == a[2]) ++k;
      const auto &p = points[a[(i + 1) % 3]], &q = points[a[(i + 2) % 3]], &c = points[a[i]], &d = points[b[k]];
      met = CGAL::coplanar(p, q, c, d) && CGAL::coplanar_orientation(p, q, c, d) == CGAL::POSITIVE;
    }
    if (met) crosses[x.info()] = crosses[y.info()] = 1;
  });
  std::vector<uint32_t> out;
  for (uint32_t i = 0; i < crosses.size(); ++i)
    if (crosses[i]) out.push_back(i);
  return out;
}

std::vector<Mesh::Triangle> filledRing(const std::vector<V3f>& ring) {
  std::vector<Kernel::Point_3> points;
  for (const V3f& p : ring) points.emplace_back(double(p.x), double(p.y), double(p.z));
  std::vector<CGAL::Triple<int, int, int>> found;
  try {
    if (ring.size() <= 500) pmp::triangulate_hole_polyline(points, std::back_inserter(found));
  } catch (const std::exception&) {
    found.clear();
  }
  std::vector<Mesh::Triangle> out;
  for (const auto& t : found) out.push_back({uint32_t(t.first), uint32_t(t.second), uint32_t(t.third)});
  // Large rings, and such as the method gives up on, are filled as a fan.
  if (out.empty())
    for (uint32_t i = 1; i + 1 < ring.size(); ++i) out.push_back({0, i, i + 1});
  return out;
}

} // namespace ilumbra
