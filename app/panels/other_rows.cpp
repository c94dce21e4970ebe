#include "app/panels/other_rows.h"

#include "app/flow_layout.h"
#include "app/theme.h"
#include "core/base/colorspace.h"
#include "core/document/units.h"

#include <QColorDialog>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QToolButton>

namespace ilumbra {

LineRow::LineRow(Studio& studio, const Address& address, QWidget* parent) : ParamRow(studio, address, parent) {
  m_layout = new QHBoxLayout(this);
  m_layout->setContentsMargins(0, 2, 0, 2);
  m_layout->setSpacing(6);
  m_label = new QLabel(qs(def().label), this);
  m_label->setMinimumWidth(0);
  m_label->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  m_layout->addWidget(m_label, 1);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  setFixedHeight(30);
}

void LineRow::keyPressEvent(QKeyEvent* e) {
  // Keys that a field inside lets through are not meant for the row.
  if (!hasFocus()) return e->accept();
  if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter || e->key() == Qt::Key_Space) return activate();
  if (e->key() == Qt::Key_Backspace) return reset();
  if (e->key() == Qt::Key_Menu) return menu(mapToGlobal(QPoint(20, 20)));
  QWidget::keyPressEvent(e);
}

void LineRow::paintEvent(QPaintEvent*) {
  if (!hasFocus()) return;
  QPainter p(this);
  p.fillRect(0, height() - 1, width(), 1, theme::accent);
}

FlagRow::FlagRow(Studio& s, const Address& a, QWidget* parent) : LineRow(s, a, parent) {
  m_layout->addSpacing(76);
  refresh();
}

void FlagRow::refresh() {
  if (!exists()) return;
  Constant c = def().initial;
  const Value v = value();
  if (const Constant* k = v.constant()) c = *k;
  if (const Keys* k = v.keys()) c = evaluate(*k, m_studio.frame());
  if (const bool* b = std::get_if<bool>(&c)) m_on = *b;
  update();
}

void FlagRow::activate() { set(!m_on); }
void FlagRow::mousePressEvent(QMouseEvent* e) {
  if (e->button() == Qt::LeftButton) {
    setFocus();
    activate();
  }
}

void FlagRow::paintEvent(QPaintEvent* e) {
  LineRow::paintEvent(e);
  QPainter p(this);
  p.setFont(theme::font(12));
  const QString off = tr("off"), on = tr("on");
  // Both words stand there; the one that holds is lit, over a short piece of line.
  const int right = width(), wOn = p.fontMetrics().horizontalAdvance(on), wOff = p.fontMetrics().horizontalAdvance(off);
  const QRect onRect(right - wOn - 4, 0, wOn + 4, height() - 3),
      offRect(right - wOn - wOff - 26, 0, wOff + 4, height() - 3);
  p.setPen(m_on ? theme::text : theme::faint);
  p.drawText(onRect, Qt::AlignCenter, on);
  p.setPen(m_on ? theme::faint : theme::text);
  p.drawText(offRect, Qt::AlignCenter, off);
  const QRect& lit = m_on ? onRect : offRect;
  p.fillRect(lit.left(), height() - 7, lit.width(), 2, m_on ? theme::accent : theme::dim);
}

ChoiceRow::ChoiceRow(Studio& s, const Address& a, QWidget* parent) : LineRow(s, a, parent) {
  m_button = new QToolButton(this);
  m_button->setProperty("class", "accent");
  m_button->setFocusPolicy(Qt::NoFocus);
  connect(m_button, &QToolButton::clicked, this, [this] { activate(); });
  m_layout->addWidget(m_button);
  refresh();
}

void ChoiceRow::refresh() {
  if (!exists()) return;
  m_button->setText(qs(formatValue(m_studio.doc(), def(), valueNow())));
}

void ChoiceRow::activate() {
  QMenu m(this);
  const QString now = m_button->text();
  for (const std::string& c : def().choices) {
    QAction* a = m.addAction(qs(c));
    a->setCheckable(true);
    a->setChecked(qs(c) == now);
  }
  if (const QAction* a = m.exec(m_button->mapToGlobal(QPoint(0, m_button->height())))) set(a->text().toStdString());
}

ColorRow::ColorRow(Studio& s, const Address& a, QWidget* parent) : LineRow(s, a, parent) {
  m_layout->addSpacing(28);
  m_field = new QLineEdit(this);
  m_field->setFixedWidth(112);
  m_field->setAlignment(Qt::AlignRight);
  connect(m_field, &QLineEdit::editingFinished, this, [this] {
    if (m_field->isModified()) setText(m_field->text());
    m_field->setModified(false);
  });
  m_layout->addWidget(m_field);
  refresh();
}

static QColor shown(const Triple& t) {
  const double most = std::max({1.0, t[0], t[1], t[2]});
  const auto byte = [&](double v) {
    return int(std::lround(255 * std::clamp(srgbEncoded<double>(std::max(0.0, v / most)), 0.0, 1.0)));
  };
  return {byte(t[0]), byte(t[1]), byte(t[2])};
}

void ColorRow::refresh() {
  if (!exists()) return;
  const Value v = value();
  if (v.pattern()) {
    m_field->setText(chip());
    m_field->setReadOnly(true);
    m_color = theme::selected;
    update();
    return;
  }
  m_field->setReadOnly(false);
  Constant c = def().initial;
  if (const Constant* k = v.constant()) c = *k;
  if (const Keys* k = v.keys()) c = evaluate(*k, m_studio.frame());
  if (const Triple* t = std::get_if<Triple>(&c)) {
    m_color = shown(*t);
    if (!m_field->hasFocus() || !m_field->isModified()) {
      const auto digits = [](double x) { return QString::number(x, 'g', 3); };
      m_field->setText(QStringLiteral("%1, %2, %3").arg(digits((*t)[0]), digits((*t)[1]), digits((*t)[2])));
      m_field->setModified(false);
    }
  }
  update();
}

QRect ColorRow::swatch() const { return {width() - 112 - 30, 6, 22, height() - 13}; }

void ColorRow::paintEvent(QPaintEvent* e) {
  LineRow::paintEvent(e);
  QPainter p(this);
  p.setPen(theme::tick);
  p.setBrush(m_color);
  p.drawRect(swatch());
}

void ColorRow::mousePressEvent(QMouseEvent* e) {
  setFocus();
  if (swatch().adjusted(-3, -4, 3, 4).contains(e->pos())) activate();
}

void ColorRow::activate() {
  if (value().pattern()) return;
  QColorDialog dialog(m_color, this);
  dialog.setOption(QColorDialog::DontUseNativeDialog);
  dialog.setWindowTitle(qs(def().label));
  const uint64_t gesture = m_studio.newGesture();
  const Value before = value();
  const auto take = [&](const QColor& c) {
    set(Triple{srgbDecoded<double>(c.redF()), srgbDecoded<double>(c.greenF()), srgbDecoded<double>(c.blueF())},
        gesture);
  };
  connect(&dialog, &QColorDialog::currentColorChanged, this, take);
  if (dialog.exec() != QDialog::Accepted)
    m_studio.edit(
        title(), [&](const Document& doc) { return setAt(doc, m_address, before); }, gesture);
}

VectorRow::VectorRow(Studio& s, const Address& a, QWidget* parent) : ParamRow(s, a, parent) {
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  setMouseTracking(true);
  refresh();
}

void VectorRow::refresh() {
  if (!exists()) return;
  Constant c = def().initial;
  const Value v = value();
  if (const Constant* k = v.constant()) c = *k;
  if (const Keys* k = v.keys()) c = evaluate(*k, m_studio.frame());
  if (const Triple* t = std::get_if<Triple>(&c)) m_value = *t;
  update();
}

QRect VectorRow::cell(int i) const {
  const int gap = 6, w = (width() - 2 * gap) / 3;
  return {i * (w + gap), 22, w, 22};
}

int VectorRow::cellAt(const QPoint& at) const {
  for (int i = 0; i < 3; ++i)
    if (cell(i).contains(at)) return i;
  return -1;
}

void VectorRow::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setFont(theme::font(12));
  p.setPen(theme::text);
  p.drawText(QRect(0, 1, width(), 19), Qt::AlignLeft | Qt::AlignVCenter, qs(def().label));
  p.setPen(theme::dim);
  const QString c = chip();
  p.drawText(QRect(0, 1, width(), 19), Qt::AlignRight | Qt::AlignVCenter, c.isEmpty() ? qs(def().unit) : c);
  static const char* const names[] = {"x", "y", "z"};
  for (int i = 0; i < 3; ++i) {
    const QRect r = cell(i);
    p.fillRect(r, theme::desk);
    const bool active = hasFocus() && m_active == i;
    p.fillRect(QRect(r.left(), r.bottom(), r.width(), 1), active ? theme::accent : theme::tick);
    p.setPen(theme::faint);
    p.drawText(r.adjusted(5, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, QLatin1String(names[i]));
    p.setPen(theme::text);
    if (m_typing != i)
      p.drawText(r.adjusted(0, 0, -5, 0), Qt::AlignRight | Qt::AlignVCenter,
                 QString::number(std::round(m_value[size_t(i)] * 1e4) / 1e4, 'g', 6));
  }
}

void VectorRow::setComponent(int i, double v, uint64_t gesture) {
  Triple t = m_value;
  t[size_t(i)] = std::clamp(v, def().hardMin, def().hardMax);
  set(t, gesture);
}

void VectorRow::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  setFocus();
  const int i = cellAt(e->pos());
  if (i < 0) return;
  m_active = m_dragging = i;
  m_pressAt = e->pos();
  m_pressValue = m_value[size_t(i)];
  m_moved = false;
  m_gesture = m_studio.newGesture();
  update();
}

void VectorRow::mouseMoveEvent(QMouseEvent* e) {
  if (m_dragging < 0) {
    setCursor(cellAt(e->pos()) >= 0 ? Qt::SizeHorCursor : Qt::ArrowCursor);
    return;
  }
  const int dx = e->pos().x() - m_pressAt.x();
  if (!m_moved && std::abs(dx) < 3) return;
  m_moved = true;
  const double fine = e->modifiers() & Qt::ShiftModifier ? 0.1 : 1, unit = (def().softMax - def().softMin) / 600 * fine;
  setComponent(m_dragging, std::round((m_pressValue + dx * unit) * 1e3) / 1e3, m_gesture);
}

void VectorRow::mouseReleaseEvent(QMouseEvent*) {
  const int i = std::exchange(m_dragging, -1);
  if (i >= 0 && !m_moved) type(i);
}

void VectorRow::mouseDoubleClickEvent(QMouseEvent* e) {
  if (cellAt(e->pos()) < 0) reset();
}

void VectorRow::keyPressEvent(QKeyEvent* e) {
  const double unit = (def().softMax - def().softMin) / 100 * (e->modifiers() & Qt::ShiftModifier ? 0.1 : 1);
  switch (e->key()) {
  case Qt::Key_Left:
    m_active = (m_active + 2) % 3;
    return update();
  case Qt::Key_Right:
    m_active = (m_active + 1) % 3;
    return update();
  case Qt::Key_Up:
    return setComponent(m_active, m_value[size_t(m_active)] + unit, m_studio.newGesture());
  case Qt::Key_Down:
    return setComponent(m_active, m_value[size_t(m_active)] - unit, m_studio.newGesture());
  case Qt::Key_Return:
  case Qt::Key_Enter:
    return type(m_active);
  case Qt::Key_Backspace:
    return reset();
  case Qt::Key_Menu:
    return menu(mapToGlobal(QPoint(20, 20)));
  default:
    break;
  }
  const QString t = e->text();
  if (t.size() == 1 && (t[0].isDigit() || QStringLiteral("+-.(").contains(t[0]))) return type(m_active, t);
  QWidget::keyPressEvent(e);
}

void VectorRow::type(int i, const QString& initial) {
  if (m_field) return;
  m_typing = i;
  m_field = new QLineEdit(this);
  m_field->setAlignment(Qt::AlignRight);
  m_field->setGeometry(cell(i));
  m_field->setText(initial.isEmpty() ? QString::number(m_value[size_t(i)], 'g', 6) : initial);
  if (initial.isEmpty()) m_field->selectAll();
  m_field->installEventFilter(this);
  m_field->show();
  m_field->setFocus();
}

bool VectorRow::eventFilter(QObject* o, QEvent* e) {
  if (o != m_field) return false;
  const auto close = [&](bool take) {
    QLineEdit* field = m_field;
    m_field = nullptr;
    const int i = std::exchange(m_typing, -1);
    const QString text = field->text();
    field->removeEventFilter(this);
    field->hide();
    field->deleteLater();
    if (take && text != QString::number(m_value[size_t(i)], 'g', 6))
      m_studio.edit(title(), [&](const Document& doc) {
        Triple t = m_value;
        t[size_t(i)] = parseNumber(def(), text.toStdString(), t[size_t(i)]);
        return setNow(doc, m_address, Constant(t));
      });
    update();
  };
  if (e->type() == QEvent::KeyPress) {
    const int key = static_cast<QKeyEvent*>(e)->key();
    if (key == Qt::Key_Escape || key == Qt::Key_Return || key == Qt::Key_Enter) {
      close(key != Qt::Key_Escape);
      setFocus();
      return true;
    }
    if (key == Qt::Key_Tab) {
      const int i = m_typing;
      close(true);
      m_active = (i + 1) % 3;
      type(m_active);
      return true;
    }
  }
  if (e->type() == QEvent::FocusOut) close(true);
  return false;
}

TextRow::TextRow(Studio& s, const Address& a, QWidget* parent) : LineRow(s, a, parent) {
  m_field = new QLineEdit(this);
  m_field->setMinimumWidth(110);
  m_label->setMinimumWidth(std::min(100, m_label->sizeHint().width())); // what it is comes before what is in it
  connect(m_field, &QLineEdit::editingFinished, this, [this] {
    if (m_field->isModified()) setText(m_field->text());
    m_field->setModified(false);
    refresh();
  });
  m_layout->addWidget(m_field, 2);
  refresh();
}

void TextRow::refresh() {
  if (!exists() || (m_field->hasFocus() && m_field->isModified())) return;
  m_field->setText(qs(formatValue(m_studio.doc(), def(), valueNow())));
  m_field->setCursorPosition(0);
}

FileRow::FileRow(Studio& s, const Address& a, QWidget* parent) : TextRow(s, a, parent) {
  auto* browse = new QToolButton(this);
  browse->setText(tr("choose"));
  browse->setProperty("class", "accent");
  connect(browse, &QToolButton::clicked, this, [this] {
    const QString f = QFileDialog::getOpenFileName(this, qs(def().label), qs(m_studio.doc().folder()));
    if (!f.isEmpty()) setText(f);
  });
  m_layout->addWidget(browse);
}

NodeId chooseThing(Studio& studio, const ParamDef& d, NodeId except, QWidget* parent, const QPoint& at, bool none,
                   bool* chosen) {
  QMenu m(parent);
  *chosen = false;
  if (none) m.addAction(QObject::tr("none"))->setData(0u);
  QString family;
  for (const Node* n : studio.doc().inOrder()) {
    if (n->id == except || !accepted(d.accepts, n->kind->id)) continue;
    if (const QString f = qs(n->kind->family()); f != family) {
      if (!m.isEmpty()) m.addSeparator();
      family = f;
    }
    m.addAction(qs(n->name))->setData(uint(n->id));
  }
  if (m.isEmpty()) m.addAction(QObject::tr("nothing fits here yet"))->setEnabled(false);
  const QAction* a = m.exec(at);
  if (!a || !a->data().isValid()) return 0;
  *chosen = true;
  return NodeId(a->data().toUInt());
}

ReferenceRow::ReferenceRow(Studio& s, const Address& a, QWidget* parent) : LineRow(s, a, parent) {
  m_button = new QToolButton(this);
  m_button->setProperty("class", "accent");
  m_button->setFocusPolicy(Qt::NoFocus);
  connect(m_button, &QToolButton::clicked, this, [this] { activate(); });
  m_layout->addWidget(m_button);
  refresh();
}

void ReferenceRow::refresh() {
  if (exists()) m_button->setText(qs(formatValue(m_studio.doc(), def(), valueNow())));
}

void ReferenceRow::activate() {
  QMenu m(this);
  const Value v = value();
  const Constant* c = v.constant();
  const Reference now = c && std::holds_alternative<Reference>(*c) ? std::get<Reference>(*c) : Reference{};
  const Node* target = m_studio.doc().find(now.target);
  QAction* go = target ? m.addAction(tr("Show %1").arg(qs(target->name))) : nullptr;
  QAction* copy = target && target->kind->family() == "material" ? m.addAction(tr("Own copy here")) : nullptr;
  QAction* fresh = nullptr;
  if (def().accepts.size() == 1 && def().accepts[0] == "material.") fresh = m.addAction(tr("New material"));
  if (!m.isEmpty()) m.addSeparator();
  m.addAction(tr("none"))->setData(0u);
  for (const Node* n : m_studio.doc().inOrder())
    if (accepted(def().accepts, n->kind->id)) {
      QAction* a = m.addAction(qs(n->name));
      a->setData(uint(n->id));
      a->setCheckable(true);
      a->setChecked(n->id == now.target);
    }
  const QAction* a = m.exec(m_button->mapToGlobal(QPoint(0, m_button->height())));
  if (!a) return;
  if (a == go) return m_studio.select({now.target});
  if (a == copy) {
    m_studio.edit(tr("Own copy of %1").arg(qs(target->name)),
                  [&](const Document& doc) { return ownCopy(doc, m_address.node, m_address.param); });
    return;
  }
  if (a == fresh) {
    m_studio.edit(tr("New material"), [&](const Document& doc) {
      NodeId id = 0;
      const Document d = addNode(doc, "material.surface", doc.find(m_address.node)->name + " surface", {}, &id);
      return setAt(d, m_address, Constant(Reference{id, nullptr}));
    });
    return;
  }
  set(Reference{NodeId(a->data().toUInt()), nullptr});
}

ReferencesRow::ReferencesRow(Studio& s, const Address& a, QWidget* parent) : ParamRow(s, a, parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 2, 0, 6);
  column->setSpacing(4);
  m_label = new QLabel(qs(def().label), this);
  column->addWidget(m_label);
  m_chips = new QWidget(this);
  new FlowLayout(m_chips);
  column->addWidget(m_chips);
  refresh();
}

void ReferencesRow::refresh() {
  if (!exists()) return;
  // Later: one of them may be the sender of the click that led here.
  for (QWidget* w : m_chips->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly)) {
    m_chips->layout()->removeWidget(w);
    w->hide();
    w->deleteLater();
  }
  const Value v = value();
  const Constant* c = v.constant();
  const auto list = c && std::holds_alternative<std::vector<Reference>>(*c) ? std::get<std::vector<Reference>>(*c)
                                                                            : std::vector<Reference>{};
  const auto without = [this](NodeId id) {
    m_studio.edit(tr("Take out of %1").arg(qs(addressText(m_studio.doc(), m_address))), [&](const Document& doc) {
      const Value now = valueAt(doc, m_address);
      auto refs = std::get<std::vector<Reference>>(*now.constant());
      std::erase_if(refs, [&](const Reference& r) { return r.target == id; });
      return setAt(doc, m_address, Constant(refs));
    });
  };
  for (const Reference& r : list) {
    const Node* n = m_studio.doc().find(r.target);
    if (!n) continue;
    auto* chip = new QToolButton(m_chips);
    chip->setText(qs(n->name) + QStringLiteral("  ×"));
    chip->setToolTip(tr("Takes %1 out").arg(qs(n->name)));
    chip->setStyleSheet(QStringLiteral("QToolButton { background: #35423e; color: #e9e4db; padding: 3px 8px; }"));
    const NodeId id = n->id;
    connect(
        chip, &QToolButton::clicked, this, [without, id] { without(id); }, Qt::QueuedConnection);
    m_chips->layout()->addWidget(chip);
    chip->show();
  }
  auto* add = new QToolButton(m_chips);
  add->setText(list.empty() ? tr("+ all; choose") : QStringLiteral("+"));
  if (m_address.param != "sources") add->setText(list.empty() ? tr("+ choose") : QStringLiteral("+"));
  add->setProperty("class", "accent");
  connect(add, &QToolButton::clicked, this, [this, add] {
    bool chosen = false;
    const NodeId id =
        chooseThing(m_studio, def(), m_address.node, this, add->mapToGlobal(QPoint(0, add->height())), false, &chosen);
    if (!chosen) return;
    m_studio.edit(tr("Put into %1").arg(qs(addressText(m_studio.doc(), m_address))), [&](const Document& doc) {
      const Value now = valueAt(doc, m_address);
      auto refs = std::get<std::vector<Reference>>(*now.constant());
      if (std::none_of(refs.begin(), refs.end(), [&](const Reference& r) { return r.target == id; }))
        refs.push_back({id, nullptr});
      return setAt(doc, m_address, Constant(refs));
    });
  });
  m_chips->layout()->addWidget(add);
  add->show();
  m_chips->updateGeometry();
  updateGeometry();
}

} // namespace ilumbra
