// Sphere, box, plane, disc, torus, cylinder, tube and cone: standing on their centre, y up.
#include "core/base/error.h"
#include "core/geometry/grid.h"

namespace ilumbra {
namespace {

Shape turned(const std::vector<ProfilePoint>& profile, bool ring, uint32_t around) {
  Shape s;
  appendTurned(s.mesh, profile, ring, around);
  return s;
}

// An edge that is rounded off by `round`, of a body turned about y: a quarter of a circle inside the corner.
void corner(std::vector<ProfilePoint>& out, const V2f& at, const V2f& from, const V2f& to, float round,
            uint32_t around) {
  if (round <= 0) {
    out.push_back({at.x, at.y, true});
    return;
  }
  const V2f a = (from - at).normalized(), b = (to - at).normalized();
  const float half = 0.5f * std::acos(std::clamp(a.dot(b), -1.0f, 1.0f)), run = round / std::tan(half),
              turn = pi - 2 * half;
  const V2f centre = at + (a + b).normalized() * (round / std::sin(half)), start = at + a * run - centre;
  const int steps = std::max(4, int(float(around) * turn / (2 * pi)));
  const float sign = a.x * b.y - a.y * b.x < 0 ? 1.0f : -1.0f;
  for (int i = 0; i <= steps; ++i) {
    const float t = sign * turn * float(i) / float(steps);
    out.push_back({std::max(0.0f, centre.x + start.x * std::cos(t) - start.y * std::sin(t)),
                   centre.y + start.x * std::sin(t) + start.y * std::cos(t), false});
  }
}

// A ring's middle, or a disc's rim.
std::vector<V3f> ringLine(float radius) {
  const uint32_t n = segmentsFor(0, radius);
  std::vector<V3f> out;
  for (uint32_t i = 0; i <= n; ++i) {
    float c, s;
    circle(float(i) / float(n), n, c, s);
    out.emplace_back(radius * c, 0.0f, -radius * s);
  }
  return out;
}

ParamDef roundParam(const char* help) {
  return number("round", "Round edges", "m", 0)
      .soft(0, 0.1)
      .range(0, 1e6)
      .at(Invalidation::Geometry)
      .matters()
      .help(help);
}

// Frustum about y from foot to top; closed or a skin.
Shape frustum(const Params& p, float bottom, float top) {
  const float h = p.real("height") / 2, round = p.real("round");
  const uint32_t around = segmentsFor(p.number("segments"), std::max(bottom, top));
  if (!p.flag("capped")) return turned({{bottom, -h, true}, {top, h, true}}, false, around);
  const float slant = std::sqrt(sqr(bottom - top) + 4 * h * h);
  if (round > 0 && (2 * round > slant || round > bottom || (top > 0 && round > top)))
    throw badInput(p.node().name + ".round: the edges are rounder than the body is large");
  std::vector<ProfilePoint> line{{0, -h, true}};
  corner(line, {bottom, -h}, {0, -h}, {top, h}, round, around);
  if (top > 0) {
    corner(line, {top, h}, {bottom, -h}, {0, h}, round, around);
    line.push_back({0, h, true});
  } else {
    line.push_back({0, h, true});
  }
  return turned(line, false, around);
}

} // namespace

ShapeKind sphereShape() {
  return {{.id = "object.sphere",
           .label = "Sphere",
           .helpText = "An exact sphere: no facets at any distance.",
           .params = join(
               {{sizeParam("radius", "Radius", 0.5, "From the centre to the surface"),
                 segmentsParam("segments", "Segments", "Around it, where a modifier or another program needs facets")},
                objectParams()})},
          [](const Params& p, const BuildFrom&) {
            Shape s;
            s.sphereRadius = p.real("radius");
            s.sphereSegments = segmentsFor(p.number("segments"), s.sphereRadius);
            return s;
          }};
}

ShapeKind boxShape() {
  return {{.id = "object.box",
           .label = "Box",
           .helpText = "A box; its edges may be round.",
           .params = join(
               {{sizeParam("width", "Width", 1, "Along x"), sizeParam("height", "Height", 1, "Along y"),
                 sizeParam("depth", "Depth", 1, "Along z"), roundParam("Radius of its edges and corners; 0: sharp"),
                 segmentsParam("segments", "Segments", "Of a full turn of a round edge")},
                objectParams()})},
          [](const Params& p, const BuildFrom&) {
            const V3f h(p.real("width") / 2, p.real("height") / 2, p.real("depth") / 2);
            const float r = p.real("round");
            if (r > minComponent(h))
              throw badInput(p.node().name + ".round: the edges are rounder than half of its shortest side");
            // Lines across a face: where the round begins and ends, in steps of the same angle.
            const uint32_t steps = r > 0 ? std::max(3u, segmentsFor(p.number("segments"), r) / 8) : 0;
            const auto lines = [&](float half) {
              std::vector<float> at;
              const auto lift = [&](uint32_t i) {
                return i == steps ? 1.0f : std::tan(0.25f * pi * float(i) / float(steps));
              };
              if (r <= 0) return std::vector<float>{-half, half};
              for (uint32_t i = 0; i <= steps; ++i) at.push_back(-(half - r) - r * lift(steps - i));
              for (uint32_t i = 0; i <= steps; ++i) at.push_back((half - r) + r * lift(i));
              return at;
            };
            Shape s;
            for (int axis = 0; axis < 3; ++axis)
              for (int side = -1; side <= 1; side += 2) {
                const int b = (axis + 1) % 3, c = (axis + 2) % 3;
                const std::vector<float> us = lines(h[b]), vs = lines(h[c]);
                const size_t from = s.mesh.positions.size();
                appendGrid(s.mesh, uint32_t(us.size() - 1), uint32_t(vs.size() - 1),
                           [&](float u, float v, V3f& at, V3f& n) {
                             const auto i = size_t(std::lround(u * float(us.size() - 1)));
                             at[axis] = float(side) * h[axis];
                             at[b] = us[side > 0 ? i : us.size() - 1 - i];
                             at[c] = vs[size_t(std::lround(v * float(vs.size() - 1)))];
                             n = V3f(0.0f);
                             n[axis] = float(side);
                             if (r <= 0) return;
                             V3f inner;
                             for (int k = 0; k < 3; ++k) inner[k] = std::clamp(at[k], -(h[k] - r), h[k] - r);
                             n = at - inner;
                             // The same sum on all faces that meet here, so that they close to the bit.
                             n *= 1 / std::sqrt(n.x * n.x + n.y * n.y + n.z * n.z);
                             at = inner + n * r;
                           });
                for (size_t k = from; k < s.mesh.uvs.size(); ++k) {
                  const V3f& at = s.mesh.positions[k];
                  s.mesh.uvs[k] = {0.5f + 0.5f * float(side) * at[b] / h[b], 0.5f + 0.5f * at[c] / h[c]};
                }
              }
            return s;
          }};
}

ShapeKind planeShape() {
  return {{.id = "object.plane",
           .label = "Plane",
           .helpText = "A flat rectangle that faces up.",
           .params = join({{sizeParam("width", "Width", 2, "Along x"), sizeParam("depth", "Depth", 2, "Along z")},
                           objectParams()})},
          [](const Params& p, const BuildFrom&) {
            Shape s;
            const float w = p.real("width"), d = p.real("depth");
            appendGrid(s.mesh, 1, 1, [&](float u, float v, V3f& at, V3f& n) {
              at = {(u - 0.5f) * w, 0, (0.5f - v) * d};
              n = {0, 1, 0};
            });
            return s;
          }};
}

ShapeKind discShape() {
  return {{.id = "object.disc",
           .label = "Disc",
           .helpText = "A flat disc or ring that faces up.",
           .params = join({{sizeParam("radius", "Radius", 0.5, "From the centre to the rim"),
                            number("inner", "Inner radius", "m", 0)
                                .soft(0, 0.5)
                                .range(0, 1e6)
                                .at(Invalidation::Geometry)
                                .matters()
                                .help("Of the hole; 0: none"),
                            segmentsParam("segments", "Segments", "Around it")},
                           objectParams()})},
          [](const Params& p, const BuildFrom&) {
            const float radius = p.real("radius"), inner = p.real("inner");
            if (inner >= radius) throw badInput(p.node().name + ".inner: the hole is as large as the disc");
            Shape s;
            appendDisc(s.mesh, radius, inner, 0, segmentsFor(p.number("segments"), radius), true);
            return s;
          },
          {},
          [](const Params& p, const BuildFrom&) { return ringLine(p.real("radius")); }};
}

ShapeKind torusShape() {
  return {{.id = "object.torus",
           .label = "Torus",
           .helpText = "A ring lying flat.",
           .params = join({{sizeParam("radius", "Radius", 0.5, "From the centre to the middle of the tube"),
                            sizeParam("tube", "Tube", 0.1, "Radius of the tube"),
                            number("flatten", "Height of the tube", "×", 1)
                                .soft(0.05, 4)
                                .range(1e-3, 1e3)
                                .at(Invalidation::Geometry)
                                .help("Height of the tube by its width"),
                            segmentsParam("segments", "Segments", "Around the ring"),
                            segmentsParam("sides", "Sides", "Around the tube")},
                           objectParams()})},
          [](const Params& p, const BuildFrom&) {
            Shape s;
            const float big = p.real("radius"), small = p.real("tube"), flat = p.real("flatten");
            const uint32_t n = segmentsFor(p.number("segments"), big + small),
                           k = segmentsFor(p.number("sides"), small);
            appendGrid(s.mesh, n, k, [&](float u, float v, V3f& at, V3f& normal) {
              float cu, su, cv, sv;
              circle(u, n, cu, su);
              circle(v, k, cv, sv);
              const float r = big + small * cv;
              at = {r * cu, small * flat * sv, -r * su};
              normal = {cv * cu * flat, sv, -cv * su * flat};
            });
            return s;
          },
          {},
          [](const Params& p, const BuildFrom&) { return ringLine(p.real("radius")); }};
}

ShapeKind cylinderShape() {
  return {
      {.id = "object.cylinder",
       .label = "Cylinder",
       .helpText = "An upright cylinder.",
       .params = join(
           {{sizeParam("radius", "Radius", 0.5, "From the axis to the wall"),
             sizeParam("height", "Height", 1, "Along y"),
             flag("capped", "Ends closed", true).at(Invalidation::Geometry).help("Off: an open pipe without thickness"),
             roundParam("Radius of its rims, where the ends are closed; 0: sharp"),
             segmentsParam("segments", "Segments", "Around the axis")},
            objectParams()})},
      [](const Params& p, const BuildFrom&) { return frustum(p, p.real("radius"), p.real("radius")); }};
}

ShapeKind coneShape() {
  return {
      {.id = "object.cone",
       .label = "Cone",
       .helpText = "An upright cone, or the stump of one.",
       .params = join(
           {{sizeParam("radius", "Radius", 0.5, "Of the foot"),
             number("top", "Top radius", "m", 0).soft(0, 1).range(0, 1e6).at(Invalidation::Geometry).help("0: a point"),
             sizeParam("height", "Height", 1, "Along y"),
             flag("capped", "Ends closed", true).at(Invalidation::Geometry).help("Off: an open wall without thickness"),
             roundParam("Radius of its rims, where the ends are closed; 0: sharp"),
             segmentsParam("segments", "Segments", "Around the axis")},
            objectParams()})},
      [](const Params& p, const BuildFrom&) { return frustum(p, p.real("radius"), p.real("top")); }};
}

ShapeKind tubeShape() {
  return {{.id = "object.tube",
           .label = "Tube",
           .helpText = "An upright pipe with a wall.",
           .params = join({{sizeParam("radius", "Radius", 0.3, "From the axis to the outside of the wall"),
                            number("wall", "Wall", "m", 0.02)
                                .soft(0.001, 0.2)
                                .range(1e-6, 1e6)
                                .log()
                                .at(Invalidation::Geometry)
                                .matters()
                                .help("Thickness of the wall, inwards"),
                            sizeParam("height", "Height", 1, "Along y"), roundParam("Radius of its rims; 0: sharp"),
                            segmentsParam("segments", "Segments", "Around the axis")},
                           objectParams()})},
          [](const Params& p, const BuildFrom&) {
            const float r = p.real("radius"), wall = p.real("wall"), h = p.real("height") / 2, round = p.real("round");
            if (wall >= r) throw badInput(p.node().name + ".wall: it leaves no room inside");
            if (2 * round > std::min(wall, 2 * h))
              throw badInput(p.node().name + ".round: the rims are rounder than the wall is thick");
            const uint32_t around = segmentsFor(p.number("segments"), r);
            std::vector<ProfilePoint> line;
            const V2f c[4] = {{r, -h}, {r, h}, {r - wall, h}, {r - wall, -h}};
            for (int i = 0; i < 4; ++i) corner(line, c[i], c[(i + 3) % 4], c[(i + 1) % 4], round, around);
            return turned(line, true, around);
          }};
}

} // namespace ilumbra
