// Nothing of somebody's work is lost: keys, edits while a save runs, work of others on the same file, what is being
// written when the window is left.
#include "app/document_files.h"
#include "app/panels/number_row.h"
#include "app/panels/settings_panel.h"
#include "app/picture_files.h"
#include "app/viewport/picture_bar.h"
#include "app/viewport/picture_view.h"
#include "core/base/files.h"
#include "core/compile/camera.h"
#include "core/exchange/picture_file.h"
#include "tests/app/open.h"

#include <filesystem>
#include <QDialog>
#include <QLineEdit>
#include <QMenu>
#include <QProcess>
#include <QPushButton>
#include <QStandardPaths>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

namespace {

// Answers the next questions in order, by their labels; an empty one presses Escape.
class Answers {
 public:
  explicit Answers(QStringList labels) : m_labels(std::move(labels)) {
    QObject::connect(&m_timer, &QTimer::timeout, [this] {
      QDialog* open = nullptr;
      for (QWidget* w : QApplication::topLevelWidgets())
        if (auto* d = qobject_cast<QDialog*>(w); d && d->isVisible() && d->objectName() == "question") open = d;
      if (!open || m_labels.isEmpty()) return;
      m_asked << open->windowTitle();
      const QString label = m_labels.takeFirst();
      if (label.isEmpty()) return open->reject();
      for (QPushButton* b : open->findChildren<QPushButton*>())
        if (b->objectName() == label) {
          b->setFocus();
          QTest::keyClick(b, Qt::Key_Return);
          return;
        }
      m_missing << label;
      open->reject();
    });
    m_timer.start(15);
  }
  QStringList asked() const { return m_asked; }
  QStringList missing() const { return m_missing; }
  bool done() const { return m_labels.isEmpty(); }

 private:
  QTimer m_timer;
  QStringList m_labels, m_asked, m_missing;
};

void typeInto(QWidget* row, const char* text) {
  QTest::keyClick(row, Qt::Key_Return);
  auto* field = row->findChild<QLineEdit*>();
  REQUIRE(field);
  field->selectAll();
  QTest::keyClicks(field, text);
  QTest::keyClick(field, Qt::Key_Return);
}

void touch(const fs::path& file, const std::string& content) { writeFileAtomically(file.string(), content); }

} // namespace

TEST_CASE(
    "A typed value is a key at this frame where there are keys, in every kind of row; holding it always is asked for",
    "[app][rows][keys]") {
  Open o;
  const NodeId window = o.id("Night window");
  const auto keyed = [&](const char* param, const Constant& a, const Constant& b) {
    o.studio->edit("Key", [&](const Document& d) {
      return setAt(d, {window, param, 0, {}}, Keys{{{1, a, KeyShape::Linear}, {11, b, KeyShape::Linear}}});
    });
  };
  keyed("power", 100.0, 200.0);
  keyed("position", Triple{0, 1, 0}, Triple{1, 1, 0});
  keyed("color", Triple{1, 1, 1}, Triple{1, 0, 0});
  o.studio->setFrame(6);
  o.studio->select({window});
  const auto keysOf = [&](const char* param) {
    const Value v = valueAt(o.doc(), {window, param, 0, {}});
    REQUIRE(v.keys());
    return v.keys()->keys;
  };
  typeInto(o.window->settings().row(window, "power"), "+1 stop");
  REQUIRE(keysOf("power").size() == 3);
  CHECK(keysOf("power")[1].frame == 6);
  CHECK(std::get<double>(keysOf("power")[1].value) == Approx(300)); // of what it is at this frame
  auto* place = o.window->settings().row(window, "position");
  typeInto(place, "7");
  REQUIRE(keysOf("position").size() == 3);
  CHECK(std::get<Triple>(keysOf("position")[1].value)[0] == 7);
  auto* colour = o.window->settings().row(window, "color")->findChild<QLineEdit*>();
  colour->setFocus();
  colour->selectAll();
  QTest::keyClicks(colour, "0, 1, 0");
  QTest::keyClick(colour, Qt::Key_Return);
  REQUIRE(keysOf("color").size() == 3);
  // The menu takes them away, when it is asked to.
  ChooseFromMenu hold("hold");
  QTest::keyClick(o.window->settings().row(window, "power"), Qt::Key_Menu);
  const Value held = valueAt(o.doc(), {window, "power", 0, {}});
  REQUIRE(held.constant());
  CHECK(std::get<double>(*held.constant()) == Approx(300));
}

TEST_CASE("Frames are view state: no step of the history, no change of the document, and undo leaves them alone",
          "[app][time]") {
  Open o;
  o.studio->edit("Range", [](const Document& d) {
    return setValue(setValue(d, d.settings().id, "last_frame", Constant(5.0)), d.settings().id, "rate", Constant(60.0));
  });
  bool saved = false;
  o.window->saveFile(o.studio->path(), [&] { saved = true; });
  REQUIRE(Open::wait([&] { return saved; }));
  const std::string label = o.studio->history().undoLabel();
  o.window->commands().run("picture.next_frame");
  o.window->bar().play(true);
  CHECK(Open::wait([&] { return o.studio->frame() == 4; }, 20000));
  o.window->bar().play(false);
  CHECK(o.studio->history().undoLabel() == label);
  CHECK_FALSE(o.studio->modified());
  o.studio->setFrame(3);
  o.studio->edit("Change", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.5)); });
  CHECK(o.studio->modified());
  o.studio->setFrame(5);
  o.studio->undo();
  CHECK(o.studio->frame() == 5);
  CHECK_FALSE(o.studio->modified());
  o.studio->redo();
  CHECK(o.studio->frame() == 5);
  CHECK(o.number("Halo.amount") == 0.5);
}

TEST_CASE("An export right after a change holds the change", "[app][export]") {
  Open o;
  const std::string before = o.folder / "before.exr", after = o.folder / "after.exr";
  bool done = false;
  o.window->pictures().exportPicture(QString::fromStdString(before), false, [&] { done = true; });
  REQUIRE(Open::wait([&] { return done; }));
  done = false;
  o.studio->edit("Brighter", [](const Document& d) {
    return setValue(d, activeCamera(d)->id, "ev100", Constant(Params(*activeCamera(d), 1).number("ev100") - 3));
  });
  o.window->pictures().exportPicture(QString::fromStdString(after), false, [&] { done = true; });
  REQUIRE(Open::wait([&] { return done; }));
  CHECK(mean(readPicture(after).picture()) == Approx(8 * mean(readPicture(before).picture())).epsilon(0.1));
}

TEST_CASE("What is edited while a save runs is not saved, and says so", "[app][save]") {
  Open o;
  o.studio->edit("One", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.5)); });
  bool saved = false;
  o.window->saveFile(o.studio->path(), [&] { saved = true; });
  o.studio->edit("Two", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.25)); });
  REQUIRE(Open::wait([&] { return saved; }));
  CHECK(o.studio->modified());
  CHECK(o.window->lastTold().contains("meanwhile"));
  CHECK(Params(*readDocument(kinds(), o.studio->path().toStdString()).findByName("Halo"), 1).number("amount") == 0.5);
  // Two saves at once end in order: the last one counts.
  int ends = 0;
  o.window->saveFile(o.studio->path(), [&] { ++ends; });
  o.studio->edit("Three", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.125)); });
  o.window->saveFile(o.studio->path(), [&] { ++ends; });
  REQUIRE(Open::wait([&] { return ends == 2; }));
  CHECK_FALSE(o.studio->modified());
  CHECK(Params(*readDocument(kinds(), o.studio->path().toStdString()).findByName("Halo"), 1).number("amount") == 0.125);
}

TEST_CASE("A file that another program changed is not written over without a word", "[app][save]") {
  Open o;
  const fs::path file = o.studio->path().toStdString();
  const auto changedElsewhere = [&](double amount) {
    touch(file, toJson(setAt(readDocument(kinds(), file.string()), resolve(o.doc(), "Halo.amount"), Constant(amount))));
  };
  const auto onDisk = [&](const fs::path& f) {
    return Params(*readDocument(kinds(), f.string()).findByName("Halo"), 1).number("amount");
  };
  const auto save = [&](const QString& answer) {
    Answers a({answer});
    bool saved = false;
    o.window->saveFile(o.studio->path(), [&] { saved = true; });
    Open::wait([&] { return saved || (answer.isEmpty() && a.done()); }, 20000);
    QTest::qWait(30);
    CHECK(a.missing().isEmpty());
    return a.asked().size() == 1;
  };
  o.studio->edit("Mine", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.5)); });
  changedElsewhere(0.9);
  CHECK(save(""));
  CHECK(onDisk(file) == 0.9);
  CHECK(o.studio->modified());
  CHECK(save("Take theirs"));
  CHECK(o.number("Halo.amount") == 0.9);
  CHECK_FALSE(o.studio->modified());
  o.studio->undo();
  CHECK(o.number("Halo.amount") == 0.5);
  changedElsewhere(0.7);
  CHECK(save("Keep mine"));
  CHECK(onDisk(file) == 0.5);
  changedElsewhere(0.6);
  o.studio->edit("Mine", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.4)); });
  CHECK(save("Save mine beside it"));
  CHECK(onDisk(file) == 0.6);
  CHECK(o.studio->path().endsWith("sun 2.ilum"));
  CHECK(onDisk(o.studio->path().toStdString()) == 0.4);
}

TEST_CASE("A document that is dropped asks about unsaved work first", "[app][open]") {
  Open o;
  const std::string other = o.folder / "other.ilum";
  writeDocument(Document::create(kinds()), other);
  o.studio->edit("Mine", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.5)); });
  {
    Answers a({"Stay"});
    Q_EMIT o.window->picture().fileDropped(QString::fromStdString(other));
    REQUIRE(Open::wait([&] { return a.done(); }, 20000));
  }
  QTest::qWait(50);
  CHECK(o.doc().findByName("Halo"));
  Answers a({"Go on without saving"});
  Q_EMIT o.window->picture().fileDropped(QString::fromStdString(other));
  REQUIRE(Open::wait([&] { return !o.doc().findByName("Halo"); }, 20000));
  CHECK(a.missing().isEmpty());
}

TEST_CASE("Leaving while a picture is to be written asks: finish, stop it, or stay", "[app][leave]") {
  Open o;
  o.studio->edit("Samples",
                 [](const Document& d) { return setValue(d, d.settings().id, "samples", Constant(100000.0)); });
  bool saved = false;
  o.window->saveFile(o.studio->path(), [&] { saved = true; });
  REQUIRE(Open::wait([&] { return saved; }));
  o.window->pictures().exportPicture(QString::fromStdString(o.folder / "f.png"), true);
  {
    Answers a({"Stay"});
    CHECK_FALSE(o.window->close());
    REQUIRE(Open::wait([&] { return a.done(); }));
    CHECK(o.window->isVisible());
    CHECK(a.asked() == QStringList{"Something is still going on"});
  }
  Answers a({"Stop it"});
  o.window->close();
  REQUIRE(Open::wait([&] { return !o.window->isVisible(); }));
  CHECK(a.missing().isEmpty());
  CHECK_FALSE(fs::exists(o.folder / "f.png"));
}

TEST_CASE("A window that is taken down while work goes on leaves nobody behind", "[app][leave]") {
  for (int i = 0; i < 3; ++i) {
    Open o;
    o.studio->edit("Range",
                   [](const Document& d) { return setValue(d, d.settings().id, "last_frame", Constant(400.0)); });
    o.window->pictures().exportPicture(QString::fromStdString(o.folder / "now.exr"), false);
    o.window->importFile(QString::fromStdString(o.folder / "nothing.glb"));
    for (int k = 0; k < 5; ++k)
      o.studio->edit("Change",
                     [&](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.1 * k)); });
    QTest::qWait(20 * i);
    // Studio and window go with work at hand.
  }
  QTest::qWait(100);
  SUCCEED();
}

TEST_CASE("Proofs come back with their document, go along under another name, and are named by what changed",
          "[app][proofs]") {
  Open o;
  REQUIRE(o.studio->keep());
  o.studio->edit("Change", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.25)); });
  REQUIRE(o.finished());
  REQUIRE(o.studio->keep());
  CHECK(o.studio->proofs().back()->name.find("Halo amount") == 0);
  CHECK(o.studio->proofs().back()->name.find("→ 25 %") != std::string::npos);
  bool saved = false;
  const QString copy = QString::fromStdString(o.folder / "copy.ilum");
  o.window->saveFile(copy, [&] { saved = true; });
  REQUIRE(Open::wait([&] { return saved && o.studio->works().idle(); }));
  CHECK(fs::exists(o.folder / "sun.proofs/proofs.json"));
  CHECK(fs::exists(o.folder / "copy.proofs/proofs.json"));
  const auto first = o.studio->proofs().front();
  bool opened = false;
  o.window->openFile(QString::fromStdString(o.folder / "sun.ilum"), [&] { opened = true; });
  REQUIRE(Open::wait([&] { return opened; }));
  CHECK(o.studio->proofs().size() == 2);
  opened = false;
  o.window->openFile(copy, [&] { opened = true; });
  REQUIRE(Open::wait([&] { return opened; }));
  REQUIRE(o.studio->proofs().size() == 2);
  CHECK(o.studio->proofs().front()->half == first->half);
  CHECK(o.studio->proofs().back()->parent == 1);
  // More samples for one of them.
  o.studio->refineProof(1, 6);
  REQUIRE(Open::wait([&] { return o.studio->proof(1)->samples == 6; }));
}

TEST_CASE("Unsaved work is taken up again with its proofs, and the old copy goes after the new one is there",
          "[app][recovery]") {
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + "/recovery",
                gone = folder + "/999999998.ilum";
  Open o;
  o.studio->edit("Change", [](const Document& d) { return setAt(d, resolve(d, "Halo.amount"), Constant(0.77)); });
  recovery::keep(o.doc(), o.studio->path());
  fs::rename(recovery::own().toStdString(), gone.toStdString());
  fs::rename((recovery::own() + ".from").toStdString(), (gone + ".from").toStdString());
  Studio studio;
  MainWindow w(studio);
  {
    Answers later({"Later"});
    w.files().recover();
    CHECK(later.missing().isEmpty());
    CHECK(fs::exists(gone.toStdString()));
  }
  Answers a({"Take it up again"});
  w.files().recover();
  REQUIRE(Open::wait([&] { return studio.doc().findByName("Halo") != nullptr && studio.modified(); }));
  CHECK(Params(*studio.doc().findByName("Halo"), 1).number("amount") == 0.77);
  CHECK(studio.path() == o.studio->path());
  CHECK_FALSE(fs::exists(gone.toStdString()));
  CHECK(fs::exists(recovery::own().toStdString())); // the new copy
  studio.undo();                                    // back to the file
  CHECK(Params(*studio.doc().findByName("Halo"), 1).number("amount") != 0.77);
  recovery::forget();
}

TEST_CASE("What only writes text needs no display, and a window without one says so in a line", "[app][cli]") {
  const auto run = [](const QStringList& arguments) {
    QProcess p;
    QProcessEnvironment e = QProcessEnvironment::systemEnvironment();
    for (const char* name : {"DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"}) e.remove(name);
    p.setProcessEnvironment(e);
    p.start(ILUMBRA_APP, arguments);
    p.waitForFinished(60000);
    return std::tuple(p.exitCode(), QString::fromUtf8(p.readAllStandardOutput()),
                      QString::fromUtf8(p.readAllStandardError()));
  };
  CHECK(std::get<0>(run({"--help"})) == 0);
  CHECK(std::get<1>(run({"--help"})).contains("Light effects"));
  CHECK(std::get<1>(run({"--version"})).contains("0.1"));
  const TemporaryFolder folder;
  const QString keys = QString::fromStdString(folder / "keys.md");
  CHECK(std::get<0>(run({"--write-keys", keys})) == 0);
  CHECK(fs::exists(keys.toStdString()));
  const auto [code, out, error] = run({"scene.ilum"});
  CHECK(code == 4);
  CHECK(error.count('\n') == 1);
  CHECK(error.contains("no display"));
}
