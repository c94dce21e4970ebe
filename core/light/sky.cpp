#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/light/sky_map.h"
#include "core/pattern/image.h"

#include <limits>

namespace ilumbra {
namespace {

class EvenSky : public Light {
 public:
  bool sample(const V3f&, const V2f& u, LightSample& s) const override {
    s.direction = sampleUniformSphere(u);
    s.distance = std::numeric_limits<float>::infinity();
    s.radiance = Color(1.0f);
    s.pdf = 1 / (4 * pi);
    return true;
  }
  float pdf(const V3f&, const V3f&, float, const LightHit&) const override { return 1 / (4 * pi); }
  Color radiance(const V3f&, const V3f&, const V3f&) const override { return Color(1.0f); }
  bool infinite() const override { return true; }
  float illuminance() const override { return pi; }
};

// Smooth between the horizon and the zenith, by the root of the elevation's sine, and below it into the ground.
class GradientSky : public SkyMap {
 public:
  GradientSky(const Color& zenith, const Color& horizon, const Color& ground, float blur)
      : m_zenith(zenith), m_horizon(horizon), m_ground(ground), m_blur(std::max(blur, 1e-3f)) {
    chartSmooth(8, 180, [this](const V3f& d) { return radiance(d, d, d); });
  }
  Color radiance(const V3f&, const V3f& d, const V3f&) const override {
    const float t = d.y >= 0 ? std::sqrt(clamp01(d.y)) : clamp01(-d.y / std::sin(m_blur));
    return mix(m_horizon, d.y >= 0 ? m_zenith : m_ground, smoothstep(t));
  }

 private:
  Color m_zenith, m_horizon, m_ground;
  float m_blur;
};

// An equirectangular picture: u runs once around, v from the nadir to the zenith.
class ImageSky : public SkyMap {
 public:
  ImageSky(std::shared_ptr<const Image> image, float turnDegrees)
      : m_image(std::move(image)), m_turn(turnDegrees / 360) {
    // The sampling map is at most 512 cells wide, each as bright as its brightest corner, so that no texel is missed.
    // It turns with the picture by whole cells; the rest is the brightest of both.
    const int width = std::min(m_image->width(), 512), height = std::min(m_image->height(), 256);
    const int w = m_image->width(), h = m_image->height();
    chart(width, height, [&](int x, int y) {
      float most = 1e-6f;
      const int x0 = int(std::floor((float(x) / float(width) + m_turn) * float(w))),
                x1 = int(std::ceil((float(x + 1) / float(width) + m_turn) * float(w)));
      const int y0 = y * h / height, y1 = std::max(y0 + 1, (y + 1) * h / height);
      // Bilinear lookup reaches one texel beyond the cell.
      for (int j = std::max(0, y0 - 1); j < std::min(h, y1 + 1); ++j)
        for (int i = x0 - 1; i < x1 + 1; ++i)
          most = std::max(most, luminance(color(m_image->texel(((i % w) + w) % w, j, true))));
      return most;
    });
  }
  Color radiance(const V3f&, const V3f& d, const V3f&) const override {
    const V2f p = skyPlace(d);
    return color(m_image->lookup(p.x + m_turn, 1 - p.y, true));
  }

 private:
  static Color color(const Imath::Vec4<float>& t) { return acescgFrom709({t.x, t.y, t.z}); }
  std::shared_ptr<const Image> m_image;
  float m_turn;
};

} // namespace

LightKind skyLight() {
  return {{.id = "light.sky",
           .label = "Sky",
           .helpText = "Light from all around: one colour, a gradient, or an equirectangular picture.",
           .params = join({lightParams("Luminance", "cd/m²", 1000, 20000),
                           {choice("form", "Form", {"even", "gradient", "picture"})
                                .at(Invalidation::Shading)
                                .matters()
                                .in("Sky")
                                .help("One colour all around, three colours from above to below, or a picture"),
                            color("zenith", "Zenith", {0.18, 0.36, 0.85})
                                .soft(0, 1)
                                .at(Invalidation::Shading)
                                .in("Sky")
                                .help("Of a gradient, straight up; 1 has the luminance above"),
                            color("horizon", "Horizon", {0.85, 0.9, 1})
                                .soft(0, 1)
                                .at(Invalidation::Shading)
                                .in("Sky")
                                .help("Of a gradient, all around"),
                            color("ground", "Below", {0.12, 0.1, 0.09})
                                .soft(0, 1)
                                .at(Invalidation::Shading)
                                .in("Sky")
                                .help("Of a gradient, under the horizon"),
                            number("blur", "Horizon's blur", "°", 8)
                                .soft(0.1, 60)
                                .range(0, 90)
                                .at(Invalidation::Shading)
                                .in("Sky")
                                .help("Of a gradient: how far below it the ground is reached"),
                            file("image", "Picture")
                                .at(Invalidation::Shading)
                                .in("Sky")
                                .help("Equirectangular; its value 1 has the luminance above"),
                            number("turn", "Turn", "°", 0)
                                .soft(-180, 180)
                                .at(Invalidation::Shading)
                                .in("Sky")
                                .help("Turns the picture about the vertical")}}),
           .existence = Invalidation::Placement},
          [](const Params& p, const M44f&, const Assets& assets) -> std::unique_ptr<Light> {
            const std::string form = p.text("form");
            if (form == "gradient")
              return std::make_unique<GradientSky>(working(p.triple("zenith")), working(p.triple("horizon")),
                                                   working(p.triple("ground")), p.real("blur") * pi / 180);
            if (form == "picture") {
              const std::string name = p.text("image");
              if (name.empty()) throw badInput("shows a picture, but none is chosen");
              return std::make_unique<ImageSky>(assets.image(name, -1), p.real("turn"));
            }
            return std::make_unique<EvenSky>();
          }};
}

} // namespace ilumbra
