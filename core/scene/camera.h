#pragma once
#include "core/base/sampling.h"
#include "core/scene/motion.h"

namespace ilumbra {

/// `direction`: unit.
struct Ray {
  V3f origin, direction;
};

/// The opening of a lens: a disc, or a polygon of blades whose edges may bulge out to the disc. Of radius 1 to its
/// corners.
class Aperture {
 public:
  Aperture() = default;
  /// Fewer than 3 blades: a disc. `rounding`: 0 straight edges, 1 the disc. `turn` in degrees.
  Aperture(int blades, float rounding, float turn);
  /// A point of it, evenly over its area.
  V2f sample(const V2f& u) const;
  /// How far its edge is from its middle, at an angle in radians.
  float edge(float angle) const;

 private:
  int m_blades = 0;
  float m_rounding = 1, m_turn = 0;
  Distribution m_angles; ///< over one blade, by area
};

/// A camera as it stands at mid-shutter, with its lens and its film.
struct CameraSpec {
  M44f toWorld;     ///< it looks along -z, with y up
  MotionPtr motion; ///< rigid; null: it stands still
  Aperture opening;
  float filmWidth = 1;       ///< of the picture, in focal lengths
  float apertureRadius = 0;  ///< metres; 0: everything is sharp
  float focus = 1;           ///< metres ahead at which things are sharp
  int width = 1, height = 1; ///< of the picture in pixels
};

/// A thin-lens camera. Film coordinates run from (0, 0) at the top left to (width, height) in pixels.
class Camera {
 public:
  Camera() = default;
  explicit Camera(const CameraSpec& spec);
  /// `time`: 0 where the shutter opens, 1 where it closes.
  Ray ray(float x, float y, const V2f& lens, float time = 0.5f) const;
  /// Through the middle of the lens at mid-shutter.
  Ray through(float x, float y) const;
  bool moves() const { return m_motion != nullptr; }
  /// Where a point falls on the film; false behind the camera.
  bool project(const V3f& world, float& x, float& y) const;
  V3f position() const { return m_position; }
  /// How wide the opening spreads a point so many metres ahead: in the plane one metre ahead.
  float blur(float ahead) const { return 2 * m_aperture * std::abs(1 / m_focus - 1 / ahead); }
  /// Metres ahead at which things are sharp.
  float focus() const { return m_focus; }
  V3f forward() const { return -m_z; }
  V3f right() const { return m_x; }
  V3f up() const { return m_y; }
  /// Height of what is seen in the plane one metre ahead.
  float seenHeight() const { return pixelAngle() * float(m_height); }
  /// Width of a pixel in the plane one metre ahead.
  float pixelAngle() const { return m_width > 0 ? m_filmWidth / float(m_width) : 0; }

 private:
  MotionPtr m_motion;
  Aperture m_opening;
  V3f m_position{0.0f}, m_x{1, 0, 0}, m_y{0, 1, 0}, m_z{0, 0, 1};
  float m_filmWidth = 1; ///< of the picture, in focal lengths
  float m_aperture = 0, m_focus = 1;
  int m_width = 1, m_height = 1;
};

} // namespace ilumbra
