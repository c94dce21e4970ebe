#pragma once
#include "core/display/view.h"
#include "core/session/proof.h"

#include <QImage>

namespace ilumbra {

/// A small picture of a proof through the exact view, at most `wide` pixels.
QImage proofPicture(const Proof& proof, const ColorViews& views, int wide);

} // namespace ilumbra
