#include "core/geometry/flat.h"

#include <map>

#include <CGAL/Constrained_Delaunay_triangulation_2.h>
#include <CGAL/Exact_predicates_inexact_constructions_kernel.h>
#include <CGAL/Triangulation_face_base_with_info_2.h>
#include <CGAL/Triangulation_vertex_base_with_info_2.h>
#include <polyclipping/clipper.hpp>

namespace ilumbra {
namespace {

using Kernel = CGAL::Exact_predicates_inexact_constructions_kernel;
using Vertex = CGAL::Triangulation_vertex_base_with_info_2<uint32_t, Kernel>;
using Face =
    CGAL::Triangulation_face_base_with_info_2<int, Kernel, CGAL::Constrained_triangulation_face_base_2<Kernel>>;
using Plane = CGAL::Constrained_Delaunay_triangulation_2<Kernel, CGAL::Triangulation_data_structure_2<Vertex, Face>,
                                                         CGAL::Exact_predicates_tag>;

// Whole numbers for Clipper.
struct Lattice {
  double scale = 1;
  explicit Lattice(const Rings& rings) {
    double most = 1e-30;
    for (const auto& r : rings)
      for (const V2f& p : r) most = std::max({most, std::abs(double(p.x)), std::abs(double(p.y))});
    scale = 1e7 / most;
  }
  ClipperLib::Paths in(const Rings& rings) const {
    ClipperLib::Paths out;
    for (const auto& r : rings) {
      out.emplace_back();
      for (const V2f& p : r)
        out.back().emplace_back(ClipperLib::cInt(std::llround(double(p.x) * scale)),
                                ClipperLib::cInt(std::llround(double(p.y) * scale)));
    }
    return out;
  }
  Rings out(const ClipperLib::Paths& paths) const {
    Rings rings;
    for (const auto& p : paths) {
      if (p.size() < 3) continue;
      rings.emplace_back();
      for (const auto& q : p) rings.back().emplace_back(float(double(q.X) / scale), float(double(q.Y) / scale));
    }
    return rings;
  }
};

} // namespace

Rings united(const Rings& rings) {
  const Lattice lattice(rings);
  ClipperLib::Clipper c;
  c.StrictlySimple(true);
  c.AddPaths(lattice.in(rings), ClipperLib::ptSubject, true);
  ClipperLib::Paths out;
  c.Execute(ClipperLib::ctUnion, out, ClipperLib::pftNonZero, ClipperLib::pftNonZero);
  return lattice.out(out);
}

Rings inset(const Rings& rings, float by) {
  const Lattice lattice(rings);
  ClipperLib::ClipperOffset o(3);
  o.AddPaths(lattice.in(rings), ClipperLib::jtMiter, ClipperLib::etClosedPolygon);
  ClipperLib::Paths out;
  o.Execute(out, -double(by) * lattice.scale);
  return lattice.out(out);
}

Filled filled(const Rings& rings) {
  Filled f;
  Plane plane;
  std::map<std::pair<float, float>, uint32_t> known;
  std::vector<Plane::Vertex_handle> handles;
  for (const auto& ring : rings) {
    std::vector<Plane::Vertex_handle> line;
    for (const V2f& p : ring) {
      const auto [it, made] = known.emplace(std::pair(p.x, p.y), uint32_t(f.places.size()));
      if (made) {
        f.places.push_back(p);
        handles.push_back(plane.insert({double(p.x), double(p.y)}));
        handles.back()->info() = it->second;
      }
      line.push_back(handles[it->second]);
    }
    for (size_t i = 0; i < line.size(); ++i)
      if (line[i] != line[(i + 1) % line.size()]) plane.insert_constraint(line[i], line[(i + 1) % line.size()]);
  }
  // Where lines cross, the triangulation has made a place of its own.
  for (const Plane::Vertex_handle v : plane.finite_vertex_handles())
    if (v->info() >= handles.size() || handles[v->info()] != v) {
      v->info() = uint32_t(f.places.size());
      f.places.emplace_back(float(CGAL::to_double(v->point().x())), float(CGAL::to_double(v->point().y())));
      handles.push_back(v);
    }
  // How deep each face lies, by the lines that are crossed on the way in from outside.
  for (const auto face : plane.all_face_handles()) face->info() = -1;
  std::vector<Plane::Face_handle> here{plane.infinite_face()}, next;
  for (int depth = 0; !here.empty(); ++depth) {
    while (!here.empty()) {
      const auto face = here.back();
      here.pop_back();
      if (face->info() != -1) continue;
      face->info() = depth;
      for (int i = 0; i < 3; ++i) {
        const auto other = face->neighbor(i);
        if (other->info() == -1) (plane.is_constrained({face, i}) ? next : here).push_back(other);
      }
    }
    std::swap(here, next);
  }
  for (const auto face : plane.finite_face_handles())
    if (face->info() % 2 == 1)
      f.triangles.push_back({face->vertex(0)->info(), face->vertex(1)->info(), face->vertex(2)->info()});
  return f;
}

} // namespace ilumbra
