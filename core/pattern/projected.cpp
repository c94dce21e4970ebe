// Another pattern thrown onto things from a camera, as by a slide projector: paint over what a camera sees.
#include "core/document/edit.h"
#include "core/document/placement.h"
#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

// Inputs: the place in the world. Gives the place in the picture of a camera, with 1 in z ahead of it and within its
// frame, 0 elsewhere.
struct Seen {
  M44f back;        // from the world to the camera, which looks along -z with y up
  float wide, high; // of what is seen in the plane one metre ahead
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    using namespace numbers;
    T at[3];
    for (int k = 0; k < 3; ++k)
      at[k] = in[0].x * T(back[0][k]) + in[0].y * T(back[1][k]) + in[0].z * T(back[2][k]) + T(back[3][k]);
    const T ahead = max(-at[2], T(1e-4f));
    const T u = at[0] / (ahead * T(wide)) + T(0.5f), v = at[1] / (ahead * T(high)) + T(0.5f);
    return {u, v, T(0.0f), in[0].w / (ahead * T(wide))};
  }
};

// Inputs: the place in the world, the place in the picture, beside it, the pattern.
struct Within {
  static constexpr bool looks = true;
  M44f back;
  V3f camera;
  bool facing; // what faces away from the camera stays as it is
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>& at) const {
    using namespace numbers;
    const T ahead = -(in[0].x * T(back[0][2]) + in[0].y * T(back[1][2]) + in[0].z * T(back[2][2]) + T(back[3][2]));
    T toCamera = T(1.0f);
    if (facing)
      toCamera = at.facing.x * (T(camera.x) - in[0].x) + at.facing.y * (T(camera.y) - in[0].y) +
                 at.facing.z * (T(camera.z) - in[0].z);
    const ValuesOf<T>&beside = in[2], &shown = in[3];
    ValuesOf<T> out = ilumbra::choose(in[1].x < T(0.0f), beside, shown);
    out = ilumbra::choose(T(1.0f) < in[1].x, beside, out);
    out = ilumbra::choose(in[1].y < T(0.0f), beside, out);
    out = ilumbra::choose(T(1.0f) < in[1].y, beside, out);
    out = ilumbra::choose(ahead <= T(1e-4f), beside, out);
    return ilumbra::choose(toCamera <= T(0.0f), beside, out);
  }
};

// The camera that is named, or the first that is there.
const Node* cameraOf(const Params& p, const Document& doc) {
  if (const Node* n = doc.find(p.reference("from").target)) return n;
  const auto all = doc.family("camera");
  return all.empty() ? nullptr : all.front();
}

// A slide to begin with, over what stood there.
Document beginSlide(const Document& doc, NodeId made) {
  const Params p(*doc.find(made), currentFrame(doc));
  if (p.pattern("value")) return doc;
  const Triple stood = p.triple("value"), dark{0.25 * stood[0], 0.25 * stood[1], 0.25 * stood[2]};
  NodeId slide = 0;
  Document out = addNode(doc, "pattern.checker", p.node().name + " slide", {}, &slide);
  out = setValue(out, slide, "space", Constant(std::string("texture")));
  out = setValue(out, slide, "cell", Constant(0.125));
  out = setValue(out, slide, "low", Constant(dark));
  out = setValue(out, slide, "high", Constant(stood));
  out = setValue(out, made, "beside", Constant(stood));
  return setValue(out, made, "value", PatternUse{{slide, nullptr}});
}

} // namespace

PatternKind projectedPattern() {
  return {{.id = "pattern.projected",
           .label = "Thrown from a camera",
           .helpText = "Another pattern fills a camera's picture and is thrown onto whatever stands there: a picture "
                       "painted over a view, or a slide. It stays on the things when another camera looks.",
           .params = {reference("from", "Camera", {"camera."})
                          .zero("the first")
                          .matters()
                          .help("From where it is thrown; none: the first camera of the scene"),
                      color("value", "Pattern", {1, 1, 1})
                          .soft(0, 1)
                          .patterned()
                          .matters()
                          .help("What fills the picture: an image by its texture coordinates, or any pattern that lies "
                                "in those"),
                      color("beside", "Beside it", {0, 0, 0})
                          .soft(0, 1)
                          .patterned()
                          .matters()
                          .help("Where the picture does not reach"),
                      flag("facing", "Only what faces it", true)
                          .help("Off: it also comes through onto the far side of things")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            const int beside = c.input(p, "beside");
            const Node* camera = cameraOf(p, c.doc());
            if (!camera) return beside;
            const Params of(*camera, c.frame()), picture = settingsOf(c.doc());
            const M44f world = standingMatrix(c.doc(), *camera, c.frame());
            Seen seen;
            seen.back = world.inverse();
            seen.wide = of.real("film_width") / of.real("focal_length");
            seen.high = seen.wide * float(picture.number("height") / picture.number("width"));
            c.surround({&seen.back[0][0], 16});
            c.surround({&seen.wide, 1});
            const int place = c.place(PatternSpace::World), on = c.emit(seen, {place});
            const int shown = c.moved(PatternSpace::Texture, on, [&] { return c.input(p, "value"); });
            const V3f from(world[3][0], world[3][1], world[3][2]);
            return c.emit(Within{seen.back, from, p.flag("facing")}, {place, on, beside, shown});
          },
          PatternGroup::Operation,
          beginSlide};
}

} // namespace ilumbra
