#include "core/base/colorspace.h"
#include "core/light/atmosphere.h"
#include "core/light/sky_map.h"
#include "core/light/sun_disc.h"

#include <limits>

namespace ilumbra {
namespace {

// The sky is charted; the disc of the sun is sampled by itself, as often as it lights level ground.
class Daylight : public SkyMap {
 public:
  Daylight(float height, float bearing, float turbidity, float diameter, bool disc, const Color& ground)
      : m_air(height, turbidity, clamp01(luminance(ground))), m_bearing(bearing / 360),
        m_sun(skyBody(height, bearing), diameter) {
    if (disc) m_disc = m_air.sun() * m_sun.radiance();
    const Color level = m_air.sun() * std::max(0.0f, skyBody(height, bearing).y) + m_air.skyIlluminance();
    m_ground = ground * level * (1 / pi);
    const float sun = disc ? luminance(m_air.sun()) : 0;
    m_share = sun > 0 ? sun / (sun + luminance(m_air.skyIlluminance())) : 0;
    m_level = std::max(1e-6f, luminance(level));
    chartSmooth(128, 64, [this](const V3f& d) { return sky(d); }); // the disc is sampled by itself
  }

  bool sample(const V3f& from, const V2f& u, LightSample& s) const override {
    if (u.x < m_share) {
      s.direction = m_sun.sample({u.x / m_share, u.y});
      s.distance = std::numeric_limits<float>::infinity();
    } else if (!SkyMap::sample(from, {std::min((u.x - m_share) / (1 - m_share), 0x1.fffffep-1f), u.y}, s)) {
      return false;
    }
    s.radiance = all(s.direction);
    s.pdf = pdf(from, s.direction, s.distance, s.direction);
    return s.pdf > 0 && !isBlack(s.radiance);
  }
  float pdf(const V3f& from, const V3f& d, float distance, const LightHit& hit) const override {
    return (inDisc(d) ? m_share * m_sun.pdf() : 0) + (1 - m_share) * SkyMap::pdf(from, d, distance, hit);
  }
  Color radiance(const V3f&, const V3f& d, const V3f&) const override { return all(d); }
  float illuminance() const override { return m_level; }

 private:
  Color all(const V3f& d) const { return inDisc(d) ? sky(d) + m_disc : sky(d); }
  Color sky(const V3f& d) const {
    if (d.y < 0) return m_ground;
    float away = std::abs(skyPlace(d).x - (m_bearing - std::floor(m_bearing)));
    away = std::min(away, 1 - away) * 360;
    return m_air.sky(std::asin(std::min(1.0f, d.y)) * 180 / pi, away);
  }
  bool inDisc(const V3f& d) const { return d.y >= 0 && m_sun.holds(d); }
  Atmosphere m_air;
  float m_bearing;
  SunDisc m_sun;
  float m_share = 0, m_level = 1;
  Color m_disc{0.0f}, m_ground{0.0f};
};

} // namespace

LightKind daylight() {
  return {{.id = "light.daylight",
           .label = "Sun and sky",
           .helpText =
               "Real daylight: the sun through clear or hazy air, the sky that it makes, and the ground it falls on.",
           .params = join({lightParams("Strength", "%", 1, 4),
                           {number("height", "Sun height", "°", 35)
                                .soft(-6, 90)
                                .range(-18, 90)
                                .at(Invalidation::Shading)
                                .matters()
                                .in("Sky")
                                .help("Above the horizon; below it is dusk"),
                            number("bearing", "Sun bearing", "°", 30)
                                .soft(-180, 180)
                                .at(Invalidation::Shading)
                                .matters()
                                .in("Sky")
                                .help("Around the vertical: 0 shines from behind the scene, towards +z"),
                            number("turbidity", "Turbidity", "", 2.5)
                                .soft(1, 10)
                                .range(1, 30)
                                .at(Invalidation::Shading)
                                .matters()
                                .in("Sky")
                                .help("1 is air alone, 2.5 a clear day, 10 haze"),
                            flag("sun", "Sun's disc", true)
                                .at(Invalidation::Shading)
                                .in("Sky")
                                .help("Off: the sky without the sun itself"),
                            number("diameter", "Sun's diameter", "°", 0.53)
                                .soft(0.1, 10)
                                .range(0.01, 90)
                                .log()
                                .at(Invalidation::Shading)
                                .in("Sky")
                                .help("Softness of its shadows; the real one has 0.53°. Its light stays the same"),
                            color("ground", "Ground", {0.15, 0.14, 0.13})
                                .soft(0, 1)
                                .at(Invalidation::Shading)
                                .in("Sky")
                                .help("Reflectance of the land below the horizon")}}),
           .existence = Invalidation::Placement},
          [](const Params& p, const M44f&, const Assets&) {
            return std::make_unique<Daylight>(p.real("height"), p.real("bearing"), p.real("turbidity"),
                                              p.real("diameter"), p.flag("sun"), working(p.triple("ground")));
          }};
}

} // namespace ilumbra
