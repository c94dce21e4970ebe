#pragma once
#include "core/surface/bsdf.h"
#include "core/transport/path_state.h"

namespace ilumbra {

/// Light of lamps that one surface bounces onto another, found from the lamp's side: a ray of the lamp lands somewhere,
/// and from there the point that the camera looks at is asked for (bidirectional path tracing with one bounce of the
/// light, Veach 1997, 10.2). What lies close to a lamp is bright and small, so that paths from the camera seldom meet
/// it. Either way of finding a landing place counts by a share that depends on the three points and the lamp alone, so
/// that together they are whole.

/// True if the scene has lamps whose rays are worth tracing, few enough to choose among.
bool hasLampRays(const Scene& scene);
/// True if a point that has been shaded as said may be reached so: the same for all who ask.
bool bouncesLampLight(const PathState& path, const Hit& hit, const Bsdf& s);

/// A ray of a lamp, and where it lands.
struct LampLanding {
  const Emitter* lamp = nullptr;
  V3f from; ///< on the lamp
  Hit hit;
  LightSample sample; ///< as the landing place has it: direction, distance, radiance
  float density = 0;  ///< of such rays, by the measure in which the radiance is one, with the lamp's choice in it
};

/// For light that comes to `point` over other surfaces. False: it lands nowhere that counts.
bool traceLampRay(PathState& path, const V3f& point, LampLanding& out);

/// The share of a landing place `at` that lamp rays have, the rest is that of paths from `point`, which find it with
/// `density` (per area); `normal` is the geometric one there, either side.
float lampRayShare(const Scene& scene, const Emitter& lamp, const V3f& point, const V3f& at, const V3f& normal,
                   const V3f& onLamp, float density);
/// The same of the lamp's place `onLamp` for the path's own landing; 0 where it has none.
inline float lampRayShare(const PathState& path, const Emitter& lamp, const V3f& onLamp) {
  const SharedBounce& l = path.shared;
  return l.landed ? lampRayShare(path.scene, lamp, l.from, l.at, l.normal, onLamp, l.density) : 0;
}

} // namespace ilumbra
