// How the chart of what moves is worked: by pointer and by keys.
#include "app/drawer/motion_chart.h"
#include "app/panels/inline_field.h"
#include "app/panels/movers.h"
#include "app/theme.h"
#include "core/document/mover.h"
#include "core/document/units.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QInputDialog>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QToolTip>

#include <cmath>

namespace ilumbra {

const MotionChart::Row* MotionChart::rowAt(double y) const {
  for (const Row& r : m_rows)
    if (y >= r.top && y < r.top + r.height) return &r;
  return nullptr;
}

const MotionChart::Row* MotionChart::currentRow() const {
  for (const Row& r : m_rows)
    if (r.def && r.at == m_current) return &r;
  return nullptr;
}

Address MotionChart::current() const { return currentRow() ? m_current : Address{}; }

void MotionChart::chooseRow(const Address& at) {
  if (!at.node || at == m_current) return;
  m_current = at;
  layOut();
  update();
  spokenChanged(this);
  Q_EMIT rowsChanged();
}

std::optional<KeyPlace> MotionChart::keyNear(const QPointF& at) const {
  const Row* r = rowAt(at.y());
  const Keys* keys = r && r->def ? keysAt(m_studio.doc(), r->at) : nullptr;
  if (!keys) return {};
  const Key* best = nullptr;
  for (const Key& k : keys->keys)
    if (std::abs(xOf(k.frame) - at.x()) <= 6 &&
        (!best || std::abs(xOf(k.frame) - at.x()) < std::abs(xOf(best->frame) - at.x())))
      best = &k;
  return best ? std::optional(KeyPlace{r->at, best->frame}) : std::nullopt;
}

void MotionChart::choose(KeyPlaces keys) {
  m_chosen = std::move(keys);
  update();
  spokenChanged(this);
  Q_EMIT rowsChanged();
}

void MotionChart::change(const QString& label, const std::function<Document(const Document&)>& edit, uint64_t gesture) {
  m_studio.edit(label, edit, gesture);
}

void MotionChart::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  m_pressed = e->position();
  if (const auto handle = easeHandle(); handle && QLineF(handle->second, m_pressed).length() < 7) {
    m_drag = Drag::Ease;
    m_gesture = m_studio.newGesture();
    return;
  }
  if (const auto k = keyNear(m_pressed)) {
    chooseRow(k->at);
    if (e->modifiers() & Qt::ShiftModifier) {
      KeyPlaces now = m_chosen;
      if (const auto it = std::find(now.begin(), now.end(), *k); it != now.end())
        now.erase(it);
      else
        now.push_back(*k);
      choose(now);
    } else if (!isChosen(*k)) {
      choose({*k});
    }
    m_drag = Drag::Press;
    m_pressFrame = k->frame;
    m_pressChosen = m_chosen;
    m_before = m_studio.doc();
    m_gesture = m_studio.newGesture();
    if (const Row* r = currentRow()) m_pressSpan = m_spans[size_t(r - m_rows.data())];
    return;
  }
  const Row* r = rowAt(m_pressed.y());
  if (r && !r->def) { // a thing: it folds, and is selected
    const NodeId id = r->at.node;
    if (!m_folded.erase(id)) m_folded.insert(id);
    m_studio.select({id});
    rebuild();
    return;
  }
  if (r && m_pressed.x() < band(*r).left()) {
    chooseRow(r->at);
    m_studio.select({r->at.node});
    return;
  }
  const bool playing = r && r->plays;
  if (r) chooseRow(r->at);
  choose({});
  if (playing) {
    m_drag = e->modifiers() & Qt::ShiftModifier ? Drag::Stretch : Drag::Slide;
    m_before = m_studio.doc();
    m_gesture = m_studio.newGesture();
    return;
  }
  m_drag = Drag::Scrub;
  m_studio.setFrame(std::clamp(frameAt(m_pressed.x(), e->modifiers() & Qt::ControlModifier), m_first, m_last));
}

void MotionChart::mouseMoveEvent(QMouseEvent* e) {
  if (m_drag == Drag::None) {
    const auto handle = easeHandle();
    const bool onHandle = handle && QLineF(handle->second, e->position()).length() < 7;
    const Row* under = rowAt(e->position().y());
    const bool onPlaying = under && under->plays && e->position().x() >= band(*under).left();
    setCursor(onHandle || onPlaying || keyNear(e->position()) ? Qt::SizeHorCursor : Qt::ArrowCursor);
    return;
  }
  if (m_drag == Drag::Ease) return dragEase(e->position().x());
  const QPointF by = e->position() - m_pressed;
  const bool seconds = e->modifiers() & Qt::ControlModifier;
  if (m_drag == Drag::Scrub) m_studio.setFrame(std::clamp(frameAt(e->position().x(), seconds), m_first, m_last));
  if (m_drag == Drag::Press && by.manhattanLength() >= 4) {
    const Row* r = currentRow();
    const bool number = r && r->def->type == ParamType::Number && m_chosen.size() == 1;
    m_drag = number && std::abs(by.y()) > std::abs(by.x()) ? Drag::Value : Drag::Frames;
  }
  if (m_drag == Drag::Frames)
    moveChosen(frameAt(e->position().x(), seconds) - (seconds ? m_pressFrame : frameAt(m_pressed.x(), false)));
  if (m_drag == Drag::Value) dragValue(e->position().y());
  if (m_drag == Drag::Slide) slide(frameAt(e->position().x(), seconds) - frameAt(m_pressed.x(), seconds), m_gesture);
  if (const Row* r = currentRow(); m_drag == Drag::Stretch && r && m_before) {
    const double begins = Params(*m_before->find(r->at.node), m_first).number("begins");
    const double from = frameAt(m_pressed.x(), false) - begins, to = frameAt(e->position().x(), seconds) - begins;
    if (from > 0 && to > 0) stretch(to / from, m_gesture);
  }
}

void MotionChart::mouseReleaseEvent(QMouseEvent*) {
  m_drag = Drag::None;
  m_before.reset();
}

// From where the keys stood when they were pressed: going back leaves all as it was, other keys too.
void MotionChart::moveChosen(double frames) {
  const bool dragged = m_before.has_value();
  const Document before = dragged ? *m_before : m_studio.doc();
  const KeyPlaces from = dragged ? m_pressChosen : m_chosen;
  if (from.empty()) return;
  KeyPlaces to = from;
  for (KeyPlace& k : to) k.frame += frames;
  const double now = m_studio.frame();
  change(
      tr("Move %n key(s)", nullptr, int(from.size())),
      [&](const Document&) { return atFrame(retimed(before, from, [&](double f) { return f + frames; }), now); },
      dragged ? m_gesture : 0);
  choose(to);
}

void MotionChart::dragValue(double y) {
  const Row* r = currentRow();
  if (!r || m_pressChosen.size() != 1 || !m_before) return;
  const auto [least, most] = m_pressSpan;
  const double span = most > least ? most - least : r->def->softMax - r->def->softMin;
  const double by = -(y - m_pressed.y()) / band(*r).height() * span;
  const KeyPlace which = m_pressChosen.front();
  const Document before = *m_before;
  change(
      tr("Change a key of %1").arg(r->name),
      [&](const Document&) {
        Keys keys = *keysAt(before, which.at);
        for (Key& k : keys.keys)
          if (k.frame == which.frame)
            k.value = std::clamp(std::get<double>(k.value) + by, r->def->hardMin, r->def->hardMax);
        return setAt(before, which.at, withKeys(valueAt(before, which.at), keys));
      },
      m_gesture);
}

std::optional<std::pair<QPointF, QPointF>> MotionChart::easeHandle() const {
  const Row* r = currentRow();
  const Keys* keys = r && m_chosen.size() == 1 ? keysAt(m_studio.doc(), r->at) : nullptr;
  if (!keys) return {};
  for (size_t i = 0; i + 1 < keys->keys.size(); ++i) {
    const Key &k = keys->keys[i], &next = keys->keys[i + 1];
    if (k.frame != m_chosen.front().frame || !eases(k.shape) || !(m_chosen.front() == KeyPlace{r->at, k.frame}))
      continue;
    const double half = (xOf(next.frame) - xOf(k.frame)) / 2;
    const bool arrives = k.shape == KeyShape::EaseOut;
    const QPointF from = notch(*r, arrives ? next : k);
    return std::pair(from, from + QPointF((arrives ? -1 : 1) * half * k.ease, 0));
  }
  return {};
}

void MotionChart::dragEase(double x) {
  const Row* r = currentRow();
  const auto handle = easeHandle();
  const Keys* keys = r ? keysAt(m_studio.doc(), r->at) : nullptr;
  if (!handle || !keys) return;
  double half = 1;
  for (size_t i = 0; i + 1 < keys->keys.size(); ++i)
    if (keys->keys[i].frame == m_chosen.front().frame)
      half = std::max(1.0, (xOf(keys->keys[i + 1].frame) - xOf(keys->keys[i].frame)) / 2);
  const double ease = std::abs(std::clamp((x - handle->first.x()) / half, -1.0, 1.0));
  const KeyPlaces which = m_chosen;
  change(
      tr("How far a key eases"), [&](const Document& doc) { return eased(doc, which, ease); }, m_gesture);
}

void MotionChart::mouseDoubleClickEvent(QMouseEvent* e) {
  const Row* r = rowAt(e->position().y());
  if (!r || !r->def || r->plays || e->position().x() < band(*r).left()) return;
  if (keyNear(e->position())) return typeValue();
  chooseRow(r->at);
  m_studio.setFrame(frameAt(e->position().x(), e->modifiers() & Qt::ControlModifier));
  setKeyHere();
}

void MotionChart::setKeyHere() {
  const Row* r = currentRow();
  if (!r) return;
  const Address at = r->at;
  const ParamDef& def = *r->def;
  const double frame = m_studio.frame();
  if (r->plays) return slide(frame - std::get<double>(*valueAt(m_studio.doc(), at).constant()), 0);
  change(tr("Key %1").arg(r->name),
         [&](const Document& doc) { return setAt(doc, at, keyedAt(valueAt(doc, at), def, frame)); });
  choose({{at, frame}});
}

void MotionChart::deleteKeys() {
  if (m_chosen.empty()) return;
  const KeyPlaces which = m_chosen;
  change(tr("Delete %n key(s)", nullptr, int(which.size())),
         [&](const Document& doc) { return withoutKeys(doc, which); });
}

void MotionChart::typeValue() {
  if (const Row* r = currentRow(); r && r->plays) return askForBegin();
  if (m_chosen.size() != 1) return;
  const KeyPlace which = m_chosen.front();
  chooseRow(which.at);
  const Row* r = currentRow();
  if (!r) return;
  const ParamDef& def = *r->def;
  const Keys* keys = keysAt(m_studio.doc(), which.at);
  const auto key =
      std::find_if(keys->keys.begin(), keys->keys.end(), [&](const Key& k) { return k.frame == which.frame; });
  auto* field = new InlineField(this, QRect(10, r->top + 22, nameWidth - 20, 22),
                                qs(formatValue(m_studio.doc(), def, key->value)), {});
  connect(field, &InlineField::closed, this, [this] { setFocus(); });
  connect(field, &InlineField::taken, this, [this, which, &def](const QString& text) {
    change(tr("Change a key"), [&](const Document& doc) {
      const Value before = valueAt(doc, which.at), typed = parseValue(doc, def, text.toStdString(), &before);
      const Keys* now = keysAt(doc, which.at);
      if (!now || !typed.constant()) return doc;
      Keys out = *now;
      for (Key& k : out.keys)
        if (k.frame == which.frame) k.value = *typed.constant();
      return setAt(doc, which.at, withKeys(before, out));
    });
  });
}

void MotionChart::nextKey(int by) {
  const Row* r = currentRow();
  const Keys* keys = r ? keysAt(m_studio.doc(), r->at) : nullptr;
  if (!keys) return;
  const double now = m_chosen.empty() ? m_studio.frame() : m_chosen.front().frame;
  const Key* to = nullptr;
  for (const Key& k : keys->keys) {
    if (by > 0 && k.frame > now && !to) to = &k;
    if (by < 0 && k.frame < now) to = &k;
  }
  if (!to) return;
  const double frame = to->frame;
  choose({{r->at, frame}});
  m_studio.setFrame(frame);
}

void MotionChart::nextRow(int by) {
  const Row* r = currentRow();
  if (m_rows.empty()) return;
  int i = r ? int(r - m_rows.data()) : -1;
  for (i += by; i >= 0 && i < int(m_rows.size()); i += by)
    if (m_rows[size_t(i)].def) {
      choose({});
      return chooseRow(m_rows[size_t(i)].at);
    }
}

void MotionChart::keyPressEvent(QKeyEvent* e) {
  const bool alt = e->modifiers() & Qt::AltModifier;
  const double step = e->modifiers() & Qt::ShiftModifier ? 10 : 1;
  if (const Row* r = currentRow(); r && r->plays && alt) {
    const double round = roundOf(*r), longer = round > 0 ? step / round : 0.01 * step;
    switch (e->key()) {
    case Qt::Key_Left:
      return slide(-step, 0);
    case Qt::Key_Right:
      return slide(step, 0);
    case Qt::Key_Up:
      return stretch(1 + longer, 0);
    case Qt::Key_Down:
      return longer < 1 ? stretch(1 - longer, 0) : void();
    default:
      break;
    }
  }
  switch (e->key()) {
  case Qt::Key_Up:
    return nextRow(-1);
  case Qt::Key_Down:
    return nextRow(1);
  case Qt::Key_Left:
    return alt ? moveChosen(-step) : nextKey(-1);
  case Qt::Key_Right:
    return alt ? moveChosen(step) : nextKey(1);
  case Qt::Key_Insert:
    return setKeyHere();
  case Qt::Key_Delete:
  case Qt::Key_Backspace:
    return deleteKeys();
  case Qt::Key_Return:
  case Qt::Key_Enter:
    return typeValue();
  case Qt::Key_Menu:
    if (const Row* r = currentRow(); r && r->plays)
      return playingMenu(*r, m_studio.frame(), mapToGlobal(QPoint(nameWidth - 20, r->top + 20)));
    return keyMenu(mapToGlobal(QPoint(nameWidth - 20, currentRow() ? currentRow()->top + 20 : 10)));
  default:
    break;
  }
  if (e->matches(QKeySequence::Copy) && !m_chosen.empty()) {
    m_copiedFrom = m_studio.doc();
    m_copied = m_chosen;
    return m_studio.tell(tr("%n key(s) copied", nullptr, int(m_copied.size())));
  }
  if (e->matches(QKeySequence::Paste) && m_copiedFrom) {
    const double frame = m_studio.frame();
    return change(tr("Paste %n key(s)", nullptr, int(m_copied.size())),
                  [&](const Document& doc) { return pasted(doc, *m_copiedFrom, m_copied, frame); });
  }
  if (e->matches(QKeySequence::SelectAll)) {
    KeyPlaces all;
    for (const Address& a : movingValues(m_studio.doc()))
      if (const Keys* k = keysAt(m_studio.doc(), a))
        for (const Key& key : k->keys) all.push_back({a, key.frame});
    return choose(all);
  }
  QWidget::keyPressEvent(e);
}

bool MotionChart::event(QEvent* e) {
  // Keys that a menu of the window has too are the chart's while it has the focus.
  if (e->type() == QEvent::ShortcutOverride) {
    const auto* k = static_cast<QKeyEvent*>(e);
    if (k->matches(QKeySequence::Copy) || k->matches(QKeySequence::Paste) || k->matches(QKeySequence::SelectAll) ||
        k->key() == Qt::Key_Delete || k->key() == Qt::Key_Backspace || k->key() == Qt::Key_Insert ||
        k->key() == Qt::Key_Left || k->key() == Qt::Key_Right || k->key() == Qt::Key_Up || k->key() == Qt::Key_Down ||
        k->key() == Qt::Key_Return) {
      e->accept();
      return true;
    }
  }
  if (e->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(e);
    const Row* r = rowAt(help->pos().y());
    QString text = tr("Drag to go through the frames");
    if (const auto k = keyNear(help->pos()))
      text = tr("Key at frame %1: drag it to another frame, or up and down; double press types it").arg(k->frame);
    else if (r && r->plays)
      text = tr("Drag to slide it, with Shift to stretch it (Alt with the arrow keys)");
    else if (r && r->def)
      text = tr("%1\nDouble press sets a key").arg(qs(addressText(m_studio.doc(), r->at)));
    QToolTip::showText(help->globalPos(), text, this);
    return true;
  }
  return QWidget::event(e);
}

void MotionChart::contextMenuEvent(QContextMenuEvent* e) {
  const QPointF at = e->pos();
  if (const auto k = keyNear(at)) {
    chooseRow(k->at);
    if (!isChosen(*k)) choose({*k});
    return keyMenu(e->globalPos());
  }
  const Row* r = rowAt(at.y());
  if (!r || !r->def) return;
  chooseRow(r->at);
  for (const Row& again : m_rows)
    if (again.def && again.at == m_current)
      return again.plays ? playingMenu(again, frameAt(at.x(), false), e->globalPos())
                         : rowMenu(again, frameAt(at.x(), false), e->globalPos());
}

void MotionChart::keyMenu(const QPoint& global) {
  if (m_chosen.empty()) return;
  const KeyPlaces which = m_chosen;
  QMenu m(this);
  const auto shape = [&](const QString& label, KeyShape s) {
    connect(m.addAction(label), &QAction::triggered, this, [this, which, s] {
      change(tr("How keys go on"), [&](const Document& doc) { return shaped(doc, which, s); });
    });
  };
  if (which.size() == 1)
    connect(m.addAction(tr("Type its value\tReturn")), &QAction::triggered, this, &MotionChart::typeValue);
  connect(m.addAction(tr("Move to frame…")), &QAction::triggered, this, [this, which] {
    bool ok = false;
    const double to = QInputDialog::getDouble(this, tr("Move keys"), tr("Frame of the first of them"),
                                              which.front().frame, -1e6, 1e6, 2, &ok);
    double first = which.front().frame;
    for (const KeyPlace& k : which) first = std::min(first, k.frame);
    if (ok) moveChosen(to - first);
  });
  if (which.size() > 1)
    connect(m.addAction(tr("Stretch…")), &QAction::triggered, this, [this, which] {
      bool ok = false;
      const double percent = QInputDialog::getDouble(
          this, tr("Stretch keys"), tr("Per cent of their time, from the first on"), 200, 1, 10000, 1, &ok);
      if (!ok) return;
      double first = which.front().frame;
      for (const KeyPlace& k : which) first = std::min(first, k.frame);
      const auto to = [&](double f) { return first + (f - first) * percent / 100; };
      change(tr("Stretch %n key(s)", nullptr, int(which.size())),
             [&](const Document& doc) { return retimed(doc, which, to); });
      KeyPlaces moved = which;
      for (KeyPlace& k : moved) k.frame = to(k.frame);
      choose(moved);
    });
  if (which.size() > 1)
    connect(m.addAction(tr("Mirror in time")), &QAction::triggered, this, [this, which] {
      change(tr("Mirror %n key(s)", nullptr, int(which.size())),
             [&](const Document& doc) { return mirrored(doc, which); });
    });
  m.addSeparator();
  shape(tr("Go on smoothly"), KeyShape::Smooth);
  shape(tr("Go on straight"), KeyShape::Linear);
  shape(tr("Hold until the next"), KeyShape::Hold);
  shape(tr("Ease in: leave slowly"), KeyShape::EaseIn);
  shape(tr("Ease out: arrive slowly"), KeyShape::EaseOut);
  shape(tr("Ease in and out"), KeyShape::EaseBoth);
  m.addSeparator();
  connect(m.addAction(tr("Delete %n key(s)\tDel", nullptr, int(which.size()))), &QAction::triggered, this,
          &MotionChart::deleteKeys);
  m.exec(global);
}

void MotionChart::rowMenu(const Row& row, double frame, const QPoint& global) {
  const Address at = row.at;
  const ParamDef* def = row.def;
  const QString name = row.name;
  const Value v = valueAt(m_studio.doc(), at);
  QMenu m(this);
  connect(m.addAction(tr("Key at frame %1").arg(frame)), &QAction::triggered, this, [this, frame] {
    m_studio.setFrame(frame);
    setKeyHere();
  });
  if (v.anyKeys())
    connect(m.addAction(tr("Hold this value always")), &QAction::triggered, this, [this, at, def, name] {
      change(tr("Hold %1").arg(name),
             [&](const Document& doc) { return setAt(doc, at, unkeyed(valueAt(doc, at), *def, currentFrame(doc))); });
    });
  if (const Keys* keys = v.anyKeys(); keys && keys->keys.size() > 1) {
    QMenu* beyond = m.addMenu(tr("Before and after its keys"));
    for (const auto& [label, how] : {std::pair{tr("it holds"), BeyondKeys::Hold},
                                     {tr("they come again"), BeyondKeys::Repeat},
                                     {tr("to and fro"), BeyondKeys::ToAndFro},
                                     {tr("they go on from where they came to"), BeyondKeys::GoOn}}) {
      QAction* a = beyond->addAction(label);
      a->setCheckable(true);
      a->setChecked(keys->beyond == how);
      connect(a, &QAction::triggered, this, [this, at, name, how = how] {
        change(tr("Before and after the keys of %1").arg(name),
               [&](const Document& doc) { return withBeyond(doc, at, how); });
      });
    }
  }
  if (v.moved())
    connect(m.addAction(tr("Make keys of its movers")), &QAction::triggered, this,
            [this, at] { bakeMovers(m_studio, at); });
  if (!v.pattern()) addMoverMenu(m, m_studio, at);
  m.addSeparator();
  connect(m.addAction(tr("Its settings")), &QAction::triggered, this, [this, at] { m_studio.select({at.node}); });
  m.exec(global);
}

} // namespace ilumbra
