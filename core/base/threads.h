#pragma once

namespace ilumbra {

/// From here on no more than so many threads work at once in this process, whatever its pools are made for: ours, and
/// those of libraries that share them (Embree, OpenVDB). Below 1: as many as there are cores. The last call counts.
void limitThreads(int most);

} // namespace ilumbra
