#include "app/panels/settings_panel.h"

#include "app/panels/curve_field.h"
#include "app/panels/picture_layers.h"

#include "app/dialogs/material_library.h"
#include "app/dialogs/solve_dialog.h"
#include "app/flow_layout.h"
#include "app/panels/key_menu.h"
#include "app/panels/looks_gallery.h"
#include "app/panels/material_gallery.h"
#include "app/panels/param_row.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "app/viewport/thing_drag.h"
#include "core/base/error.h"
#include "core/document/drawn_curve.h"
#include "core/document/inputs.h"
#include "core/document/transplant.h"
#include "core/placing/arrange.h"
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

void SettingsPanel::buildEffect(QWidget* page, const Node& n) {
  auto* column = page->layout();
  column->addWidget(makeParamRow(m_studio, {n.id, "on", 0, {}}, page));
  for (const Role& role : effectKind(n)->roles) column->addWidget(roleRow(page, n, role));
  buildInputs(page, n);
  buildEffectParams(page, n, true);
  buildEffectActs(page, n);
  // By thing: what matters most.
  const Document& doc = m_studio.doc();
  std::vector<NodeId> shown;
  const auto first = [&](NodeId id) {
    if (std::find(shown.begin(), shown.end(), id) != shown.end()) return false;
    shown.push_back(id);
    return true;
  };
  // What an effect is set by stands first; then the objects that it is on need not be shown.
  std::vector<Role> roles = effectKind(n)->roles;
  const bool set = std::any_of(roles.begin(), roles.end(), [](const Role& r) { return r.main; });
  std::stable_partition(roles.begin(), roles.end(), [](const Role& r) { return r.main; });
  for (const Role& role : roles)
    for (const NodeId id : roleOf(doc, n, role.param)) {
      const Node* t = doc.find(id);
      if (!t || !first(id)) continue;
      if (set && !role.main && t->kind->family() == "object") {
        // Only what it may set for itself.
        const Address use{id, "material", 0, {}};
        if (!t->kind->param("material") || shownInputs(doc, use).empty()) continue;
        column->addWidget(rule(page));
        column->addWidget(sectionHead(page, qs(t->name), tr("all"), [this, id] { m_studio.select({id}); }));
        buildUsedInputs(page, use);
        continue;
      }
      if (!t->kind->param("material")) {
        buildRoleThing(page, *t, qs(t->name), tr("all"), 0);
        continue;
      }
      if (const Node* m = doc.find(Params(*t, 0).reference("material").target); m && first(m->id))
        buildRoleThing(page, *m, qs(t->name), tr("material: %1").arg(qs(m->name)), t->id);
      buildRoleThing(page, *t, qs(t->name) + tr(" · form"), tr("all"), 0);
    }
  buildEffectParams(page, n, false);
}

// Whole looks, and placing by a reflection, where the effect has such.
void SettingsPanel::buildEffectActs(QWidget* page, const Node& n) {
  const NodeId effect = n.id;
  const bool looks = !effectKind(n)->looks.empty(), panels = n.kind->id == "effect.softbox",
             goals = !goalsFor(m_studio.doc(), effect).empty();
  if (!looks && !panels && !goals) return;
  auto* line = new QWidget(page);
  auto* flow = new FlowLayout(line);
  if (looks) {
    QToolButton* b =
        flatButton(line, tr("Whole looks…"), tr("Drawn on these lamps: one is taken for all parts"), "accent");
    b->setObjectName(QStringLiteral("whole looks"));
    connect(b, &QToolButton::clicked, this, [this, effect] {
      const Node* e = m_studio.doc().find(effect);
      if (!e) return;
      std::vector<LooksGallery::Look> all;
      for (const EffectLook& l : effectKind(*e)->looks)
        all.push_back({l.name, [l, effect](const Document& d) { return l.apply(d, effect); }});
      auto* gallery =
          new LooksGallery(m_studio, tr("Whole looks: %1").arg(qs(e->name)),
                           tr("Drawn on the picture as it is. The effect keeps its lamps."), std::move(all), this);
      gallery->setAttribute(Qt::WA_DeleteOnClose);
      gallery->open();
    });
    flow->addWidget(b);
  }
  if (panels)
    for (const NodeId id : roleOf(m_studio.doc(), n, "from")) {
      const Node* panel = m_studio.doc().find(id);
      if (!panel || !panel->kind->param("target")) continue;
      const bool armed = m_studio.picking().panel == id;
      QToolButton* b = flatButton(line,
                                  armed ? tr("click where %1 is to be mirrored…").arg(qs(panel->name))
                                        : tr("Place %1…").arg(qs(panel->name)),
                                  tr("The next click in the picture says where its reflection is to lie"), "accent");
      b->setObjectName(QStringLiteral("place ") + qs(panel->name));
      connect(
          b, &QToolButton::clicked, this,
          [this, id, armed] {
            m_studio.setPicking(armed ? Studio::Picking{} : Studio::Picking{0, {}, id});
          },
          Qt::QueuedConnection);
      flow->addWidget(b);
    }
  if (goals) {
    QToolButton* b =
        flatButton(line, tr("What is wanted…"),
                   tr("Type what is to be seen: the parameter that does it is found (Ctrl+Alt+9)"), "accent");
    b->setObjectName(QStringLiteral("wanted"));
    connect(b, &QToolButton::clicked, this, [this, effect] {
      auto* dialog = new SolveDialog(m_studio, effect, this);
      dialog->setAttribute(Qt::WA_DeleteOnClose);
      dialog->open();
    });
    flow->addWidget(b);
  }
  page->layout()->addWidget(line);
}

// A place for the things of a role: dropped on it, or picked once it is armed.
QWidget* SettingsPanel::roleRow(QWidget* page, const Node& n, const Role& role) {
  const NodeId effect = n.id;
  const std::string param = role.param;
  auto* zone = new DropZone(
      [this, effect, param](const std::vector<NodeId>& things) {
        // The drop must be over before the panel is built anew.
        QMetaObject::invokeMethod(
            this, [this, effect, param, things] { putIntoRole(effect, param, things); }, Qt::QueuedConnection);
      },
      page);
  zone->setObjectName(QStringLiteral("role ") + qs(param));
  auto* row = new QHBoxLayout(zone);
  row->setContentsMargins(0, 4, 0, 2);
  auto* label = new QLabel(qs(role.label), zone);
  label->setFixedWidth(52);
  label->setStyleSheet(QStringLiteral("color: #9a968f"));
  row->addWidget(label, 0, Qt::AlignTop);
  auto* chips = new QWidget(zone);
  auto* flow = new FlowLayout(chips);
  for (const NodeId id : roleOf(m_studio.doc(), n, param)) {
    const Node* t = m_studio.doc().find(id);
    if (!t) continue;
    auto* chip = flatButton(chips, fontMetrics().elidedText(qs(t->name), Qt::ElideMiddle, 140) + QStringLiteral("  ×"),
                            tr("Takes %1 out of %2").arg(qs(t->name), qs(role.label)));
    chip->setStyleSheet(QStringLiteral("QToolButton { background: #303030; color: #e9e4db; padding: 3px 8px; }"));
    connect(
        chip, &QToolButton::clicked, this,
        [this, effect, param, id] {
          m_studio.edit(tr("Take out of %1").arg(qs(param)),
                        [&](const Document& d) { return leaveRole(d, effect, param, id); });
        },
        Qt::QueuedConnection);
    flow->addWidget(chip);
  }
  flow->addWidget(armButton(chips, effect, role, flow->count() > 0));
  row->addWidget(chips, 1);
  // Who is in it may change at keys.
  const Address at{effect, param, 0, {}};
  if (!definitionAt(m_studio.doc(), at).keyable) return zone;
  if (const QString keys = keysText(valueAt(m_studio.doc(), at), m_studio.frame()); !keys.isEmpty()) {
    auto* driven = new QLabel(keys, chips);
    driven->setFont(theme::font(10));
    driven->setStyleSheet(QStringLiteral("color: %1").arg(theme::accent.name()));
    flow->addWidget(driven);
  }
  zone->setContextMenuPolicy(Qt::CustomContextMenu);
  connect(zone, &QWidget::customContextMenuRequested, this, [this, zone, at](const QPoint& where) {
    QMenu m(zone);
    addKeyMenu(m, m_studio, at);
    m.exec(zone->mapToGlobal(where));
  });
  return zone;
}

void SettingsPanel::putIntoRole(NodeId effect, const std::string& param, const std::vector<NodeId>& things) {
  std::vector<NodeId> fit;
  for (const NodeId id : things) {
    const Node* t = m_studio.doc().find(id);
    const Node* e = m_studio.doc().find(effect);
    if (!t || !e) continue;
    if (accepted(e->kind->param(param)->accepts, t->kind->id))
      fit.push_back(id);
    else
      m_studio.tell(tr("%1 is a %2, which does not go here").arg(qs(t->name), qs(t->kind->label).toLower()), true);
  }
  if (!fit.empty())
    m_studio.edit(tr("Put into %1").arg(qs(param)),
                  [&](const Document& d) { return fillRoles(d, effect, fit, nullptr, param); });
}

QToolButton* SettingsPanel::armButton(QWidget* parent, NodeId effect, const Role& role, bool filled) {
  const QString param = qs(role.param);
  const bool armed = m_studio.picking().effect == effect && m_studio.picking().role == param;
  auto* add = flatButton(parent,
                         armed    ? tr("click it in the picture or a list…")
                         : filled ? QStringLiteral("+")
                                  : tr("+ %1").arg(qs(role.teaches)),
                         tr("Arms picking: the next click fills %1").arg(qs(role.label)), "accent");
  // Never wider than its column: the whole sentence is in the tip.
  fitText(add, add->text(), 140);
  connect(
      add, &QToolButton::clicked, this,
      [this, effect, param, armed] {
        m_studio.setPicking(armed ? Studio::Picking{} : Studio::Picking{effect, param});
      },
      Qt::QueuedConnection);
  return add;
}

// What the effect itself says: what matters most, or the rest.
void SettingsPanel::buildEffectParams(QWidget* page, const Node& n, bool major) {
  auto* column = page->layout();
  const std::vector<Role>& roles = effectKind(n)->roles;
  bool first = true;
  for (const ParamDef& d : n.kind->params) {
    const bool isRole = std::any_of(roles.begin(), roles.end(), [&](const Role& r) { return r.param == d.name; });
    if (d.name == "on" || isRole || d.major != major || !counts(n, d, m_studio.frame())) continue;
    if (first) {
      column->addWidget(rule(page));
      if (!major) column->addWidget(sectionHead(page, tr("%1 · more").arg(qs(n.kind->label)), {}, {}));
    }
    first = false;
    column->addWidget(makeParamRow(m_studio, {n.id, d.name, 0, {}}, page));
  }
}

// The major parameters of a thing in a role, or of the material that `user` wears.
void SettingsPanel::buildRoleThing(QWidget* page, const Node& t, const QString& title, const QString& link,
                                   NodeId user) {
  if (std::none_of(t.kind->params.begin(), t.kind->params.end(), [](const ParamDef& d) { return d.major; })) return;
  auto* column = page->layout();
  // What a use of a shared material sets for itself is edited there; all else on the material.
  const auto addressOf = [&](const std::string& param) -> Address {
    if (const Node* u = m_studio.doc().find(user)) {
      const Reference use = Params(*u, 0).reference("material");
      if (use.with)
        for (const auto& [input, value] : *use.with)
          if (input == param && !namedInput(t, input)) return {user, "material", 0, input};
    }
    return {t.id, param, 0, {}};
  };
  column->addWidget(rule(page));
  column->addWidget(sectionHead(page, title, link, [this, id = t.id] { m_studio.select({id}); }));
  if (user)
    buildUsedInputs(page, {user, "material", 0, {}}, [&t](const std::string& name) {
      const ParamDef* d = t.kind->param(name);
      return namedInput(t, name) || !d || !d->major; // the others follow
    });
  for (const ParamDef& d : t.kind->params)
    if (d.major && counts(t, d, m_studio.frame())) column->addWidget(makeParamRow(m_studio, addressOf(d.name), page));
}

} // namespace ilumbra
