#pragma once
#include "core/document/document.h"
#include "core/render/layers.h"

#include <memory>

namespace ilumbra {

class Scene;
struct Emitter;

/// What an effect of caustics says of its photons, apart from who fills its roles.
std::vector<ParamDef> causticsParams();

/// One effect of caustics as the scene has it: whose light its photons carry, and how they are gathered.
struct CausticRule {
  NodeId effect = 0;
  std::vector<bool> from;          ///< by light: emitters, then skies
  std::vector<bool> through, onto; ///< by thing
  uint32_t photons = 0;            ///< of one pass
  float radius = 0;                ///< metres within which they are gathered, in the first pass
  bool steady = false;             ///< the radius stays; otherwise it shrinks, and what remains is right
  float strength = 1, saturation = 1;
  /// What is aimed at: balls that hold the copies of Through.
  struct Ball {
    V3f centre;
    float radius;
  };
  std::vector<Ball> aims;
  /// Metres, of pass 0, 1, ... (Knaus and Zwicker 2011, "Progressive photon mapping: a probabilistic approach", eq. 15, α = 2/3).
  float radiusOf(uint32_t pass) const;
};

/// Decides for every path that light takes over mirrors and clear things onto a surface whether photons carry it or camera paths find
/// it: never both. Photons do where an effect has the lamp in From, what the lamp's light meets first in Through, and the surface in
/// Onto. Immutable.
class Caustics {
public:
  explicit Caustics(std::vector<CausticRule> rules) : m_rules(std::move(rules)) {}
  const std::vector<CausticRule>& rules() const { return m_rules; }
  /// Index of the first rule that takes such light; -1: none. `light`: index into emitters, or past them into skies.
  int ruleOf(size_t light, uint16_t first, uint16_t onto) const {
    for (size_t i = 0; i < m_rules.size(); ++i)
      if (const CausticRule& r = m_rules[i]; r.from[light] && r.through[first] && r.onto[onto]) return int(i);
    return -1;
  }

private:
  std::vector<CausticRule> m_rules;
};

/// The rules of a document's effects in a scene whose lights and things are there; null if there are none.
std::shared_ptr<const Caustics> causticsOf(const Document& doc, double frame, const Scene& scene);

} // namespace ilumbra
