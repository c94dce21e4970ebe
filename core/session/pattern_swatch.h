#pragma once
#include "core/base/tasks.h"
#include "core/document/edit.h"
#include "core/pattern/fit.h"
#include "core/pattern/program.h"
#include "core/scene/scene.h"

namespace ilumbra {

/// What a small picture of a pattern shows it on.
enum class SwatchOn { Object, Ball, Flat, Picture };

/// The places that a small picture of a pattern shows, row by row from the top.
struct SwatchPlaces {
  int width = 0, height = 0;
  std::vector<PatternPoint> points; ///< of those that are there
  std::vector<int> index;           ///< by pixel: of its point, or -1
  SwatchOn on = SwatchOn::Object;   ///< what it came to be
};
/// The things as the camera sees them, by themselves and whole; a ball, or a square across their middle, as large as
/// they are; or what of them is seen in the picture itself, as it stands, clear elsewhere. The points hold for no
/// longer than the scene. Where none of the things is to be seen, or `scene` is null, it is a ball of a metre instead.
/// Throws Cancelled.
SwatchPlaces swatchPlaces(const Scene* scene, const Document& doc, const std::vector<NodeId>& things, SwatchOn on,
                          int width, int height, const CancelFlag* cancel = nullptr);

/// A pattern by itself, without light: what it gives is what is seen.
struct PatternSwatch {
  std::vector<uint8_t> rgba;  ///< as the screen shows them; clear where there is no place
  std::vector<float> numbers; ///< what it gives at each place; of colours their brightness
};
/// `takes`: what the pattern drives: a colour, or a number, which is shown from black to white over what is usual of
/// it. Throws BadInput where the pattern cannot be made.
PatternSwatch patternSwatch(const SwatchPlaces& places, const Document& doc, const Reference& pattern,
                            const ParamDef& takes, const Assets& assets);

} // namespace ilumbra
