#pragma once
#include "core/placing/handles.h"

namespace ilumbra {

/// How things are placed by hand in the picture: state of the view, not of the document.
struct Placing {
  enum class What { Move, Turn, Size } what = What::Move;
  enum class Axes { World, Own, Camera } axes = Axes::World;
  /// What a drag of the middle takes hold of in what is seen under the pointer.
  enum class Onto { Nothing, Surface, Vertex, Centre } onto = Onto::Nothing;
  double grid = 0; ///< metres: places come to lie on its multiples, turns go by 15°, sizes by tenths; 0: free
};

/// Handles of what is selected, objects, groups or several things of any kind: three along the axes and one in the
/// middle. They turn and size about where the last thing stands. What is dragged starts from `doc`, whatever came
/// between.
std::vector<Handle> placingHandles(const Document& doc, const std::vector<NodeId>& things, double frame,
                                   const Camera& camera, const Placing& placing);

} // namespace ilumbra
