#pragma once
// What kinds of movers share.
#include "core/document/mover.h"

#include <cmath>

namespace ilumbra::movers {

constexpr double twoPi = 6.283185307179586;

inline bool isPlace(const ParamDef& d) { return d.type == ParamType::Vector && d.unit == "m"; }
inline bool isTurn(const ParamDef& d) { return d.type == ParamType::Vector && d.unit == "°"; }
/// A single number that can be less of itself.
inline bool isAmount(const ParamDef& d) {
  return d.type == ParamType::Number && d.hardMin >= 0 && d.unit != "frames" && d.unit != "fps";
}
inline bool isColor(const ParamDef& d) { return d.type == ParamType::Color; }
inline bool isAngle(const ParamDef& d) { return d.type == ParamType::Number && d.unit == "°"; }
/// An angle that can go on and on.
inline bool goesRound(const ParamDef& d) { return isAngle(d) && d.hardMax - d.hardMin >= 360; }

/// How many frames until it begins anew, and where in that it begins.
ParamDef periodDef(double frames, std::string help);
ParamDef phaseDef();
/// Periods passed at a frame, phase included: frame 1 is where it begins.
double turnsAt(const MoverParams& p, double frame);

/// About what a turn goes: its choice, and what comes of it.
ParamDef axisDef(const char* initial);
/// A turn (degrees about x, then y, then z) that goes on by `angle` degrees about the mover's "axis", its own or the
/// upright one; a single angle just goes on.
Triple turnedBy(const MoverParams& p, const Triple& turn, double angle);

/// The same turn by the angles that are nearest to others.
Triple nearestTurn(const Triple& turn, const Triple& to);

/// Chance that goes by smoothly, about −1 to 1, a new value each `step` frames; with a loop of so many frames it
/// repeats (the step then divides it). Curves between are C¹.
double smoothNoise(double frame, double step, double loop, uint32_t seed);

/// What goes by chance: after how many frames it is another, after how many it begins anew, and its seed.
ParamDef stepDef(double frames);
ParamDef loopDef();
ParamDef seedDef();
/// Each of three numbers strays by chance, up to "reach".
Triple strayed(const MoverParams& p, double frame, const Triple& v, bool back);

inline Triple plus(const Triple& a, const Triple& b, double factor) {
  return {a[0] + factor * b[0], a[1] + factor * b[1], a[2] + factor * b[2]};
}

} // namespace ilumbra::movers
