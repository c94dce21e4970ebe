#pragma once
#include "core/film/film.h"
#include "core/scene/plates.h"

namespace ilumbra {

/// What the plates make of a picture of the film: p · keep + add, by pixel and channel; `add` belongs to all light
/// alone. What is before the render covers it; what is behind is seen as far as its alpha lets it (Porter and Duff
/// 1984).
struct PlateLayers {
  Picture keep, add;
  std::vector<PlatePart> parts; ///< what is in `add` already
};
/// `alpha`: of the film's pixels, by rows; empty: as the film has it.
PlateLayers plateLayers(const Plates& plates, const Film& film, const std::vector<float>& alpha, const Tasks& tasks);

} // namespace ilumbra
