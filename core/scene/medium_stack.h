#pragma once
#include "core/scene/scene.h"

namespace ilumbra {

/// The closed bodies that a path is in. Where several overlap, the one of the highest priority is there (Schmidt and
/// Budge 2002, "Simple Nested Dielectrics in Ray Traced Images"); among equals the one that stands later in the scene.
class MediumStack {
 public:
  struct Body {
    const Instance* instance;
    const Material* material;
    bool scatters; ///< the path entered to wander about, not to go through
  };
  bool empty() const { return m_count == 0; }
  void enter(const Body& body) {
    leave(body.instance);
    if (m_count < most) m_bodies[m_count++] = body;
  }
  void leave(const Instance* instance) {
    for (int i = 0; i < m_count; ++i)
      if (m_bodies[i].instance == instance) {
        for (int k = i + 1; k < m_count; ++k) m_bodies[k - 1] = m_bodies[k];
        --m_count;
        return;
      }
  }
  /// What is there, `but` one aside; null: nothing.
  const Body* current(const Instance* but = nullptr) const {
    const Body* best = nullptr;
    for (int i = 0; i < m_count; ++i)
      if (m_bodies[i].instance != but && (!best || outranks(m_bodies[i], best->instance, best->material)))
        best = &m_bodies[i];
    return best;
  }
  static bool outranks(const Body& a, const Instance* instance, const Material* material) {
    return a.material->priority != material->priority ? a.material->priority > material->priority
                                                      : a.instance > instance;
  }

 private:
  static constexpr int most = 8;
  Body m_bodies[most]; ///< meaningless from m_count on: not cleared for every path
  int m_count = 0;
};

} // namespace ilumbra
