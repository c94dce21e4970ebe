#include "app/swatch_list.h"

#include "app/theme.h"

namespace ilumbra {

static constexpr int keyRole = Qt::UserRole + 100;

SwatchList::SwatchList(Studio& studio, QWidget* parent) : QListWidget(parent) {
  setViewMode(QListView::IconMode);
  setResizeMode(QListView::Adjust);
  setMovement(QListView::Static);
  setIconSize(QSize(Studio::swatchSize, Studio::swatchSize));
  setSpacing(4);
  setWordWrap(true);
  setStyleSheet(QStringLiteral("QListWidget::item { color: #e9e4db; padding: 3px; border-radius: 4px; } QListWidget::item:selected { background: #35423e; }"));
  connect(&studio, &Studio::swatchArrived, this, [this](const QString& key, const QPixmap& picture) {
    for (int i = 0; i < count(); ++i)
      if (item(i)->data(keyRole).toString() == key) item(i)->setIcon(QIcon(picture));
  });
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
    const bool fits = item(i)->text().contains(text, Qt::CaseInsensitive) || item(i)->toolTip().contains(text, Qt::CaseInsensitive);
    item(i)->setHidden(!fits);
    if (fits && !first) first = item(i);
  }
  setCurrentItem(first);
}

QListWidgetItem* SwatchList::chosen() const {
  QListWidgetItem* i = currentItem();
  return i && !i->isHidden() ? i : nullptr;
}

} // namespace ilumbra
