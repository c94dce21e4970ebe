#include "app/panels/material_gallery.h"

#include "app/panels/swatch_list.h"
#include "core/surface/presets.h"

#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace ilumbra {

static QString keyOf(const MaterialPreset& p) { return QStringLiteral("matter ") + qs(p.name); }

MatterGallery::MatterGallery(Studio& studio, NodeId material, QWidget* parent)
    : QDialog(parent), m_studio(studio), m_material(material) {
  const Node* n = studio.doc().find(material);
  setWindowTitle(tr("What %1 is made of").arg(n ? qs(n->name) : QString()));
  resize(720, 560);
  auto* column = new QVBoxLayout(this);
  m_search = new QLineEdit(this);
  m_search->setPlaceholderText(tr("find"));
  m_search->setAccessibleName(tr("Find a material"));
  column->addWidget(m_search);
  m_list = new SwatchList(studio, this);
  const MaterialPreset* now = presetOf(studio.doc(), material);
  for (const MaterialPreset& p : materialPresets()) {
    QListWidgetItem* i = m_list->add(qs(p.name), QStringLiteral("%1 · %2").arg(qs(p.group), qs(p.helpText)), keyOf(p),
                                     QPixmap(QStringLiteral(":/swatches/%1.png").arg(qs(p.name))));
    if (now == &p) m_list->setCurrentItem(i);
  }
  column->addWidget(m_list, 1);
  auto* foot = new QHBoxLayout;
  foot->addStretch(1);
  auto* cancel = new QPushButton(tr("Cancel"), this);
  auto* ok = new QPushButton(tr("Use it"), this);
  ok->setDefault(true);
  foot->addWidget(cancel);
  foot->addWidget(ok);
  column->addLayout(foot);
  const auto takeCurrent = [this] {
    if (const QListWidgetItem* i = m_list->chosen()) take(i->text());
  };
  connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
  connect(ok, &QPushButton::clicked, this, takeCurrent);
  connect(m_list, &QListWidget::itemActivated, this, takeCurrent);
  connect(m_search, &QLineEdit::textChanged, m_list, &SwatchList::search);
  m_list->setFocus();
  askForSwatches();
}

void MatterGallery::askForSwatches() {
  for (const MaterialPreset& p : materialPresets()) m_studio.askForSwatch(keyOf(p), m_material, &p);
}

void MatterGallery::take(const QString& preset) {
  m_studio.edit(tr("Make it of %1").arg(preset.toLower()),
                [&](const Document& d) { return applyPreset(d, m_material, findPreset(preset.toStdString())); });
  accept();
}

} // namespace ilumbra
