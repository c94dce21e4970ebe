// A drawn profile turned about an axis: bulbs, bowls, bottles.
#include "core/base/curve.h"
#include "core/base/error.h"
#include "core/geometry/grid.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

using Imath::V2d;

struct Corner {
  double radius, height;
  bool sharp;
};

// A line through all corners: round through those that are smooth, straight between two sharp ones, and never across
// the axis.
std::vector<ProfilePoint> curve(const std::vector<Corner>& c, int steps) {
  std::vector<ProfilePoint> out;
  const auto at = [&](size_t i) { return V2d(c[i].radius, c[i].height); };
  for (size_t i = 0; i + 1 < c.size(); ++i) {
    const V2d p1 = at(i), p2 = at(i + 1);
    // Past a sharp corner, or the end, the line goes on as it came.
    const V2d p0 = i > 0 && !c[i].sharp ? at(i - 1) : p1 * 2.0 - p2,
              p3 = i + 2 < c.size() && !c[i + 1].sharp ? at(i + 2) : p2 * 2.0 - p1;
    const int n = c[i].sharp && c[i + 1].sharp ? 1 : steps;
    for (int k = 0; k < n; ++k) {
      const V2d p = k == 0 ? p1 : between(p0, p1, p2, p3, double(k) / n);
      out.push_back({float(std::max(0.0, p.x)), float(p.y), k == 0 && c[i].sharp});
    }
  }
  out.push_back({float(c.back().radius), float(c.back().height), c.back().sharp});
  return out;
}

// The same line further in by `wall`, from its end to its start; points that come to lie nearer than that to the line
// are left out, so that tight bends stay clean.
std::vector<ProfilePoint> inner(const std::vector<ProfilePoint>& outer, float wall) {
  const size_t n = outer.size();
  const auto at = [&](size_t i) { return V2f(outer[i].radius, outer[i].height); };
  const auto distance = [&](const V2f& p) {
    float least = 1e30f;
    for (size_t i = 0; i + 1 < n; ++i) {
      const V2f a = at(i), d = at(i + 1) - a;
      const float l = d.length2(), t = l > 0 ? std::clamp((p - a).dot(d) / l, 0.0f, 1.0f) : 0;
      least = std::min(least, (p - a - d * t).length());
    }
    return least;
  };
  std::vector<ProfilePoint> in;
  for (size_t i = n; i-- > 0;) {
    const V2f before = i > 0 ? at(i) - at(i - 1) : V2f(0, 0), after = i + 1 < n ? at(i + 1) - at(i) : V2f(0, 0);
    const V2f d1 = before.length() > 0 ? before.normalized() : V2f(0, 0),
              d2 = after.length() > 0 ? after.normalized() : V2f(0, 0);
    const bool pole = outer[i].radius <= 0;
    // On the axis the line goes on as its own mirror image.
    const V2f from = i > 0 ? d1 : pole ? V2f(d2.x, -d2.y) : d2, to = i + 1 < n ? d2 : pole ? V2f(d1.x, -d1.y) : d1;
    V2f way = from + to;
    if (way.length() < 1e-6f) continue;
    way.normalize();
    const V2f into(-way.y, way.x); // left of the line
    // At a corner the offset lines meet further off.
    const V2f p = at(i) + into * (wall / std::max(0.25f, std::abs(from.dot(way))));
    if (p.x < 0 || (!pole && distance(p) < 0.98f * wall)) continue;
    in.push_back({pole ? 0 : p.x, p.y, outer[i].sharp});
  }
  return in;
}

std::vector<Corner> look(const std::string& name) {
  if (name == "bowl")
    return {{0, 0, true},        {0.16, 0, true},     {0.17, 0.03, false},
            {0.34, 0.12, false}, {0.45, 0.28, false}, {0.47, 0.36, true}};
  if (name == "bottle")
    return {{0, 0, true},         {0.2, 0, false},    {0.24, 0.04, false}, {0.24, 0.5, false}, {0.2, 0.62, false},
            {0.085, 0.74, false}, {0.08, 0.9, false}, {0.1, 0.93, false},  {0.1, 0.97, true}};
  if (name == "goblet")
    return {{0, 0, true},        {0.26, 0, true},     {0.25, 0.02, false}, {0.06, 0.07, false}, {0.035, 0.2, false},
            {0.04, 0.36, false}, {0.16, 0.44, false}, {0.27, 0.6, false},  {0.26, 0.85, true}};
  if (name == "vase")
    return {{0, 0, true},       {0.14, 0, true},     {0.2, 0.1, false}, {0.28, 0.35, false},
            {0.2, 0.62, false}, {0.11, 0.75, false}, {0.16, 0.86, true}};
  if (name == "spindle")
    return {{0, 0, true},        {0.08, 0, true},    {0.08, 0.04, true}, {0.03, 0.08, false},
            {0.09, 0.22, false}, {0.03, 0.4, false}, {0.05, 0.5, false}, {0, 0.6, true}};
  return {{0.1, 0, true},      {0.1, 0.14, false}, {0.13, 0.22, false}, {0.28, 0.46, false},
          {0.24, 0.68, false}, {0.1, 0.79, false}, {0, 0.81, false}}; // bulb
}

std::vector<Corner> cornersOf(const Document& doc, const Params& p) {
  std::vector<Corner> corners;
  if (const auto it = p.node().children.find("profile"); it != p.node().children.end())
    for (const NodeId id : it->second) {
      const Params k(*doc.find(id), p.frame());
      corners.push_back({k.number("radius"), k.number("height"), k.flag("sharp")});
    }
  return corners.empty() ? look(p.text("look")) : corners;
}

} // namespace

Kind profilePointKind() {
  return {
      .id = "profile.point",
      .label = "Point of a profile",
      .helpText = "A place on the line that is turned about the axis.",
      .params = {
          number("radius", "Radius", "m", 0.2)
              .soft(0, 1)
              .range(0, 1e6)
              .at(Invalidation::Geometry)
              .matters()
              .help("From the axis"),
          number("height", "Height", "m", 0)
              .soft(-1, 1)
              .range(-1e6, 1e6)
              .at(Invalidation::Geometry)
              .matters()
              .help("Along the axis"),
          flag("sharp", "Sharp", false).at(Invalidation::Geometry).help("The line turns at once; off: it goes round")}};
}

ShapeKind turnedShape() {
  return {
      {.id = "object.turned",
       .label = "Turned form",
       .helpText = "A profile turned about the upright axis: massive, or with a wall.",
       .params = join(
           {{choice("look", "Profile", {"bulb", "bowl", "bottle", "goblet", "vase", "spindle"})
                 .at(Invalidation::Geometry)
                 .matters()
                 .help("Its line, as long as no points of its own are drawn"),
             number("scale", "Scale", "×", 1)
                 .soft(0.1, 4)
                 .range(1e-4, 1e4)
                 .log()
                 .at(Invalidation::Geometry)
                 .help("Of the line; the wall keeps its thickness"),
             number("wall", "Wall", "m", 0.004)
                 .soft(0, 0.05)
                 .range(0, 1e3)
                 .at(Invalidation::Geometry)
                 .matters()
                 .help("Thickness, inwards from the line; 0: massive, or, with an open end, a skin"),
             choice("ends", "Ends", {"as drawn", "closed", "open above", "open below", "open"})
                 .at(Invalidation::Geometry)
                 .matters()
                 .help("What becomes of ends away from the axis: as drawn, the upper one is open and the lower closed"),
             segmentsParam("segments", "Segments", "Around the axis"),
             integer("steps", "Steps", 12)
                 .soft(2, 48)
                 .range(1, 200)
                 .at(Invalidation::Geometry)
                 .help("Of the line from one smooth point to the next")},
            objectParams()}),
       .slots = {{"profile", "Profile", {"profile.point"}, Invalidation::Geometry}}},
      [](const Params& p, const BuildFrom& from) {
        std::vector<Corner> corners = cornersOf(from.doc, p);
        const std::string& name = p.node().name;
        if (corners.size() < 2) throw badInput(name + ".profile: a profile has two points at least");
        for (Corner& c : corners) {
          c.radius *= p.number("scale");
          c.height *= p.number("scale");
        }
        std::vector<ProfilePoint> line = curve(corners, int(p.number("steps")));
        float reach = 0;
        for (const ProfilePoint& q : line) reach = std::max(reach, q.radius);
        if (!(reach > 0)) throw badInput(name + ".profile: all of it lies on the axis");
        const std::string ends = p.text("ends");
        const float wall = p.real("wall");
        const bool openAbove = ends == "open above" || ends == "open" || ends == "as drawn",
                   openBelow = ends == "open below" || ends == "open";
        if (!openBelow && line.front().radius > 0) {
          line.front().sharp = true;
          line.insert(line.begin(), {0, line.front().height, true});
        }
        const bool mouth = openAbove && line.back().radius > 0;
        if (!mouth && line.back().radius > 0) {
          line.back().sharp = true;
          line.push_back({0, line.back().height, true});
        }
        const uint32_t around = segmentsFor(p.number("segments"), reach);
        Shape s;
        if (wall <= 0) {
          appendTurned(s.mesh, line, false, around);
          return s;
        }
        const std::vector<ProfilePoint> inside = inner(line, wall);
        if (std::none_of(inside.begin(), inside.end(), [](const ProfilePoint& q) { return q.radius > 0; }))
          throw badInput(fmt::format("{}.wall: {:g} m leaves no room inside", name, double(wall)));
        // One body: outside, over the rim if there is one, back inside, over the foot; pieces on the axis are nothing.
        std::vector<ProfilePoint> whole = line;
        whole.insert(whole.end(), inside.begin(), inside.end());
        whole[line.size() - 1].sharp |= mouth;
        whole[line.size()].sharp |= mouth;
        if (openBelow) whole.front().sharp = whole.back().sharp = true;
        appendTurned(s.mesh, whole, true, around);
        return s;
      },
      {},
      {},
      [](const Document& doc, const Params& p) {
        std::vector<LinePoint> points;
        for (const Corner& c : cornersOf(doc, p)) points.push_back({{float(c.radius), float(c.height), 0}, c.sharp});
        return points;
      }};
}

} // namespace ilumbra
