// Another pattern's values by a curve that is drawn.
#include "core/document/drawn_curve.h"
#include "core/document/edit.h"
#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

// Inputs: the pattern.
struct Curved {
  static constexpr size_t inputs = 1;
  DrawnCurve curve;
  bool byBrightness;

  Sample4 one(const InputsOf<float>& in, const PatternPoint&) const {
    Sample4 out = in[0];
    if (byBrightness) {
      const float y = 0.2126f * out.x + 0.7152f * out.y + 0.0722f * out.z, becomes = float(curve.at(double(y)));
      return {becomes, becomes, becomes, out.w};
    }
    for (int k = 0; k < 3; ++k) out[k] = float(curve.at(double(out[k])));
    return out;
  }
  Bounds4 operator()(const InputsOf<Interval>& in, const PointOf<Interval>&) const {
    Bounds4 out = in[0];
    const auto over = [&](const Interval& x) {
      const auto [low, high] = curve.bounds(double(x.low), double(x.high));
      return numbers::outwards(float(low), float(high), 4);
    };
    if (byBrightness) {
      const Interval y = Interval(0.2126f) * out.x + Interval(0.7152f) * out.y + Interval(0.0722f) * out.z,
                     all = over(y);
      return {all, all, all, out.w};
    }
    for (int k = 0; k < 3; ++k) out[k] = over(out[k]);
    return out;
  }
};

// Lifts what is bright and sinks what is dark: to be drawn on.
Document beginCurve(const Document& doc, NodeId made) {
  Document out = doc;
  const std::pair<double, double> points[] = {{0, 0}, {0.35, 0.12}, {0.65, 0.88}, {1, 1}};
  for (size_t i = 0; i < std::size(points); ++i) {
    NodeId point = 0;
    out = addNode(out, "curve.values", "", {made, "points", i}, &point);
    out = setValue(out, point, "at", Constant(points[i].first));
    out = setValue(out, point, "value", Constant(points[i].second));
  }
  return out;
}

} // namespace

PatternKind curvePattern() {
  return {
      {.id = "pattern.curve",
       .label = "Curve",
       .helpText = "Another pattern's values by a curve that is drawn: any passage from dark to bright, with steps, "
                   "crests and turns.",
       .params = {color("value", "Pattern", {0.5, 0.5, 0.5})
                      .soft(0, 1)
                      .patterned()
                      .matters()
                      .help("Whose values the curve gives others"),
                  choice("by", "Works on", {"each channel", "brightness"})
                      .help("Red, green and blue each by themselves; or brightness alone, which comes out as grey")},
       .slots = {{"points", "Curve", {"curve.values"}, Invalidation::Shading}},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        DrawnCurve curve(c.doc(), p.node(), "points", c.frame());
        const int value = c.input(p, "value");
        if (curve.empty() && p.text("by") == "each channel") return value;
        return c.emit(Curved{std::move(curve), p.text("by") == "brightness"}, {value});
      },
      PatternGroup::Operation,
      beginCurve,
      true};
}

} // namespace ilumbra
