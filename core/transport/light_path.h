#pragma once
#include "core/base/sampling.h"
#include "core/scene/scene.h"
#include "core/scene/trace_count.h"

namespace ilumbra {

struct PathState;

/// Where light of a lamp meets a surface that scatters it.
struct Landing {
  V3f place, from, facing;     ///< `from`: whence it came; `facing`: geometric normal on that side; units
  Color carried;               ///< share of the power that has come here
  uint16_t first = noMaterial; ///< thing that mirrored or passed it first; noMaterial: none has
  uint16_t thing = 0;
  uint16_t takenBy = 0;  ///< thing whose link to the lamp counts
  float firstWay = 0;    ///< metres from the lamp to the first thing
  float lastWay = 0;     ///< metres from the last of such things
  uint32_t surfaces = 0; ///< of such things that it has met
  bool mirrored = false; ///< by the first of them; otherwise it was let through
  bool narrow = false;   ///< the surface sends it on, nearly as a mirror or clear glass does
};
/// A stretch of air that light runs through, from one surface to the next.
struct Passage {
  V3f begin, direction;
  float length = 0;  ///< metres; may be infinite
  NodeId within = 0; ///< the clear body that it runs in; 0: in the open
  Landing at;        ///< what is known at its begin; it is there and comes from nowhere
};
/// Takes photons as they are traced, or where sight goes: rays of the camera that run as photons do.
class PhotonSink {
 public:
  virtual ~PhotonSink() = default;
  /// True if light that this thing mirrors or passes first is followed.
  virtual bool meets(uint16_t thing) = 0;
  virtual void land(const Landing& landing) = 0;
  /// Only where `wantsAir`, and after the first mirror or clear thing.
  virtual void pass(const Passage&) {}
  bool wantsAir = false;
  /// The ray is the camera's: it meets what the camera sees, lamps too, radiance is what it carries, it is told where
  /// it leaves the set, and things that follows() names pass and mirror it with all their lobes but the matte ones.
  bool sight = false;
  virtual bool follows(uint16_t) { return false; }
  /// Of sight: out of the set, from a place on a thing or in the open (thing: noMaterial).
  virtual void leave(const Landing&) {}
  float least = 0; ///< share of its power below which light is not followed
};
/// Light from a lamp on its way, over mirrors and clear things, until a surface that is neither scatters it, and on
/// from there only as that surface mirrors it too. `time` in the shutter; `sampler` and `seed`: of the chances it
/// takes.
void tracePhoton(const Scene& scene, const Ray& start, float time, const Sampler& sampler, uint32_t seed,
                 PhotonSink& sink, TraceCount& count);

/// Where a photon is: on a thing, or in the air (thing: noMaterial).
Landing landingOf(const PathState& path, const V3f& place, const V3f& facing, uint16_t thing, bool narrow);

} // namespace ilumbra
