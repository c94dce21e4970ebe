#pragma once
#include <functional>
#include <QKeySequence>
#include <QString>
#include <vector>

class QAction;
class QWidget;

namespace ilumbra {

/// One command: in menus, in the palette and by its keys. Every command of the window is a line of one table.
struct Command {
  QString id;    ///< "picture.keep"
  QString menu;  ///< "Picture"; empty: in the palette only
  QString label; ///< "Keep the picture"
  QString keys;  ///< as QKeySequence reads them; empty: none
  QString help;  ///< a sentence
  std::function<void()> run;
  std::function<bool()> enabled = {}; ///< null: always
  bool separatorBefore = false;
};

/// The commands with their actions; shortcuts can be changed and are remembered.
class Commands {
 public:
  explicit Commands(QWidget* window) : m_window(window) {}
  void add(Command c);
  const std::vector<Command>& all() const { return m_commands; }
  QAction* action(const QString& id) const;
  /// The keys that count now: the person's own or the table's.
  QKeySequence keysOf(const QString& id) const;
  /// Empty keys take the shortcut away. Returns the id of the command that had these keys and lost them, or empty.
  QString setKeys(const QString& id, const QKeySequence& keys);
  void resetKeys();
  void run(const QString& id) const;
  /// "docs/keys.md": a table of all commands with their default keys.
  QString docs() const;

 private:
  QWidget* m_window;
  std::vector<Command> m_commands;
  std::vector<QAction*> m_actions;
};

/// Adds commands to one menu, in their order.
class CommandMenu {
 public:
  CommandMenu(Commands& commands, QString title) : m_commands(commands), m_title(std::move(title)) {}
  /// `enabled` null: always. `separator`: a line before it.
  void add(const char* id, const QString& label, const char* keys, const QString& help, std::function<void()> run,
           std::function<bool()> enabled = {}, bool separator = false) {
    m_commands.add(
        {QLatin1String(id), m_title, label, QLatin1String(keys), help, std::move(run), std::move(enabled), separator});
  }

 private:
  Commands& m_commands;
  QString m_title;
};

/// Lists every command with its keys and lets them be changed.
void editShortcuts(Commands& commands, QWidget* parent);

} // namespace ilumbra
