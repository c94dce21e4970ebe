#pragma once
#include "core/air/air_color.h"
#include "core/air/density.h"

namespace ilumbra {

/// A box of voxels as it comes from a file: how dense it is, and how hot.
struct VoxelGrid {
  uint64_t content = 0;    ///< hash of all that follows: two with the same are alike
  int size[3] = {0, 0, 0}; ///< voxels along x, y and z; x runs fastest in the lists
  M44f toFile;             ///< from voxels (the middle of the first is 0, 0, 0) to the file's metres
  std::vector<float> density;
  std::vector<float> heat; ///< of what glows by itself; empty: the file has none
  std::vector<V3f> color;  ///< of what it scatters, in the working space, 0..1; empty: the file has none
  float densest = 0, hottest = 0;
  GridNames names; ///< what was read; empty: there is none
  int coarser = 1; ///< so many of the file's voxels a side were taken as one
};

/// A density in a space of its own.
class PlacedDensity : public Density {
 public:
  PlacedDensity(DensityPtr own, const M44f& toOwn, float gain) : m_own(std::move(own)), m_toOwn(toOwn), m_gain(gain) {}
  float at(const V3f& world) const override { return m_gain * m_own->at(transformPoint(m_toOwn, world)); }
  void bounds(const Box3f& world, float& low, float& high) const override;

 private:
  DensityPtr m_own;
  M44f m_toOwn;
  float m_gain;
};

/// Two that multiply, or of which the second adds a share.
class BothDensity : public Density {
 public:
  enum class How { Times, Plus };
  BothDensity(DensityPtr a, DensityPtr b, How how, float share = 1)
      : m_a(std::move(a)), m_b(std::move(b)), m_how(how), m_share(share) {}
  float at(const V3f& world) const override {
    return m_how == How::Times ? m_a->at(world) * m_b->at(world) : m_a->at(world) + m_share * m_b->at(world);
  }
  void bounds(const Box3f& world, float& low, float& high) const override;

 private:
  DensityPtr m_a, m_b;
  How m_how;
  float m_share;
};

/// Colours on a grid, straight lines between them; beyond its middles those of its rim.
class VoxelColor : public AirColor {
 public:
  VoxelColor(const int (&size)[3], std::vector<V3f> values, const M44f& toVoxels);
  Color colorAt(const V3f& world) const override;

 private:
  int m_size[3];
  std::vector<V3f> m_values;
  M44f m_toVoxels;
};

/// What glows as a black body does: its heat, 0..1, is its temperature as a share of the hottest, which has amount 1
/// and gives light of luminance 1.
class Glowing : public Density, public AirColor {
 public:
  /// Kelvin, 500 to 100000.
  Glowing(DensityPtr heat, float hottest);
  float at(const V3f& world) const override;
  void bounds(const Box3f& world, float& low, float& high) const override;
  /// Of luminance 1.
  Color colorAt(const V3f& world) const override;

 private:
  float amount(float heat) const;
  DensityPtr m_heat;
  static constexpr int steps = 256;
  std::vector<float> m_light;
  std::vector<Color> m_color;
};

} // namespace ilumbra
