#pragma once
#include <algorithm>
#include <cmath>

namespace ilumbra {

/// A place between p1 and p2 on the round line through four places (of any Imath vector type), u in [0, 1]: centripetal
/// Catmull–Rom, which makes no loops between places that lie close (Yuksel et al. 2011, eq. 1).
template <typename V> V between(const V& p0, const V& p1, const V& p2, const V& p3, typename V::BaseType u) {
  using T = typename V::BaseType;
  const auto knot = [](const V& a, const V& b) { return std::sqrt((b - a).length()); };
  const T t1 = knot(p0, p1), t2 = t1 + knot(p1, p2), t3 = t2 + knot(p2, p3), t = t1 + (t2 - t1) * u;
  if (!(t2 > t1)) return p1;
  const auto along = [&](const V& a, const V& b, T ta, T tb) {
    return tb > ta ? (a * (tb - t) + b * (t - ta)) / (tb - ta) : a;
  };
  const V a1 = along(p0, p1, 0, t1), a2 = along(p1, p2, t1, t2), a3 = along(p2, p3, t2, t3);
  return along(along(a1, a2, 0, t2), along(a2, a3, t1, t3), t1, t2);
}

} // namespace ilumbra
