#pragma once
#include "core/base/tasks.h"
#include "core/document/value.h"
#include "core/image/picture.h"

namespace ilumbra {

class Camera;

/// What of the plates' light is named by effects and lens stages: a layer of a plate's picture, or what is left of a
/// plate beside its layers.
struct PlatePart {
  NodeId id = 0, plate = 0;
  Picture light;
  std::vector<float> covers; ///< share of each pixel
};

/// The plates of a document at one frame, as large as the picture: values as they come to stand in it, whatever the
/// camera's exposure, multiplied by alpha.
struct Plates {
  struct Sheet {
    Picture light;
    std::vector<float> alpha; ///< empty: there is none
    std::vector<PlatePart> parts;
  };
  Sheet behind, front;
};
/// What of the plates behind is seen in a direction to which clear things have turned the camera's ray. Inside the
/// frame as it stands there; beyond, where nobody knows what there was, from the edge back towards the middle and ever
/// slower, so that a ball shows the plate once and no tiles. Multiplied by alpha; `alpha` receives it.
Color plateSeen(const Plates& plates, const Camera& camera, const V3f& direction, float& alpha);
/// What of the plates behind comes through those before the render, as if the render were not there, at some size;
/// empty: there are none behind.
Picture platesBehind(const Plates& plates, int width, int height, const Tasks& tasks);
/// All plates alone, laid over each other, and their alpha: what is there where no ray meets anything.
Picture platesLight(const Plates& plates, const Tasks& tasks);
std::vector<PlatePart> platesParts(const Plates& plates);
float platesAlpha(const Plates& plates, size_t pixel);
/// A pixel's own alpha with the plates.
float plateAlpha(const Plates* plates, float own, size_t pixel);

} // namespace ilumbra
