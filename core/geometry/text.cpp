// Text in relief: any font, with a bevel.
#include "core/base/error.h"
#include "core/geometry/flat.h"
#include "core/geometry/grid.h"
#include "core/text/text_outline.h"

#include <map>

namespace ilumbra {
namespace {

// A flat cap at height z, facing +z or -z.
void appendCap(Mesh& m, const Filled& f, float z, bool front, float size) {
  const auto base = uint32_t(m.positions.size());
  for (const V2f& p : f.places) {
    m.positions.emplace_back(p.x, p.y, z);
    m.normals.emplace_back(0.0f, 0.0f, front ? 1.0f : -1.0f);
    m.uvs.emplace_back(p.x / size, p.y / size);
  }
  for (const auto& t : f.triangles)
    m.triangles.push_back(front ? Mesh::Triangle{base + t.a, base + t.b, base + t.c}
                                : Mesh::Triangle{base + t.a, base + t.c, base + t.b});
}

// The slope between an outline at height z and the inset one at height `top`: whatever triangles fill what lies between
// them.
void appendBevel(Mesh& m, const Rings& outer, const Rings& inner, float z, float top, bool front, float size) {
  Rings both = outer;
  std::map<std::pair<float, float>, bool> high;
  for (const auto& ring : inner) {
    both.emplace_back(ring.rbegin(), ring.rend());
    for (const V2f& p : ring) high[{p.x, p.y}] = true;
  }
  const Filled f = filled(both);
  for (const auto& t : f.triangles) {
    const uint32_t corners[3] = {t.a, front ? t.b : t.c, front ? t.c : t.b};
    V3f p[3];
    for (int k = 0; k < 3; ++k) {
      const V2f& q = f.places[corners[k]];
      p[k] = {q.x, q.y, high.count({q.x, q.y}) ? top : z};
    }
    const V3f normal = normalize(cross(p[1] - p[0], p[2] - p[0]));
    const auto base = uint32_t(m.positions.size());
    for (const V3f& q : p) {
      m.positions.push_back(q);
      m.normals.push_back(normal);
      m.uvs.emplace_back(q.x / size, q.y / size);
    }
    m.triangles.push_back({base, base + 1, base + 2});
  }
}

// Walls along rings from z0 to z1; the outside is to the right of the rings' way.
void appendWalls(Mesh& m, const Rings& rings, float z0, float z1) {
  for (const auto& ring : rings) {
    const size_t n = ring.size();
    std::vector<V2f> normal(n); // of the piece that begins at a place
    for (size_t i = 0; i < n; ++i) {
      const V2f d = ring[(i + 1) % n] - ring[i];
      normal[i] = d.length() > 0 ? V2f(d.y, -d.x).normalized() : V2f(0, 0);
    }
    float along = 0;
    for (size_t i = 0; i < n; ++i) {
      const V2f &a = ring[i], &b = ring[(i + 1) % n];
      // Round where the outline hardly turns.
      const auto shade = [&](const V2f& other) {
        return normal[i].dot(other) > 0.8f ? (normal[i] + other).normalized() : normal[i];
      };
      const V2f na = shade(normal[(i + n - 1) % n]), nb = shade(normal[(i + 1) % n]);
      const auto base = uint32_t(m.positions.size());
      const float step = (b - a).length();
      const auto put = [&](const V2f& p, float z, const V2f& k, float u) {
        m.positions.emplace_back(p.x, p.y, z);
        m.normals.emplace_back(k.x, k.y, 0.0f);
        m.uvs.emplace_back(u, z);
      };
      put(a, z0, na, along);
      put(b, z0, nb, along + step);
      put(b, z1, nb, along + step);
      put(a, z1, na, along);
      along += step;
      m.triangles.push_back({base, base + 1, base + 2});
      m.triangles.push_back({base, base + 2, base + 3});
    }
  }
}

} // namespace

ShapeKind textShape() {
  return {
      {.id = "object.text",
       .label = "Text",
       .helpText = "Letters in relief, upright, to be read from +z; they stand on the origin's height.",
       .params = join(
           {{text("text", "Text", "Ilumbra")
                 .at(Invalidation::Geometry)
                 .matters()
                 .help("What it says; \\n begins a new line"),
             choice("face", "Typeface", {"Manrope bold", "EB Garamond"})
                 .at(Invalidation::Geometry)
                 .help("One that ships"),
             file("font", "Font file").at(Invalidation::Geometry).help("Any TrueType or OpenType font instead"),
             sizeParam("letter", "Size", 0.2, "Of the font: from line to line, about"),
             sizeParam("depth", "Depth", 0.04, "From back to front, bevels included"),
             number("bevel", "Bevel", "m", 0.004)
                 .soft(0, 0.02)
                 .range(0, 1e4)
                 .at(Invalidation::Geometry)
                 .matters()
                 .help("Width and height of the slope around the front, and the back if it has one; 0: sharp"),
             flag("back_bevel", "Bevel behind", false).at(Invalidation::Geometry).help("A slope around the back too"),
             number("tracking", "Spacing", "em", 0)
                 .soft(-0.1, 0.5)
                 .range(-1, 10)
                 .at(Invalidation::Geometry)
                 .help("Added between letters, of the size"),
             number("leading", "Lines", "em", 1.15)
                 .soft(0.8, 2)
                 .range(0, 10)
                 .at(Invalidation::Geometry)
                 .help("From line to line, of the size"),
             choice("align", "Aligned", {"centre", "left", "right"})
                 .at(Invalidation::Geometry)
                 .help("Of lines to each other and to the origin")},
            objectParams()})},
      [](const Params& p, const BuildFrom& from) {
        const std::string& name = p.node().name;
        const float size = p.real("letter"), tracking = p.real("tracking"), depth = p.real("depth");
        const std::string words = p.text("text"), file = p.text("font");
        const std::string align = p.text("align");
        Rings rings = outlineOfLines(words,
                                     align == "centre"  ? 0.5f
                                     : align == "right" ? 1.0f
                                                        : 0.0f,
                                     p.real("leading"),
                                     [&](const std::string& line) {
                                       return file.empty() ? outlineOf(shippedFont(p.text("face")), line, tracking)
                                                           : from.assets.outline(file, line, tracking);
                                     })
                          .rings;
        for (auto& ring : rings)
          for (V2f& q : ring) q *= size;
        const Rings outline = united(rings);
        if (outline.empty()) throw badInput(name + ".text: nothing of it can be seen");
        const float bevel = p.real("bevel");
        const bool back = p.flag("back_bevel");
        if (bevel * (back ? 2 : 1) > depth) throw badInput(name + ".bevel: it is deeper than the letters");
        Shape s;
        const float z0 = -depth / 2, z1 = depth / 2;
        const Rings front = bevel > 0 ? inset(outline, bevel) : outline, behind = bevel > 0 && back ? front : outline;
        appendWalls(s.mesh, outline, back ? z0 + bevel : z0, z1 - bevel);
        if (bevel > 0) {
          appendBevel(s.mesh, outline, front, z1 - bevel, z1, true, size);
          if (back) appendBevel(s.mesh, outline, front, z0 + bevel, z0, false, size);
        }
        appendCap(s.mesh, filled(front), z1, true, size);
        appendCap(s.mesh, filled(behind), z0, false, size);
        return s;
      }};
}

} // namespace ilumbra
