#include "app/lens_page.h"

#include "app/param_row.h"
#include "app/picture_bar.h"
#include "app/settings_panel.h"
#include "app/theme.h"
#include "core/lens/stage.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QScrollBar>
#include <QToolButton>
#include <fmt/format.h>

namespace ilumbra {

Document addStage(const Document& doc, const std::string& kind, NodeId effect, NodeId* made) {
  NodeId id = 0;
  const Node* e = doc.find(effect);
  Document out = addNode(doc, kind, e ? e->name + " lens" : "", {}, &id);
  if (made) *made = id;
  if (!e || !e->kind->param("lens")) return out;
  out = setValue(out, id, "sources", Constant(std::vector<Reference>{{effect, nullptr}}));
  std::vector<Reference> stages = Params(*e, 0).references("lens");
  stages.push_back({id, nullptr});
  return setValue(out, effect, "lens", Constant(stages));
}

LensPage::LensPage(Studio& studio, QWidget* parent) : QScrollArea(parent), m_studio(studio) {
  setWidgetResizable(true);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setFrameShape(QFrame::NoFrame);
  connect(&studio, &Studio::documentChanged, this, [this] {
    if (shape() != m_shape) return rebuild();
    for (ParamRow* r : widget()->findChildren<ParamRow*>()) r->refresh();
  });
  connect(&studio, &Studio::viewChanged, this, [this] {
    if (shape() != m_shape) rebuild();
  });
  connect(&studio, &Studio::selectionChanged, this, [this] {
    const Node* n = m_studio.currentNode();
    if (!n) return;
    // The stage of the effect at hand stands open.
    if (n->kind->family() == "effect") {
      const auto stages = roleOf(m_studio.doc(), *n, "lens");
      if (!stages.empty()) show(stages.front());
    }
  });
  rebuild();
}

void LensPage::show(NodeId stage) {
  if (m_open == stage) return;
  m_open = stage;
  rebuild();
}

std::string LensPage::shape() const {
  std::string s = fmt::format("{}|{}", m_open, m_studio.view().soloStage);
  for (const Node* n : lensStages(m_studio.doc())) s += fmt::format("|{}:{}:{}", n->id, n->name, Params(*n, m_studio.frame()).flag("on"));
  return s;
}

void LensPage::addMenu(QWidget* button) {
  QMenu m(this);
  for (const LensStage& s : allStages()) {
    QAction* a = m.addAction(qs(s.kind.label));
    a->setData(qs(s.kind.id));
    a->setToolTip(qs(s.kind.helpText));
  }
  const QAction* a = m.exec(button->mapToGlobal(QPoint(0, button->height())));
  if (!a) return;
  const Node* n = m_studio.currentNode();
  const NodeId effect = n && n->kind->family() == "effect" ? n->id : 0;
  NodeId made = 0;
  m_studio.edit(tr("Add %1").arg(a->text()), [&](const Document& d) { return addStage(d, a->data().toString().toStdString(), effect, &made); });
  if (made) show(made);
}

void LensPage::rebuild() {
  const auto stages = lensStages(m_studio.doc());
  if (!m_studio.doc().find(m_open)) m_open = stages.empty() ? 0 : stages.front()->id;
  m_shape = shape();
  const int scroll = verticalScrollBar()->value();
  auto* page = new QWidget;
  page->setAutoFillBackground(true);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(12, 8, 12, 12);
  column->setSpacing(0);
  auto* head = new QWidget(page);
  auto* row = new QHBoxLayout(head);
  row->setContentsMargins(0, 0, 0, 0);
  auto* title = new QLabel(tr("Lens"), head);
  title->setFont(theme::font(15, 600));
  row->addWidget(title, 1);
  auto* add = flatButton(head, tr("+ add"), tr("A new stage at the end of the stack"), "accent");
  connect(add, &QToolButton::clicked, this, [this, add] { addMenu(add); }, Qt::QueuedConnection);
  row->addWidget(add);
  column->addWidget(head);
  auto* about = new QLabel(stages.empty() ? tr("What a lens adds to light: glow and more. Add a stage, or select an effect first: its stage then takes light from that effect alone.")
                                          : tr("Light passes from top to bottom."),
                           page);
  about->setWordWrap(true);
  about->setStyleSheet(QStringLiteral("color: #9a968f"));
  column->addWidget(about);
  for (size_t k = 0; k < stages.size(); ++k) {
    const Node& n = *stages[k];
    const NodeId id = n.id;
    column->addWidget(rule(page));
    auto* line = new QWidget(page);
    auto* r = new QHBoxLayout(line);
    r->setContentsMargins(0, 0, 0, 0);
    r->setSpacing(0);
    auto* name = flatButton(line, qs(n.name), tr("Opens the stage"));
    name->setStyleSheet(QStringLiteral("QToolButton { color: %1; font-weight: 600; padding-left: 0; text-align: left; }").arg(id == m_open ? "#e9e4db" : "#b5b0a7"));
    connect(name, &QToolButton::clicked, this, [this, id] { show(id); }, Qt::QueuedConnection);
    r->addWidget(name);
    r->addStretch(1);
    const bool on = Params(n, m_studio.frame()).flag("on");
    auto* power = flatButton(line, on ? tr("on") : tr("off"), tr("Switches the stage"), on ? "accent" : "flat");
    connect(power, &QToolButton::clicked, this, [this, id, on] { m_studio.edit(tr("Switch %1").arg(qs(m_studio.doc().find(id)->name)), [&](const Document& d) { return setValue(d, id, "on", Constant(!on)); }); }, Qt::QueuedConnection);
    r->addWidget(power);
    const bool solo = m_studio.view().soloStage == id;
    auto* alone = flatButton(line, tr("solo"), tr("Shows this stage alone; the document stays as it is"), solo ? "accent" : "flat");
    connect(alone, &QToolButton::clicked, this, [this, id, solo] {
      Studio::View v = m_studio.view();
      v.soloStage = solo ? 0 : id;
      m_studio.setView(v);
    }, Qt::QueuedConnection);
    r->addWidget(alone);
    const auto move = [this, id](size_t index) {
      m_studio.edit(tr("Move %1").arg(qs(m_studio.doc().find(id)->name)), [&](const Document& d) { return moveNode(d, id, {0, "", index}); });
    };
    // Among the roots a stage goes before the stage above it, or behind the one below.
    const auto rootIndex = [this](NodeId of) { return size_t(std::find(m_studio.doc().roots().begin(), m_studio.doc().roots().end(), of) - m_studio.doc().roots().begin()); };
    if (k > 0) {
      auto* up = flatButton(line, QStringLiteral("↑"), tr("Earlier in the stack"));
      connect(up, &QToolButton::clicked, this, [move, rootIndex, above = stages[k - 1]->id] { move(rootIndex(above)); }, Qt::QueuedConnection);
      r->addWidget(up);
    }
    if (k + 1 < stages.size()) {
      auto* down = flatButton(line, QStringLiteral("↓"), tr("Later in the stack"));
      connect(down, &QToolButton::clicked, this, [move, rootIndex, below = stages[k + 1]->id] { move(rootIndex(below)); }, Qt::QueuedConnection);
      r->addWidget(down);
    }
    auto* gone = flatButton(line, QStringLiteral("×"), tr("Deletes the stage"));
    connect(gone, &QToolButton::clicked, this, [this, id] { m_studio.edit(tr("Delete %1").arg(qs(m_studio.doc().find(id)->name)), [&](const Document& d) { return removeNode(d, id); }); }, Qt::QueuedConnection);
    r->addWidget(gone);
    column->addWidget(line);
    if (id != m_open) continue;
    std::string group;
    for (const ParamDef& d : n.kind->params) {
      if (d.name == "on") continue;
      if (d.group != group) {
        group = d.group;
        if (!group.empty()) column->addWidget(sectionHead(page, qs(group), {}, {}));
      }
      column->addWidget(makeParamRow(m_studio, {id, d.name, 0, {}}, page));
    }
  }
  column->addStretch(1);
  if (QWidget* old = takeWidget()) old->deleteLater();
  setWidget(page);
  verticalScrollBar()->setValue(scroll);
}

} // namespace ilumbra
