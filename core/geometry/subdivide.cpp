// Catmull–Clark subdivision, by OpenSubdiv.
#include "core/base/error.h"
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"

#include <fmt/format.h>

#include <opensubdiv/far/primvarRefiner.h>
#include <opensubdiv/far/topologyDescriptor.h>

namespace ilumbra {
namespace {

namespace osd = OpenSubdiv::Far;

struct Point {
  V3f v{0.0f};
  void Clear(void* = nullptr) { v = V3f(0.0f); }
  void AddWithWeight(const Point& p, float w) { v += p.v * w; }
};
// What a corner of a face has: each value of it on its own side of a seam.
struct Corner {
  V2f uv{0, 0}, uv2{0, 0};
  V4f color{0.0f};
  void Clear(void* = nullptr) { *this = {}; }
  void AddWithWeight(const Corner& c, float w) {
    uv += c.uv * w;
    uv2 += c.uv2 * w;
    color += c.color * w;
  }
};

} // namespace

ModifierKind subdivideModifier() {
  return {{.id = "modifier.subdivide",
           .label = "Subdivide",
           .helpText = "Rounds the body off by Catmull and Clark's rule; edges that turn sharply may stay.",
           .params = modifierParams({integer("levels", "Levels", 2)
                                         .soft(1, 4)
                                         .range(1, 6)
                                         .at(Invalidation::Geometry)
                                         .matters()
                                         .help("Each makes four facets of one"),
                                     number("crease", "Creases from", "°", 180)
                                         .soft(0, 180)
                                         .range(0, 180)
                                         .at(Invalidation::Geometry)
                                         .matters()
                                         .help("Edges that turn by more are creases; 180: none"),
                                     number("sharpness", "Sharpness", "", 3)
                                         .soft(0, 10)
                                         .range(0, 10)
                                         .at(Invalidation::Geometry)
                                         .help("Of creases: how many levels they stay sharp for; 10: for ever"),
                                     flag("quads", "As quads", true)
                                         .at(Invalidation::Geometry)
                                         .help("Pairs of triangles that make good quads are taken for quads, as the "
                                               "shape was before it was cut into triangles")})},
          [](Form& form, const Params& p, const BuildFrom&) {
            Mesh& mesh = meshOf(form);
            const int levels = int(p.number("levels"));
            const Welded w = weld(mesh);
            if (w.triangles.empty()) return;
            if (double(w.triangles.size()) * std::pow(4.0, levels) > 20e6)
              throw badInput(fmt::format("{}.levels: {} levels of {} facets are more than 20 million", p.node().name,
                                         levels, w.triangles.size()));
            const std::vector<MeshEdge> edges = edgesOf(w);
            for (const MeshEdge& e : edges)
              if (e.crowded)
                throw badInput(p.node().name + ": more than two faces meet at an edge, which cannot be subdivided");
            // Faces: quads where pairs of triangles make them, by the vertices of the welded mesh and of the mesh
            // itself.
            std::vector<int> counts, corners, uvCorners;
            const auto original = [&](uint32_t triangle, uint32_t place) {
              const auto& t = mesh.triangles[w.origin[triangle]];
              return int(w.place[t.a] == place ? t.a : w.place[t.b] == place ? t.b : t.c);
            };
            std::vector<char> done(w.triangles.size());
            if (p.flag("quads")) {
              const std::vector<char> diagonal = quadDiagonals(w, edges);
              for (size_t i = 0; i < edges.size(); ++i) {
                if (!diagonal[i]) continue;
                const MeshEdge& e = edges[i];
                const uint32_t c = oppositeOf(w.triangles[e.left], e), d = oppositeOf(w.triangles[e.right], e);
                done[e.left] = done[e.right] = 1;
                counts.push_back(4);
                for (const uint32_t v : {e.a, d, e.b, c}) corners.push_back(int(v));
                uvCorners.push_back(original(e.left, e.a));
                uvCorners.push_back(original(e.right, d));
                uvCorners.push_back(original(e.left, e.b));
                uvCorners.push_back(original(e.left, c));
              }
            }
            for (uint32_t i = 0; i < w.triangles.size(); ++i) {
              if (done[i]) continue;
              counts.push_back(3);
              for (const uint32_t v : {w.triangles[i].a, w.triangles[i].b, w.triangles[i].c}) {
                corners.push_back(int(v));
                uvCorners.push_back(original(i, v));
              }
            }
            std::vector<int> creaseEnds;
            std::vector<float> creaseWeights;
            const float angle = p.real("crease"), least = std::cos(angle * pi / 180);
            if (angle < 180)
              for (const MeshEdge& e : edges)
                if (!e.open() && dot(normalOf(w, e.left), normalOf(w, e.right)) < least) {
                  creaseEnds.push_back(int(e.a));
                  creaseEnds.push_back(int(e.b));
                  creaseWeights.push_back(p.real("sharpness"));
                }
            osd::TopologyDescriptor d;
            d.numVertices = int(w.positions.size());
            d.numFaces = int(counts.size());
            d.numVertsPerFace = counts.data();
            d.vertIndicesPerFace = corners.data();
            d.numCreases = int(creaseWeights.size());
            d.creaseVertexIndexPairs = creaseEnds.data();
            d.creaseWeights = creaseWeights.data();
            osd::TopologyDescriptor::FVarChannel channel;
            const bool uvs = !mesh.uvs.empty(), uvs2 = !mesh.uvs2.empty(), colors = !mesh.colors.empty(),
                       corner = uvs || uvs2 || colors;
            if (corner) {
              channel.numValues = int(mesh.positions.size());
              channel.valueIndices = uvCorners.data();
              d.numFVarChannels = 1;
              d.fvarChannels = &channel;
            }
            OpenSubdiv::Sdc::Options options;
            options.SetVtxBoundaryInterpolation(OpenSubdiv::Sdc::Options::VTX_BOUNDARY_EDGE_AND_CORNER);
            options.SetFVarLinearInterpolation(OpenSubdiv::Sdc::Options::FVAR_LINEAR_CORNERS_ONLY);
            const std::unique_ptr<osd::TopologyRefiner> refiner(
                osd::TopologyRefinerFactory<osd::TopologyDescriptor>::Create(
                    d, {OpenSubdiv::Sdc::SCHEME_CATMARK, options}));
            if (!refiner) throw badInput(p.node().name + ": the mesh cannot be subdivided");
            osd::TopologyRefiner::UniformOptions uniform(levels);
            uniform.fullTopologyInLastLevel = true;
            refiner->RefineUniform(uniform);
            const osd::PrimvarRefiner values(*refiner);
            std::vector<Point> at;
            for (const V3f& q : w.positions) at.push_back({q});
            std::vector<Corner> cornersAt(corner ? mesh.positions.size() : 0);
            for (size_t i = 0; i < cornersAt.size(); ++i) {
              if (uvs) cornersAt[i].uv = mesh.uvs[i];
              if (uvs2) cornersAt[i].uv2 = mesh.uvs2[i];
              if (colors) cornersAt[i].color = mesh.colors[i];
            }
            for (int level = 1; level <= levels; ++level) {
              std::vector<Point> next(size_t(refiner->GetLevel(level).GetNumVertices()));
              values.Interpolate(level, at, next);
              at = std::move(next);
              if (!corner) continue;
              std::vector<Corner> nextCorners(size_t(refiner->GetLevel(level).GetNumFVarValues(0)));
              values.InterpolateFaceVarying(level, cornersAt, nextCorners, 0);
              cornersAt = std::move(nextCorners);
            }
            // Where the surface would come to in the end, and its tangents there.
            std::vector<Point> limit(at.size()), du(at.size()), dv(at.size());
            values.Limit(at, limit, du, dv);
            const osd::TopologyLevel last = refiner->GetLevel(levels);
            Mesh out;
            const bool creased = angle < 180;
            std::vector<uint32_t> known(corner ? cornersAt.size() : at.size(), ~0u);
            const auto vertex = [&](int v, int cornerIndex) {
              uint32_t& k = known[size_t(corner ? cornerIndex : v)];
              if (k == ~0u) {
                k = uint32_t(out.positions.size());
                out.positions.push_back(limit[size_t(v)].v);
                out.normals.push_back(normalize(cross(du[size_t(v)].v, dv[size_t(v)].v)));
                if (uvs) out.uvs.push_back(cornersAt[size_t(cornerIndex)].uv);
                if (uvs2) out.uvs2.push_back(cornersAt[size_t(cornerIndex)].uv2);
                if (colors) out.colors.push_back(cornersAt[size_t(cornerIndex)].color);
              }
              return k;
            };
            for (int f = 0; f < last.GetNumFaces(); ++f) {
              const auto vs = last.GetFaceVertices(f);
              const auto ts = corner ? last.GetFaceFVarValues(f, 0) : vs;
              uint32_t q[4];
              for (int k = 0; k < 4; ++k) q[k] = vertex(vs[k], ts[k]);
              out.triangles.push_back({q[0], q[1], q[2]});
              out.triangles.push_back({q[0], q[2], q[3]});
            }
            if (creased) smooth(out, std::min(60.0f, angle));
            mesh = std::move(out);
          },
          {}};
}

} // namespace ilumbra
