#include "core/display/view.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/base/hash.h"

#include <bit>
#include <cstdlib>
#include <cstring>
#include <OpenColorIO/OpenColorIO.h>
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
  for (int i = 0; i < c.config->getNumViews(c.display.c_str()); ++i)
    out.emplace_back(c.config->getView(c.display.c_str(), i));
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

static float ditherOf(uint32_t h) { return (float(int(h & 0xffff)) + float(int(h >> 16))) / 65536.0f - 1; }

float ditherAt(int x, int y, int c) { return ditherOf(mixBits(uint32_t(x) * 3u + uint32_t(c) + mixBits(uint32_t(y)))); }

namespace {

// Signed and logarithmic but for a hundredth around 0.
constexpr float straight = 0.01f, lowest = -1, highest = 256;
const float low = std::asinh(lowest / straight), high = std::asinh(highest / straight);

float shape(float v) {
  // asinh by a fast logarithm; odd in v.
  const float a = std::abs(v) / straight, l = std::copysign(std::log(a + std::sqrt(a * a + 1)), v);
  return (l - low) / (high - low);
}
// The same within 1e-6, for many numbers side by side: the logarithm by its exponent, and of the rest, about 1, by the
// series of the area tangent, ln m = 2 artanh((m − 1) / (m + 1)).
inline float shapeQuickly(float v) {
  const float a = std::min(std::abs(v), 2 * highest) / straight, x = a + std::sqrt(a * a + 1);
  const auto bits = std::bit_cast<int32_t>(x);
  const int32_t e = (bits - 0x3f3504f3) >> 23; // so that the rest lies between √½ and √2
  const float m = std::bit_cast<float>(bits - (e << 23)), t = (m - 1) / (m + 1), t2 = t * t;
  const float l =
      float(e) * 0.69314718f + 2 * t * (1 + t2 * (1.0f / 3 + t2 * (1.0f / 5 + t2 * (1.0f / 7 + t2 * (1.0f / 9)))));
  return std::clamp((std::copysign(l, v) - low) / (high - low), 0.0f, 1.0f);
}
inline bool within(float r, float g, float b) {
  return r >= lowest && r <= highest && g >= lowest && g <= highest && b >= lowest && b <= highest;
}
float unshape(float s) { return straight * std::sinh(low + s * (high - low)); }

// At fractions of a cell, by the corners of the tetrahedron that they lie in: from the first along the axis of the
// largest fraction, then along the next. Without a branch that the processor would have to guess.
template <int side> Color inCell(const Color* corner, float r, float g, float b) {
  constexpr int dr = 1, dg = side, db = side * side;
  const float more = std::max(r, g), less = std::min(r, g);
  const int first = more >= b ? (r >= g ? dr : dg) : db, last = less <= b ? (r >= g ? dg : dr) : db;
  const float most = std::max(more, b), least = std::min(less, b), middle = std::max(less, std::min(more, b));
  return corner[0] * (1 - most) + corner[first] * (most - middle) + corner[dr + dg + db - last] * (middle - least) +
         corner[dr + dg + db] * least;
}

} // namespace

ViewTable::~ViewTable() = default;

ViewTable::ViewTable(const ColorViews& views, const std::string& view, const Tasks& tasks) {
  const auto processor = views.m_content->processor(knownView(views, view));
  m_exact = [processor](float* rgb, long pixels) {
    if (pixels <= 0) return;
    OCIO::PackedImageDesc image(rgb, pixels, 1, 3);
    processor->apply(image);
    for (long i = 0; i < 3 * pixels; ++i) rgb[i] = std::isfinite(rgb[i]) ? clamp01(rgb[i]) : 0.0f;
  };
  const auto put = [](float* o, const Color& rec709) {
    const Color c = acescgFrom709(rec709);
    o[0] = c.x;
    o[1] = c.y;
    o[2] = c.z;
  };
  std::vector<float> node(size), mid(3 * (size - 1));
  for (int i = 0; i < size; ++i) node[size_t(i)] = unshape(float(i) / (size - 1));
  // Thirds of a cell, where the tetrahedra have their middles.
  for (int i = 0; i < size - 1; ++i)
    for (int k = 0; k < 3; ++k) mid[size_t(3 * i + k)] = unshape((float(i) + 0.25f * float(k + 1)) / (size - 1));
  m_cube.resize(size_t(size) * size * size);
  tasks.forEach(size, [&](int b) {
    std::vector<float> plane(size_t(size) * size * 3);
    for (int g = 0; g < size; ++g)
      for (int r = 0; r < size; ++r)
        put(&plane[3 * size_t(g * size + r)], {node[size_t(r)], node[size_t(g)], node[size_t(b)]});
    m_exact(plane.data(), size * size);
    for (size_t i = 0; i < size_t(size) * size; ++i)
      m_cube[size_t(b) * size * size + i] = {plane[3 * i], plane[3 * i + 1], plane[3 * i + 2]};
  });
  constexpr int cells = size - 1;
  m_exactCell.assign(size_t(cells) * cells * cells, 0);
  // The middle of each of the six tetrahedra: fractions 1/4, 1/2 and 3/4 in every order.
  static constexpr int orders[6][3] = {{0, 1, 2}, {0, 2, 1}, {1, 0, 2}, {1, 2, 0}, {2, 0, 1}, {2, 1, 0}};
  tasks.forEach(cells, [&](int b) {
    std::vector<float> points(size_t(cells) * cells * 18);
    for (int g = 0; g < cells; ++g)
      for (int r = 0; r < cells; ++r)
        for (int k = 0; k < 6; ++k)
          put(&points[3 * size_t((g * cells + r) * 6 + k)],
              {mid[size_t(3 * r + orders[k][0])], mid[size_t(3 * g + orders[k][1])],
               mid[size_t(3 * b + orders[k][2])]});
    m_exact(points.data(), long(cells) * cells * 6);
    for (int g = 0; g < cells; ++g)
      for (int r = 0; r < cells; ++r) {
        float worst = 0;
        for (int k = 0; k < 6; ++k) {
          const Color c = inCell<size>(&m_cube[size_t((b * size + g) * size + r)], 0.25f * float(orders[k][0] + 1),
                                       0.25f * float(orders[k][1] + 1), 0.25f * float(orders[k][2] + 1));
          for (int j = 0; j < 3; ++j)
            worst = std::max(worst, std::abs(c[j] - points[3 * size_t((g * cells + r) * 6 + k) + size_t(j)]));
        }
        if (worst > 0.35f / 255) m_exactCell[size_t((b * cells + g) * cells + r)] = 1;
      }
  });
}

double ViewTable::exactShare() const {
  return double(std::count(m_exactCell.begin(), m_exactCell.end(), 1)) / double(m_exactCell.size());
}

inline bool ViewTable::tableAt(float r, float g, float b, bool quick, Color& shown) const {
  const int i = std::min(int(r), size - 2), j = std::min(int(g), size - 2), k = std::min(int(b), size - 2);
  if (!quick && m_exactCell[size_t((k * (size - 1) + j) * (size - 1) + i)]) return false;
  shown = inCell<size>(&m_cube[size_t((k * size + j) * size + i)], r - float(i), g - float(j), b - float(k));
  return true;
}

Color ViewTable::apply(const Color& scene) const {
  const Color v = rec709FromAcescg(scene);
  const auto place = [](float x) { return std::clamp(shape(x), 0.0f, 1.0f) * (size - 1); };
  if (Color c; within(v.x, v.y, v.z) && tableAt(place(v.x), place(v.y), place(v.z), false, c)) return c;
  float rgb[3] = {scene.x, scene.y, scene.z};
  m_exact(rgb, 1);
  return {rgb[0], rgb[1], rgb[2]};
}

std::vector<uint8_t> ViewTable::apply(const Picture& p, const Tasks& tasks, float gain, bool quick) const {
  std::vector<uint8_t> out(p.pixels() * 4);
  constexpr int band = 8;
  const auto width = size_t(p.width);
  tasks.forEach((p.height + band - 1) / band, [&](int k) {
    const int y0 = k * band, y1 = std::min(p.height, y0 + band);
    std::vector<float> exact;
    std::vector<size_t> where;
    // A row at a time, channel by channel, so that all but the table's places is done for many pixels at once.
    std::vector<float> row(6 * width);
    std::vector<uint32_t> packed(width);
    float *const r = row.data(), *const g = r + width, *const b = g + width;
    const auto dithered = [](float c, uint32_t h) {
      const float v = c * 255 + ditherOf(h) * ((c > 0) & (c < 1) ? 0.5f : 0.0f) + 0.5f, low = v > 0 ? v : 0.0f;
      return int(low < 255 ? low : 255.0f);
    };
    for (int y = y0; y < y1; ++y) {
      const float* in = p.at(0, y);
      for (size_t x = 0; x < width; ++x) {
        const Color v = rec709FromAcescg(Color(in[3 * x], in[3 * x + 1], in[3 * x + 2]) * gain);
        r[x] = v.x;
        g[x] = v.y;
        b[x] = v.z;
      }
      float* const at = row.data() + 3 * width;
      for (size_t i = 0; i < 3 * width; ++i) at[i] = shapeQuickly(r[i]) * (size - 1);
      for (size_t x = 0; x < width; ++x) {
        Color c(0.0f);
        if (within(r[x], g[x], b[x]) && tableAt(at[x], at[width + x], at[2 * width + x], quick, c)) {
          r[x] = c.x;
          g[x] = c.y;
          b[x] = c.z;
        } else {
          exact.insert(exact.end(), {in[3 * x] * gain, in[3 * x + 1] * gain, in[3 * x + 2] * gain});
          where.push_back(size_t(y - y0) * width + x);
        }
      }
      uint8_t* o = out.data() + 4 * size_t(y) * width;
      const uint32_t line = mixBits(uint32_t(y));
      std::fill(packed.begin(), packed.end(), 0xff000000u);
      for (int c = 0; c < 3; ++c) {
        const float* channel = row.data() + size_t(c) * width;
        uint32_t* to = packed.data();
        for (int x = 0, n = int(width); x < n; ++x)
          to[x] |= uint32_t(dithered(channel[x], mixBits(uint32_t(3 * x + c) + line)) << (8 * c));
      }
      std::memcpy(o, packed.data(), 4 * width);
    }
    m_exact(exact.data(), long(where.size()));
    for (size_t n = 0; n < where.size(); ++n) {
      const auto x = uint32_t(where[n] % width), y = uint32_t(size_t(y0) + where[n] / width);
      uint8_t* o = out.data() + 4 * (size_t(y) * width + x);
      for (uint32_t c = 0; c < 3; ++c) o[c] = uint8_t(dithered(exact[3 * n + c], mixBits(3 * x + c + mixBits(y))));
    }
  });
  return out;
}

} // namespace ilumbra
