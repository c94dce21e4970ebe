#include "app/panels/param_row.h"

#include "app/panels/color_row.h"
#include "app/panels/input_menu.h"
#include "app/panels/key_menu.h"
#include "app/panels/line_rows.h"
#include "app/panels/movers.h"
#include "app/panels/number_row.h"
#include "app/panels/pattern_mark.h"
#include "app/panels/pattern_menu.h"
#include "app/panels/reference_rows.h"
#include "app/panels/vector_row.h"
#include "core/base/error.h"
#include "core/document/inputs.h"
#include "core/document/mover.h"
#include "core/document/units.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QMenu>

namespace ilumbra {

ParamRow::ParamRow(Studio& studio, Address address, QWidget* parent)
    : QWidget(parent), m_studio(studio), m_address(std::move(address)) {
  m_def = &definitionAt(studio.doc(), m_address);
  setToolTip(overridden()
                 ? tr("%1\nThis use sets it for itself: its menu follows the shared one again").arg(qs(m_def->helpText))
                 : qs(m_def->helpText));
  setAccessibleName(label());
  setFocusPolicy(Qt::StrongFocus);
  setAcceptDrops(takesPatterns());
  if (takesPatterns() && !m_def->evenOnly) {
    m_mark = new PatternMark(this);
    connect(m_mark, &PatternMark::pressed, this, &ParamRow::patternMenu);
  }
}

int ParamRow::markRoom() const { return m_mark ? PatternMark::wide + 1 : 0; }

void ParamRow::placeMark(int labelWidth, const QRect& chip) {
  if (!m_mark) return;
  const QRect place = chip.isEmpty() ? QRect(labelWidth + 3, height() > 36 ? 3 : (height() - PatternMark::tall) / 2,
                                             PatternMark::wide, PatternMark::tall)
                                     : chip;
  if (m_mark->geometry() != place) m_mark->setGeometry(place);
  m_mark->tell(exists() && valueAt(m_studio.doc(), patternAddress()).pattern(), !chip.isEmpty());
}

void ParamRow::enterEvent(QEnterEvent*) {
  update();
  if (m_mark) m_mark->update();
}

void ParamRow::leaveEvent(QEvent*) {
  update();
  if (m_mark) m_mark->update();
}

void ParamRow::patternMenu(const QPoint& global) {
  QMenu m(this);
  const Address patterned = patternAddress();
  const PatternMenu patterns(&m, m_studio, patterned);
  QAction* away = valueAt(m_studio.doc(), patterned).pattern() ? m.addAction(tr("Remove the pattern")) : nullptr;
  const QAction* chosen = m.exec(global);
  if (!chosen || patterns.chose(chosen, patterned, qs(addressText(m_studio.doc(), m_address)))) return;
  if (chosen == away) removePattern();
}

void ParamRow::removePattern() {
  const Address patterned = patternAddress();
  m_studio.edit(tr("Change %1").arg(qs(addressText(m_studio.doc(), m_address))),
                [&](const Document& doc) { return setAt(doc, patterned, definitionAt(doc, patterned).initial); });
}

QAccessible::Role ParamRow::spokenRole() const {
  switch (def().type) {
  case ParamType::Number:
  case ParamType::Integer:
    return QAccessible::Slider;
  case ParamType::Flag:
    return QAccessible::CheckBox;
  case ParamType::Choice:
    return QAccessible::ComboBox;
  case ParamType::Color:
    return QAccessible::ColorChooser;
  case ParamType::Vector:
    return QAccessible::Grouping;
  case ParamType::Text:
  case ParamType::File:
    return QAccessible::EditableText;
  case ParamType::Reference:
  case ParamType::References:
    return QAccessible::List;
  }
  return QAccessible::NoRole;
}

QString ParamRow::spokenValue() const {
  if (!exists()) return {};
  const Value now = valueNow();
  QString text = qs(formatValue(m_studio.doc(), def(), now));
  if (text.isEmpty()) text = qs(def().ifZero.empty() ? tr("nothing").toStdString() : def().ifZero);
  return value().anyKeys() || value().moved() ? tr("%1, by %2").arg(text, chip()) : text;
}

std::optional<Spoken::Number> ParamRow::spokenNumber() const {
  if (!exists() || (def().type != ParamType::Number && def().type != ParamType::Integer)) return {};
  const Value now = valueNow();
  const Constant* c = now.constant();
  const double* v = c ? std::get_if<double>(c) : nullptr;
  if (!v) return {}; // a pattern drives it
  const double span = def().softMax - def().softMin;
  // Where any number is accepted, what the ruled line spans.
  const double least = def().hardMin > -1e29 ? def().hardMin : std::min(def().softMin, *v),
               most = def().hardMax < 1e29 ? def().hardMax : std::max(def().softMax, *v);
  return Number{*v, least, most, def().type == ParamType::Integer ? 1 : span / 100};
}

void ParamRow::setSpokenNumber(double value) {
  if (spokenNumber()) set(Constant(std::clamp(value, def().hardMin, def().hardMax)));
}

std::optional<bool> ParamRow::spokenSwitch() const {
  if (!exists() || def().type != ParamType::Flag) return {};
  const Value now = valueNow();
  const Constant* c = now.constant();
  const bool* on = c ? std::get_if<bool>(c) : nullptr;
  return on ? std::optional(*on) : std::nullopt;
}

bool ParamRow::exists() const { return m_studio.doc().find(m_address.node) != nullptr; }

Value ParamRow::valueNow() const {
  const Value v = value();
  const std::optional<Constant> now = evaluate(v, def(), m_studio.frame());
  return now ? Value(*now) : v;
}

bool ParamRow::isMover() const {
  const Node* n = m_studio.doc().find(m_address.node);
  const ParamDef* d = n ? n->kind->param(m_address.param) : nullptr;
  return d && moverInput(*d, m_address.input) == m_def;
}

bool ParamRow::isDefault() const { return value() == Value(m_def->initial); }

bool ParamRow::takesPatterns() const { return m_def->patternable || !m_def->patternedAt.empty(); }

Address ParamRow::patternAddress() const {
  return m_def->patternedAt.empty() ? m_address : Address{m_address.node, m_def->patternedAt, 0, {}};
}

bool ParamRow::overridden() const {
  if (m_address.input.empty() || m_address.param == "inputs" || isMover()) return false;
  const Reference use = useAt(m_studio.doc(), m_address);
  return use.with && use.with->count(m_address.input);
}

QString ParamRow::label() const {
  if (m_address.input.empty() || isMover()) return qs(m_def->label);
  const Node* shared =
      m_studio.doc().find(m_address.param == "inputs" ? m_address.node : useAt(m_studio.doc(), m_address).target);
  const bool named = shared && namedInput(*shared, m_address.input);
  return (named ? inputLabel(m_address.input) : qs(m_def->label)) + (overridden() ? QStringLiteral(" •") : QString());
}

QString ParamRow::chip() const {
  const Value own = value(), v = own.keys() || own.moved() || m_def->patternedAt.empty()
                                     ? own
                                     : valueAt(m_studio.doc(), patternAddress());
  if (v.keys()) return keysText(v, m_studio.frame());
  if (const Moved* moved = v.moved()) {
    QStringList words;
    if (v.anyKeys()) words += keysText(v, m_studio.frame());
    for (const Mover& m : moved->movers) words += qs(moverKind(m.kind)->label).toLower();
    return words.join(QStringLiteral(", "));
  }
  if (const PatternUse* p = v.pattern()) {
    const Node* n = m_studio.doc().find(p->pattern.target);
    return n ? qs(n->name) : tr("pattern");
  }
  return {};
}

QString ParamRow::title() const { return tr("Change %1").arg(qs(addressText(m_studio.doc(), m_address))); }

void ParamRow::set(const Constant& v, uint64_t gesture) {
  m_studio.edit(
      title(), [&](const Document& doc) { return setNow(doc, m_address, v); }, gesture);
}

void ParamRow::setText(const QString& text) {
  m_studio.edit(title(), [&](const Document& doc) {
    const Value shown = valueNow();
    const Value typed = parseValue(doc, *m_def, text.toStdString(), &shown);
    // Where there are keys, what is typed is one at this frame.
    const Constant* c = typed.constant();
    return c ? setNow(doc, m_address, *c) : setAt(doc, m_address, typed);
  });
}

void ParamRow::reset() {
  m_studio.edit(tr("Reset %1").arg(qs(addressText(m_studio.doc(), m_address))), [&](const Document& doc) {
    if (isMover()) return setAt(doc, m_address, m_def->initial);
    if (!m_address.input.empty() && m_address.param != "inputs")
      return setOverride(doc, m_address.node, m_address.param, m_address.index, m_address.input, nullptr);
    return setNow(doc, m_address, m_def->initial);
  });
}

void ParamRow::menu(const QPoint& global) {
  QMenu m(this);
  const QString where = qs(addressText(m_studio.doc(), m_address));
  const bool use = !m_address.input.empty() && m_address.param != "inputs" && !isMover();
  const Node* shared = use ? m_studio.doc().find(useAt(m_studio.doc(), m_address).target) : nullptr;
  QAction* back = m.addAction(shared ? tr("Follow %1").arg(qs(shared->name)) : tr("Back to default"));
  back->setEnabled(shared ? overridden() : !isDefault());
  QAction* bake = nullptr;
  const Value v = value();
  if (!isMover()) addKeyMenu(m, m_studio, m_address);
  if (m_address.input.empty() && m_address.param != "name" && !v.pattern()) {
    addMoverMenu(m, m_studio, m_address);
    if (v.moved()) bake = m.addAction(tr("Make keys of its movers"));
  }
  const Address patterned = patternAddress();
  const Value driven = valueAt(m_studio.doc(), patterned);
  const PatternMenu patterns(takesPatterns() ? &m : nullptr, m_studio, patterned);
  QAction* unpattern = driven.pattern() ? m.addAction(tr("Remove the pattern")) : nullptr;
  m.addSeparator();
  const InputMenu inputs(m, m_studio, m_address);
  m.addSeparator();
  QAction* strip = isMover() ? nullptr : m.addAction(tr("Test strip"));
  if (strip) strip->setData(QStringLiteral("strip"));
  QAction* copy = m.addAction(tr("Copy address %1").arg(where));
  QAction* copyValue = m.addAction(tr("Copy %1=%2").arg(where, qs(formatValue(m_studio.doc(), *m_def, v))));
  const QAction* chosen = m.exec(global);
  if (!chosen) return;
  if (patterns.chose(chosen, patterned, where) || inputs.chose(chosen, this)) return;
  if (chosen == back) reset();
  if (strip && chosen == strip) return m_studio.tryValues(m_address);
  if (chosen == copy) QApplication::clipboard()->setText(where);
  if (chosen == copyValue)
    QApplication::clipboard()->setText(QStringLiteral("%1=%2").arg(where, qs(formatValue(m_studio.doc(), *m_def, v))));
  if (bake && chosen == bake) bakeMovers(m_studio, m_address);
  if (unpattern && chosen == unpattern) removePattern();
}

void ParamRow::contextMenuEvent(QContextMenuEvent* e) { menu(e->globalPos()); }

void ParamRow::dragEnterEvent(QDragEnterEvent* e) {
  if (!pictureIn(e->mimeData()).isEmpty()) e->acceptProposedAction();
}

void ParamRow::dropEvent(QDropEvent* e) {
  e->acceptProposedAction();
  drivePattern(m_studio, patternAddress(), "pattern.image", pictureIn(e->mimeData()));
}

ParamRow* makeParamRow(Studio& studio, const Address& address, QWidget* parent) {
  switch (definitionAt(studio.doc(), address).type) {
  case ParamType::Number:
  case ParamType::Integer:
    return new NumberRow(studio, address, parent);
  case ParamType::Flag:
    return new FlagRow(studio, address, parent);
  case ParamType::Choice:
    return new ChoiceRow(studio, address, parent);
  case ParamType::Color:
    return new ColorRow(studio, address, parent);
  case ParamType::Vector:
    return new VectorRow(studio, address, parent);
  case ParamType::Text:
    return new TextRow(studio, address, parent);
  case ParamType::File:
    return new FileRow(studio, address, parent);
  case ParamType::Reference:
    return new ReferenceRow(studio, address, parent);
  case ParamType::References:
    return new ReferencesRow(studio, address, parent);
  }
  return nullptr;
}

} // namespace ilumbra
