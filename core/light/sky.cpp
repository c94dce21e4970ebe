#include "core/base/colorspace.h"
#include "core/light/light.h"

#include <limits>

namespace ilumbra {
namespace {

class ConstantSky : public Light {
public:
  bool sample(const V3f&, const V2f& u, LightSample& s) const override {
    s.direction = sampleUniformSphere(u);
    s.distance = std::numeric_limits<float>::infinity();
    s.radiance = Color(1.0f);
    s.density = 1 / (4 * pi);
    return true;
  }
  float density(const V3f&, const V3f&, float, const V3f&) const override { return 1 / (4 * pi); }
  Color radiance(const V3f&, const V3f&) const override { return Color(1.0f); }
  bool infinite() const override { return true; }
  float illuminance() const override { return pi; }
};

// An equirectangular picture: u runs once around, v from the nadir to the zenith.
class ImageSky : public Light {
public:
  ImageSky(std::shared_ptr<const Image> image, float turnDegrees) : m_image(std::move(image)), m_turn(turnDegrees / 360) {
    // The sampling map is at most 512 cells wide, each as bright as its brightest corner, so that no texel is missed.
    m_width = std::min(m_image->width(), 512);
    m_height = std::min(m_image->height(), 256);
    std::vector<float> weights(size_t(m_width) * size_t(m_height));
    double sum = 0;
    for (int y = 0; y < m_height; ++y) {
      const float sine = std::sin(pi * (float(y) + 0.5f) / float(m_height));
      for (int x = 0; x < m_width; ++x) {
        float most = 0;
        const int x0 = x * m_image->width() / m_width, x1 = std::max(x0 + 1, (x + 1) * m_image->width() / m_width);
        const int y0 = y * m_image->height() / m_height, y1 = std::max(y0 + 1, (y + 1) * m_image->height() / m_height);
        // Bilinear lookup reaches one texel beyond the cell.
        for (int j = std::max(0, y0 - 1); j < std::min(m_image->height(), y1 + 1); ++j)
          for (int i = x0 - 1; i < x1 + 1; ++i)
            most = std::max(most, luminance(color(m_image->texel((i + m_image->width()) % m_image->width(), j, true))));
        weights[size_t(y) * size_t(m_width) + size_t(x)] = (most + 1e-6f) * sine;
        sum += double(most * sine);
      }
    }
    m_mean = float(sum * pi * pi * 2 / (double(m_width) * m_height));
    m_cells = Distribution(weights);
  }

  bool sample(const V3f&, const V2f& u, LightSample& s) const override {
    float first = u.x, p;
    const size_t cell = m_cells.sample(first, p);
    const float x = (float(cell % size_t(m_width)) + first) / float(m_width);
    const float y = (float(cell / size_t(m_width)) + u.y) / float(m_height);
    const float theta = pi * y, phi = 2 * pi * (x - m_turn), sine = std::sin(theta);
    if (sine <= 0) return false;
    s.direction = {sine * std::sin(phi), std::cos(theta), -sine * std::cos(phi)};
    s.distance = std::numeric_limits<float>::infinity();
    s.density = p * float(m_width) * float(m_height) / (2 * pi * pi * sine);
    s.radiance = color(m_image->lookup(x, 1 - y, true));
    return s.density > 0;
  }
  float density(const V3f&, const V3f& d, float, const V3f&) const override {
    float x, y;
    place(d, x, y);
    const float sine = std::sin(pi * y);
    if (sine <= 1e-6f) return 0;
    const size_t i = std::min(size_t(x * float(m_width)), size_t(m_width) - 1), j = std::min(size_t(y * float(m_height)), size_t(m_height) - 1);
    return m_cells.probability(j * size_t(m_width) + i) * float(m_width) * float(m_height) / (2 * pi * pi * sine);
  }
  Color radiance(const V3f& d, const V3f&) const override {
    float x, y;
    place(d, x, y);
    return color(m_image->lookup(x, 1 - y, true));
  }
  bool infinite() const override { return true; }
  float illuminance() const override { return std::max(m_mean, 1e-6f); }

private:
  static Color color(const Imath::Vec4<float>& t) { return acescgFrom709({t.x, t.y, t.z}); }
  void place(const V3f& d, float& x, float& y) const {
    x = std::atan2(d.x, -d.z) / (2 * pi) + m_turn;
    x -= std::floor(x);
    y = std::acos(std::clamp(d.y, -1.0f, 1.0f)) / pi;
  }
  std::shared_ptr<const Image> m_image;
  Distribution m_cells;
  int m_width, m_height;
  float m_turn, m_mean;
};

} // namespace

LightKind skyLight() {
  return {{.id = "light.sky",
           .label = "Sky",
           .helpText = "Light from all around: one colour, or an equirectangular picture.",
           .params = join({lightParams("Luminance", "cd/m²", 1000, 20000),
                           {file("image", "Picture").at(Stage::Shading).help("Equirectangular; its value 1 has the luminance above"),
                            number("turn", "Turn", "°", 0).soft(-180, 180).at(Stage::Shading).help("Turns the picture about the vertical")}}),
           .existence = Stage::Placement},
          [](const Params& p, const M44f&, const Assets& assets) -> std::unique_ptr<Light> {
            const std::string name = p.text("image");
            if (name.empty()) return std::make_unique<ConstantSky>();
            return std::make_unique<ImageSky>(assets.image(name, -1), p.real("turn"));
          }};
}

} // namespace ilumbra
