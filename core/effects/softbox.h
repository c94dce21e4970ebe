#pragma once
#include "core/document/document.h"

#include <string>

namespace ilumbra {

class Scene;

/// The document with a panel where the camera sees its reflection at a pixel (x, y) of the picture: on the way that a
/// mirror there sends sight, as far from the place as it was, facing it. Nothing changes where nothing is met; `why`
/// then receives the reason.
Document placedPanel(const Document& doc, NodeId panel, const Scene& scene, float x, float y,
                     std::string* why = nullptr);

} // namespace ilumbra
