#include "core/color/view.h"

#include "core/base/error.h"

#include <OpenColorIO/OpenColorIO.h>
#include <cstdlib>
#include <sstream>

namespace ilumbra {
namespace OCIO = OCIO_NAMESPACE;

// The views are built from OpenColorIO's own ACES transforms: nothing but names stands here.
static const char* const shippedConfig = R"(ocio_profile_version: 2.1
environment: {}
search_path: ""
strictparsing: true
luma: [0.2126, 0.7152, 0.0722]
name: Ilumbra
description: Scene light in ACEScg, shown on an sRGB screen.
roles:
  default: ACEScg
  scene_linear: ACEScg
  aces_interchange: ACES2065-1
  cie_xyz_d65_interchange: CIE XYZ D65
  rendering: ACEScg
file_rules:
  - !<Rule> {name: Default, colorspace: ACEScg}
shared_views:
  - !<View> {name: ACES SDR, view_transform: ACES SDR, display_colorspace: <USE_DISPLAY_NAME>}
  - !<View> {name: Plain sRGB, view_transform: Plain, display_colorspace: <USE_DISPLAY_NAME>}
displays:
  sRGB:
    - !<Views> [ACES SDR, Plain sRGB]
active_displays: []
active_views: []
view_transforms:
  - !<ViewTransform>
    name: ACES SDR
    from_scene_reference: !<BuiltinTransform> {style: ACES-OUTPUT - ACES2065-1_to_CIE-XYZ-D65 - SDR-VIDEO_1.0}
  - !<ViewTransform>
    name: Plain
    from_scene_reference: !<BuiltinTransform> {style: UTILITY - ACES-AP0_to_CIE-XYZ-D65_BFD}
display_colorspaces:
  - !<ColorSpace>
    name: CIE XYZ D65
    isdata: false
  - !<ColorSpace>
    name: sRGB
    isdata: false
    from_display_reference: !<BuiltinTransform> {style: DISPLAY - CIE-XYZ-D65_to_sRGB}
colorspaces:
  - !<ColorSpace>
    name: ACES2065-1
    isdata: false
  - !<ColorSpace>
    name: ACEScg
    isdata: false
    to_scene_reference: !<BuiltinTransform> {style: ACEScg_to_ACES2065-1}
  - !<ColorSpace>
    name: Raw
    isdata: true
)";

struct ColorViews::Content {
  OCIO::ConstConfigRcPtr config;
  std::string display, source = "shipped";

  OCIO::ConstCPUProcessorRcPtr processor(const std::string& view) const {
    try {
      const auto transform = OCIO::DisplayViewTransform::Create();
      transform->setSrc(OCIO::ROLE_SCENE_LINEAR);
      transform->setDisplay(display.c_str());
      transform->setView(view.c_str());
      return config->getProcessor(transform)->getDefaultCPUProcessor();
    } catch (const OCIO::Exception& e) {
      throw badInput("the display view \"" + view + "\" cannot be used: " + e.what());
    }
  }
};

ColorViews::ColorViews() : m_content(std::make_unique<Content>()) {
  const char* environment = std::getenv("OCIO");
  try {
    if (environment && *environment) {
      m_content->source = environment;
      m_content->config = OCIO::Config::CreateFromFile(environment);
    } else {
      std::istringstream text(shippedConfig);
      m_content->config = OCIO::Config::CreateFromStream(text);
    }
    m_content->config->validate();
    m_content->display = m_content->config->getDefaultDisplay();
  } catch (const OCIO::Exception& e) {
    throw badInput("OCIO: " + m_content->source + ": " + e.what());
  }
}
ColorViews::~ColorViews() = default;

std::vector<std::string> ColorViews::views() const {
  std::vector<std::string> out;
  const auto& c = *m_content;
  for (int i = 0; i < c.config->getNumViews(c.display.c_str()); ++i) out.emplace_back(c.config->getView(c.display.c_str(), i));
  return out;
}

std::string ColorViews::source() const { return m_content->source; }

static std::string knownView(const ColorViews& views, const std::string& wanted) {
  // A document made with another configuration still shows: by the first view.
  const std::vector<std::string> all = views.views();
  return all.empty() || std::find(all.begin(), all.end(), wanted) != all.end() ? wanted : all.front();
}

std::vector<float> ColorViews::exact(const Picture& p, const std::string& view) const {
  std::vector<float> out = p.rgb;
  if (out.empty()) return out;
  OCIO::PackedImageDesc image(out.data(), p.width, p.height, 3);
  m_content->processor(knownView(*this, view))->apply(image);
  for (float& v : out) v = std::isfinite(v) ? clamp01(v) : 0.0f;
  return out;
}

namespace {

// Scene values from -0.02 on, logarithmic above a small toe, so that black and 2^14 both have their places.
constexpr float toe = 0.002f, lowest = -0.02f, highest = 16384;
const float low = std::log2(lowest + toe + 0.02f), high = std::log2(highest + toe + 0.02f);

float shape(float v) {
  const float l = std::log2(std::clamp(v, lowest, highest) + toe + 0.02f);
  return (l - low) / (high - low);
}
float unshape(float s) { return std::exp2(low + s * (high - low)) - toe - 0.02f; }

} // namespace

ViewTable::ViewTable(const ColorViews& views, const std::string& view) {
  Picture p(size * size, size);
  for (int b = 0; b < size; ++b)
    for (int g = 0; g < size; ++g)
      for (int r = 0; r < size; ++r) {
        float* o = p.at(g * size + r, b);
        o[0] = unshape(float(r) / (size - 1));
        o[1] = unshape(float(g) / (size - 1));
        o[2] = unshape(float(b) / (size - 1));
      }
  const std::vector<float> shown = views.exact(p, view);
  m_cube.resize(size_t(size) * size * size);
  for (size_t i = 0; i < m_cube.size(); ++i) m_cube[i] = {shown[3 * i], shown[3 * i + 1], shown[3 * i + 2]};
}

Color ViewTable::apply(const Color& scene) const {
  float f[3];
  int i[3];
  for (int c = 0; c < 3; ++c) {
    const float s = (std::isfinite(scene[c]) ? shape(scene[c]) : 0.0f) * (size - 1);
    i[c] = std::min(int(s), size - 2);
    f[c] = s - float(i[c]);
  }
  const auto at = [&](int r, int g, int b) -> const Color& { return m_cube[size_t(((i[2] + b) * size + i[1] + g) * size + i[0] + r)]; };
  const float r = f[0], g = f[1], b = f[2];
  const Color &c0 = at(0, 0, 0), &c1 = at(1, 1, 1);
  if (r >= g) {
    if (g >= b) return c0 * (1 - r) + at(1, 0, 0) * (r - g) + at(1, 1, 0) * (g - b) + c1 * b;
    if (r >= b) return c0 * (1 - r) + at(1, 0, 0) * (r - b) + at(1, 0, 1) * (b - g) + c1 * g;
    return c0 * (1 - b) + at(0, 0, 1) * (b - r) + at(1, 0, 1) * (r - g) + c1 * g;
  }
  if (b >= g) return c0 * (1 - b) + at(0, 0, 1) * (b - g) + at(0, 1, 1) * (g - r) + c1 * r;
  if (b >= r) return c0 * (1 - g) + at(0, 1, 0) * (g - b) + at(0, 1, 1) * (b - r) + c1 * r;
  return c0 * (1 - g) + at(0, 1, 0) * (g - r) + at(1, 1, 0) * (r - b) + c1 * b;
}

std::vector<uint8_t> ViewTable::apply(const Picture& p, const Tasks& tasks) const {
  std::vector<uint8_t> out(p.pixels() * 4);
  tasks.forEach(p.height, [&](int y) {
    uint8_t* o = out.data() + size_t(y) * size_t(p.width) * 4;
    for (int x = 0; x < p.width; ++x, o += 4) {
      const Color c = apply(p.color(x, y));
      for (int k = 0; k < 3; ++k) o[k] = uint8_t(clamp01(c[k]) * 255 + 0.5f);
      o[3] = 255;
    }
  });
  return out;
}

} // namespace ilumbra
