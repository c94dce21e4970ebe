#include "core/air/beam.h"

#include "core/air/haze.h"
#include "core/base/error.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {

static Kind beamKind() {
  return {.id = "air.beam",
          .label = "Beam",
          .helpText = "Haze in the way of one light: fitted to its cone, or to an opening that it shines through, "
                      "wherever it is moved.",
          .params = join(
              {{reference("light", "Light", {"light."}).at(Invalidation::Placement).matters().help("Whose beam it is"),
                reference("opening", "Opening", {"object.path"})
                    .at(Invalidation::Geometry)
                    .matters()
                    .help("A closed path around the hole that the light comes through; nothing: the light's own cone"),
                number("start", "Start", "m", 0)
                    .soft(0, 5)
                    .range(0, 1e6)
                    .at(Invalidation::Shading)
                    .matters()
                    .help("From the light, or the opening: nearer there is none"),
                number("reach", "Reach", "m", 6)
                    .soft(0.1, 50)
                    .range(1e-3, 1e6)
                    .log()
                    .at(Invalidation::Placement)
                    .matters()
                    .help("From the light, or the opening: further there is none"),
                number("edge", "Soft sides of the beam", "%", 0.3)
                    .soft(0, 1)
                    .range(0, 1)
                    .at(Invalidation::Shading)
                    .matters()
                    .help("Share of its width over which it thins out at its sides"),
                number("fade", "Fades", "%", 0.6)
                    .soft(0, 1)
                    .range(0, 1)
                    .at(Invalidation::Shading)
                    .matters()
                    .help("Share of its density that it has lost at its reach")},
               matterParams(0.15),
               {references("lit_by", "Also lit by", {"light."})
                    .at(Invalidation::Placement)
                    .in("Light")
                    .help("Other lights that it shows")}}),
          .existence = Invalidation::Geometry};
}

AirKind beamAir() { return {beamKind(), AirForm::Beam}; }

Opening::Opening(const std::vector<V3f>& points) {
  Box3f box;
  for (const V3f& p : points) box.extendBy(p);
  if (points.size() < 3) throw badInput("opening: needs three points at least");
  // Newell's normal, and the hull of the points in that plane.
  V3f n(0.0f);
  centre = V3f(0.0f);
  for (size_t i = 0; i < points.size(); ++i) {
    const V3f &a = points[i], &b = points[(i + 1) % points.size()];
    n += V3f((a.y - b.y) * (a.z + b.z), (a.z - b.z) * (a.x + b.x), (a.x - b.x) * (a.y + b.y));
    centre += a * (1 / float(points.size()));
  }
  if (!(length(n) > 1e-10f)) throw badInput("opening: its points lie in a line");
  normal = normalize(n);
  const V3f x = normalize(std::abs(normal.x) < 0.9f ? cross(normal, V3f(1, 0, 0)) : cross(normal, V3f(0, 1, 0))),
            y = cross(normal, x);
  struct Flat {
    float x, y;
    V3f p;
  };
  std::vector<Flat> flat;
  for (const V3f& p : points) flat.push_back({dot(p - centre, x), dot(p - centre, y), p});
  std::sort(flat.begin(), flat.end(),
            [](const Flat& a, const Flat& b) { return a.x < b.x || (a.x == b.x && a.y < b.y); });
  // Andrew's chain, 1979.
  std::vector<Flat> hull;
  const auto turns = [](const Flat& o, const Flat& a, const Flat& b) {
    return (a.x - o.x) * (b.y - o.y) - (a.y - o.y) * (b.x - o.x);
  };
  for (int pass = 0; pass < 2; ++pass) {
    const size_t begin = hull.size();
    for (const Flat& p : flat) {
      while (hull.size() >= begin + 2 && turns(hull[hull.size() - 2], hull.back(), p) <= 1e-12f) hull.pop_back();
      hull.push_back(p);
    }
    hull.pop_back();
    std::reverse(flat.begin(), flat.end());
  }
  for (const Flat& p : hull) corners.push_back(p.p);
}

BeamForm beamForm(const Params& beam, const Convex& lit, const BeamSource& from, const Opening* opening) {
  BeamForm f;
  f.region = lit;
  f.reach = beam.real("reach");
  f.start = std::min(beam.real("start"), f.reach);
  if (!opening) {
    f.begin = from.centre;
    f.axis = from.axis;
    if (dot(f.axis, f.axis) > 0 && f.start > 0) f.region.plane(-f.axis, f.begin + f.axis * f.start, false);
    f.region.ball(f.begin, f.reach);
    return f;
  }
  f.begin = opening->centre;
  // Away from the light.
  V3f into = opening->normal;
  if (std::isfinite(from.radius) && dot(opening->centre - from.centre, into) < 0) into = -into;
  const V3f straight = opening->centre - from.centre;
  f.axis = std::isfinite(from.radius) && length(straight) > 1e-6f ? normalize(straight) : into;
  f.region.plane(-into, f.begin + into * f.start, false);
  f.region.ball(f.begin, f.reach);
  if (!std::isfinite(from.radius)) return f; // from all sides
  const size_t n = opening->corners.size();
  for (size_t i = 0; i < n; ++i) {
    // The plane through an edge that leans out until the whole lamp is on its other side: tangent to the ball.
    const V3f &a = opening->corners[i], &b = opening->corners[(i + 1) % n];
    const V3f edge = normalize(b - a), to = from.centre - a,
              flat = to - edge * dot(to, edge); // from the edge to the lamp, at right angles
    const float distance = length(flat);
    if (distance <= from.radius * 1.0001f) continue; // the lamp reaches around this edge
    const float lean = std::asin(from.radius / distance);
    V3f way = flat * (-1 / distance); // from the lamp past the edge
    V3f out = cross(edge, way);
    if (dot(out, f.begin - a) > 0) out = -out;
    f.region.plane(out * std::cos(lean) - way * std::sin(lean), a);
  }
  return f;
}

Box3f BeamForm::bounds(const Opening* opening) const {
  // All of it is seen from where it begins: rays from there, close together about its axis.
  Box3f box;
  box.extendBy(begin);
  if (opening)
    for (const V3f& c : opening->corners) box.extendBy(c);
  const bool aimed = dot(axis, axis) > 0;
  const V3f z = aimed ? axis : V3f(0, 0, 1),
            x = normalize(std::abs(z.x) < 0.9f ? cross(z, V3f(1, 0, 0)) : cross(z, V3f(0, 1, 0))), y = cross(z, x),
            from = begin + (aimed ? axis * (1e-4f * reach) : V3f(0.0f));
  constexpr int rings = 360, around = 64;
  for (int i = 0; i <= rings; ++i)
    for (int k = 0; k < around; ++k) {
      const float off = pi * float(i) / rings, turn = 2 * pi * float(k) / around;
      const V3f d = z * std::cos(off) + (x * std::cos(turn) + y * std::sin(turn)) * std::sin(off);
      float a = 0, b = 1.01f * reach;
      if (region.clip(from, d, a, b)) box.extendBy(from + d * b);
    }
  const V3f more = box.size() * 0.02f + V3f(1e-3f * reach); // between the rays
  box.min -= more;
  box.max += more;
  return box;
}

BeamDensity::BeamDensity(BeamForm form, float edge, float fade, DensityPtr dust)
    : m_form(std::move(form)), m_edge(edge), m_fade(fade), m_dust(std::move(dust)) {}

float BeamDensity::at(const V3f& p) const {
  const V3f way = p - m_form.begin;
  const bool aimed = dot(m_form.axis, m_form.axis) > 0;
  const float along = aimed ? dot(way, m_form.axis) : length(way), far = length(way);
  if (far < m_form.start || far > m_form.reach) return 0;
  float v = 1;
  if (m_fade > 0) {
    const float t = clamp01((far - m_form.start) / std::max(1e-6f, m_form.reach - m_form.start));
    v = 1 - m_fade * t;
  }
  if (m_edge > 0 && aimed) v *= smoothstep(m_form.region.depth(p, m_form.begin + m_form.axis * along) / m_edge);
  return m_dust ? v * m_dust->at(p) : v;
}

void BeamDensity::bounds(const Box3f& world, float& low, float& high) const {
  low = 0;
  high = 1;
  if (m_dust) {
    float least;
    m_dust->bounds(world, least, high);
  }
  // Nothing beyond its reach.
  V3f nearest;
  for (int k = 0; k < 3; ++k) nearest[k] = std::clamp(m_form.begin[k], world.min[k], world.max[k]);
  if (length(nearest - m_form.begin) > m_form.reach) high = 0;
}

} // namespace ilumbra
