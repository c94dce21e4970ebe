#include "app/library.h"

#include "core/base/error.h"
#include "core/document/file.h"
#include "core/document/transplant.h"

#include <QDir>
#include <QSettings>
#include <QStandardPaths>

namespace ilumbra {

Library materialLibrary() { return Library(QStringLiteral("materials")); }
Library patternLibrary() { return Library(QStringLiteral("patterns")); }

QString Library::folder() const {
  const QString own =
      QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + QLatin1Char('/') + m_shelf;
  return QSettings().value(QStringLiteral("library/") + m_shelf, own).toString();
}

void Library::setFolder(const QString& folder) const {
  QSettings().setValue(QStringLiteral("library/") + m_shelf, folder);
}

QFileInfoList Library::kept() const {
  return QDir(folder()).entryInfoList({QStringLiteral("*.ilum")}, QDir::Files, QDir::Name | QDir::IgnoreCase);
}

bool Library::keep(Studio& studio, NodeId thing) const {
  const Node* n = studio.doc().find(thing);
  if (!n) return false;
  QString name = qs(n->name);
  name.replace(QLatin1Char('/'), QLatin1Char('-'));
  const QDir dir(folder());
  if (!dir.mkpath(QStringLiteral("."))) {
    studio.tell(QObject::tr("%1: the folder cannot be made").arg(folder()), true);
    return false;
  }
  QString file = name;
  for (int i = 2; dir.exists(file + QStringLiteral(".ilum")); ++i) file = QStringLiteral("%1 %2").arg(name).arg(i);
  try {
    writeDocument(cutting(studio.doc(), thing), dir.filePath(file + QStringLiteral(".ilum")).toStdString());
  } catch (const Error& e) {
    studio.tell(qs(std::string(e.what())), true);
    return false;
  }
  studio.tell(QObject::tr("%1 is kept in the library").arg(file));
  return true;
}

} // namespace ilumbra
