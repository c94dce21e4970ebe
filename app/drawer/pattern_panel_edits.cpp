// What is done to a pattern in its drawer: lines switched, taken out, moved and exchanged; the menu; copying and
// dropping.
#include "app/drawer/pattern_list.h"
#include "app/drawer/pattern_panel.h"
#include "app/panels/pattern_menu.h"
#include "core/base/error.h"
#include "core/document/file.h"
#include "core/document/transplant.h"
#include "core/placing/driving.h"

#include <QApplication>
#include <QClipboard>
#include <QDragEnterEvent>
#include <QMenu>
#include <QToolButton>

namespace ilumbra {

void PatternPanel::switchLine(int line) {
  const PatternLine l = m_list->lines().at(size_t(line));
  const Node* n = m_studio.doc().find(l.node);
  if (!n || !n->kind->param("on")) return;
  const bool on = lineIsOn(m_studio, l);
  m_studio.edit((on ? tr("%1 off") : tr("%1 on")).arg(qs(n->name)), [&](const Document& d) {
    return setNow(d, {l.node, "on", 0, {}}, Constant(!on));
  });
}

void PatternPanel::removeLine(int line) {
  PatternLine l = m_list->lines().at(size_t(line));
  if (l.depth == 0) l.at = m_use;
  const Node* n = m_studio.doc().find(l.node);
  if (!n) return;
  m_studio.edit(tr("Take out %1").arg(qs(n->name)), [&](const Document& d) { return withoutLine(d, l); });
}

void PatternPanel::swapLines(int line, int with) {
  const auto lines = m_list->lines();
  const Node *a = m_studio.doc().find(lines.at(size_t(line)).node),
             *b = m_studio.doc().find(lines.at(size_t(with)).node);
  if (!a || !b) return;
  if (m_studio.edit(tr("Exchange %1 and %2").arg(qs(a->name), qs(b->name)),
                    [&](const Document& d) { return swappedLines(d, lines, size_t(line), size_t(with)); }))
    m_studio.tell(tr("%1 and %2 changed places").arg(qs(lines[size_t(line)].words), qs(lines[size_t(with)].words)));
}

void PatternPanel::moveLine(int line, int by) {
  const PatternLine l = m_list->lines().at(size_t(line));
  const Node* n = m_studio.doc().find(l.node);
  if (n && l.at.node) {
    // The next input of the same line, up or down.
    const auto& lines = m_list->lines();
    for (int i = line + by; i >= 0 && i < int(lines.size()) && lines[size_t(i)].depth >= l.depth; i += by)
      if (lines[size_t(i)].depth == l.depth && lines[size_t(i)].at.node == l.at.node) return swapLines(line, i);
    return m_studio.tell(tr("There is no other input of this line to change places with"));
  }
  if (!n || !n->parent) return m_studio.tell(tr("This line stands alone"));
  for (const auto& [slot, ids] : m_studio.doc().find(n->parent)->children) {
    const auto it = std::find(ids.begin(), ids.end(), n->id);
    if (it == ids.end()) continue;
    const auto to = std::clamp<ptrdiff_t>(it - ids.begin() + by, 0, ptrdiff_t(ids.size()) - 1);
    if (to == it - ids.begin()) return;
    m_studio.edit(tr("Move %1").arg(qs(n->name)), [&, slot = slot](const Document& d) {
      return moveNode(d, l.node, {n->parent, slot, size_t(to)});
    });
    return;
  }
}

void PatternPanel::fit() {
  if (!m_range || !m_place.node) return;
  m_studio.edit(tr("Fit %1").arg(qs(addressText(m_studio.doc(), m_place))),
                [&](const Document& d) { return fitted(d, m_place, m_range->low, m_range->high); });
}

// What can be put below a line: a pattern for each of its numbers and colours; one more part.
void PatternPanel::addBelow(const QPoint& global) {
  if (m_list->chosen() >= 0) lineMenu(m_list->chosen(), global);
}

void PatternPanel::lineMenu(int line, const QPoint& global) {
  const PatternLine l = m_list->lines().at(size_t(line));
  const Document& doc = m_studio.doc();
  const Node* n = doc.find(l.node);
  if (!n) return;
  QMenu menu(this);
  struct Choice {
    PatternMenu menu;
    Address at;
  };
  std::vector<Choice> choices;
  const auto offer = [&](QMenu* to, const Address& at) { choices.push_back({PatternMenu(to, m_studio, at), at}); };
  for (const ParamDef& d : n->kind->params) {
    if (!d.patternable || !counts(*n, d, m_studio.frame())) continue;
    offer(menu.addMenu(qs(d.label)), {n->id, d.name, 0, {}});
  }
  std::vector<std::pair<QAction*, std::pair<std::string, std::string>>> parts;
  for (const ChildSlot& s : n->kind->slots)
    for (const Kind& k : m_studio.kinds()->all())
      if (accepted(s.accepts, k.id)) {
        menu.addSeparator();
        parts.push_back({menu.addAction(tr("One more %1").arg(qs(k.label).toLower())), {k.id, s.name}});
      }
  if (const Address at = placeOf(l); at.node) {
    menu.addSeparator();
    offer(menu.addMenu(tr("This line")), at);
  }
  menu.addSeparator();
  QMenu* swap = menu.addMenu(tr("Exchange with"));
  const auto& lines = m_list->lines();
  for (size_t i = 0; i < lines.size() && l.at.node; ++i) {
    if (int(i) == line || !lines[i].at.node) continue;
    try {
      swappedLines(doc, lines, size_t(line), i);
    } catch (const Error&) { // one lies within the other
      continue;
    }
    swap->addAction(qs(lines[i].words + ": " + doc.find(lines[i].node)->name))->setData(int(i));
  }
  swap->menuAction()->setVisible(!swap->isEmpty());
  QAction* out = menu.addAction(tr("Take it out"));
  QAction* chosen = menu.exec(global);
  if (!chosen) return;
  if (chosen == out) return removeLine(line);
  if (swap->actions().contains(chosen)) return swapLines(line, chosen->data().toInt());
  for (const auto& [action, part] : parts)
    if (action == chosen) {
      m_studio.edit(tr("Add a part"), [&, part = part](const Document& d) {
        return addNode(d, part.first, "", {l.node, part.second, 0});
      });
      return;
    }
  for (const Choice& c : choices)
    if (c.menu.chose(chosen, c.at, qs(addressText(doc, c.at)))) return;
}

void PatternPanel::copy() const {
  const PatternLine* l = m_list->chosenLine();
  const Node* n = l ? m_studio.doc().find(l->node) : nullptr;
  if (!n) return;
  NodeId whole = n->id;
  for (const Node* up = n; up && up->kind->family() != "pattern"; up = m_studio.doc().find(up->parent))
    whole = up->parent;
  try {
    QApplication::clipboard()->setText(qs(toJson(cutting(m_studio.doc(), whole))));
    m_studio.tell(tr("%1 is on the clipboard, as text").arg(qs(m_studio.doc().find(whole)->name)));
  } catch (const Error& e) {
    m_studio.tell(qs(std::string_view(e.what())), true);
  }
}

void PatternPanel::paste() {
  const QString text = QApplication::clipboard()->text();
  const PatternLine* l = m_list->chosenLine();
  const Address at = l ? placeOf(*l) : m_use;
  m_studio.edit(tr("Paste a pattern"), [&](const Document& d) {
    if (!at.node) throw badInput("choose a line that drives something: the pattern takes its place");
    return drivenByCutting(d, at, fromJson(m_studio.kinds(), text.toStdString()));
  });
}

void PatternPanel::keyPressEvent(QKeyEvent* e) {
  if (e->matches(QKeySequence::Copy)) return copy();
  if (e->matches(QKeySequence::Paste)) return paste();
  QWidget::keyPressEvent(e);
}

void PatternPanel::dragEnterEvent(QDragEnterEvent* e) {
  if (!pictureIn(e->mimeData()).isEmpty() && m_list->chosenLine()) e->acceptProposedAction();
}

void PatternPanel::dropEvent(QDropEvent* e) {
  const PatternLine* l = m_list->chosenLine();
  if (!l || !placeOf(*l).node) return;
  e->acceptProposedAction();
  drivePattern(m_studio, placeOf(*l), "pattern.image", pictureIn(e->mimeData()));
}

} // namespace ilumbra
