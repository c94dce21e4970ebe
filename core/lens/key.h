#pragma once
#include "core/lens/stage.h"

namespace ilumbra {

/// Share of a pixel's light that passes a key: 0 below key·(1 − knee), 1 − key/Y far above, a parabola in between.
float keyShare(float luminance, float key, float knee);

/// What stages that take bright light have: a key on or off, where it lies and its knee.
std::vector<ParamDef> keyParams(bool on);
/// By pixel of all light of the sources, the share that passes; empty: all of it does.
std::vector<float> keyShares(const Params& params, const Picture& source, const Tasks& tasks);
/// A layer times shares.
Picture keyed(const Picture& layer, const std::vector<float>& shares, const Tasks& tasks);
/// A layer times shares; the layer itself, uncopied, where all of it passes. It must not outlive the layer.
struct Keyed {
  Keyed(const Picture& layer, const std::vector<float>& shares, const Tasks& tasks)
      : m_own(shares.empty() ? Picture() : keyed(layer, shares, tasks)), light(shares.empty() ? layer : m_own) {}
  Keyed(const Keyed&) = delete;

 private:
  Picture m_own;

 public:
  const Picture& light;
};
/// The reason of such a stage that does nothing.
std::string keyIdle(const Params& params);

} // namespace ilumbra
