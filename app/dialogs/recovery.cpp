#include "app/dialogs/recovery.h"

#include "core/base/files.h"
#include "core/document/file.h"

#include <csignal>
#include <QCoreApplication>
#include <QDir>
#include <QFile>
#include <QStandardPaths>

namespace ilumbra::recovery {
namespace {

QString folder() {
  const QString f =
      QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + QStringLiteral("/recovery");
  QDir().mkpath(f);
  return f;
}
QString fromFile(const QString& file) { return file + QStringLiteral(".from"); }

} // namespace

QString own() { return QStringLiteral("%1/%2.ilum").arg(folder()).arg(QCoreApplication::applicationPid()); }

void keep(const Document& doc, const QString& original) {
  // Whose it is comes first: a copy without it would be offered as one that was never saved.
  writeFileAtomically(fromFile(own()).toStdString(), original.toStdString());
  writeDocument(doc, own().toStdString());
}

void forget() { forget({own(), {}}); }

void forget(const Lost& lost) {
  QFile::remove(lost.file);
  QFile::remove(fromFile(lost.file));
  QDir(QString::fromStdString(proofFolder(lost.file.toStdString()))).removeRecursively();
}

std::vector<Lost> findLost() {
  std::vector<Lost> out;
  const QDir dir(folder());
  for (const QString& name : dir.entryList({QStringLiteral("*.ilum")}, QDir::Files, QDir::Time)) {
    bool ok = false;
    const auto pid = name.section(u'.', 0, 0).toLongLong(&ok);
    if (!ok || pid == QCoreApplication::applicationPid() || ::kill(pid_t(pid), 0) == 0) continue;
    Lost l{dir.filePath(name), {}};
    QFile from(fromFile(l.file));
    if (from.open(QIODevice::ReadOnly)) l.original = QString::fromUtf8(from.readAll());
    out.push_back(l);
  }
  return out;
}

Document read(const std::shared_ptr<const Kinds>& kinds, const Lost& lost) {
  return readDocument(kinds, lost.file.toStdString());
}

} // namespace ilumbra::recovery
