#include "core/base/colorspace.h"
#include "core/lens/resample.h"
#include "core/lens/stages.h"

namespace ilumbra {
namespace {

// What of a curve over stops becomes of a value: beyond its ends its slope goes on.
float throughCurve(const LensCurve& curve, float v) {
  if (curve.empty() || v <= 0) return v;
  const double x = std::log2(double(v));
  double y;
  if (x < curve.first()) y = curve.at(curve.first(), 0) + (x - curve.first()) * std::max(0.0, curve.slopeAtEnds(false));
  else if (x > curve.last()) y = curve.at(curve.last(), 0) + (x - curve.last()) * std::max(0.0, curve.slopeAtEnds(true));
  else y = curve.at(x, x);
  return float(std::exp2(std::clamp(y, -40.0, 40.0)));
}

LensOperator prepare(const Params& p, const Picture& source, const LensContext& c) {
  const float exposure = float(std::exp2(p.number("exposure"))), contrast = p.real("contrast"), pivot = std::max(1e-6f, p.real("pivot")), saturation = p.real("saturation");
  const float black = p.real("black"), white = p.real("white"), gamma = std::max(1e-3f, p.real("gamma")), lift = p.real("lift");
  const Color tint = working(p.triple("tint"));
  const LensCurve curves[3] = {{c.doc, p.node(), "red", c.frame}, {c.doc, p.node(), "green", c.frame}, {c.doc, p.node(), "blue", c.frame}}, brightness(c.doc, p.node(), "brightness", c.frame);
  const bool levels = black != 0 || white != 1 || gamma != 1 || lift != 0;
  const float range = std::abs(white - black) < 1e-6f ? 1e-6f : white - black;
  Picture out = source;
  forEachRow(out, c.tasks, [&](int y) {
    float* o = out.at(0, y);
    for (int x = 0; x < out.width; ++x, o += 3) {
      Color v(o[0], o[1], o[2]);
      if (exposure != 1) v *= exposure;
      if (tint != Color(1.0f)) v *= tint;
      for (int k = 0; k < 3; ++k) {
        if (contrast != 1 && v[k] > 0) v[k] = pivot * std::pow(v[k] / pivot, contrast);
        if (levels) {
          v[k] = (v[k] - black) / range;
          if (gamma != 1 && v[k] > 0) v[k] = std::pow(v[k], 1 / gamma);
          v[k] = lift + v[k] * (1 - lift);
        }
        v[k] = throughCurve(curves[k], v[k]);
      }
      if (!brightness.empty()) {
        const float l = luminance(v);
        if (l > 0) v *= throughCurve(brightness, l) / l;
      }
      if (saturation != 1) {
        const float l = luminance(v);
        v = Color(l) + (v - Color(l)) * saturation;
      }
      for (int k = 0; k < 3; ++k) o[k] = v[k];
    }
  });
  return pointwise(source, std::move(out), c.tasks);
}

} // namespace

LensStage gradeStage() {
  std::vector<ChildSlot> slots = stageSlots();
  for (const auto& [name, label] : {std::pair{"brightness", "Brightness curve"}, {"red", "Red curve"}, {"green", "Green curve"}, {"blue", "Blue curve"}}) slots.push_back({name, label, {"curve.point"}, Stage::Lens});
  return {.kind = {.id = "lens.grade",
                   .label = "Grade",
                   .helpText = "Exposure, contrast, levels, tint, saturation and curves of its sources, on linear light. Curves run over stops about white: -2 at, -1 value makes what lies two stops below white one stop brighter.",
                   .params = join({stageParams(1, 1),
                                   {number("exposure", "Exposure", "stops", 0).soft(-3, 3).range(-40, 40).at(Stage::Lens).matters().help("Twice the light for each stop"),
                                    number("contrast", "Contrast", "×", 1).soft(0.5, 2).range(0.01, 10).at(Stage::Lens).matters().help("About the pivot, which stays as it is"),
                                    number("pivot", "Pivot", "", 0.18).soft(0.01, 1).range(1e-6, 1000).log().at(Stage::Lens).help("Of the contrast; a grey card is 0.18"),
                                    number("saturation", "Saturation", "%", 1).soft(0, 2).range(0, 10).at(Stage::Lens).matters().help("0 %: grey of the same luminance"),
                                    color("tint", "Tint", {1, 1, 1}).soft(0, 1).at(Stage::Lens).matters().help("What light is multiplied with"),
                                    number("black", "Black point", "", 0).soft(-0.1, 0.5).range(-100, 100).at(Stage::Lens).in("Levels").help("What becomes 0"),
                                    number("white", "White point", "", 1).soft(0.1, 4).range(-100, 1e5).at(Stage::Lens).in("Levels").help("What becomes 1"),
                                    number("gamma", "Middle", "×", 1).soft(0.25, 4).range(0.01, 100).log().at(Stage::Lens).in("Levels").help("Above 1 lightens what lies between black and white"),
                                    number("lift", "Lift", "", 0).soft(-0.1, 0.2).range(-10, 10).at(Stage::Lens).in("Levels").help("What black is raised to")}}),
                   .slots = std::move(slots),
                   .existence = Stage::Lens},
          .prepare = prepare,
          .linear = false,
          .inPlace = true,
          .looks = {{"Night", {{"exposure", "-0.6"}, {"tint", "0.75, 0.88, 1"}, {"saturation", "70 %"}}},
                    {"Lamp-lit", {{"tint", "1, 0.86, 0.66"}, {"contrast", "1.1"}}},
                    {"Bleached", {{"saturation", "35 %"}, {"contrast", "1.35"}}},
                    {"Silver print", {{"saturation", "0 %"}, {"contrast", "1.2"}}},
                    {"Milky blacks", {{"lift", "0.03"}, {"contrast", "0.9"}}},
                    {"Deep and rich", {{"contrast", "1.25"}, {"saturation", "125 %"}, {"pivot", "0.3"}}}}};
}

} // namespace ilumbra
