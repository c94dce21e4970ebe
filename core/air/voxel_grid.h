#pragma once
#include "core/air/density.h"

namespace ilumbra {

/// A box of voxels as it comes from a file: how dense it is, and how hot.
struct VoxelGrid {
  int size[3] = {0, 0, 0};  ///< voxels along x, y and z; x runs fastest in the lists
  M44f toFile;              ///< from voxels (the middle of the first is 0, 0, 0) to the file's metres
  std::vector<float> density;
  std::vector<float> heat;  ///< of what glows by itself; empty: the file has none
  float densest = 0, hottest = 0;
  std::string densityName, heatName;
  int coarser = 1;          ///< so many of the file's voxels a side were taken as one
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
  BothDensity(DensityPtr a, DensityPtr b, How how, float share = 1) : m_a(std::move(a)), m_b(std::move(b)), m_how(how), m_share(share) {}
  float at(const V3f& world) const override { return m_how == How::Times ? m_a->at(world) * m_b->at(world) : m_a->at(world) + m_share * m_b->at(world); }
  void bounds(const Box3f& world, float& low, float& high) const override;

private:
  DensityPtr m_a, m_b;
  How m_how;
  float m_share;
};

/// Voxels from an OpenVDB file, as air.
Kind gridKind();

} // namespace ilumbra
