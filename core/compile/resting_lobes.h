#pragma once
#include "core/document/document.h"

namespace ilumbra {

/// Roles (Kind::role) of nodes with a switch "on" that say by what some things are seen: while one that names a thing
/// is off, that rests. What mirrors stands in their list "onto", what light enters or goes through in "through".
inline constexpr std::string_view seesMirrored = "mirrors", seesEntered = "enters", seesThrough = "clear";

/// Switches (core/scene/things.h) of lobes of an object that rest at a frame; groups that hold it count.
uint16_t restingLobes(const Document& doc, const Node& object, double frame);

/// True of a clear body that is passed at a frame as if it were not there.
bool standsAside(const Document& doc, const Node& object, double frame);

} // namespace ilumbra
