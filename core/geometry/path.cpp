// A drawn line in space: copies follow it; with a thickness it is a wire.
#include "core/base/error.h"
#include "core/geometry/grid.h"

namespace ilumbra {
namespace {

std::vector<V3f> lineOf(const Params& p, const BuildFrom& from) {
  std::vector<V3f> line = pathLine(from.doc, p);
  if (line.empty()) throw badInput(p.node().name + ".points: a path has two points at least");
  return line;
}

} // namespace

Kind pathPointKind() {
  return {
      .id = "path.point",
      .label = "Point of a path",
      .helpText = "A place that a path goes through.",
      .params = {
          vector("place", "Place", "m", {0, 0, 0})
              .soft(-2, 2)
              .at(Invalidation::Geometry)
              .matters()
              .help("In the path's own space"),
          flag("sharp", "Sharp", false).at(Invalidation::Geometry).help("The path turns at once; off: it goes round")}};
}

ShapeKind pathShape() {
  return {{.id = "object.path",
           .label = "Path",
           .helpText = "A line through points, for copies and motion to follow. With a thickness it is a wire.",
           .params =
               join({{number("thickness", "Thickness", "m", 0.004)
                          .soft(0, 0.1)
                          .range(0, 1e5)
                          .at(Invalidation::Geometry)
                          .matters()
                          .help("Radius of the wire; 0: nothing is seen of it"),
                      flag("closed", "Closed", false).at(Invalidation::Geometry).help("The last point joins the first"),
                      integer("steps", "Steps", 16)
                          .soft(2, 64)
                          .range(1, 500)
                          .at(Invalidation::Geometry)
                          .help("From one smooth point to the next"),
                      segmentsParam("sides", "Sides", "Around the wire")},
                     objectParams()}),
           .slots = {{"points", "Points", {"path.point"}, Invalidation::Geometry}}},
          [](const Params& p, const BuildFrom& from) {
            Shape s;
            const float r = p.real("thickness");
            std::vector<V3f> line = lineOf(p, from);
            if (r <= 0) return s;
            line.erase(std::unique(line.begin(), line.end()), line.end());
            if (line.size() < 2) throw badInput(p.node().name + ".points: all of them are at one place");
            const bool closed = line.size() > 3 && line.front() == line.back();
            if (closed) line.pop_back();
            // Frames that turn as little as they can from place to place (Wang et al. 2008, double reflection).
            const size_t n = line.size();
            const auto tangent = [&](size_t i) {
              if (closed) return normalize(line[(i + 1) % n] - line[(i + n - 1) % n]);
              return normalize(line[std::min(i + 1, n - 1)] - line[i > 0 ? i - 1 : 0]);
            };
            std::vector<V3f> up(n);
            up[0] = Frame(tangent(0)).x;
            const auto carry = [&](size_t i, size_t j) {
              const V3f v1 = line[j] - line[i];
              const float c1 = dot(v1, v1);
              const V3f u = up[i] - v1 * (2 / c1 * dot(v1, up[i])),
                        t = tangent(i) - v1 * (2 / c1 * dot(v1, tangent(i))), v2 = tangent(j) - t;
              const float c2 = dot(v2, v2);
              return c2 > 0 ? normalize(u - v2 * (2 / c2 * dot(v2, u))) : u;
            };
            for (size_t i = 1; i < n; ++i) up[i] = carry(i - 1, i);
            const uint32_t sides = segmentsFor(p.number("sides"), r);
            if (closed) {
              // What is left over after a turn is spread over all of it.
              const V3f last = carry(n - 1, 0), t = tangent(0);
              const float over = std::atan2(dot(cross(last, up[0]), t), dot(last, up[0]));
              for (size_t i = 0; i < n; ++i) {
                const float a = over * float(i) / float(n);
                up[i] = up[i] * std::cos(a) + cross(tangent(i), up[i]) * std::sin(a);
              }
              appendClosedTube(s.mesh, line, up, r, 1, sides);
              return s;
            }
            // Round ends: rings that close in on the axis.
            const uint32_t caps = std::max(4u, sides / 4);
            struct Ring {
              V3f at, along, up;
              float radius, lean;
            };
            std::vector<Ring> rings;
            for (uint32_t i = 0; i <= caps; ++i) {
              const float a = 0.5f * pi * (1 - float(i) / float(caps));
              rings.push_back({line[0] - tangent(0) * (r * std::sin(a)), tangent(0), up[0],
                               i == 0 ? 0 : r * std::cos(a), -std::sin(a)});
            }
            for (size_t i = 1; i + 1 < n; ++i) rings.push_back({line[i], tangent(i), up[i], r, 0});
            for (uint32_t i = 0; i <= caps; ++i) {
              const float a = 0.5f * pi * float(i) / float(caps);
              rings.push_back({line[n - 1] + tangent(n - 1) * (r * std::sin(a)), tangent(n - 1), up[n - 1],
                               i == caps ? 0 : r * std::cos(a), std::sin(a)});
            }
            appendGrid(s.mesh, sides, uint32_t(rings.size() - 1), [&](float u, float v, V3f& at, V3f& normal) {
              const Ring& k = rings[size_t(std::lround(v * float(rings.size() - 1)))];
              float c, sn;
              circle(u, sides, c, sn);
              const V3f out = k.up * c + cross(k.along, k.up) * sn;
              at = k.at + out * k.radius;
              normal = out * std::sqrt(std::max(0.0f, 1 - k.lean * k.lean)) + k.along * k.lean;
            });
            return s;
          },
          {},
          lineOf,
          pathPoints};
}

} // namespace ilumbra
