#pragma once
#include "core/document/document.h"

#include <functional>

namespace ilumbra {

class AssetCache;
class CancelFlag;
class ColorViews;

/// A sequence's file for a frame: "shot.png" is "shot.0012.png".
std::string frameName(const std::string& output, int frame);

/// Renders frames one after the other as the document asks for (samples, noise, denoising, lens) and writes each as a
/// whole, PNG with its alpha, that of plates included. What is rendered at once (a set of plates alone) needs no ray.
/// `done` hears of each frame. Throws Usage for an unknown extension, Io, Cancelled; frames that are written stay.
/// `soon` (may be null): it ends after the frame at work. Returns the last frame that was written, first - 1 if there
/// is none.
int writeFrames(const Document& doc, const std::string& output, int first, int last, AssetCache& assets,
                const ColorViews& views, const CancelFlag& cancel, const std::function<void(int frame)>& done,
                const CancelFlag* soon = nullptr);

} // namespace ilumbra
