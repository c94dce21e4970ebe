#pragma once
#include "core/image/picture.h"

#include <string>
#include <vector>

namespace ilumbra {

class CancelFlag;
class ColorViews;

/// Pictures side by side, each with its label below, as one PNG: at most 120 of them, evenly out of more, each 240
/// pixels wide. `files`: pictures in full, of one size. Throws Io, BadInput, Cancelled.
void writeContactSheet(const std::string& path, const std::vector<std::string>& files,
                       const std::vector<std::string>& labels, const ColorViews& views, const std::string& view,
                       const CancelFlag* cancel = nullptr);

/// The same of pictures that are at hand (scene light, 1 is white), as wide as they are. `columns`: in a row; 0: all in
/// one row up to five, else about as many rows as columns.
void writeSheet(const std::string& path, const std::vector<std::pair<Picture, std::string>>& cells, int columns,
                const ColorViews& views, const std::string& view);

} // namespace ilumbra
