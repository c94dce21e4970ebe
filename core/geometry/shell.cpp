// Thickness for a skin, or a hollow for a body.
#include "core/base/error.h"
#include "core/geometry/form.h"
#include "core/geometry/grid.h"
#include "core/geometry/mesh_tools.h"

namespace ilumbra {
namespace {

// By place: the direction in which a surface of no thickness has moved by 1 on all the triangles around.
std::vector<V3f> offsets(const Welded& w) {
  std::vector<V3f> sum = placeNormals(w);
  const size_t n = sum.size();
  // At an edge the way is longer, so that the wall keeps its thickness on both sides; not more than four times, at a
  // needle.
  std::vector<float> least(n, 1.0f);
  for (uint32_t i = 0; i < w.triangles.size(); ++i)
    for (const uint32_t v : {w.triangles[i].a, w.triangles[i].b, w.triangles[i].c})
      least[v] = std::min(least[v], dot(sum[v], normalOf(w, i)));
  for (size_t i = 0; i < n; ++i) sum[i] *= 1 / std::max(0.25f, least[i]);
  return sum;
}

} // namespace

void thicken(Mesh& mesh, float in, float out, bool closeRim) {
  const Welded w = weld(mesh);
  const std::vector<V3f> way = offsets(w);
  Mesh outer = mesh, inner = mesh;
  for (size_t i = 0; i < mesh.positions.size(); ++i) {
    const V3f& d = way[w.place[i]];
    outer.positions[i] += d * out;
    inner.positions[i] -= d * in;
  }
  flip(inner);
  Mesh rim;
  if (closeRim) {
    for (const MeshEdge& e : edgesOf(w)) {
      if (!e.open()) continue;
      // The edge as the triangle beside it runs.
      const uint32_t a = e.left != MeshEdge::none ? e.a : e.b, b = e.left != MeshEdge::none ? e.b : e.a;
      const V3f quad[4] = {w.positions[b] + way[b] * out, w.positions[a] + way[a] * out, w.positions[a] - way[a] * in,
                           w.positions[b] - way[b] * in};
      const V3f normal = normalize(cross(quad[2] - quad[0], quad[3] - quad[1]));
      const auto base = uint32_t(rim.positions.size());
      for (const V3f& q : quad) {
        rim.positions.push_back(q);
        rim.normals.push_back(normal);
        rim.uvs.emplace_back(0.0f, 0.0f);
      }
      rim.triangles.push_back({base, base + 1, base + 2});
      rim.triangles.push_back({base, base + 2, base + 3});
    }
    if (!rim.triangles.empty()) smooth(rim, 40);
  }
  if (mesh.normals.empty()) rim.normals.clear();
  if (mesh.uvs.empty()) rim.uvs.clear();
  repaint(rim, mesh);
  Mesh whole = std::move(outer);
  append(whole, inner);
  append(whole, rim);
  mesh = std::move(whole);
}

ModifierKind shellModifier() {
  return {{.id = "modifier.shell",
           .label = "Shell",
           .helpText = "Gives a skin a thickness, or makes a body hollow with a wall.",
           .params = modifierParams({number("thickness", "Thickness", "m", 0.01)
                                         .soft(0.0005, 0.2)
                                         .range(1e-6, 1e5)
                                         .log()
                                         .at(Invalidation::Geometry)
                                         .matters()
                                         .help("Of the wall"),
                                     choice("side", "Grows", {"inwards", "outwards", "both ways"})
                                         .at(Invalidation::Geometry)
                                         .matters()
                                         .help("To which side of the surface"),
                                     flag("rim", "Open edges closed", true)
                                         .at(Invalidation::Geometry)
                                         .help("The wall goes around the edges of a skin; off: two skins")})},
          [](Form& form, const Params& p, const BuildFrom&) {
            Mesh& mesh = meshOf(form);
            if (mesh.triangles.empty()) return;
            const float t = p.real("thickness");
            const std::string side = p.text("side");
            const float out = side == "inwards" ? 0 : side == "outwards" ? t : t / 2, in = t - out;
            thicken(mesh, in, out, p.flag("rim"));
          },
          {}};
}

ModifierKind smoothModifier() {
  return {{.id = "modifier.smooth",
           .label = "Smooth or facet",
           .helpText = "How light runs over the facets, and how even they lie.",
           .params = modifierParams({choice("shading", "Facets", {"smooth", "faceted"})
                                         .at(Invalidation::Geometry)
                                         .matters()
                                         .help("Light runs over the facets, or each stands by itself"),
                                     number("sharp", "Sharp from", "°", 40)
                                         .soft(0, 180)
                                         .range(0, 180)
                                         .at(Invalidation::Geometry)
                                         .help("Edges that turn by more stay sharp"),
                                     integer("even", "Even out", 0)
                                         .soft(0, 50)
                                         .range(0, 1000)
                                         .at(Invalidation::Geometry)
                                         .help("Passes that take bumps off without shrinking the body")})},
          [](Form& form, const Params& p, const BuildFrom&) {
            Mesh& mesh = meshOf(form);
            if (const int passes = int(p.number("even")); passes > 0) {
              const Welded w = weld(mesh);
              std::vector<V3f> at = w.positions;
              const std::vector<MeshEdge> edges = edgesOf(w);
              std::vector<char> rim(at.size());
              for (const MeshEdge& e : edges)
                if (e.open()) rim[e.a] = rim[e.b] = 1;
              // Taubin 1995, "A signal processing approach to fair surface design": a step in, a somewhat larger one
              // out.
              for (int i = 0; i < 2 * passes; ++i) {
                std::vector<V3f> sum(at.size(), V3f(0.0f));
                std::vector<float> count(at.size(), 0);
                for (const MeshEdge& e : edges) {
                  sum[e.a] += at[e.b];
                  sum[e.b] += at[e.a];
                  ++count[e.a];
                  ++count[e.b];
                }
                for (size_t k = 0; k < at.size(); ++k)
                  if (count[k] > 0 && !rim[k]) at[k] += (sum[k] * (1 / count[k]) - at[k]) * (i % 2 ? -0.53f : 0.5f);
              }
              for (size_t k = 0; k < mesh.positions.size(); ++k) mesh.positions[k] = at[w.place[k]];
            }
            if (p.text("shading") == "faceted")
              facet(mesh);
            else
              smooth(mesh, p.real("sharp"));
          },
          {}};
}

} // namespace ilumbra
