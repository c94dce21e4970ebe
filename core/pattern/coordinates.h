#pragma once
#include "core/pattern/program.h"

namespace ilumbra {

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
/// Which of its choices a parameter has, as an enumeration in their order.
template <typename E> E choiceOf(const Params& p, std::string_view name) {
  const auto& all = p.node().kind->param(name)->choices;
  return E(std::find(all.begin(), all.end(), p.text(name)) - all.begin());
}
inline V3f triple(const Params& p, std::string_view name) {
  const Triple t = p.triple(name);
  return {float(t[0]), float(t[1]), float(t[2])};
}
/// A register's place.
template <class T> Imath::Vec3<T> placeOf(const ValuesOf<T>& r) { return {r.x, r.y, r.z}; }
/// One number in all channels.
template <class T> ValuesOf<T> spread(const T& x) { return {x, x, x, T(1.0f)}; }
/// Between two values, by a number.
template <class T> ValuesOf<T> between(const ValuesOf<T>& a, const ValuesOf<T>& b, const T& t) {
  return {numbers::between(a.x, b.x, t), numbers::between(a.y, b.y, t), numbers::between(a.z, b.z, t),
          numbers::between(a.w, b.w, t)};
}
template <class C, class T> ValuesOf<T> choose(const C& c, const ValuesOf<T>& yes, const ValuesOf<T>& no) {
  return {numbers::choose(c, yes.x, no.x), numbers::choose(c, yes.y, no.y), numbers::choose(c, yes.z, no.z),
          numbers::choose(c, yes.w, no.w)};
}
/// Half the diagonal of a box in a register, and its middle.
inline float halfDiagonal(const Bounds4& place) {
  V3f d;
  for (int k = 0; k < 3; ++k) d[k] = place[k].high - place[k].low;
  return 0.5f * length(d) * 1.0001f;
}
inline V3f middleOf(const Bounds4& place) {
  V3f m;
  for (int k = 0; k < 3; ++k) m[k] = 0.5f * (place[k].low + place[k].high);
  return m;
}

} // namespace ilumbra
