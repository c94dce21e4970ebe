#include "core/scene/media.h"

#include "core/scene/ray_caster.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {
namespace {

constexpr float infinite = std::numeric_limits<float>::infinity();

// All crossings of a ray with a mesh: Embree offers each hit to the filter, which takes note and lets the ray go on.
struct Crossing {
  float t;
  int step; ///< 1: in, -1: out
};
struct Gather : RTCIntersectContext { // the filter is given its address
  boost::container::small_vector<Crossing, 32> crossings;
};

void takeNote(const RTCFilterFunctionNArguments* a) {
  auto* g = static_cast<Gather*>(a->context);
  const RTCHit hit = rtcGetHitFromHitN(a->hit, a->N, 0);
  const RTCRay ray = rtcGetRayFromRayN(a->ray, a->N, 0);
  const float along = ray.dir_x * hit.Ng_x + ray.dir_y * hit.Ng_y + ray.dir_z * hit.Ng_z;
  if (along != 0) g->crossings.push_back({ray.tfar, along < 0 ? 1 : -1});
  a->valid[0] = 0;
}

// Where a ray lies in a ball, or false.
bool throughBall(const V3f& o, const V3f& d, float radius, float& from, float& to) {
  const double a = double(dot(d, d)), b = double(dot(o, d)), c = double(dot(o, o)) - double(radius) * double(radius),
               root = b * b - a * c;
  if (root <= 0) return false;
  const double q = std::sqrt(root);
  from = float(std::max(0.0, (-b - q) / a));
  to = float((-b + q) / a);
  return to > from;
}

Color fade(const Color& depth) { return {std::exp(-depth.x), std::exp(-depth.y), std::exp(-depth.z)}; }

// Extinction times metres: nothing of an endless way where there is no extinction.
Color deep(const Color& extinction, float metres) {
  Color out;
  for (int c = 0; c < 3; ++c) out[c] = extinction[c] > 0 ? extinction[c] * metres : 0;
  return out;
}

} // namespace

Media::Media(std::vector<Medium> hazes, RTCDevice device) : m_hazes(std::move(hazes)) {
  for (const Medium& h : m_hazes) {
    m_glows |= !isBlack(h.glow);
    m_within |= h.fills != 0;
    m_scenes.emplace_back();
    if (!h.geometry || h.geometry->shape.sphereRadius > 0) continue;
    const EmbreeScene& scene = m_scenes.back() = EmbreeScene(rtcNewScene(device));
    rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
    const RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
    const Mesh& m = h.geometry->shape.mesh;
    auto* v = static_cast<float*>(rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12,
                                                          std::max<size_t>(1, m.positions.size())));
    if (!m.positions.empty()) std::copy_n(&m.positions[0].x, 3 * m.positions.size(), v);
    if (!m.triangles.empty())
      rtcSetSharedGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, m.triangles.data(), 0, 12,
                                 m.triangles.size());
    rtcSetGeometryIntersectFilterFunction(g, takeNote);
    rtcCommitGeometry(g);
    rtcAttachGeometry(scene, g);
    rtcReleaseGeometry(g);
    rtcCommitScene(scene);
  }
}

Media::~Media() = default;

// A stretch inside a place, less what its distances from the eye leave out.
void Media::fill(size_t haze, size_t place, const V3f& o, const V3f& d, float from, float to, RayMedia& way) const {
  const Medium& h = m_hazes[haze];
  const V3f w = o - h.eye;
  float a, b;
  if (std::isfinite(h.end)) {
    if (!throughBall(w, d, h.end, a, b)) return;
    from = std::max(from, a);
    to = std::min(to, b);
  }
  if (h.start > 0 && throughBall(w, d, h.start, a, b)) {
    lay(haze, place, o, d, from, std::min(to, a), way);
    from = std::max(from, b);
  }
  lay(haze, place, o, d, from, to, way);
}

// Cell by cell where it is uneven.
void Media::lay(size_t haze, size_t place, const V3f& o, const V3f& d, float from, float to, RayMedia& way) const {
  if (!(from < to)) return;
  const MediumPlace& p = m_hazes[haze].places[place];
  const auto add = [&](float a, float b, float mean, float most) {
    way.add({a, b, uint16_t(haze), uint16_t(place), mean * p.darkMean,
             std::max(mean * p.darkMean, most - mean * p.darkMean)});
  };
  if (!p.density && !p.dark)
    way.add({from, to, uint16_t(haze), uint16_t(place)});
  else if (!p.cells)
    add(from, to, p.density ? 0.5f * p.most : p.most, p.most);
  else
    p.cells->walk(o, d, from, to, [&](float a, float b, const DensityCells::Cell& c) { add(a, b, c.mean, c.most); });
}

void Media::along(const V3f& origin, const V3f& direction, float far, RayMedia& way, NodeId within) const {
  for (size_t i = 0; i < m_hazes.size(); ++i) {
    const Medium& h = m_hazes[i];
    if (within && h.fills != within) continue;
    if (h.everywhere) {
      fill(i, 0, origin, direction, 0, far, way);
      continue;
    }
    for (size_t k = 0; k < h.places.size(); ++k) {
      const MediumPlace& place = h.places[k];
      if (!h.geometry) {
        float from = 0, to = far;
        if (place.region.clip(origin, direction, from, to)) fill(i, k, origin, direction, from, to, way);
        continue;
      }
      // Past the box there is nothing.
      float near = 0, last = infinite;
      for (int c = 0; c < 3; ++c) {
        const float inverse = 1 / direction[c], a = (place.bounds.min[c] - origin[c]) * inverse,
                    b = (place.bounds.max[c] - origin[c]) * inverse;
        if (direction[c] == 0) {
          if (origin[c] < place.bounds.min[c] || origin[c] > place.bounds.max[c]) last = -1;
          continue;
        }
        near = std::max(near, std::min(a, b));
        last = std::min(last, std::max(a, b));
      }
      if (last < near * 0.9999f || near > far) continue;
      const V3f o = transformPoint(place.toObject, origin),
                d = transformVector(place.toObject, direction); // t stays metres of the world
      if (const float r = h.geometry->shape.sphereRadius; r > 0) {
        float from, to;
        if (throughBall(o, d, r, from, to)) fill(i, k, origin, direction, from, std::min(far, to), way);
        continue;
      }
      Gather g;
      rtcInitIntersectContext(&g);
      RTCRayHit q{};
      fillRay(q.ray, o, d, infinite, 0);
      q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
      rtcIntersect1(m_scenes[i], &g, &q);
      std::sort(g.crossings.begin(), g.crossings.end(), [](const Crossing& x, const Crossing& y) { return x.t < y.t; });
      // A ray through an edge meets both of its triangles: one crossing.
      const auto same = [](const Crossing& x, const Crossing& y) {
        return x.step == y.step && y.t - x.t <= 1e-5f * y.t;
      };
      g.crossings.erase(std::unique(g.crossings.begin(), g.crossings.end(), same), g.crossings.end());
      int inside = 0;
      for (const Crossing& c : g.crossings) inside -= c.step;
      float from = 0;
      for (const Crossing& c : g.crossings) {
        const float t = std::min(c.t, far);
        if (inside > 0) fill(i, k, origin, direction, from, t, way);
        inside += c.step;
        from = t;
        if (t >= far) break;
      }
    }
  }
}

Color Media::meanTransmittance(const RayMedia& way, float t) const {
  Color all(0.0f);
  for (const auto& s : way)
    if (t > s.from) all += deep(m_hazes[s.haze].haze.extinction * s.mean, std::min(t, s.to) - s.from);
  return fade(all);
}

Color Media::transmittance(const RayMedia& way, const V3f& o, const V3f& d, float t, RandomStream& random) const {
  Color out = meanTransmittance(way, t);
  float left = -1; // of the exponential way to the next event, in units of its rate; it goes on from stretch to stretch
  for (const auto& s : way) {
    if (!(s.spread > 0) || t <= s.from || isBlack(out)) continue;
    const Color& e = m_hazes[s.haze].haze.extinction;
    const float steps = maxComponent(e) * s.spread, end = std::min(t, s.to);
    if (!(steps > 0)) continue;
    for (float x = s.from;;) {
      if (left < 0) left = -std::log(1 - random.next());
      if (left >= (end - x) * steps) {
        left -= (end - x) * steps;
        break;
      }
      x += left / steps;
      left = -1;
      const Color off = darkness(s, o + d * x) - Color(s.mean);
      for (int c = 0; c < 3; ++c) out[c] *= 1 - e[c] * off[c] / steps;
      // What is as good as dark ends by chance, and what does not stands for it.
      if (const float most = std::max(std::abs(out.x), std::max(std::abs(out.y), std::abs(out.z))); most < 0.02f) {
        if (random.next() >= most * 50) return Color(0.0f);
        out *= 1 / (most * 50);
      }
    }
  }
  return out;
}

float Media::shownDepth(const RayMedia& way, const V3f& o, const V3f& d) const {
  float depth = 0;
  for (const auto& s : way)
    if (const float e = luminance(m_hazes[s.haze].haze.extinction); e > 0)
      depth +=
          e * (s.to - s.from) * (std::isfinite(s.to) ? luminance(darkness(s, o + d * (0.5f * (s.from + s.to)))) : 1);
  return depth;
}

void Media::divide(RayMedia& way, float far) const {
  way.m_parts.clear();
  // One after the other, as cells of one haze come.
  if (std::adjacent_find(way.begin(), way.end(), [](const auto& a, const auto& b) { return b.from < a.to; }) ==
      way.end()) {
    Color depth(0.0f);
    float last = way.begin()->from;
    for (const auto& s : way) {
      if (s.from >= far) break;
      if (s.from > last) way.m_parts.push_back({last, s.from, Color(0.0f), depth});
      last = std::min(s.to, far);
      const Color e = m_hazes[s.haze].haze.extinction * s.mean;
      way.m_parts.push_back({s.from, last, e, depth});
      depth += deep(e, last - s.from);
    }
    return;
  }
  boost::container::small_vector<float, 16> at;
  for (const auto& s : way) {
    at.push_back(s.from);
    at.push_back(std::min(s.to, far));
  }
  std::sort(at.begin(), at.end());
  at.erase(std::unique(at.begin(), at.end()), at.end());
  boost::container::small_vector<Color, 16> sum(at.size(), Color(0.0f));
  for (const auto& s : way) {
    const Color e = m_hazes[s.haze].haze.extinction * s.mean;
    for (size_t k = size_t(std::lower_bound(at.begin(), at.end(), s.from) - at.begin());
         k < at.size() && at[k] < std::min(s.to, far); ++k)
      sum[k] += e;
  }
  Color depth(0.0f);
  for (size_t k = 0; k + 1 < at.size(); ++k) {
    way.m_parts.push_back({at[k], at[k + 1], sum[k], depth});
    depth += deep(sum[k], at[k + 1] - at[k]);
  }
}

Color Media::throughPart(const RayMedia::Part& p, float from, float to) {
  const Color before = fade(p.depth + deep(p.extinction, from - p.from));
  Color out;
  for (int c = 0; c < 3; ++c) {
    const float e = p.extinction[c];
    out[c] = before[c] * (e * (to - from) > 1e-6f ? -std::expm1(-e * (to - from)) / e : to - from);
  }
  return out;
}

// The part that holds a place.
template <typename Parts> static auto partAt(const Parts& parts, float t) {
  const auto it = std::upper_bound(parts.begin(), parts.end(), t, [](float x, const auto& p) { return x < p.from; });
  return it == parts.begin() ? it : it - 1;
}

Color Media::depth(const RayMedia& way, float t) {
  if (way.m_parts.empty()) return Color(0.0f);
  const auto p = partAt(way.m_parts, t);
  return p->depth + deep(p->extinction, std::clamp(t, p->from, p->to) - p->from);
}

float Media::sampleExtinction(const RayMedia& way, float from, float to, int channel, float u, float& pdf) {
  pdf = 0;
  const float before = depth(way, from)[channel], all = -std::expm1(before - depth(way, to)[channel]);
  if (!(all > 0)) return -1;
  const float wanted = before - std::log1p(-u * all);
  const auto& parts = way.m_parts;
  const auto it = std::upper_bound(parts.begin(), parts.end(), wanted,
                                   [&](float x, const RayMedia::Part& p) { return x < p.depth[channel]; });
  const auto& p = it == parts.begin() ? *it : *(it - 1);
  if (!(p.extinction[channel] > 0)) return -1;
  const float t = std::clamp(p.from + (wanted - p.depth[channel]) / p.extinction[channel], std::max(from, p.from),
                             std::min(to, p.to));
  pdf = extinctionPdf(way, from, to, t);
  return t;
}

float Media::extinctionPdf(const RayMedia& way, float from, float to, float t) {
  if (way.m_parts.empty() || t < from || t > to) return 0;
  const auto p = partAt(way.m_parts, t);
  if (t > p->to) return 0;
  const Color before = depth(way, from), last = depth(way, to), here = p->depth + deep(p->extinction, t - p->from);
  float sum = 0;
  for (int c = 0; c < 3; ++c) {
    const float all = -std::expm1(before[c] - last[c]);
    if (all > 0) sum += p->extinction[c] * std::exp(before[c] - here[c]) / all;
  }
  return sum / 3;
}

} // namespace ilumbra
