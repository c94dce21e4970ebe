#pragma once
#include "core/document/document.h"

namespace ilumbra {

// Moves of a camera that looks at a point (parameters "position" and "target"), as keys at the current frame where it
// has keys. They return the document as it is where the move would go too far.

/// About the point it looks at, in radians: to the left, and upwards as far as 1.55 from the level.
Document orbited(const Document& doc, NodeId camera, double left, double up);
/// Along the picture, with the point it looks at, in heights of what is seen there: the picture goes right and down.
Document panned(const Document& doc, NodeId camera, double right, double down);
/// To `factor` times the distance, between 1 mm and 100 km. What was sharp at the point looked at stays sharp.
Document dollied(const Document& doc, NodeId camera, double factor);

} // namespace ilumbra
