#pragma once
#include "core/base/tasks.h"
#include "core/render/caustics.h"

#include <map>
#include <memory>
#include <vector>

namespace ilumbra {

class Scene;

/// Light that has come over mirrors and clear things to a surface.
struct Photon {
  V3f place;
  V3f from;       ///< unit, whence it came
  V3f facing;     ///< unit, geometric normal on that side
  Color power;    ///< lumens at the unit of its group, of all photons of the pass
  uint16_t group = 0, thing = 0;
};

/// The photons of one pass, found by place. Immutable.
class PhotonMap {
public:
  /// Photons of one rule, gathered within its radius.
  struct Sheet {
    float radius = 0;
    std::vector<Photon> photons;        ///< sorted by cell
    std::vector<uint32_t> begins;       ///< by cell's slot; one more at the end
    uint32_t slotOf(int x, int y, int z) const { return (uint32_t(x) * 73856093u ^ uint32_t(y) * 19349663u ^ uint32_t(z) * 83492791u) & (uint32_t(begins.size()) - 2); }
  };
  /// Takes over what was traced; `radius` by rule.
  PhotonMap(std::vector<std::vector<Photon>> byRule, const std::vector<float>& radius, const Tasks& tasks);
  const std::vector<Sheet>& sheets() const { return m_sheets; }
  size_t bytes() const;
  /// Calls f(photon, weight) for each photon near a place on a surface of this thing: weight is 1 / m², from a kernel that is largest in
  /// the middle and integrates to 1 over the disc (Epanechnikov).
  template <typename F> void near(const V3f& place, const V3f& facing, bool bothSides, const F& f) const;

private:
  std::vector<Sheet> m_sheets;
};

/// Traces the photons of a pass: the same for the same scene and pass, whatever the number of threads. `share`: of the number that
/// the rules ask for. Null if cancelled.
std::shared_ptr<const PhotonMap> tracePhotons(const Scene& scene, uint32_t pass, float share, const Tasks& tasks, const CancelFlag& cancel);

/// What becomes of the light that a rule's lamps send towards its Through, in lumens at their present amounts; by thing.
struct PhotonFlow {
  double aimed = 0;                    ///< sent towards balls around Through
  double misses = 0;                   ///< of that, by them
  std::map<uint16_t, double> blocked;  ///< by what stands before them
  double dull = 0;                     ///< met them where they neither mirror nor pass
  double meets = 0;                    ///< mirrored or passed by them
  double lands = 0;                    ///< of that on Onto
  std::map<uint16_t, double> elsewhere; ///< on other surfaces; the rest is absorbed, or leaves the set
  std::vector<Photon> landed;          ///< power at present amounts
  uint64_t rays = 0;
};
/// Traces some photons of a rule for measuring, the same each time.
PhotonFlow followPhotons(const Scene& scene, size_t rule, uint32_t perLight);

template <typename F> void PhotonMap::near(const V3f& place, const V3f& facing, bool bothSides, const F& f) const {
  for (const Sheet& s : m_sheets) {
    if (s.photons.empty()) continue;
    const float r = s.radius, perCell = 1 / (2 * r), inverse2 = 1 / (r * r);
    int low[3], high[3];
    for (int k = 0; k < 3; ++k) {
      low[k] = int(std::floor((place[k] - r) * perCell));
      high[k] = int(std::floor((place[k] + r) * perCell));
    }
    uint32_t seen[8];
    int count = 0;
    for (int z = low[2]; z <= high[2]; ++z)
      for (int y = low[1]; y <= high[1]; ++y)
        for (int x = low[0]; x <= high[0]; ++x) {
          const uint32_t slot = s.slotOf(x, y, z);
          bool again = false; // two cells may share a slot
          for (int i = 0; i < count; ++i) again |= seen[i] == slot;
          if (again || count == 8) continue;
          seen[count++] = slot;
          for (uint32_t i = s.begins[slot]; i < s.begins[slot + 1]; ++i) {
            const Photon& p = s.photons[i];
            const V3f d = p.place - place;
            const float d2 = dot(d, d);
            if (d2 >= r * r) continue;
            const float side = dot(p.facing, facing);
            if (bothSides ? std::abs(side) < 0.7f : side < 0.7f) continue;
            f(p, (2 / pi) * inverse2 * (1 - d2 * inverse2));
          }
        }
  }
}

} // namespace ilumbra
