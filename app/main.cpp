#include "app/document_files.h"
#include "app/main_window.h"
#include "app/recovery.h"
#include "app/theme.h"
#include "core/base/memory.h"
#include "core/base/error.h"
#include "core/document/file.h"
#include "core/document/units.h"
#include "core/exchange/child.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QDialog>
#include <QPainter>
#include <QTimer>
#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <string_view>

using namespace ilumbra;

namespace {

// Qt ends the program where no display answers; it has no other way of saying so.
void tellFatal(QtMsgType type, const QMessageLogContext&, const QString& text) {
  if (type == QtFatalMsg) {
    std::fputs("ilumbra: the window cannot be opened: no display answers. Pictures without one: ilumbra-cli render\n", stderr);
    std::_Exit(4);
  }
  std::fprintf(stderr, "%s\n", qPrintable(text));
}

bool given(int argc, char** argv, std::initializer_list<const char*> options) {
  return std::any_of(argv + 1, argv + argc, [&](const char* a) { return std::any_of(options.begin(), options.end(), [&](const char* o) { return std::string_view(a) == o || std::string_view(a).starts_with(std::string(o) + "="); }); });
}

} // namespace

int main(int argc, char** argv) {
  if (const int code = parseIfChild(argc, argv); code >= 0) return code;
  keepFreedMemory();
  qInstallMessageHandler(tellFatal);
  // What only writes text needs no display.
  const bool text = given(argc, argv, {"--help", "-h", "--help-all", "--version", "-v"});
  if (given(argc, argv, {"--write-keys"})) qputenv("QT_QPA_PLATFORM", "offscreen");
  else if (!text && qEnvironmentVariableIsEmpty("DISPLAY") && qEnvironmentVariableIsEmpty("WAYLAND_DISPLAY") && qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) {
    std::fputs("ilumbra: there is no display to open a window on. Pictures without one: ilumbra-cli render\n", stderr);
    return 4;
  }
  const std::unique_ptr<QCoreApplication> application(text ? new QCoreApplication(argc, argv) : new QApplication(argc, argv));
  QApplication::setApplicationName(QStringLiteral("ilumbra"));
  QApplication::setOrganizationName(QStringLiteral("ilumbra"));
  QApplication::setApplicationVersion(QStringLiteral("0.1.0"));
  QCommandLineParser parser;
  parser.setApplicationDescription(QStringLiteral("Light effects on 3D objects"));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument(QStringLiteral("FILE"), QStringLiteral("A document (.ilum), or a model to import"), QStringLiteral("[FILE]"));
  const QCommandLineOption screenshot(QStringLiteral("screenshot"), QStringLiteral("Writes a picture of the window and leaves"), QStringLiteral("PNG"));
  const QCommandLineOption after(QStringLiteral("after"), QStringLiteral("Seconds before the screenshot"), QStringLiteral("S"), QStringLiteral("10"));
  const QCommandLineOption select(QStringLiteral("select"), QStringLiteral("Selects a thing by its name"), QStringLiteral("NAME"));
  const QCommandLineOption run(QStringLiteral("do"), QStringLiteral("Runs a command by its id, half-way to the screenshot"), QStringLiteral("ID"));
  const QCommandLineOption set(QStringLiteral("set"), QStringLiteral("NAME.PARAM=VALUE, after the commands"), QStringLiteral("ASSIGNMENT"));
  const QCommandLineOption keys(QStringLiteral("write-keys"), QStringLiteral("Writes the table of commands and keys and leaves"), QStringLiteral("FILE"));
  parser.addOptions({screenshot, after, select, run, set, keys});
  parser.process(*application);
  theme::apply(*qApp);
  std::unique_ptr<Studio> studio;
  try {
    studio = std::make_unique<Studio>();
  } catch (const Error& e) {
    std::fprintf(stderr, "ilumbra: %s\n", e.what());
    return int(e.kind());
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
    if (files[0].endsWith(QStringLiteral(".ilum"))) window.openFile(files[0], selectWanted);
    else window.importFile(files[0], selectWanted);
  }
  if (parser.isSet(screenshot)) {
    const int ms = int(1000 * std::max(0.1, parser.value(after).toDouble()));
    QTimer::singleShot(ms / 2, &window, [&] {
      for (const QString& id : parser.values(run)) window.commands().run(id);
      for (const QString& s : parser.values(set))
        studio->edit(QStringLiteral("Set ") + s, [&](const Document& d) {
          const Address a = resolve(d, s.section(u'=', 0, 0).toStdString());
          const Value present = valueAt(d, a);
          return setAt(d, a, parseValue(d, definitionAt(d, a), s.section(u'=', 1).toStdString(), &present));
        });
    });
    // On a busy machine the picture may not be there yet: it is waited for, two minutes at most.
    auto* poll = new QTimer(&window);
    poll->setInterval(500);
    QObject::connect(poll, &QTimer::timeout, &window, [&, left = 240]() mutable {
      const auto& image = studio->image();
      const bool there = image && image->edition == studio->edition() && (!image->draft || image->denoised || !image->error.empty());
      if (!there && --left > 0) return;
      QPixmap shot = window.grab();
      // Dialogs stand before it, in its middle.
      for (QDialog* d : window.findChildren<QDialog*>())
        if (d->isVisible()) QPainter(&shot).drawPixmap((shot.width() - d->width()) / 2, (shot.height() - d->height()) / 2, d->grab());
      const bool ok = shot.save(parser.value(screenshot));
      if (!ok) std::fprintf(stderr, "ilumbra: %s: cannot be written\n", qPrintable(parser.value(screenshot)));
      recovery::forget();
      QApplication::exit(ok ? 0 : 4);
    });
    QTimer::singleShot(ms, poll, [poll] { poll->start(); });
  } else {
    // Once what was asked for stands there, or could not be opened.
    QTimer::singleShot(files.isEmpty() ? 0 : 1500, &window, [&] { window.files().offerRecovery(); });
  }
  const int code = QApplication::exec();
  // What a library does not let go of must not meet objects that are being taken down.
  if (!studio->end()) std::_Exit(code);
  return code;
}
