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
               {reference("material", "Material", {"material."}).at(Stage::Shading).help("What the surface is made of"),
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
  return b;
}

double Shape::area() const {
  if (sphereRadius > 0) return 4.0 * pi * sphereRadius * sphereRadius;
  double sum = 0;
  for (const auto& t : mesh.triangles)
    sum += 0.5 * length(cross(mesh.positions[t.b] - mesh.positions[t.a], mesh.positions[t.c] - mesh.positions[t.a]));
  return sum;
}

bool isClosed(const Mesh& mesh) {
  // Vertices at the same place are one.
  std::vector<uint32_t> order(mesh.positions.size()), index(mesh.positions.size());
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
