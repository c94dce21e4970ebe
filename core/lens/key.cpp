#include "core/lens/key.h"

#include <fmt/format.h>

namespace ilumbra {

float keyShare(float y, float key, float knee) {
  if (key <= 0) return 1;
  if (!(y > 0)) return 0;
  const float soft = key * clamp01(knee);
  float pass = y - key;
  if (soft > 0 && y > key - soft && y < key + soft) {
    const float t = y - key + soft;
    pass = t * t / (4 * soft);
  }
  return pass > 0 ? pass / y : 0;
}

std::vector<ParamDef> keyParams(bool on) {
  return {
      flag("keyed", "Key", on).at(Invalidation::Lens).in("Key").help("On: only what is brighter than the key counts"),
      number("key", "Key at", "stops", 0)
          .soft(-6, 10)
          .range(-40, 40)
          .at(Invalidation::Lens)
          .in("Key")
          .help("Above or below white"),
      number("knee", "Knee", "%", 0.5)
          .soft(0, 1)
          .range(0, 1)
          .at(Invalidation::Lens)
          .in("Key")
          .help("Softness of the key")};
}

std::vector<float> keyShares(const Params& p, const Picture& source, const Tasks& tasks) {
  if (!p.flag("keyed")) return {};
  const float key = float(std::exp2(p.number("key"))), knee = p.real("knee");
  std::vector<float> shares(source.pixels());
  tasks.forEach(source.height, [&](int y) {
    const float* s = source.at(0, y);
    float* o = shares.data() + size_t(y) * size_t(source.width);
    for (int x = 0; x < source.width; ++x, s += 3) o[x] = keyShare(luminance({s[0], s[1], s[2]}), key, knee);
  });
  return shares;
}

Picture keyed(const Picture& layer, const std::vector<float>& shares, const Tasks& tasks) {
  if (shares.empty()) return layer;
  Picture out(layer.width, layer.height);
  tasks.forEach(layer.height, [&](int y) {
    const float *s = layer.at(0, y), *k = shares.data() + size_t(y) * size_t(layer.width);
    float* o = out.at(0, y);
    for (int x = 0; x < layer.width; ++x, s += 3, o += 3)
      for (int c = 0; c < 3; ++c) o[c] = s[c] * k[x];
  });
  return out;
}

std::string keyIdle(const Params& p) {
  return p.flag("keyed") ? fmt::format("nothing of its light reaches the key at {:g} stops", p.number("key")) : "";
}

} // namespace ilumbra
