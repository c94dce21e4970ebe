#include "core/session/pattern_swatch.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/placing/framing.h"
#include "core/scene/ray_caster.h"
#include "core/scene/trace_count.h"

#include <fmt/format.h>
#include <ImathBox.h>
#include <limits>

namespace ilumbra {
namespace {

constexpr float infinite = std::numeric_limits<float>::infinity();

// What the picture is of: a middle, and half of what is seen across its shorter side.
struct View {
  V3f centre{0.0f}, right{1, 0, 0}, up{0, 1, 0}, ahead{0, 0, -1};
  float radius = 0.5f;
};

class Places {
 public:
  Places(SwatchPlaces& out, const View& view, const CancelFlag* cancel) : m_out(out), m_view(view), m_cancel(cancel) {
    m_out.index.assign(size_t(m_out.width) * size_t(m_out.height), -1);
  }
  float step() const { return 2 * m_view.radius / float(std::min(m_out.width, m_out.height)); }

  // `at` gives the point at a place in metres right of and above the middle, if there is one.
  void fill(const std::function<bool(float x, float y, PatternPoint&)>& at) {
    for (int row = 0; row < m_out.height; ++row) {
      if (m_cancel && m_cancel->requested()) throw cancelled();
      for (int column = 0; column < m_out.width; ++column) {
        PatternPoint p;
        const float x = (float(column) + 0.5f - 0.5f * float(m_out.width)) * step(),
                    y = (0.5f * float(m_out.height) - float(row) - 0.5f) * step();
        if (!at(x, y, p)) continue;
        m_out.index[size_t(row * m_out.width + column)] = int(m_out.points.size());
        m_out.points.push_back(p);
      }
    }
  }

  void onThings(const Scene& scene, const std::vector<NodeId>& things) {
    TraceCount count;
    const RayCaster rays(scene, count, nullptr);
    const float back = 8 * m_view.radius;
    fill([&](float x, float y, PatternPoint& p) {
      V3f origin = m_view.centre - m_view.ahead * back + m_view.right * x + m_view.up * y;
      for (int i = 0; i < 256; ++i) {
        Hit hit;
        if (!rays.intersect(origin, m_view.ahead, infinite, hit)) return false;
        if (std::find(things.begin(), things.end(), scene.things[hit.object->thing].node) != things.end()) {
          p = patternPoint(scene, hit, rays.shutterTime(), m_view.ahead, step());
          return true;
        }
        origin = offset(hit.point, dot(hit.geometric, m_view.ahead) > 0 ? hit.geometric : -hit.geometric);
      }
      return false;
    });
  }

  // As the camera sees them, with all that stands before them.
  void inPicture(const Scene& scene, const std::vector<NodeId>& things) {
    TraceCount count;
    const RayCaster rays(scene, count, nullptr);
    const float footprint = scene.camera.pixelAngle() * float(scene.width) / float(m_out.width);
    m_out.index.assign(size_t(m_out.width) * size_t(m_out.height), -1);
    for (int y = 0; y < m_out.height; ++y) {
      if (m_cancel && m_cancel->requested()) throw cancelled();
      for (int x = 0; x < m_out.width; ++x) {
        const Ray ray = scene.camera.through((float(x) + 0.5f) / float(m_out.width) * float(scene.width),
                                             (float(y) + 0.5f) / float(m_out.height) * float(scene.height));
        Hit hit;
        if (!rays.intersect(ray.origin, ray.direction, infinite, hit) ||
            std::find(things.begin(), things.end(), scene.things[hit.object->thing].node) == things.end())
          continue;
        m_out.index[size_t(y) * size_t(m_out.width) + size_t(x)] = int(m_out.points.size());
        m_out.points.push_back(patternPoint(scene, hit, rays.shutterTime(), ray.direction, footprint * hit.distance));
      }
    }
  }

  void onBall(const M44f& toObject) {
    const float r = 0.96f * m_view.radius;
    fill([&](float x, float y, PatternPoint& p) {
      const float z2 = r * r - x * x - y * y;
      if (z2 <= 0) return false;
      const V3f n = (m_view.right * x + m_view.up * y - m_view.ahead * std::sqrt(z2)) * (1 / r);
      put(p, m_view.centre + n * r, n, toObject);
      p.uv = {std::atan2(-n.z, n.x) / (2 * pi) + 0.5f, 0.5f + std::asin(std::clamp(n.y, -1.0f, 1.0f)) / pi};
      p.incidence = std::sqrt(z2) / r;
      return true;
    });
  }

  void flat(const M44f& toObject) {
    fill([&](float x, float y, PatternPoint& p) {
      put(p, m_view.centre + m_view.right * x + m_view.up * y, -m_view.ahead, toObject);
      p.uv = {0.5f + 0.5f * x / m_view.radius, 0.5f + 0.5f * y / m_view.radius};
      return true;
    });
  }

 private:
  void put(PatternPoint& p, const V3f& world, const V3f& normal, const M44f& toObject) const {
    p.world = world;
    p.position = transformPoint(toObject, world);
    p.facing = normal;
    p.normal = normalize(transformVector(toObject, normal));
    p.footprint = step();
    p.uvFootprint = 1 / float(std::min(m_out.width, m_out.height));
    p.random = 0.5f;
    p.screen = {p.uv.x, p.uv.y, 1};
  }
  SwatchPlaces& m_out;
  View m_view;
  const CancelFlag* m_cancel;
};

View viewOf(const Scene& scene, const Box3f& box) {
  View v;
  v.centre = box.center();
  v.ahead = normalize(v.centre - scene.camera.position());
  if (isBlack(v.ahead)) v.ahead = scene.camera.forward();
  v.right = cross(v.ahead, scene.camera.up());
  v.right = isBlack(v.right) ? scene.camera.right() : normalize(v.right);
  v.up = cross(v.right, v.ahead);
  // What its corners reach, and a little air.
  float wide = 0;
  for (int c = 0; c < 8; ++c) {
    const V3f d =
        V3f(c & 1 ? box.min.x : box.max.x, c & 2 ? box.min.y : box.max.y, c & 4 ? box.min.z : box.max.z) - v.centre;
    wide = std::max({wide, std::abs(dot(d, v.right)), std::abs(dot(d, v.up))});
  }
  v.radius = std::max(1e-6f, 1.04f * wide);
  return v;
}

M44f toObjectOf(const Scene& scene, const std::vector<NodeId>& things) {
  for (const InstancedObject& o : scene.objects)
    if (std::find(things.begin(), things.end(), scene.things[o.thing].node) != things.end()) return o.toWorld.inverse();
  return {};
}

uint8_t byte(float v) { return uint8_t(std::lround(255 * std::clamp(v, 0.0f, 1.0f))); }

} // namespace

SwatchPlaces swatchPlaces(const Scene* scene, const Document& doc, const std::vector<NodeId>& things, SwatchOn on,
                          int width, int height, const CancelFlag* cancel) {
  const Box3f box = scene ? boundsOf(*scene, doc, things) : Box3f();
  const bool there = !box.isEmpty() && length(box.size()) > 0 && std::isfinite(length(box.size()));
  View view;
  M44f toObject;
  if (there) {
    view = viewOf(*scene, box);
    toObject = toObjectOf(*scene, things);
  }
  SwatchPlaces out;
  out.width = width;
  out.height = height;
  out.on = on;
  if (on == SwatchOn::Picture) {
    if (scene) Places(out, view, cancel).inPicture(*scene, things);
    return out;
  }
  if (on == SwatchOn::Object && there) {
    Places(out, view, cancel).onThings(*scene, things);
    if (!out.points.empty()) return out;
  }
  if (on == SwatchOn::Flat) {
    Places(out, view, cancel).flat(toObject);
    return out;
  }
  out.on = SwatchOn::Ball;
  Places(out, view, cancel).onBall(toObject);
  return out;
}

PatternSwatch patternSwatch(const SwatchPlaces& places, const Document& doc, const Reference& pattern,
                            const ParamDef& takes, const Assets& assets) {
  const bool asColor = takes.type == ParamType::Color;
  const Program program = Program::compile(doc, pattern, currentFrame(doc), assets, asColor);
  std::vector<Sample4> values(places.points.size());
  program.evaluate(places.points, values.data());
  PatternSwatch out;
  out.rgba.assign(places.index.size() * 4, 0);
  for (const Sample4& v : values) out.numbers.push_back(asColor ? luminance(Color(v.x, v.y, v.z)) : v.x);
  const auto low = float(takes.softMin), span = std::max(1e-9f, float(takes.softMax) - low);
  for (size_t i = 0; i < places.index.size(); ++i) {
    if (places.index[i] < 0) continue;
    const Sample4& v = values[size_t(places.index[i])];
    uint8_t* pixel = &out.rgba[4 * i];
    const Color c = asColor ? rec709FromAcescg({v.x, v.y, v.z}) : Color((v.x - low) / span);
    for (int k = 0; k < 3; ++k) {
      const float x = std::isfinite(c[k]) ? std::max(0.0f, c[k]) : 0;
      pixel[k] = byte(asColor ? float(srgbEncoded<double>(double(std::min(x, 1.0f)))) : x);
    }
    pixel[3] = 255;
  }
  return out;
}

} // namespace ilumbra
