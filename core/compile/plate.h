#pragma once
#include "core/document/document.h"
#include "core/pattern/assets.h"
#include "core/scene/plates.h"

namespace ilumbra {

/// What lies behind or before the render: a picture, a sequence, a movie, a colour, a gradient or a pattern.
Kind plateKind();

/// A layer of a plate's picture as a source of its own: of a multi-layer file its light, a mask, or what its
/// Cryptomattes name.
Kind pictureLayerKind();

/// `quick`: uneven coverages at half their fineness. Null if there are none that are shown. Throws BadInput naming the
/// plate and what is wrong with it.
std::shared_ptr<const Plates> platesOf(const Document& doc, double frame, int width, int height, const Assets& assets,
                                       bool quick = false);

/// The camera that sees the set as the plate's did: its focal length if that is known, and tilted until its horizon
/// lies where the plate's does. Throws BadInput.
Document matchCamera(const Document& doc, NodeId plate);

} // namespace ilumbra
