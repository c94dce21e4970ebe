#pragma once
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

} // namespace ilumbra
