#include "core/geometry/mesh_tools.h"

#include "core/geometry/grid.h"

#include <numeric>
#include <unordered_map>

namespace ilumbra {

Welded weld(const Mesh& mesh) {
  Welded w;
  const uint32_t places = placesOf(mesh, w.place);
  w.positions.resize(places);
  for (size_t i = 0; i < mesh.positions.size(); ++i) w.positions[w.place[i]] = mesh.positions[i];
  for (size_t i = 0; i < mesh.triangles.size(); ++i) {
    const auto& t = mesh.triangles[i];
    const Mesh::Triangle k{w.place[t.a], w.place[t.b], w.place[t.c]};
    if (k.a == k.b || k.b == k.c || k.c == k.a) continue;
    w.triangles.push_back(k);
    w.origin.push_back(uint32_t(i));
  }
  return w;
}

std::vector<MeshEdge> edgesOf(const Welded& mesh) {
  struct Half {
    uint64_t key;
    uint32_t triangle;
    bool forward;
  };
  std::vector<Half> halves;
  halves.reserve(3 * mesh.triangles.size());
  for (uint32_t i = 0; i < mesh.triangles.size(); ++i) {
    const auto& t = mesh.triangles[i];
    const uint32_t v[3] = {t.a, t.b, t.c};
    for (int k = 0; k < 3; ++k) {
      const uint32_t a = v[k], b = v[(k + 1) % 3];
      halves.push_back({uint64_t(std::min(a, b)) << 32 | std::max(a, b), i, a < b});
    }
  }
  std::sort(halves.begin(), halves.end(),
            [](const Half& x, const Half& y) { return x.key != y.key ? x.key < y.key : x.triangle < y.triangle; });
  std::vector<MeshEdge> edges;
  for (size_t i = 0; i < halves.size();) {
    MeshEdge e{uint32_t(halves[i].key >> 32), uint32_t(halves[i].key)};
    size_t j = i;
    for (; j < halves.size() && halves[j].key == halves[i].key; ++j) {
      uint32_t& side = halves[j].forward ? e.left : e.right;
      if (side != MeshEdge::none) e.crowded = true;
      side = halves[j].triangle;
    }
    edges.push_back(e);
    i = j;
  }
  return edges;
}

V3f normalOf(const Welded& w, uint32_t triangle) {
  const auto& t = w.triangles[triangle];
  return normalize(cross(w.positions[t.b] - w.positions[t.a], w.positions[t.c] - w.positions[t.a]));
}

uint32_t oppositeOf(const Mesh::Triangle& t, const MeshEdge& e) {
  return t.a != e.a && t.a != e.b ? t.a : t.b != e.a && t.b != e.b ? t.b : t.c;
}

std::vector<V3f> placeNormals(const Welded& w) {
  std::vector<V3f> sum(w.positions.size(), V3f(0.0f));
  for (uint32_t i = 0; i < w.triangles.size(); ++i) {
    const auto& t = w.triangles[i];
    const uint32_t v[3] = {t.a, t.b, t.c};
    const V3f n = normalOf(w, i);
    for (int k = 0; k < 3; ++k) {
      const V3f e1 = normalize(w.positions[v[(k + 1) % 3]] - w.positions[v[k]]),
                e2 = normalize(w.positions[v[(k + 2) % 3]] - w.positions[v[k]]);
      sum[v[k]] += n * std::acos(std::clamp(dot(e1, e2), -1.0f, 1.0f));
    }
  }
  for (V3f& s : sum) s = normalize(s);
  return sum;
}

double volume(const Mesh& mesh) {
  double sum = 0;
  const Box3f box = [&] {
    Box3f b;
    for (const V3f& p : mesh.positions) b.extendBy(p);
    return b;
  }();
  if (box.isEmpty()) return 0;
  const Imath::V3d o(box.center()); // near by, so that little is lost
  for (const auto& t : mesh.triangles) {
    const Imath::V3d a = Imath::V3d(mesh.positions[t.a]) - o, b = Imath::V3d(mesh.positions[t.b]) - o,
                     c = Imath::V3d(mesh.positions[t.c]) - o;
    sum += a.dot(b.cross(c));
  }
  return sum / 6;
}

int eulerCharacteristic(const Mesh& mesh) {
  const Welded w = weld(mesh);
  std::vector<char> used(w.positions.size());
  for (const auto& t : w.triangles) used[t.a] = used[t.b] = used[t.c] = 1;
  return int(std::count(used.begin(), used.end(), 1)) - int(edgesOf(w).size()) + int(w.triangles.size());
}

uint32_t components(const Mesh& mesh, std::vector<uint32_t>& of) {
  const Welded w = weld(mesh);
  std::vector<uint32_t> up(w.positions.size());
  std::iota(up.begin(), up.end(), 0u);
  const auto root = [&](uint32_t i) {
    while (up[i] != i) i = up[i] = up[up[i]];
    return i;
  };
  for (const auto& t : w.triangles) {
    up[root(t.b)] = root(t.a);
    up[root(t.c)] = root(t.a);
  }
  std::unordered_map<uint32_t, uint32_t> number;
  of.assign(mesh.triangles.size(), 0);
  for (size_t i = 0; i < mesh.triangles.size(); ++i)
    of[i] = number.emplace(root(w.place[mesh.triangles[i].a]), uint32_t(number.size())).first->second;
  return uint32_t(number.size());
}

std::vector<char> quadDiagonals(const Welded& w, const std::vector<MeshEdge>& edges) {
  struct Pair {
    float worth;
    size_t edge;
  };
  std::vector<Pair> pairs;
  for (size_t i = 0; i < edges.size(); ++i) {
    const MeshEdge& e = edges[i];
    if (e.open() || e.crowded) continue;
    const V3f p[4] = {w.positions[e.a], w.positions[oppositeOf(w.triangles[e.right], e)], w.positions[e.b],
                      w.positions[oppositeOf(w.triangles[e.left], e)]};
    const V3f n1 = normalize(cross(p[2] - p[0], p[3] - p[0])), n2 = normalize(cross(p[1] - p[0], p[2] - p[0]));
    const float flat = dot(n1, n2);
    if (flat < 0.8f) continue;
    float skew = 0;
    for (int k = 0; k < 4; ++k)
      skew = std::max(skew, std::abs(dot(normalize(p[(k + 1) % 4] - p[k]), normalize(p[(k + 3) % 4] - p[k]))));
    if (skew < 0.75f) pairs.push_back({flat - skew, i});
  }
  std::stable_sort(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) { return a.worth > b.worth; });
  std::vector<char> taken(w.triangles.size()), diagonal(edges.size());
  for (const Pair& p : pairs) {
    const MeshEdge& e = edges[p.edge];
    if (taken[e.left] || taken[e.right]) continue;
    taken[e.left] = taken[e.right] = diagonal[p.edge] = 1;
  }
  return diagonal;
}

void splitLongEdges(Mesh& mesh, float length, size_t most) {
  if (!(length > 0)) return;
  for (int round = 0; round < 24 && mesh.triangles.size() < most; ++round) {
    const auto tooLong = [&](uint32_t a, uint32_t b) {
      return (mesh.positions[a] - mesh.positions[b]).length2() > length * length;
    };
    std::unordered_map<uint64_t, uint32_t> middle; // by edge of the mesh itself, not of the welded one: seams stay
    const auto middleOf = [&](uint32_t a, uint32_t b) {
      const auto [it, made] =
          middle.emplace(uint64_t(std::min(a, b)) << 32 | std::max(a, b), uint32_t(mesh.positions.size()));
      if (made) {
        // From the same end on both sides of a seam, so that both come out the same to the bit.
        appendMiddle(mesh, a, b);
        if (!mesh.normals.empty()) mesh.normals.push_back(normalize(mesh.normals[a] + mesh.normals[b]));
      }
      return it->second;
    };
    std::vector<Mesh::Triangle> out;
    std::vector<uint8_t> inside;
    bool any = false;
    for (size_t i = 0; i < mesh.triangles.size(); ++i) {
      const Mesh::Triangle t = mesh.triangles[i];
      const uint32_t v[3] = {t.a, t.b, t.c};
      bool split[3];
      int count = 0;
      for (int k = 0; k < 3; ++k) count += split[k] = tooLong(v[k], v[(k + 1) % 3]);
      const size_t from = out.size();
      if (count == 0) {
        out.push_back(t);
      } else {
        any = true;
        uint32_t m[3] = {};
        for (int k = 0; k < 3; ++k)
          if (split[k]) m[k] = middleOf(v[k], v[(k + 1) % 3]);
        if (count == 3) {
          out.push_back({v[0], m[0], m[2]});
          out.push_back({m[0], v[1], m[1]});
          out.push_back({m[2], m[1], v[2]});
          out.push_back({m[0], m[1], m[2]});
        } else if (count == 1) {
          const int k = split[0] ? 0 : split[1] ? 1 : 2;
          out.push_back({v[k], m[k], v[(k + 2) % 3]});
          out.push_back({m[k], v[(k + 1) % 3], v[(k + 2) % 3]});
        } else {
          // The side that stays whole is v[k] to v[k + 1].
          const int k = !split[0] ? 0 : !split[1] ? 1 : 2;
          const uint32_t a = v[k], b = v[(k + 1) % 3], c = v[(k + 2) % 3], bc = m[(k + 1) % 3], ca = m[(k + 2) % 3];
          out.push_back({ca, bc, c});
          if ((mesh.positions[a] - mesh.positions[bc]).length2() < (mesh.positions[b] - mesh.positions[ca]).length2()) {
            out.push_back({a, b, bc});
            out.push_back({a, bc, ca});
          } else {
            out.push_back({a, b, ca});
            out.push_back({b, bc, ca});
          }
        }
      }
      if (!mesh.inside.empty()) inside.insert(inside.end(), out.size() - from, mesh.inside[i]);
    }
    mesh.triangles = std::move(out);
    mesh.inside = std::move(inside);
    if (!any) return;
  }
}

void deform(Mesh& mesh, const std::function<V3f(const V3f&)>& map) {
  Box3f box;
  for (const V3f& p : mesh.positions) box.extendBy(p);
  const float step = std::max(1e-6f, 1e-3f * maxComponent(box.isEmpty() ? V3f(1.0f) : box.size()));
  for (size_t i = 0; i < mesh.positions.size(); ++i) {
    const V3f p = mesh.positions[i];
    if (!mesh.normals.empty()) {
      // The cofactors of the slope turn normals, whatever its determinant (but for its sign).
      V3f column[3];
      for (int k = 0; k < 3; ++k) {
        V3f d(0.0f);
        d[k] = step;
        column[k] = map(p + d) - map(p - d);
      }
      const V3f n = mesh.normals[i];
      V3f m = cross(column[1], column[2]) * n.x + cross(column[2], column[0]) * n.y + cross(column[0], column[1]) * n.z;
      if (dot(column[0], cross(column[1], column[2])) < 0) m = -m;
      if (!isBlack(m)) mesh.normals[i] = normalize(m);
    }
    mesh.positions[i] = map(p);
  }
}

void transform(Mesh& mesh, const M44f& matrix) {
  const M44f back = matrix.inverse();
  for (V3f& p : mesh.positions) p = transformPoint(matrix, p);
  for (V3f& n : mesh.normals) n = normalize(transformNormal(back, n));
  if (matrix.determinant() < 0)
    for (auto& t : mesh.triangles) std::swap(t.b, t.c);
}

void flip(Mesh& mesh) {
  for (V3f& n : mesh.normals) n = -n;
  for (auto& t : mesh.triangles) std::swap(t.b, t.c);
}

Mesh part(const Mesh& mesh, const std::function<bool(size_t)>& keep) {
  Mesh out;
  std::vector<uint32_t> to(mesh.positions.size(), ~0u);
  const auto vertex = [&](uint32_t i) {
    if (to[i] == ~0u) {
      to[i] = uint32_t(out.positions.size());
      appendVertex(out, mesh, i);
      if (!mesh.normals.empty()) out.normals.push_back(mesh.normals[i]);
    }
    return to[i];
  };
  for (size_t i = 0; i < mesh.triangles.size(); ++i) {
    if (!keep(i)) continue;
    const auto& t = mesh.triangles[i];
    const uint32_t a = vertex(t.a), b = vertex(t.b), c = vertex(t.c);
    out.triangles.push_back({a, b, c});
    if (!mesh.inside.empty()) out.inside.push_back(mesh.inside[i]);
  }
  return out;
}

Mesh ballMesh(float radius, uint32_t around) {
  const uint32_t columns = std::max(3u, around), rows = std::max(2u, columns / 2);
  Mesh m;
  for (uint32_t j = 0; j <= rows; ++j)
    for (uint32_t i = 0; i <= columns; ++i) {
      const double theta = M_PI * j / rows, phi = 2 * M_PI * (i % columns) / columns,
                   s = j == 0 || j == rows ? 0 : std::sin(theta);
      const V3f n(float(s * std::cos(phi)), float(-std::cos(theta)), float(-s * std::sin(phi)));
      m.positions.push_back(n * radius);
      m.normals.push_back(n);
      m.uvs.emplace_back(float(i) / float(columns), float(j) / float(rows));
    }
  for (uint32_t j = 0; j < rows; ++j)
    for (uint32_t i = 0; i < columns; ++i) {
      const uint32_t a = j * (columns + 1) + i, b = a + 1, c = a + columns + 1, d = c + 1;
      if (j > 0) m.triangles.push_back({a, b, d});
      if (j + 1 < rows) m.triangles.push_back({a, d, c});
    }
  return m;
}

Mesh innermostVoids(const Mesh& mesh) {
  std::vector<uint32_t> of;
  const uint32_t count = components(mesh, of);
  std::vector<Mesh> voids;
  std::vector<Box3f> boxes;
  for (uint32_t c = 0; c < count; ++c) {
    Mesh one = part(mesh, [&](size_t t) { return of[t] == c; });
    if (!(volume(one) < 0)) continue;
    Box3f box;
    for (const V3f& p : one.positions) box.extendBy(p);
    boxes.push_back(box);
    voids.push_back(std::move(one));
  }
  Mesh out;
  for (size_t i = 0; i < voids.size(); ++i) {
    // One that holds another is the space between two walls.
    bool holds = false;
    for (size_t j = 0; j < voids.size(); ++j)
      holds |= j != i && boxes[i].intersects(boxes[j].min) && boxes[i].intersects(boxes[j].max);
    if (holds) continue;
    flip(voids[i]);
    append(out, voids[i]);
  }
  return out;
}

V3f nearestOnTriangle(const V3f& p, const V3f& a, const V3f& b, const V3f& c) {
  const V3f ab = b - a, ac = c - a, ap = p - a;
  const float d1 = dot(ab, ap), d2 = dot(ac, ap);
  if (d1 <= 0 && d2 <= 0) return a;
  const V3f bp = p - b;
  const float d3 = dot(ab, bp), d4 = dot(ac, bp);
  if (d3 >= 0 && d4 <= d3) return b;
  const V3f cp = p - c;
  const float d5 = dot(ab, cp), d6 = dot(ac, cp);
  if (d6 >= 0 && d5 <= d6) return c;
  const float vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return a + ab * (d1 / (d1 - d3));
  const float vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return a + ac * (d2 / (d2 - d6));
  const float va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) return b + (c - b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6)));
  const float all = 1 / (va + vb + vc);
  return a + ab * (vb * all) + ac * (vc * all);
}

} // namespace ilumbra
