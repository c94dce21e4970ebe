#pragma once
#include "core/compile/camera.h"
#include "core/document/document.h"
#include "core/scene/look.h"

#include <functional>
#include <optional>

namespace ilumbra {

/// Something of a thing that can be dragged in the picture: a lamp's place, size, cone; an axis to move along. Places
/// are in pixels of the picture.
struct Handle {
  std::string id;                      ///< unique among the handles of a selection
  std::string param;                   ///< what a drag changes; empty: more than one parameter
  std::string label;                   ///< what it is called
  std::string value;                   ///< what stands there, in words; empty: that of `param`
  std::string mark;                    ///< a letter beside it; empty: none
  std::string unit;                    ///< of its amount
  V2f at{0, 0};                        ///< where it is taken hold of
  std::vector<std::vector<V2f>> lines; ///< what it looks like besides; what lies behind the camera is left out
  bool area = false;                   ///< the lines bound what shines: told apart from those that only point
  bool fresh = false;                  ///< a drag makes something new: shown hollow
  /// The document with the handle dragged to a place; `onto`: what of the set is seen there, if anything is.
  std::function<Document(const Document&, const V2f& to, const std::optional<Seen>& onto)> drag;
  /// How much a drag to a place comes to, and the document with an amount that was typed; null: it has no one number.
  std::function<double(const V2f& to)> amount;
  std::function<Document(double amount)> enter;
};

/// The handles of a light: place, what it looks at, size, cone and soft edge, range, the sun's place in the sky; none
/// of other things. Those behind the camera are left out.
std::vector<Handle> handlesOf(const Document& doc, const Node& light, double frame, const Camera& camera);

} // namespace ilumbra
