#include "app/commands/find_anything.h"

#include "app/commands/commands.h"
#include "app/theme.h"

#include <algorithm>
#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>

namespace ilumbra {
namespace {

// Every word must begin somewhere in the text; earlier and closer beginnings come first. Below 0: no match.
int rank(const QString& text, const QStringList& words) {
  int score = 0;
  for (const QString& w : words) {
    int at = int(text.indexOf(w, 0, Qt::CaseInsensitive));
    if (at < 0) return -1;
    if (at > 0 && text[at - 1].isLetterOrNumber()) at += 40;
    score += at;
  }
  return score * 100 + int(text.size());
}

} // namespace

FindAnything::FindAnything(Studio& studio, Commands& commands, QWidget* parent)
    : QDialog(parent, Qt::Popup), m_studio(studio), m_commands(commands) {
  resize(520, 380);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(10, 10, 10, 10);
  m_field = new QLineEdit(this);
  m_field->setPlaceholderText(tr("A command, a thing, or a parameter"));
  m_field->setFont(theme::font(14));
  m_field->installEventFilter(this);
  column->addWidget(m_field);
  m_list = new QListWidget(this);
  m_list->setStyleSheet(QStringLiteral(
      "QListWidget::item { padding: 4px 6px; } QListWidget::item:selected { background: #35423e; color: #e9e4db; }"));
  column->addWidget(m_list, 1);
  connect(m_field, &QLineEdit::textChanged, this, &FindAnything::fill);
  connect(m_list, &QListWidget::itemClicked, this, &FindAnything::take);
  fill();
  m_field->setFocus();
  if (parent) move(parent->mapToGlobal(QPoint(parent->width() / 2 - 260, 90)));
}

void FindAnything::fill() {
  m_list->clear();
  const QStringList words = m_field->text().split(u' ', Qt::SkipEmptyParts);
  struct Entry {
    int rank;
    QString text, data;
  };
  std::vector<Entry> found;
  const auto offer = [&](const QString& text, const QString& kind, const QString& data, int after) {
    const int r = rank(text, words);
    if (r >= 0) found.push_back({r + after, QStringLiteral("%1   ·  %2").arg(text, kind), data});
  };
  for (const Command& c : m_commands.all()) {
    if (c.enabled && !c.enabled()) continue;
    const QString keys = m_commands.keysOf(c.id).toString(QKeySequence::NativeText);
    offer(c.label,
          (c.menu.isEmpty() ? tr("command") : c.menu) + (keys.isEmpty() ? QString() : QStringLiteral("   ") + keys),
          QStringLiteral("c:") + c.id, 0);
  }
  for (const Node* n : m_studio.doc().inOrder()) {
    offer(qs(n->name), qs(n->kind->label), QStringLiteral("n:%1").arg(n->id), 20);
    if (words.isEmpty()) continue;
    for (const ParamDef& d : n->kind->params)
      offer(QStringLiteral("%1 %2").arg(qs(n->name), qs(d.label)), tr("parameter"),
            QStringLiteral("p:%1:%2").arg(n->id).arg(qs(d.name)), 60);
  }
  std::stable_sort(found.begin(), found.end(), [](const Entry& a, const Entry& b) { return a.rank < b.rank; });
  for (size_t i = 0; i < std::min<size_t>(60, found.size()); ++i) {
    auto* item = new QListWidgetItem(found[i].text, m_list);
    item->setData(Qt::UserRole, found[i].data);
  }
  if (m_list->count()) m_list->setCurrentRow(0);
}

void FindAnything::take() {
  const QListWidgetItem* i = m_list->currentItem();
  if (!i) return;
  const QString data = i->data(Qt::UserRole).toString();
  accept();
  if (data.startsWith(u"c:")) return m_commands.run(data.mid(2));
  const QStringList parts = data.split(u':');
  const NodeId id = parts[1].toUInt();
  m_studio.select({id});
  if (parts[0] == QStringLiteral("p")) Q_EMIT parameterChosen(id, parts[2]);
}

bool FindAnything::eventFilter(QObject*, QEvent* e) {
  if (e->type() != QEvent::KeyPress) return false;
  const int key = static_cast<QKeyEvent*>(e)->key(), row = m_list->currentRow();
  if (key == Qt::Key_Down)
    m_list->setCurrentRow(std::min(row + 1, m_list->count() - 1));
  else if (key == Qt::Key_Up)
    m_list->setCurrentRow(std::max(row - 1, 0));
  else if (key == Qt::Key_Return || key == Qt::Key_Enter)
    take();
  else
    return false;
  return true;
}

} // namespace ilumbra
