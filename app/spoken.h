#pragma once
#include <optional>
#include <QAccessible>
#include <QString>

class QWidget;

namespace ilumbra {

/// A widget that draws itself, and tells screen readers and other aids what it shows. Its name is the widget's
/// accessible name, its help the tool tip.
class Spoken {
 public:
  virtual ~Spoken() = default;
  virtual QAccessible::Role spokenRole() const = 0;
  /// What it shows now: a value with its unit, or sentences.
  virtual QString spokenValue() const = 0;

  /// A number that aids may read and set, in the unit of spokenValue().
  struct Number {
    double value, least, most, step;
  };
  virtual std::optional<Number> spokenNumber() const { return {}; }
  virtual void setSpokenNumber(double) {}
  /// Of what is on or off; none: it is neither.
  virtual std::optional<bool> spokenSwitch() const { return {}; }
};

/// From here on every Spoken widget is told as such. Once, when the application starts.
void installSpoken();
/// What a widget shows may have changed.
void spokenChanged(QWidget* widget);

} // namespace ilumbra
