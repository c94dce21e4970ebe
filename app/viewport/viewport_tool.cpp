#include "app/viewport/viewport_tool.h"

namespace ilumbra {

std::vector<ViewportToolKind> viewportTools() {
  return {regionTool(), askTool(), focusTool(), openingTool(), drawTool()};
}

} // namespace ilumbra
