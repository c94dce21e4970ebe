#pragma once
#include "core/document/document.h"

#include <memory>

namespace ilumbra {

/// A small scene made by chance, the same for the same number: a table, a room, a yard or a dark hall, with things of
/// many forms and matters, patterned walls, lamps of all kinds, haze, gathered light, a lens in or out of focus, things
/// that move. None of them is a starter. Renders in seconds at some hundred pixels a side.
Document sceneByChance(int number, const std::shared_ptr<const Kinds>& kinds);

} // namespace ilumbra
