#pragma once
#include "app/studio.h"

#include <QPointer>

class QAction;

namespace ilumbra {

/// What a menu offers to put on a parameter.
struct PatternChoice {
  QPointer<QAction> action;
  /// The document with it on the parameter. `scene` may be null. Throws BadInput where it cannot be.
  std::function<Document(const Document& doc, const Scene* scene)> put;
};
/// Gives each action a picture of what it would put on the parameter at `address`, drawn on what shows it, away from
/// the interface thread; what cannot be drawn stays without.
void drawPatternChoices(Studio& studio, const Address& address, std::vector<PatternChoice> choices);

} // namespace ilumbra
