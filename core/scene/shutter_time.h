#pragma once
#include "core/scene/scene.h"

#include <forward_list>

namespace ilumbra {

/// A scene at one moment of the shutter: where what moves then is. Asked for by one path at a time.
class ShutterTime {
 public:
  /// `time`: 0 where the shutter opens, 1 where it closes.
  explicit ShutterTime(float time = 0.5f) : m_time(time) {}
  float time() const { return m_time; }
  void set(float time) {
    m_time = time;
    m_known.clear();
    m_lights.clear();
  }
  struct Place {
    M44f toWorld, toObject;
  };
  const Place& of(const Motion& motion) const {
    for (const auto& [m, place] : m_known)
      if (m == &motion) return place;
    const M44f now = motion.at(m_time);
    return m_known.emplace_front(&motion, Place{now, now.inverse()}).second;
  }
  /// Between the world as the light was compiled in and the world now.
  const Place& of(const Emitter& e) const {
    for (const auto& [known, place] : m_lights)
      if (known == &e) return place;
    const M44f now = e.rest * e.motion->at(m_time);
    return m_lights.emplace_front(&e, Place{now, now.inverse()}).second;
  }
  /// A light sampled from a point, as Light::sample has it.
  bool sample(const Emitter& e, const V3f& from, const V2f& u, LightSample& s) const {
    if (!e.motion) return e.light->sample(from, u, s);
    const Place& p = of(e);
    if (!e.light->sample(transformPoint(p.toObject, from), u, s)) return false;
    s.direction = transformVector(p.toWorld, s.direction);
    return true;
  }
  float pdf(const Emitter& e, const V3f& from, const V3f& direction, float distance, const LightHit& hit) const {
    if (!e.motion) return e.light->pdf(from, direction, distance, hit);
    const Place& p = of(e);
    return e.light->pdf(transformPoint(p.toObject, from), transformVector(p.toObject, direction), distance,
                        {transformVector(p.toObject, hit.normal), hit.triangle, hit.u, hit.v});
  }
  Color radiance(const Emitter& e, const V3f& at, const V3f& direction, const V3f& normal) const {
    if (!e.motion) return e.light->radiance(at, direction, normal);
    const Place& p = of(e);
    return e.light->radiance(transformPoint(p.toObject, at), transformVector(p.toObject, direction),
                             transformVector(p.toObject, normal));
  }

 private:
  float m_time;
  // Places stay where they are: hits point to them.
  mutable std::forward_list<std::pair<const Motion*, Place>> m_known;
  mutable std::forward_list<std::pair<const Emitter*, Place>> m_lights;
};

} // namespace ilumbra
