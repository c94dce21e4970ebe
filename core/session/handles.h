#pragma once
#include "core/document/document.h"
#include "core/render/camera.h"

#include <functional>
#include <optional>

namespace ilumbra {

/// Something of a thing that can be dragged in the picture: a lamp's place, size, cone. Places are in pixels of the picture.
struct Handle {
  std::string param;                      ///< what a drag changes
  std::string label;                      ///< of that parameter
  V2f at{0, 0};                           ///< where it is taken hold of
  std::vector<std::vector<V2f>> lines;    ///< what it looks like besides; what lies behind the camera is left out
  bool area = false;                      ///< the lines bound what shines: told apart from those that only point
  /// The document with the handle dragged to a place; `onto`: the point of the set seen there, if one is.
  std::function<Document(const Document&, const V2f& to, const std::optional<V3f>& onto)> drag;
};

/// The handles of a light: place, what it looks at, size, cone and soft edge, range, the sun's place in the sky; none of other
/// things. Those behind the camera are left out.
std::vector<Handle> handlesOf(const Document& doc, const Node& light, double frame, const Camera& camera);

} // namespace ilumbra
