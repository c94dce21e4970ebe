#pragma once
#include "core/base/vec.h"
#include "core/scene/embree_handles.h"

#include <cstdint>
#include <vector>

namespace ilumbra {

/// A stretch of air that light runs through after mirrors and clear things have sent it there.
struct PhotonBeam {
  V3f begin, direction; ///< unit
  float length = 0;     ///< metres
  Color power{0.0f};    ///< at its begin: lumens at the unit of its group, of all photons of the pass
  float firstWay = 0;   ///< metres from the lamp to what sent it first
  float lastWay = 0;    ///< metres that it has come before its begin, since it was last bent or mirrored
  uint32_t light = 0;   ///< as Caustics counts them
  uint16_t group = 0, first = 0, takenBy = 0, rule = 0; ///< first: the thing that sent it first; takenBy: the thing
                                                        ///< whose link to the lamp counts, 0xffff: the air's
};

/// The beams of one pass, found along a ray. Immutable.
class PhotonBeams {
 public:
  /// `radius`: metres within which a beam of each rule is seen.
  PhotonBeams(std::vector<PhotonBeam> beams, std::vector<float> radius, RTCDeviceTy* device);
  ~PhotonBeams();
  PhotonBeams(const PhotonBeams&) = delete;
  PhotonBeams& operator=(const PhotonBeams&) = delete;
  bool empty() const { return m_beams.empty(); }
  size_t size() const { return m_beams.size(); }
  const PhotonBeam& operator[](size_t i) const { return m_beams[i]; }
  size_t bytes() const { return m_beams.size() * sizeof(PhotonBeam) + m_pieces.size() * sizeof(Piece); }

  /// Where a ray passes a beam.
  struct Meeting {
    uint32_t beam;
    float along;  ///< metres along the ray
    float behind; ///< metres along the beam
    float weight; ///< 1 / m: times power and what scatters per steradian and metre it is radiance. A kernel across both
                  ///< that integrates to 1 (Jarosz et al. 2011, "A comprehensive theory of volumetric radiance
                  ///< estimation using photon points and beams", eq. 38)
  };
  /// All meetings before `far`.
  void along(const V3f& origin, const V3f& direction, float far, std::vector<Meeting>& out) const;

 private:
  struct Piece { // long beams are cut, so that the boxes around them are small
    uint32_t beam;
    float from, to;
  };
  std::vector<PhotonBeam> m_beams;
  std::vector<float> m_radius;
  std::vector<Piece> m_pieces;
  EmbreeScene m_scene;
};

} // namespace ilumbra
