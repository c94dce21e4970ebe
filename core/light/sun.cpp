#include "core/light/light.h"
#include "core/light/sun_disc.h"

#include <limits>

namespace ilumbra {
namespace {

// Unit power is 1 lux on a surface that faces it.
class SunLight : public Light {
 public:
  SunLight(const V3f& towards, float diameter)
      : m_disc(towards, diameter), m_towards(towards), m_half(0.5f * diameter * pi / 180) {}
  bool sample(const V3f&, const V2f& u, LightSample& s) const override {
    s.direction = m_disc.sample(u);
    s.distance = std::numeric_limits<float>::infinity();
    s.pdf = m_disc.pdf();
    s.radiance = Color(m_disc.radiance());
    return true;
  }
  float pdf(const V3f&, const V3f& d, float, const LightHit&) const override {
    return m_disc.holds(d) ? m_disc.pdf() : 0;
  }
  Color radiance(const V3f&, const V3f& d, const V3f&) const override {
    return Color(m_disc.holds(d) ? m_disc.radiance() : 0.0f);
  }
  bool infinite() const override { return true; }
  LightReach reach() const override {
    return {.centre = m_towards * 1e6f, .radius = 1e6f * std::sin(std::min(m_half, 1.5f))};
  }

 private:
  SunDisc m_disc;
  V3f m_towards;
  float m_half;
};

} // namespace

LightKind sunLight() {
  return {{.id = "light.sun",
           .label = "Sun",
           .helpText = "Parallel light from far away, with the softness of a disc in the sky.",
           .params = join({lightParams("Illuminance", "lx", 20000, 130000),
                           {number("height", "Height", "°", 45)
                                .soft(-10, 90)
                                .range(-90, 90)
                                .at(Invalidation::Placement)
                                .matters()
                                .in("Placement")
                                .help("Above the horizon"),
                            number("bearing", "Bearing", "°", 30)
                                .soft(-180, 180)
                                .at(Invalidation::Placement)
                                .matters()
                                .in("Placement")
                                .help("Around the vertical: 0 shines from behind the scene, towards +z"),
                            number("diameter", "Angular diameter", "°", 0.53)
                                .soft(0.1, 10)
                                .range(0, 90)
                                .log()
                                .at(Invalidation::Placement)
                                .in("Placement")
                                .help("Softness of its shadows; the sun has 0.53°")}}),
           .existence = Invalidation::Placement},
          [](const Params& p, const M44f& world, const Assets&) {
            return std::make_unique<SunLight>(
                normalize(transformVector(world, skyBody(p.real("height"), p.real("bearing")))), p.real("diameter"));
          },
          Punctual::Sun};
}

} // namespace ilumbra
