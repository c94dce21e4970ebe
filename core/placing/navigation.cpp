#include "core/placing/navigation.h"

#include "core/document/edit.h"

#include <cmath>

namespace ilumbra {
namespace {

// Where a camera stands, seen from the point that it looks at.
struct Orbit {
  Triple at, to;
  double x, y, z, distance;
  explicit Orbit(const Params& p)
      : at(p.triple("position")), to(p.triple("target")), x(at[0] - to[0]), y(at[1] - to[1]), z(at[2] - to[2]),
        distance(std::max(1e-6, std::sqrt(x * x + y * y + z * z))) {}
};

Document put(const Document& doc, NodeId id, const char* param, Triple place) {
  for (double& v : place) v = std::round(v * 1e5) / 1e5;
  return setNow(doc, {id, param, 0, {}}, Constant(place));
}

} // namespace

Document orbited(const Document& doc, NodeId camera, double left, double up) {
  const Orbit o(Params(*doc.find(camera), currentFrame(doc)));
  const double bearing = std::atan2(o.x, o.z) + left,
               tilt = std::clamp(std::atan2(o.y, std::sqrt(o.x * o.x + o.z * o.z)) + up, -1.55, 1.55);
  return put(doc, camera, "position",
             {o.to[0] + o.distance * std::cos(tilt) * std::sin(bearing), o.to[1] + o.distance * std::sin(tilt),
              o.to[2] + o.distance * std::cos(tilt) * std::cos(bearing)});
}

Document panned(const Document& doc, NodeId camera, double right, double down) {
  const Params p(*doc.find(camera), currentFrame(doc)), s = settingsOf(doc);
  const Orbit o(p);
  const double seen =
      o.distance * p.number("film_width") / p.number("focal_length") * s.number("height") / s.number("width");
  const double flat = std::max(1e-9, std::sqrt(o.x * o.x + o.z * o.z));
  const double sx = o.z / flat, sz = -o.x / flat; // right
  const double ux = -o.y * o.x / (flat * o.distance), uy = flat / o.distance,
               uz = -o.y * o.z / (flat * o.distance); // up
  const double dx = -right * seen, dy = down * seen;
  const Triple shift{sx * dx + ux * dy, uy * dy, sz * dx + uz * dy};
  const auto moved = [&](const Triple& t) { return Triple{t[0] + shift[0], t[1] + shift[1], t[2] + shift[2]}; };
  return put(put(doc, camera, "position", moved(o.at)), camera, "target", moved(o.to));
}

Document dollied(const Document& doc, NodeId camera, double factor) {
  const Params p(*doc.find(camera), currentFrame(doc));
  const Orbit o(p);
  const double d = o.distance * factor;
  if (d < 1e-3 || d > 1e5) return doc;
  Document out = put(doc, camera, "position", {o.to[0] + o.x * factor, o.to[1] + o.y * factor, o.to[2] + o.z * factor});
  if (std::abs(p.number("focus") - o.distance) < 0.02 * o.distance)
    out = setNow(out, {camera, "focus", 0, {}}, Constant(std::clamp(std::round(d * 1e4) / 1e4, 0.001, 1e6)));
  return out;
}

} // namespace ilumbra
