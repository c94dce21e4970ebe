#pragma once
#include "core/film/film.h"
#include "core/lens/stack.h"
#include "core/scene/scene.h"

namespace ilumbra {

/// Someone who has a part in a pixel.
struct Contributor {
  enum class As {
    Light,
    Seen,
    Stage
  } as = As::Light; ///< a light that lights it; a thing that is seen there; a lens stage that adds to it
  NodeId node = 0;
  std::string name;
  double share = 0;  ///< of the pixel's light: lights and lens stages sum to 1; of what is seen, by itself
  Color value{0.0f}; ///< as in the picture; zero for what is seen
};

/// What stands at one pixel of the picture and why.
struct PixelReading {
  Color value{0.0f};    ///< scene-linear, working space, lens and exposure applied
  double luminance = 0; ///< 1 is white
  double stops = -100;  ///< from middle grey, 0.18
  double candelas = 0;  ///< cd/m² before the lens
  float depth = 0;      ///< metres to what is first seen; 0: nothing
  uint32_t samples = 0;
  std::vector<Contributor> contributors; ///< by share, the greatest first: lights and lens stages, then what is seen
};

/// Reads the pixel (x, y) of the picture; a film of a draft stands for several. Throws BadInput outside.
PixelReading askPixel(const Document& doc, double frame, const Scene& scene, const Film& film,
                      const std::vector<Color>& groupScales, const LensResult& developed, int x, int y);

} // namespace ilumbra
