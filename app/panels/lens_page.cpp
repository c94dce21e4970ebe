#include "app/panels/lens_page.h"

#include "app/panels/settings_panel.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "core/lens/preset.h"
#include "core/lens/queries.h"

#include <fmt/format.h>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPainter>
#include <QScrollBar>
#include <QStyledItemDelegate>
#include <QTimer>
#include <QToolButton>

namespace ilumbra {

namespace {

constexpr int stageRole = Qt::UserRole, onRole = Qt::UserRole + 1, kindRole = Qt::UserRole + 2,
              wordRole = Qt::UserRole + 3, soloRole = Qt::UserRole + 4, restsRole = Qt::UserRole + 5;
constexpr QSize pictureSize(72, 40);

// A stage: what it changes, its name, what it is and whether it acts.
class StageDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override {
    return {180, pictureSize.height() + 9};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& o, const QModelIndex& i) const override {
    const QRect r = o.rect;
    if (o.state & QStyle::State_Selected) p->fillRect(r, theme::selected);
    p->fillRect(QRect(r.left(), r.bottom(), r.width(), 1), theme::line);
    const QRect picture(QPoint(r.left() + 4, r.top() + 4), pictureSize);
    p->fillRect(picture, QColor(0x0c, 0x0c, 0x0c));
    const bool on = i.data(onRole).toBool();
    if (const QImage image = i.data(Qt::DecorationRole).value<QImage>(); !image.isNull() && on) {
      const QImage fit = image.scaled(picture.size(), Qt::KeepAspectRatio, Qt::SmoothTransformation);
      p->drawImage(picture.center() - QPoint(fit.width() / 2, fit.height() / 2) + QPoint(1, 1), fit);
    }
    const QRect text(picture.right() + 10, r.top() + 5, r.width() - picture.width() - 20, 19);
    p->setFont(theme::font(12.5, 600));
    p->setPen(on ? theme::text : theme::faint);
    p->drawText(text, Qt::AlignLeft | Qt::AlignVCenter,
                p->fontMetrics().elidedText(i.data().toString(), Qt::ElideRight, text.width()));
    p->setFont(theme::font(11));
    const QString word = i.data(wordRole).toString();
    p->setPen(!on ? theme::faint : word.isEmpty() ? theme::dim : theme::amber);
    const QString line = !on ? QObject::tr("off") : word.isEmpty() ? i.data(kindRole).toString() : word;
    p->drawText(text.translated(0, 18), Qt::AlignLeft | Qt::AlignVCenter,
                p->fontMetrics().elidedText(line, Qt::ElideRight, text.width()));
    if (i.data(soloRole).toBool()) {
      p->setPen(theme::accent);
      p->drawText(text, Qt::AlignRight | Qt::AlignVCenter, QObject::tr("alone"));
    }
  }
};

} // namespace

LensPage::LensPage(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 8, 0, 0);
  column->setSpacing(4);
  column->addLayout(makeHead());
  m_about = new QLabel(this);
  m_about->setWordWrap(true);
  m_about->setContentsMargins(12, 0, 12, 0);
  m_about->setStyleSheet(QStringLiteral("color: #9a968f"));
  column->addWidget(m_about);
  m_list = new QListWidget(this);
  m_list->setItemDelegate(new StageDelegate(m_list));
  m_list->setDragDropMode(QAbstractItemView::InternalMove);
  m_list->setDefaultDropAction(Qt::MoveAction);
  m_list->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
  m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_list->setFrameShape(QFrame::NoFrame);
  m_list->setAccessibleName(tr("Lens stages, in the order in which light passes them"));
  m_list->installEventFilter(this);
  column->addWidget(m_list);
  makeActions();
  column->addWidget(m_actions);
  m_why = new QLabel(this);
  m_why->setWordWrap(true);
  m_why->setContentsMargins(12, 0, 12, 0);
  m_why->setStyleSheet(QStringLiteral("color: #e3a24a"));
  column->addWidget(m_why);
  m_mend = flatButton(this, tr("Set the amount so that it shows"), tr("By the light that is there"), "accent");
  m_mend->hide();
  connect(
      m_mend, &QToolButton::clicked, this, [this] { fitAmount(m_open); }, Qt::QueuedConnection);
  column->addWidget(m_mend, 0, Qt::AlignLeft);
  m_settings = new SettingsPanel(studio, this);
  m_settings->setSubject(true, 0);
  column->addWidget(m_settings, 1);
  connectParts();
  rebuild();
}

QLayout* LensPage::makeHead() {
  auto* head = new QHBoxLayout;
  head->setContentsMargins(12, 0, 12, 0);
  auto* title = new QLabel(tr("Lens"), this);
  title->setFont(theme::font(15, 600));
  head->addWidget(title, 1);
  auto* take = flatButton(this, tr("take in…"),
                          tr("Adds the stages of a preset, or of another document, at the end of the stack"));
  connect(take, &QToolButton::clicked, this, [this] {
    const QString f = QFileDialog::getOpenFileName(this, tr("Take in lens stages"), {}, tr("Ilumbra (*.ilum)"));
    if (!f.isEmpty()) takePreset(f);
  });
  head->addWidget(take);
  auto* add = flatButton(this, tr("+ add"), tr("A new stage at the end of the stack"), "accent");
  connect(
      add, &QToolButton::clicked, this, [this, add] { addMenu(add); }, Qt::QueuedConnection);
  head->addWidget(add);
  return head;
}

// What is done with the open stage.
void LensPage::makeActions() {
  m_actions = new QWidget(this);
  auto* row = new QHBoxLayout(m_actions);
  row->setContentsMargins(8, 0, 8, 0);
  row->setSpacing(0);
  const auto action = [&](const QString& text, const QString& help, bool checkable) {
    auto* b = flatButton(m_actions, text, help);
    b->setCheckable(checkable);
    row->addWidget(b);
    return b;
  };
  m_on = action(tr("on"), tr("Switches the stage (Space)"), true);
  m_solo = action(tr("alone"), tr("Shows this stage alone, on the light before the lens; the document stays as it is"),
                  true);
  m_before = action(tr("before"), tr("Shows the picture as it comes to this stage; let go for how it leaves it"), true);
  row->addStretch(1);
  m_looks = action(tr("looks…"), tr("Looks for this stage, drawn on the picture as it is"), false);
  m_more = action(QStringLiteral("⋯"), tr("Copy, keep as a preset, delete"), false);
  connect(m_on, &QToolButton::clicked, this, &LensPage::switchOpen, Qt::QueuedConnection);
  connect(m_solo, &QToolButton::clicked, this, &LensPage::soloOpen, Qt::QueuedConnection);
  connect(m_before, &QToolButton::clicked, this, &LensPage::beforeOpen, Qt::QueuedConnection);
  connect(m_looks, &QToolButton::clicked, this, &LensPage::looks, Qt::QueuedConnection);
  connect(
      m_more, &QToolButton::clicked, this,
      [this] {
        QMenu m(this);
        m.addAction(tr("Copy"), this, &LensPage::copyOpen);
        m.addAction(tr("Earlier"), this, [this] { move(-1); });
        m.addAction(tr("Later"), this, [this] { move(1); });
        m.addAction(tr("Keep both orders"), this, &LensPage::keepBothOrders);
        m.addSeparator();
        m.addAction(tr("Keep as a preset…"), this, &LensPage::keepPreset);
        m.addAction(tr("Set from a preset…"), this, qOverload<>(&LensPage::takePreset));
        m.addSeparator();
        m.addAction(tr("Delete"), this, &LensPage::removeOpen);
        m.exec(m_more->mapToGlobal(QPoint(0, m_more->height())));
      },
      Qt::QueuedConnection);
}

void LensPage::connectParts() {
  connect(m_list, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
    if (m_quiet || !item) return;
    // Chosen by hand it is the selection too: its handles stand in the picture.
    show(item->data(stageRole).toUInt());
    m_studio.select({m_open});
  });
  // Pressing the one that stands open already selects it too.
  connect(m_list, &QListWidget::itemClicked, this, [this](const QListWidgetItem* item) {
    if (m_quiet || !item) return;
    if (const NodeId id = item->data(stageRole).toUInt(); m_studio.current() != id) m_studio.select({id});
  });
  connect(m_list->model(), &QAbstractItemModel::rowsMoved, this, [this] {
    // The list as it stands now says where the stage goes.
    if (m_quiet) return;
    QTimer::singleShot(0, this, [this] {
      std::vector<NodeId> order;
      for (int i = 0; i < m_list->count(); ++i) order.push_back(m_list->item(i)->data(stageRole).toUInt());
      m_studio.edit(tr("Change the order of the lens"), [&](const Document& d) { return inOrder(d, order); });
      rebuild();
    });
  });
  connect(&m_studio, &Studio::documentChanged, this, [this] {
    if (shape() != m_shape) rebuild();
  });
  connect(&m_studio, &Studio::viewChanged, this, &LensPage::showState);
  connect(&m_studio, &Studio::imageArrived, this, &LensPage::showPictures);
  connect(&m_studio, &Studio::selectionChanged, this, [this] {
    const Node* n = m_studio.currentNode();
    if (!n) return;
    if (n->kind->family() == "lens") return show(n->id);
    // A part of a stage: a point of its curves, an area.
    if (const Node* owner = m_studio.doc().find(n->parent); owner && owner->kind->family() == "lens") {
      show(owner->id);
      return m_settings->reveal(n->id);
    }
    // The stage of the effect at hand stands open.
    if (n->kind->family() == "effect") {
      const auto stages = roleOf(m_studio.doc(), *n, "lens");
      if (!stages.empty()) show(stages.front());
    }
  });
}

void LensPage::show(NodeId stage) {
  if (m_open == stage) return;
  m_open = stage;
  rebuild();
  // What was shown of the one is shown of the other.
  Studio::View v = m_studio.view();
  if (v.soloStage || v.lastStage) {
    if (v.soloStage) v.soloStage = stage;
    if (v.lastStage) v.lastStage = stage;
    m_studio.setView(v);
  }
}

std::string LensPage::shape() const {
  std::string s = fmt::format("{}", m_open);
  for (const Node* n : lensStages(m_studio.doc()))
    s += fmt::format("|{}:{}:{}:{}", n->id, n->name, Params(*n, m_studio.frame()).flag("on"),
                     stageActs(m_studio.doc(), *n, m_studio.frame()));
  return s;
}

void LensPage::addMenu(QWidget* button) {
  QMenu m(this);
  m.setToolTipsVisible(true);
  for (const LensStage& s : allStages()) {
    QAction* a = m.addAction(qs(s.kind.label));
    a->setData(qs(s.kind.id));
    a->setToolTip(qs(s.kind.helpText));
  }
  const QAction* a = m.exec(button->mapToGlobal(QPoint(0, button->height())));
  if (!a) return;
  addStageFor(a->data().toString());
}

void LensPage::rebuild() {
  const auto stages = lensStages(m_studio.doc());
  const Node* open = m_studio.doc().find(m_open);
  if (!open || open->kind->family() != "lens") m_open = stages.empty() ? 0 : stages.front()->id;
  m_shape = shape();
  m_quiet = true;
  const int scroll = m_list->verticalScrollBar()->value();
  std::map<NodeId, QVariant> pictures, words, rested;
  for (int i = 0; i < m_list->count(); ++i) {
    pictures[m_list->item(i)->data(stageRole).toUInt()] = m_list->item(i)->data(Qt::DecorationRole);
    words[m_list->item(i)->data(stageRole).toUInt()] = m_list->item(i)->data(wordRole);
    rested[m_list->item(i)->data(stageRole).toUInt()] = m_list->item(i)->data(restsRole);
  }
  m_list->clear();
  for (const Node* n : stages) {
    auto* item = new QListWidgetItem(qs(n->name), m_list);
    item->setData(stageRole, n->id);
    item->setData(onRole, Params(*n, m_studio.frame()).flag("on"));
    item->setData(kindRole, qs(n->kind->label));
    item->setToolTip(qs(n->kind->helpText));
    if (pictures.count(n->id)) {
      item->setData(Qt::DecorationRole, pictures[n->id]);
      item->setData(wordRole, words[n->id]);
      item->setData(restsRole, rested[n->id]);
    }
    // A stage that rests is not in the picture, which else says why it does nothing.
    const bool rests = Params(*n, m_studio.frame()).flag("on") && !stageActs(m_studio.doc(), *n, m_studio.frame());
    if (rests || item->data(restsRole).toBool()) item->setData(wordRole, rests ? tr("its effect is off") : QString());
    item->setData(restsRole, rests);
    if (n->id == m_open) m_list->setCurrentItem(item);
  }
  // As tall as it needs, up to five stages; then it scrolls.
  const int rows = std::clamp(m_list->count(), 0, 5);
  m_list->setFixedHeight(rows * (pictureSize.height() + 9) + 2);
  m_list->setVisible(rows > 0);
  m_list->verticalScrollBar()->setValue(scroll);
  m_actions->setVisible(m_open != 0);
  m_about->setText(stages.empty() ? tr("What a lens adds to light: glow, streaks, ghosts and more. Add a stage, or "
                                       "select an effect first: its stage then takes light from that effect alone.")
                                  : tr("Light passes from top to bottom; drag a stage to change the order."));
  m_settings->setSubject(true, m_open);
  m_settings->setVisible(m_open != 0);
  m_quiet = false;
  showState();
}

void LensPage::showState() {
  const Node* n = m_studio.doc().find(m_open);
  const Studio::View& v = m_studio.view();
  for (int i = 0; i < m_list->count(); ++i)
    m_list->item(i)->setData(soloRole, v.soloStage == m_list->item(i)->data(stageRole).toUInt());
  if (!n) {
    m_why->hide();
    m_mend->hide();
    return;
  }
  const bool on = Params(*n, m_studio.frame()).flag("on");
  m_on->setChecked(on);
  m_on->setText(on ? tr("on") : tr("off"));
  m_solo->setChecked(v.soloStage == m_open);
  m_before->setChecked(v.lastStage == m_open && v.beforeStage);
  QString why;
  for (int i = 0; i < m_list->count(); ++i)
    if (m_list->item(i)->data(stageRole).toUInt() == m_open) why = m_list->item(i)->data(wordRole).toString();
  m_why->setText(tr("It does nothing: %1").arg(why));
  m_why->setVisible(on && !why.isEmpty());
  m_mend->setVisible(on && why == qs(std::string(tooFaint)));
}

void LensPage::showPictures() {
  const auto& image = m_studio.image();
  if (!image || image->stages.empty()) return;
  for (const SessionImage::LensStageShown& s : image->stages)
    for (int i = 0; i < m_list->count(); ++i) {
      QListWidgetItem* item = m_list->item(i);
      if (item->data(stageRole).toUInt() != s.stage) continue;
      const QImage shown(s.rgba.data(), s.width, s.height, 4 * s.width, QImage::Format_RGBA8888);
      item->setData(Qt::DecorationRole, shown.copy());
      item->setData(wordRole, qs(s.idle));
    }
  showState();
}

void LensPage::wantPictures(bool wanted) {
  Studio::View v = m_studio.view();
  if (v.stages == wanted) return;
  v.stages = wanted;
  m_studio.setView(v);
}

void LensPage::showEvent(QShowEvent* e) {
  QWidget::showEvent(e);
  wantPictures(true);
}

void LensPage::hideEvent(QHideEvent* e) {
  QWidget::hideEvent(e);
  wantPictures(false);
}

bool LensPage::eventFilter(QObject* o, QEvent* e) {
  if (o != m_list || e->type() != QEvent::KeyPress) return QWidget::eventFilter(o, e);
  auto* key = static_cast<QKeyEvent*>(e);
  const bool shifted = key->modifiers() & Qt::ShiftModifier;
  if (key->key() == Qt::Key_Up && shifted)
    move(-1);
  else if (key->key() == Qt::Key_Down && shifted)
    move(1);
  else if (key->key() == Qt::Key_Space)
    switchOpen();
  else if (key->key() == Qt::Key_Delete)
    removeOpen();
  else
    return QWidget::eventFilter(o, e);
  return true;
}

} // namespace ilumbra
