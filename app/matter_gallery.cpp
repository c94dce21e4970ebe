#include "app/matter_gallery.h"

#include "app/theme.h"
#include "core/surface/presets.h"

#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>

namespace ilumbra {

MatterGallery::MatterGallery(Studio& studio, NodeId material, QWidget* parent) : QDialog(parent), m_studio(studio), m_material(material) {
  const Node* n = studio.doc().find(material);
  setWindowTitle(tr("What %1 is made of").arg(n ? qs(n->name) : QString()));
  resize(720, 560);
  auto* column = new QVBoxLayout(this);
  m_search = new QLineEdit(this);
  m_search->setPlaceholderText(tr("find"));
  m_search->setAccessibleName(tr("Find a matter"));
  column->addWidget(m_search);
  m_list = new QListWidget(this);
  m_list->setViewMode(QListView::IconMode);
  m_list->setResizeMode(QListView::Adjust);
  m_list->setMovement(QListView::Static);
  m_list->setIconSize(QSize(Studio::swatchSize, Studio::swatchSize));
  m_list->setSpacing(4);
  m_list->setWordWrap(true);
  m_list->setStyleSheet(QStringLiteral("QListWidget::item { color: #e9e4db; padding: 3px; border-radius: 4px; } QListWidget::item:selected { background: #35423e; }"));
  const MaterialPreset* now = presetOf(studio.doc(), material);
  QPixmap blank(Studio::swatchSize, Studio::swatchSize);
  blank.fill(theme::desk);
  for (const MaterialPreset& p : materialPresets()) {
    auto* i = new QListWidgetItem(QIcon(blank), qs(p.name), m_list);
    i->setToolTip(QStringLiteral("%1 · %2").arg(qs(p.group), qs(p.helpText)));
    i->setSizeHint(QSize(Studio::swatchSize + 18, Studio::swatchSize + 40));
    i->setTextAlignment(Qt::AlignHCenter);
    if (now == &p) m_list->setCurrentItem(i);
  }
  column->addWidget(m_list, 1);
  auto* foot = new QHBoxLayout;
  foot->addStretch(1);
  auto* cancel = new QPushButton(tr("Cancel"), this);
  auto* ok = new QPushButton(tr("Take it"), this);
  ok->setDefault(true);
  foot->addWidget(cancel);
  foot->addWidget(ok);
  column->addLayout(foot);
  const auto takeCurrent = [this] {
    if (const QListWidgetItem* i = m_list->currentItem(); i && !i->isHidden()) take(i->text());
  };
  connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
  connect(ok, &QPushButton::clicked, this, takeCurrent);
  connect(m_list, &QListWidget::itemActivated, this, takeCurrent);
  connect(m_search, &QLineEdit::textChanged, this, &MatterGallery::search);
  connect(&studio, &Studio::swatchArrived, this, [this](const QString& key, const QPixmap& picture) {
    for (int i = 0; i < m_list->count(); ++i)
      if (key == QStringLiteral("matter ") + m_list->item(i)->text()) m_list->item(i)->setIcon(QIcon(picture));
  });
  m_list->setFocus();
  askForSwatches();
}

void MatterGallery::askForSwatches() {
  for (const MaterialPreset& p : materialPresets()) m_studio.askForSwatch(QStringLiteral("matter ") + qs(p.name), m_material, &p);
}

void MatterGallery::search(const QString& text) {
  QListWidgetItem* first = nullptr;
  for (int i = 0; i < m_list->count(); ++i) {
    QListWidgetItem* item = m_list->item(i);
    const bool fits = item->text().contains(text, Qt::CaseInsensitive) || item->toolTip().contains(text, Qt::CaseInsensitive);
    item->setHidden(!fits);
    if (fits && !first) first = item;
  }
  if (first) m_list->setCurrentItem(first);
}

void MatterGallery::take(const QString& preset) {
  m_studio.edit(tr("Make it of %1").arg(preset.toLower()), [&](const Document& d) { return applyPreset(d, m_material, findPreset(preset.toStdString())); });
  accept();
}

} // namespace ilumbra
