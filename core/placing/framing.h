#pragma once
#include "core/scene/scene.h"

namespace ilumbra {

/// World box around things: objects with all that they hold, and the bodies of lights. Empty `things`: every object.
/// What has no body (a sky) adds nothing; a light without size adds its place.
Box3f boundsOf(const Scene& scene, const Document& doc, const std::vector<NodeId>& things);

/// Two significant digits of what is more than 0: a made-up value should look like one.
double twoDigits(double v);

/// Moves a camera along its line of sight, keeping its direction, until the box fills the frame with a margin; focus
/// and target go to the box's centre. Does nothing for an empty box.
Document frameBox(const Document& doc, NodeId camera, const Box3f& box);

/// What a set needs to be seen and has not: a camera framed on what there is, a sky and an area light that suit the
/// camera's exposure and the set's size. `told` receives a sentence for each thing that was made.
Document standUp(const Document& doc, const Scene& scene, std::vector<std::string>* told);

/// A new object or light where the camera looks, as large as a fifth of what is framed: its position, size and power
/// are set from that, so that it is seen at once.
Document addFramed(const Document& doc, const Scene& scene, std::string_view kind, NodeId* made);

} // namespace ilumbra
