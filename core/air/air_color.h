#pragma once
#include "core/base/vec.h"
#include "core/pattern/program.h"

#include <memory>

namespace ilumbra {

/// A colour over the places of the world. Immutable.
class AirColor {
 public:
  virtual ~AirColor() = default;
  virtual Color colorAt(const V3f& world) const = 0;
};
using AirColorPtr = std::shared_ptr<const AirColor>;

/// A place in air as patterns are asked about it: there is no surface, so that texture coordinates are x and y of its
/// own space, and it faces no way.
PatternPoint airPoint(const V3f& world, const M44f& toObject, float random);

/// What a pattern says, in the working space; what is no number counts as 0.
class PatternColor : public AirColor {
 public:
  /// Channels are kept within `low` and `high`.
  PatternColor(std::shared_ptr<const Program> program, const M44f& toObject, float random, float low, float high);
  Color colorAt(const V3f& world) const override;

 private:
  std::shared_ptr<const Program> m_program;
  M44f m_toObject;
  float m_random, m_low, m_high;
};

/// Two colours, channel by channel.
class ProductColor : public AirColor {
 public:
  ProductColor(AirColorPtr a, AirColorPtr b) : m_a(std::move(a)), m_b(std::move(b)) {}
  Color colorAt(const V3f& world) const override { return m_a->colorAt(world) * m_b->colorAt(world); }

 private:
  AirColorPtr m_a, m_b;
};

/// Extinction where the tint at a depth differs from place to place, as a share of the most that it may be: 0..1 in
/// each channel.
class TintedExtinction : public AirColor {
 public:
  /// `base`: what is lost without the tint, per metre; `depth` in metres, > 0; `most`: extinction at the darkest tint,
  /// per metre.
  TintedExtinction(AirColorPtr tint, float base, float depth, const Color& most);
  Color colorAt(const V3f& world) const override;

 private:
  AirColorPtr m_tint;
  float m_base, m_depth;
  Color m_perMost;
};

} // namespace ilumbra
