#pragma once
#include "core/lens/stage.h"

// The kinds of lens stages, each in the file of its name.

namespace ilumbra {

LensStage bandsStage();
LensStage blurStage();
LensStage displaceStage();
LensStage flickerStage();
LensStage fringeStage();
LensStage ghostsStage();
LensStage gradeStage();
LensStage grainStage();
LensStage haloRingsStage();
LensStage mirrorCopyStage();
LensStage screenShaftsStage();
LensStage silhouetteStage();
LensStage smearStage();
LensStage starburstStage();
LensStage streaksStage();
LensStage trailsStage();
LensStage vignetteStage();

} // namespace ilumbra
