#include "app/commands/commands.h"

#include <QAction>
#include <QDialog>
#include <QDialogButtonBox>
#include <QHeaderView>
#include <QKeySequenceEdit>
#include <QLabel>
#include <QPushButton>
#include <QSettings>
#include <QTableWidget>
#include <QVBoxLayout>

namespace ilumbra {

void Commands::add(Command c) {
  auto* a = new QAction(c.label, m_window);
  a->setObjectName(c.id);
  a->setToolTip(c.help);
  a->setStatusTip(c.help);
  a->setShortcutContext(Qt::WindowShortcut);
  QObject::connect(a, &QAction::triggered, m_window, [run = c.run, enabled = c.enabled] {
    if (!enabled || enabled()) run();
  });
  m_window->addAction(a);
  m_commands.push_back(std::move(c));
  m_actions.push_back(a);
  a->setShortcut(keysOf(m_commands.back().id));
}

QAction* Commands::action(const QString& id) const {
  for (size_t i = 0; i < m_commands.size(); ++i)
    if (m_commands[i].id == id) return m_actions[i];
  return nullptr;
}

QKeySequence Commands::keysOf(const QString& id) const {
  const QSettings s;
  if (const QString key = QStringLiteral("keys/") + id; s.contains(key)) return QKeySequence(s.value(key).toString());
  for (const Command& c : m_commands)
    if (c.id == id) return QKeySequence(c.keys);
  return {};
}

QString Commands::setKeys(const QString& id, const QKeySequence& keys) {
  QString loser;
  QSettings s;
  for (const Command& c : m_commands)
    if (!keys.isEmpty() && c.id != id && keysOf(c.id) == keys) {
      loser = c.id;
      s.setValue(QStringLiteral("keys/") + c.id, QString());
      action(c.id)->setShortcut({});
    }
  s.setValue(QStringLiteral("keys/") + id, keys.toString());
  if (QAction* a = action(id)) a->setShortcut(keys);
  return loser;
}

void Commands::resetKeys() {
  QSettings s;
  s.remove(QStringLiteral("keys"));
  for (size_t i = 0; i < m_commands.size(); ++i) m_actions[i]->setShortcut(QKeySequence(m_commands[i].keys));
}

void Commands::run(const QString& id) const {
  if (QAction* a = action(id)) a->trigger();
}

QString Commands::docs() const {
  QString s = QStringLiteral(
      "# Commands and keys\n\nWritten from the window's table; every line can be found by name in *Find anything*, and "
      "its keys changed under\n*Help, Shortcuts*.\n\n| menu | command | keys | what it does |\n|---|---|---|---|\n");
  for (const Command& c : m_commands)
    s += QStringLiteral("| %1 | %2 | %3 | %4 |\n")
             .arg(c.menu, c.label, c.keys.isEmpty() ? QString() : QStringLiteral("`%1`").arg(c.keys), c.help);
  return s;
}

void editShortcuts(Commands& commands, QWidget* parent) {
  QDialog d(parent);
  d.setWindowTitle(QObject::tr("Shortcuts"));
  d.resize(620, 560);
  auto* column = new QVBoxLayout(&d);
  auto* note = new QLabel(
      QObject::tr("Press the new keys in the right column. Keys that another command had are taken from it."), &d);
  note->setWordWrap(true);
  column->addWidget(note);
  auto* table = new QTableWidget(int(commands.all().size()), 3, &d);
  table->setHorizontalHeaderLabels({QObject::tr("Menu"), QObject::tr("Command"), QObject::tr("Keys")});
  table->verticalHeader()->hide();
  table->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
  table->setColumnWidth(2, 170);
  table->setSelectionMode(QAbstractItemView::NoSelection);
  table->setEditTriggers(QAbstractItemView::NoEditTriggers);
  std::vector<QKeySequenceEdit*> edits;
  const auto refresh = [&] {
    for (size_t i = 0; i < edits.size(); ++i) edits[i]->setKeySequence(commands.keysOf(commands.all()[i].id));
  };
  for (int i = 0; i < table->rowCount(); ++i) {
    const Command& c = commands.all()[size_t(i)];
    table->setItem(i, 0, new QTableWidgetItem(c.menu));
    table->setItem(i, 1, new QTableWidgetItem(c.label));
    auto* edit = new QKeySequenceEdit(commands.keysOf(c.id), table);
    edits.push_back(edit);
    QObject::connect(edit, &QKeySequenceEdit::editingFinished, &d, [&, i, edit] {
      const QString id = commands.all()[size_t(i)].id;
      if (edit->keySequence() == commands.keysOf(id)) return;
      const QString loser = commands.setKeys(id, edit->keySequence());
      if (!loser.isEmpty()) note->setText(QObject::tr("%1 has lost these keys.").arg(commands.action(loser)->text()));
      refresh();
    });
    table->setCellWidget(i, 2, edit);
  }
  column->addWidget(table);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, &d);
  auto* reset = buttons->addButton(QObject::tr("All back to default"), QDialogButtonBox::ResetRole);
  QObject::connect(reset, &QPushButton::clicked, &d, [&] {
    commands.resetKeys();
    refresh();
  });
  QObject::connect(buttons, &QDialogButtonBox::rejected, &d, &QDialog::reject);
  column->addWidget(buttons);
  d.exec();
}

} // namespace ilumbra
