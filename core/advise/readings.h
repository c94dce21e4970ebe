#pragma once
#include "core/effects/route.h"

#include <array>
#include <functional>

namespace ilumbra {

/// What is read and how it will be shown. It holds nothing: all of it must outlive the call.
struct ReadingsOf {
  const Document& doc;
  double frame;
  const Picture& picture;       ///< developed light in the working space, exposure and lens applied: 1 is white
  double noise = 0;             ///< relative, of the film that it is of
  Region region = {};           ///< width 0: all of it
  NodeId effect = 0;            ///< whose light is looked at; 0: the brightest place of the picture
  const Scene* scene = nullptr; ///< where the lights of the effect are seen; null: its brightest place counts
  /// Display values in [0, 1] of light, by the picture's view; null: what is above 1 is cut off.
  std::function<std::vector<float>(const Picture&)> shown = {};
};

/// A halo from its core outwards.
struct HaloReading {
  V2f centre{0, 0};         ///< pixels
  double core = -100;       ///< stops of its brightest, from white
  double radius = 0;        ///< of the core, to half of its light; shares of the picture's height
  double surround = -100;   ///< stops of what lies around it, from white
  double halfWidth = 0;     ///< where it has fallen to half of what it is at the core's rim; shares of the height
  double tail = 0;          ///< where it goes under in its surround; shares of the height
  double rim = 0;           ///< stops that it falls within a hundredth of the height outside the core
  double falls = 0;         ///< exponent of its fall with the distance, over its middle: 2 is twice as far, a quarter
  double keepsHue = -100;   ///< stops from white up to which its hue is shown as it is
  std::vector<V2f> profile; ///< distance from the centre in shares of the height, stops from white
};

/// What a picture measures.
struct Readings {
  double brightest = -100, middle = -100, darkest = -100; ///< stops from white: of a thousandth, half, and all but it
  std::array<double, 3> clipped{};                        ///< share of pixels by channel that the display cuts off
  double anyClipped = 0;                                  ///< share of pixels of which a channel is
  double black = 0;                                       ///< share of pixels that are shown as black
  double noise = 0;
  static constexpr int lowest = -12, highest = 12;
  std::array<double, highest - lowest + 1> histogram{}; ///< share of pixels by stop from white, from `lowest` on
  std::vector<HaloReading> halo;                        ///< one, or none where nothing stands out
  /// "Reads as a light", or what keeps it from it.
  std::string verdict;
  bool reads = false;
  /// One line each, worst first; those that are in order are notes without mends.
  std::vector<Finding> lines;
};

/// Measures a developed picture, or a part of it, and judges by rules whether what is brightest in it is taken for
/// light:
///   it lies above the brightest surface, 1.7 times white (Bonato and Gilchrist 1994, "The perception of luminosity on
///   different backgrounds and in different illuminations");
///   it stands out of its surround, ten times and more (Ullman 1976, "On visual detection of light sources");
///   its light falls off in a gradient instead of ending at an edge (Zavagno and Caputo 2001, "The glare effect and the
///   perception of luminosity");
///   a veil of it lies over what is near (Spencer, Shirley, Zimmerman and Greenberg 1995, "Physically-based glare
///   effects for digital images");
///   its colour stays in the halo while its heart goes to white.
Readings takeReadings(const ReadingsOf& of);

/// What of one set of readings is otherwise than in another, a sentence each, the largest first: "falls off twice as
/// fast". `name` is what the other is called.
std::vector<std::string> compareReadings(const Readings& now, const Readings& other, const std::string& name);

/// How stops are told: "2.4 stops above white".
std::string stopsFromWhite(double stops);

} // namespace ilumbra
