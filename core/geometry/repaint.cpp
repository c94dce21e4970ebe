// What was painted on a mesh, on another that was made from it.
#include "core/geometry/mesh_tools.h"

#include <algorithm>
#include <boost/geometry.hpp>
#include <boost/geometry/index/rtree.hpp>
#include <limits>

namespace ilumbra {
namespace {

namespace index = boost::geometry::index;
using Place = boost::geometry::model::point<float, 3, boost::geometry::cs::cartesian>;

// The vertices of a mesh, by where they are.
class Vertices {
 public:
  explicit Vertices(const Mesh& mesh) {
    std::vector<std::pair<Place, uint32_t>> all;
    for (uint32_t i = 0; i < mesh.positions.size(); ++i) all.emplace_back(placeOf(mesh.positions[i]), i);
    m_tree = Tree(all);
  }
  uint32_t nearest(const V3f& to) const { return m_tree.qbegin(index::nearest(placeOf(to), 1))->second; }

 private:
  using Tree = index::rtree<std::pair<Place, uint32_t>, index::quadratic<16>>;
  static Place placeOf(const V3f& p) { return {p.x, p.y, p.z}; }
  Tree m_tree;
};

} // namespace

void repaint(Mesh& to, const Mesh& from) {
  const bool colors = to.colors.empty() && !from.colors.empty(), uvs2 = to.uvs2.empty() && !from.uvs2.empty();
  if ((!colors && !uvs2) || from.triangles.empty()) return;
  const Vertices vertices(from);
  std::vector<uint32_t> first(from.positions.size() + 1), beside(3 * from.triangles.size());
  for (const auto& t : from.triangles)
    for (const uint32_t v : {t.a, t.b, t.c}) ++first[v + 1];
  for (size_t i = 1; i < first.size(); ++i) first[i] += first[i - 1];
  std::vector<uint32_t> next(first.begin(), first.end() - 1);
  for (uint32_t i = 0; i < from.triangles.size(); ++i)
    for (const uint32_t v : {from.triangles[i].a, from.triangles[i].b, from.triangles[i].c}) beside[next[v]++] = i;
  for (const V3f& p : to.positions) {
    const uint32_t vertex = vertices.nearest(p);
    uint32_t corner[3] = {vertex, vertex, vertex};
    float weight[3] = {1, 0, 0}, least = std::numeric_limits<float>::infinity();
    for (uint32_t k = first[vertex]; k < first[vertex + 1]; ++k) {
      const auto& t = from.triangles[beside[k]];
      const V3f a = from.positions[t.a], b = from.positions[t.b], c = from.positions[t.c];
      const V3f q = nearestOnTriangle(p, a, b, c), n = cross(b - a, c - a);
      const float d = (q - p).length2(), all = dot(n, n);
      if (d >= least || !(all > 0)) continue;
      least = d;
      const float v = dot(cross(q - a, c - a), n) / all, w = dot(cross(b - a, q - a), n) / all;
      const uint32_t at[3] = {t.a, t.b, t.c};
      const float share[3] = {1 - v - w, v, w};
      std::copy_n(at, 3, corner);
      std::copy_n(share, 3, weight);
    }
    if (colors) {
      V4f sum(0.0f);
      for (int k = 0; k < 3; ++k) sum += from.colors[corner[k]] * weight[k];
      to.colors.push_back(sum);
    }
    if (uvs2) {
      V2f sum(0.0f);
      for (int k = 0; k < 3; ++k) sum += from.uvs2[corner[k]] * weight[k];
      to.uvs2.push_back(sum);
    }
  }
}

} // namespace ilumbra
