#define CATCH_CONFIG_RUNNER
#include "app/spoken.h"
#include "app/theme.h"
#include "app/translation.h"
#include "core/delivery/queue.h"
#include "core/exchange/child.h"
#include "core/kinds.h"

#include <catch2/catch.hpp>
#include <QApplication>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>

int main(int argc, char** argv) {
  if (const int code = ilumbra::parseIfChild(argc, argv); code >= 0) return code;
  if (const int code = ilumbra::deliverIfChild(argc, argv, ilumbra::allKinds); code >= 0) return code;
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
  // Nothing of the person's own settings is read or changed.
  QTemporaryDir home;
  qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
  qputenv("XDG_DATA_HOME", home.path().toUtf8());
  qputenv("XDG_RUNTIME_DIR", home.path().toUtf8());
  qputenv("ILUMBRA_QUEUE", (home.path() + "/queue").toUtf8());
  int qtArgs = 1;
  QApplication app(qtArgs, argv);
  QApplication::setApplicationName("ilumbra");
  QApplication::setOrganizationName("ilumbra");
  ilumbra::loadTranslation(app);
  ilumbra::installSpoken();
  ilumbra::theme::apply(app);
  return Catch::Session().run(argc, argv);
}
