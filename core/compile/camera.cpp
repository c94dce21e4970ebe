#include "core/compile/camera.h"

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
                .at(Invalidation::Lens)
                .matters()
                .in("Exposure")
                .help("Exposure value at ISO 100: higher is darker"),
            number("compensation", "Compensation", "stops", 0)
                .soft(-4, 4)
                .range(-40, 40)
                .at(Invalidation::Lens)
                .in("Exposure")
                .help("Lighter or darker than that")}}),
      .existence = Invalidation::Shading};
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

Camera cameraOf(const Document& doc, const Node& node, double frame, int width, int height) {
  const Params p(node, frame);
  const auto place = [&](double at) { return standingMatrix(doc, node, at); };
  CameraSpec spec;
  spec.toWorld = place(frame);
  spec.width = width;
  spec.height = height;
  const Shutter shutter = shutterOf(doc, frame);
  if (shutter.close > shutter.open && isAnimated(doc, node))
    if (const MotionPtr moving = motionOf(place, shutter.open, shutter.close, p.real("focus")))
      spec.motion = std::make_shared<const Motion>(moving->rigid());
  spec.opening = Aperture(int(p.number("blades")), p.real("blade_rounding"), p.real("blade_turn"));
  const float focalLength = p.real("focal_length"), fStop = p.real("f_stop");
  spec.filmWidth = p.real("film_width") / focalLength;
  spec.apertureRadius = fStop > 0 ? focalLength * 0.001f / (2 * fStop) : 0;
  spec.focus = p.real("focus");
  return Camera(spec);
}

} // namespace ilumbra
