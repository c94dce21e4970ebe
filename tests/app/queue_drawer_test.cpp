// The drawer of deliveries, its form, and playing from kept frames, by real events.
#include "app/dialogs/delivery_dialog.h"
#include "app/drawer/kept_strip.h"
#include "app/drawer/queue_panel.h"
#include "app/viewport/picture_bar.h"
#include "tests/app/open.h"

#include <filesystem>
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QToolButton>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

namespace fs = std::filesystem;

struct Delivering : Open {
  Delivering() {
    // Nothing of another test is in it.
    const Queue queue;
    for (const QueueEntry& e : queue.entries()) queue.remove(e.id);
    queue.setPaused(false);
    studio->edit(QStringLiteral("Range"),
                 [&](const Document& d) { return setValue(d, d.settings().id, "last_frame", Constant(3.0)); });
    window->showDrawer(QStringLiteral("queue"));
    panel = window->findChild<QueuePanel*>();
    REQUIRE(panel);
    REQUIRE(panel->isVisible());
  }
  ~Delivering() {
    const Queue queue;
    for (const QueueEntry& e : queue.entries()) queue.cancel(e.id);
    wait([&] { return !queue.running(); });
    for (const QueueEntry& e : queue.entries()) queue.remove(e.id);
  }
  QToolButton* button(const char* text) {
    for (QToolButton* b : panel->findChildren<QToolButton*>())
      if (b->text() == QString::fromUtf8(text) && b->isVisible()) return b;
    return nullptr;
  }
  // Fills the form in once it is there, and presses one of its buttons.
  void answer(const std::function<void(DeliveryDialog&)>& fill, const char* press) {
    auto* timer = new QTimer(window.get());
    QObject::connect(timer, &QTimer::timeout, [timer, fill, press] {
      auto* d = qobject_cast<DeliveryDialog*>(QApplication::activeModalWidget());
      if (!d) return;
      timer->stop();
      fill(*d);
      for (QPushButton* b : d->findChildren<QPushButton*>())
        if (b->text() == QString::fromUtf8(press)) return b->click();
      d->reject();
    });
    timer->start(20);
  }
  QueuePanel* panel = nullptr;
};

QLineEdit* field(DeliveryDialog& d, const char* name) { return d.findChild<QLineEdit*>(QString::fromUtf8(name)); }

} // namespace

TEST_CASE("From the drawer, frames are rendered beside the window in two presses, and told when they are written",
          "[app][queue]") {
  Delivering o;
  CHECK(o.panel->entries().empty());
  const QString folder = QString::fromStdString(o.folder / "out");
  o.answer(
      [&](DeliveryDialog& d) {
        field(d, "folder")->setText(folder);
        d.findChild<QCheckBox*>("webm")->setChecked(true);
        d.findChild<QCheckBox*>("png")->setChecked(true);
        CHECK(d.findChild<QLabel*>("trouble")->text().isEmpty());
        CHECK(d.findChild<QLabel*>("preview")->text().contains("sun.0001.png"));
      },
      "Start");
  REQUIRE(o.button("Render and write…"));
  o.button("Render and write…")->click();
  REQUIRE(Open::wait([&] { return o.panel->entries().size() == 1; }));
  REQUIRE(Open::wait([&] {
    o.panel->look();
    return o.panel->entries().size() == 1 && o.panel->entries()[0].state == QueueEntry::State::Done;
  }));
  CHECK(fs::exists(o.folder / "out/sun.0003.png"));
  CHECK(fs::exists(o.folder / "out/sun.webm"));
  CHECK(o.panel->list()->count() == 1);
  CHECK(o.panel->list()->item(0)->data(Qt::AccessibleTextRole).toString().contains("frames 1 to 3"));
  // By keys: Delete takes it out.
  o.panel->list()->setFocus();
  QTest::keyClick(o.panel->list(), Qt::Key_Delete);
  REQUIRE(Open::wait([&] { return o.panel->entries().empty(); }));
}

TEST_CASE("The form says what is wrong before anything is begun, and shows what counts", "[app][queue]") {
  Delivering o;
  o.answer(
      [&](DeliveryDialog& d) {
        const auto press = [&] {
          for (QPushButton* b : d.findChildren<QPushButton*>())
            if (b->text() == "Start") return b->isEnabled();
          return false;
        };
        QLabel* trouble = d.findChild<QLabel*>("trouble");
        for (const auto& [name, kind] : {std::pair{"webm", false}, {"png", false}, {"mkv", false}, {"exr", false}})
          d.findChild<QCheckBox*>(name)->setChecked(kind);
        CHECK(trouble->text().contains("what it is written as"));
        CHECK_FALSE(press());
        d.findChild<QCheckBox*>("png")->setChecked(true);
        CHECK(press());
        field(d, "passes")->setText("depth");
        CHECK(trouble->text().contains(".exr"));
        field(d, "passes")->clear();
        field(d, "last_frame")->setText("0");
        CHECK_FALSE(press());
        field(d, "last_frame")->setText("2");
        field(d, "name")->setText("{nothing}");
        CHECK(trouble->text().contains("{nothing}"));
        field(d, "name")->setText("{name} {frame:02}");
        CHECK(press());
        // A still has one frame and no movie.
        d.findChild<QComboBox*>("what")->setCurrentText("still");
        CHECK_FALSE(d.findChild<QCheckBox*>("webm")->isEnabled());
        CHECK(field(d, "frame")->isVisibleTo(&d));
        CHECK_FALSE(field(d, "last_frame")->isVisibleTo(&d));
        field(d, "folder")->setText(QString::fromStdString(o.folder / "still"));
      },
      "Into the queue");
  o.panel->addDelivery();
  REQUIRE(Open::wait([&] { return o.panel->entries().size() == 1; }));
  CHECK(o.panel->entries()[0].state == QueueEntry::State::Waiting);
  CHECK_FALSE(o.panel->entries()[0].job.sequence());
  CHECK_FALSE(Queue().running());
  // Space pauses it, and goes on; the queue is started by its button.
  o.panel->list()->setFocus();
  QTest::keyClick(o.panel->list(), Qt::Key_Space);
  REQUIRE(Open::wait([&] { return o.panel->entries()[0].state == QueueEntry::State::Paused; }));
  QTest::keyClick(o.panel->list(), Qt::Key_Space);
  REQUIRE(Open::wait([&] {
    o.panel->look();
    return o.panel->entries()[0].state == QueueEntry::State::Done;
  }));
}

TEST_CASE("Frames that are rendered ahead play in time and are shown in the strip", "[app][play]") {
  Open o;
  o.studio->edit(QStringLiteral("Range"),
                 [&](const Document& d) { return setValue(d, d.settings().id, "last_frame", Constant(6.0)); });
  const NodeId lamp = o.doc().family("light").front()->id;
  o.studio->edit(QStringLiteral("Flicker"), [&](const Document& d) {
    return setAt(d, Address{lamp, "position", 0, "bob"}, Constant(true));
  });
  o.window->showDrawer(QStringLiteral("motion"));
  auto* strip = o.window->findChild<KeptStrip*>();
  REQUIRE(strip);
  o.window->commands().run(QStringLiteral("picture.ahead"));
  CHECK(o.studio->view().ahead);
  REQUIRE(Open::wait([&] {
    return std::count_if(o.studio->session().kept()->quality.begin(), o.studio->session().kept()->quality.end(),
                         [](const auto& q) { return q.second >= 0.999f; }) == 6;
  }));
  REQUIRE(Open::wait([&] { return strip->spokenValue().startsWith("6 of 6 frames kept"); }));
  o.window->commands().run(QStringLiteral("picture.play"));
  int kept = 0;
  QObject::connect(o.studio.get(), &Studio::imageArrived, o.studio.get(), [&] { kept += o.studio->image()->kept; });
  const Document before = atFrame(o.doc(), 1);
  REQUIRE(Open::wait([&] { return kept > 12; }));
  o.window->commands().run(QStringLiteral("picture.play"));
  // Playing is no edit.
  CHECK(atFrame(o.doc(), 1) == before);
  CHECK_FALSE(o.studio->view().playing);
  // Where one stops, a range is said by keys.
  o.studio->setFrame(2);
  o.window->commands().run(QStringLiteral("picture.play_from"));
  o.studio->setFrame(4);
  o.window->commands().run(QStringLiteral("picture.play_to"));
  CHECK(o.studio->playRange() == std::pair(2.0, 4.0));
  o.window->bar().stepFrame(1);
  CHECK(o.studio->frame() == 2);
  o.window->commands().run(QStringLiteral("picture.play_all"));
  CHECK(o.studio->playRange() == std::pair(1.0, 6.0));
}
