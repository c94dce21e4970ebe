#include "app/dialogs/recovery.h"
#include "app/document_files.h"
#include "app/main_window.h"
#include "app/theme.h"
#include "core/base/error.h"
#include "core/base/memory.h"
#include "core/document/file.h"
#include "core/document/units.h"
#include "core/exchange/child.h"
#include "core/surface/presets.h"

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <QApplication>
#include <QCommandLineParser>
#include <QDeadlineTimer>
#include <QDialog>
#include <QPainter>
#include <QTimer>
#include <string_view>

using namespace ilumbra;

namespace {

// Qt ends the program where no display answers; it has no other way of saying so.
void tellFatal(QtMsgType type, const QMessageLogContext&, const QString& text) {
  if (type == QtFatalMsg) {
    std::fputs("ilumbra: the window cannot be opened: no display answers. Pictures without one: ilumbra-cli render\n",
               stderr);
    std::_Exit(4);
  }
  std::fprintf(stderr, "%s\n", qPrintable(text));
}

bool given(int argc, char** argv, std::initializer_list<const char*> options) {
  return std::any_of(argv + 1, argv + argc, [&](const char* a) {
    return std::any_of(options.begin(), options.end(), [&](const char* o) {
      return std::string_view(a) == o || std::string_view(a).starts_with(std::string(o) + "=");
    });
  });
}

} // namespace

int main(int argc, char** argv) {
  if (const int code = parseIfChild(argc, argv); code >= 0) return code;
  keepFreedMemory();
  qInstallMessageHandler(tellFatal);
  // What only writes text needs no display.
  const bool text = given(argc, argv, {"--help", "-h", "--help-all", "--version", "-v"});
  if (given(argc, argv, {"--write-keys", "--write-swatches"}))
    qputenv("QT_QPA_PLATFORM", "offscreen");
  else if (!text && qEnvironmentVariableIsEmpty("DISPLAY") && qEnvironmentVariableIsEmpty("WAYLAND_DISPLAY") &&
           qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) {
    std::fputs("ilumbra: there is no display to open a window on. Pictures without one: ilumbra-cli render\n", stderr);
    return 4;
  }
  const std::unique_ptr<QCoreApplication> application(text ? new QCoreApplication(argc, argv)
                                                           : new QApplication(argc, argv));
  QApplication::setApplicationName(QStringLiteral("ilumbra"));
  QApplication::setOrganizationName(QStringLiteral("ilumbra"));
  QApplication::setApplicationVersion(QStringLiteral("0.1.0"));
  QCommandLineParser parser;
  parser.setApplicationDescription(QStringLiteral("Light effects on 3D objects"));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument(QStringLiteral("FILE"), QStringLiteral("A document (.ilum), or a model to import"),
                               QStringLiteral("[FILE]"));
  const QCommandLineOption screenshot(
      QStringLiteral("screenshot"), QStringLiteral("Writes a picture of the window and leaves"), QStringLiteral("PNG"));
  const QCommandLineOption after(QStringLiteral("after"), QStringLiteral("Seconds before the screenshot"),
                                 QStringLiteral("S"), QStringLiteral("10"));
  const QCommandLineOption select(QStringLiteral("select"), QStringLiteral("Selects a thing by its name"),
                                  QStringLiteral("NAME"));
  const QCommandLineOption run(
      QStringLiteral("do"),
      QStringLiteral("Runs a command by its id, in the second half of the time before the screenshot"),
      QStringLiteral("ID"));
  const QCommandLineOption set(
      QStringLiteral("set"),
      QStringLiteral("NAME.PARAM=VALUE; commands and assignments are run in the order in which they stand"),
      QStringLiteral("ASSIGNMENT"));
  const QCommandLineOption thenSelect(QStringLiteral("then-select"), QStringLiteral("Selects a thing in that order"),
                                      QStringLiteral("NAME"));
  const QCommandLineOption keys(QStringLiteral("write-keys"),
                                QStringLiteral("Writes the table of commands and keys and leaves"),
                                QStringLiteral("FILE"));
  const QCommandLineOption swatches(QStringLiteral("write-swatches"),
                                    QStringLiteral("Writes the first pictures of the material presets and leaves"),
                                    QStringLiteral("FOLDER"));
  parser.addOptions({swatches, thenSelect, screenshot, after, select, run, set, keys});
  parser.process(*application);
  theme::apply(*qApp);
  std::unique_ptr<Studio> studio;
  try {
    studio = std::make_unique<Studio>();
  } catch (const Error& e) {
    std::fprintf(stderr, "ilumbra: %s\n", e.what());
    return int(e.kind());
  }
  if (parser.isSet(swatches)) {
    // What the gallery shows until pictures in the light of the scene come.
    NodeId material = 0;
    studio->edit(QStringLiteral("Material"),
                 [&](const Document& d) { return addNode(d, "material.surface", "Surface", {}, &material); });
    int left = int(materialPresets().size());
    QObject::connect(studio.get(), &Studio::swatchArrived, [&](const QString& key, const QPixmap& picture) {
      if (!picture.save(parser.value(swatches) + QStringLiteral("/%1.png").arg(key)))
        std::fprintf(stderr, "ilumbra: %s cannot be written\n", qPrintable(key));
      if (--left == 0) QApplication::quit();
    });
    for (const MaterialPreset& p : materialPresets()) studio->askForSwatch(qs(p.name), material, &p);
    return QApplication::exec();
  }
  MainWindow window(*studio);
  if (parser.isSet(keys)) {
    try {
      writeFileAtomically(parser.value(keys).toStdString(), window.commands().docs().toStdString());
    } catch (const Error& e) {
      std::fprintf(stderr, "ilumbra: %s\n", e.what());
      return int(e.kind());
    }
    return 0;
  }
  window.show();
  const auto selectWanted = [&] {
    if (const Node* n = studio->doc().findByName(parser.value(select).toStdString())) studio->select({n->id});
  };
  const QStringList files = parser.positionalArguments();
  if (!files.isEmpty()) {
    if (files[0].endsWith(QStringLiteral(".ilum")))
      window.openFile(files[0], selectWanted);
    else
      window.importFile(files[0], selectWanted);
  }
  if (parser.isSet(screenshot)) {
    const int ms = int(1000 * std::max(0.1, parser.value(after).toDouble()));
    // Commands, settings and selections in the order in which they are given, each when the picture of the one before
    // is there.
    std::vector<std::pair<QString, QString>> steps;
    const QStringList given = application->arguments();
    for (qsizetype i = 1; i + 1 < given.size(); ++i)
      for (const QString& option : {QStringLiteral("--do"), QStringLiteral("--set"), QStringLiteral("--then-select")})
        if (given[i] == option) steps.emplace_back(option, given[i + 1]);
    const auto step = [&window, s = studio.get()](const QString& what, const QString& value) {
      if (what == QStringLiteral("--do"))
        window.commands().run(value);
      else if (what == QStringLiteral("--then-select")) {
        if (const Node* n = s->doc().findByName(value.toStdString())) s->select({n->id});
      } else {
        s->edit(QStringLiteral("Set ") + value, [&](const Document& d) {
          const Address a = resolve(d, value.section(u'=', 0, 0).toStdString());
          const Value present = valueAt(d, a);
          return setAt(d, a, parseValue(d, definitionAt(d, a), value.section(u'=', 1).toStdString(), &present));
        });
      }
    };
    // The second half of the time is shared out among the steps and the screenshot. On a busy machine the picture may
    // not be there yet: it is waited for, two minutes at most.
    auto* poll = new QTimer(&window);
    poll->setInterval(500);
    const int share = ms / 2 / int(steps.size() + 1);
    QObject::connect(
        poll, &QTimer::timeout, &window,
        [&, steps, step, share, due = QDeadlineTimer(ms - share * int(steps.size())), left = 240]() mutable {
          const auto& image = studio->image();
          const bool there = due.hasExpired() && image && image->edition == studio->edition() &&
                             (image->denoised || image->finished || !image->error.empty());
          if (!there && (!due.hasExpired() || --left > 0)) return;
          if (!steps.empty()) {
            step(steps.front().first, steps.front().second);
            steps.erase(steps.begin());
            due = QDeadlineTimer(share);
            return;
          }
          QPixmap shot = window.grab();
          // Dialogs stand before it, in its middle.
          for (QDialog* d : window.findChildren<QDialog*>())
            if (d->isVisible())
              QPainter(&shot).drawPixmap((shot.width() - d->width()) / 2, (shot.height() - d->height()) / 2, d->grab());
          const bool ok = shot.save(parser.value(screenshot));
          if (!ok) std::fprintf(stderr, "ilumbra: %s: cannot be written\n", qPrintable(parser.value(screenshot)));
          recovery::forget();
          QApplication::exit(ok ? 0 : 4);
        });
    poll->start();
  } else {
    // Once what was asked for stands there, or could not be opened.
    QTimer::singleShot(files.isEmpty() ? 0 : 1500, &window, [&] { window.files().offerRecovery(); });
  }
  const int code = QApplication::exec();
  // What a library does not let go of must not meet objects that are being taken down.
  if (!studio->end()) std::_Exit(code);
  return code;
}
