// What bends light on purpose: a lens and a prism.
#include "core/base/error.h"
#include "core/geometry/grid.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

// How far a face of radius `r` (0: flat) rises from its rim to its middle, at half an aperture; metres.
double rise(double r, double half) {
  return r == 0 ? 0 : std::copysign(std::abs(r) - std::sqrt(r * r - half * half), r);
}

ParamDef faceRadius(const char* name, const char* label, double initial, const char* help) {
  return number(name, label, "m", initial).soft(-2, 2).range(-1e6, 1e6).at(Invalidation::Geometry).matters().help(help);
}

} // namespace

ShapeKind lensShape() {
  return {{.id = "object.lens",
           .label = "Lens",
           .helpText = "A round lens; its axis stands upright.",
           .params = join({{faceRadius("radius", "Upper face", 0.4,
                                       "Radius of the ball that the face is part of; less than 0: hollow, 0: flat"),
                            faceRadius("lower", "Lower face", 0.4,
                                       "The same of the face below; more than 0: it bulges outwards too"),
                            sizeParam("thickness", "Thickness", 0.08, "Along the axis, from face to face"),
                            sizeParam("aperture", "Aperture", 0.3, "Width across"),
                            segmentsParam("segments", "Segments", "Around the axis")},
                           objectParams()})},
          [](const Params& p, const BuildFrom&) {
            const double half = p.number("aperture") / 2, thick = p.number("thickness") / 2;
            for (const char* face : {"radius", "lower"})
              if (const double r = p.number(face); r != 0 && std::abs(r) < half)
                throw badInput(fmt::format("{}.{}: a face of radius {:g} m cannot be {:g} m wide", p.node().name, face,
                                           r, 2 * half));
            const double r1 = p.number("radius"), r2 = p.number("lower"), top = thick - rise(r1, half),
                         bottom = -thick + rise(r2, half);
            if (!(top >= bottom))
              throw badInput(
                  fmt::format("{}.thickness: at the rim the lens would be {:g} m thick", p.node().name, top - bottom));
            const uint32_t around = segmentsFor(p.number("segments"), float(half));
            std::vector<ProfilePoint> profile;
            // Each face in steps of the same angle, so that its facets follow the ball.
            const auto face = [&](double r, double y, bool upper) {
              const int steps =
                  r == 0
                      ? 1
                      : std::max(12, int(std::ceil(double(around) * std::asin(half / std::abs(r)) / (2 * M_PI))) * 2);
              const double most = r == 0 ? half : std::asin(half / std::abs(r));
              for (int i = 0; i <= steps; ++i) {
                const double t = double(upper ? steps - i : i) / steps;
                const double at = r == 0 ? half * t : std::abs(r) * std::sin(most * t);
                const double h =
                    i == (upper ? 0 : steps) ? y : y + (upper ? 1 : -1) * (r == 0 ? 0 : rise(r, half) - rise(r, at));
                profile.push_back({float(t == 0 ? 0 : t == 1 ? half : at), float(h), t == 1});
              }
            };
            face(r2, bottom, false);
            if (top == bottom) profile.pop_back();
            face(r1, top, true);
            Shape s;
            appendTurned(s.mesh, profile, false, around);
            return s;
          }};
}

ShapeKind prismShape() {
  return {{.id = "object.prism",
           .label = "Prism",
           .helpText = "A bar whose ends are regular or, with three sides, have an edge of any angle; it lies along z.",
           .params = join({{integer("sides", "Sides", 3)
                                .soft(3, 12)
                                .range(3, 256)
                                .at(Invalidation::Geometry)
                                .matters()
                                .help("Of its ends"),
                            sizeParam("radius", "Radius", 0.2,
                                      "From the axis to the edges; with three sides, to those of the foot"),
                            number("apex", "Apex angle", "°", 60)
                                .soft(10, 120)
                                .range(1, 170)
                                .at(Invalidation::Geometry)
                                .matters()
                                .help("Of three sides: between the two that light goes through"),
                            sizeParam("length", "Length", 0.6, "Along its axis")},
                           objectParams()})},
          [](const Params& p, const BuildFrom&) {
            const int n = int(p.number("sides"));
            const double r = p.number("radius"), half = p.number("length") / 2;
            std::vector<V3d> outline; // counter-clockwise, seen from +z
            if (n == 3) {
              const double a = p.number("apex") * M_PI / 360;
              // Its corners on a circle about the axis: the foot's half angle from below is the apex angle.
              outline = {{0, r, 0},
                         {-r * std::sin(2 * a), -r * std::cos(2 * a), 0},
                         {r * std::sin(2 * a), -r * std::cos(2 * a), 0}};
            } else {
              for (int i = 0; i < n; ++i) {
                const double a = M_PI / 2 + 2 * M_PI * (i + (n % 2 ? 0 : 0.5)) / n;
                outline.emplace_back(r * std::cos(a), r * std::sin(a), 0);
              }
            }
            Mesh m;
            const auto flat = [&](const std::vector<V3d>& ring) {
              const auto base = uint32_t(m.positions.size());
              const V3d normal = (ring[1] - ring[0]).cross(ring[2] - ring[0]).normalized();
              const V3d x = (ring[1] - ring[0]).normalized(), y = normal.cross(x);
              for (const V3d& q : ring) {
                m.positions.emplace_back(q);
                m.normals.emplace_back(normal);
                m.uvs.emplace_back(float((q - ring[0]).dot(x) / (2 * r)), float((q - ring[0]).dot(y) / (2 * r)));
              }
              for (uint32_t k = 1; k + 1 < ring.size(); ++k) m.triangles.push_back({base, base + k, base + k + 1});
            };
            std::vector<V3d> front, back;
            for (const V3d& q : outline) {
              front.push_back(q + V3d(0, 0, half));
              back.insert(back.begin(), q - V3d(0, 0, half));
            }
            flat(front);
            flat(back);
            for (size_t i = 0; i < outline.size(); ++i) {
              const V3d &a = outline[i], &b = outline[(i + 1) % outline.size()];
              flat({a - V3d(0, 0, half), b - V3d(0, 0, half), b + V3d(0, 0, half), a + V3d(0, 0, half)});
            }
            Shape s;
            s.mesh = std::move(m);
            return s;
          }};
}

} // namespace ilumbra
