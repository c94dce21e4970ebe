#pragma once
#include "core/light/light.h"

namespace ilumbra {

/// A light from all around whose radiance is told by direction, sampled by a map of its brightness: equal steps of
/// longitude and of colatitude.
class SkyMap : public Light {
 public:
  bool sample(const V3f& from, const V2f& u, LightSample& s) const override;
  float pdf(const V3f& from, const V3f& direction, float distance, const LightHit& hit) const override;
  Color radiance(const V3f&, const V3f& direction, const V3f& normal) const override = 0;
  bool infinite() const override { return true; }
  float illuminance() const override { return m_illuminance; }

 protected:
  /// `brightest`: the most that the cell (x, y) of the map, y from the zenith, may hold, as luminance. Every cell that
  /// is not wholly dark must be above 0.
  void chart(int width, int height, const std::function<float(int x, int y)>& brightest);
  /// The same from the sky at 3 × 3 places of each cell: for skies that vary slowly.
  void chartSmooth(int width, int height, const std::function<Color(const V3f& direction)>& sky);

 private:
  Distribution m_cells;
  int m_width = 1, m_height = 1;
  float m_illuminance = pi;
};

/// Longitude (0 at -z, growing towards +x) and colatitude from +y as shares of 2 π and π, and back.
V2f skyPlace(const V3f& direction);
V3f skyDirection(const V2f& place);

} // namespace ilumbra
