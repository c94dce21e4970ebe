#pragma once
#include "core/document/document.h"

class QWidget;

namespace ilumbra {

class Studio;

/// Asks, in a menu at the pointer, which layer, mask or Cryptomatte's object of a plate's picture becomes a source, and
/// adds it to the scene in one step. The file is read in the background.
void addPictureLayer(Studio& studio, NodeId plate, QWidget* parent);
/// The picture layers of a plate.
std::vector<const Node*> pictureLayersOf(const Document& doc, NodeId plate);

} // namespace ilumbra
