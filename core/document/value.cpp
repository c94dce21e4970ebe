#include "core/document/value.h"

#include <algorithm>

namespace ilumbra {

bool Reference::operator==(const Reference& o) const {
  if (target != o.target) return false;
  const bool a = with && !with->empty(), b = o.with && !o.with->empty();
  return a == b && (!a || with == o.with || *with == *o.with);
}

namespace {

double tangent(const std::vector<Key>& k, size_t i, double (*get)(const Constant&, size_t), size_t c) {
  const size_t a = i > 0 ? i - 1 : i, b = i + 1 < k.size() ? i + 1 : i;
  const double span = k[b].frame - k[a].frame;
  return span > 0 ? (get(k[b].value, c) - get(k[a].value, c)) / span : 0;
}

double interpolate(const std::vector<Key>& k, size_t i, double frame, double (*get)(const Constant&, size_t),
                   size_t c) {
  const double span = k[i + 1].frame - k[i].frame, t = (frame - k[i].frame) / span;
  const double a = get(k[i].value, c), b = get(k[i + 1].value, c);
  if (k[i].shape == KeyShape::Linear) return a + (b - a) * t;
  const double ma = tangent(k, i, get, c) * span, mb = tangent(k, i + 1, get, c) * span;
  const double t2 = t * t, t3 = t2 * t;
  return (2 * t3 - 3 * t2 + 1) * a + (t3 - 2 * t2 + t) * ma + (3 * t2 - 2 * t3) * b + (t3 - t2) * mb;
}

} // namespace

Constant evaluate(const Keys& keys, double frame) {
  const std::vector<Key>& k = keys.keys;
  if (k.empty()) return 0.0;
  if (frame <= k.front().frame) return k.front().value;
  if (frame >= k.back().frame) return k.back().value;
  const auto after =
      std::upper_bound(k.begin(), k.end(), frame, [](double f, const Key& key) { return f < key.frame; });
  const auto i = size_t(after - k.begin()) - 1;
  if (k[i].shape == KeyShape::Hold || frame == k[i].frame) return k[i].value;
  if (std::holds_alternative<double>(k[i].value))
    return interpolate(
        k, i, frame, [](const Constant& v, size_t) { return std::get<double>(v); }, 0);
  if (std::holds_alternative<Triple>(k[i].value)) {
    Triple r;
    for (size_t c = 0; c < 3; ++c)
      r[c] = interpolate(
          k, i, frame, [](const Constant& v, size_t n) { return std::get<Triple>(v)[n]; }, c);
    return r;
  }
  return k[i].value;
}

} // namespace ilumbra
