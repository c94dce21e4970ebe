// Cut stones, by the angles and shares that cutters use.
#include "core/base/error.h"
#include "core/geometry/grid.h"

namespace ilumbra {
namespace {

struct Cut {
  double radius, table, crown, pavilion, girdle; // metres, share of the width, radians, radians, share of the width
  int folds;
};

V3d polar(double radius, double azimuth, double y) {
  return {radius * std::cos(azimuth), y, -radius * std::sin(azimuth)};
}

// Slope `angle` from the horizontal, upwards or downwards, through a place on the side that it faces.
HalfSpace slope(double angle, double azimuth, bool up, const V3d& at) {
  const V3d n(std::sin(angle) * std::cos(azimuth), up ? std::cos(angle) : -std::cos(angle),
              -std::sin(angle) * std::sin(azimuth));
  return {n, n.dot(at)};
}

// Table, stars, kites and halves above; mains and halves below; as many of each as the folds say.
std::vector<HalfSpace> brilliant(const Cut& c) {
  std::vector<HalfSpace> out;
  const double step = 2 * M_PI / c.folds, half = step / 2, edge = c.girdle * c.radius, rTable = c.table * c.radius;
  const double yTable = edge + (c.radius - rTable) * std::tan(c.crown);
  out.push_back({V3d(0, 1, 0), yTable});
  // Where neighbouring kites meet, halfway from the table's edge to the girdle; there stars and halves end.
  const double rTip = 0.5 * (rTable * std::cos(half) + c.radius),
               yTip = edge + (c.radius - rTip * std::cos(half)) * std::tan(c.crown);
  // Lower halves go four fifths of the way to the point.
  const double rLow = 0.2 * c.radius, yLow = -edge - (c.radius - rLow * std::cos(half)) * std::tan(c.pavilion);
  for (int k = 0; k < c.folds; ++k) {
    const double a = k * step;
    out.push_back(slope(c.crown, a, true, polar(c.radius, a, edge)));
    out.push_back(slope(c.pavilion, a, false, polar(c.radius, a, -edge)));
    const V3d tip = polar(rTip, a + half, yTip), low = polar(rLow, a + half, yLow);
    out.push_back(through(polar(rTable, a + step, yTable), polar(rTable, a, yTable), tip));
    for (int side = 0; side < 2; ++side) {
      const double a0 = a + side * half, a1 = a0 + half;
      const V3d from = polar(c.radius, a0, edge), to = polar(c.radius, a1, edge);
      out.push_back(through(from, to, tip));
      out.push_back(through(polar(c.radius, a1, -edge), polar(c.radius, a0, -edge), low));
      if (edge > 0) out.push_back(through(polar(c.radius, a0, -edge), polar(c.radius, a1, -edge), from));
    }
  }
  return out;
}

// Rows of facets parallel to the sides of a rectangle with its corners cut off.
std::vector<HalfSpace> steps(const Cut& c, double length) {
  std::vector<HalfSpace> out;
  const double w = c.radius, l = c.radius * length, edge = c.girdle * c.radius, corner = 0.3 * w,
               rise = (w - c.table * w) * std::tan(c.crown);
  out.push_back({V3d(0, 1, 0), edge + rise});
  const double depth = w * std::tan(c.pavilion);
  for (int side = 0; side < 8; ++side) {
    const double azimuth = side * M_PI / 4;
    const double reach = side % 4 == 0 ? l : side % 4 == 2 ? w : (w + l - corner) / std::sqrt(2.0);
    const double ratio = w / reach; // so that each row is as high on all sides
    const V3d out1(std::cos(azimuth), 0, -std::sin(azimuth));
    if (edge > 0) out.push_back({out1, reach});
    double r = reach, y = edge;
    const double widths[] = {0.25, 0.35, 0.4}, turns[] = {1.35, 1.1, 0.8};
    for (int row = 0; row < 3; ++row) {
      const double run = widths[row] * (1 - c.table) * reach;
      const double angle = std::atan(std::tan(std::min(1.4, c.crown * turns[row])) * ratio);
      out.push_back(slope(angle, azimuth, true, out1 * r + V3d(0, y, 0)));
      r -= run;
      y += run * std::tan(angle);
    }
    r = reach;
    y = -edge;
    const double lowWidths[] = {0.25, 0.3, 0.45}, lowTurns[] = {1.3, 1.12, 0.92};
    for (int row = 0; row < 3; ++row) {
      const double run = lowWidths[row] * reach,
                   angle = std::atan(std::tan(std::min(1.4, c.pavilion * lowTurns[row])) * ratio);
      out.push_back(slope(angle, azimuth, false, out1 * r + V3d(0, y, 0)));
      r -= run;
      y -= run * std::tan(angle);
    }
  }
  out.push_back({V3d(0, -1, 0), edge + 2 * depth}); // bounds what the rows leave open
  return out;
}

// A flat foot under a dome of two rows of facets.
std::vector<HalfSpace> rose(const Cut& c) {
  std::vector<HalfSpace> out{{V3d(0, -1, 0), c.girdle * c.radius}};
  const double step = 2 * M_PI / c.folds, edge = c.girdle * c.radius;
  for (int k = 0; k < c.folds; ++k) {
    const double a = k * step;
    for (int side = 0; side < 2; ++side) {
      const double b = a + (side + 0.5) * step / 2;
      out.push_back(slope(std::min(1.45, c.crown * 1.45), b, true, polar(c.radius, b, edge)));
      if (edge > 0) out.push_back(slope(M_PI / 2, b, true, polar(c.radius, b, 0)));
    }
    const double inner = 0.62 * c.radius;
    out.push_back(slope(c.crown * 0.72, a, true, polar(inner, a, edge + (c.radius - inner) * std::tan(c.crown * 1.3))));
  }
  return out;
}

} // namespace

ShapeKind gemShape() {
  const auto share = [](const char* name, const char* label, double initial, double most, const char* help) {
    return number(name, label, "%", initial).soft(0, most).range(0, 0.95).at(Invalidation::Geometry).help(help);
  };
  const auto angle = [](const char* name, const char* label, double initial, const char* help) {
    return number(name, label, "°", initial).soft(20, 55).range(5, 80).at(Invalidation::Geometry).help(help);
  };
  return {
      {.id = "object.gem",
       .label = "Cut gem",
       .helpText = "A stone with flat facets at the angles that bring light back to the eye.",
       .params = join({{choice("cut", "Cut", {"brilliant", "step", "rose"})
                            .at(Invalidation::Geometry)
                            .matters()
                            .help("How its facets lie"),
                        sizeParam("radius", "Radius", 0.1, "Half the width at the girdle"),
                        share("table", "Table", 0.56, 0.8, "Width of the flat top, of the stone's"),
                        angle("crown", "Crown angle", 34.5, "Of the main facets above the girdle, from the horizontal"),
                        angle("pavilion", "Pavilion angle", 40.75, "Of the main facets below it"),
                        share("girdle", "Girdle", 0.03, 0.2, "Height of the rim, of the width"),
                        integer("folds", "Folds", 8)
                            .soft(3, 16)
                            .range(3, 24)
                            .at(Invalidation::Geometry)
                            .help("Main facets around; a step cut has eight sides"),
                        number("length", "Length", "×", 1.35)
                            .soft(1, 2)
                            .range(1, 4)
                            .at(Invalidation::Geometry)
                            .help("Of a step cut: length by width")},
                       objectParams()})},
      [](const Params& p, const BuildFrom&) {
        constexpr double degrees = M_PI / 180;
        const Cut c{p.number("radius"),          std::max(0.05, p.number("table")),
                    p.number("crown") * degrees, p.number("pavilion") * degrees,
                    p.number("girdle"),          int(p.number("folds"))};
        const std::string cut = p.text("cut");
        Shape s;
        s.mesh = convexBody(cut == "brilliant" ? brilliant(c) : cut == "step" ? steps(c, p.number("length")) : rose(c));
        if (s.mesh.triangles.empty())
          throw badInput(p.node().name + ": these angles and shares leave nothing of the stone");
        return s;
      }};
}

} // namespace ilumbra
