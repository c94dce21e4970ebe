#include "app/spoken.h"

#include <QAccessibleWidget>

namespace ilumbra {
namespace {

class SpokenWidget : public QAccessibleWidget, public QAccessibleValueInterface {
 public:
  SpokenWidget(QWidget* w, Spoken& spoken) : QAccessibleWidget(w, spoken.spokenRole()), m_spoken(spoken) {}
  QString text(QAccessible::Text t) const override {
    if (t == QAccessible::Value) return m_spoken.spokenValue();
    return QAccessibleWidget::text(t);
  }
  QAccessible::State state() const override {
    QAccessible::State s = QAccessibleWidget::state();
    if (const std::optional<bool> on = m_spoken.spokenSwitch()) {
      s.checkable = true;
      s.checked = *on;
    }
    return s;
  }
  void* interface_cast(QAccessible::InterfaceType t) override {
    if (t == QAccessible::ValueInterface && m_spoken.spokenNumber())
      return static_cast<QAccessibleValueInterface*>(this);
    return QAccessibleWidget::interface_cast(t);
  }
  QVariant currentValue() const override { return number().value; }
  void setCurrentValue(const QVariant& v) override { m_spoken.setSpokenNumber(v.toDouble()); }
  QVariant minimumValue() const override { return number().least; }
  QVariant maximumValue() const override { return number().most; }
  QVariant minimumStepSize() const override { return number().step; }

 private:
  Spoken::Number number() const { return m_spoken.spokenNumber().value_or(Spoken::Number{}); }
  Spoken& m_spoken; ///< the widget itself: Qt takes interfaces down with their objects
};

QAccessibleInterface* interfaceOf(const QString&, QObject* object) {
  auto* spoken = dynamic_cast<Spoken*>(object);
  return spoken ? new SpokenWidget(static_cast<QWidget*>(object), *spoken) : nullptr;
}

} // namespace

void installSpoken() { QAccessible::installFactory(interfaceOf); }

void spokenChanged(QWidget* widget) {
  if (!QAccessible::isActive()) return;
  if (QAccessibleInterface* i = QAccessible::queryAccessibleInterface(widget)) {
    QAccessibleValueChangeEvent e(widget, i->text(QAccessible::Value));
    QAccessible::updateAccessibility(&e);
  }
}

} // namespace ilumbra
