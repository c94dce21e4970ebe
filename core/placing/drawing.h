#pragma once
#include "core/placing/handles.h"

namespace ilumbra {

/// True if the thing is drawn by points: a path, or the profile of a turned form.
bool isDrawn(const Node& node);

/// Handles of the points of what is drawn: each can be dragged, and between two of them, and before the first and after
/// the last of an open line, a new one pulled out. A path's points move along the film, or onto what is seen when
/// `ontoThings`; a profile's in the plane through its axis that faces the camera. The first drag gives the thing points
/// of its own, if it had those it comes with. What is dragged starts from `doc`.
std::vector<Handle> pointHandles(const Document& doc, const Node& drawn, double frame, const Camera& camera,
                                 bool ontoThings);

/// A point set at a place of the picture, after the last: of a path on what is seen there, else as far away as the last
/// point (or the thing itself). With nothing drawn yet it is the first one. At the first point a path is closed
/// instead. Throws BadInput when there is no such place.
Document drawPoint(const Document& doc, NodeId drawn, double frame, const Camera& camera, const V2f& at,
                   const std::optional<Seen>& onto, bool sharp);
/// The last point taken away again, or the line opened if it was closed.
Document undrawPoint(const Document& doc, NodeId drawn);

} // namespace ilumbra
