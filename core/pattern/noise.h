#pragma once
#include "core/pattern/coordinates.h"

#include <cstdint>

namespace ilumbra {

/// Gradient noise in space (Perlin 2002, "Improving Noise", its gradients and its quintic fade), -1..1, 0 at whole
/// coordinates. `seed` gives another field.
float gradientNoise(const V3f& p, uint32_t seed);
/// The same in space and time: gradients of 32 directions in four dimensions.
float gradientNoise(const V3f& p, float w, uint32_t seed);
/// No step along one axis changes the noise faster than this: |fade'| ≤ 15/8 times the spread of two corners, and the
/// gradient itself.
inline constexpr float gradientNoiseSlope = 4.75f;
/// Distance to the nearest of points strewn one to a unit cell (Worley 1996), cells apart; at most about 1.2, changing
/// by no more than the place does.
float cellularNoise(const V3f& p, float w, uint32_t seed);

/// The families of noise: how its octaves are made and summed.
enum class NoiseFamily {
  Smooth,   ///< the noise itself
  Cellular, ///< distance to strewn points
  Churned,  ///< folded about its middle: |noise|, valleys with a crease
  Ridged,   ///< 1 - |noise|, squared: crests with an edge
  Puffed,   ///< balls beside each other: 1 - the squared distance to strewn points
  Rolling   ///< each octave pushed aside by the one before
};
extern const std::vector<std::string> noiseFamilies; ///< their names, in that order

/// A noise as patterns use it.
struct NoiseForm {
  NoiseFamily family = NoiseFamily::Smooth;
  PatternSpace space = PatternSpace::Object;
  int octaves = 4;
  uint32_t seed = 1;
  V3f shift{0.0f}; ///< by which it has drifted
  float time = 0;  ///< in units of its churn
  /// A loop: this share is there of the noise one loop before, which stands elsewhere; 0: none.
  float before = 0;
  V3f shiftBefore{0.0f};
  float timeBefore = 0;
};
/// Parameters of time that noises share, and what they come to at a frame. `loop` is in frames.
std::vector<ParamDef> noiseTimeParams();
void setNoiseTime(NoiseForm& form, const Params& p, const PatternCompiler& c);
bool noiseMoves(const Params& p);
/// A register with the noise, 0..1, in all channels; scale and gain are registers.
int emitNoise(PatternCompiler& c, const NoiseForm& form, int scale, int gain);

} // namespace ilumbra
