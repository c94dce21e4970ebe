#include "core/base/colorspace.h"
#include "core/base/power.h"
#include "core/document/drawn_curve.h"
#include "core/image/resample.h"
#include "core/lens/stage.h"

namespace ilumbra {
namespace {

// What a curve over stops makes of light: by its values every 128th of a stop.
class Tone {
 public:
  Tone(const Params& p, const char* slot, const LensContext& c) : m_curve(c.doc, p.node(), slot, c.frame) {
    if (!m_curve.empty())
      for (int i = 0; i <= 2 * stops * perStop; ++i) m_values.push_back(float(m_curve.at(double(i) / perStop - stops)));
  }
  bool empty() const { return m_curve.empty(); }
  float of(float v) const {
    if (!(v > 0x1p-120f)) return v;
    const float x = quickLog2(v), at = (x + stops) * perStop;
    if (at < 0 || at >= float(m_values.size() - 1))
      return float(std::exp2(std::clamp(m_curve.at(double(x)), -40.0, 40.0)));
    const auto i = size_t(at);
    return quickExp2(mix(m_values[i], m_values[i + 1], at - float(i)));
  }

 private:
  static constexpr int stops = 16, perStop = 128;
  DrawnCurve m_curve;
  std::vector<float> m_values;
};

LensOperator prepare(const Params& p, const Picture& source, const LensContext& c) {
  const float contrast = p.real("contrast"), pivot = std::max(1e-6f, p.real("pivot")),
              saturation = p.real("saturation");
  const float black = p.real("black"), white = p.real("white"), gamma = 1 / std::max(1e-3f, p.real("gamma")),
              lift = p.real("lift");
  const Color gain = working(p.triple("tint")) * float(std::exp2(p.number("exposure")));
  const Tone tones[3] = {{p, "red", c}, {p, "green", c}, {p, "blue", c}}, brightness(p, "brightness", c);
  const bool levels = black != 0 || white != 1 || gamma != 1 || lift != 0;
  const float range = std::abs(white - black) < 1e-6f ? 1e-6f : white - black;
  Picture out(c.width, c.height);
  // A row at a time, one thing after another: each is a plain loop over numbers of its own.
  const auto raised = [](float* v, int n, float by, float exponent, float back) {
    for (int i = 0; i < n; ++i) {
      const float r = back * quickPower(v[i] * by, exponent);
      v[i] = v[i] > 0x1p-100f ? r : v[i];
    }
  };
  const auto line = [](float* v, int n, float by, float plus) {
    for (int i = 0; i < n; ++i) v[i] = v[i] * by + plus;
  };
  c.tasks.forEach(out.height, [&](int y) {
    const float* in = source.at(0, y);
    float* o = out.at(0, y);
    const int n = 3 * out.width;
    for (int i = 0; i < n; i += 3)
      for (int k = 0; k < 3; ++k) o[i + k] = in[i + k] * gain[k];
    if (contrast != 1) raised(o, n, 1 / pivot, contrast, pivot);
    if (levels) {
      line(o, n, 1 / range, -black / range);
      if (gamma != 1) raised(o, n, 1, gamma, 1);
      line(o, n, 1 - lift, lift);
    }
    for (int k = 0; k < 3; ++k)
      if (!tones[k].empty())
        for (int i = k; i < n; i += 3) o[i] = tones[k].of(o[i]);
    if (!brightness.empty())
      for (int i = 0; i < n; i += 3)
        if (const float l = luminance({o[i], o[i + 1], o[i + 2]}); l > 0)
          for (int k = 0; k < 3; ++k) o[i + k] *= brightness.of(l) / l;
    if (saturation != 1)
      for (int i = 0; i < n; i += 3) {
        const float l = luminance({o[i], o[i + 1], o[i + 2]});
        for (int k = 0; k < 3; ++k) o[i + k] = l + (o[i + k] - l) * saturation;
      }
  });
  return pointwise(source, std::move(out), c);
}

} // namespace

LensStage gradeStage() {
  std::vector<ChildSlot> slots = stageSlots();
  for (const auto& [name, label] : {std::pair{"brightness", "Brightness curve"},
                                    {"red", "Red curve"},
                                    {"green", "Green curve"},
                                    {"blue", "Blue curve"}})
    slots.push_back({name, label, {"curve.tone"}, Invalidation::Lens});
  return {
      .kind =
          {.id = "lens.grade",
           .label = "Grade",
           .helpText =
               "Exposure, contrast, levels, tint, saturation and curves of its sources, on linear light. Curves run "
               "over stops about white: -2 at, -1 value makes what lies two stops below white one stop brighter.",
           .params = join({stageParams(1, 1),
                           {number("exposure", "Exposure", "stops", 0)
                                .soft(-3, 3)
                                .range(-40, 40)
                                .at(Invalidation::Lens)
                                .matters()
                                .help("Twice the light for each stop"),
                            number("contrast", "Contrast", "×", 1)
                                .soft(0.5, 2)
                                .range(0.01, 10)
                                .at(Invalidation::Lens)
                                .matters()
                                .help("About the pivot, which stays as it is"),
                            number("pivot", "Pivot", "", 0.18)
                                .soft(0.01, 1)
                                .range(1e-6, 1000)
                                .log()
                                .at(Invalidation::Lens)
                                .help("Of the contrast; a grey card is 0.18"),
                            number("saturation", "Saturation", "%", 1)
                                .soft(0, 2)
                                .range(0, 10)
                                .at(Invalidation::Lens)
                                .matters()
                                .help("0 %: grey of the same luminance"),
                            color("tint", "Tint", {1, 1, 1})
                                .soft(0, 1)
                                .at(Invalidation::Lens)
                                .matters()
                                .help("What light is multiplied with"),
                            number("black", "Black point", "", 0)
                                .soft(-0.1, 0.5)
                                .range(-100, 100)
                                .at(Invalidation::Lens)
                                .in("Levels")
                                .help("What becomes 0"),
                            number("white", "White point", "", 1)
                                .soft(0.1, 4)
                                .range(-100, 1e5)
                                .at(Invalidation::Lens)
                                .in("Levels")
                                .help("What becomes 1"),
                            number("gamma", "Middle", "×", 1)
                                .soft(0.25, 4)
                                .range(0.01, 100)
                                .log()
                                .at(Invalidation::Lens)
                                .in("Levels")
                                .help("Above 1 lightens what lies between black and white"),
                            number("lift", "Lift", "", 0)
                                .soft(-0.1, 0.2)
                                .range(-10, 10)
                                .at(Invalidation::Lens)
                                .in("Levels")
                                .help("What black is raised to")}}),
           .slots = std::move(slots),
           .existence = Invalidation::Lens},
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
