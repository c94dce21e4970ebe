#pragma once
#include "app/spoken.h"
#include "app/studio.h"

#include <QWidget>

class QLineEdit;

namespace ilumbra {

class PatternMark;

/// One parameter of one thing (or of one use of a shared thing): label, value with unit, and the means to change it.
/// Built for any ParamDef by makeParamRow(); nothing but the table says what a row looks like.
class ParamRow : public QWidget, public Spoken {
  Q_OBJECT
 public:
  ParamRow(Studio& studio, Address address, QWidget* parent);
  const Address& address() const { return m_address; }
  /// Reads the value again; called when the document changes.
  virtual void refresh() = 0;

  QAccessible::Role spokenRole() const override;
  QString spokenValue() const override;
  std::optional<Number> spokenNumber() const override;
  void setSpokenNumber(double value) override;
  std::optional<bool> spokenSwitch() const override;

 protected:
  const ParamDef& def() const { return *m_def; }
  Value value() const { return valueAt(m_studio.doc(), m_address); }
  /// Of keys what they say at this frame.
  Value valueNow() const;
  bool exists() const;
  bool isDefault() const;
  bool isMover() const; ///< it shows what a mover of a parameter is set to
  bool takesPatterns() const;
  Address patternAddress() const; ///< of what a pattern for this is put on
  /// What the row is called: the parameter's name or, of an input, its own, with a dot if this use sets it.
  QString label() const;
  /// True if the row shows an input of what is shared, and this use sets it.
  bool overridden() const;
  QString chip() const; ///< "3 keys", "pattern", or empty
  void set(const Constant& v, uint64_t gesture = 0);
  void setText(const QString& text);
  void reset();
  void menu(const QPoint& global);
  void patternMenu(const QPoint& global);
  void removePattern();
  /// Room that the label leaves for the mark behind it; 0: the row has none.
  int markRoom() const;
  /// Where the mark belongs, behind what is written of the label (pixels wide). `chip`: it lies over that instead.
  void placeMark(int labelWidth, const QRect& chip = {});
  void enterEvent(QEnterEvent* e) override;
  void leaveEvent(QEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override;
  /// A picture that is dropped drives what takes a pattern.
  void dragEnterEvent(QDragEnterEvent* e) override;
  void dropEvent(QDropEvent* e) override;
  QString title() const;

  Studio& m_studio;
  Address m_address;
  const ParamDef* m_def;
  PatternMark* m_mark = nullptr; ///< null: it takes no pattern that varies
};

ParamRow* makeParamRow(Studio& studio, const Address& address, QWidget* parent);

} // namespace ilumbra
