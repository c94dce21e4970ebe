#pragma once
#include "core/base/vec.h"

#include <vector>

namespace ilumbra {

/// Reflectance of a boundary under a film so thin that light interferes in it: Airy's sum over both polarisations
/// (Born and Wolf 1999, 7.6.1), at 5 nm steps through the CIE observer, in the working space. Tabulated by cosine and
/// thickness.
class ThinFilm {
 public:
  /// A film of index `film` on a dielectric of index `base` (1: a free film, as of soap). Thicknesses up to `most` nm.
  ThinFilm(float film, float base, float most);
  /// `cosine` on the outside, 0..1; thickness in nm.
  Color reflectance(float cosine, float thickness) const;

 private:
  static constexpr int cosines = 48;
  int m_thicknesses;
  float m_most;
  std::vector<Color> m_table; ///< [thickness][cosine]
};

/// The same over metal, whose amplitude under the film is the one that gives Schlick's reflectance where the film has
/// no thickness. Channel by channel by the metal's own colour there.
class MetalFilm {
 public:
  MetalFilm(float film, float most);
  Color reflectance(const Color& f0, float cosine, float thickness) const;

 private:
  static constexpr int cosines = 24, colours = 9;
  int m_thicknesses;
  float m_most;
  std::vector<Color> m_table; ///< [colour][thickness][cosine]
};

} // namespace ilumbra
