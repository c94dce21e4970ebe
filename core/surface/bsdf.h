#pragma once
#include "core/surface/microfacet.h"
#include "core/surface/sheen.h"

namespace ilumbra {

/// A material at one point: its parameters evaluated, in a local frame whose z is the shading normal on the side of the
/// viewer and whose x runs along the grain.
///
/// From the top: fibres (sheen), a clear coat, then metal beside a dielectric; the dielectric's boundary lies over a
/// matte body, over the inside of a scattering body (subsurface), or over clear matter. What a layer does not reflect
/// reaches the one below, so that without absorption no light is lost.
struct Bsdf {
  Color base{0.0f};
  float metalness = 0, roughness = 1, anisotropy = 0;
  float specular = 1; ///< factor of what the dielectric's boundary reflects
  Color specularTint{1.0f};
  float eta = 1.5f;      ///< index of the matte body ÷ that of what is outside
  float clearEta = 1.5f; ///< of clear matter: index on the far side ÷ index on the viewer's side
  float transmission = 0, transmissionRoughness = 0;
  /// Clear matter passes light with a roughness of its own, as if its frosted boundary had a polish that is met from
  /// outside alone: from inside the boundary is as rough for what it reflects as for what it passes.
  bool ownTransmissionRoughness = false;
  float translucency = 0; ///< of thin sheets: share of the matte body that light passes
  Color translucencyColor{1.0f};
  float subsurface = 0; ///< share of the matte body that light enters
  float coat = 0, coatRoughness = 0, coatEta = 1.5f;
  Color coatColor{1.0f}; ///< of light that went through it once, straight
  float sheen = 0, sheenRoughness = 0.5f;
  Color sheenColor{1.0f};
  float occlusion = 1;
  float wrap = 0; ///< beyond physics: how far lamps shine around the matte body, 0..1
  /// Where smooth clear matter both reflects and passes light, each is followed with this chance at least: what is rare
  /// but bright (a lamp in a glass) is then found in few samples. The mean stays.
  float minLobeProbability = 0.02f;
  bool thin = false;
  bool inside = false; ///< the viewer is inside the body
  FilmCover film;
  const MetalFilm* metalFilm = nullptr;
  const CoatAlbedo* boundaryAlbedo = nullptr; ///< of the dielectric's boundary, seen from outside
  const CoatAlbedo* coatAlbedo = nullptr;     ///< needed with a coat

  /// To be called once all of the above is set, before anything below: the direction of the viewer, wo.z > 0.
  void view(const V3f& wo);
  /// f cos(wi) of everything that is not (nearly) a mirror; unbiased, may draw random numbers. Light that enters the
  /// body for subsurface scattering is not in it: it leaves elsewhere.
  Color evaluate(const V3f& wi, RandomStream& random) const;
  /// What wrap adds to f cos for light of lamps, less than 0 where it takes: over all directions as much as it adds.
  /// `cosine` between the light and the shading normal, below 0 on the side turned away.
  Color wrapped(float cosine) const;
  /// Density for multiple importance sampling; consistent with sample().
  float pdf(const V3f& wi) const;
  struct Sample {
    V3f wi{0.0f};
    Color weight{0.0f};    ///< f cos / pdf
    float pdf = 0;         ///< infinite for mirror-like lobes
    bool specular = false; ///< a mirror, clear glass, or nearly so
    bool through = false;
    bool diffuse = false;
    bool enters = false; ///< into the body, for subsurface scattering: wi points inwards
  };
  bool sample(const V2f& u, float choose, RandomStream& random, Sample& s) const;
  /// True if nothing but mirror-like lobes is there: a light need not be sampled.
  bool onlySpecular() const { return !m_anyRough; }
  /// True if some lobe is mirror-like.
  bool anySpecular() const { return m_anySpecular; }
  /// True if it is a mirror or clear, or nearly so: photons follow what it sends on, and do not end there. By its
  /// parameters alone, so that a path that comes the other way finds the same.
  bool isNearSpecular() const {
    constexpr float roughest = 0.25f, matte = 1e-3f;
    const float clear = (1 - metalness) * transmission;
    return sheen <= 0 && (1 - metalness) - clear <= matte && roughness <= roughest &&
           (coat <= 0 || coatRoughness <= roughest) &&
           (clear <= 0 || !ownTransmissionRoughness || transmissionRoughness <= roughest);
  }
  Color albedo() const;
  /// Share of light, of what comes out of the body evenly, that leaves towards wi (per solid angle, cosine included):
  /// its integral over the hemisphere is 1.
  float leaving(const V3f& wi) const;

 private:
  enum Lobe { Fibres, Coat, Metal, Specular, Matte, Sheet, Enter, Glass, GlassMirror, lobes };
  Color evaluateSpecular(const V3f& wi, float index) const;
  float evaluateMatte(float cosine) const { return m_bare ? cosine * (1 / pi) : leaving({0, 0, cosine}); }
  Color boundaryReflectance(float cosine, float index) const;
  Boundary clearBoundary() const;
  // Parts of sample(): `share` is the chance of the lobe, `choose` what is left of the number that chose it. False: no
  // direction.
  bool sampleMirror(const Microsurface& m, float lambdaOut, const V2f& u, Sample& s, float& cosine, float& g) const;
  bool sampleMetal(RandomStream& random, float share, Sample& s) const;
  bool sampleSheet(const V2f& u, float share, Sample& s) const;
  bool sampleThinGlass(float choose, float share, Sample& s) const;
  bool sampleGlass(float choose, RandomStream& random, float share, Sample& s) const;
  bool weighReflection(Sample& s) const;
  float followed(float reflects) const;
  bool polished() const { return ownTransmissionRoughness && !inside && !thin; }
  // What depends on the viewer only.
  V3f m_wo{0, 0, 1};
  float m_share[lobes] = {}; ///< chance of each lobe
  float m_belowFibres = 1;   ///< energy that the fibres let pass
  Color m_below{1.0f};       ///< light that the coat lets pass, of all
  Color m_matteScale{0.0f};  ///< of the matte body: energy and norm
  float m_lambdaOut = 0, m_coatLambdaOut = 0;
  Microsurface m_grain{1}, m_clear{1}, m_coatGrain{1};
  bool m_mirror = false, m_clearMirror = false, m_coatMirror = false, m_anyRough = true, m_anySpecular = true;
  bool m_bare = false; ///< the matte body has no boundary to speak of
};

/// Lobes with alpha below this are perfect mirrors; below mirrorAlpha they are mirror-like: lights are met, not
/// sampled.
inline constexpr float smoothAlpha = 1e-3f, mirrorAlpha = 0.01f;

} // namespace ilumbra
