#pragma once
#include "core/pattern/program.h"

namespace ilumbra {

/// The spaces in which patterns lie.
enum class PatternSpace { Texture, Object, World, Camera };

/// The parameter that chooses one, and its reading.
inline ParamDef spaceParam(int first) {
  std::vector<std::string> names = {"texture", "object", "world", "camera"};
  std::rotate(names.begin(), names.begin() + first, names.begin() + first + 1);
  return choice("space", "Lies in", std::move(names))
      .help("The texture's coordinates, the object's own space, the world, or the picture");
}
inline PatternSpace spaceOf(const Params& p) {
  const std::string s = p.text("space");
  return s == "texture"  ? PatternSpace::Texture
         : s == "object" ? PatternSpace::Object
         : s == "world"  ? PatternSpace::World
                         : PatternSpace::Camera;
}
inline V3f placeIn(PatternSpace space, const PatternPoint& at) {
  switch (space) {
  case PatternSpace::Texture:
    return {at.uv.x, at.uv.y, 0};
  case PatternSpace::Object:
    return at.position;
  case PatternSpace::World:
    return at.world;
  case PatternSpace::Camera:
    break;
  }
  return {at.screen.x, at.screen.y, 0};
}
/// Size of a sample in that space.
inline float footprintIn(PatternSpace space, const PatternPoint& at) {
  return space == PatternSpace::Texture ? at.uvFootprint : space == PatternSpace::Camera ? 0 : at.footprint;
}
/// Which of its choices a parameter has, as an enumeration in their order.
template <typename E> E choiceOf(const Params& p, std::string_view name) {
  const auto& all = p.node().kind->param(name)->choices;
  return E(std::find(all.begin(), all.end(), p.text(name)) - all.begin());
}
inline V3f triple(const Params& p, std::string_view name) {
  const Triple t = p.triple(name);
  return {float(t[0]), float(t[1]), float(t[2])};
}
/// Numbers that choose smoothly between two others.
inline Sample4 lerp(const Sample4& a, const Sample4& b, float t) { return a * (1 - t) + b * t; }
inline Bounds4 hull(const Bounds4& a, const Bounds4& b) {
  Bounds4 r;
  for (int i = 0; i < 4; ++i) {
    r.low[i] = std::min(a.low[i], b.low[i]);
    r.high[i] = std::max(a.high[i], b.high[i]);
  }
  return r;
}

} // namespace ilumbra
