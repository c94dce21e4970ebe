#pragma once
#include "core/air/haze.h"
#include "core/render/geometry.h"

#include <boost/container/small_vector.hpp>
#include <memory>

namespace ilumbra {

/// The hazes that one ray passes, each from where to where: what is known of the air along it.
class AirWay {
public:
  struct Stretch {
    float from, to; ///< metres along the ray
    uint16_t haze;
  };
  bool empty() const { return m_stretches.empty(); }
  void add(const Stretch& s) {
    if (s.to > s.from) m_stretches.push_back(s);
  }
  const Stretch* begin() const { return m_stretches.data(); }
  const Stretch* end() const { return m_stretches.data() + m_stretches.size(); }

private:
  boost::container::small_vector<Stretch, 8> m_stretches;
};

/// The air of a scene: hazes and the shapes that they fill. Immutable.
class Air {
public:
  struct Filled {
    Haze haze;
    uint16_t thing = 0;
    std::shared_ptr<const Geometry> geometry; ///< null: it is everywhere
    struct Place {
      M44f toObject;
      Box3f bounds; ///< in the world
    };
    std::vector<Place> places;
  };
  explicit Air(std::vector<Filled> hazes, RTCDevice device);
  ~Air();
  Air(const Air&) = delete;
  Air& operator=(const Air&) = delete;

  const Filled& operator[](size_t i) const { return m_hazes[i]; }
  size_t size() const { return m_hazes.size(); }
  /// What a ray (unit direction) passes within `far` metres, which may be infinite. Exact along the chords inside closed meshes: all
  /// crossings of the whole line are taken, so that nothing need be known of where it begins.
  void along(const V3f& origin, const V3f& direction, float far, AirWay& way) const;
  /// Share of light that comes through, from the ray's begin to t.
  Color transmittance(const AirWay& way, float t) const;
  /// Of the sum of all hazes at t.
  Color extinction(const AirWay& way, float t) const;
  /// Where on its way light is lost in one channel, for u in [0, 1): density proportional to extinction · transmittance up to `far`. Less
  /// than 0: nowhere. `density` receives it.
  float lose(const AirWay& way, float far, int channel, float u, float& density) const;
  float loseDensity(const AirWay& way, float far, int channel, float t) const;

private:
  std::vector<Filled> m_hazes;
  std::vector<RTCScene> m_scenes; ///< by haze: its triangles, every crossing of which is told; null: a sphere, or everywhere
};

} // namespace ilumbra
