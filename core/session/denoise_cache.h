#pragma once
#include "core/lens/develop.h"
#include "core/transport/rendering.h"

namespace ilumbra {

/// The denoised light of a film, kept: its layers at some scales of the groups, and group by group at unit power, so
/// that another mix is a sum. Of one thread.
class DenoiseCache {
 public:
  /// Forgets all.
  void clear() { *this = DenoiseCache(); }
  /// True if this is of a rendering's film, at whatever samples.
  bool isOf(const Rendering& r) const { return m_of == &r; }
  bool empty() const { return !m_denoiser; }
  /// Of the film when it was denoised.
  uint32_t samples() const { return m_samples; }
  /// Null: nothing is denoised.
  const Denoiser* denoiser() const { return m_denoiser ? &*m_denoiser : nullptr; }
  /// True if light() is of this rendering at these scales.
  bool holds(const Rendering& r, const std::vector<Color>& groupScales) const {
    return isOf(r) && !m_light.empty() && m_groupScales == groupScales;
  }
  const SceneLight& light() const { return m_light; }
  /// Denoises a rendering as it is now, or mixes it anew with the weights that it has. Throws Cancelled, and then stays
  /// as it was.
  void make(const Scene& scene, const Rendering& r, const std::vector<Color>& groupScales, const Tasks& tasks,
            const CancelFlag& cancel);
  /// Light at other scales, if every group is at hand; else nothing.
  void mix(const Scene& scene, const std::vector<Color>& groupScales, const Tasks& tasks);
  /// How many groups are at hand, and makes the next one.
  size_t groups() const { return m_groups.size(); }
  void makeGroup(const Scene& scene, const Tasks& tasks, const CancelFlag& cancel);
  /// What lies beside the frame has changed, or is gone.
  void forgetBeside() { m_light.beside.clear(); }
  void refreshBeside(const Scene& scene, const Tasks& tasks);

 private:
  const Rendering* m_of = nullptr;
  uint32_t m_samples = 0;
  std::optional<Denoiser> m_denoiser;
  SceneLight m_light; ///< empty: not made for `m_groupScales` yet
  std::vector<Color> m_groupScales;
  /// By group and layer at unit power; a picture without light is empty.
  std::vector<std::vector<Picture>> m_groups;
};

} // namespace ilumbra
