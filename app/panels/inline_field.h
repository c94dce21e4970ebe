#pragma once
#include <functional>
#include <QLineEdit>

namespace ilumbra {

/// A field that a drawn row opens over one of its numbers. Return and leaving it take what is typed, Escape does not.
/// It is the row's child, shown and focused at once, and deletes itself.
class InlineField : public QLineEdit {
  Q_OBJECT
 public:
  /// `before`: the text that stands there; `typed`: the key that opened it, which takes its place, or empty.
  InlineField(QWidget* row, const QRect& place, const QString& before, const QString& typed);
  std::function<void()> onTab; ///< closed by Tab, after all else; null: Tab leaves the row as it does elsewhere

 Q_SIGNALS:
  void closed();                   ///< always, and first
  void taken(const QString& text); ///< only what differs from the text before

 protected:
  bool event(QEvent*) override;
  void focusOutEvent(QFocusEvent*) override;

 private:
  void close(bool take);
  const QString m_before;
  bool m_closed = false;
};

} // namespace ilumbra
