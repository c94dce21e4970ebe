#pragma once
#include <optional>
#include <QString>
#include <vector>

class QWidget;

namespace ilumbra {

/// An answer to a question, and a line that says what it does.
struct Answer {
  QString label;
  QString does;
};

/// Asks in a window of our own: a title, a sentence, and the answers one below the other, each with what it does.
/// Arrows and Tab move, Return takes, Escape gives -1. `first` is the one that is lit.
int ask(QWidget* parent, const QString& title, const QString& text, const std::vector<Answer>& answers, int first = 0);
/// Tells something that must be read before work goes on.
void tellInWindow(QWidget* parent, const QString& title, const QString& text);
/// A line of text; none if it is left.
std::optional<QString> askForText(QWidget* parent, const QString& title, const QString& label, const QString& text);

} // namespace ilumbra
