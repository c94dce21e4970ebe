#include "app/panels/swatch_list.h"

#include "app/theme.h"

#include <QScrollBar>
#include <QTimer>

#include <algorithm>

namespace ilumbra {

static constexpr int keyRole = Qt::UserRole + 100;

SwatchList::SwatchList(Studio& studio, QWidget* parent)
    : QListWidget(parent), m_studio(studio), m_order(new QTimer(this)) {
  setViewMode(QListView::IconMode);
  setResizeMode(QListView::Adjust);
  setMovement(QListView::Static);
  setIconSize(QSize(Studio::swatchSize, Studio::swatchSize));
  setSpacing(4);
  setWordWrap(true);
  setStyleSheet(QStringLiteral("QListWidget::item { color: #e9e4db; padding: 3px; border-radius: 4px; } "
                               "QListWidget::item:selected { background: #35423e; }"));
  connect(&studio, &Studio::swatchArrived, this, [this](const QString& key, const QPixmap& picture) {
    for (int i = 0; i < count(); ++i)
      if (item(i)->data(keyRole).toString() == key) item(i)->setIcon(QIcon(picture));
  });
  connect(&studio, &Studio::swatchFailed, this, [this](const QString& key, const QString& why) {
    for (int i = 0; i < count(); ++i)
      if (item(i)->data(keyRole).toString() == key) item(i)->setToolTip(tr("It has no picture: %1").arg(why));
  });
  m_order->setSingleShot(true);
  connect(m_order, &QTimer::timeout, this, [this] { m_studio.preferSwatches(nearestFirst()); });
  const auto order = [this] { m_order->start(0); };
  connect(verticalScrollBar(), &QScrollBar::valueChanged, this, order);
  connect(this, &QListWidget::currentItemChanged, this, order);
  connect(model(), &QAbstractItemModel::rowsInserted, this, order);
}

QListWidgetItem* SwatchList::add(const QString& name, const QString& tip, const QString& key, const QPixmap& first) {
  QPixmap picture = first;
  if (picture.isNull()) {
    picture = QPixmap(Studio::swatchSize, Studio::swatchSize);
    picture.fill(theme::desk);
  }
  auto* i = new QListWidgetItem(QIcon(picture), name, this);
  i->setData(keyRole, key);
  i->setToolTip(tip);
  i->setSizeHint(QSize(Studio::swatchSize + 18, Studio::swatchSize + 40));
  i->setTextAlignment(Qt::AlignHCenter);
  return i;
}

void SwatchList::search(const QString& text) {
  QListWidgetItem* first = nullptr;
  for (int i = 0; i < count(); ++i) {
    const bool fits =
        item(i)->text().contains(text, Qt::CaseInsensitive) || item(i)->toolTip().contains(text, Qt::CaseInsensitive);
    item(i)->setHidden(!fits);
    if (fits && !first) first = item(i);
  }
  setCurrentItem(first);
}

std::vector<std::string> SwatchList::nearestFirst() const {
  const QRect sight = viewport()->rect(), current = currentItem() ? visualItemRect(currentItem()) : QRect();
  const QPoint from = current.isValid() && sight.intersects(current) ? current.center() : sight.center();
  std::vector<std::pair<qint64, std::string>> far;
  for (int i = 0; i < count(); ++i) {
    if (item(i)->isHidden()) continue;
    const QPoint d = visualItemRect(item(i)).center() - from;
    far.emplace_back(qint64(d.x()) * d.x() + qint64(d.y()) * d.y(), item(i)->data(keyRole).toString().toStdString());
  }
  std::stable_sort(far.begin(), far.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  std::vector<std::string> keys;
  for (auto& [distance, key] : far) keys.push_back(std::move(key));
  return keys;
}

QListWidgetItem* SwatchList::chosen() const {
  QListWidgetItem* i = currentItem();
  return i && !i->isHidden() ? i : nullptr;
}

} // namespace ilumbra
