#pragma once
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"
#include "tests/support/scene.h"

namespace ilumbra::test {

inline constexpr double pi64 = 3.14159265358979323846;
using Values = std::initializer_list<std::pair<const char*, const char*>>;

// An object with modifiers one after the other.
struct Shaped {
  Set set;
  NodeId object;
  Shaped(const char* kind, Values values) : object(set.add(kind, "Thing", values)) {}
  Shaped& with(const char* kind, Values values) {
    set.add(kind, "Change", values, {object, "modifiers", size_t(-1)});
    return *this;
  }
  Form form(double frame = 1) {
    const Document& doc = set.peek();
    const TestAssets none;
    return formOf(*doc.find(object), {doc, frame, none});
  }
  Mesh mesh() {
    Form f = form();
    return std::move(meshOf(f));
  }
};

inline double area(const Mesh& m) {
  double sum = 0;
  for (const auto& t : m.triangles)
    sum += 0.5 * double(length(cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a])));
  return sum;
}

// Every vertex's normal looks where its triangles look.
inline double worstNormal(const Mesh& m) {
  double worst = 1;
  for (const auto& t : m.triangles) {
    const V3f n = normalize(cross(m.positions[t.b] - m.positions[t.a], m.positions[t.c] - m.positions[t.a]));
    for (const uint32_t v : {t.a, t.b, t.c}) worst = std::min(worst, double(dot(n, m.normals[v])));
  }
  return worst;
}

} // namespace ilumbra::test
