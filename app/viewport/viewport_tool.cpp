#include "app/viewport/viewport_tool.h"

namespace ilumbra {

// A line each, in the order of menus.
#define EACH_TOOL(X)                                                                                                   \
  X(regionTool)                                                                                                        \
  X(askTool)                                                                                                           \
  X(focusTool)                                                                                                         \
  X(openingTool)                                                                                                       \
  X(drawTool)

#define DECLARE(name) ViewportToolKind name();
EACH_TOOL(DECLARE)
#undef DECLARE

std::vector<ViewportToolKind> viewportTools() {
#define MADE(name) name(),
  return {EACH_TOOL(MADE)};
#undef MADE
}

} // namespace ilumbra
