#pragma once
#include "demo/scene_builder.h"

namespace ilumbra {

// Parts of the hall that several starters share.

/// A round table of honed slate whose top lies at y = 0, and a wall behind it.
void addSlateTable(SceneBuilder& b);
/// A chart of the stars, as a picture file (PPM).
std::string starMap();
/// Joined rings as a cage of wires, with fire in their middle ("Fire"). `position`: of its middle.
void addGyroscopeCage(SceneBuilder& b, const char* position, const char* size);
/// An hourglass between brass plates that bursts: its foot stands at `position`.
void addBurstHourglass(SceneBuilder& b, const char* position);

} // namespace ilumbra
