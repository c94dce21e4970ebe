#pragma once
#include "core/exchange/assets.h"
#include "core/document/document.h"

namespace ilumbra {

/// Bakes air into an OpenVDB file, one grid of extinction per metre for each haze, beam or grid, named as it is ("density" where there
/// is one alone), as a whole or not at all. `only`: these; empty: all that is shown. `voxels`: along the longest side of each. Air that
/// is everywhere has no bounds and is left out, which is returned, a sentence each. Throws BadInput when nothing is left, Io, Cancelled.
std::vector<std::string> exportAirTo(const Document& doc, const std::string& path, AssetCache& cache, const std::vector<NodeId>& only = {}, int voxels = 192, const CancelFlag* cancel = nullptr);

} // namespace ilumbra
