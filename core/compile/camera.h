#pragma once
#include "core/document/document.h"
#include "core/scene/camera.h"

namespace ilumbra {

/// A camera of a document at a frame, for a picture of this size in pixels.
Camera cameraOf(const Document& doc, const Node& camera, double frame, int width, int height);
/// The frames between which the shutter of the active camera is open; both the frame itself if there is no camera or
/// blur.
struct Shutter {
  double open, close;
};
Shutter shutterOf(const Document& doc, double frame);

Kind cameraKind();
std::vector<Kind> allCameras();
/// The camera that the picture settings name, else the first; null if there is none.
const Node* activeCamera(const Document& doc);
/// Value of a luminance of 1 cd/m² in the picture: 1 / (1.2 · 2^EV100) (ISO 12232, saturation-based, as in reference
/// 9).
float exposureFactor(const Document& doc, double frame);

} // namespace ilumbra
