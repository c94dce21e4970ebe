#pragma once
#include "app/main_window.h"
#include "app/studio.h"
#include "core/document/file.h"
#include "demo/starters.h"
#include "tests/support/scene.h"

#include <memory>
#include <QApplication>
#include <QMenu>
#include <QTest>
#include <QTimer>

namespace ilumbra::test {

/// A window with a small version of the sun core, so that pictures come quickly.
class Open {
 public:
  Open() : studio(std::make_unique<Studio>()), window(std::make_unique<MainWindow>(*studio)) {
    Document doc = writeStarter(findStarter("sun-core"), kinds(), folder / "sun.ilum");
    for (const auto& [param, v] : {std::pair{"width", 128.0}, {"height", 72.0}, {"samples", 2.0}})
      doc = setValue(doc, doc.settings().id, param, Constant(v));
    writeDocument(doc, folder / "sun.ilum");
    window->resize(1280, 800);
    window->show();
    bool done = false;
    window->openFile(QString::fromStdString(folder / "sun.ilum"), [&] { done = true; });
    REQUIRE(wait([&] { return done; }));
    REQUIRE(finished());
  }
  static bool wait(const std::function<bool()>& f, int ms = 120000) { return QTest::qWaitFor(f, ms); }
  /// Until the picture of the present document is finished.
  bool finished() {
    return wait(
        [&] { return studio->image() && studio->image()->edition == studio->edition() && studio->image()->finished; });
  }
  const Document& doc() const { return studio->doc(); }
  NodeId id(const char* name) const { return doc().findByName(name)->id; }
  double number(const char* address) const {
    return std::get<double>(*valueAt(doc(), resolve(doc(), address)).constant());
  }

  TemporaryFolder folder;
  std::unique_ptr<Studio> studio;
  std::unique_ptr<MainWindow> window;
};

/// Presses Return on the entry with these data in the next menu that opens, however long that takes; a menu without it
/// is closed. A menu runs a loop of its own, so that a test that waited for a fixed time and found none would never
/// end.
class ChooseFromMenu {
 public:
  explicit ChooseFromMenu(std::string entry) {
    QObject::connect(&m_timer, &QTimer::timeout, [this, entry = QString::fromStdString(entry)] {
      auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
      if (!menu) return;
      m_timer.stop();
      for (QAction* a : menu->actions())
        if (a->data().toString() == entry) {
          menu->setActiveAction(a);
          QTest::keyClick(menu, Qt::Key_Return);
          return;
        }
      menu->close();
    });
    m_timer.start(20);
  }

 private:
  QTimer m_timer;
};

} // namespace ilumbra::test
