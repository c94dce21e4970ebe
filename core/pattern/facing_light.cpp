// How far a place faces a lamp: day and night of a planet.
#include "core/document/placement.h"
#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

// Inputs: the place in the world, night, day.
struct FacingLight {
  static constexpr bool looks = true;
  V3f lamp;     // its place, or the way to it
  bool far;     // it is a way
  float softer; // one over the cosine from the middle of the edge to its end
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>& at) const {
    using namespace numbers;
    const T keep(far ? 0.0f : 1.0f);
    const T x = T(lamp.x) - keep * in[0].x, y = T(lamp.y) - keep * in[0].y, z = T(lamp.z) - keep * in[0].z;
    const T away = max(sqrt(square(x) + square(y) + square(z)), T(1e-6f));
    const T cosine = (x * at.facing.x + y * at.facing.y + z * at.facing.z) / away;
    return ilumbra::between(in[1], in[2], smooth(clamp01(T(0.5f) + T(0.5f * softer) * cosine)));
  }
};

// The lamp that is named, or the first that is there.
const Node* lampOf(const Params& p, const Document& doc) {
  if (const Node* n = doc.find(p.reference("light").target)) return n;
  for (const Node* n : doc.family("light"))
    if (n->kind->param("position") || n->kind->param("bearing")) return n;
  return nullptr;
}

} // namespace

PatternKind facingLightPattern() {
  return {{.id = "pattern.facing_light",
           .label = "Facing a lamp",
           .helpText = "What turns to a lamp, and what turns away from it: day and night of a planet, by what really "
                       "lights it.",
           .params = {reference("light", "Lamp", {"light."})
                          .zero("the first")
                          .matters()
                          .help("What it turns to; none: the first lamp or sun of the scene"),
                      number("edge", "Dusk", "°", 12)
                          .soft(1, 60)
                          .range(0.01, 90)
                          .matters()
                          .help("From the last of the night to the first of the day, half of it on each side"),
                      color("low", "Night", {0, 0, 0})
                          .soft(0, 1)
                          .patterned()
                          .says("at night")
                          .matters()
                          .help("Where it faces away"),
                      color("high", "Day", {1, 1, 1})
                          .soft(0, 1)
                          .patterned()
                          .says("by day")
                          .matters()
                          .help("Where it faces the lamp")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            const int night = c.input(p, "low"), day = c.input(p, "high");
            const Node* lamp = lampOf(p, c.doc());
            if (!lamp) return night;
            const Params of(*lamp, c.frame());
            FacingLight form;
            form.far = lamp->kind->param("bearing") != nullptr;
            const M44f world = worldMatrix(c.doc(), *lamp, c.frame());
            form.lamp = form.far ? normalize(transformVector(world, skyBody(of.real("height"), of.real("bearing"))))
                                 : transformPoint(world, vec(of.triple("position")));
            form.softer = 1 / std::sin(0.5f * p.real("edge") * pi / 180);
            c.surround({&form.lamp.x, 3});
            return c.emit(form, {c.place(PatternSpace::World), night, day});
          },
          PatternGroup::Place};
}

} // namespace ilumbra
