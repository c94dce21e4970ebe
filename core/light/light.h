#pragma once
#include "core/base/sampling.h"
#include "core/geometry/convex.h"
#include "core/geometry/shape.h"
#include "core/pattern/program.h"

#include <limits>

namespace ilumbra {

/// A point on a light as seen from where light is gathered.
struct LightSample {
  V3f direction;      ///< unit, towards the light
  float distance = 0; ///< infinite for a sky
  Color radiance;     ///< for unit power, before occlusion
  float pdf = 0;      ///< per solid angle; infinite for a point without size (then `radiance` is intensity / d²)
};

/// Where a ray met a light.
struct LightHit {
  LightHit(const V3f& n) : normal(n) {} // NOLINT: most lights ask for no more
  LightHit(const V3f& n, uint32_t t, float a, float b) : normal(n), triangle(t), u(a), v(b) {}
  V3f normal;            ///< unit, outwards
  uint32_t triangle = 0; ///< of its mesh
  float u = 0, v = 0;    ///< barycentric, of the triangle's second and third corner
};

/// Where a light is and whither it shines, for choosing among lights. Conservative: where it says that nothing arrives,
/// nothing does.
struct LightReach {
  V3f centre{0.0f};
  float radius = 0;                                     ///< of a ball that holds the light, metres
  V3f axis{0, 0, 1};                                    ///< unit: middle of its normals
  float spread = pi;                                    ///< radians that its normals stray from the axis
  float fall = 0.5f * pi;                               ///< radians from its normals within which it shines
  float flux = 1;                                       ///< rough lumens at unit power
  float range = std::numeric_limits<float>::infinity(); ///< metres from the light beyond which nothing arrives
};

/// The compiled shape of a light, at unit power in white. Its power and colour are the weight of its light group and
/// may change without tracing a ray.
class Light {
 public:
  virtual ~Light() = default;
  /// A point of the light as seen from a place; u in [0, 1)². False: nothing of it arrives there.
  virtual bool sample(const V3f& from, const V2f& u, LightSample& s) const = 0;
  /// Density of sample() for a ray that meets the light (or, a sky, leaves the scene) along `direction`.
  virtual float pdf(const V3f& from, const V3f& direction, float distance, const LightHit& hit) const = 0;
  /// Radiance towards a viewer who looks along `direction` and meets it in the world's place `at` (of no meaning far
  /// away) with outward `normal`.
  virtual Color radiance(const V3f& at, const V3f& direction, const V3f& normal) const = 0;
  /// What a pattern on its light is asked about light that leaves a place of the world along `away`; `toLight` leads to
  /// its own space. Here, of what shines from a middle: that of the unit ball about it, and the round map of
  /// directions; of what is far away, the place of the sky that it comes from.
  virtual PatternPoint patternPoint(const V3f& at, const V3f& away, const M44f& toLight) const;
  /// A shape in light space that rays may meet, or null.
  virtual const Shape* shape() const { return nullptr; }
  virtual bool infinite() const { return false; }
  /// Of a light far away: a ball as far off and as wide as it is seen, or with an infinite radius where it comes from
  /// all sides.
  virtual LightReach reach() const { return {.radius = infinite() ? std::numeric_limits<float>::infinity() : 0}; }
  /// The places that it lights, if it does not shine everywhere; null: it may. Conservative.
  virtual const Convex* lit() const { return nullptr; }
  /// Rough illuminance that an infinite light gives at unit power, lux.
  virtual float illuminance() const { return 1; }
};

/// What a light can be in files of models: the punctual lights of glTF (KHR_lights_punctual).
enum class Punctual { None, Point, Spot, Sun };

/// A kind of light: its table, how it is compiled, and what it is elsewhere. `world` is where what carries it stands;
/// build() throws BadInput for parameters or files that make no light.
struct LightKind {
  Kind kind;
  std::function<std::unique_ptr<Light>(const Params&, const M44f& world, const Assets&)> build;
  Punctual punctual = Punctual::None;
};
/// Every light. A new one is a file in this folder and a line here.
std::vector<LightKind> allLights();
/// The kind of a light; null for what is none.
const LightKind* lightKind(const Node& node);

/// Parameters that every light has; `unit` is what its power is stated in.
std::vector<ParamDef> lightParams(const char* powerLabel, const char* unit, double power, double softMost);
/// How far a light at finite distance reaches, metres; 0: everywhere.
ParamDef rangeParam();
/// What comes of a light with this range (infinite: all) at a distance: 1 near it, falling smoothly to 0 at the range.
float rangeShare(float distance, float range);
/// What a light's unit pictures are multiplied by: power × 2^stops × level × colour or temperature (luminance 1), in
/// the working space; zero when it is off.
Color lightAmount(const Document& doc, const Node& light, double frame);
/// What is put before a light; null: nothing that takes any of it away. Throws BadInput where its pattern cannot be
/// made.
std::shared_ptr<const Program> gelOf(const Document& doc, const Params& light, const Assets& assets);
/// The light as its gel leaves it. `world`: of what carries it.
std::unique_ptr<Light> throughGel(std::unique_ptr<Light> light, std::shared_ptr<const Program> gel,
                                  const Params& params, const M44f& world);
/// Position and aim, for lights that point somewhere, and the camera.
std::vector<ParamDef> aimParams(Triple position, Triple target);

} // namespace ilumbra
