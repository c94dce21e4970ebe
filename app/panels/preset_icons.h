#pragma once
#include "app/studio.h"

#include <QImage>

namespace ilumbra {

/// Draws the presets of patterns, each on a ball, once for all windows.
void drawPresets(Studio& studio);
/// In the order of patternPresets(); empty: not drawn yet.
const QList<QImage>& presetPictures();

} // namespace ilumbra
