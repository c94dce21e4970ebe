#pragma once
#include "core/base/tasks.h"
#include "core/compile/caustics.h"
#include "core/transport/photon_beams.h"

#include <cmath>
#include <map>
#include <memory>
#include <vector>

namespace ilumbra {

class Scene;

/// A unit direction in four bytes, right to a hundredth of a degree: the octahedron unfolded (Cigolle et al. 2014, "A
/// survey of efficient representations for independent unit vectors").
class PackedDirection {
 public:
  PackedDirection() = default;
  explicit PackedDirection(const V3f& d) {
    const float inverse = 1 / (std::abs(d.x) + std::abs(d.y) + std::abs(d.z));
    float a = d.x * inverse, b = d.y * inverse;
    if (d.z < 0) {
      const float fold = (1 - std::abs(b)) * (a < 0 ? -1.0f : 1.0f);
      b = (1 - std::abs(a)) * (b < 0 ? -1.0f : 1.0f);
      a = fold;
    }
    m_a = int16_t(std::lround(a * 32767));
    m_b = int16_t(std::lround(b * 32767));
  }
  V3f unit() const {
    V3f d(float(m_a) / 32767, float(m_b) / 32767, 0);
    d.z = 1 - std::abs(d.x) - std::abs(d.y);
    if (d.z < 0) {
      const float x = d.x;
      d.x = (1 - std::abs(d.y)) * (x < 0 ? -1.0f : 1.0f);
      d.y = (1 - std::abs(x)) * (d.y < 0 ? -1.0f : 1.0f);
    }
    return normalize(d);
  }

 private:
  int16_t m_a = 0, m_b = 0;
};

/// Light that has come over mirrors and clear things to a surface.
struct Photon {
  V3f place;
  PackedDirection from;   ///< whence it came
  PackedDirection facing; ///< geometric normal on that side
  Color power;            ///< lumens at the unit of its group, of all photons of the pass
  uint16_t group = 0, thing = 0;
  float radius = 0; ///< metres over which its light is spread
};

/// Photons of one rule, sorted for finding those whose light reaches a place.
struct PhotonGrid {
  float radius = 0;             ///< the largest of theirs
  Box3f bounds;                 ///< of the places that their light reaches
  std::vector<bool> things;     ///< by thing: some lie on it; what is beyond has none
  std::vector<Photon> photons;  ///< sorted by cell
  std::vector<uint32_t> begins; ///< by cell's slot; one more at the end
  uint32_t slotOf(int x, int y, int z) const {
    return (uint32_t(x) * 73856093u ^ uint32_t(y) * 19349663u ^ uint32_t(z) * 83492791u) &
           (uint32_t(begins.size()) - 2);
  }
  /// Calls f(photon) for those in the cells around a place.
  template <typename F> void around(const V3f& place, const F& f) const;
  void sort(const std::vector<Photon>& in, float radius, const Tasks& tasks);
};

/// The photons of one pass, found by place, and its beams in the air. Immutable.
class PhotonMap {
 public:
  /// How the photons of a rule are spread: each over `radius`, or further, so that `gathered` lie within it, at most
  /// `furthest` times as far (a sample-point estimator, Breiman, Meisel and Purcell 1977, "Variable kernel estimates of
  /// multivariate densities": whatever the radii, no light is lost). Both are then `shrunk`.
  struct Spread {
    float radius = 0;
    uint32_t gathered = 0;
    float shrunk = 1;
  };
  static constexpr float furthest = 8;
  /// Takes over what was traced, by rule. `beams`: null where there is no air.
  PhotonMap(std::vector<std::vector<Photon>> byRule, const std::vector<Spread>& spread,
            std::unique_ptr<const PhotonBeams> beams, const Tasks& tasks);
  const std::vector<PhotonGrid>& grids() const { return m_grids; }
  const PhotonBeams* beams() const { return m_beams.get(); }
  size_t bytes() const;
  /// Calls f(photon, weight) for each photon whose light reaches a place on a surface of this thing: weight is 1 / m²,
  /// from a kernel that is largest in the middle and integrates to 1 over the disc (Epanechnikov).
  template <typename F>
  void near(const V3f& place, const V3f& facing, bool bothSides, uint16_t thing, const F& f) const;

 private:
  std::vector<PhotonGrid> m_grids;
  std::unique_ptr<const PhotonBeams> m_beams;
};

/// Traces the photons of a pass: the same for the same scene and pass, whatever the number of threads. `share`: of the
/// number that the rules ask for. Null if cancelled.
std::shared_ptr<const PhotonMap> tracePhotons(const Scene& scene, uint32_t pass, float share, const Tasks& tasks,
                                              const CancelFlag& cancel);

/// What becomes of the light that a rule's lamps send towards its Through, in lumens at their present groupScales; by
/// thing.
struct PhotonFlow {
  double aimed = 0;                     ///< sent towards balls around Through
  double misses = 0;                    ///< of that, past them: what would miss them if nothing else were there
  std::map<uint16_t, double> blocked;   ///< by what stands before them
  double dull = 0;                      ///< met them where they neither mirror nor pass
  double meets = 0;                     ///< mirrored or passed by them
  double leftOut = 0;                   ///< of that by what the rule says it wants
  double lands = 0;                     ///< of that on Onto
  std::map<uint16_t, double> elsewhere; ///< on other surfaces; the rest is absorbed, or leaves the set
  double turned = 0;                    ///< of that towards anywhere by air that is in Onto, on its way
  std::vector<Photon> landed, inAir; ///< on Onto, and about where it is turned in the air; power at present groupScales
  uint64_t rays = 0;
};
/// Traces some photons of a rule for measuring, the same each time.
PhotonFlow followPhotons(const Scene& scene, size_t rule, uint32_t perLight);

template <typename F> void PhotonGrid::around(const V3f& place, const F& f) const {
  const float perCell = 1 / (2 * radius);
  int low[3], high[3];
  for (int k = 0; k < 3; ++k) {
    low[k] = int(std::floor((place[k] - radius) * perCell));
    high[k] = int(std::floor((place[k] + radius) * perCell));
  }
  uint32_t seen[8];
  int count = 0;
  for (int z = low[2]; z <= high[2]; ++z)
    for (int y = low[1]; y <= high[1]; ++y)
      for (int x = low[0]; x <= high[0]; ++x) {
        const uint32_t slot = slotOf(x, y, z);
        bool again = false; // two cells may share a slot
        for (int i = 0; i < count; ++i) again |= seen[i] == slot;
        if (again || count == 8) continue;
        seen[count++] = slot;
        for (uint32_t i = begins[slot]; i < begins[slot + 1]; ++i) f(photons[i]);
      }
}

template <typename F>
void PhotonMap::near(const V3f& place, const V3f& facing, bool bothSides, uint16_t thing, const F& f) const {
  for (const PhotonGrid& s : m_grids) {
    if (thing >= s.things.size() || !s.things[thing] || !s.bounds.intersects(place)) continue;
    s.around(place, [&](const Photon& p) {
      const V3f d = p.place - place;
      const float d2 = dot(d, d), r2 = p.radius * p.radius;
      if (d2 >= r2 || p.thing != thing) return;
      const float side = dot(p.facing.unit(), facing);
      if (bothSides ? std::abs(side) >= 0.7f : side >= 0.7f) f(p, (2 / pi) / r2 * (1 - d2 / r2));
    });
  }
}

} // namespace ilumbra
