#include "app/drawer/proofs_panel.h"

#include "app/drawer/proof_picture.h"

#include "app/dialogs/question.h"
#include "app/drawer/drawer.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "core/display/view.h"
#include "core/document/difference.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QToolButton>
#include <QTreeWidget>

namespace ilumbra {
namespace {

constexpr int numberRole = Qt::UserRole, samplesRole = Qt::UserRole + 1;

class ProofDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return {132, 104}; }
  void paint(QPainter* p, const QStyleOptionViewItem& o, const QModelIndex& i) const override {
    const QRect r = o.rect.adjusted(1, 1, -9, -1);
    const QRect picture(r.left() + 1, r.top() + 1, 120, 67); // with its names it fits above a scroll bar
    p->fillRect(picture, QColor(0x0c, 0x0c, 0x0c));
    const QImage image = i.data(Qt::DecorationRole).value<QImage>();
    if (!image.isNull()) {
      const QImage fit = image.scaled(picture.size(), Qt::KeepAspectRatio, Qt::SmoothTransformation);
      p->drawImage(picture.center() - QPoint(fit.width() / 2, fit.height() / 2), fit);
    }
    if (o.state & QStyle::State_Selected) {
      p->setPen(QPen(theme::accent, 2));
      p->setBrush(Qt::NoBrush);
      p->drawRect(picture.adjusted(-1, -1, 1, 1));
    }
    p->setFont(theme::font(11));
    p->setPen(o.state & QStyle::State_Selected ? theme::text : theme::dim);
    p->drawText(QRect(r.left() + 1, picture.bottom() + 3, 120, 18), Qt::AlignLeft | Qt::AlignVCenter,
                p->fontMetrics().elidedText(i.data().toString(), Qt::ElideRight, 120));
    p->setPen(theme::faint);
    p->setFont(theme::font(10));
    p->drawText(QRect(r.left() + 1, picture.bottom() + 18, 120, 15), Qt::AlignLeft | Qt::AlignVCenter,
                i.data(samplesRole).toString());
  }
};

// Where one stands in time is no change.
std::vector<Difference> changesTo(const Document& from, const Document& to) {
  return differences(atFrame(from, currentFrame(to)), to);
}

} // namespace

ProofsPanel::ProofsPanel(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(12, 4, 12, 6);
  row->setSpacing(12);
  m_list = new QListWidget(this);
  m_list->setViewMode(QListView::ListMode);
  m_list->setFlow(QListView::LeftToRight);
  m_list->setWrapping(false);
  m_list->setItemDelegate(new ProofDelegate(m_list));
  m_list->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
  m_list->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_list->setContextMenuPolicy(Qt::CustomContextMenu);
  m_list->setAccessibleName(tr("Proofs"));
  row->addWidget(m_list, 3);
  auto* right = new QVBoxLayout;
  right->setSpacing(2);
  auto* head = new QHBoxLayout;
  head->setSpacing(0);
  m_head = new QLabel(this);
  m_head->setStyleSheet(QStringLiteral("color: #b5b0a7"));
  head->addWidget(m_head, 1);
  m_against = flatButton(this, tr("compare with…"),
                         tr("Compares the proof with another proof instead of the live picture"), "accent");
  m_even =
      flatButton(this, QString(),
                 tr("Renders the proof anew in the background until it has as many samples as the other"), "accent");
  m_goOn = flatButton(this, tr("go on from it"), tr("Makes the proof's document the current one"), "accent");
  m_rename = flatButton(this, tr("name"), tr("Names the proof"));
  m_delete = flatButton(this, tr("delete"), tr("Deletes the proof"));
  for (QToolButton* b : {m_even, m_against, m_goOn, m_rename, m_delete}) head->addWidget(b);
  right->addLayout(head);
  m_changes = new QTreeWidget(this);
  m_changes->setHeaderHidden(true);
  m_changes->setColumnCount(2);
  m_changes->setRootIsDecorated(false);
  m_changes->setAccessibleName(tr("What changed"));
  m_changes->setToolTip(
      tr("What the proof has and the live document has not. Double-click, or Return, carries one over."));
  right->addWidget(m_changes, 1);
  row->addLayout(right, 4);
  connect(m_list, &QListWidget::itemSelectionChanged, this, [this] {
    if (!m_quiet) compare();
  });
  connect(m_list, &QListWidget::itemDoubleClicked, this, [this] { renameChosen(); });
  connect(m_list, &QListWidget::customContextMenuRequested, this, [this](const QPoint& at) {
    if (!m_list->itemAt(at)) return;
    QMenu m(this);
    m.addAction(tr("Go on from it"), this, [this] { m_studio.goOnFrom(chosen()); });
    m.addAction(tr("Name…"), this, [this] { renameChosen(); });
    m.addAction(tr("Delete"), this, [this] { deleteChosen(); });
    m.exec(m_list->mapToGlobal(at));
  });
  connect(m_even, &QToolButton::clicked, this, [this] { m_studio.refineProof(m_fewer, m_more); });
  connect(&studio, &Studio::imageArrived, this, [this] {
    if (m_studio.view().proof && isVisible()) showQuality();
  });
  connect(m_goOn, &QToolButton::clicked, this, [this] { m_studio.goOnFrom(chosen()); });
  connect(m_rename, &QToolButton::clicked, this, &ProofsPanel::renameChosen);
  connect(m_delete, &QToolButton::clicked, this, &ProofsPanel::deleteChosen);
  connect(m_against, &QToolButton::clicked, this, [this] {
    QMenu m(this);
    m.addAction(tr("The live picture"))->setData(0);
    for (const auto& p : m_studio.proofs())
      if (p->number != chosen()) m.addAction(qs(p->name))->setData(p->number);
    if (const QAction* a = m.exec(m_against->mapToGlobal(QPoint(0, m_against->height())))) {
      Studio::View v = m_studio.view();
      v.left = a->data().toInt();
      m_studio.setView(v);
    }
  });
  connect(m_changes, &QTreeWidget::itemActivated, this,
          [this](const QTreeWidgetItem* i) { carry(m_changes->indexOfTopLevelItem(const_cast<QTreeWidgetItem*>(i))); });
  connect(&studio, &Studio::proofsChanged, this, &ProofsPanel::rebuild);
  connect(&studio, &Studio::documentChanged, this, &ProofsPanel::showChanges);
  connect(&studio, &Studio::viewChanged, this, [this] {
    m_quiet = true;
    for (int k = 0; k < m_list->count(); ++k)
      if (m_list->item(k)->data(numberRole).toInt() == m_studio.view().proof) m_list->setCurrentRow(k);
    m_quiet = false;
    showChanges();
  });
  rebuild();
}

int ProofsPanel::chosen() const {
  const auto items = m_list->selectedItems();
  return items.isEmpty() ? 0 : items.front()->data(numberRole).toInt();
}

void ProofsPanel::rebuild() {
  m_quiet = true;
  const int keep = m_studio.view().proof;
  std::map<int, QImage> images;
  for (int k = 0; k < m_list->count(); ++k)
    images[m_list->item(k)->data(numberRole).toInt()] = m_list->item(k)->data(Qt::DecorationRole).value<QImage>();
  m_list->clear();
  for (const auto& p : m_studio.proofs()) {
    auto* i = new QListWidgetItem(QStringLiteral("%1 · %2").arg(p->number).arg(qs(p->name)), m_list);
    if (p->name == tr("Proof %1").arg(p->number).toStdString()) i->setText(qs(p->name));
    i->setData(numberRole, p->number);
    const QString samples = tr("%n sample(s)", nullptr, int(p->samples));
    i->setData(samplesRole, p->samples == 0 ? tr("draft") : samples);
    i->setToolTip(tr("%1, frame %2, %3%4")
                      .arg(qs(p->name))
                      .arg(p->frame)
                      .arg(samples)
                      .arg(p->parent ? tr("; after proof %1").arg(p->parent) : QString()));
    const auto known = images.find(p->number);
    i->setData(Qt::DecorationRole, known != images.end() && !known->second.isNull()
                                       ? known->second
                                       : proofPicture(*p, m_studio.views(), 136));
    if (p->number == keep) m_list->setCurrentItem(i);
  }
  m_list->scrollToItem(m_list->item(m_list->count() - 1));
  m_quiet = false;
  showChanges();
}

void ProofsPanel::compare() {
  Studio::View v = m_studio.view();
  v.proof = chosen();
  if (v.left == v.proof) v.left = 0;
  if (v.proof && v.compare == Compare::None) v.compare = Compare::Wipe;
  m_studio.setView(v);
}

void ProofsPanel::showChanges() {
  m_changes->clear();
  const int number = m_studio.view().proof;
  const auto proof = m_studio.proof(number), left = m_studio.proof(m_studio.view().left);
  for (QToolButton* b : {m_against, m_goOn, m_rename, m_delete}) b->setVisible(proof != nullptr);
  showQuality();
  if (!proof) {
    m_head->setText(m_studio.proofs().empty()
                        ? tr("Keep a picture (%1) to compare with later.").arg(QStringLiteral("Ctrl+Return"))
                        : tr("Choose a proof to compare with."));
    return;
  }
  const std::vector<Difference> all = changesTo(left ? left->doc : m_studio.doc(), proof->doc);
  const QString from = left ? tr("proof %1").arg(left->number) : tr("the live picture"),
                to = tr("proof %1").arg(number);
  m_head->setText(all.empty() ? tr("The document of %1 is that of %2").arg(to, from)
                              : tr("From %1 to %2").arg(from, to));
  for (const Difference& d : all) {
    auto* i = new QTreeWidgetItem(m_changes);
    i->setText(0, qs(describe(d)));
    i->setToolTip(0, qs(describe(d)));
    if (!left) {
      i->setText(1, tr("carry over"));
      i->setForeground(1, theme::accent);
    }
  }
  m_changes->resizeColumnToContents(0);
  m_changes->setColumnWidth(0, std::min(m_changes->columnWidth(0) + 12, std::max(180, m_changes->width() - 80)));
}

// Two pictures of unequal quality differ by their noise: that is said, with the mend.
void ProofsPanel::showQuality() {
  const auto proof = m_studio.proof(m_studio.view().proof), left = m_studio.proof(m_studio.view().left);
  m_fewer = 0;
  if (proof) {
    const auto& image = m_studio.image();
    const uint32_t other = left ? left->samples : image ? image->samples : 0;
    if (other > 2 * proof->samples)
      m_fewer = proof->number, m_more = other;
    else if (left && proof->samples > 2 * left->samples)
      m_fewer = left->number, m_more = proof->samples;
    if (m_fewer)
      m_even->setText(tr("%1 against %2 samples: bring %3 to %2")
                          .arg(m_studio.proof(m_fewer)->samples)
                          .arg(m_more)
                          .arg(qs(m_studio.proof(m_fewer)->name).left(16)));
  }
  m_even->setVisible(m_fewer != 0 && !m_studio.works().busy(QStringLiteral("refine")));
}

bool ProofsPanel::carry(int n) {
  const auto proof = m_studio.proof(m_studio.view().proof);
  if (!proof || m_studio.proof(m_studio.view().left)) return false;
  const std::vector<Difference> all = changesTo(m_studio.doc(), proof->doc);
  if (n < 0 || n >= int(all.size())) return false;
  const Difference d = all[size_t(n)];
  return m_studio.edit(tr("Carry over %1").arg(qs(d.place)),
                       [&](const Document& doc) { return carryOver(doc, proof->doc, d); });
}

void ProofsPanel::renameChosen() {
  const auto proof = m_studio.proof(chosen());
  if (!proof) return;
  if (const auto name = askForText(this, tr("Name the proof"), {}, qs(proof->name)))
    m_studio.renameProof(proof->number, *name);
}

void ProofsPanel::deleteChosen() {
  if (const int n = chosen()) m_studio.deleteProof(n);
}

DrawerPage proofsPage() {
  return {QStringLiteral("proofs"),
          ProofsPanel::tr("Proofs"),
          ProofsPanel::tr("Kept pictures with the documents that made them"),
          "Ctrl+7",
          false,
          [](Studio& studio, QWidget* parent) { return new ProofsPanel(studio, parent); }};
}

} // namespace ilumbra
