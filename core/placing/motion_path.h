#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"

namespace ilumbra {

/// Where a thing stands as frames go by.
struct MotionPath {
  struct Stop {
    double frame = 1;
    V3f place{0.0f}; ///< metres, in the world
    bool key = false;
  };
  std::vector<Stop> stops; ///< in order, close enough for a line; empty: it stands still
};
/// Over the document's range: its own place, or that of what carries it.
MotionPath motionPath(const Document& doc, NodeId thing);

} // namespace ilumbra
