#pragma once
#include "core/base/tasks.h"
#include "core/image/picture.h"

#include <vector>

namespace ilumbra {

/// What lies in the opening of a lens: fewer than 3 blades are a disc; `dust` and `scratches` are 1 for a lens in want
/// of cleaning.
struct StarburstAperture {
  int blades = 6;
  float rounding = 0, turn = 0; ///< as of render/camera.h
  float dust = 0, scratches = 0;
  uint32_t seed = 1;
};

/// The far-field (Fraunhofer) diffraction pattern of an opening: the power spectrum of its shape, each wave's scaled by
/// its length (Born and Wolf, Principles of Optics, 8.3). `waves` are nanometres with what they count by channel;
/// `ringPixels` is where the first dark ring of a round opening lies at 550 nm, in pixels; the picture reaches `reach`
/// pixels from its middle to each side. The pattern's sum is 1 where the picture holds all of it.
Picture starburstKernel(const StarburstAperture& aperture, const std::vector<std::pair<float, Color>>& waves,
                        float ringPixels, int reach, const Tasks& tasks);

/// 24 waves over the visible range, whose sum is white. `colour`: 1 as they are, 0 all at 550 nm.
std::vector<std::pair<float, Color>> starburstWaves(float colour);

} // namespace ilumbra
