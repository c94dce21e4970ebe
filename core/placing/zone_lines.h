#pragma once
#include "core/compile/camera.h"
#include "core/document/document.h"

namespace ilumbra {

/// What a zone looks like in the picture: lines in its pixels; of a half-space a square of its plane. What lies behind
/// the camera is left out. None of what is no zone, or is bounded by things.
std::vector<std::vector<V2f>> zoneLines(const Document& doc, const Node& zone, double frame, const Camera& camera);

} // namespace ilumbra
