#pragma once
#include <string>
#include <vector>

namespace ilumbra {

class CancelFlag;
class ColorViews;

/// Frames side by side, each with its number, as one PNG: at most 120 of them, evenly out of more, each 240 pixels
/// wide. `files`: pictures in full, of one size. Throws Io, BadInput, Cancelled.
void writeContactSheet(const std::string& path, const std::vector<std::string>& files,
                       const std::vector<double>& frames, const ColorViews& views, const std::string& view,
                       const CancelFlag* cancel = nullptr);

} // namespace ilumbra
