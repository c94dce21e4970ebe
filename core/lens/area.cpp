#include "core/lens/area.h"

#include "core/pattern/outline.h"

namespace ilumbra {
namespace {

// A shape about its centre, turned by its own angle.
struct Outline {
  V2f centre;
  float halfWidth, halfHeight, soft, cosine, sine;
  Outline(const Params& p, const LensContext& c)
      : centre(anchorOf(p, "centre", c).at), halfWidth(std::max(1e-3f, 0.5f * c.size(p.number("width")))),
        halfHeight(std::max(1e-3f, 0.5f * c.size(p.number("height")))), soft(p.real("soft")) {
    const float turn = (p.real("turn") - aimOf(p, c, centre)) * pi / 180;
    cosine = std::cos(turn);
    sine = std::sin(turn);
  }
  // The share of a place, by how many pixels it lies inside the line; never harder than a pixel.
  float share(float x, float y, bool round) const {
    const float dx = x - centre.x, dy = y - centre.y;
    const float u = std::abs(cosine * dx + sine * dy) / halfWidth, v = std::abs(cosine * dy - sine * dx) / halfHeight;
    const float slope = 2 * std::hypot(u / halfWidth, v / halfHeight);
    const float inside =
        round ? (1 - u * u - v * v) / std::max(1e-6f, slope) : std::min((1 - u) * halfWidth, (1 - v) * halfHeight);
    return smoothstep(inside / std::max(1.0f, soft * std::min(halfWidth, halfHeight)) + 0.5f);
  }
};

std::vector<ParamDef> outlineParams() {
  return join({anchorParams("centre", "Centre", ""),
               {number("width", "Width", "%", 0.5)
                    .soft(0, 2)
                    .range(0, 100)
                    .at(Invalidation::Lens)
                    .help("Of the frame's height"),
                number("height", "Height", "%", 0.5)
                    .soft(0, 2)
                    .range(0, 100)
                    .at(Invalidation::Lens)
                    .help("Of the frame's height"),
                number("turn", "Turn", "°", 0).soft(-180, 180).at(Invalidation::Lens).help("Clockwise, in the picture"),
                number("soft", "Softness", "%", 0.25)
                    .soft(0, 1)
                    .range(0, 2)
                    .at(Invalidation::Lens)
                    .help("Width of its edge, by its half size; an edge is never harder than a pixel"),
                flag("cuts", "Acts outside of it", false).at(Invalidation::Lens).help("Off: the stage acts inside")},
               followParams("")});
}

// A drawn one: how many pixels a place lies inside, by the distance to its line.
void drawnCoverage(const Params& p, const LensContext& c, std::vector<float>& out) {
  const DrawnArea area(p, c);
  std::vector<V2f> ring = outlineRing(outlinePoints(c.doc, p.node(), p.frame()));
  for (V2f& q : ring) q = area.toPicture(q);
  const float soft = std::max(1.0f, c.size(p.number("soft")));
  const PlaneOutline line({ring}, 0.5f * soft + 1);
  c.tasks.forEach(c.height, [&](int y) {
    for (int x = 0; x < c.width; ++x)
      out[size_t(y) * size_t(c.width) + size_t(x)] =
          line.empty() ? 0 : smoothstep(line.inside({float(x) + 0.5f, float(y) + 0.5f}) / soft + 0.5f);
  });
}

float coverage(const Kind& kind, const Params& p, const LensContext& c, std::vector<float>& out) {
  const Anchor centre = anchorOf(p, "centre", c);
  if (kind.id == "area.drawn") {
    drawnCoverage(p, c, out);
    return centre.seen;
  }
  if (kind.id == "area.gradient") {
    const V2f from = centre.at, to = anchorOf(p, "end", c).at, way = to - from;
    const float l2 = std::max(1e-6f, way.x * way.x + way.y * way.y);
    c.tasks.forEach(c.height, [&](int y) {
      for (int x = 0; x < c.width; ++x) {
        const V2f d = V2f(float(x) + 0.5f, float(y) + 0.5f) - from;
        out[size_t(y) * size_t(c.width) + size_t(x)] = smoothstep((d.x * way.x + d.y * way.y) / l2);
      }
    });
    return centre.seen;
  }
  const Outline o(p, c);
  const bool round = kind.id == "area.ellipse";
  c.tasks.forEach(c.height, [&](int y) {
    for (int x = 0; x < c.width; ++x)
      out[size_t(y) * size_t(c.width) + size_t(x)] = o.share(float(x) + 0.5f, float(y) + 0.5f, round);
  });
  return centre.seen;
}

} // namespace

DrawnArea::DrawnArea(const Params& p, const LensContext& c)
    : m_params(p), m_centre(anchorOf(p, "centre", c).at), m_unit(c.size(1)) {
  const float turn = aimOf(p, c, m_centre) * pi / 180;
  m_cosine = std::cos(turn);
  m_sine = std::sin(turn);
}
V2f DrawnArea::toPicture(const V2f& point) const {
  const V2f q = placedPoint(point, m_params);
  return m_centre + V2f(m_cosine * q.x - m_sine * q.y, -m_sine * q.x - m_cosine * q.y) * m_unit;
}
V2f DrawnArea::fromPicture(const V2f& at) const {
  const V2f d = (at - m_centre) * (1 / m_unit);
  return unplacedPoint({m_cosine * d.x - m_sine * d.y, -m_sine * d.x - m_cosine * d.y}, m_params);
}

std::vector<Kind> allAreas() {
  return {
      {.id = "area.ellipse",
       .label = "Ellipse",
       .helpText = "A round shape in the picture: a lens stage acts inside of it.",
       .params = outlineParams(),
       .existence = Invalidation::Lens},
      {.id = "area.rectangle",
       .label = "Rectangle",
       .helpText = "A rectangle in the picture: a lens stage acts inside of it.",
       .params = outlineParams(),
       .existence = Invalidation::Lens},
      {.id = "area.drawn",
       .label = "Drawn shape",
       .helpText = "A closed line drawn by points, each of which can be keyed: a lens stage acts inside of it. Pull "
                   "at those that it comes with, or draw by the tool for points.",
       .params =
           join({anchorParams("centre", "Centre", ""),
                 outlineParams(Invalidation::Lens),
                 {number("soft", "Feather", "%", 0.05)
                      .soft(0, 0.5)
                      .range(0, 10)
                      .at(Invalidation::Lens)
                      .matters()
                      .help("Width of its soft edge, by the frame's height; an edge is never harder than a "
                            "pixel"),
                  flag("cuts", "Acts outside of it", false).at(Invalidation::Lens).help("Off: the stage acts inside")},
                 followParams("")}),
       .slots = {{"points", "Points", {"drawn.point"}, Invalidation::Lens}},
       .existence = Invalidation::Lens},
      outlinePointKind("drawn.point", Invalidation::Lens),
      {.id = "area.gradient",
       .label = "Gradient",
       .helpText = "From nothing at one place to all at another, across the whole picture.",
       .params = join({anchorParams("centre", "From", ""),
                       anchorParams("end", "To", "", 0.5, 0.9),
                       {flag("cuts", "The other way round", false)
                            .at(Invalidation::Lens)
                            .help("The stage acts before its start instead of beyond its end")}}),
       .existence = Invalidation::Lens}};
}

std::vector<float> areaMask(const Document& doc, const Node& stage, const LensContext& context) {
  const auto slot = stage.children.find("areas");
  if (slot == stage.children.end() || slot->second.empty()) return {};
  const size_t n = size_t(context.width) * size_t(context.height);
  std::vector<float> mask, one(n);
  const auto adds = [&](NodeId id) { return !Params(*doc.find(id), context.frame).flag("cuts"); };
  mask.assign(n, std::any_of(slot->second.begin(), slot->second.end(), adds) ? 0.0f : 1.0f);
  for (const bool adding : {true, false})
    for (const NodeId id : slot->second) {
      if (adds(id) != adding) continue;
      const Node& area = *doc.find(id);
      const float seen = coverage(*area.kind, Params(area, context.frame), context, one);
      for (size_t i = 0; i < n; ++i) {
        const float m = one[i] * seen;
        mask[i] = adding ? mask[i] + (1 - mask[i]) * m : mask[i] * (1 - m);
      }
    }
  return mask;
}

} // namespace ilumbra
