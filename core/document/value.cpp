#include "core/document/value.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {

bool Reference::operator==(const Reference& o) const {
  if (target != o.target) return false;
  const bool a = with && !with->empty(), b = o.with && !o.with->empty();
  return a == b && (!a || with == o.with || *with == *o.with);
}

const std::vector<std::string>& keyShapeNames() {
  static const std::vector<std::string> names = {"hold", "linear", "smooth", "ease in", "ease out", "ease in and out"};
  return names;
}

const std::vector<std::string>& beyondNames() {
  static const std::vector<std::string> names = {"hold", "repeat", "to and fro", "go on"};
  return names;
}

double frameWithin(const Keys& keys, double frame, double* rounds) {
  const double first = keys.keys.front().frame, last = keys.keys.back().frame, span = last - first;
  if (rounds) *rounds = 0;
  if (keys.beyond == BeyondKeys::Hold || !(span > 0) || (frame >= first && frame <= last))
    return std::clamp(frame, first, std::max(first, last));
  const double round = std::floor((frame - first) / span);
  if (rounds) *rounds = round;
  const double in = std::clamp(frame - first - round * span, 0.0, span);
  const bool back = keys.beyond == BeyondKeys::ToAndFro && std::fmod(std::abs(round), 2) == 1;
  return back ? last - in : first + in;
}

namespace {

using Get = double (*)(const Constant&, size_t);

// Of what runs round, and comes to where it began, the ends have each other's neighbours.
double tangent(const Keys& keys, size_t i, Get get, size_t c) {
  const std::vector<Key>& k = keys.keys;
  const size_t last = k.size() - 1;
  if ((i == 0 || i == last) && last > 0) {
    if (keys.beyond == BeyondKeys::ToAndFro) return 0;
    if (keys.beyond == BeyondKeys::GoOn || (keys.beyond == BeyondKeys::Repeat && k.front().value == k.back().value)) {
      const double span = k[1].frame - k[0].frame + k[last].frame - k[last - 1].frame;
      return (get(k[1].value, c) - get(k[0].value, c) + get(k[last].value, c) - get(k[last - 1].value, c)) / span;
    }
  }
  const size_t a = i > 0 ? i - 1 : i, b = i < last ? i + 1 : i;
  const double span = k[b].frame - k[a].frame;
  return span > 0 ? (get(k[b].value, c) - get(k[a].value, c)) / span : 0;
}

double interpolate(const Keys& keys, size_t i, double frame, Get get, size_t c) {
  const std::vector<Key>& k = keys.keys;
  const double span = k[i + 1].frame - k[i].frame, t = (frame - k[i].frame) / span;
  const double a = get(k[i].value, c), b = get(k[i + 1].value, c);
  const double t2 = t * t, t3 = t2 * t;
  const auto eased = [&](double full) { return a + (b - a) * (t + k[i].ease * (full - t)); };
  switch (k[i].shape) {
  case KeyShape::Hold:
    return a;
  case KeyShape::Linear:
    return a + (b - a) * t;
  case KeyShape::EaseIn:
    return eased(t3);
  case KeyShape::EaseOut:
    return eased(1 - (1 - t) * (1 - t) * (1 - t));
  case KeyShape::EaseBoth:
    return eased(3 * t2 - 2 * t3);
  case KeyShape::Smooth:
    break;
  }
  const double ma = tangent(keys, i, get, c) * span, mb = tangent(keys, i + 1, get, c) * span;
  return (2 * t3 - 3 * t2 + 1) * a + (t3 - 2 * t2 + t) * ma + (3 * t2 - 2 * t3) * b + (t3 - t2) * mb;
}

// Within the keys.
Constant between(const Keys& keys, double frame) {
  const std::vector<Key>& k = keys.keys;
  if (frame <= k.front().frame) return k.front().value;
  if (frame >= k.back().frame) return k.back().value;
  const auto after =
      std::upper_bound(k.begin(), k.end(), frame, [](double f, const Key& key) { return f < key.frame; });
  const auto i = size_t(after - k.begin()) - 1;
  if (k[i].shape == KeyShape::Hold || frame == k[i].frame) return k[i].value;
  if (std::holds_alternative<double>(k[i].value))
    return interpolate(
        keys, i, frame, [](const Constant& v, size_t) { return std::get<double>(v); }, 0);
  if (std::holds_alternative<Triple>(k[i].value)) {
    Triple r;
    for (size_t c = 0; c < 3; ++c)
      r[c] = interpolate(
          keys, i, frame, [](const Constant& v, size_t n) { return std::get<Triple>(v)[n]; }, c);
    return r;
  }
  return k[i].value;
}

} // namespace

Constant evaluate(const Keys& keys, double frame) {
  if (keys.keys.empty()) return 0.0;
  double rounds = 0;
  Constant v = between(keys, frameWithin(keys, frame, &rounds));
  if (keys.beyond != BeyondKeys::GoOn || rounds == 0) return v;
  const Constant &first = keys.keys.front().value, &last = keys.keys.back().value;
  if (double* d = std::get_if<double>(&v)) *d += rounds * (std::get<double>(last) - std::get<double>(first));
  if (Triple* t = std::get_if<Triple>(&v))
    for (size_t c = 0; c < 3; ++c) (*t)[c] += rounds * (std::get<Triple>(last)[c] - std::get<Triple>(first)[c]);
  return v;
}

} // namespace ilumbra
