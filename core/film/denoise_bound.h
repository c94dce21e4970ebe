#pragma once
#include "core/film/film.h"

namespace ilumbra {

/// Of each pixel the share, 0 to 1, of the way from `sampled` (the film's whole light) to `moved` that it may go: not
/// further than `mostErrors` of its standard errors, as Denoiser says. Rows from the top.
std::vector<float> mostMoved(const Film& film, const Picture& sampled, const Picture& moved, float mostErrors,
                             const Tasks& tasks);

} // namespace ilumbra
