#include "app/library.h"

#include "core/base/error.h"
#include "core/document/file.h"
#include "core/document/transplant.h"
#include "core/effects/kept_effect.h"

#include <QDir>
#include <QSettings>
#include <QStandardPaths>

namespace ilumbra {

Library materialLibrary() { return Library(QStringLiteral("materials")); }
Library patternLibrary() { return Library(QStringLiteral("patterns")); }
Library effectLibrary() { return Library(QStringLiteral("effects")); }

std::optional<Library> libraryOf(std::string_view family) {
  if (family == "material") return materialLibrary();
  if (family == "pattern") return patternLibrary();
  if (family == "effect") return effectLibrary();
  return {};
}

QPixmap Library::picture(const QFileInfo& kept) {
  return QPixmap(kept.path() + QLatin1Char('/') + kept.completeBaseName() + QStringLiteral(".png"));
}

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
    const bool effect = n->kind->family() == "effect";
    writeDocument(effect ? effectCutting(studio.doc(), thing) : cutting(studio.doc(), thing),
                  dir.filePath(file + QStringLiteral(".ilum")).toStdString());
    // Materials and patterns are drawn from the file; an effect is seen where it was kept.
    if (const auto image = studio.image(); effect && image && image->width > 0)
      QImage(image->rgba.data(), image->width, image->height, 4 * image->width, QImage::Format_RGBX8888)
          .scaled(144, 90, Qt::KeepAspectRatioByExpanding, Qt::SmoothTransformation)
          .copy(0, 0, 144, 90)
          .save(dir.filePath(file + QStringLiteral(".png")));
  } catch (const Error& e) {
    studio.tell(qs(std::string(e.what())), true);
    return false;
  }
  studio.tell(QObject::tr("%1 is kept in the library").arg(file));
  return true;
}

} // namespace ilumbra
