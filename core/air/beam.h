#pragma once
#include "core/air/density.h"
#include "core/document/document.h"
#include "core/geometry/convex.h"

namespace ilumbra {

/// Where a beam's light comes from: a ball that holds the lamp, and the middle of its light. A sun is a ball far away.
struct BeamSource {
  V3f centre{0.0f};
  float radius = 0;
  V3f axis{0, 0, 0}; ///< unit; zero: to all sides alike
};
/// A flat opening, its corners in order, convex hull of what was drawn.
struct Opening {
  std::vector<V3f> corners;
  V3f centre, normal; ///< unit
  /// Throws BadInput when the points span no area.
  explicit Opening(const std::vector<V3f>& points);
};

/// The place of a beam.
struct BeamForm {
  Convex region;
  V3f begin, axis; ///< of its middle line: where it starts (the light, or the opening's middle), and whither it goes;
                   ///< no axis: to all sides
  float reach = 0; ///< metres from `begin`
  float start = 0;
  /// A box that holds it.
  Box3f bounds(const Opening* opening) const;
};
/// `lit`: what the light lights; `from`: of the light; `opening`: null when the light itself is the beam's.
BeamForm beamForm(const Params& beam, const Convex& lit, const BeamSource& from, const Opening* opening);

/// How dense a beam is from place to place: its soft edge, how it fades along the way, and dust.
class BeamDensity : public Density {
 public:
  /// `edge` and `fade` are shares; `dust` may be null.
  BeamDensity(BeamForm form, float edge, float fade, DensityPtr dust);
  float at(const V3f& world) const override;
  void bounds(const Box3f& world, float& low, float& high) const override;
  /// True if it is 1 everywhere in its region.
  bool even() const { return m_edge <= 0 && m_fade <= 0 && m_form.start <= 0 && !m_dust; }

 private:
  BeamForm m_form;
  float m_edge, m_fade;
  DensityPtr m_dust;
};

} // namespace ilumbra
