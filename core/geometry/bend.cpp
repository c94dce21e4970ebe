// Bend, twist and taper: the body between two of its cross-sections is changed, what lies beyond goes along stiffly.
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"

namespace ilumbra {
namespace {

std::vector<ParamDef> alongAxis(std::vector<ParamDef> own) {
  return modifierParams(join(
      {std::move(own),
       {choice("axis", "Along", {"y", "x", "z"}).at(Invalidation::Geometry).help("The axis that runs through the body"),
        number("from", "From", "%", 0)
            .soft(0, 1)
            .range(-10, 10)
            .at(Invalidation::Geometry)
            .help("Where it begins, of the body's length"),
        number("to", "To", "%", 1).soft(0, 1).range(-10, 10).at(Invalidation::Geometry).help("Where it ends"),
        integer("steps", "Steps", 48)
            .soft(4, 200)
            .range(0, 2000)
            .at(Invalidation::Geometry)
            .help("Facets are split until so many follow the length; 0: as they are")}}));
}

// The body's length along the axis that was chosen, called y here, with x and z across.
struct Length {
  int axis = 1;
  float low = 0, high = 1;
  V3f in(const V3f& p) const { return {p[(axis + 2) % 3], p[axis], p[(axis + 1) % 3]}; }
  V3f out(const V3f& q) const {
    V3f p;
    p[(axis + 2) % 3] = q.x;
    p[axis] = q.y;
    p[(axis + 1) % 3] = q.z;
    return p;
  }
};

// Changes a form by a map of places whose y runs from low to high.
void change(Form& form, const Params& p, const std::function<V3f(const V3f&, float low, float high)>& map) {
  Mesh& mesh = meshOf(form);
  if (mesh.positions.empty()) return;
  Box3f box;
  for (const V3f& q : mesh.positions) box.extendBy(q);
  const std::string axis = p.text("axis");
  Length l;
  l.axis = axis == "x" ? 0 : axis == "y" ? 1 : 2;
  const float whole = box.size()[l.axis], from = p.real("from"), to = p.real("to");
  l.low = box.min[l.axis] + whole * std::min(from, to);
  l.high = box.min[l.axis] + whole * std::max(from, to);
  if (!(l.high > l.low)) return;
  if (const int steps = int(p.number("steps")); steps > 0)
    splitLongEdges(mesh, std::max(l.high - l.low, 0.01f * maxComponent(box.size())) / float(steps) * 1.5f);
  deform(mesh, [&](const V3f& q) { return l.out(map(l.in(q), l.low, l.high)); });
}

} // namespace

ModifierKind bendModifier() {
  return {{.id = "modifier.bend",
           .label = "Bend",
           .helpText = "Bends the body into an arc.",
           .params = alongAxis({number("angle", "Angle", "°", 45)
                                    .soft(-180, 180)
                                    .range(-3600, 3600)
                                    .at(Invalidation::Geometry)
                                    .matters()
                                    .help("Between the directions of both ends"),
                                number("towards", "Towards", "°", 0)
                                    .soft(-180, 180)
                                    .at(Invalidation::Geometry)
                                    .help("About the axis: the side to which it bends")})},
          [](Form& form, const Params& p, const BuildFrom&) {
            const float angle = p.real("angle") * pi / 180, side = p.real("towards") * pi / 180;
            if (std::abs(angle) < 1e-5f) return;
            change(form, p, [=](const V3f& q, float low, float high) {
              const float c = std::cos(side), s = std::sin(side), across = q.x * c + q.z * s,
                          beside = -q.x * s + q.z * c;
              const float radius = (high - low) / angle, y = std::clamp(q.y, low, high), a = (y - low) / radius,
                          rest = q.y - y;
              const float x = radius - (radius - across) * std::cos(a) + rest * std::sin(a),
                          up = low + (radius - across) * std::sin(a) + rest * std::cos(a);
              return V3f(x * c - beside * s, up, x * s + beside * c);
            });
          },
          {}};
}

ModifierKind twistModifier() {
  return {{.id = "modifier.twist",
           .label = "Twist",
           .helpText = "Turns one end of the body against the other.",
           .params = alongAxis({number("angle", "Angle", "°", 90)
                                    .soft(-360, 360)
                                    .range(-36000, 36000)
                                    .at(Invalidation::Geometry)
                                    .matters()
                                    .help("From one end to the other")})},
          [](Form& form, const Params& p, const BuildFrom&) {
            const float angle = p.real("angle") * pi / 180;
            change(form, p, [=](const V3f& q, float low, float high) {
              const float a = angle * std::clamp((q.y - low) / (high - low), 0.0f, 1.0f), c = std::cos(a),
                          s = std::sin(a);
              return V3f(q.x * c + q.z * s, q.y, -q.x * s + q.z * c);
            });
          },
          {}};
}

ModifierKind taperModifier() {
  return {{.id = "modifier.taper",
           .label = "Taper",
           .helpText = "Makes the body thinner or thicker along its length.",
           .params = alongAxis({number("amount", "At the end", "×", 0.5)
                                    .soft(0, 2)
                                    .range(0, 100)
                                    .at(Invalidation::Geometry)
                                    .matters()
                                    .help("Width at the end, of what it was"),
                                number("belly", "In the middle", "×", 1)
                                    .soft(0.5, 2)
                                    .range(0.01, 100)
                                    .at(Invalidation::Geometry)
                                    .help("Factor on the width halfway, as a round curve")})},
          [](Form& form, const Params& p, const BuildFrom&) {
            const float amount = std::max(1e-4f, p.real("amount")), belly = p.real("belly");
            change(form, p, [=](const V3f& q, float low, float high) {
              const float t = std::clamp((q.y - low) / (high - low), 0.0f, 1.0f),
                          f = mix(1.0f, amount, t) * (1 + (belly - 1) * 4 * t * (1 - t));
              return V3f(q.x * f, q.y, q.z * f);
            });
          },
          {}};
}

} // namespace ilumbra
