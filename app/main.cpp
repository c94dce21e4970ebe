#include "app/dialogs/recovery.h"
#include "app/document_files.h"
#include "app/main_window.h"
#include "app/screenshot.h"
#include "app/spoken.h"
#include "app/theme.h"
#include "app/translation.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/memory.h"
#include "core/document/units.h"
#include "core/delivery/queue.h"
#include "core/exchange/child.h"
#include "core/kinds.h"
#include "core/surface/presets.h"

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <QApplication>
#include <QCommandLineParser>
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

int refused(const Error& e) {
  std::fprintf(stderr, "ilumbra: %s\n", e.what());
  return int(e.kind());
}

// What the gallery shows until pictures in the light of the scene come.
int writeSwatches(Studio& studio, const QString& folder) {
  NodeId material = 0;
  studio.edit(QStringLiteral("Material"),
              [&](const Document& d) { return addNode(d, "material.surface", "Surface", {}, &material); });
  int left = int(materialPresets().size());
  QObject::connect(&studio, &Studio::swatchArrived, [&](const QString& key, const QPixmap& picture) {
    if (!picture.save(folder + QStringLiteral("/%1.png").arg(key))) {
      std::fprintf(stderr, "ilumbra: %s cannot be written into %s\n", qPrintable(key), qPrintable(folder));
      QApplication::exit(int(ErrorKind::Io));
    } else if (--left == 0) {
      QApplication::quit();
    }
  });
  QObject::connect(&studio, &Studio::swatchFailed, [](const QString& key, const QString& why) {
    std::fprintf(stderr, "ilumbra: %s: %s\n", qPrintable(key), qPrintable(why));
    QApplication::exit(int(ErrorKind::BadInput));
  });
  for (const MaterialPreset& p : materialPresets()) studio.askForSwatch(qs(p.name), material, &p);
  return QApplication::exec();
}

// What the command line asks for.
struct Options {
  QCommandLineOption screenshot{QStringLiteral("screenshot"),
                                QStringLiteral("Writes a picture of the window and leaves"), QStringLiteral("PNG")};
  QCommandLineOption after{QStringLiteral("after"), QStringLiteral("Seconds before the screenshot"),
                           QStringLiteral("S"), QStringLiteral("10")};
  QCommandLineOption select{QStringLiteral("select"), QStringLiteral("Selects a thing by its name"),
                            QStringLiteral("NAME")};
  QCommandLineOption run{
      QStringLiteral("do"),
      QStringLiteral("Runs a command by its id, in the second half of the time before the screenshot"),
      QStringLiteral("ID")};
  QCommandLineOption set{
      QStringLiteral("set"),
      QStringLiteral("NAME.PARAM=VALUE; commands and assignments are run in the order in which they stand"),
      QStringLiteral("ASSIGNMENT")};
  QCommandLineOption thenSelect{QStringLiteral("then-select"), QStringLiteral("Selects a thing in that order"),
                                QStringLiteral("NAME")};
  QCommandLineOption keys{QStringLiteral("write-keys"),
                          QStringLiteral("Writes the table of commands and keys and leaves"), QStringLiteral("FILE")};
  QCommandLineOption swatches{QStringLiteral("write-swatches"),
                              QStringLiteral("Writes the first pictures of the material presets and leaves"),
                              QStringLiteral("FOLDER")};
  QCommandLineParser parser;

  Options() {
    parser.setApplicationDescription(QStringLiteral("Light effects on 3D objects"));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument(QStringLiteral("FILE"), QStringLiteral("A document (.ilum), or a model to import"),
                                 QStringLiteral("[FILE]"));
    parser.addOptions({swatches, thenSelect, screenshot, after, select, run, set, keys});
  }
  bool has(const QCommandLineOption& option) const { return parser.isSet(option); }
  QString operator()(const QCommandLineOption& option) const { return parser.value(option); }
};

int writeKeys(MainWindow& window, const QString& path) {
  try {
    writeFileAtomically(path.toStdString(), window.commands().docs().toStdString());
    return 0;
  } catch (const Error& e) {
    return refused(e);
  }
}

} // namespace

int main(int argc, char** argv) {
  if (const int code = parseIfChild(argc, argv); code >= 0) return code;
  if (const int code = deliverIfChild(argc, argv, allKinds); code >= 0) return code;
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
  Options options;
  options.parser.process(*application);
  loadTranslation(*qApp);
  installSpoken();
  theme::apply(*qApp);
  std::unique_ptr<Studio> studio;
  try {
    studio = std::make_unique<Studio>();
  } catch (const Error& e) {
    return refused(e);
  }
  if (options.has(options.swatches)) return writeSwatches(*studio, options(options.swatches));
  MainWindow window(*studio);
  if (options.has(options.keys)) return writeKeys(window, options(options.keys));
  window.show();
  const auto selectWanted = [&] {
    if (const Node* n = studio->doc().findByName(options(options.select).toStdString())) studio->select({n->id});
  };
  const QStringList files = options.parser.positionalArguments();
  if (!files.isEmpty()) {
    if (files[0].endsWith(QStringLiteral(".ilum")))
      window.openFile(files[0], selectWanted);
    else
      window.importFile(files[0], selectWanted);
  }
  if (options.has(options.screenshot)) {
    takeScreenshot(window, options(options.screenshot), options(options.after).toDouble(),
                   screenshotSteps(application->arguments()));
  } else {
    // Once what was asked for stands there, or could not be opened.
    QTimer::singleShot(files.isEmpty() ? 0 : 1500, &window, [&] { window.files().offerRecovery(); });
  }
  const int code = QApplication::exec();
  // What a library does not let go of must not meet objects that are being taken down.
  if (!studio->end()) std::_Exit(code);
  return code;
}
