#pragma once
#include "core/base/vec.h"
#include "core/document/value.h"

#include <algorithm>
#include <vector>

namespace ilumbra {

/// One effect of caustics as the scene has it: whose light its photons carry, and how they are gathered.
struct CausticRule {
  NodeId effect = 0;
  std::vector<bool> from;          ///< by light: emitters, then skies
  std::vector<bool> through, onto; ///< by thing; airs are things too
  std::vector<bool> blocked;       ///< by thing: of Through, where it lets no light through but of lamps that insist
  std::vector<bool> insists;       ///< by light: its light is focused whatever things say
  uint32_t photons = 0;            ///< of one pass
  uint32_t passes = 0;             ///< after so many they begin anew: no more photons in all; 0: without end
  float radius = 0;                ///< metres within which they are gathered, in the first pass
  uint32_t gathered = 0;           ///< where fewer are within it, the radius is larger; 0: it is the same everywhere
  bool steady = false;             ///< the radius stays; otherwise it shrinks, and what remains is right
  float strength = 1, saturation = 1, carry = 0;
  bool mirrored = true, passed = true; ///< light that the first surface mirrors, and light that it lets through
  uint32_t surfaces = 0;               ///< that it may meet on its way; 0: any number
  float cutOff = 0;                    ///< share of a photon's power below which it is not followed
  /// What is aimed at: balls that hold the copies of Through.
  struct Ball {
    V3f centre;
    float radius;
  };
  std::vector<Ball> aims;
  float size = 0; ///< of the largest of them
  /// Of light by what the first surface did and how many it met.
  bool wants(bool mirroredFirst, uint32_t met) const {
    return (mirroredFirst ? mirrored : passed) && (surfaces == 0 || met <= surfaces);
  }
  /// The pass whose photons stand for pass 0, 1, ...
  uint32_t pass(uint32_t p) const { return passes > 0 ? p % passes : p; }
  /// Metres, of pass 0, 1, ... (Knaus and Zwicker 2011, "Progressive photon mapping: a probabilistic approach", eq. 15,
  /// α = 2/3).
  float radiusOf(uint32_t pass) const;
  /// By what light is strengthened this far, in metres, from the last surface that bent or mirrored it: (1 + way ÷
  /// size)^(2 · carry). At carry 1 light that spreads from a focus there is as bright far away as near it; 0 is
  /// physical.
  float carried(float way) const;
};

/// Decides for every path that light takes over mirrors and clear things onto a surface, or into air, whether photons
/// carry it or camera paths find it: never both. Photons do where an effect has the lamp in From, what the lamp's light
/// meets first in Through, and the surface or the air in Onto. Immutable.
class Caustics {
 public:
  explicit Caustics(std::vector<CausticRule> rules) : m_rules(std::move(rules)) {}
  const std::vector<CausticRule>& rules() const { return m_rules; }
  /// Index of the first rule that takes such light; -1: none. `light`: index into emitters, or past them into skies.
  int ruleOf(size_t light, uint16_t first, uint16_t onto) const {
    for (size_t i = 0; i < m_rules.size(); ++i)
      if (const CausticRule& r = m_rules[i];
          r.from[light] && r.through[first] && r.onto[onto] && (!r.blocked[first] || r.insists[light]))
        return int(i);
    return -1;
  }
  /// Some light is richer in colour than it is: what comes of it together is held from becoming less than nothing.
  bool saturated() const {
    return std::any_of(m_rules.begin(), m_rules.end(), [](const CausticRule& r) { return r.saturation > 1; });
  }
  /// True if all of a pass's photons are those of another.
  bool same(uint32_t a, uint32_t b) const {
    return std::all_of(m_rules.begin(), m_rules.end(), [&](const CausticRule& r) { return r.pass(a) == r.pass(b); });
  }

 private:
  std::vector<CausticRule> m_rules;
};

} // namespace ilumbra
