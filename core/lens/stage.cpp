#include "core/lens/stage.h"

#include "core/base/error.h"
#include "core/lens/blend.h"

#include <mutex>

namespace ilumbra {

// A line each, in the order of menus.
#define EACH_STAGE(X)                                                                                                  \
  X(glowStage)                                                                                                         \
  X(streaksStage)                                                                                                      \
  X(starburstStage)                                                                                                    \
  X(ghostsStage)                                                                                                       \
  X(haloRingsStage)                                                                                                    \
  X(screenShaftsStage)                                                                                                 \
  X(mirrorCopyStage)                                                                                                   \
  X(displaceStage)                                                                                                     \
  X(bandsStage)                                                                                                        \
  X(silhouetteStage)                                                                                                   \
  X(flickerStage)                                                                                                      \
  X(trailsStage)                                                                                                       \
  X(smearStage)                                                                                                        \
  X(blurStage)                                                                                                         \
  X(fringeStage)                                                                                                       \
  X(vignetteStage)                                                                                                     \
  X(grainStage)                                                                                                        \
  X(gradeStage)

#define DECLARE(name) LensStage name();
EACH_STAGE(DECLARE)
#undef DECLARE

std::vector<LensStage> allStages() {
#define MADE(name) name(),
  return {EACH_STAGE(MADE)};
#undef MADE
}

const LensStage& stageOf(const Node& node) {
  static const std::vector<LensStage> all = allStages();
  for (const LensStage& s : all)
    if (s.kind.id == node.kind->id) return s;
  throw badInput(node.kind->id + ": is no lens stage");
}

const std::vector<std::string>& stageSources() {
  static const std::vector<std::string> all = {
      "light.", "object.", "material.", "air.", "source.", std::string(standIns), "plate.", "layer."};
  return all;
}

std::vector<ParamDef> stageParams(double amount, double most) {
  std::vector<std::string> surfaces = {"object.", "material.", "air.", "light.", "plate.", "layer."},
                           sources = stageSources();
  for (std::vector<std::string>* list : {&surfaces, &sources}) list->push_back("lens.mirror_copy");
  return {flag("on", "On", true).at(Invalidation::Lens).help("Off: the light passes as it is"),
          number("amount", "Amount", "%", amount)
              .soft(0, std::max(1.0, std::min(most, 2.0)))
              .range(0, most)
              .at(Invalidation::Lens)
              .matters()
              .help("How much of it; 0: the light passes as it is"),
          choice("blend", "Blend", lensBlendNames()).at(Invalidation::Lens).help("How its light lies over the picture"),
          references("sources", "Sources", sources)
              .at(Invalidation::Shading)
              .in("Sources")
              .help("What it takes its light from; an effect stands for its From, a mirror copy for the copy alone; "
                    "none: all light"),
          flag("direct", "Seen directly", true)
              .at(Invalidation::Shading)
              .in("Sources")
              .help("The sources as the camera sees them straight"),
          flag("mirrored", "Seen in mirrors", true)
              .at(Invalidation::Shading)
              .in("Sources")
              .help("The sources as mirrors show them"),
          flag("through", "Seen through clear things", true)
              .at(Invalidation::Shading)
              .in("Sources")
              .help("The sources as seen behind glass"),
          references("seen_in", "Only seen in", {"object."})
              .at(Invalidation::Shading)
              .in("Sources")
              .help("Only as these mirrors or clear things show them; none: wherever they are seen"),
          references("acts_on", "Acts on", surfaces)
              .at(Invalidation::Shading)
              .in("Where it acts")
              .help("Only where these are seen, or a mirror copy has put its copy; none: everywhere"),
          flag("acts_direct", "Seen directly", true)
              .at(Invalidation::Shading)
              .in("Where it acts")
              .help("Where they are seen straight"),
          flag("acts_mirrored", "Seen in mirrors", true)
              .at(Invalidation::Shading)
              .in("Where it acts")
              .help("Where mirrors show them"),
          flag("acts_through", "Seen through clear things", true)
              .at(Invalidation::Shading)
              .in("Where it acts")
              .help("Where they are seen behind glass"),
          references("acts_in", "Only seen in", {"object."})
              .at(Invalidation::Shading)
              .in("Where it acts")
              .help("Only as these mirrors or clear things show them"),
          flag("acts_elsewhere", "Everywhere else", false)
              .at(Invalidation::Lens)
              .in("Where it acts")
              .help("On: where it would not act otherwise, and nowhere else"),
          number("acts_share", "Mask", "%", 1)
              .soft(0, 1)
              .range(0, 1)
              .patterned()
              .at(Invalidation::Lens)
              .in("Where it acts")
              .help("How much it acts; a pattern is laid over the picture"),
          choice("over_alpha", "Over alpha", {"widens", "leaves", "apart"})
              .at(Invalidation::Lens)
              .in("Output")
              .help("Its light widens alpha, leaves it as it is, or goes out as a layer of its own")};
}

std::vector<ChildSlot> stageSlots() { return {{"areas", "Areas", {"area."}, Invalidation::Lens}}; }

std::vector<ParamDef> anchorParams(const std::string& prefix, const std::string& label, const std::string& heading,
                                   double x, double y) {
  return {choice(prefix + "_by", label, {"frame", "thing", "place"})
              .at(Invalidation::Lens)
              .in(heading)
              .help("At a place of the frame, on a thing that it follows, or at a place of the scene; hidden there, it "
                    "fades"),
          reference(prefix + "_at", "Follows", {"light.", "object.", "source."})
              .at(Invalidation::Lens)
              .in(heading)
              .when(prefix + "_by", "thing")
              .help("A light or an object that it follows as the camera and it move"),
          vector(prefix + "_place", "Place", "m", {0, 0, 0})
              .soft(-5, 5)
              .at(Invalidation::Lens)
              .in(heading)
              .when(prefix + "_by", "place")
              .help("In the scene"),
          number(prefix + "_x", label + " across", "%", x)
              .soft(0, 1)
              .range(-1000, 1000)
              .at(Invalidation::Lens)
              .in(heading)
              .help("From the frame's left edge; of what it follows, 50 % is on it"),
          number(prefix + "_y", label + " down", "%", y)
              .soft(0, 1)
              .range(-1000, 1000)
              .at(Invalidation::Lens)
              .in(heading)
              .help("From the frame's top edge; of what it follows, 50 % is on it")};
}

std::vector<ParamDef> followParams(const std::string& heading, const std::string& param, const std::string& value) {
  return {choice("aim_by", "Angle from", {"level", "thing", "place"})
              .when(param, value)
              .at(Invalidation::Lens)
              .in(heading)
              .help("It counts from the level, or from the way to a thing or a place of the scene, and turns with it"),
          reference("aim_at", "Leads to", {"light.", "object.", "source."})
              .at(Invalidation::Lens)
              .in(heading)
              .when("aim_by", "thing")
              .help("A light or an object that the direction follows"),
          vector("aim_place", "Leads to the place", "m", {0, 0, 0})
              .soft(-5, 5)
              .at(Invalidation::Lens)
              .in(heading)
              .when("aim_by", "place")
              .help("In the scene")};
}

float aimTo(const V2f& from, const V2f& to) {
  return (to - from).length() < 1e-3f ? 0 : std::atan2(from.y - to.y, to.x - from.x) * 180 / pi;
}

float aimOf(const Params& p, const LensContext& c, const V2f& from) {
  const std::string by = p.text("aim_by");
  const NodeId thing = p.reference("aim_at").target;
  if (!c.anchor || by == "level" || (by == "thing" && !thing)) return 0;
  const Triple t = p.triple("aim_place");
  return aimTo(from, c.anchor(by == "thing" ? thing : 0, {float(t[0]), float(t[1]), float(t[2])}, c.frame).at);
}

Anchor anchorOf(const Params& p, const std::string& prefix, const LensContext& c) {
  return anchorAt(p, prefix, c, c.frame);
}

Anchor anchorAt(const Params& p, const std::string& prefix, const LensContext& c, double frame) {
  const V2f own = c.place(p.number(prefix + "_x"), p.number(prefix + "_y"));
  const std::string by = p.text(prefix + "_by");
  const NodeId thing = p.reference(prefix + "_at").target;
  if (!c.anchor || by == "frame" || (by == "thing" && !thing)) return {own, 1, 1};
  const Triple t = p.triple(prefix + "_place");
  Anchor a = c.anchor(by == "thing" ? thing : 0, {float(t[0]), float(t[1]), float(t[2])}, frame);
  a.at += own - c.place(0.5, 0.5);
  return a;
}

double LensContext::seconds() const { return frame / std::max(1e-6, settingsOf(doc).number("rate")); }

LensWork writtenOut(LensWork work, const Picture& layer) {
  if (work.taken.rgb.empty()) work.taken = work.all ? layer : Picture(layer.width, layer.height);
  work.all = false;
  return work;
}

LensOperator scaled(std::shared_ptr<const Picture> gain, const Tasks& tasks) {
  return {[gain, &tasks](const Picture& layer) {
    LensWork work{{}, Picture(layer.width, layer.height), true};
    const size_t row = size_t(layer.width) * 3;
    tasks.forEach(layer.height, [&](int y) {
      for (size_t i = size_t(y) * row; i < size_t(y + 1) * row; ++i) work.spread.rgb[i] = layer.rgb[i] * gain->rgb[i];
    });
    return work;
  }};
}

LensOperator pointwise(const Picture& source, Picture out, const LensContext& context) {
  const Tasks& tasks = context.tasks;
  if (context.oneLayer) {
    auto becomes = std::make_shared<Picture>(std::move(out));
    return {[becomes](const Picture&) { return LensWork{{}, std::move(*becomes), true}; }};
  }
  // Shares by channel: what the source becomes ÷ what it was. Where that has no meaning, the difference is what is
  // added.
  auto ratio = std::make_shared<Picture>(std::move(out));
  LensOperator op;
  const size_t row = size_t(source.width) * 3;
  std::once_flag needed; // mostly nothing is left
  tasks.forEach(source.height, [&](int y) {
    for (size_t i = size_t(y) * row; i < size_t(y + 1) * row; ++i) {
      const float was = source.rgb[i], is = ratio->rgb[i];
      const bool shared = std::abs(was) > 1e-20f && std::abs(is) < 1e6f * std::abs(was);
      ratio->rgb[i] = shared ? is / was : 1;
      if (shared || is == was) continue;
      std::call_once(needed, [&] { op.rest = Picture(source.width, source.height); });
      op.rest.rgb[i] = is - was;
    }
  });
  op.apply = [ratio, &tasks, row](const Picture& layer) {
    LensWork work{{}, Picture(layer.width, layer.height), true};
    tasks.forEach(layer.height, [&](int y) {
      for (size_t i = size_t(y) * row; i < size_t(y + 1) * row; ++i) work.spread.rgb[i] = layer.rgb[i] * ratio->rgb[i];
    });
    return work;
  };
  return op;
}

std::vector<Sample4> patternRow(const Program& pattern, const LensContext& c, int y) {
  std::vector<PatternPoint> points(static_cast<size_t>(c.width));
  for (int x = 0; x < c.width; ++x) points[size_t(x)] = c.point(float(x) + 0.5f, float(y) + 0.5f);
  std::vector<Sample4> values(points.size());
  pattern.evaluate(points, values.data());
  return values;
}

} // namespace ilumbra
