// Sphere, box, plane, torus, cylinder and cone: standing on their centre, y up.
#include "core/base/error.h"
#include "core/geometry/shape.h"

namespace ilumbra {
namespace {

ParamDef size(const char* name, const char* label, double initial, const char* help) {
  return number(name, label, "m", initial).soft(0.001, 10).range(1e-6, 1e6).log().at(Stage::Geometry).matters().help(help);
}
ParamDef steps(const char* name, const char* label, int initial, const char* help) {
  return integer(name, label, initial).soft(3, 512).range(3, 4096).at(Stage::Geometry).help(help);
}

// A grid of (columns + 1) x (rows + 1) vertices over (u, v) in [0, 1]²; `f` gives place and normal.
template <typename F> void appendGrid(Mesh& m, uint32_t columns, uint32_t rows, F f) {
  const uint32_t base = uint32_t(m.positions.size());
  for (uint32_t j = 0; j <= rows; ++j)
    for (uint32_t i = 0; i <= columns; ++i) {
      const float u = float(i) / float(columns), v = float(j) / float(rows);
      V3f p, n;
      f(u, v, p, n);
      m.positions.push_back(p);
      m.normals.push_back(normalize(n));
      m.uvs.emplace_back(u, v);
    }
  for (uint32_t j = 0; j < rows; ++j)
    for (uint32_t i = 0; i < columns; ++i) {
      const uint32_t a = base + j * (columns + 1) + i, b = a + 1, c = a + columns + 1, d = c + 1;
      m.triangles.push_back({a, b, d});
      m.triangles.push_back({a, d, c});
    }
}

// Exactly periodic, so that seams close to the bit.
void circle(float u, uint32_t n, float& c, float& s) {
  const uint32_t i = uint32_t(std::lround(u * float(n))) % n;
  const float a = 2 * pi * float(i) / float(n);
  c = std::cos(a);
  s = std::sin(a);
}

void appendCap(Mesh& m, float radius, float y, uint32_t n, bool up) {
  if (radius <= 0) return;
  const uint32_t base = uint32_t(m.positions.size());
  const V3f normal(0, up ? 1.0f : -1.0f, 0);
  m.positions.emplace_back(0.0f, y, 0.0f);
  m.normals.push_back(normal);
  m.uvs.emplace_back(0.5f, 0.5f);
  for (uint32_t i = 0; i <= n; ++i) {
    float c, s;
    circle(float(i) / float(n), n, c, s);
    m.positions.emplace_back(radius * c, y, -radius * s);
    m.normals.push_back(normal);
    m.uvs.emplace_back(0.5f + 0.5f * c, 0.5f + 0.5f * s);
  }
  for (uint32_t i = 0; i < n; ++i) {
    const uint32_t a = base + 1 + i, b = a + 1;
    m.triangles.push_back(up ? Mesh::Triangle{base, a, b} : Mesh::Triangle{base, b, a});
  }
}

Shape frustum(float bottom, float top, float height, uint32_t n, bool capped) {
  Shape s;
  appendGrid(s.mesh, n, 1, [&](float u, float v, V3f& p, V3f& normal) {
    float c, sn;
    circle(u, n, c, sn);
    const float r = mix(bottom, top, v);
    p = {r * c, height * (v - 0.5f), -r * sn};
    normal = {height * c, bottom - top, -height * sn};
  });
  std::erase_if(s.mesh.triangles, [&](const Mesh::Triangle& t) {
    return s.mesh.positions[t.a] == s.mesh.positions[t.b] || s.mesh.positions[t.b] == s.mesh.positions[t.c] ||
           s.mesh.positions[t.c] == s.mesh.positions[t.a];
  });
  if (capped) {
    appendCap(s.mesh, bottom, -height / 2, n, false);
    appendCap(s.mesh, top, height / 2, n, true);
  }
  return s;
}

} // namespace

ShapeKind sphereShape() {
  return {{.id = "object.sphere",
           .label = "Sphere",
           .helpText = "An exact sphere: no facets at any distance.",
           .params = join({{size("radius", "Radius", 0.5, "From the centre to the surface")}, objectParams()})},
          [](const Params& p, const Assets&) {
            Shape s;
            s.sphereRadius = p.real("radius");
            return s;
          }};
}

ShapeKind boxShape() {
  return {{.id = "object.box",
           .label = "Box",
           .helpText = "A box with sharp edges.",
           .params = join({{size("width", "Width", 1, "Along x"), size("height", "Height", 1, "Along y"), size("depth", "Depth", 1, "Along z")},
                           objectParams()})},
          [](const Params& p, const Assets&) {
            Shape s;
            const V3f h(p.real("width") / 2, p.real("height") / 2, p.real("depth") / 2);
            for (int axis = 0; axis < 3; ++axis)
              for (int side = -1; side <= 1; side += 2)
                appendGrid(s.mesh, 1, 1, [&](float u, float v, V3f& at, V3f& n) {
                  const int b = (axis + 1) % 3, c = (axis + 2) % 3;
                  n = V3f(0.0f);
                  n[axis] = float(side);
                  at[axis] = float(side) * h[axis];
                  at[b] = (2 * (side > 0 ? u : 1 - u) - 1) * h[b];
                  at[c] = (2 * v - 1) * h[c];
                });
            return s;
          }};
}

ShapeKind planeShape() {
  return {{.id = "object.plane",
           .label = "Plane",
           .helpText = "A flat rectangle that faces up.",
           .params = join({{size("width", "Width", 2, "Along x"), size("depth", "Depth", 2, "Along z")}, objectParams()})},
          [](const Params& p, const Assets&) {
            Shape s;
            const float w = p.real("width"), d = p.real("depth");
            appendGrid(s.mesh, 1, 1, [&](float u, float v, V3f& at, V3f& n) {
              at = {(u - 0.5f) * w, 0, (0.5f - v) * d};
              n = {0, 1, 0};
            });
            return s;
          }};
}

ShapeKind torusShape() {
  return {{.id = "object.torus",
           .label = "Torus",
           .helpText = "A ring lying flat.",
           .params = join({{size("radius", "Radius", 0.5, "From the centre to the middle of the tube"),
                            size("tube", "Tube", 0.1, "Radius of the tube"),
                            number("flatten", "Height of the tube", "×", 1).soft(0.05, 4).range(1e-3, 1e3).at(Stage::Geometry)
                                .help("Height of the tube by its width"),
                            steps("segments", "Segments", 256, "Around the ring"), steps("sides", "Sides", 64, "Around the tube")},
                           objectParams()})},
          [](const Params& p, const Assets&) {
            Shape s;
            const float big = p.real("radius"), small = p.real("tube"), flat = p.real("flatten");
            const auto n = uint32_t(p.number("segments")), k = uint32_t(p.number("sides"));
            appendGrid(s.mesh, n, k, [&](float u, float v, V3f& at, V3f& normal) {
              float cu, su, cv, sv;
              circle(u, n, cu, su);
              circle(v, k, cv, sv);
              const float r = big + small * cv;
              at = {r * cu, small * flat * sv, -r * su};
              normal = {cv * cu * flat, sv, -cv * su * flat};
            });
            return s;
          }};
}

ShapeKind cylinderShape() {
  return {{.id = "object.cylinder",
           .label = "Cylinder",
           .helpText = "An upright cylinder.",
           .params = join({{size("radius", "Radius", 0.5, "From the axis to the wall"), size("height", "Height", 1, "Along y"),
                            flag("capped", "Ends closed", true).at(Stage::Geometry).help("Off: an open pipe without thickness"),
                            steps("segments", "Segments", 256, "Around the axis")},
                           objectParams()})},
          [](const Params& p, const Assets&) {
            return frustum(p.real("radius"), p.real("radius"), p.real("height"), uint32_t(p.number("segments")), p.flag("capped"));
          }};
}

ShapeKind coneShape() {
  return {{.id = "object.cone",
           .label = "Cone",
           .helpText = "An upright cone, or the stump of one.",
           .params = join({{size("radius", "Radius", 0.5, "Of the foot"),
                            number("top", "Top radius", "m", 0).soft(0, 1).range(0, 1e6).at(Stage::Geometry).help("0: a point"),
                            size("height", "Height", 1, "Along y"),
                            flag("capped", "Ends closed", true).at(Stage::Geometry).help("Off: an open wall without thickness"),
                            steps("segments", "Segments", 256, "Around the axis")},
                           objectParams()})},
          [](const Params& p, const Assets&) {
            return frustum(p.real("radius"), p.real("top"), p.real("height"), uint32_t(p.number("segments")), p.flag("capped"));
          }};
}

} // namespace ilumbra
