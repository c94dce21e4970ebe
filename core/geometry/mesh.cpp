#include "core/geometry/mesh.h"

#include "core/base/error.h"

#include <algorithm>
#include <fmt/format.h>
#include <numeric>

namespace ilumbra {

uint32_t placesOf(const Mesh& mesh, std::vector<uint32_t>& index) {
  std::vector<uint32_t> order(mesh.positions.size());
  index.resize(mesh.positions.size());
  std::iota(order.begin(), order.end(), 0u);
  const auto& p = mesh.positions;
  std::sort(order.begin(), order.end(), [&](uint32_t i, uint32_t j) {
    const V3f &a = p[i], &b = p[j];
    return a.x != b.x ? a.x < b.x : a.y != b.y ? a.y < b.y : a.z < b.z;
  });
  uint32_t places = 0;
  for (size_t i = 0; i < order.size(); ++i) {
    if (i > 0 && p[order[i]] != p[order[i - 1]]) ++places;
    index[order[i]] = places;
  }
  return order.empty() ? 0 : places + 1;
}

void facet(Mesh& mesh) { mesh.normals.clear(); }

void smooth(Mesh& mesh, float sharpDegrees) {
  std::vector<uint32_t> place;
  const uint32_t places = placesOf(mesh, place);
  const size_t n = mesh.triangles.size();
  // The triangles around each place, as ranges of one list.
  std::vector<uint32_t> start(places + 1, 0), around(3 * n);
  const auto corner = [&](size_t t, int i) {
    return i == 0 ? mesh.triangles[t].a : i == 1 ? mesh.triangles[t].b : mesh.triangles[t].c;
  };
  for (size_t t = 0; t < n; ++t)
    for (int i = 0; i < 3; ++i) ++start[place[corner(t, i)] + 1];
  for (uint32_t p = 0; p < places; ++p) start[p + 1] += start[p];
  std::vector<uint32_t> fill(start.begin(), start.end() - 1);
  std::vector<V3f> normals(n);
  for (size_t t = 0; t < n; ++t) {
    const V3f &a = mesh.positions[mesh.triangles[t].a], &b = mesh.positions[mesh.triangles[t].b],
              &c = mesh.positions[mesh.triangles[t].c];
    normals[t] = normalize(cross(b - a, c - a));
    for (int i = 0; i < 3; ++i) around[fill[place[corner(t, i)]]++] = uint32_t(t);
  }
  const float least = std::cos(sharpDegrees * pi / 180);
  Mesh out;
  std::vector<std::vector<uint32_t>> made(mesh.positions.size()); // by old vertex: new ones with different normals
  for (size_t t = 0; t < n; ++t) {
    uint32_t v[3];
    for (int i = 0; i < 3; ++i) {
      const uint32_t old = corner(t, i);
      V3f sum(0.0f);
      for (uint32_t k = start[place[old]]; k < start[place[old] + 1]; ++k) {
        const uint32_t o = around[k];
        if (dot(normals[o], normals[t]) < least) continue;
        // By the angle that the triangle has there (Thürmer and Wüthrich 1998).
        int at = 0;
        while (at < 2 && place[corner(o, at)] != place[old]) ++at;
        const V3f e1 = normalize(mesh.positions[corner(o, (at + 1) % 3)] - mesh.positions[old]),
                  e2 = normalize(mesh.positions[corner(o, (at + 2) % 3)] - mesh.positions[old]);
        sum += normals[o] * std::acos(std::clamp(dot(e1, e2), -1.0f, 1.0f));
      }
      const V3f normal = isBlack(sum) ? normals[t] : normalize(sum);
      auto& list = made[old];
      const auto same =
          std::find_if(list.begin(), list.end(), [&](uint32_t m) { return dot(out.normals[m], normal) > 0.99999f; });
      if (same != list.end()) {
        v[i] = *same;
        continue;
      }
      v[i] = uint32_t(out.positions.size());
      list.push_back(v[i]);
      appendVertex(out, mesh, old);
      out.normals.push_back(normal);
    }
    out.triangles.push_back({v[0], v[1], v[2]});
  }
  out.inside = std::move(mesh.inside);
  mesh = std::move(out);
}

void appendVertex(Mesh& to, const Mesh& from, size_t i) {
  to.positions.push_back(V3f(from.positions[i]));
  if (!from.uvs.empty()) to.uvs.push_back(V2f(from.uvs[i]));
  if (!from.uvs2.empty()) to.uvs2.push_back(V2f(from.uvs2[i]));
  if (!from.colors.empty()) to.colors.push_back(V4f(from.colors[i]));
}

void appendMiddle(Mesh& m, size_t a, size_t b) {
  m.positions.push_back((m.positions[a] + m.positions[b]) * 0.5f);
  if (!m.uvs.empty()) m.uvs.push_back((m.uvs[a] + m.uvs[b]) * 0.5f);
  if (!m.uvs2.empty()) m.uvs2.push_back((m.uvs2[a] + m.uvs2[b]) * 0.5f);
  if (!m.colors.empty()) m.colors.push_back((m.colors[a] + m.colors[b]) * 0.5f);
}

bool isClosed(const Mesh& mesh) {
  std::vector<uint32_t> index;
  placesOf(mesh, index);
  // Each edge once in either direction.
  std::vector<std::pair<uint64_t, int>> edges;
  edges.reserve(3 * mesh.triangles.size());
  for (const auto& t : mesh.triangles) {
    const uint32_t v[3] = {index[t.a], index[t.b], index[t.c]};
    if (v[0] == v[1] || v[1] == v[2] || v[2] == v[0]) continue;
    for (int i = 0; i < 3; ++i) {
      const uint32_t a = v[i], b = v[(i + 1) % 3];
      edges.emplace_back(uint64_t(std::min(a, b)) << 32 | std::max(a, b), a < b ? 1 : -1);
    }
  }
  std::sort(edges.begin(), edges.end());
  for (size_t i = 0; i < edges.size();) {
    int sum = 0;
    const uint64_t edge = edges[i].first;
    for (; i < edges.size() && edges[i].first == edge; ++i) sum += edges[i].second;
    if (sum != 0) return false;
  }
  return !edges.empty();
}

void validate(const Mesh& mesh, const std::string& name) {
  for (size_t i = 0; i < mesh.positions.size(); ++i)
    if (!finite(mesh.positions[i])) throw badInput(fmt::format("{}: vertex {} is not finite", name, i + 1));
  const size_t n = mesh.positions.size();
  for (size_t i = 0; i < mesh.triangles.size(); ++i) {
    const auto& t = mesh.triangles[i];
    if (t.a >= n || t.b >= n || t.c >= n)
      throw badInput(fmt::format("{}: triangle {} names vertex {}, but there are {}", name, i + 1,
                                 std::max({t.a, t.b, t.c}) + 1, n));
  }
  if (!mesh.normals.empty() && mesh.normals.size() != n) throw badInput(name + ": not one normal a vertex");
  if (!mesh.inside.empty() && mesh.inside.size() != mesh.triangles.size())
    throw badInput(name + ": not one mark of the inside a triangle");
  if (!mesh.uvs.empty() && mesh.uvs.size() != n) throw badInput(name + ": not one texture coordinate a vertex");
  if (!mesh.uvs2.empty() && mesh.uvs2.size() != n)
    throw badInput(name + ": not one second texture coordinate a vertex");
  if (!mesh.colors.empty() && mesh.colors.size() != n) throw badInput(name + ": not one colour a vertex");
}

} // namespace ilumbra
