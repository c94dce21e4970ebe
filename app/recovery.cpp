#include "app/recovery.h"

#include "app/studio.h"
#include "core/base/error.h"
#include "core/document/file.h"

#include <QCoreApplication>
#include <QDir>
#include <QFile>
#include <QStandardPaths>
#include <QThreadPool>
#include <csignal>

namespace ilumbra::recovery {
namespace {

QString folder() {
  const QString f = QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + QStringLiteral("/recovery");
  QDir().mkpath(f);
  return f;
}
QString own() { return QStringLiteral("%1/%2.ilum").arg(folder()).arg(QCoreApplication::applicationPid()); }

} // namespace

void keep(const Document& doc, const QString& original) {
  QThreadPool::globalInstance()->start([doc, original, file = own()] {
    try {
      writeDocument(doc, file.toStdString());
      writeFileAtomically((file + QStringLiteral(".from")).toStdString(), original.toStdString());
    } catch (const Error&) {
      // A full disk must not disturb the work; saving will tell.
    }
  });
}

void forget() {
  QThreadPool::globalInstance()->waitForDone();
  forget({own(), {}});
}

void forget(const Lost& lost) {
  QFile::remove(lost.file);
  QFile::remove(lost.file + QStringLiteral(".from"));
}

std::vector<Lost> findLost() {
  std::vector<Lost> out;
  const QDir dir(folder());
  for (const QString& name : dir.entryList({QStringLiteral("*.ilum")}, QDir::Files, QDir::Time)) {
    bool ok = false;
    const auto pid = name.section(u'.', 0, 0).toLongLong(&ok);
    if (!ok || pid == QCoreApplication::applicationPid() || ::kill(pid_t(pid), 0) == 0) continue;
    Lost l{dir.filePath(name), {}};
    QFile from(l.file + QStringLiteral(".from"));
    if (from.open(QIODevice::ReadOnly)) l.original = QString::fromUtf8(from.readAll());
    out.push_back(l);
  }
  return out;
}

std::optional<Document> read(const std::shared_ptr<const Kinds>& kinds, const Lost& lost, QString* error) {
  try {
    return readDocument(kinds, lost.file.toStdString());
  } catch (const Error& e) {
    if (error) *error = qs(std::string(e.what()));
    return std::nullopt;
  }
}

} // namespace ilumbra::recovery
