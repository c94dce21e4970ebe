#include "core/pattern/fit.h"

#include "core/base/error.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <limits>

namespace ilumbra {

PatternRange rangeOf(const std::vector<float>& numbers, const ParamDef& takes, int bins) {
  PatternRange r;
  r.low = std::numeric_limits<float>::infinity();
  r.high = -std::numeric_limits<float>::infinity();
  const auto hardMin = float(takes.hardMin), hardMax = float(takes.hardMax);
  size_t below = 0, above = 0, counted = 0;
  for (const float v : numbers) {
    if (!std::isfinite(v)) continue;
    ++counted;
    r.low = std::min(r.low, v);
    r.high = std::max(r.high, v);
    below += v < hardMin - 1e-6f;
    above += v > hardMax + 1e-6f;
  }
  if (!counted) return {};
  r.below = float(below) / float(counted);
  r.above = float(above) / float(counted);
  r.from = std::min(r.low, float(takes.softMin));
  r.to = std::max(r.high, float(takes.softMax));
  if (!(r.to > r.from)) r.to = r.from + 1;
  r.bins.assign(size_t(bins), 0);
  for (const float v : numbers)
    if (std::isfinite(v))
      r.bins[size_t(std::clamp(int(float(bins) * (v - r.from) / (r.to - r.from)), 0, bins - 1))] += 1 / float(counted);
  return r;
}

Document fitted(const Document& doc, const Address& at, float low, float high) {
  const ParamDef& def = definitionAt(doc, at);
  const Value before = valueAt(doc, at);
  const std::string place = addressText(doc, at);
  if (!before.pattern()) throw badInput(place + ": no pattern drives it");
  if (def.type == ParamType::Color || def.hardMin < -1e29)
    throw badInput(place + ": it takes whatever the pattern gives");
  NodeId id = 0;
  Document out = addNode(doc, "pattern.remap", fmt::format("Fit of {}", doc.find(at.node)->name), {}, &id);
  const auto tidy = [](float v) { return std::round(double(v) * 1e4) / 1e4; };
  const double most = def.hardMax < 1e29 ? def.hardMax : def.softMax;
  out = setValue(out, id, "value", before);
  out = setValue(out, id, "floor", Constant(tidy(low)));
  out = setValue(out, id, "ceiling", Constant(tidy(std::max(high, low + 1e-4f))));
  out = setValue(out, id, "low", Constant(def.hardMin));
  out = setValue(out, id, "high", Constant(most));
  return setAt(out, at, PatternUse{{id, nullptr}});
}

} // namespace ilumbra
