#pragma once
#include "core/base/picture.h"
#include "core/base/tasks.h"
#include "core/document/document.h"
#include "core/pattern/assets.h"

namespace ilumbra {

class Camera;
class Film;
class Scene;

/// What lies behind or before the render: a picture, a sequence, a movie, a colour, a gradient or a pattern.
Kind plateKind();

/// A layer of a plate's picture as a source of its own: of a multi-layer file its light, a mask, or what its
/// Cryptomattes name.
Kind pictureLayerKind();

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
/// `quick`: uneven coverages at half their fineness. Null if there are none that are shown. Throws BadInput naming the
/// plate and what is wrong with it.
std::shared_ptr<const Plates> platesOf(const Document& doc, double frame, int width, int height, const Assets& assets,
                                       bool quick = false);

/// What the plates make of a picture of the film: p · keep + add, by pixel and channel; `add` belongs to all light
/// alone. What is before the render covers it; what is behind is seen as far as its alpha lets it (Porter and Duff
/// 1984).
struct PlateLayers {
  Picture keep, add;
  std::vector<PlatePart> parts; ///< what is in `add` already
};
/// `alpha`: of the film's pixels, by rows; empty: as the film has it.
PlateLayers plateLayers(const Plates& plates, const Film& film, const std::vector<float>& alpha, const Tasks& tasks);
/// What of the plates behind comes through those before the render, as if the render were not there, at some size;
/// empty: there are none behind.
Picture platesBehind(const Plates& plates, int width, int height, const Tasks& tasks);
/// All plates alone, laid over each other, and their alpha: what is there where no ray meets anything.
Picture platesLight(const Plates& plates, const Tasks& tasks);
std::vector<PlatePart> platesParts(const Plates& plates);
float platesAlpha(const Plates& plates, size_t pixel);
/// A pixel's own alpha with the plates.
float plateAlpha(const Plates* plates, float own, size_t pixel);

/// The camera that sees the set as the plate's did: its focal length if that is known, and tilted until its horizon
/// lies where the plate's does. Throws BadInput.
Document matchCamera(const Document& doc, NodeId plate);

} // namespace ilumbra
