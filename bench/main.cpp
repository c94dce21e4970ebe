// ilumbra-bench [traversal] [sampling] [patterns] [glow] [lens] [interaction] [playing] [steady] [farm] [array] [air]
// [caustics] [cancel] [memory]: all without arguments. The ratios that the design asks for, each measured in this one
// run, on the Orrery Hall. Ratios, not seconds: they mean the same on another machine.
#include "bench/parts.h"
#include "core/base/memory.h"
#include "core/exchange/child.h"

#include <algorithm>
#include <fmt/format.h>

using namespace ilumbra;

int main(int argc, char** argv) {
  if (const int code = parseIfChild(argc, argv); code >= 0) return code;
  keepFreedMemory();
  if (memoryCase(argc, argv) || pictureErrors(argc, argv)) return 0;
  fmt::print("| what | must reach | measured | how |\n|---|---|---|---|\n");
  const std::pair<const char*, void (*)(Hall&)> parts[] = {
      {"traversal", traversalRatios}, {"sampling", samplingRatios}, {"patterns", patternRatios},
      {"glow", glowRatios},           {"lens", lensRatios},         {"interaction", interactionRatios},
      {"playing", playingRatios},     {"steady", steadyRatios},     {"farm", farmRatios},
      {"array", arrayRatios},         {"air", airRatios},           {"caustics", causticsRatios},
      {"cancel", cancelRatios},       {"memory", memoryRatios}};
  Hall hall;
  for (const auto& [name, part] : parts)
    if (argc < 2 ||
        std::find_if(argv + 1, argv + argc, [&](const char* a) { return std::string(a) == name; }) != argv + argc)
      part(hall);
  return 0;
}
