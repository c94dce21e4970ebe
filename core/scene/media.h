#pragma once
#include "core/air/beam.h"
#include "core/air/density.h"
#include "core/air/haze.h"
#include "core/air/voxel_grid.h"
#include "core/base/sampling.h"
#include "core/scene/embree_handles.h"
#include "core/scene/geometry.h"

#include <boost/container/small_vector.hpp>
#include <limits>
#include <memory>

namespace ilumbra {

/// A stretch of a ray inside one place of a medium.
struct MediumSegment {
  float from, to; ///< metres along the ray
  uint16_t haze;
  uint16_t place;
  float mean = 1;   ///< of its density
  float spread = 0; ///< how far the density may lie from that; 0: it is even
};

/// The media that one ray passes, each from where to where: what is known of them along the way.
class RayMedia {
 public:
  bool empty() const { return m_segments.empty(); }
  void add(const MediumSegment& s) {
    if (s.to > s.from) m_segments.push_back(s);
  }
  const MediumSegment* begin() const { return m_segments.data(); }
  const MediumSegment* end() const { return m_segments.data() + m_segments.size(); }

 private:
  friend class Media;
  // Between the places where hazes begin and end; extinction by the means.
  struct Part {
    float from, to;
    Color extinction;
    Color depth; ///< optical, before it
  };
  boost::container::small_vector<MediumSegment, 8> m_segments;
  boost::container::small_vector<Part, 8> m_parts;
};

/// One region that a medium fills: a copy of its shape, a beam, a grid of voxels.
struct MediumPlace {
  M44f toObject;                             ///< of the shape's copy
  Box3f bounds;                              ///< in the world
  Convex region;                             ///< where there is no shape
  std::shared_ptr<const BeamForm> beam;      ///< null: it is none
  DensityPtr density;                        ///< null: even
  std::shared_ptr<const DensityCells> cells; ///< guide where it is uneven; null: `most` alone does
  float most = 1;
  DensityPtr heat;     ///< by which its own light varies; null: as its density does
  AirColorPtr tint;    ///< of what it scatters, from place to place; null: white
  AirColorPtr warmth;  ///< of its own light, from place to place; null: white
  AirColorPtr dark;    ///< extinction as a share of the haze's, from place to place; null: all of it
  float darkMean = 1;  ///< of `dark`: no estimate depends on it but by its noise
  AirColorPtr turning; ///< anisotropy from place to place, the mean of its channels; null: the haze's
  boost::container::small_vector<uint32_t, 2> lamps,
      skies; ///< of a haze with chosen lights: indices into the scene's emitters and skies
};

/// A medium that scatters, absorbs or gives light: a haze, a beam or a grid.
struct Medium {
  Haze haze;
  uint16_t thing = 0;
  NodeId fills = 0;                         ///< the object whose shape it fills; 0: none
  std::shared_ptr<const Geometry> geometry; ///< null: it is everywhere, or in its regions
  bool everywhere = false;
  std::vector<MediumPlace> places; ///< one at least
  bool chosen = false;             ///< it shows only the lights of its places
  int scatterings = 1;
  uint16_t group = 0; ///< of its own light
  Color glow{0.0f};   ///< of its own light, at the group's unit: cd/m² to the metre; black: none
  V3f eye{0.0f};      ///< what its distances are measured from
  float start = 0, end = std::numeric_limits<float>::infinity();
};

/// All media of a scene, and the shapes that they fill. Immutable.
class Media {
 public:
  explicit Media(std::vector<Medium> hazes, RTCDevice device);
  ~Media();
  Media(const Media&) = delete;
  Media& operator=(const Media&) = delete;

  const Medium& operator[](size_t i) const { return m_hazes[i]; }
  size_t size() const { return m_hazes.size(); }
  bool anyGlow() const { return m_glows; }
  bool anyWithin() const { return m_within; }
  /// What a ray (unit direction) passes within `far` metres, which may be infinite. Exact along the chords inside
  /// closed meshes: all crossings of the whole line are taken, so that nothing need be known of where it begins.
  /// `within`: the clear body that the ray runs in, of which only the haze that fills it is there; 0: in the open.
  void along(const V3f& origin, const V3f& direction, float far, RayMedia& way, NodeId within = 0) const;
  /// Share of light that comes through, from the ray's begin to t. Where the density is uneven it is an estimate
  /// without bias: residual ratio tracking about the means (Novák et al. 2014, "Residual ratio tracking for estimating
  /// attenuation in participating media").
  Color transmittance(const RayMedia& way, const V3f& origin, const V3f& direction, float t,
                      RandomStream& random) const;
  /// By the means alone.
  Color meanTransmittance(const RayMedia& way, float t) const;
  /// Optical depth of a way by the amount in the middle of each stretch: for showing it, smoother than by the means.
  float shownDepth(const RayMedia& way, const V3f& origin, const V3f& direction) const;
  /// Amount of a stretch's haze at a place of it.
  float amount(const MediumSegment& s, const V3f& world) const {
    const Density* d = m_hazes[s.haze].places[s.place].density.get();
    return d ? d->at(world) : 1;
  }
  /// What is lost at a place of a stretch, as a share of the haze's extinction.
  Color darkness(const MediumSegment& s, const V3f& world) const {
    const AirColor* dark = m_hazes[s.haze].places[s.place].dark.get();
    return dark ? dark->colorAt(world) * amount(s, world) : Color(amount(s, world));
  }
  /// Mean cosine of the angle by which light is turned at a place of a stretch.
  float anisotropy(const MediumSegment& s, const V3f& world) const {
    const Medium& h = m_hazes[s.haze];
    const AirColor* turning = h.places[s.place].turning.get();
    if (!turning) return h.haze.anisotropy;
    const Color g = turning->colorAt(world);
    return (g.x + g.y + g.z) * (1 / 3.0f);
  }
  /// What a stretch scatters at a place of it, per metre.
  Color scattering(const MediumSegment& s, const V3f& world) const {
    const Medium& h = m_hazes[s.haze];
    const Color all = h.haze.scattering * amount(s, world);
    const AirColor* tint = h.places[s.place].tint.get();
    return tint ? all * tint->colorAt(world) : all;
  }

  /// Makes the way ready for what follows.
  void divide(RayMedia& way, float far) const;
  /// Optical depth by the means up to t, of a divided way.
  static Color depth(const RayMedia& way, float t);
  /// A place where light is lost between two others, for u in [0, 1): density proportional to the mean extinction ·
  /// transmittance of one channel, and that over all channels told. Less than 0: nowhere.
  static float sampleExtinction(const RayMedia& way, float from, float to, int channel, float u, float& pdf);
  static float extinctionPdf(const RayMedia& way, float from, float to, float t);
  /// What its own light adds on a divided way, at the unit of each group: f(haze, radiance).
  template <typename F>
  void glow(const RayMedia& way, const V3f& origin, const V3f& direction, RandomStream& random, const F& f) const;

 private:
  static Color throughPart(const RayMedia::Part& p, float from, float to);
  void fill(size_t haze, size_t place, const V3f& o, const V3f& d, float from, float to, RayMedia& way) const;
  void lay(size_t haze, size_t place, const V3f& o, const V3f& d, float from, float to, RayMedia& way) const;
  std::vector<Medium> m_hazes;
  std::vector<EmbreeScene>
      m_scenes; ///< by haze: its triangles, every crossing of which is told; null: a sphere, a region, or everywhere
  bool m_glows = false, m_within = false;
};

template <typename F>
void Media::glow(const RayMedia& way, const V3f& o, const V3f& d, RandomStream& random, const F& f) const {
  const bool uneven = std::any_of(way.begin(), way.end(), [](const auto& s) { return s.spread > 0; });
  for (const auto& s : way) {
    const Medium& h = m_hazes[s.haze];
    if (isBlack(h.glow)) continue;
    const MediumPlace& place = h.places[s.place];
    if (!uneven && !place.warmth) {
      Color sum(0.0f);
      for (const auto& p : way.m_parts)
        if (p.from < s.to && p.to > s.from) sum += throughPart(p, std::max(p.from, s.from), std::min(p.to, s.to));
      f(h, h.glow * sum * s.mean);
      continue;
    }
    // One place of the stretch: evenly, or of an endless one where light is lost. What comes through up to there is
    // estimated.
    float t, pdf;
    if (std::isfinite(s.to)) {
      t = s.from + (s.to - s.from) * random.next();
      pdf = 1 / (s.to - s.from);
    } else {
      const int channel = std::min(2, int(3 * random.next()));
      t = sampleExtinction(way, s.from, s.to, channel, random.next(), pdf);
    }
    if (!(t >= 0 && pdf > 0) || !std::isfinite(t)) continue;
    const V3f x = o + d * t;
    const float much = place.heat ? place.heat->at(x) : amount(s, x);
    if (!(much > 0)) continue;
    Color light = h.glow * transmittance(way, o, d, t, random) * (much / pdf);
    if (place.warmth) light *= place.warmth->colorAt(x);
    f(h, light);
  }
}

} // namespace ilumbra
