#pragma once
#include "bench/hall.h"

// What is measured, each in a file of its own; main.cpp has the list.

/// Bare traversal within a pass, and what the second core brings.
void traversalRatios(Hall& hall);
/// Samplers of lights, lenses and pixels against simpler ones at equal time.
void samplingRatios(Hall& hall);
/// Nodes of patterns.
void patternRatios(Hall& hall);
/// The glow against one large Gaussian.
void glowRatios(Hall& hall);
/// Lens stages at 1920×1080 against copying that frame, each alone and the stack of a night shot.
void lensRatios(Hall& hall);
/// From a change to its picture.
void interactionRatios(Hall& hall);
/// Frames from the cache.
void playingRatios(Hall& hall);
/// How still pictures are while the camera moves.
void steadyRatios(Hall& hall);
/// What it costs to divide a delivery among processes.
void farmRatios(Hall& hall);
/// Instance arrays.
void arrayRatios(Hall& hall);
/// Light in the air.
void airRatios(Hall& hall);
/// Caustics.
void causticsRatios(Hall& hall);
/// How long a pass that is stopped goes on.
void cancelRatios(Hall& hall);
/// Peak memory of large scenes, each in a process of its own: five million triangles, two hundred lights under a 4K
/// sky, two gibibytes of textures; and what a copy by repeat costs.
void memoryRatios(Hall& hall);
/// Runs the scene that the arguments name in this process and prints its peak; false if they name none.
bool memoryCase(int argc, char** argv);
/// Prints how far pictures are from two references, if the arguments ask for it (bench/quality.cpp); false if not.
bool pictureErrors(int argc, char** argv);
