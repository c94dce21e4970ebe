// A closed line drawn by points: a mask of a lens stage, a plate, or a place on a thing.
#include "core/pattern/outline.h"

#include "core/base/curve.h"
#include "core/document/placement.h"
#include "core/pattern/outline_node.h"

namespace ilumbra {

Kind outlinePointKind(const char* id, Invalidation stage) {
  return {.id = id,
          .label = "Point of an outline",
          .helpText = "A place that a drawn outline goes through.",
          .params = {number("x", "To the right", "", 0)
                         .soft(-1, 1)
                         .range(-1e6, 1e6)
                         .at(stage)
                         .matters()
                         .help("From the outline's middle, by the picture's height, or in the units of where it lies"),
                     number("y", "Up", "", 0)
                         .soft(-1, 1)
                         .range(-1e6, 1e6)
                         .at(stage)
                         .matters()
                         .help("From the outline's middle, in the same units"),
                     flag("sharp", "Sharp", false).at(stage).help("A corner; off: the line runs round")},
          .existence = stage};
}

std::vector<ParamDef> outlineParams(Invalidation stage) {
  return {number("scale", "Size", "×", 1)
              .soft(0.1, 4)
              .range(1e-4, 1e4)
              .log()
              .at(stage)
              .help("Factor to all its points, about its middle"),
          number("turn", "Turn", "°", 0).soft(-180, 180).at(stage).help("Clockwise, in the picture")};
}

std::vector<OutlinePoint> outlinePoints(const Document& doc, const Node& drawn, double frame) {
  std::vector<OutlinePoint> out;
  if (const auto it = drawn.children.find("points"); it != drawn.children.end())
    for (const NodeId id : it->second) {
      const Params p(*doc.find(id), frame);
      out.push_back({{p.real("x"), p.real("y")}, p.flag("sharp")});
    }
  // Something to pull at.
  if (out.empty())
    out = {{{-0.2f, 0.14f}, false},
           {{0.12f, 0.19f}, false},
           {{0.27f, -0.02f}, false},
           {{0.02f, -0.2f}, false},
           {{-0.26f, -0.1f}, false}};
  return out;
}

std::vector<V2f> outlineRing(const std::vector<OutlinePoint>& c) {
  std::vector<V2f> ring;
  const size_t n = c.size();
  if (n < 3) return ring;
  constexpr int pieces = 16;
  for (size_t i = 0; i < n; ++i) {
    const OutlinePoint &before = c[(i + n - 1) % n], &a = c[i], &b = c[(i + 1) % n], &after = c[(i + 2) % n];
    // At a corner the line leaves straight towards the next point.
    const V2f p0 = a.sharp ? a.place * 2.0f - b.place : before.place,
              p3 = b.sharp ? b.place * 2.0f - a.place : after.place;
    const int steps = a.sharp && b.sharp ? 1 : pieces;
    for (int k = 0; k < steps; ++k)
      ring.push_back(k == 0 ? a.place : between(p0, a.place, b.place, p3, float(k) / float(steps)));
  }
  return ring;
}

V2f placedPoint(const V2f& p, const Params& drawn) {
  const float turn = drawn.real("turn") * pi / 180, c = std::cos(turn), s = std::sin(turn), size = drawn.real("scale");
  return V2f(c * p.x + s * p.y, c * p.y - s * p.x) * size;
}
V2f unplacedPoint(const V2f& q, const Params& drawn) {
  const float turn = drawn.real("turn") * pi / 180, c = std::cos(turn), s = std::sin(turn), size = drawn.real("scale");
  return V2f(c * q.x - s * q.y, c * q.y + s * q.x) * (1 / size);
}

V2f outlineMiddle(const Document& doc, const Node& pattern, double frame) {
  const Params p(pattern, frame);
  const V2f own(p.real("middle_x"), p.real("middle_y"));
  const Node* thing = doc.find(p.reference("follows").target);
  const auto cameras = doc.family("camera");
  const Params picture = settingsOf(doc);
  const Node* camera = doc.find(picture.reference("camera").target);
  if (!camera && !cameras.empty()) camera = cameras.front();
  if (!thing || !camera) return own;
  const M44f stands = standingMatrix(doc, *thing, frame);
  const V3f at =
      transformPoint(standingMatrix(doc, *camera, frame).inverse(), V3f(stands[3][0], stands[3][1], stands[3][2]));
  if (!(at.z < 0)) return own; // it is behind the camera
  const Params of(*camera, frame);
  const float wide = of.real("film_width") / of.real("focal_length"),
              high = wide * float(picture.number("height") / picture.number("width"));
  return {own.x + at.x / (-at.z * wide), own.y + at.y / (-at.z * high)};
}

PatternKind outlinePattern() {
  const auto middle = [](const char* name, const char* label, const char* help) {
    return number(name, label, "%", 0.5).soft(0, 1).range(-100, 100).when("space", "camera|texture").help(help);
  };
  return {
      {.id = "pattern.outline",
       .label = "Drawn outline",
       .helpText = "A closed line that is drawn by points, in the picture or on a thing: a mask of a lens stage, of "
                   "a plate, or of a look. Draw it by the tool for points, or pull at those that it comes with.",
       .params = join({{choice("space", "Lies in", {"camera", "texture", "object"})
                            .matters()
                            .help("The picture, the texture's coordinates, or the object's own x and y"),
                        middle("middle_x", "Middle across", "Of the picture's or texture's width"),
                        middle("middle_y", "Middle up", "Of its height"),
                        reference("follows", "Follows", {"object.", "light.", "zone."})
                            .zero("nothing")
                            .when("space", "camera")
                            .help("The outline goes with this thing in the picture: at 50 % its middle lies on it")},
                       outlineParams(Invalidation::Shading),
                       {number("edge", "Feather", "", 0.02)
                            .soft(0, 0.3)
                            .range(0, 1e6)
                            .matters()
                            .help("Width of its soft edge, half of it on each side, by the picture's height or in "
                                  "the units of where it lies")},
                       shapeColors("Outside", "Inside")}),
       .slots = {{"points", "Points", {"outline.point"}, Invalidation::Shading}},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        const std::string in = p.text("space");
        const PatternSpace space = in == "camera"    ? PatternSpace::Camera
                                   : in == "texture" ? PatternSpace::Texture
                                                     : PatternSpace::Object;
        const int outside = c.input(p, "low"), inside = c.input(p, "high");
        std::vector<V2f> ring = outlineRing(outlinePoints(c.doc(), p.node(), c.frame()));
        if (ring.empty()) return outside;
        for (V2f& q : ring) q = placedPoint(q, p);
        const float edge = p.real("edge");
        OutlineNode form;
        form.outline = std::make_shared<PlaneOutline>(std::vector<std::vector<V2f>>{ring}, 0.5f * edge + 0.01f * p.real("scale"));
        if (space != PatternSpace::Object) {
          form.middle = outlineMiddle(c.doc(), p.node(), c.frame());
          c.surround({&form.middle.x, 2});
        }
        if (space == PatternSpace::Camera)
          form.wide = float(settingsOf(c.doc()).number("width") / settingsOf(c.doc()).number("height"));
        return c.emit(std::move(form), {c.place(space), c.constant(spread(edge)), outside, inside});
      }};
}

} // namespace ilumbra
