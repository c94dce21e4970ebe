#pragma once
#include "core/film/film.h"

namespace ilumbra {

/// Of each pixel the share, 0 to 1, of the way from `sampled` (the film's whole light) to `moved` that it may go: not
/// further than `mostErrors` of its standard errors, as Denoiser says. Rows from the top.
std::vector<float> mostMoved(const Film& film, const Picture& sampled, const Picture& moved, float mostErrors,
                             const Tasks& tasks);

/// Of each pixel the share, 0 to 1, of the way from `sampled` to `moved` that leaves the least error: where the pixels
/// around have moved further than their errors account for, what moved them is not noise, and of two independent
/// estimates the shares are as their errors are (James and Stein 1961). 1 of fewer than 16 samples, which do not know
/// their errors well enough, and where `trust`, of outlierTrust(), is less.
std::vector<float> shrinkage(const Film& film, const Picture& sampled, const Picture& moved,
                             const std::vector<float>& trust, const Tasks& tasks);

/// 1, and less for a pixel that is so much noisier than all around it that a path in thousands has lit it: it is not to
/// be spread about. Of fewer than 16 samples all are 1, for there one bright path a neighbourhood is how light comes.
std::vector<float> outlierTrust(const Film& film, const Tasks& tasks);

} // namespace ilumbra
