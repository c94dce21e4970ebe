#pragma once
#include "core/document/document.h"
#include "core/pattern/assets.h"

namespace ilumbra {

/// Frames of the document after which a movie, a numbered sequence or a clip that plays is at its start again (where it
/// plays once: at its end), at a speed of 1; 0: it is a still. Reads its file; throws BadInput, naming it, where it
/// cannot be read.
double framesOfRound(const Document& doc, const Node& played, const Assets& assets);

} // namespace ilumbra
