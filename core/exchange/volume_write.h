#pragma once
#include "core/document/document.h"
#include "core/exchange/assets.h"

namespace ilumbra {

/// Bakes air and dense forms into an OpenVDB file, as a whole or not at all: one grid for each, named as it is
/// ("density" where there is one alone). Of a haze, a beam or a grid it holds the extinction per metre; of a form 1
/// inside, fading to 0 over its outermost three voxels. `only`: these, any closed object among them as a form; empty:
/// all air and all dense forms that are shown. `voxels`: along the longest side of each. What has no bounds or no
/// inside is left out, which is returned, a sentence each. Throws BadInput when nothing is left, Io, Cancelled.
std::vector<std::string> exportVoxelsTo(const Document& doc, const std::string& path, AssetCache& cache,
                                        const std::vector<NodeId>& only = {}, int voxels = 192,
                                        const CancelFlag* cancel = nullptr);

} // namespace ilumbra
