#pragma once
#include "core/base/sampling.h"
#include "core/document/document.h"
#include "core/render/motion.h"

namespace ilumbra {

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

/// A thin-lens camera. Film coordinates run from (0, 0) at the top left to (width, height) in pixels.
class Camera {
 public:
  Camera() = default;
  Camera(const Document& doc, const Node& camera, double frame, int width, int height);
  /// `time`: 0 where the shutter opens, 1 where it closes.
  Ray ray(float x, float y, const V2f& lens, float time = 0.5f) const;
  /// Through the middle of the lens at mid-shutter.
  Ray through(float x, float y) const;
  bool moves() const { return m_motion != nullptr; }
  /// Where a point falls on the film; false behind the camera.
  bool project(const V3f& world, float& x, float& y) const;
  V3f position() const { return m_position; }
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

/// The frames between which the shutter of the active camera is open; both the frame itself if there is no camera or
/// blur.
struct Shutter {
  double open, close;
};
Shutter shutterOf(const Document& doc, double frame);

Kind cameraKind();
std::vector<Kind> allCameras();
/// The camera that the picture settings name, else the first; null if there is none.
const Node* activeCamera(const Document& doc);
/// Value of a luminance of 1 cd/m² in the picture: 1 / (1.2 · 2^EV100) (ISO 12232, saturation-based, as in reference
/// 9).
float exposureFactor(const Document& doc, double frame);

} // namespace ilumbra
