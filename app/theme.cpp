#include "app/theme.h"

#include <QApplication>
#include <QFontDatabase>
#include <QPalette>
#include <QStyleFactory>

namespace ilumbra::theme {

QFont font(double points, int weight) {
  QFont f(QStringLiteral("Manrope"));
  f.setPixelSize(int(points));
  f.setWeight(QFont::Weight(weight));
  return f;
}

void apply(QApplication& app) {
  for (const char* name : {"Regular", "Medium", "SemiBold", "Bold"})
    QFontDatabase::addApplicationFont(QStringLiteral(":/fonts/Manrope-%1.ttf").arg(QLatin1String(name)));
  app.setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
  app.setFont(font(12));
  QPalette p;
  p.setColor(QPalette::Window, panel);
  p.setColor(QPalette::WindowText, text);
  p.setColor(QPalette::Base, raised);
  p.setColor(QPalette::AlternateBase, panel);
  p.setColor(QPalette::Text, text);
  p.setColor(QPalette::Button, raised);
  p.setColor(QPalette::ButtonText, text);
  p.setColor(QPalette::BrightText, text);
  p.setColor(QPalette::Highlight, selected);
  p.setColor(QPalette::HighlightedText, text);
  p.setColor(QPalette::ToolTipBase, raised);
  p.setColor(QPalette::ToolTipText, text);
  p.setColor(QPalette::PlaceholderText, faint);
  p.setColor(QPalette::Link, accent);
  p.setColor(QPalette::Mid, line);
  p.setColor(QPalette::Dark, desk);
  p.setColor(QPalette::Light, line);
  for (const auto role : {QPalette::Text, QPalette::WindowText, QPalette::ButtonText})
    p.setColor(QPalette::Disabled, role, faint);
  app.setPalette(p);
  app.setStyleSheet(QStringLiteral(R"(
    QToolTip { background: #2d2d2d; color: #e9e4db; border: 1px solid #444444; padding: 4px; }
    QMenuBar { background: #1b1b1b; padding: 2px 2px; }
    QMenuBar::item { padding: 5px 9px; background: transparent; border-radius: 3px; }
    QMenuBar::item:selected { background: #2d2d2d; }
    QMenu { background: #2a2a2a; border: 1px solid #404040; padding: 5px 0; }
    QMenu::item { padding: 5px 28px 5px 18px; }
    QMenu::item:selected { background: #35423e; }
    QMenu::item:disabled { color: #6a6762; }
    QMenu::separator { height: 1px; background: #3a3a3a; margin: 5px 0; }
    QToolButton { border: none; padding: 4px 5px; background: transparent; color: #9a968f; border-radius: 3px; }
    QToolButton:hover { color: #e9e4db; background: #2d2d2d; }
    QToolButton:checked { color: #e9e4db; }
    QToolButton:focus { background: #2d2d2d; }
    QToolButton:disabled { color: #565450; }
    QToolButton::menu-indicator { image: none; width: 0; }
    QToolButton[class="accent"] { color: #74c6ae; font-weight: 600; }
    QToolButton[class="accent"]:disabled { color: #565450; }
    QToolButton[class="tab"] { border-radius: 0; padding: 6px 1px 5px 1px; margin: 0 6px; border-bottom: 2px solid transparent; }
    QToolButton[class="tab"]:hover { background: transparent; }
    QToolButton[class="tab"]:checked { border-bottom: 2px solid #74c6ae; }
    QToolButton[class="tab"]:focus { background: #262626; }
    QLineEdit { background: #1c1c1c; border: 1px solid #3a3a3a; border-radius: 3px; padding: 3px 6px; selection-background-color: #4a6f64; }
    QLineEdit:focus { border: 1px solid #74c6ae; }
    QPushButton { background: #303030; border: 1px solid #444444; border-radius: 3px; padding: 5px 14px; }
    QPushButton:hover { background: #383838; }
    QPushButton:default { border: 1px solid #74c6ae; }
    QPushButton:focus { border: 1px solid #74c6ae; }
    QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
    QComboBox { color: #74c6ae; background: #1c1c1c; border: 1px solid #3a3a3a; border-radius: 3px; padding: 3px 6px; }
    QComboBox:focus { border: 1px solid #74c6ae; }
    QComboBox::drop-down { border: none; width: 18px; }
    QComboBox QAbstractItemView { background: #2a2a2a; border: 1px solid #404040; selection-background-color: #35423e; }
    QScrollArea { border: none; background: #232323; }
    QScrollBar:vertical { background: transparent; width: 9px; margin: 0; }
    QScrollBar::handle:vertical { background: #444444; border-radius: 4px; min-height: 30px; }
    QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
    QScrollBar:horizontal { background: transparent; height: 9px; margin: 0; }
    QScrollBar::handle:horizontal { background: #444444; border-radius: 4px; min-width: 30px; }
    QListWidget, QTreeWidget { background: transparent; border: none; outline: 0; }
    QSplitter::handle { background: #151515; }
    QStatusBar { background: #1b1b1b; }
    QStatusBar::item { border: none; }
    QDialog { background: #262626; }
  )"));
}

} // namespace ilumbra::theme
