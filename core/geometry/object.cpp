#include "core/base/error.h"
#include "core/geometry/shape.h"

#include <fmt/format.h>
#include <numeric>

namespace ilumbra {

std::vector<ParamDef> placementParams() {
  return {vector("position", "Position", "m", {0, 0, 0}).soft(-5, 5).at(Stage::Placement).in("Placement").help("Where it stands"),
          vector("turn", "Turn", "°", {0, 0, 0}).soft(-180, 180).at(Stage::Placement).in("Placement").help("Turn about x, then y, then z"),
          vector("size", "Size", "×", {1, 1, 1}).soft(0.1, 4).range(-1e6, 1e6).at(Stage::Placement).in("Placement")
              .help("Factor along its own axes")};
}

std::vector<ParamDef> objectParams() {
  const auto sw = [](const char* name, const char* label, bool on, const char* help) {
    return flag(name, label, on).at(Stage::Placement).in("Switches").help(help);
  };
  return join({placementParams(),
               {choice("facets", "Facets", {"as made", "smooth", "faceted"}).at(Stage::Geometry).in("Placement")
                    .help("Shades across its facets as it was made, all smooth but at sharp edges, or every facet by itself"),
                reference("material", "Material", {"material."}).at(Stage::Shading).help("What the surface is made of"),
                sw("seen", "Seen by the camera", true, "Off: the camera looks through it"),
                sw("seen_mirrored", "Seen in reflections", true, "Off: mirrors do not show it"),
                sw("seen_through", "Seen through clear things", true, "Off: glass does not show it"),
                sw("casts_shadow", "Casts shadow", true, "Off: lamps shine through it"),
                sw("takes_light", "Takes light", true, "Off: it shows its own light only"),
                sw("lights_others", "Lights others", true, "Off: no light from it reaches other things"),
                sw("cuts_out", "Cuts out", false, "Hides what is behind and stays empty in alpha"),
                sw("catches", "Catches", false, "Invisible but for the light and shadow it takes"),
                choice("light_through", "Light through it", {"straight", "focused", "blocked"}).at(Stage::Placement).in("Switches")
                    .help("How lamps shine through what is clear of it: on a straight line, bent as it really is (caustics), or not at all")}});
}

M44f placementOf(const Params& p) {
  const auto v3 = [](const Triple& t) { return V3f(float(t[0]), float(t[1]), float(t[2])); };
  return placement(v3(p.triple("position")), v3(p.triple("turn")), v3(p.triple("size")));
}

M44f worldMatrix(const Document& doc, const Node& node, double frame) {
  M44f m;
  if (node.kind->param("turn")) m = placementOf(Params(node, frame));
  for (NodeId up = node.parent; up;) {
    const Node* n = doc.find(up);
    if (!n) break;
    if (n->kind->param("turn")) m = m * placementOf(Params(*n, frame));
    up = n->parent;
  }
  return m;
}

Box3f Shape::bounds() const {
  Box3f b;
  if (sphereRadius > 0) {
    b.extendBy(V3f(-sphereRadius));
    b.extendBy(V3f(sphereRadius));
  }
  for (const V3f& p : mesh.positions) b.extendBy(p);
  for (const Form& f : forms) {
    if (f.sphereRadius > 0) {
      b.extendBy(V3f(-f.sphereRadius));
      b.extendBy(V3f(f.sphereRadius));
    }
    for (const V3f& p : f.positions) b.extendBy(p);
  }
  return b;
}

double Shape::area() const {
  if (sphereRadius > 0) return 4.0 * pi * sphereRadius * sphereRadius;
  double sum = 0;
  for (const auto& t : mesh.triangles)
    sum += 0.5 * length(cross(mesh.positions[t.b] - mesh.positions[t.a], mesh.positions[t.c] - mesh.positions[t.a]));
  return sum;
}

// A number for each place, vertices at the same place being one; returns how many there are.
static uint32_t placesOf(const Mesh& mesh, std::vector<uint32_t>& index) {
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
  const auto corner = [&](size_t t, int i) { return i == 0 ? mesh.triangles[t].a : i == 1 ? mesh.triangles[t].b : mesh.triangles[t].c; };
  for (size_t t = 0; t < n; ++t)
    for (int i = 0; i < 3; ++i) ++start[place[corner(t, i)] + 1];
  for (uint32_t p = 0; p < places; ++p) start[p + 1] += start[p];
  std::vector<uint32_t> fill(start.begin(), start.end() - 1);
  std::vector<V3f> normals(n);
  for (size_t t = 0; t < n; ++t) {
    const V3f &a = mesh.positions[mesh.triangles[t].a], &b = mesh.positions[mesh.triangles[t].b], &c = mesh.positions[mesh.triangles[t].c];
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
        const V3f e1 = normalize(mesh.positions[corner(o, (at + 1) % 3)] - mesh.positions[old]), e2 = normalize(mesh.positions[corner(o, (at + 2) % 3)] - mesh.positions[old]);
        sum += normals[o] * std::acos(std::clamp(dot(e1, e2), -1.0f, 1.0f));
      }
      const V3f normal = isBlack(sum) ? normals[t] : normalize(sum);
      auto& list = made[old];
      const auto same = std::find_if(list.begin(), list.end(), [&](uint32_t m) { return dot(out.normals[m], normal) > 0.99999f; });
      if (same != list.end()) {
        v[i] = *same;
        continue;
      }
      v[i] = uint32_t(out.positions.size());
      list.push_back(v[i]);
      out.positions.push_back(mesh.positions[old]);
      out.normals.push_back(normal);
      if (!mesh.uvs.empty()) out.uvs.push_back(mesh.uvs[old]);
    }
    out.triangles.push_back({v[0], v[1], v[2]});
  }
  mesh = std::move(out);
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
      throw badInput(fmt::format("{}: triangle {} names vertex {}, but there are {}", name, i + 1, std::max({t.a, t.b, t.c}) + 1, n));
  }
  if (!mesh.normals.empty() && mesh.normals.size() != n) throw badInput(name + ": not one normal a vertex");
  if (!mesh.uvs.empty() && mesh.uvs.size() != n) throw badInput(name + ": not one texture coordinate a vertex");
}

std::vector<ShapeKind> allShapes() {
  return {sphereShape(), boxShape(),  planeShape(), torusShape(),
          cylinderShape(), coneShape(), meshShape(),  groupShape()};
}

ShapeKind groupShape() {
  return {{.id = "object.group",
           .label = "Group",
           .helpText = "Holds things together and places them as one.",
           .params = placementParams(),
           .slots = {{"objects", "Objects", {"object.", "light.", "camera."}, Stage::Geometry}}},
          {}};
}

} // namespace ilumbra
