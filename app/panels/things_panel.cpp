#include "app/panels/things_panel.h"
#include "app/library.h"
#include "app/panels/large_pictures.h"

#include "app/dialogs/question.h"
#include "app/panels/thing_tree.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "app/viewport/thing_drag.h"
#include "core/compile/balance.h"
#include "demo/starters.h"

#include <fmt/format.h>
#include <map>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollArea>
#include <QToolButton>
#include <QTreeWidget>
#include <set>

namespace ilumbra {
namespace {

const std::pair<const char*, const char*> sceneHeads[] = {{"light", QT_TRANSLATE_NOOP("ThingsPanel", "Lights")},
                                                          {"object", QT_TRANSLATE_NOOP("ThingsPanel", "Objects")},
                                                          {"air", QT_TRANSLATE_NOOP("ThingsPanel", "Air")},
                                                          {"source", QT_TRANSLATE_NOOP("ThingsPanel", "Parts")},
                                                          {"layer", QT_TRANSLATE_NOOP("ThingsPanel", "Picture layers")},
                                                          {"material", QT_TRANSLATE_NOOP("ThingsPanel", "Materials")},
                                                          {"zone", QT_TRANSLATE_NOOP("ThingsPanel", "Zones")},
                                                          {"pattern", QT_TRANSLATE_NOOP("ThingsPanel", "Patterns")},
                                                          {"plate", QT_TRANSLATE_NOOP("ThingsPanel", "Plates")},
                                                          {"camera", QT_TRANSLATE_NOOP("ThingsPanel", "Cameras")}};

} // namespace

ThingsPanel::ThingsPanel(Studio& studio, What what, QWidget* parent) : QWidget(parent), m_studio(studio), m_what(what) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 8, 0, 4);
  column->setSpacing(2);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(12, 0, 6, 0);
  auto* title = new QLabel(what == What::Effects ? tr("Effects") : tr("Scene"), this);
  title->setFont(theme::font(12, 600));
  title->setStyleSheet(QStringLiteral("color: #b5b0a7"));
  head->addWidget(title, 0);
  m_search = new QLineEdit(this);
  m_search->setPlaceholderText(tr("find"));
  m_search->setStyleSheet(
      QStringLiteral("QLineEdit { background: transparent; border: none; border-bottom: 1px solid transparent; "
                     "border-radius: 0; padding: 1px 4px; } QLineEdit:focus { border-bottom: 1px solid #74c6ae; }"));
  m_search->setClearButtonEnabled(false);
  connect(m_search, &QLineEdit::textChanged, this, [this] {
    m_built = "asked anew";
    rebuild();
  });
  head->addWidget(m_search, 1);
  m_add = flatButton(this, tr("+ add"),
                     what == What::Effects ? tr("A new light effect, with the selection in its roles")
                                           : tr("A new thing in the scene"),
                     "accent");
  connect(m_add, &QToolButton::clicked, this, &ThingsPanel::addMenu);
  head->addWidget(m_add);
  column->addLayout(head);
  auto* tree = new ThingTree(this);
  tree->lampPressed = [this](NodeId id) { switchLamp(id); };
  m_list = tree;
  m_list->setDragEnabled(true);
  tree->dropped = [this](const std::vector<NodeId>& things, NodeId onto) {
    // The drag is over before a question is asked.
    QMetaObject::invokeMethod(
        this, [this, things, onto] { Q_EMIT thingsDropped(things, onto); }, Qt::QueuedConnection);
  };
  m_list->setDragDropMode(QAbstractItemView::DragDrop);
  m_list->setHeaderHidden(true);
  m_list->setIndentation(12);
  m_list->setRootIsDecorated(false);
  m_list->setItemDelegate(new ThingDelegate(m_list));
  m_list->setSelectionMode(QAbstractItemView::ExtendedSelection);
  m_list->setMouseTracking(true);
  m_list->setContextMenuPolicy(Qt::CustomContextMenu);
  m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_list->setAccessibleName(title->text());
  connect(m_list, &QTreeWidget::customContextMenuRequested, this, &ThingsPanel::contextMenu);
  connect(m_list, &QTreeWidget::itemSelectionChanged, this, [this] {
    if (m_quiet) return;
    std::vector<NodeId> ids;
    for (const QTreeWidgetItem* i : m_list->selectedItems())
      if (const NodeId id = i->data(0, idRole).toUInt()) ids.push_back(id);
    if (m_studio.picking().active() && !ids.empty()) {
      m_studio.offer(ids.back());
      showSelection();
      return;
    }
    if (!ids.empty()) m_studio.select(ids);
  });
  connect(m_list, &QTreeWidget::itemDoubleClicked, this, [this] { rename(); });
  column->addWidget(m_list, 1);
  connect(&studio, &Studio::documentChanged, this, &ThingsPanel::rebuild);
  connect(&studio, &Studio::selectionChanged, this, &ThingsPanel::showSelection);
  if (what == What::Effects) connect(&studio, &Studio::imageArrived, this, &ThingsPanel::showShares);
  rebuild();
}

// The parameter that switches a light, or a material's own light; empty: it gives none.
static std::string lampSwitch(const Node& n, double frame) {
  if (n.kind->family() == "light") return "on";
  return n.kind->param("own_light") && Params(n, frame).number("own_light") > 0 ? "own_light_on" : "";
}

void ThingsPanel::switchLamp(NodeId id, uint64_t gesture) {
  const Node* n = m_studio.doc().find(id);
  const std::string param = n ? lampSwitch(*n, m_studio.frame()) : std::string();
  if (param.empty()) return;
  const bool on = Params(*n, m_studio.frame()).flag(param);
  m_studio.edit(
      tr("Switch %1").arg(qs(n->name)),
      [&](const Document& d) {
        return setNow(d, {id, param, 0, {}}, Constant(!on));
      },
      gesture);
}

void ThingsPanel::showLamps() {
  if (m_what != What::Scene) return;
  const Document& doc = m_studio.doc();
  const Balance balance(doc, m_studio.frame());
  for (QTreeWidgetItemIterator it(m_list); *it; ++it) {
    const Node* n = doc.find((*it)->data(0, idRole).toUInt());
    const std::string param = n ? lampSwitch(*n, m_studio.frame()) : std::string();
    const int lamp = param.empty()                                               ? NoLamp
                     : !Params(*n, m_studio.frame()).flag(param)                 ? LampOff
                     : !balance.isSplit(n->id) && isBlack(balance.factor(n->id)) ? LampUnheard
                                                                                 : LampOn;
    if ((*it)->data(0, lampRole).toInt() == lamp) continue;
    (*it)->setData(0, lampRole, lamp);
    const QString state = lamp == LampOn        ? tr("on")
                          : lamp == LampOff     ? tr("off")
                          : lamp == LampUnheard ? tr("dark in the balance")
                                                : QString();
    (*it)->setToolTip(
        0, state.isEmpty()
               ? QStringLiteral("%1 · %2").arg(qs(n->name), qs(n->kind->label))
               : QStringLiteral("%1 · %2 · %3; the ring switches it").arg(qs(n->name), qs(n->kind->label), state));
    (*it)->setData(0, Qt::AccessibleDescriptionRole, state);
  }
}

bool standsInScene(const Kind& kind) {
  return kind.id != "object.mesh" && kind.id != "object.twin" && kind.family() != "source" &&
         std::any_of(std::begin(sceneHeads), std::end(sceneHeads),
                     [&](const auto& head) { return kind.family() == head.first; });
}

void ThingsPanel::rebuild() {
  const Document& doc = m_studio.doc();
  std::vector<const Node*> shown;
  for (const Node* n : doc.inOrder()) {
    const auto family = n->kind->family();
    const bool effect = family == "effect";
    if (m_what == What::Effects ? !effect : effect || family == "lens" || family == "picture") continue;
    shown.push_back(n);
  }
  std::string key = m_search->text().toStdString() + (doc.nodes().size() <= 1 ? "|empty" : "");
  for (const Node* n : shown) key += fmt::format("|{}:{}:{}", n->id, n->name, n->parent);
  if (key == m_built) {
    showShares();
    showLamps();
    return;
  }
  m_built = key;
  std::set<NodeId> folded;
  for (QTreeWidgetItemIterator it(m_list); *it; ++it)
    if (!(*it)->isExpanded() && (*it)->childCount()) folded.insert((*it)->data(0, idRole).toUInt());
  m_quiet = true;
  m_list->clear();
  const QString wanted = m_search->text().trimmed();
  std::map<NodeId, QTreeWidgetItem*> items;
  const auto put = [&](const Node* n, QTreeWidgetItem* under) {
    auto* i = under ? new QTreeWidgetItem(under) : new QTreeWidgetItem(m_list);
    i->setText(0, qs(n->name));
    i->setData(0, idRole, uint(n->id));
    i->setToolTip(0, QStringLiteral("%1 · %2").arg(qs(n->name), qs(n->kind->label)));
    items[n->id] = i;
  };
  if (m_what == What::Effects) {
    for (const Node* n : shown)
      if (wanted.isEmpty() || qs(n->name).contains(wanted, Qt::CaseInsensitive)) put(n, nullptr);
  } else {
    for (const auto& [family, label] : sceneHeads) {
      QTreeWidgetItem* head = nullptr;
      for (const Node* n : shown) {
        if (n->kind->family() != family) continue;
        if (!wanted.isEmpty() && !qs(n->name).contains(wanted, Qt::CaseInsensitive)) continue;
        if (!head) {
          head = new QTreeWidgetItem(m_list);
          head->setText(0, tr(label));
          head->setData(0, idRole, 0u);
          head->setFlags(Qt::ItemIsEnabled);
        }
        const auto parent = items.find(n->parent);
        put(n, parent != items.end() && wanted.isEmpty() ? parent->second : head);
      }
    }
  }
  m_list->expandAll();
  // Groups with much in them start folded.
  for (QTreeWidgetItemIterator it(m_list); *it; ++it) {
    const NodeId id = (*it)->data(0, idRole).toUInt();
    if (id && (*it)->childCount()) {
      (*it)->setExpanded(!folded.count(id) && (*it)->childCount() <= 12);
      (*it)->setData(0, sideRole, QStringLiteral("×%1").arg((*it)->childCount()));
    }
  }
  m_quiet = false;
  showSelection();
  showShares();
  showLamps();
  showEmpty(m_what == What::Effects && shown.empty(), doc.nodes().size() <= 1);
}

// An empty list teaches. In an empty scene the starters are one click away; in one with things they are a menu, for the
// room is theirs.
void ThingsPanel::showEmpty(bool empty, bool nothingElse) {
  delete m_empty;
  m_empty = nullptr;
  m_list->setVisible(!empty);
  if (!empty) return;
  m_empty = new QWidget(this);
  auto* column = new QVBoxLayout(m_empty);
  column->setContentsMargins(12, 4, 4, 4);
  column->setSpacing(4);
  auto* text = new QLabel(
      nothingElse
          ? tr("An effect is a light, what shows it, and the lens, in one. Add one, or start from a finished scene:")
          : tr("An effect is a light, what shows it, and the lens, in one. Select a thing and add one for it."),
      m_empty);
  text->setWordWrap(true);
  text->setStyleSheet(QStringLiteral("color: #9a968f"));
  column->addWidget(text);
  if (!nothingElse) {
    auto* starters =
        flatButton(m_empty, tr("Start from a finished scene…"), tr("Scenes that work, one for each effect"), "accent");
    connect(
        starters, &QToolButton::clicked, this,
        [this, starters] {
          QMenu m(this);
          for (const Starter& s : allStarters()) m.addAction(qs(s.label))->setData(qs(s.name));
          if (const QAction* a = m.exec(starters->mapToGlobal(QPoint(0, starters->height()))))
            Q_EMIT starterRequested(a->data().toString());
        },
        Qt::QueuedConnection);
    column->addWidget(starters, 0, Qt::AlignLeft);
    column->addStretch(1);
  } else {
    auto* list = new QWidget(m_empty);
    auto* rows = new QVBoxLayout(list);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    for (const Starter& s : allStarters()) {
      auto* b = flatButton(list, qs(s.label), qs(s.teaches), "accent");
      b->setMinimumHeight(b->fontMetrics().height() + 8);
      b->setSizePolicy(QSizePolicy::Maximum, QSizePolicy::Fixed);
      connect(b, &QToolButton::clicked, this, [this, name = qs(s.name)] { Q_EMIT starterRequested(name); });
      rows->addWidget(b);
    }
    auto* scroll = new QScrollArea(m_empty);
    scroll->setWidget(list);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setMinimumHeight(40);
    scroll->setAccessibleName(tr("Starters"));
    column->addWidget(scroll, 1);
  }
  static_cast<QVBoxLayout*>(layout())->insertWidget(1, m_empty, 1);
}

void ThingsPanel::showSelection() {
  m_quiet = true;
  QTreeWidgetItem* last = nullptr;
  for (QTreeWidgetItemIterator it(m_list); *it; ++it) {
    const NodeId id = (*it)->data(0, idRole).toUInt();
    const bool on = id && m_studio.isSelected(id);
    if ((*it)->isSelected() != on) (*it)->setSelected(on);
    if (on && id == m_studio.current()) last = *it;
  }
  if (last) {
    for (QTreeWidgetItem* up = last->parent(); up; up = up->parent()) up->setExpanded(true);
    m_list->setCurrentItem(last, 0, QItemSelectionModel::NoUpdate);
    m_list->scrollToItem(last);
  }
  m_quiet = false;
}

void ThingsPanel::showShares() {
  if (m_what != What::Effects) return;
  const auto& image = m_studio.image();
  if (!image) return;
  for (int k = 0; k < m_list->topLevelItemCount(); ++k) {
    QTreeWidgetItem* i = m_list->topLevelItem(k);
    const NodeId id = i->data(0, idRole).toUInt();
    const Node* n = m_studio.doc().find(id);
    if (!n) continue;
    QString text;
    QColor tone = theme::dim;
    if (!Params(*n, m_studio.frame()).flag("on")) {
      text = tr("off");
      tone = theme::faint;
    } else {
      for (const EffectReading& r : image->effects)
        if (r.effect == id) text = QStringLiteral("%1 %").arg(100 * r.share, 0, 'f', r.share < 0.0995 ? 1 : 0);
      if (image->route && image->route->effect == id) {
        const QString state = qs(stateWord(*image->route, true));
        if (state != QStringLiteral("works")) {
          // Of light that does not show a share says nothing.
          text =
              text.isEmpty() || state == QStringLiteral("nothing shows") ? state : state + QStringLiteral(" · ") + text;
          tone = state == QStringLiteral("weak") ? theme::amber : theme::rose;
        }
      }
    }
    i->setData(0, sideRole, text);
    i->setData(0, toneRole, tone);
  }
}

void ThingsPanel::addMenu() {
  QMenu m(this);
  std::string family;
  QMenu* where = &m;
  for (const Kind& k : m_studio.kinds()->all()) {
    const auto f = k.family();
    const bool effect = f == "effect";
    if (m_what == What::Effects ? !effect : !standsInScene(k)) continue;
    if (m_what == What::Scene && f != family) {
      family = std::string(f);
      QString title;
      for (const auto& [name, label] : sceneHeads)
        if (name == f) title = tr(label);
      where = m.addMenu(title);
    }
    QAction* a = where->addAction(qs(k.label));
    a->setToolTip(qs(k.helpText));
    a->setData(qs(k.id));
  }
  QAction* import = nullptr;
  if (m_what == What::Scene) {
    m.addSeparator();
    import = m.addAction(tr("Import a model…"));
  }
  if (m_what == What::Effects)
    if (const QFileInfoList kept = effectLibrary().kept(); !kept.isEmpty()) {
      m.addSeparator();
      QMenu* library = m.addMenu(tr("Of the library"));
      library->setStyle(new LargePictures(library, 72));
      library->setToolTipsVisible(true);
      for (const QFileInfo& f : kept) {
        QAction* a = library->addAction(QIcon(Library::picture(f)), f.completeBaseName());
        a->setToolTip(f.filePath());
        a->setData(f.filePath());
      }
    }
  const QAction* a = m.exec(m_add->mapToGlobal(QPoint(0, m_add->height())));
  if (!a) return;
  if (a == import)
    Q_EMIT importRequested();
  else
    Q_EMIT addRequested(a->data().toString());
}

void ThingsPanel::rename() {
  const Node* n = m_studio.currentNode();
  if (!n) return;
  const NodeId id = n->id;
  if (const auto name = askForText(this, tr("Rename %1").arg(qs(n->name)), {}, qs(n->name)))
    m_studio.edit(tr("Rename %1").arg(qs(m_studio.doc().find(id)->name)),
                  [&](const Document& d) { return ilumbra::rename(d, id, name->trimmed().toStdString()); });
}

void ThingsPanel::contextMenu(const QPoint& at) {
  const QTreeWidgetItem* i = m_list->itemAt(at);
  const NodeId id = i ? i->data(0, idRole).toUInt() : 0;
  const Node* n = m_studio.doc().find(id);
  if (!n) return addMenu();
  if (!m_studio.isSelected(id)) m_studio.select({id});
  QMenu m(this);
  QAction* on = nullptr;
  const std::string lamp = lampSwitch(*n, m_studio.frame()), switchParam = n->kind->param("on") ? "on" : lamp;
  if (!switchParam.empty()) {
    on = m.addAction(tr("On"));
    on->setCheckable(true);
    on->setChecked(Params(*n, m_studio.frame()).flag(switchParam));
  }
  QAction* solo = nullptr;
  if (!lamp.empty()) {
    const Node* row = balanceRow(m_studio.doc(), id);
    solo = m.addAction(tr("Solo in the balance"));
    solo->setCheckable(true);
    solo->setChecked(row && Params(*row, m_studio.frame()).flag("solo"));
  }
  QAction* name = m.addAction(tr("Rename…"));
  QAction* copy = m.addAction(tr("Duplicate"));
  const auto library = libraryOf(n->kind->family());
  QAction* keep = library ? m.addAction(tr("Keep in the library")) : nullptr;
  QAction* gone = m.addAction(tr("Delete"));
  const QAction* a = m.exec(m_list->mapToGlobal(at));
  if (!a) return;
  if (a == on)
    m_studio.edit(tr("Switch %1").arg(qs(n->name)), [&](const Document& d) {
      return setNow(d, {id, switchParam, 0, {}}, Constant(on->isChecked()));
    });
  if (solo && a == solo)
    m_studio.edit(tr("Solo %1").arg(qs(n->name)),
                  [&](const Document& d) { return setBalance(d, id, "solo", Constant(solo->isChecked())); });
  if (keep && a == keep) library->keep(m_studio, id);
  if (a == name) rename();
  if (a == copy)
    m_studio.edit(tr("Duplicate %1").arg(qs(n->name)), [&](const Document& d) { return duplicate(d, id); });
  if (a == gone) m_studio.edit(tr("Delete %1").arg(qs(n->name)), [&](const Document& d) { return removeNode(d, id); });
}

} // namespace ilumbra
