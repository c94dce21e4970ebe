#include "app/drawer/pattern_list.h"

#include "app/drawer/line_inputs.h"
#include "app/studio.h"
#include "app/theme.h"
#include "core/base/colorspace.h"
#include "core/document/units.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

namespace ilumbra {

QString lineTitle(const Studio& studio, const PatternLine& line) {
  const Node* n = studio.doc().find(line.node);
  if (!n) return {};
  if (n->kind->family() != "pattern") return qs(n->name); // a part
  const Params p(*n, studio.frame());
  // What it shows or where it lies says more than what kind it is.
  for (const ParamDef& d : n->kind->params) {
    if (d.type == ParamType::Reference)
      if (const Node* of = studio.doc().find(p.reference(d.name).target)) return qs(of->name);
    if (d.type == ParamType::File && !p.text(d.name).empty()) return qs(p.text(d.name)).section(u'/', -1);
    if (d.type == ParamType::Text && d.name != "name" && !p.text(d.name).empty()) return qs(p.text(d.name));
  }
  return qs(n->kind->label);
}

QString lineNumber(const Studio& studio, const PatternLine& line) {
  const Node* n = studio.doc().find(line.node);
  if (!n) return {};
  for (const ParamDef& d : n->kind->params)
    if (d.major && d.type == ParamType::Number && counts(*n, d, studio.frame())) {
      const Value v = valueAt(studio.doc(), {n->id, d.name, 0, {}});
      if (const Constant* c = v.constant()) return qs(formatNumber(d, std::get<double>(*c)));
    }
  return {};
}

bool lineIsOn(const Studio& studio, const PatternLine& line) {
  const Node* n = studio.doc().find(line.node);
  return n && (!n->kind->param("on") || Params(*n, studio.frame()).flag("on"));
}

// A part is seen by the colour that it lays there.
static QColor partColor(const Studio& studio, const PatternLine& line) {
  const Node* n = studio.doc().find(line.node);
  for (const char* name : {"value", "color"})
    if (n && n->kind->param(name)) {
      const Triple t = Params(*n, studio.frame()).triple(name);
      const auto byte = [](double v) {
        return int(std::lround(255 * std::clamp(srgbEncoded<double>(std::clamp(v, 0.0, 1.0)), 0.0, 1.0)));
      };
      return {byte(t[0]), byte(t[1]), byte(t[2])};
    }
  return theme::raised;
}

PatternList::PatternList(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio) {
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Lines of the pattern"));
  setMouseTracking(true);
}

void PatternList::show(std::vector<PatternLine> lines, const QString& named) {
  const bool other = lines.empty() || m_lines.empty() || lines.front().node != m_lines.front().node;
  if (other || lines.size() != m_lines.size()) {
    m_pictures.clear();
    if (other) m_folded.clear(), m_open.clear();
  }
  m_lines = std::move(lines);
  m_named = named;
  m_chosen = m_lines.empty() ? -1 : other ? 0 : std::clamp(m_chosen, 0, int(m_lines.size()) - 1);
  arrange();
}

bool PatternList::isOpen(int line) const {
  return line >= 0 && line < int(m_lines.size()) && m_open.count(m_lines[size_t(line)].node);
}

LineInputs* PatternList::inputs(int line) const {
  const auto it = m_inputs.find(line);
  return it == m_inputs.end() ? nullptr : it->second;
}

void PatternList::open(int line, bool on) {
  if (line < 0 || line >= int(m_lines.size())) return;
  const NodeId node = m_lines[size_t(line)].node;
  if (on)
    m_open.insert(node);
  else
    m_open.erase(node);
  arrange();
  if (const LineInputs* made = inputs(line)) Q_EMIT cameIntoView(lineRect(line).united(made->geometry()));
}

void PatternList::arrange() {
  const auto all = shown();
  for (auto it = m_inputs.begin(); it != m_inputs.end();) {
    const bool stays = isOpen(it->first) && m_lines[size_t(it->first)].node == it->second->node() &&
                       std::find(all.begin(), all.end(), it->first) != all.end();
    if (!stays) { // one of its rows may be what has just changed this
      it->second->hide();
      it->second->deleteLater();
    }
    it = stays ? std::next(it) : m_inputs.erase(it);
  }
  m_tops.assign(1, 0);
  for (const int line : all) {
    int bottom = m_tops.back() + lineHeight;
    if (isOpen(line)) {
      LineInputs*& made = m_inputs[line];
      if (!made)
        made = new LineInputs(m_studio, m_lines[size_t(line)].node, this);
      else
        made->refresh();
      const int x = 8 + m_lines[size_t(line)].depth * 18 + pictureWidth + 8, w = std::max(120, width() - x);
      const int h = made->heightAt(w);
      made->setGeometry(x, bottom, w, h);
      made->show();
      bottom += h;
    }
    m_tops.push_back(bottom);
  }
  setMinimumHeight(m_tops.back() + 4);
  updateGeometry();
  update();
}

void PatternList::resizeEvent(QResizeEvent*) { arrange(); }

void PatternList::showPictures(std::vector<QImage> pictures) {
  m_pictures = std::move(pictures);
  update();
}

const PatternLine* PatternList::chosenLine() const {
  return m_chosen >= 0 && m_chosen < int(m_lines.size()) ? &m_lines[size_t(m_chosen)] : nullptr;
}

void PatternList::choose(int line) {
  if (line < 0 || line >= int(m_lines.size())) return;
  m_chosen = line;
  update();
  Q_EMIT lineChosen(line);
  Q_EMIT cameIntoView(lineRect(line));
}

QSize PatternList::sizeHint() const { return {380, (m_tops.empty() ? 0 : m_tops.back()) + 4}; }

bool PatternList::hasBelow(int line) const {
  return line >= 0 && line + 1 < int(m_lines.size()) && m_lines[size_t(line) + 1].depth > m_lines[size_t(line)].depth;
}

std::vector<int> PatternList::shown() const {
  std::vector<int> out;
  int hidden = 1000; // lines deeper than this are folded away
  for (int i = 0; i < int(m_lines.size()); ++i) {
    const int depth = m_lines[size_t(i)].depth;
    if (depth > hidden) continue;
    hidden = m_folded.count(i) ? depth : 1000;
    out.push_back(i);
  }
  return out;
}

int PatternList::lineAt(int y) const {
  const auto all = shown();
  for (size_t row = 0; row + 1 < m_tops.size() && row < all.size(); ++row)
    if (y >= m_tops[row] && y < m_tops[row] + lineHeight) return all[row];
  return -1;
}

QRect PatternList::lineRect(int line) const {
  const auto all = shown();
  const auto it = std::find(all.begin(), all.end(), line);
  const size_t row = size_t(it - all.begin());
  return it == all.end() || row >= m_tops.size() ? QRect() : QRect(0, m_tops[row], width(), lineHeight);
}

QRect PatternList::openRect(int line) const {
  const QRect r = lineRect(line);
  return r.isEmpty() ? r : QRect(r.right() - 62, r.top() + 3, 22, lineHeight - 6);
}

QRect PatternList::foldRect(int line) const {
  const QRect r = lineRect(line);
  if (r.isEmpty() || !hasBelow(line)) return {};
  return {8 + m_lines[size_t(line)].depth * 18 + pictureWidth + 4, r.top() + 3, 18, lineHeight - 6};
}

QRect PatternList::switchRect(int line) const {
  const QRect r = lineRect(line);
  return r.isEmpty() ? r : QRect(r.right() - 38, r.top() + 3, 34, lineHeight - 6);
}

void PatternList::fold(int line, bool on) {
  if (on ? m_folded.insert(line).second : m_folded.erase(line) > 0) arrange();
}

QString PatternList::spokenValue() const {
  const PatternLine* l = chosenLine();
  if (!l) return tr("no pattern");
  const QString off = lineIsOn(m_studio, *l) ? QString() : tr(", off");
  return QStringLiteral("%1 %2 %3%4")
      .arg(qs(l->words), lineTitle(m_studio, *l), lineNumber(m_studio, *l), off)
      .trimmed();
}

void PatternList::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const auto all = shown();
  for (size_t row = 0; row < all.size() && row + 1 < m_tops.size(); ++row) {
    const int i = all[row];
    const PatternLine& l = m_lines[size_t(i)];
    const QRect r(0, m_tops[row], width(), lineHeight);
    if (i == m_chosen) p.fillRect(r.adjusted(0, 1, 0, -1), hasFocus() ? theme::selected : theme::raised);
    int x = 8 + l.depth * 18;
    // Rails lead from a line down to what belongs to it.
    p.setPen(theme::line);
    for (int d = 1; d <= l.depth; ++d) p.drawLine(8 + d * 18 - 10, r.top(), 8 + d * 18 - 10, m_tops[row + 1]);
    const QRect picture(x, r.top() + 3, pictureWidth, pictureHeight);
    if (size_t(i) < m_pictures.size() && !m_pictures[size_t(i)].isNull())
      p.drawImage(picture, m_pictures[size_t(i)]);
    else
      p.fillRect(picture, partColor(m_studio, l));
    x += pictureWidth + 8;
    const bool on = lineIsOn(m_studio, l);
    if (const QRect f = foldRect(i); !f.isEmpty()) {
      p.setPen(theme::faint);
      p.setFont(theme::font(12));
      p.drawText(f, Qt::AlignCenter, m_folded.count(i) ? QStringLiteral("+") : QStringLiteral("–"));
      x += 14;
    }
    // Opens upwards what it opened downwards.
    const QRect o = openRect(i);
    const int turn = isOpen(i) ? -1 : 1;
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(isOpen(i) ? theme::accent : theme::dim, 1.4));
    const QPoint c = o.center();
    p.drawPolyline(QPolygon({c + QPoint(-4, -2 * turn), c + QPoint(0, 2 * turn), c + QPoint(4, -2 * turn)}));
    p.setRenderHint(QPainter::Antialiasing, false);
    const int right = o.left() - 6;
    const auto write = [&](const QString& text, int weight, const QColor& color) {
      if (text.isEmpty() || x >= right) return;
      p.setFont(theme::font(12, weight));
      p.setPen(color);
      const QString s = p.fontMetrics().elidedText(text, Qt::ElideRight, right - x);
      p.drawText(QRect(x, r.top(), right - x, lineHeight), Qt::AlignVCenter, s);
      x += p.fontMetrics().horizontalAdvance(s) + 9;
    };
    write(qs(l.words), 500, theme::dim);
    write(lineTitle(m_studio, l), 600, on ? theme::text : theme::faint);
    write(lineNumber(m_studio, l), 500, theme::dim);
    if (i == 0) write(m_named, 500, theme::faint);
    const Node* n = m_studio.doc().find(l.node);
    if (!n || !n->kind->param("on")) continue;
    p.setFont(theme::font(11));
    p.setPen(on ? theme::text : theme::faint);
    const QRect s = switchRect(i);
    p.drawText(s, Qt::AlignCenter, on ? tr("on") : tr("off"));
    if (on) p.fillRect(QRect(s.center().x() - 9, s.bottom() - 3, 18, 2), theme::accent);
  }
}

void PatternList::mousePressEvent(QMouseEvent* e) {
  setFocus();
  const int line = lineAt(e->pos().y());
  if (line < 0) return;
  if (e->button() == Qt::LeftButton && switchRect(line).contains(e->pos())) {
    choose(line);
    Q_EMIT lineSwitched(line);
    return;
  }
  if (e->button() == Qt::LeftButton && openRect(line).contains(e->pos())) {
    choose(line);
    return open(line, !isOpen(line));
  }
  if (e->button() == Qt::LeftButton && foldRect(line).contains(e->pos())) {
    choose(line);
    return fold(line, !m_folded.count(line));
  }
  m_dragged = e->button() == Qt::LeftButton && line > 0 ? line : -1;
  choose(line);
}

void PatternList::mouseMoveEvent(QMouseEvent* e) {
  const int line = lineAt(e->pos().y());
  const bool hand = line >= 0 && (switchRect(line).contains(e->pos()) || openRect(line).contains(e->pos()) ||
                                  foldRect(line).contains(e->pos()));
  setCursor(hand ? Qt::PointingHandCursor : m_dragged >= 0 ? Qt::ClosedHandCursor : Qt::ArrowCursor);
}

void PatternList::mouseReleaseEvent(QMouseEvent* e) {
  const int from = std::exchange(m_dragged, -1), to = lineAt(std::clamp(e->pos().y(), 0, std::max(0, height() - 1)));
  if (from < 0 || to < 0 || to == from) return;
  if (m_lines[size_t(from)].at.node && m_lines[size_t(to)].at.node) return Q_EMIT lineSwapped(from, to);
  if (m_lines[size_t(from)].at.node) return;
  // Among the parts of the same line: how many of them it passes.
  int by = 0;
  for (int i = std::min(from, to); i <= std::max(from, to); ++i)
    by += i != from && m_lines[size_t(i)].depth == m_lines[size_t(from)].depth && !m_lines[size_t(i)].at.node;
  if (by) Q_EMIT lineMoved(from, to > from ? by : -by);
}

void PatternList::mouseDoubleClickEvent(QMouseEvent* e) {
  const int line = lineAt(e->pos().y());
  const bool mark = line >= 0 && (switchRect(line).contains(e->pos()) || openRect(line).contains(e->pos()) ||
                                  foldRect(line).contains(e->pos()));
  if (line >= 0 && !mark) open(line, !isOpen(line));
}

void PatternList::contextMenuEvent(QContextMenuEvent* e) {
  const int line = lineAt(e->pos().y());
  if (line < 0) return;
  choose(line);
  Q_EMIT menuWanted(line, e->globalPos());
}

void PatternList::keyPressEvent(QKeyEvent* e) {
  const auto all = shown();
  const auto here = std::find(all.begin(), all.end(), m_chosen);
  const bool alt = e->modifiers() & Qt::AltModifier;
  switch (e->key()) {
  case Qt::Key_Up:
  case Qt::Key_Down: {
    const int by = e->key() == Qt::Key_Up ? -1 : 1;
    if (alt) {
      if (m_chosen >= 0) Q_EMIT lineMoved(m_chosen, by);
    } else if (here != all.end()) {
      choose(all[size_t(std::clamp(int(here - all.begin()) + by, 0, int(all.size()) - 1))]);
    }
    return;
  }
  case Qt::Key_Left:
    return fold(m_chosen, hasBelow(m_chosen));
  case Qt::Key_Right:
    return fold(m_chosen, false);
  case Qt::Key_Return:
  case Qt::Key_Enter:
    return open(m_chosen, !isOpen(m_chosen));
  case Qt::Key_Space:
    if (m_chosen >= 0) Q_EMIT lineSwitched(m_chosen);
    return;
  case Qt::Key_Delete:
  case Qt::Key_Backspace:
    if (m_chosen >= 0) Q_EMIT lineRemoved(m_chosen);
    return;
  case Qt::Key_Menu:
    if (m_chosen >= 0) Q_EMIT menuWanted(m_chosen, mapToGlobal(lineRect(m_chosen).center()));
    return;
  default:
    QWidget::keyPressEvent(e);
  }
}

bool PatternList::event(QEvent* e) {
  if (e->type() == QEvent::ToolTip) {
    auto* help = static_cast<QHelpEvent*>(e);
    const int line = lineAt(help->pos().y());
    const Node* n = line >= 0 ? m_studio.doc().find(m_lines[size_t(line)].node) : nullptr;
    QToolTip::showText(help->globalPos(),
                       n ? QStringLiteral("%1 · %2").arg(qs(n->name), qs(n->kind->helpText)) : QString(), this);
    return true;
  }
  // Keys of the list that a menu of the window has too.
  if (e->type() == QEvent::ShortcutOverride) {
    const auto* k = static_cast<QKeyEvent*>(e);
    if ((k->modifiers() & Qt::AltModifier) && (k->key() == Qt::Key_Up || k->key() == Qt::Key_Down)) {
      e->accept();
      return true;
    }
  }
  if (e->type() == QEvent::FocusIn || e->type() == QEvent::FocusOut) update();
  return QWidget::event(e);
}

} // namespace ilumbra
