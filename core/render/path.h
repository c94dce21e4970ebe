#pragma once
#include "core/base/sampling.h"
#include "core/render/film.h"
#include "core/render/scene.h"

namespace ilumbra {

/// What one thread counted while tracing.
struct TraceCount {
  uint64_t rays = 0; ///< all, shadow rays included
  uint64_t paths = 0;
  uint64_t dropped = 0; ///< contributions that were not finite
  uint64_t limited = 0; ///< contributions cut by the firefly limit
};

/// Rays as they were traced, for measuring: what share of the time is traversal.
struct RayLog {
  struct Entry {
    V3f origin, direction;
    float near, far;
    bool shadow; ///< only asked whether anything is there
    RTCSceneTy* in;
  };
  std::vector<Entry> rays;
};

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
/// Takes photons as they are traced.
class PhotonSink {
 public:
  virtual ~PhotonSink() = default;
  /// True if light that this thing mirrors or passes first is followed.
  virtual bool meets(uint16_t thing) = 0;
  virtual void land(const Landing& landing) = 0;
  /// Only where `wantsAir`, and after the first mirror or clear thing.
  virtual void pass(const Passage&) {}
  bool wantsAir = false;
  float least = 0; ///< share of its power below which light is not followed
};
/// Light from a lamp on its way, over mirrors and clear things, until a surface that is neither scatters it, and on
/// from there only as that surface mirrors it too. `time` in the shutter; `sampler` and `seed`: of the chances it
/// takes.
void tracePhoton(const Scene& scene, const Ray& start, float time, const Sampler& sampler, uint32_t seed,
                 PhotonSink& sink, TraceCount& count);

class PhotonMap;

/// Unidirectional path tracing with next-event estimation and multiple importance sampling (Veach 1997). Traces one
/// sample of one pixel into the film.
class PathTracer {
 public:
  /// `step`: the film's pixels are this many of the picture's pixels wide and high. `draft`: light that lamps give
  /// directly, also as mirrors and clear things show it, and no more: for the first blink of a picture.
  /// `photons`: of the samples' pass, where the scene has caustics; null: paths find all light.
  /// `whole`: clear things do not disperse light, for pictures of few samples.
  /// `margin`: the film begins that many of its pixels to the left of and above the frame.
  explicit PathTracer(const Scene& scene, int step = 1, bool draft = false, const PhotonMap* photons = nullptr,
                      int margin = 0, bool whole = false)
      : m_scene(scene), m_step(float(step)), m_margin(margin), m_draft(draft), m_whole(whole), m_photons(photons) {}
  void sample(Film& film, int x, int y, uint32_t index, TraceCount& count, RayLog* log = nullptr) const;
  /// One sample each of n pixels in a row, the camera's rays eight at a time.
  void sampleRow(Film& film, int x, int y, int n, uint32_t index, TraceCount& count) const;

 private:
  const Scene& m_scene;
  float m_step;
  int m_margin;
  bool m_draft, m_whole;
  const PhotonMap* m_photons;
};

/// The object or lamp seen at a place of the picture, given in pixels; `skip` counts what lies in front and is passed.
/// Returns the node, or 0, and the point.
NodeId pick(const Scene& scene, float x, float y, int skip, V3f& point, uint32_t* copy = nullptr);

} // namespace ilumbra
