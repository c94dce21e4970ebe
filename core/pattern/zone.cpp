// Where: a body that is not seen, and how far inside it a place lies.
#include "core/pattern/zone.h"

#include "core/document/placement.h"
#include "core/pattern/coordinates.h"
#include "core/pattern/distance_field.h"

#include <ImathMatrixAlgo.h>

namespace ilumbra {
namespace {

enum class Form { Ball, Box, Cylinder, HalfSpace, Things };

// Metres from the skin, more than 0 inside. Of a ball drawn out along an axis it is
// as much shorter along the others.
template <class T> T depthIn(Form form, const V3f& half, const Imath::Vec3<T>& p) {
  using namespace numbers;
  const float least = std::min(half.x, std::min(half.y, half.z));
  switch (form) {
  case Form::Ball: {
    const T k = sqrt(square(p.x / T(half.x)) + square(p.y / T(half.y)) + square(p.z / T(half.z)));
    return (T(1.0f) - k) * T(least);
  }
  case Form::Box: {
    const T x = abs(p.x) - T(half.x), y = abs(p.y) - T(half.y), z = abs(p.z) - T(half.z);
    const T out = sqrt(square(max(x, T(0.0f))) + square(max(y, T(0.0f))) + square(max(z, T(0.0f))));
    return T(0.0f) - out - min(max(x, max(y, z)), T(0.0f));
  }
  case Form::Cylinder: {
    const T side = (sqrt(square(p.x / T(half.x)) + square(p.z / T(half.z))) - T(1.0f)) * T(std::min(half.x, half.z)),
            end = abs(p.y) - T(half.y);
    const T out = sqrt(square(max(side, T(0.0f))) + square(max(end, T(0.0f))));
    return T(0.0f) - out - min(max(side, end), T(0.0f));
  }
  case Form::HalfSpace:
  case Form::Things:
    break;
  }
  return T(0.0f) - p.y;
}

// Inputs: the place in the zone's own space, the push, the edge, outside, inside.
struct Zone {
  Form form = Form::Ball;
  V3f half{0.5f}; // metres
  float grown = 0;
  float width = 0; // of the rim alone, metres; 0: the whole zone
  bool inverted = false, metres = false;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    return result(in, depthIn(form, half, placeOf(in[0])));
  }
  template <class T> ValuesOf<T> result(const InputsOf<T>& in, const T& depth) const {
    T d = depth + in[1].x + T(grown);
    if (inverted) d = T(0.0f) - d;
    if (metres) return spread(d);
    if (width > 0)
      return ilumbra::between(in[3], in[4],
                              numbers::smooth(numbers::clamp01(T(1.0f) - numbers::abs(d) / T(0.5f * width))));
    return ilumbra::between(in[3], in[4],
                            numbers::smooth(numbers::clamp01(T(0.5f) + d / numbers::max(in[2].x, T(1e-6f)))));
  }
};

// The same by the surfaces of things. Inputs: the place in the world, then as above.
struct ZoneOfThings {
  static constexpr size_t inputs = 5;
  std::shared_ptr<const DistanceField> things;
  Zone zone;
  Sample4 one(const InputsOf<float>& in, const PatternPoint&) const { return zone.result(in, depth(placeOf(in[0]))); }
  // No distance changes faster than the place.
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    const float d = depth(middleOf(in[0])), reach = halfDiagonal(in[0]) + 1e-5f;
    return zone.result(in, numbers::outwards(d - reach, d + reach, 3));
  }

 private:
  float depth(const V3f& world) const {
    const float d = std::min(1e9f, things->distance(world));
    return things->inside(world) ? d : -d;
  }
};

// A place of the world in a space of its own.
struct Through {
  M44f m;
  float scale; // of what a picture's sample covers
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    ValuesOf<T> out;
    for (int k = 0; k < 3; ++k)
      out[k] = in[0].x * T(m[0][k]) + in[0].y * T(m[1][k]) + in[0].z * T(m[2][k]) + T(m[3][k]);
    out.w = in[0].w * T(scale);
    return out;
  }
};

M44f withoutSize(const M44f& world, V3f& size) {
  V3f shear(0.0f), angles(0.0f), place(0.0f);
  size = V3f(0.0f);
  M44f turn, shift;
  if (!Imath::extractSHRT(world, size, shear, angles, place, false)) return M44f();
  turn.setEulerAngles(angles);
  shift.setTranslation(place);
  return turn * shift;
}

// A compiled zone, and the way to its own space, whose axes are metres. False: there is none of it.
bool madeZone(const Node& node, const PatternCompiler& c, Zone& zone, M44f& toOwn) {
  const Params p(node, c.frame());
  zone.form = choiceOf<Form>(p, "form");
  zone.grown = p.real("grown");
  zone.inverted = p.flag("inverted");
  const float share = p.real("share");
  V3f size;
  M44f own = withoutSize(worldMatrix(c.doc(), node, c.frame()), size);
  size = {std::abs(size.x), std::abs(size.y), std::abs(size.z)};
  bool any = true;
  if (zone.form == Form::HalfSpace) {
    M44f sunk;
    sunk.setTranslation(V3f(0, -(1 - share) * size.y, 0));
    own = sunk * own;
  } else if (zone.form != Form::Things) {
    zone.half = vmax(size * (0.5f * share), V3f(1e-6f));
    any = share * size.x * size.y * size.z > 0;
  }
  toOwn = own.inverse();
  return any;
}

int zoneOf(const Params& p, PatternCompiler& c) {
  const bool metres = p.text("gives") == "metres";
  const int low = c.input(p, "low"), high = c.input(p, "high");
  const auto all = [&](bool inside) {
    if (p.text("gives") == "rim") return low;
    const float far = inside ? 1e9f : -1e9f;
    return metres ? c.constant(spread(far)) : inside ? high : low;
  };
  const Node* node = c.doc().find(p.reference("zone").target);
  if (!node) return all(false);
  const Params of(*node, c.frame());
  Zone zone;
  M44f toOwn;
  const bool any = madeZone(*node, c, zone, toOwn);
  zone.metres = metres;
  if (p.text("gives") == "rim") zone.width = p.real("width");
  const float edge = of.real("edge");
  c.surround({&toOwn[0][0], 16});
  c.surround({&zone.half.x, 3});
  c.surround({std::initializer_list<float>{zone.grown, edge, float(zone.form), float(zone.inverted)}.begin(), 4});
  if (!any) return all(zone.inverted);
  const int pushed = c.amount(p, "pushed"), soft = c.constant(spread(edge)), world = c.place(PatternSpace::World);
  if (zone.form != Form::Things) return c.emit(zone, {c.emit(Through{toOwn, 1}, {world}), pushed, soft, low, high});
  auto things = c.distanceField(of, "things");
  if (!things) return all(zone.inverted);
  return c.emit(ZoneOfThings{std::move(things), zone}, {world, pushed, soft, low, high});
}

} // namespace

Kind zoneKind() {
  return {.id = "zone.zone",
          .label = "Zone",
          .helpText = "Where: a body that is not seen, for patterns and effects to act in.",
          .params =
              join({{choice("form", "Form", {"ball", "box", "cylinder", "half-space", "things"})
                         .matters()
                         .help("A metre wide as long as its size is 1; the half-space lies below its middle; or all "
                               "that is inside closed objects"),
                     references("things", "Objects", {"object."})
                         .fixed()
                         .when("form", "things")
                         .matters()
                         .help("Closed bodies; a group stands for all that it holds"),
                     number("share", "Share", "%", 1)
                         .range(0, 1)
                         .when("form", "ball|box|cylinder|half-space")
                         .matters()
                         .help("How much of it there is, from nothing to all: one number to key"),
                     number("grown", "Grown by", "m", 0)
                         .soft(-0.2, 0.2)
                         .range(-1e6, 1e6)
                         .help("Moves its skin outwards everywhere"),
                     number("edge", "Soft edge", "m", 0.05)
                         .soft(0, 0.5)
                         .range(0, 1e6)
                         .matters()
                         .help("How wide the way from outside to inside is"),
                     flag("inverted", "Inverted", false).help("What lies outside counts as inside")},
                    placementParams()}),
          .existence = Invalidation::Shading,
          .shared = true};
}

PatternKind zonePattern() {
  return {{.id = "pattern.zone",
           .label = "In a zone",
           .helpText = "One value inside a zone and another outside, with the zone's soft edge: a mask that moves with "
                       "a thing of the set.",
           .params = {reference("zone", "Zone", {"zone."}).matters().help("The body that says where"),
                      choice("gives", "Gives", {"colours", "rim", "metres"})
                          .help("The colours below, for what is inside or for a rim along its skin; or metres from its "
                                "skin, above 0 inside"),
                      number("width", "Width of the rim", "m", 0.04)
                          .soft(0.001, 0.5)
                          .range(1e-6, 1e6)
                          .log()
                          .when("gives", "rim")
                          .matters()
                          .help("Across the skin, half of it on each side"),
                      number("pushed", "Edge pushed", "m", 0)
                          .soft(-0.2, 0.2)
                          .range(-1e6, 1e6)
                          .patterned()
                          .says("broken up by")
                          .matters()
                          .help("Moves the skin outwards; by a pattern it breaks up"),
                      color("low", "Outside", {0, 0, 0})
                          .soft(0, 1)
                          .patterned()
                          .says("outside")
                          .when("gives", "colours|rim")
                          .matters()
                          .help("What lies outside"),
                      color("high", "Inside", {1, 1, 1})
                          .soft(0, 1)
                          .patterned()
                          .says("inside")
                          .when("gives", "colours|rim")
                          .matters()
                          .help("What lies inside")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) { return zoneOf(p, c); },
          PatternGroup::Place};
}

// In the space of another thing: what moves and turns with that.
PatternKind ridePattern() {
  return {{.id = "pattern.ride",
           .label = "As on another thing",
           .helpText = "A pattern lies in the space of another object or zone: it stays with that one while what wears "
                       "it moves by.",
           .params = {reference("of", "Thing", {"object.", "zone."}).matters().help("Whose own space it lies in"),
                      color("value", "Pattern", {0.5, 0.5, 0.5})
                          .soft(0, 1)
                          .patterned()
                          .says("of")
                          .matters()
                          .help("What lies there")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            const Node* thing = c.doc().find(p.reference("of").target);
            if (!thing) return c.input(p, "value");
            const M44f back = worldMatrix(c.doc(), *thing, c.frame()).inverse();
            c.surround({&back[0][0], 16});
            const float scale = std::cbrt(std::abs(float(back.determinant())));
            const int place = c.emit(Through{back, scale}, {c.place(PatternSpace::World)});
            return c.moved(PatternSpace::Object, place, [&] { return c.input(p, "value"); });
          },
          PatternGroup::Operation};
}

} // namespace ilumbra
