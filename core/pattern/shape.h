#pragma once
#include "core/pattern/coordinates.h"

namespace ilumbra {

// What shapes that repeat have in common.

/// Parameters: what lies between the shapes, and in them.
std::vector<ParamDef> shapeColors(const char* low, const char* high);
/// Parameter: how soft the edge is.
ParamDef edgeParam(double metres);
/// Parameter: whether it lies in a plane, by x and y, or in space; and how many axes that are.
ParamDef fillsParam();
int filledAxes(const Params& p);
/// The axis that a choice of "x", "y" and "z" names: 0 to 2.
int axisOf(const Params& p, std::string_view name);
/// Parameters of what runs on by itself, `unit` of it a second; with a loop it runs on by whole ones.
std::vector<ParamDef> runParams(const char* label, const char* unit, const char* help);
/// How far it has run at the frame that is compiled: in those units.
float runOf(const Params& p, const PatternCompiler& c);
bool runs(const Params& p);

/// 0..1 by the whole coordinates of a cell.
float cellRandom(float x, float y, float z, uint32_t seed);
Lanes cellRandom(const Lanes& x, const Lanes& y, const Lanes& z, uint32_t seed);
inline Interval cellRandom(const Interval& x, const Interval& y, const Interval& z, uint32_t seed) {
  if (!x.one() || !y.one() || !z.one()) return {0, 1};
  return cellRandom(x.low, y.low, z.low, seed);
}
inline Slope cellRandom(const Slope& x, const Slope& y, const Slope& z, uint32_t seed) {
  return cellRandom(x.v, y.v, z.v, seed);
}

/// 1 where `inside` (the way to the edge, more than 0 inside) is more than half the edge's width, 0 where it is less
/// than minus that.
template <class T> T edged(const T& inside, const T& edge, const T& footprint) {
  return numbers::clamp01(T(0.5f) + inside / numbers::max(numbers::max(edge, footprint), T(1e-6f)));
}
/// Fades to the mean where a sample of the picture sees more than half of what repeats.
template <class T> T unlessFine(const T& amount, const T& mean, const T& footprint, const T& pitch) {
  return numbers::between(amount, mean, numbers::clamp01(T(2.0f) * footprint / pitch - T(1.0f)));
}

} // namespace ilumbra
