#pragma once
#include "core/film/film.h"
#include "core/scene/scene.h"

namespace ilumbra {

/// What of the film is shown. Light passes are those of lightPasses(), in their order; Over is the picture over a
/// chequerboard where it is empty.
enum class ShownPass {
  Light,
  Over,
  Alpha,
  Depth,
  Normal,
  Albedo,
  Identity,
  AirDepth,
  Emission,
  Direct,
  Indirect,
  Caustics,
  Mirrored,
  Through
};
/// The query of a light pass, or null.
const LayerQuery* lightPass(ShownPass pass);

/// A film as its passes are shown: of fewer pixels than the scene's picture, and with its coverage denoised, maybe.
struct ShownFilm {
  const Scene& scene;
  const Film& film;
  int step;                        ///< a pixel of the film stands for so many by so many
  const std::vector<float>& alpha; ///< of the film's pixels, denoised; empty: as the film has it
  float alphaAt(size_t pixel) const { return alpha.empty() ? film.alpha(pixel) : alpha[pixel]; }
  /// The film's pixel for one of the scene's picture.
  size_t pixel(int x, int y) const;
};
/// A pass without light, at the size of the scene's picture, red green blue and 255: data as they are, colours by the
/// sRGB curve alone. Black for a pass of light.
std::vector<uint8_t> passShown(ShownPass pass, const ShownFilm& of, const Tasks& tasks);
/// Lays a picture (four bytes a pixel, as shown) over a chequerboard of two greys, by its alpha.
void layOverChequers(std::vector<uint8_t>& rgba, const ShownFilm& of, const Tasks& tasks);

} // namespace ilumbra
