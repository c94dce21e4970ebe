#include "core/base/error.h"
#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

enum class Along { Line, Ball, Angle, Value };
enum class Outside { Hold, Repeat, Mirror };
enum class Passage { Linear, Smooth, Step };

// Inputs: the place, what it runs by, then place, colour and alpha of each key.
struct Ramp {
  Along along;
  Outside outside;
  bool flat; // textures and pictures
  V3f start, way;
  std::vector<Passage> passages; // of each key, on the way to the next

  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    const T t = wrap(position(in));
    // Keys that cross push each other: none lies before the one that it follows.
    T place = keyPlace(in, 0);
    ValuesOf<T> out = keyColor(in, 0);
    for (size_t i = 1; i < passages.size(); ++i) {
      const T next = numbers::max(place, keyPlace(in, i));
      const ValuesOf<T> here = keyColor(in, i - 1), there = keyColor(in, i);
      ValuesOf<T> passing = here;
      if (passages[i - 1] != Passage::Step) {
        const T x = numbers::clamp01((t - place) / (next - place));
        passing = between(here, there, passages[i - 1] == Passage::Smooth ? numbers::smooth(x) : x);
      }
      out = choose(t <= place, out, choose(t < next, passing, there));
      place = next;
    }
    return out;
  }
  // One place meets two keys: it need not go through all.
  Sample4 operator()(const InputsOf<float>& in, const PatternPoint&) const {
    const float t = wrap(position(in));
    float place = keyPlace(in, 0);
    if (t <= place || passages.size() == 1) return keyColor(in, 0);
    for (size_t i = 1; i < passages.size(); ++i) {
      const float next = std::max(place, keyPlace(in, i));
      if (t < next) {
        if (passages[i - 1] == Passage::Step) return keyColor(in, i - 1);
        const float x = (t - place) / (next - place);
        return between(keyColor(in, i - 1), keyColor(in, i), passages[i - 1] == Passage::Smooth ? smoothstep(x) : x);
      }
      place = next;
    }
    return keyColor(in, passages.size() - 1);
  }

 private:
  template <class T> static T keyPlace(const InputsOf<T>& in, size_t i) { return in[2 + 3 * i].x; }
  template <class T> static ValuesOf<T> keyColor(const InputsOf<T>& in, size_t i) {
    ValuesOf<T> c = in[3 + 3 * i];
    c.w = numbers::clamp01(in[4 + 3 * i].x);
    return c;
  }
  template <class T> T position(const InputsOf<T>& in) const {
    if (along == Along::Value) return in[1].x;
    const T x = in[0].x - T(start.x), y = in[0].y - T(start.y), z = in[0].z - T(start.z);
    const float l2 = dot(way, way), inverse = l2 > 0 ? 1 / l2 : 0;
    if (along == Along::Line) return (x * T(way.x) + y * T(way.y) + z * T(way.z)) * T(inverse);
    if (along == Along::Ball)
      return numbers::sqrt((numbers::square(x) + numbers::square(y) + numbers::square(z)) * T(inverse));
    // About the vertical; in textures and pictures, about the way to the viewer.
    const float zero = flat ? std::atan2(way.y, way.x) : std::atan2(-way.z, way.x);
    const T turn = (flat ? numbers::atan2(y, x) : numbers::atan2(-z, x)) - T(zero);
    return numbers::fract(turn * T(1 / (2 * pi)));
  }
  template <class T> T wrap(const T& t) const {
    if (outside == Outside::Repeat) return numbers::fract(t);
    if (outside == Outside::Mirror) return T(1.0f) - numbers::abs(numbers::fract(t * T(0.5f)) * T(2.0f) - T(1.0f));
    return t;
  }
};

} // namespace

PatternKind rampKey() {
  return {
      {.id = "ramp.key",
       .label = "Key of a ramp",
       .helpText = "A colour at a place of a ramp.",
       .params = {number("place", "Place", "", 0)
                      .soft(0, 1)
                      .range(-1e6, 1e6)
                      .patterned()
                      .matters()
                      .help("Along the ramp; a key never lies before the one it follows"),
                  color("color", "Colour", {0, 0, 0}).soft(0, 1).patterned().matters().help("What the ramp has here"),
                  number("alpha", "Alpha", "", 1).range(0, 1).patterned().help("How much of it there is"),
                  choice("passage", "Passage", {"linear", "smooth", "step"}).help("How it goes on to the next key")},
       .existence = Invalidation::Shading},
      {}};
}

PatternKind rampPattern() {
  return {{.id = "pattern.ramp",
           .label = "Ramp",
           .helpText =
               "Colours that follow each other along a line, out from a point, around an axis, or by another pattern.",
           .params =
               {choice("along", "Runs along", {"line", "ball", "angle", "value"})
                    .matters()
                    .help("From start to end; out from the start, 1 at the end; once around the vertical through the "
                          "start; by the value below"),
                spaceParam(1), vector("start", "Start", "m", {0, 0, 0}).soft(-2, 2).help("Place of 0"),
                vector("end", "End", "m", {0, 1, 0}).soft(-2, 2).help("Place of 1"),
                number("value", "Value", "", 0).soft(0, 1).patterned().help("What it runs by, when it runs by a value"),
                choice("outside", "Beyond its ends", {"hold", "repeat", "mirror"})
                    .help("What follows before 0 and after 1")},
           .slots = {{"keys", "Keys", {"ramp.key"}, Invalidation::Shading}},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            Ramp ramp;
            ramp.along = choiceOf<Along>(p, "along");
            ramp.outside = choiceOf<Outside>(p, "outside");
            const PatternSpace space = spaceOf(p);
            ramp.flat = space == PatternSpace::Texture || space == PatternSpace::Camera;
            ramp.start = triple(p, "start");
            ramp.way = triple(p, "end") - ramp.start;
            const int by = c.amount(p, "value");
            // Places count only where it runs by them: otherwise it may be the same everywhere.
            std::vector<int> inputs = {ramp.along == Along::Value ? by : c.place(space), by};
            const auto key = [&](int place, int color, int alpha, Passage passage) {
              inputs.insert(inputs.end(), {place, color, alpha});
              ramp.passages.push_back(passage);
            };
            if (const auto it = p.node().children.find("keys"); it != p.node().children.end())
              for (const NodeId id : it->second) {
                const Params k(*c.doc().find(id), p.frame());
                key(c.amount(k, "place"), c.input(k, "color"), c.amount(k, "alpha"), choiceOf<Passage>(k, "passage"));
              }
            if (ramp.passages.empty()) { // from black to white, until it is told otherwise
              const int black = c.constant({0, 0, 0, 1}), white = c.constant({1, 1, 1, 1});
              key(black, black, white, Passage::Linear);
              key(white, white, white, Passage::Linear);
            }
            return c.emit(std::move(ramp), std::move(inputs));
          }};
}

} // namespace ilumbra
