#pragma once
#include "core/document/value.h"

#include <functional>
#include <QDragEnterEvent>
#include <QMimeData>
#include <QStringList>
#include <QWidget>

namespace ilumbra {

/// Things carried from a list to a role, by id.
inline const QString thingsMime = QStringLiteral("application/x-ilumbra-things");

inline std::vector<NodeId> thingsIn(const QMimeData* data) {
  std::vector<NodeId> ids;
  for (const QString& s : QString::fromUtf8(data->data(thingsMime)).split(u' ', Qt::SkipEmptyParts))
    ids.push_back(s.toUInt());
  return ids;
}

/// A place that takes things which are dropped on it.
class DropZone : public QWidget {
 public:
  DropZone(std::function<void(const std::vector<NodeId>&)> take, QWidget* parent)
      : QWidget(parent), m_take(std::move(take)) {
    setAcceptDrops(true);
  }

 protected:
  void dragEnterEvent(QDragEnterEvent* e) override {
    if (!e->mimeData()->hasFormat(thingsMime)) return;
    e->acceptProposedAction();
    setStyleSheet(QStringLiteral("background: #2f3a36"));
  }
  void dragLeaveEvent(QDragLeaveEvent*) override { setStyleSheet({}); }
  void dropEvent(QDropEvent* e) override {
    setStyleSheet({});
    e->acceptProposedAction();
    m_take(thingsIn(e->mimeData()));
  }

 private:
  std::function<void(const std::vector<NodeId>&)> m_take;
};

} // namespace ilumbra
