#include "core/document/movers/parts.h"

#include "core/base/sampling.h"

#include <ImathEuler.h>

#include <limits>

namespace ilumbra::movers {

ParamDef periodDef(double frames, std::string help) {
  return number("period", "Period", "frames", frames).soft(2, 480).range(0.01, 1e6).log().help(std::move(help));
}

ParamDef phaseDef() {
  return number("phase", "Phase", "%", 0)
      .soft(0, 1)
      .help("How much of its period it is ahead at frame 1: things that move alike part by it");
}

double turnsAt(const MoverParams& p, double frame) { return (frame - 1) / p.number("period") + p.number("phase"); }

ParamDef axisDef(const char* initial) {
  ParamDef d = choice("axis", "About", {"upright", "own x", "own y", "own z"})
                   .help("The axis: upright in what holds it, or one of its own, as it is turned");
  d.initial = std::string(initial);
  return d;
}

Triple turnedBy(const MoverParams& p, const Triple& turn, double angle) {
  if (p.single()) return {turn[0] + angle, turn[1], turn[2]};
  const std::string axis = p.text("axis");
  if (axis == "own x") return {turn[0] + angle, turn[1], turn[2]}; // it is the first to be turned about
  using Imath::Eulerd, Imath::M33d, Imath::V3d;
  constexpr double radians = twoPi / 360;
  const V3d now(turn[0] * radians, turn[1] * radians, turn[2] * radians);
  const bool z = axis == "own z";
  const V3d by = z ? V3d(0, 0, angle * radians) : V3d(0, angle * radians, 0);
  // Rows are turned vectors: what is first acts first.
  const M33d before = Eulerd(now, Eulerd::XYZ).toMatrix33(), more = Eulerd(by, Eulerd::XYZ).toMatrix33();
  const Eulerd out(axis == "upright" ? before * more : more * before, Eulerd::XYZ);
  const Triple near = {turn[0] + by.x / radians, turn[1] + by.y / radians, turn[2] + by.z / radians};
  return nearestTurn({out.x / radians, out.y / radians, out.z / radians}, near);
}

Triple nearestTurn(const Triple& turn, const Triple& to) {
  // Two sets of angles say the same, and any whole turns more.
  Triple best = turn;
  double least = std::numeric_limits<double>::max();
  for (Triple t : {turn, Triple{turn[0] + 180, 180 - turn[1], turn[2] + 180}}) {
    double apart = 0;
    for (size_t c = 0; c < 3; ++c) {
      t[c] += 360 * std::round((to[c] - t[c]) / 360);
      apart += (to[c] - t[c]) * (to[c] - t[c]);
    }
    if (apart < least) best = t;
    least = std::min(least, apart);
  }
  return best;
}

double smoothNoise(double frame, double step, double loop, uint32_t seed) {
  const double places = loop > 0 ? std::max(1.0, std::round(loop / step)) : 0;
  const double at = (frame - 1) / (loop > 0 ? loop / places : step), whole = std::floor(at), t = at - whole;
  const auto value = [&](double k) {
    if (places > 0) k -= places * std::floor(k / places);
    return mixBits(mixBits(uint32_t(int64_t(k))) ^ (seed * 0x9e3779b9u)) / 2147483648.0 - 1;
  };
  // A uniform cubic B-spline of independent values: smooth, and less often at its ends than in the middle.
  const double a = value(whole - 1), b = value(whole), c = value(whole + 1), d = value(whole + 2), t2 = t * t,
               t3 = t2 * t;
  return ((1 - 3 * t + 3 * t2 - t3) * a + (4 - 6 * t2 + 3 * t3) * b + (1 + 3 * t + 3 * t2 - 3 * t3) * c + t3 * d) / 6 *
         1.5;
}

ParamDef stepDef(double frames) {
  return number("step", "Step", "frames", frames)
      .soft(1, 48)
      .range(0.1, 1e6)
      .log()
      .help("After so many frames it is another by chance");
}

ParamDef loopDef() {
  return number("loop", "Loop", "frames", 0)
      .soft(0, 480)
      .range(0, 1e6)
      .zero("never")
      .help("After so many frames it begins anew");
}

ParamDef seedDef() {
  return integer("seed", "Seed", 1).soft(1, 100).range(0, 1e9).help("Another number: other chance");
}

Triple strayed(const MoverParams& p, double frame, const Triple& v, bool back) {
  Triple out = v;
  for (uint32_t c = 0; c < 3; ++c)
    out[c] += (back ? -1 : 1) * p.number("reach") *
              smoothNoise(frame, p.number("step"), p.number("loop"), 3 * uint32_t(p.number("seed")) + c);
  return out;
}

} // namespace ilumbra::movers
