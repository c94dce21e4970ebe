#include "core/document/drawn_curve.h"
#include "core/image/resample.h"
#include "core/lens/stage.h"

namespace ilumbra {
namespace {

// The line about which the picture is folded: a point of it, and where it leads; what lies to the left of that way is
// copied to the right of it (in pictures, whose y runs down: above a line that leads to the right).
struct Hinge {
  V2f at, along;
  float seen = 1;
  Hinge(const Params& p, const LensContext& c) {
    const Anchor a = anchorOf(p, "hinge", c);
    at = a.at;
    seen = a.seen;
    const NodeId plane = p.reference("plane").target;
    const float angle = (p.real("angle") + (plane ? 0 : aimOf(p, c, at))) * pi / 180;
    along = {std::cos(angle), -std::sin(angle)};
    if (!plane || !c.bounds || !c.anchor) return;
    // On a plane of the set: the line through what stands on it, level and across the camera's sight.
    const Box3f box = c.bounds(plane);
    if (box.isEmpty()) return;
    V3f foot = {0.5f * (box.min.x + box.max.x), box.max.y, 0.5f * (box.min.z + box.max.z)};
    if (const NodeId thing = p.reference("hinge_at").target; p.text("hinge_by") == "thing" && thing)
      if (const Box3f own = c.bounds(thing); !own.isEmpty())
        foot = {0.5f * (own.min.x + own.max.x), box.max.y, 0.5f * (own.min.z + own.max.z)};
    V3f level = {c.right.x, 0, c.right.z};
    if (length(level) < 1e-4f) level = {1, 0, 0};
    level = normalize(level) * (0.05f * std::max(1e-3f, length(box.max - box.min)));
    const V2f one = c.anchor(0, foot, c.frame).at, two = c.anchor(0, foot + level, c.frame).at, way = two - one;
    if (way.length() < 1e-4f) return;
    at = one + c.place(p.number("hinge_x"), p.number("hinge_y")) - c.place(0.5, 0.5);
    along = way.normalized();
    const float c0 = std::cos(angle), s0 = -std::sin(angle);
    along = {along.x * c0 - along.y * s0, along.x * s0 + along.y * c0};
  }
};

LensOperator prepare(const Params& p, const Picture&, const LensContext& c) {
  const Hinge h(p, c);
  const V2f across = {-h.along.y, h.along.x}; // to the right of the way
  const float reach = std::max(1e-3f, c.size(p.number("reach"))), stretch = std::max(1e-3f, p.real("stretch")),
              gap = c.size(p.number("gap")), slide = c.size(p.number("slide"));
  const float spreadAlong = p.real("spread_along"), spreadAcross = p.real("spread_across");
  const Edge edge = edgeOf(p.text("edge"));
  const DrawnCurve thinning(c.doc, p.node(), "thinning", c.frame), lean(c.doc, p.node(), "lean", c.frame);
  // Both curves as tables over the distance.
  constexpr int steps = 256;
  std::vector<float> opacity, sideways;
  for (int i = 0; i <= steps; ++i) {
    const double t = double(i) / steps;
    opacity.push_back(clamp01(float(thinning.at(t))) * h.seen);
    sideways.push_back(float(lean.at(t)) * float(c.frameHeight));
  }
  const auto table = [](const std::vector<float>& of, float t) {
    const float f = clamp01(t) * steps;
    const int i = std::min(int(f), steps - 1);
    return mix(of[size_t(i)], of[size_t(i) + 1], f - float(i));
  };
  const bool both = p.text("over") == "replaces";
  const Hinge hinge = h;
  return {[=, &tasks = c.tasks](const Picture& layer) {
    LensWork work{both ? Picture(layer.width, layer.height) : Picture(), Picture(layer.width, layer.height)};
    // Blurred more and more: what is spread far is read there.
    std::vector<Picture> levels;
    const bool spreads = spreadAlong > 0 || spreadAcross > 0;
    const float widest = std::max(spreadAlong, spreadAcross) * reach;
    if (spreads)
      for (float sigma = 1; sigma < 0.5f * widest && levels.size() < 8; sigma *= 2)
        levels.push_back(blurred(layer, sigma, tasks));
    const PictureReader reader(layer, edge);
    std::vector<PictureReader> blurredReaders;
    for (const Picture& l : levels) blurredReaders.emplace_back(l, edge);
    tasks.forEach(layer.height, [&](int y) {
      for (int x = 0; x < layer.width; ++x) {
        const V2f d = V2f(float(x) + 0.5f, float(y) + 0.5f) - hinge.at;
        const float distance = d.x * across.x + d.y * across.y - gap;
        if (distance <= 0 || distance > reach) continue;
        const float t = distance / reach, o = table(opacity, t);
        if (both)
          for (int k = 0; k < 3; ++k) work.taken.at(x, y)[k] = o * layer.at(x, y)[k];
        if (o <= 0) continue;
        const float way = d.x * hinge.along.x + d.y * hinge.along.y - slide - table(sideways, t);
        const auto place = [&](float a, float b) { return hinge.at + hinge.along * a - across * b; };
        Color sum(0.0f);
        const float wide = spreadAlong * distance, tall = spreadAcross * distance;
        if (!spreads || std::max(wide, tall) < 0.25f) {
          const V2f from = place(way, distance / stretch);
          sum = reader.at(from.x, from.y);
        } else {
          // Points weighed like a Gaussian, each read as blurred as it stands for: on a sunflower where both ways are
          // alike, else in a row along the longer one, so close that they run into each other.
          const float lengthwise = std::max({wide, tall, 0.5f}), narrow = std::max(0.5f, std::min(wide, tall));
          const bool row = lengthwise > 3 * narrow;
          const int n = row ? std::clamp(int(std::ceil(4 * lengthwise / std::max(0.9f * narrow, 1.0f))), 12, 64) : 20;
          const float own = row ? std::max(0.55f * narrow, 0.5f * 4 * lengthwise / float(n)) : 0.55f * narrow;
          // Between two levels, so that no edge shows where one takes over from the other.
          const float level = own < 0.5f || levels.empty() ? 0 : std::min(float(levels.size()), std::log2(own) + 1);
          const int lower = int(level);
          const float share = level - float(lower);
          const auto readerOf = [&](int k) -> const PictureReader& {
            const size_t one = std::min(size_t(k), blurredReaders.size());
            return one == 0 ? reader : blurredReaders[one - 1];
          };
          const PictureReader &sharper = readerOf(lower), &softer = readerOf(lower + 1);
          float weights = 0;
          for (int i = 0; i < n; ++i) {
            const float r = row ? 4 * (float(i) + 0.5f) / float(n) - 2 : std::sqrt((float(i) + 0.5f) / float(n)) * 2,
                        angle = 2.3999632f * float(i), w = std::exp(-0.5f * r * r);
            const float sideStep = row ? (wide > tall ? r : 0) : r * std::cos(angle),
                        upStep = row ? (wide > tall ? 0 : r) : r * std::sin(angle);
            const V2f at = place(way + wide * sideStep, std::max(0.0f, distance + tall * upStep) / stretch);
            sum += sharper.at(at.x, at.y) * (w * (1 - share));
            if (share > 0) sum += softer.at(at.x, at.y) * (w * share);
            weights += w;
          }
          sum *= 1 / weights;
        }
        for (int k = 0; k < 3; ++k) work.spread.at(x, y)[k] = o * sum[k];
      }
    });
    return work;
  }};
}

} // namespace

LensStage mirrorCopyStage() {
  std::vector<ChildSlot> slots = stageSlots();
  slots.push_back({"thinning", "Thinning", {"curve.thinning"}, Invalidation::Lens});
  slots.push_back({"lean", "Lean", {"curve.lean"}, Invalidation::Lens});
  return {
      .kind =
          {.id = "lens.mirror_copy",
           .label = "Mirror copy",
           .helpText = "The reflection of a thing, or of the picture, about a line: thinned and leaning with the "
                       "distance from it, spread as ripples spread it.",
           .params = join(
               {stageParams(0.6, 1),
                anchorParams("hinge", "Hinge", "Hinge", 0.5, 0.6),
                {number("angle", "Angle", "°", 0)
                     .soft(-180, 180)
                     .at(Invalidation::Lens)
                     .in("Hinge")
                     .help("Of the line; what is above a level line is copied below it, and 180° the other way round"),
                 reference("plane", "On the plane of", {"object."})
                     .at(Invalidation::Lens)
                     .in("Hinge")
                     .help("An object whose top the line lies on, as the camera sees it")},
                followParams("Hinge"),
                {choice("over", "The copy", {"adds", "replaces"})
                     .at(Invalidation::Lens)
                     .help("It is added to what is there, or put in its place"),
                 number("reach", "Reach", "%", 0.4)
                     .soft(0.01, 1)
                     .range(0.001, 10)
                     .log()
                     .at(Invalidation::Lens)
                     .matters()
                     .help("How far from the line, by the frame's height"),
                 number("stretch", "Stretch", "×", 1)
                     .soft(0.25, 4)
                     .range(0.01, 100)
                     .log()
                     .at(Invalidation::Lens)
                     .matters()
                     .help("Of the copy, away from the line"),
                 number("gap", "Gap", "%", 0)
                     .soft(-0.2, 0.2)
                     .range(-5, 5)
                     .at(Invalidation::Lens)
                     .help("Between the line and the copy, by the frame's height"),
                 number("slide", "Slide", "%", 0)
                     .soft(-0.5, 0.5)
                     .range(-5, 5)
                     .at(Invalidation::Lens)
                     .help("Of the copy along the line, by the frame's height"),
                 number("spread_along", "Spread along", "%", 0)
                     .soft(0, 0.5)
                     .range(0, 4)
                     .at(Invalidation::Lens)
                     .help("Growing with the distance: blur along the line, by that distance"),
                 number("spread_across", "Spread across", "%", 0)
                     .soft(0, 0.5)
                     .range(0, 4)
                     .at(Invalidation::Lens)
                     .help("Growing with the distance: blur away from the line, by that distance"),
                 choice("edge", "Beyond the edge", edgeNames())
                     .at(Invalidation::Lens)
                     .help("What is read outside the picture")}}),
           .slots = std::move(slots),
           .existence = Invalidation::Lens},
      .handles = {{StageHandle::Shape::Hinge, "angle", "Angle of the hinge"}},
      .prepare = prepare,
      .carries = true,
      .looks = {
          {"Still water", {{"amount", "70 %"}, {"spread_across", "2 %"}, {"spread_along", "0.5 %"}}},
          {"Wet street", {{"amount", "55 %"}, {"stretch", "1.4"}, {"spread_across", "25 %"}, {"spread_along", "3 %"}}},
          {"Polished counter",
           {{"amount", "35 %"}, {"reach", "25 %"}, {"spread_across", "6 %"}, {"spread_along", "6 %"}}},
          {"Long lights on the river",
           {{"amount", "80 %"}, {"stretch", "3"}, {"reach", "80 %"}, {"spread_along", "4 %"}}},
          {"Quicksilver",
           {{"amount", "90 %"}, {"over", "replaces"}, {"spread_along", "1 %"}, {"spread_across", "1 %"}}},
          {"Faded by the haze", {{"amount", "40 %"}, {"spread_along", "12 %"}, {"spread_across", "12 %"}}}}};
}

} // namespace ilumbra
