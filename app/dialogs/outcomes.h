#pragma once
#include "app/studio.h"

namespace ilumbra {

/// One way in which something can be done, and the document that it leads to.
struct Outcome {
  QString label, does;
  Document doc;
};
/// Asks which of a few is meant, each with a picture of what comes of it, rendered meanwhile away from the interface
/// thread. Arrows and Tab move, Return takes, Escape gives -1.
int askByPictures(QWidget* parent, Studio& studio, const QString& title, const QString& text,
                  const std::vector<Outcome>& outcomes);

/// An effect dropped onto a thing, in the picture or a list: it asks whether the thing goes into a role of it or gets a
/// linked effect of its own, and does that as one step. A material dropped onto an object is worn by it. What cannot be
/// dropped there is told.
void dropOn(QWidget* parent, Studio& studio, const std::vector<NodeId>& things, NodeId onto);

} // namespace ilumbra
