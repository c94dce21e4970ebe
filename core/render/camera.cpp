#include "core/render/camera.h"

#include "core/geometry/shape.h"
#include "core/light/light.h"

namespace ilumbra {

Kind cameraKind() {
  return {
      .id = "camera.lens",
      .label = "Camera",
      .helpText = "A camera with a lens in front of its film.",
      .params = join(
          {aimParams({0, 1, 4}, {0, 0.5, 0}),
           {number("focal_length", "Focal length", "mm", 50)
                .soft(12, 200)
                .range(1, 5000)
                .log()
                .matters()
                .in("Lens")
                .help("Longer is narrower"),
            number("film_width", "Film width", "mm", 36)
                .soft(8, 70)
                .range(0.1, 1000)
                .in("Lens")
                .help("Of the part that is exposed"),
            number("focus", "Focus distance", "m", 4)
                .soft(0.1, 20)
                .range(0.001, 1e6)
                .log()
                .in("Lens")
                .help("What stands there is sharp"),
            number("f_stop", "f-stop", "", 0)
                .soft(0, 22)
                .range(0, 1000)
                .in("Lens")
                .help("Aperture; 0 has everything sharp"),
            integer("blades", "Blades", 0)
                .soft(0, 12)
                .range(0, 64)
                .in("Lens")
                .help("Of the aperture: lights out of focus take its shape; below 3 it is round"),
            number("blade_rounding", "Blade rounding", "%", 0)
                .soft(0, 1)
                .range(0, 1)
                .in("Lens")
                .help("How far the blades bulge out to the circle"),
            number("blade_turn", "Blade turn", "°", 0).soft(-90, 90).in("Lens").help("Turn of the aperture"),
            number("shutter", "Shutter", "frames", 0.5)
                .soft(0, 2)
                .range(0, 1000)
                .in("Shutter")
                .help(
                    "How long it is open, about the middle of the frame: what moves is blurred over it; 0 has no blur"),
            number("ev100", "Exposure", "EV", 6)
                .soft(-4, 16)
                .range(-40, 40)
                .at(Stage::Lens)
                .matters()
                .in("Exposure")
                .help("Exposure value at ISO 100: higher is darker"),
            number("compensation", "Compensation", "stops", 0)
                .soft(-4, 4)
                .range(-40, 40)
                .at(Stage::Lens)
                .in("Exposure")
                .help("Lighter or darker than that")}}),
      .existence = Stage::Shading};
}

std::vector<Kind> allCameras() { return {cameraKind()}; }

const Node* activeCamera(const Document& doc) {
  if (const Node* n = doc.find(settingsOf(doc).reference("camera").target)) return n;
  const auto all = doc.family("camera");
  return all.empty() ? nullptr : all.front();
}

float exposureFactor(const Document& doc, double frame) {
  const Node* n = activeCamera(doc);
  if (!n) return 1;
  const Params p(*n, frame);
  return float(std::exp2(p.number("compensation") - p.number("ev100")) / 1.2);
}

Shutter shutterOf(const Document& doc, double frame) {
  const Node* n = activeCamera(doc);
  const double half = n ? 0.5 * Params(*n, frame).number("shutter") : 0;
  return {frame - half, frame + half};
}

Aperture::Aperture(int blades, float rounding, float turn)
    : m_blades(blades < 3 ? 0 : blades), m_rounding(rounding), m_turn(turn * pi / 180) {
  if (!m_blades || m_rounding >= 1) {
    m_blades = 0;
    return;
  }
  // Over one blade: equal angles, each by the area that it holds.
  constexpr int cells = 128;
  std::vector<float> areas;
  for (int i = 0; i < cells; ++i)
    areas.push_back(sqr(edge(m_turn + 2 * pi / float(m_blades) * (float(i) + 0.5f) / cells)));
  m_angles = Distribution(areas);
}

float Aperture::edge(float angle) const {
  if (!m_blades) return 1;
  const float blade = 2 * pi / float(m_blades), a = angle - m_turn, within = a - blade * std::floor(a / blade);
  return mix(std::cos(0.5f * blade) / std::cos(within - 0.5f * blade), 1.0f, m_rounding);
}

V2f Aperture::sample(const V2f& u) const {
  if (!m_blades) return sampleDisc(u);
  const float scaled = u.x * float(m_blades), blade = std::min(std::floor(scaled), float(m_blades - 1));
  float within = scaled - blade, p;
  const size_t cell = m_angles.sample(within, p);
  const float angle = m_turn + 2 * pi / float(m_blades) * (blade + (float(cell) + within) / float(m_angles.size())),
              r = std::sqrt(u.y) * edge(angle);
  return {r * std::cos(angle), r * std::sin(angle)};
}

Camera::Camera(const Document& doc, const Node& node, double frame, int width, int height)
    : m_width(width), m_height(height) {
  const Params p(node, frame);
  const auto place = [&](double at) {
    return aimMatrix(Params(node, at)) * (node.parent ? worldMatrix(doc, *doc.find(node.parent), at) : M44f());
  };
  const M44f m = place(frame);
  const Shutter shutter = shutterOf(doc, frame);
  if (shutter.close > shutter.open && isAnimated(doc, node)) {
    if (const MotionPtr moving = motionOf(place, shutter.open, shutter.close, p.real("focus")))
      m_motion = std::make_shared<const Motion>(moving->rigid());
  }
  m_opening = Aperture(int(p.number("blades")), p.real("blade_rounding"), p.real("blade_turn"));
  m_position = transformPoint(m, V3f(0.0f));
  m_z = normalize(transformVector(m, {0, 0, 1}));
  m_x = normalize(transformVector(m, {1, 0, 0}));
  m_y = cross(m_z, m_x);
  const float f = p.real("focal_length");
  m_filmWidth = p.real("film_width") / f;
  m_focus = p.real("focus");
  const float stop = p.real("f_stop");
  m_aperture = stop > 0 ? f * 0.001f / (2 * stop) : 0;
}

Ray Camera::ray(float x, float y, const V2f& lens, float time) const {
  const float s = m_filmWidth / float(m_width);
  const V3f d((x - 0.5f * float(m_width)) * s, (0.5f * float(m_height) - y) * s, -1);
  V3f from(0.0f), to = d;
  if (m_aperture > 0) {
    const V2f a = m_opening.sample(lens) * m_aperture;
    from = {a.x, a.y, 0};
    to = d * m_focus - from;
  }
  if (m_motion) {
    const M44f now = m_motion->at(time);
    return {transformPoint(now, from), normalize(transformVector(now, to))};
  }
  return {m_position + m_x * from.x + m_y * from.y, normalize(m_x * to.x + m_y * to.y + m_z * to.z)};
}

Ray Camera::through(float x, float y) const {
  const float s = m_filmWidth / float(m_width);
  return {m_position,
          normalize(m_x * ((x - 0.5f * float(m_width)) * s) + m_y * ((0.5f * float(m_height) - y) * s) - m_z)};
}

bool Camera::project(const V3f& world, float& x, float& y) const {
  const V3f d = world - m_position;
  const float z = -dot(d, m_z);
  if (z <= 1e-6f) return false;
  const float s = float(m_width) / m_filmWidth;
  x = 0.5f * float(m_width) + dot(d, m_x) / z * s;
  y = 0.5f * float(m_height) - dot(d, m_y) / z * s;
  return true;
}

} // namespace ilumbra
