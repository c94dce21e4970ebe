#include "app/translation.h"

#include <QCoreApplication>
#include <QLocale>
#include <QTranslator>

namespace ilumbra {

void loadTranslation(QCoreApplication& app) {
  const QString folder = QStringLiteral(":/translations");
  auto* translator = new QTranslator(&app);
  if (!translator->load(QLocale(), QStringLiteral("ilumbra"), QStringLiteral("_"), folder) &&
      !translator->load(QStringLiteral("ilumbra_en"), folder))
    qFatal("the window's words are not in the program");
  app.installTranslator(translator);
}

} // namespace ilumbra
