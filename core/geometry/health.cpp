#include "core/geometry/health.h"

#include "core/base/error.h"
#include "core/geometry/solids.h"

#include <fmt/format.h>
#include <map>
#include <numeric>
#include <unordered_map>

namespace ilumbra {
namespace {

std::array<uint32_t, 3> sorted(const Mesh::Triangle& t) {
  std::array<uint32_t, 3> k{t.a, t.b, t.c};
  std::sort(k.begin(), k.end());
  return k;
}

// By triangle: 1 if one before it has the same corners.
std::vector<char> doubledFaces(const Welded& w) {
  std::vector<std::pair<std::array<uint32_t, 3>, uint32_t>> all;
  all.reserve(w.triangles.size());
  for (uint32_t i = 0; i < w.triangles.size(); ++i) all.emplace_back(sorted(w.triangles[i]), i);
  std::sort(all.begin(), all.end());
  std::vector<char> out(w.triangles.size(), 0);
  for (size_t i = 1; i < all.size(); ++i)
    if (all[i].first == all[i - 1].first) out[all[i].second] = 1;
  return out;
}

// Area against the longest side: what is thinner than a float can tell has none.
bool isEmpty(const V3f& a, const V3f& b, const V3f& c) {
  const V3f x = b - a, y = c - a, z = c - b;
  const float longest = std::max(dot(x, x), std::max(dot(y, y), dot(z, z)));
  return length(cross(x, y)) <= 1e-6f * longest;
}

// Rings of open edges, in the direction in which the faces beside them run. Where rings touch they are taken apart.
std::vector<std::vector<uint32_t>> ringsOf(const std::vector<MeshEdge>& edges) {
  std::multimap<uint32_t, uint32_t> next;
  for (const MeshEdge& e : edges) {
    if (!e.open() || e.crowded) continue;
    // The face runs a to b (or b to a); the hole's rim the other way.
    if (e.left != MeshEdge::none)
      next.emplace(e.b, e.a);
    else
      next.emplace(e.a, e.b);
  }
  std::vector<std::vector<uint32_t>> rings;
  while (!next.empty()) {
    std::vector<uint32_t> way{next.begin()->first};
    std::map<uint32_t, size_t> seen{{way[0], 0}};
    for (;;) {
      const auto it = next.find(way.back());
      if (it == next.end()) break; // a rim that ends is no ring
      const uint32_t to = it->second;
      next.erase(it);
      const auto met = seen.find(to);
      if (met == seen.end()) {
        seen.emplace(to, way.size());
        way.push_back(to);
        continue;
      }
      rings.emplace_back(way.begin() + std::ptrdiff_t(met->second), way.end());
      for (size_t i = met->second + 1; i < way.size(); ++i) seen.erase(way[i]);
      way.resize(met->second + 1);
      if (way.size() == 1) break;
    }
  }
  return rings;
}

// How often a ray from a point meets the triangles of a body, by Möller and Trumbore (1997), in doubles.
int crossingsOf(const Welded& w, const std::vector<uint32_t>& triangles, const V3f& from) {
  using V3d = Imath::V3d;
  const V3d d(0.5773503, 0.5773137, 0.5774339), o(from); // along no axis and no diagonal
  int count = 0;
  for (const uint32_t i : triangles) {
    const auto& t = w.triangles[i];
    const V3d a(w.positions[t.a]), e1 = V3d(w.positions[t.b]) - a, e2 = V3d(w.positions[t.c]) - a, p = d.cross(e2);
    const double det = e1.dot(p);
    if (std::abs(det) < 1e-300) continue;
    const V3d s = o - a, q = s.cross(e1);
    const double u = s.dot(p) / det, v = d.dot(q) / det;
    if (u >= 0 && v >= 0 && u + v <= 1 && e2.dot(q) / det > 0) ++count;
  }
  return count;
}

// Neighbours of a triangle over edges with two faces, and whether they run against each other there; three at most.
struct Neighbours {
  struct Side {
    uint32_t to = 0;
    bool agree = true;
  };
  std::array<Side, 3> at;
  uint32_t count = 0;
  void push(const Side& s) {
    if (count < 3) at[count++] = s;
  }
};

std::vector<Neighbours> neighbours(const Welded& w, const std::vector<MeshEdge>& edges) {
  std::vector<Neighbours> beside(w.triangles.size());
  std::map<std::pair<uint32_t, uint32_t>, std::vector<uint32_t>> pairs;
  for (const MeshEdge& e : edges) {
    if (!e.crowded && e.left != MeshEdge::none && e.right != MeshEdge::none) {
      beside[e.left].push({e.right, true});
      beside[e.right].push({e.left, true});
    } else if (e.crowded) {
      pairs[{e.a, e.b}] = {};
    }
  }
  if (pairs.empty()) return beside;
  // Two faces that run the same way along an edge are told as a crowd: they are found by going through the faces once
  // more.
  for (uint32_t i = 0; i < w.triangles.size(); ++i) {
    const uint32_t v[3] = {w.triangles[i].a, w.triangles[i].b, w.triangles[i].c};
    for (int k = 0; k < 3; ++k) {
      const uint32_t a = v[k], b = v[(k + 1) % 3];
      if (const auto it = pairs.find({std::min(a, b), std::max(a, b)}); it != pairs.end()) it->second.push_back(i);
    }
  }
  for (const auto& [edge, faces] : pairs) {
    if (faces.size() != 2) continue;
    beside[faces[0]].push({faces[1], false});
    beside[faces[1]].push({faces[0], false});
  }
  return beside;
}

struct Body {
  std::vector<uint32_t> triangles;
  Box3f box;
  double volume = 0;
  size_t turned = 0; ///< triangles
  bool closed = true;
};

// What hangs together. `turn` receives which triangles must be turned about to look where the first one of their body
// does.
std::vector<Body> bodiesOf(const Welded& w, const std::vector<Neighbours>& beside, std::vector<char>& turn) {
  const size_t n = w.triangles.size();
  turn.assign(n, 0);
  std::vector<uint32_t> body(n, ~0u);
  std::vector<Body> bodies;
  for (uint32_t first = 0; first < n; ++first) {
    if (body[first] != ~0u) continue;
    Body b;
    std::vector<uint32_t> open{first};
    body[first] = uint32_t(bodies.size());
    while (!open.empty()) {
      const uint32_t i = open.back();
      open.pop_back();
      b.triangles.push_back(i);
      if (beside[i].count < 3) b.closed = false;
      for (uint32_t k = 0; k < beside[i].count; ++k) {
        const Neighbours::Side& s = beside[i].at[k];
        if (body[s.to] != ~0u) continue;
        body[s.to] = uint32_t(bodies.size());
        turn[s.to] = s.agree ? turn[i] : !turn[i];
        open.push_back(s.to);
      }
    }
    for (const uint32_t i : b.triangles) {
      const auto& t = w.triangles[i];
      const Imath::V3d p(w.positions[t.a]), q(w.positions[t.b]), r(w.positions[t.c]);
      b.volume += (turn[i] ? -1 : 1) * p.dot(q.cross(r)) / 6;
      b.turned += size_t(turn[i]);
      for (const uint32_t v : {t.a, t.b, t.c}) b.box.extendBy(w.positions[v]);
    }
    bodies.push_back(std::move(b));
  }
  return bodies;
}

} // namespace

std::vector<char> lookingWrong(const Welded& w, const std::vector<MeshEdge>& edges) {
  std::vector<char> turn;
  const std::vector<Body> bodies = bodiesOf(w, neighbours(w, edges), turn);
  for (const Body& b : bodies) {
    bool about;
    if (b.closed) {
      // A hollow within another body looks inwards.
      int depth = 0;
      const V3f at = w.positions[w.triangles[b.triangles[0]].a];
      for (const Body& o : bodies)
        if (&o != &b && o.closed && o.box.intersects(at) && crossingsOf(w, o.triangles, at) % 2) ++depth;
      about = (b.volume < 0) != (depth % 2 == 1);
    } else {
      about = 2 * b.turned > b.triangles.size(); // as most of them lie
    }
    if (about)
      for (const uint32_t i : b.triangles) turn[i] = !turn[i];
  }
  return turn;
}

MeshHealth examine(const Mesh& mesh, bool crossings, const CancelFlag* cancel) {
  const auto stop = [&] {
    if (cancel && cancel->requested()) throw cancelled();
  };
  MeshHealth h;
  const Welded w = weld(mesh);
  stop();
  const auto face = [&](const Mesh::Triangle& t) {
    return MeshHealth::Face{w.positions[t.a], w.positions[t.b], w.positions[t.c]};
  };
  std::vector<char> kept(mesh.triangles.size(), 0);
  for (const uint32_t i : w.origin) kept[i] = 1;
  for (size_t i = 0; i < mesh.triangles.size(); ++i)
    if (!kept[i])
      h.empty.push_back({mesh.positions[mesh.triangles[i].a], mesh.positions[mesh.triangles[i].b],
                         mesh.positions[mesh.triangles[i].c]});
  const std::vector<char> again = doubledFaces(w);
  Welded sound{w.positions, {}, {}, {}};
  sound.triangles.reserve(w.triangles.size());
  for (size_t i = 0; i < w.triangles.size(); ++i) {
    const auto& t = w.triangles[i];
    if (isEmpty(w.positions[t.a], w.positions[t.b], w.positions[t.c])) h.empty.push_back(face(t));
    if (again[i])
      h.doubled.push_back(face(t));
    else
      sound.triangles.push_back(t);
  }
  stop();
  const std::vector<MeshEdge> edges = edgesOf(sound);
  // More than two faces at an edge; two that run the same way along it are a matter of looking.
  std::map<std::pair<uint32_t, uint32_t>, int> faces;
  for (const MeshEdge& e : edges)
    if (e.crowded) faces[{e.a, e.b}] = 0;
  if (!faces.empty())
    for (const auto& t : sound.triangles)
      for (const auto& [a, b] : {std::pair{t.a, t.b}, {t.b, t.c}, {t.c, t.a}})
        if (const auto it = faces.find({std::min(a, b), std::max(a, b)}); it != faces.end()) ++it->second;
  for (const MeshEdge& e : edges) {
    const MeshHealth::Line line{sound.positions[e.a], sound.positions[e.b]};
    if (e.crowded && faces[{e.a, e.b}] > 2)
      h.crowded.push_back(line);
    else if (e.open() && !e.crowded)
      h.open.push_back(line);
  }
  h.holes = uint32_t(ringsOf(edges).size());
  stop();
  const std::vector<char> wrong = lookingWrong(sound, edges);
  for (size_t i = 0; i < wrong.size(); ++i)
    if (wrong[i]) h.flipped.push_back(face(sound.triangles[i]));
  std::vector<uint32_t> of;
  h.bodies = components(mesh, of);
  stop();
  if (crossings)
    for (const uint32_t i : crossingFaces(sound, cancel)) h.crossing.push_back(face(sound.triangles[i]));
  return h;
}

std::string summary(const MeshHealth& h) {
  if (h.well()) return "closed and well";
  std::string out;
  const auto add = [&](size_t n, const char* one, const char* many) {
    if (n) out += fmt::format("{}{} {}", out.empty() ? "" : ", ", n, n == 1 ? one : many);
  };
  add(h.open.size(), "open edge", "open edges");
  if (h.holes) out += fmt::format(" around {} {}", h.holes, h.holes == 1 ? "hole" : "holes");
  add(h.crowded.size(), "edge where more than two faces meet", "edges where more than two faces meet");
  add(h.flipped.size(), "face that looks the wrong way", "faces that look the wrong way");
  add(h.doubled.size(), "doubled face", "doubled faces");
  add(h.crossing.size(), "face that crosses another", "faces that cross others");
  add(h.empty.size(), "face without area", "faces without area");
  return out;
}

namespace {

// Vertices that are nearer to each other than `reach` go to one place: the first of them.
void mergePlaces(Mesh& mesh, float reach) {
  if (!(reach > 0)) return;
  const auto cell = [&](float v) { return int64_t(std::floor(v / reach)); };
  const auto key = [](int64_t x, int64_t y, int64_t z) {
    return uint64_t(x) * 73856093u ^ uint64_t(y) * 19349663u ^ uint64_t(z) * 83492791u;
  };
  std::unordered_multimap<uint64_t, V3f> taken;
  for (V3f& p : mesh.positions) {
    bool found = false;
    for (int64_t x = -1; x <= 1 && !found; ++x)
      for (int64_t y = -1; y <= 1 && !found; ++y)
        for (int64_t z = -1; z <= 1 && !found; ++z) {
          const auto range = taken.equal_range(key(cell(p.x) + x, cell(p.y) + y, cell(p.z) + z));
          for (auto it = range.first; it != range.second && !found; ++it)
            if (length(it->second - p) <= reach) {
              p = it->second;
              found = true;
            }
        }
    if (!found) taken.emplace(key(cell(p.x), cell(p.y), cell(p.z)), p);
  }
}

} // namespace

Mesh mended(const Mesh& in, const Mending& how) {
  Mesh mesh = in;
  mergePlaces(mesh, how.merge);
  if (how.clean) {
    const Welded w = weld(mesh);
    std::vector<char> keep(mesh.triangles.size(), 0);
    // Of faces that look the same way one stays; a pair that looks both ways is a fold without inside, and goes.
    std::map<std::array<uint32_t, 3>, std::vector<uint32_t>> once;
    for (uint32_t i = 0; i < w.triangles.size(); ++i) once[sorted(w.triangles[i])].push_back(i);
    const auto turns = [](const Mesh::Triangle& t) { return (t.a < t.b) + (t.b < t.c) + (t.c < t.a) == 2; };
    for (const auto& [corners, faces] : once) {
      int sum = 0;
      for (const uint32_t i : faces) sum += turns(w.triangles[i]) ? 1 : -1;
      if (sum == 0) continue;
      for (const uint32_t i : faces)
        if (turns(w.triangles[i]) == (sum > 0)) {
          keep[w.origin[i]] = 1;
          break;
        }
    }
    mesh = part(mesh, [&](size_t i) { return keep[i] != 0; });
  }
  if (how.outwards) {
    const Welded w = weld(mesh);
    const std::vector<char> wrong = lookingWrong(w, edgesOf(w));
    // Corners of what is turned become its own, so that its normals can be turned too.
    std::unordered_map<uint32_t, uint32_t> other;
    for (size_t i = 0; i < wrong.size(); ++i) {
      if (!wrong[i]) continue;
      auto& t = mesh.triangles[w.origin[i]];
      std::swap(t.b, t.c);
      if (mesh.normals.empty()) continue;
      for (uint32_t* v : {&t.a, &t.b, &t.c}) {
        const auto [it, made] = other.emplace(*v, uint32_t(mesh.positions.size()));
        if (made) {
          appendVertex(mesh, mesh, *v);
          mesh.normals.push_back(-mesh.normals[*v]);
        }
        *v = it->second;
      }
    }
  }
  if (how.close) {
    const Welded w = weld(mesh);
    std::vector<uint32_t> corner(w.positions.size(), 0); // a vertex of the mesh at each place
    for (uint32_t i = 0; i < mesh.positions.size(); ++i) corner[w.place[i]] = i;
    for (const auto& ring : ringsOf(edgesOf(w))) {
      if (ring.size() < 3 || ring.size() > how.largestHole) continue;
      std::vector<V3f> around;
      for (const uint32_t v : ring) around.push_back(w.positions[v]);
      for (const auto& t : filledRing(around)) {
        const uint32_t base = uint32_t(mesh.positions.size());
        const V3f n = normalize(cross(around[t.b] - around[t.a], around[t.c] - around[t.a]));
        for (const uint32_t v : {t.a, t.b, t.c}) {
          appendVertex(mesh, mesh, corner[ring[v]]);
          mesh.positions.back() = around[v];
          if (!mesh.normals.empty()) mesh.normals.push_back(n);
        }
        mesh.triangles.push_back({base, base + 1, base + 2});
        if (!mesh.inside.empty()) mesh.inside.push_back(0);
      }
    }
  }
  return mesh;
}

} // namespace ilumbra
