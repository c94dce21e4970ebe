#include "app/screenshot.h"

#include "app/dialogs/recovery.h"
#include "app/main_window.h"
#include "core/document/units.h"

#include <QApplication>
#include <QDeadlineTimer>
#include <QDialog>
#include <QPainter>
#include <QTimer>

namespace ilumbra {
namespace {

void runStep(MainWindow& window, const QString& what, const QString& value) {
  Studio& studio = window.studio();
  if (what == QStringLiteral("--do")) return window.commands().run(value);
  if (what == QStringLiteral("--then-select")) {
    if (const Node* n = studio.doc().findByName(value.toStdString())) studio.select({n->id});
    return;
  }
  studio.edit(QStringLiteral("Set ") + value, [&](const Document& d) {
    const Address a = resolve(d, value.section(u'=', 0, 0).toStdString());
    const Value present = valueAt(d, a);
    return setAt(d, a, parseValue(d, definitionAt(d, a), value.section(u'=', 1).toStdString(), &present));
  });
}

bool save(MainWindow& window, const QString& file) {
  QPixmap shot = window.grab();
  // Dialogs stand before it, in its middle.
  for (QDialog* d : window.findChildren<QDialog*>())
    if (d->isVisible())
      QPainter(&shot).drawPixmap((shot.width() - d->width()) / 2, (shot.height() - d->height()) / 2, d->grab());
  if (shot.save(file)) return true;
  std::fprintf(stderr, "ilumbra: %s: cannot be written\n", qPrintable(file));
  return false;
}

} // namespace

ScreenshotSteps screenshotSteps(const QStringList& arguments) {
  ScreenshotSteps steps;
  for (qsizetype i = 1; i + 1 < arguments.size(); ++i)
    for (const QString& option : {QStringLiteral("--do"), QStringLiteral("--set"), QStringLiteral("--then-select")})
      if (arguments[i] == option) steps.emplace_back(option, arguments[i + 1]);
  return steps;
}

void takeScreenshot(MainWindow& window, const QString& file, double seconds, ScreenshotSteps steps) {
  const int ms = int(1000 * std::max(0.1, seconds)), share = ms / 2 / int(steps.size() + 1);
  auto* poll = new QTimer(&window);
  poll->setInterval(500);
  QObject::connect(
      poll, &QTimer::timeout, &window,
      [&window, file, share, steps, due = QDeadlineTimer(ms - share * int(steps.size())), left = 240]() mutable {
        Studio& studio = window.studio();
        const auto& image = studio.image();
        const bool there = due.hasExpired() && image && image->edition == studio.edition() &&
                           (image->denoised || image->finished || !image->error.empty());
        if (!there && (!due.hasExpired() || --left > 0)) return;
        if (steps.empty()) {
          const bool ok = save(window, file);
          recovery::forget();
          return QApplication::exit(ok ? 0 : 4);
        }
        runStep(window, steps.front().first, steps.front().second);
        steps.erase(steps.begin());
        due = QDeadlineTimer(share);
      });
  poll->start();
}

} // namespace ilumbra
