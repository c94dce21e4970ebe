#include "app/panels/settings_panel.h"

#include "app/panels/curve_field.h"
#include "app/panels/picture_layers.h"

#include "app/dialogs/material_library.h"
#include "app/flow_layout.h"
#include "app/panels/material_gallery.h"
#include "app/panels/param_row.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "app/viewport/thing_drag.h"
#include "core/base/error.h"
#include "core/document/file.h"
#include "core/document/transplant.h"
#include "core/lens/curve.h"
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

QWidget* rule(QWidget* parent) {
  auto* w = new QWidget(parent);
  w->setFixedHeight(9);
  auto* column = new QVBoxLayout(w);
  column->setContentsMargins(0, 4, 0, 4);
  auto* line = new QWidget(w);
  line->setFixedHeight(1);
  line->setStyleSheet(QStringLiteral("background: #343434"));
  column->addWidget(line);
  return w;
}

QWidget* sectionHead(QWidget* parent, const QString& title, const QString& action, const std::function<void()>& run) {
  auto* w = new QWidget(parent);
  auto* row = new QHBoxLayout(w);
  row->setContentsMargins(0, 4, 0, 2);
  auto* label = new QLabel(title, w);
  label->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  label->setFont(theme::font(12, 600));
  label->setStyleSheet(QStringLiteral("color: #b5b0a7"));
  row->addWidget(label, 1);
  if (!action.isEmpty()) {
    auto* b = flatButton(w, action, {}, "accent");
    b->setStyleSheet(QStringLiteral("QToolButton { padding: 1px 0; font-weight: 500; }"));
    QObject::connect(
        b, &QToolButton::clicked, w, [run] { run(); }, Qt::QueuedConnection);
    row->addWidget(b);
  }
  return w;
}

SettingsPanel::SettingsPanel(Studio& studio, QWidget* parent) : QScrollArea(parent), m_studio(studio) {
  setWidgetResizable(true);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setFrameShape(QFrame::NoFrame);
  connect(&studio, &Studio::documentChanged, this, [this] {
    if (shape() == m_shape)
      refresh();
    else
      rebuild();
  });
  connect(&studio, &Studio::selectionChanged, this, &SettingsPanel::rebuild);
  connect(&studio, &Studio::imageArrived, this, [this] {
    if (shape() != m_shape) rebuild();
  });
  connect(&studio, &Studio::pickingChanged, this, &SettingsPanel::rebuild);
  rebuild();
}

void SettingsPanel::setSubject(bool pinned, NodeId thing) {
  if (m_pinned == pinned && m_subject == thing) return;
  m_pinned = pinned;
  m_subject = thing;
  rebuild();
}

void SettingsPanel::reveal(NodeId part) {
  // Once the rows have their places.
  QTimer::singleShot(0, this, [this, part] {
    for (CurveField* f : widget()->findChildren<CurveField*>())
      if (f->reveal(part)) return verticalScrollBar()->setValue(f->mapTo(widget(), QPoint()).y() - 40);
    for (ParamRow* r : widget()->findChildren<ParamRow*>())
      if (r->address().node == part) return ensureWidgetVisible(r, 0, 80);
  });
}

ParamRow* SettingsPanel::row(NodeId node, const std::string& param) const {
  for (ParamRow* r : widget()->findChildren<ParamRow*>())
    if (r->address().node == node && r->address().param == param) return r;
  return nullptr;
}

// Everything that decides which rows there are.
std::string SettingsPanel::shape() const {
  const Node* n = subject();
  if (!n) return "none";
  std::string s = fmt::format("{}:{}", n->id, n->name);
  for (const ParamDef& d : n->kind->params)
    if (!d.onlyIf.empty()) s += counts(*n, d, m_studio.frame()) ? '1' : '0';
  for (const auto& [slot, list] : n->children)
    if (const ChildSlot* def = n->kind->slot(slot);
        def && !accepted(def->accepts, "object.group") && !isCurve(*def)) // a curve's field keeps up by itself
      for (const NodeId c : list) {
        const Node* child = m_studio.doc().find(c);
        s += fmt::format(",{}", c);
        if (child && child->kind->param("on")) s += Params(*child, m_studio.frame()).flag("on") ? "+" : "-";
        for (const Finding& f : findingsOf(c)) s += "!" + f.text;
      }
  for (const Finding& f : findingsOf(n->id)) s += "!" + f.text;
  if (const MaterialPreset* p = presetOf(m_studio.doc(), n->id)) s += "=" + p->name;
  for (const Node* l : pictureLayersOf(m_studio.doc(), n->id)) s += fmt::format("~{}:{}", l->id, l->name);
  if (n->kind->family() == "effect") {
    s += m_studio.picking().role.toStdString();
    for (const Role& r : effectKind(*n)->roles)
      for (const NodeId id : roleOf(m_studio.doc(), *n, r.param)) {
        const Node* t = m_studio.doc().find(id);
        s += fmt::format("|{}:{}", id, t ? t->name : "");
        if (t)
          for (const ParamDef& d : t->kind->params)
            if (!d.onlyIf.empty()) s += counts(*t, d, m_studio.frame()) ? '1' : '0';
        if (t && t->kind->param("material")) {
          const NodeId material = Params(*t, 0).reference("material").target;
          const Node* m = m_studio.doc().find(material);
          s += fmt::format("({}{})", material, m ? m->name : "");
          if (const auto with = Params(*t, 0).reference("material").with)
            for (const auto& [input, value] : *with) s += input;
        }
      }
  }
  return s;
}

void SettingsPanel::refresh() {
  for (ParamRow* r : widget()->findChildren<ParamRow*>()) r->refresh();
}

void SettingsPanel::rebuild() {
  m_shape = shape();
  const int scroll = verticalScrollBar()->value();
  auto* page = new QWidget;
  page->setAutoFillBackground(true);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(12, 8, 12, 12);
  column->setSpacing(0);
  const Node* n = subject();
  const auto title = [&](const QString& name, const QString& about) {
    auto* label = new QLabel(name, page);
    label->setFont(theme::font(15, 600));
    label->setWordWrap(true);
    column->addWidget(label);
    auto* text = new QLabel(about, page);
    text->setWordWrap(true);
    text->setStyleSheet(QStringLiteral("color: #9a968f"));
    column->addWidget(text);
    column->addWidget(rule(page));
  };
  if (m_pinned) {
    if (n) buildThing(page, *n);
  } else if (!n) {
    title(tr("Nothing is selected"),
          tr("Click something in the picture or in a list. What belongs to the picture as a whole is here:"));
    buildThing(page, m_studio.doc().settings());
  } else if (n->kind->family() == "effect") {
    title(qs(n->name), qs(n->kind->helpText));
    buildEffect(page, *n);
  } else {
    title(qs(n->name), qs(n->kind->helpText));
    buildThing(page, *n);
  }
  column->addStretch(1);
  // The old page goes later: one of its widgets may have sent the signal that led here.
  if (QWidget* old = takeWidget()) old->deleteLater();
  setWidget(page);
  verticalScrollBar()->setValue(scroll);
}

std::vector<Finding> SettingsPanel::findingsOf(NodeId thing) const {
  std::vector<Finding> out;
  const auto& image = m_studio.image();
  // Those of an older document are not about this one.
  if (!image || image->edition != m_studio.edition() || !image->findings)
    return m_found.thing == thing ? m_found.list : out;
  for (const Finding& f : *image->findings)
    if (f.thing == thing) out.push_back(f);
  m_found = {thing, out};
  return out;
}

void SettingsPanel::buildFindings(QWidget* page, const Node& n, const std::string& param) {
  for (const Finding& f : findingsOf(n.id)) {
    if (f.param != param) continue;
    auto* text = new QLabel(qs(f.text), page);
    text->setWordWrap(true);
    text->setStyleSheet(f.weight == Finding::Weight::Broken ? QStringLiteral("color: #e07882")
                        : f.weight == Finding::Weight::Weak ? QStringLiteral("color: #e3a24a")
                                                            : QStringLiteral("color: #9a968f"));
    page->layout()->addWidget(text);
    for (const Mend& m : f.mends) {
      auto* b = flatButton(page, qs(m.text), tr("Does it; undo takes it back"), "accent");
      b->setObjectName(QStringLiteral("mend"));
      b->setStyleSheet(QStringLiteral("QToolButton { padding: 1px 0 5px 0; font-weight: 500; }"));
      connect(
          b, &QToolButton::clicked, this,
          [this, m] { m_studio.edit(qs(m.text), [&](const Document& d) { return applyMend(d, m); }); },
          Qt::QueuedConnection);
      page->layout()->addWidget(b);
      page->layout()->setAlignment(b, Qt::AlignLeft);
    }
  }
}

bool SettingsPanel::takeMaterial(const QString& path) {
  const NodeId made = MaterialLibrary::take(m_studio, path);
  if (made) m_studio.select({made});
  return made != 0;
}

void SettingsPanel::buildMatter(QWidget* page, const Node& material) {
  const NodeId id = material.id;
  const MaterialPreset* is = presetOf(m_studio.doc(), id);
  auto* w = new QWidget(page);
  auto* row = new QHBoxLayout(w);
  row->setContentsMargins(0, 4, 0, 4);
  row->setSpacing(10);
  auto* picture = new QLabel(w);
  picture->setFixedSize(Studio::swatchSize, Studio::swatchSize);
  picture->setStyleSheet(QStringLiteral("background: #1b1b1b"));
  picture->setAccessibleName(tr("Picture of the material"));
  row->addWidget(picture);
  auto* side = new QVBoxLayout;
  side->setSpacing(2);
  auto* label = new QLabel(is ? qs(is->name) : tr("A material of its own"), w);
  label->setWordWrap(true);
  side->addWidget(label);
  const auto action = [&](const QString& text, const QString& help, const char* name, std::function<void()> run) {
    auto* b = flatButton(w, text, help, "accent");
    b->setObjectName(QLatin1String(name));
    b->setStyleSheet(QStringLiteral("QToolButton { padding: 1px 0; font-weight: 500; }"));
    connect(b, &QToolButton::clicked, this, std::move(run), Qt::QueuedConnection);
    side->addWidget(b, 0, Qt::AlignLeft);
  };
  action(tr("Make it of…"), tr("Water, glass, jade, brass, velvet… each shown in the light of this scene"), "matter",
         [this, id] {
           auto* gallery = new MatterGallery(m_studio, id, this);
           gallery->setAttribute(Qt::WA_DeleteOnClose);
           gallery->open();
         });
  action(tr("Keep in the library"), tr("Writes it into your library of materials (Scene · Materials)"), "keep_library",
         [this, id] { MaterialLibrary::keep(m_studio, id); });
  action(tr("Keep as a file…"), tr("Writes the material and what it uses, to be taken into other scenes"),
         "keep_material", [this, id] {
           const Node* n = m_studio.doc().find(id);
           if (!n) return;
           const QString f = QFileDialog::getSaveFileName(
               this, tr("Keep the material"), qs(n->name) + QStringLiteral(".ilum"), tr("Ilumbra materials (*.ilum)"));
           if (f.isEmpty()) return;
           try {
             writeDocument(cutting(m_studio.doc(), id),
                           (f.endsWith(QStringLiteral(".ilum")) ? f : f + QStringLiteral(".ilum")).toStdString());
             m_studio.tell(tr("Kept %1").arg(f));
           } catch (const Error& e) {
             m_studio.tell(qs(std::string(e.what())), true);
           }
         });
  action(tr("Take in a file…"), tr("Adds the material of a file to this set, with what it uses"), "take_material",
         [this] {
           const QString f =
               QFileDialog::getOpenFileName(this, tr("Take in a material"), {}, tr("Ilumbra materials (*.ilum)"));
           if (!f.isEmpty()) takeMaterial(f);
         });
  side->addStretch(1);
  row->addLayout(side, 1);
  page->layout()->addWidget(w);
  const QString key = QStringLiteral("material %1").arg(id);
  connect(&m_studio, &Studio::swatchArrived, picture, [picture, key](const QString& k, const QPixmap& p) {
    if (k == key) picture->setPixmap(p);
  });
  // A swatch is made when the hand rests: while it drags, the picture has the machine.
  auto* rest = new QTimer(picture);
  rest->setSingleShot(true);
  rest->setInterval(400);
  connect(rest, &QTimer::timeout, this, [this, id, key] { // of this panel: its old pages may outlive it for a moment
    if (m_studio.doc().find(id)) m_studio.askForSwatch(key, id);
  });
  connect(&m_studio, &Studio::documentChanged, rest, qOverload<>(&QTimer::start));
  m_studio.askForSwatch(key, id);
}

void SettingsPanel::buildThing(QWidget* page, const Node& n) {
  auto* column = page->layout();
  if (n.kind->id == "material.surface") buildMatter(page, n);
  buildFindings(page, n, "");
  // What stands in no group comes first, then what shapes the thing, then its groups, each once and under its head.
  std::vector<std::string> groups{""};
  for (const ParamDef& d : n.kind->params)
    if (std::find(groups.begin(), groups.end(), d.group) == groups.end() && counts(n, d, m_studio.frame()))
      groups.push_back(d.group);
  for (const std::string& group : groups) {
    if (!group.empty()) {
      column->addWidget(rule(page));
      column->addWidget(sectionHead(page, qs(group), {}, {}));
    }
    for (const ParamDef& d : n.kind->params) {
      if (d.group != group || !counts(n, d, m_studio.frame())) continue;
      if (m_pinned && d.name == "on") continue; // whoever shows it has a switch
      column->addWidget(makeParamRow(m_studio, {n.id, d.name, 0, {}}, page));
      buildFindings(page, n, d.name);
      // The object's material, one click away.
      if (d.name == "material")
        if (const Node* m = m_studio.doc().find(Params(n, 0).reference("material").target))
          column->addWidget(
              sectionHead(page, {}, tr("go to %1").arg(qs(m->name)), [this, id = m->id] { m_studio.select({id}); }));
    }
    if (group.empty() && n.kind->family() == "object") buildSlots(page, n);
    if (group.empty()) buildCurves(page, n);
    if (group.empty() && n.kind->id == "plate.picture" && Params(n, m_studio.frame()).text("shows") == "picture")
      buildPictureLayers(page, n);
  }
  if (n.kind->family() != "object") buildSlots(page, n);
}

void SettingsPanel::buildEffect(QWidget* page, const Node& n) {
  auto* column = page->layout();
  const Document& doc = m_studio.doc();
  const NodeId effect = n.id;
  column->addWidget(makeParamRow(m_studio, {effect, "on", 0, {}}, page));
  for (const Role& role : effectKind(n)->roles) {
    const std::string roleParam = role.param;
    auto* head = new DropZone(
        [this, effect, roleParam](const std::vector<NodeId>& things) {
          QMetaObject::invokeMethod(
              this,
              [this, effect, roleParam, things] {
                std::vector<NodeId> fit;
                for (const NodeId id : things) {
                  const Node* t = m_studio.doc().find(id);
                  const Node* e = m_studio.doc().find(effect);
                  if (!t || !e) continue;
                  if (accepted(e->kind->param(roleParam)->accepts, t->kind->id))
                    fit.push_back(id);
                  else
                    m_studio.tell(
                        tr("%1 is a %2, which does not go here").arg(qs(t->name), qs(t->kind->label).toLower()), true);
                }
                if (!fit.empty())
                  m_studio.edit(tr("Put into %1").arg(qs(roleParam)),
                                [&](const Document& d) { return fillRoles(d, effect, fit); });
              },
              Qt::QueuedConnection);
        },
        page);
    head->setObjectName(QStringLiteral("role ") + qs(role.param));
    auto* row = new QHBoxLayout(head);
    row->setContentsMargins(0, 4, 0, 2);
    auto* label = new QLabel(qs(role.label), head);
    label->setFixedWidth(52);
    label->setStyleSheet(QStringLiteral("color: #9a968f"));
    row->addWidget(label, 0, Qt::AlignTop);
    auto* chips = new QWidget(head);
    auto* flow = new FlowLayout(chips);
    for (const NodeId id : roleOf(doc, n, role.param)) {
      const Node* t = doc.find(id);
      if (!t) continue;
      auto* chip =
          flatButton(chips, fontMetrics().elidedText(qs(t->name), Qt::ElideMiddle, 140) + QStringLiteral("  ×"),
                     tr("Takes %1 out of %2").arg(qs(t->name), qs(role.label)));
      chip->setStyleSheet(QStringLiteral("QToolButton { background: #303030; color: #e9e4db; padding: 3px 8px; }"));
      const std::string param = role.param;
      connect(
          chip, &QToolButton::clicked, this,
          [this, effect, param, id] {
            m_studio.edit(tr("Take out of %1").arg(qs(param)),
                          [&](const Document& d) { return leaveRole(d, effect, param, id); });
          },
          Qt::QueuedConnection);
      flow->addWidget(chip);
    }
    const bool armed = m_studio.picking().effect == effect && m_studio.picking().role == qs(role.param);
    auto* add = flatButton(chips,
                           armed           ? tr("click it in the picture or a list…")
                           : flow->count() ? QStringLiteral("+")
                                           : tr("+ %1").arg(qs(role.teaches)),
                           tr("Arms picking: the next click fills %1").arg(qs(role.label)), "accent");
    // Never wider than its column: the whole sentence is in the tip.
    constexpr int widest = 168;
    const QString whole = add->text(), fits = add->fontMetrics().elidedText(whole, Qt::ElideRight, widest);
    if (fits != whole) {
      add->setText(fits);
      add->setToolTip(QStringLiteral("%1\n%2").arg(whole, add->toolTip()));
    }
    const QString param = qs(role.param);
    connect(
        add, &QToolButton::clicked, this,
        [this, effect, param, armed] {
          m_studio.setPicking(armed ? Studio::Picking{} : Studio::Picking{effect, param});
        },
        Qt::QueuedConnection);
    flow->addWidget(add);
    row->addWidget(chips, 1);
    column->addWidget(head);
  }
  // What the effect itself says: what matters most here, the rest below what takes part.
  const auto ownRows = [&](bool major, const QString& title) {
    bool first = true;
    for (const ParamDef& d : n.kind->params) {
      const std::vector<Role>& roles = effectKind(n)->roles;
      if (d.name == "on" || std::any_of(roles.begin(), roles.end(), [&](const Role& r) { return r.param == d.name; }) ||
          d.major != major || !counts(n, d, m_studio.frame()))
        continue;
      if (first) {
        column->addWidget(rule(page));
        if (!title.isEmpty()) column->addWidget(sectionHead(page, title, {}, {}));
      }
      first = false;
      column->addWidget(makeParamRow(m_studio, {effect, d.name, 0, {}}, page));
    }
  };
  ownRows(true, {});
  // By thing: what matters most.
  // What a use of a shared material sets for itself is edited there; all else on the material.
  const auto addressOf = [&](const Node& t, const std::string& param, NodeId user) -> Address {
    if (const Node* u = doc.find(user)) {
      const Reference use = Params(*u, 0).reference("material");
      if (use.with)
        for (const auto& [input, value] : *use.with)
          if (input == param || (t.inputs.count(input) && t.inputs.at(input) == param))
            return {user, "material", 0, input};
    }
    return {t.id, param, 0, {}};
  };
  const auto section = [&](const Node& t, const QString& title, const QString& link, NodeId linked, NodeId user = 0) {
    bool any = false;
    for (const ParamDef& d : t.kind->params) any |= d.major;
    if (!any) return;
    column->addWidget(rule(page));
    column->addWidget(sectionHead(page, title, link, [this, linked] { m_studio.select({linked}); }));
    for (const ParamDef& d : t.kind->params)
      if (d.major && counts(t, d, m_studio.frame()))
        column->addWidget(makeParamRow(m_studio, addressOf(t, d.name, user), page));
  };
  std::vector<NodeId> shown;
  for (const Role& role : effectKind(n)->roles)
    for (const NodeId id : roleOf(doc, n, role.param)) {
      const Node* t = doc.find(id);
      if (!t || std::find(shown.begin(), shown.end(), id) != shown.end()) continue;
      shown.push_back(id);
      if (t->kind->param("material")) {
        const Node* m = doc.find(Params(*t, 0).reference("material").target);
        if (m && std::find(shown.begin(), shown.end(), m->id) == shown.end()) {
          shown.push_back(m->id);
          section(*m, qs(t->name), tr("material: %1").arg(qs(m->name)), m->id, t->id);
        }
        section(*t, qs(t->name) + tr(" · form"), tr("all"), t->id);
      } else {
        section(*t, qs(t->name), tr("all"), t->id);
      }
    }
  ownRows(false, tr("%1 · more").arg(qs(n.kind->label)));
}

} // namespace ilumbra
