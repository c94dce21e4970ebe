#include "app/panels/settings_panel.h"

#include "app/dialogs/material_library.h"
#include "app/flow_layout.h"
#include "app/panels/curve_field.h"
#include "app/panels/material_gallery.h"
#include "app/panels/param_row.h"
#include "app/panels/picture_layers.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "app/viewport/thing_drag.h"
#include "core/base/error.h"
#include "core/document/drawn_curve.h"
#include "core/document/transplant.h"
#include "core/placing/arrange.h"
#include "core/placing/lens_handles.h"
#include "core/surface/presets.h"

#include <fmt/format.h>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QScrollBar>
#include <QTimer>
#include <QToolButton>

namespace ilumbra {

void SettingsPanel::addToSlot(NodeId parent, const ChildSlot& slot) {
  std::vector<const Kind*> kinds;
  for (const Kind& k : m_studio.kinds()->all())
    if (accepted(slot.accepts, k.id)) kinds.push_back(&k);
  const Kind* chosen = kinds.size() == 1 ? kinds.front() : nullptr;
  if (!chosen) {
    QMenu m(this);
    for (const Kind* k : kinds) {
      QAction* a = m.addAction(qs(k->label));
      a->setToolTip(qs(k->helpText));
      a->setData(qs(k->id));
    }
    m.setToolTipsVisible(true);
    if (const QAction* a = m.exec(QCursor::pos())) chosen = m_studio.kinds()->find(a->data().toString().toStdString());
  }
  if (!chosen) return;
  NodeId made = 0;
  m_studio.edit(tr("Add %1").arg(qs(chosen->label)), [&](const Document& d) {
    if (isOutline(*d.find(parent), m_studio.frame())) return addOutlinePoint(d, parent, m_studio.frame());
    Document out = addNode(d, chosen->id, chosen->label, {parent, slot.name, size_t(-1)}, &made);
    const ScenePtr scene = m_studio.session().scene();
    // Copies stand clear of each other, where there is room.
    if (chosen->id == "modifier.repeat" && scene)
      if (const auto step = freeStep(d, *scene, parent)) out = setValue(out, made, "step", Constant(*step));
    return out;
  });
  if (const Node* n = m_studio.doc().find(parent); made && n && n->children.at(slot.name).size() > 1)
    m_turned.insert(made);
  // An area's handles stand in the picture while its stage is selected.
  if (const Node* n = m_studio.doc().find(parent); made && n && n->kind->family() == "lens") m_studio.select({parent});
}

void SettingsPanel::buildSlots(QWidget* page, const Node& n) {
  auto* column = page->layout();
  const NodeId parent = n.id;
  for (const ChildSlot& slot : n.kind->slots) {
    if (accepted(slot.accepts, "object.group")) continue; // what it holds or carries stands in the scene's list
    if (isCurve(slot)) continue;
    column->addWidget(rule(page));
    column->addWidget(sectionHead(page, qs(slot.label), tr("+ add"), [this, parent, slot] {
      addToSlot(parent, slot);
      rebuild();
    }));
    const auto it = n.children.find(slot.name);
    if (it == n.children.end() || it->second.empty()) {
      auto* none = new QLabel(isOutline(n, m_studio.frame())
                                  ? tr("Those that it comes with: pull at them in the picture, or set others by Draw "
                                       "points (Ctrl+Alt+N).")
                                  : tr("None yet."),
                              page);
      none->setWordWrap(true);
      none->setStyleSheet(QStringLiteral("color: #6a6762"));
      column->addWidget(none);
      continue;
    }
    const bool oneKind = slot.accepts.size() == 1 && m_studio.kinds()->find(slot.accepts.front());
    for (size_t i = 0; i < it->second.size(); ++i) {
      const NodeId c = it->second[i];
      const Node* child = m_studio.doc().find(c);
      if (!child) continue;
      if (oneKind) {
        column->addWidget(
            sectionHead(page, tr("%1 of %2").arg(i + 1).arg(it->second.size()), tr("take away"), [this, c] {
              m_studio.edit(tr("Take away"), [&](const Document& d) { return removeNode(d, c); });
            }));
        for (const ParamDef& d : child->kind->params)
          column->addWidget(makeParamRow(m_studio, {c, d.name, 0, {}}, page));
        continue;
      }
      buildStep(page, *child, slot, i, it->second.size());
    }
  }
}

void SettingsPanel::buildCurves(QWidget* page, const Node& n) {
  for (const ChildSlot& slot : n.kind->slots) {
    if (!isCurve(slot)) continue;
    page->layout()->addWidget(rule(page));
    auto* curve = new CurveField(m_studio, n.id, slot.name, page);
    QWidget* head = sectionHead(page, qs(slot.label), tr("take away"), [curve] { curve->straighten(); });
    auto* away = head->findChild<QToolButton*>();
    away->setVisible(curve->isDrawn());
    connect(&m_studio, &Studio::documentChanged, away, [away, curve] { away->setVisible(curve->isDrawn()); });
    page->layout()->addWidget(head);
    page->layout()->addWidget(curve);
  }
}

void SettingsPanel::buildPictureLayers(QWidget* page, const Node& n) {
  auto* column = page->layout();
  column->addWidget(rule(page));
  column->addWidget(sectionHead(page, tr("Layers of its picture"), tr("+ source"),
                                [this, id = n.id] { addPictureLayer(m_studio, id, this); }));
  const std::vector<const Node*> layers = pictureLayersOf(m_studio.doc(), n.id);
  for (const Node* l : layers)
    column->addWidget(
        sectionHead(page, {}, tr("go to %1").arg(qs(l->name)), [this, id = l->id] { m_studio.select({id}); }));
  if (layers.empty()) {
    auto* none = new QLabel(tr("Its lights, masks and Cryptomattes can be sources of glow and lens stages."), page);
    none->setWordWrap(true);
    none->setStyleSheet(QStringLiteral("color: #6a6762"));
    column->addWidget(none);
  }
}

// One of an ordered list of changes: what it is, whether it is on, its place in the list; its parameters unfold.
void SettingsPanel::buildStep(QWidget* page, const Node& child, const ChildSlot& slot, size_t index, size_t count) {
  const NodeId id = child.id, parent = child.parent;
  const bool open = (count == 1) != (m_turned.count(id) > 0),
             on = !child.kind->param("on") || Params(child, m_studio.frame()).flag("on");
  auto* w = new QWidget(page);
  w->setObjectName(QStringLiteral("step %1").arg(qs(child.name)));
  auto* row = new QHBoxLayout(w);
  row->setContentsMargins(0, 2, 0, 2);
  row->setSpacing(8);
  auto* name =
      flatButton(w, (open ? QStringLiteral("− ") : QStringLiteral("+ ")) + qs(child.name), qs(child.kind->helpText));
  name->setObjectName(QStringLiteral("unfold"));
  name->setStyleSheet(QStringLiteral("QToolButton { padding: 2px 0; text-align: left; color: %1; font-weight: 500; }")
                          .arg(on ? QStringLiteral("#e9e4db") : QStringLiteral("#6a6762")));
  connect(
      name, &QToolButton::clicked, this,
      [this, id] {
        if (!m_turned.erase(id)) m_turned.insert(id);
        rebuild();
      },
      Qt::QueuedConnection);
  row->addWidget(name);
  row->addStretch(1);
  const auto action = [&](const QString& text, const QString& help, const char* called, bool enabled,
                          std::function<void()> run) {
    auto* b = flatButton(w, text, help, "accent");
    b->setObjectName(QLatin1String(called));
    b->setStyleSheet(QStringLiteral("QToolButton { padding: 1px 2px; } QToolButton:disabled { color: #4a4845; }"));
    b->setEnabled(enabled);
    connect(b, &QToolButton::clicked, this, std::move(run), Qt::QueuedConnection);
    row->addWidget(b);
  };
  const auto moveTo = [this, id, parent, slotName = slot.name](size_t to) {
    m_studio.edit(tr("Change the order"), [&](const Document& d) { return moveNode(d, id, {parent, slotName, to}); });
  };
  action(on ? tr("on") : tr("off"), tr("Switches it"), "switch", true, [this, id, on] {
    m_studio.edit(tr("Switch"), [&](const Document& d) { return setNow(d, {id, "on", 0, {}}, Constant(!on)); });
  });
  action(QStringLiteral("↑"), tr("Earlier"), "earlier", index > 0, [moveTo, index] { moveTo(index - 1); });
  action(QStringLiteral("↓"), tr("Later"), "later", index + 1 < count, [moveTo, index] { moveTo(index + 1); });
  action(QStringLiteral("×"), tr("Takes it away"), "take_away", true,
         [this, id] { m_studio.edit(tr("Take away"), [&](const Document& d) { return removeNode(d, id); }); });
  page->layout()->addWidget(w);
  buildFindings(page, child, "");
  if (!open) return;
  std::string group;
  for (const ParamDef& d : child.kind->params) {
    if (d.name == "on") continue;
    if (d.group != group) {
      group = d.group;
      if (!group.empty()) page->layout()->addWidget(sectionHead(page, qs(group), {}, {}));
    }
    page->layout()->addWidget(makeParamRow(m_studio, {id, d.name, 0, {}}, page));
    buildFindings(page, child, d.name);
  }
  buildSlots(page, child);
}

} // namespace ilumbra
