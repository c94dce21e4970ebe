#pragma once

namespace ilumbra {

class SceneBuilder;

/// A comet of nested veils with its head at `position`; its tail goes towards its own +x, as `turn` says (degrees).
void addVeilComet(SceneBuilder& b, const char* position, const char* turn);

} // namespace ilumbra
