#include "app/panels/settings_panel.h"

#include "app/panels/curve_field.h"
#include "app/panels/picture_layers.h"

#include "app/dialogs/material_library.h"
#include "app/flow_layout.h"
#include "app/panels/key_menu.h"
#include "app/panels/material_gallery.h"
#include "app/panels/param_row.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "app/viewport/thing_drag.h"
#include "core/base/error.h"
#include "core/document/drawn_curve.h"
#include "core/document/file.h"
#include "core/document/inputs.h"
#include "core/document/transplant.h"
#include "core/placing/arrange.h"
#include "core/surface/presets.h"

#include <fmt/format.h>
#include <QApplication>
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
    fitText(b, action, 200);
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
    if (r->address().node == node && r->address().param == param && r->address().input.empty()) return r;
  return nullptr;
}

ParamRow* SettingsPanel::row(const Address& a) const {
  for (ParamRow* r : widget()->findChildren<ParamRow*>())
    if (r->address().node == a.node && r->address().param == a.param && r->address().index == a.index &&
        r->address().input == a.input)
      return r;
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
  for (const NamedInput& i : n->inputs) s += ";" + i.name;
  for (const auto& [param, value] : n->values)
    if (const Moved* moved = value.moved())
      for (const Mover& m : moved->movers) s += ">" + param + "." + m.kind;
  for (const ParamDef& d : n->kind->params) {
    const Address use{n->id, d.name, 0, {}};
    const Reference r = useAt(m_studio.doc(), use);
    if (!r.target) continue;
    s += fmt::format(":{}", r.target);
    for (const std::string& i : shownInputs(m_studio.doc(), use)) s += "," + i;
    if (r.with)
      for (const auto& [input, value] : *r.with) s += "=" + input;
  }
  if (const MaterialPreset* p = presetOf(m_studio.doc(), n->id)) s += "=" + p->name;
  for (const Node* l : pictureLayersOf(m_studio.doc(), n->id)) s += fmt::format("~{}:{}", l->id, l->name);
  if (n->kind->family() == "effect") {
    s += fmt::format("{}/{}", m_studio.picking().role.toStdString(), m_studio.picking().panel);
    for (const Role& r : effectKind(*n)->roles) {
      if (const Value* v = n->find(r.param)) s += keysText(*v, m_studio.frame()).toStdString();
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
  }
  return s;
}

void SettingsPanel::refresh() {
  for (ParamRow* r : widget()->findChildren<ParamRow*>()) {
    r->refresh();
    spokenChanged(r);
  }
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
  // Who works by keys stays on the same row.
  std::optional<Address> focused;
  for (QWidget* w = QApplication::focusWidget(); w && isAncestorOf(w) && !focused; w = w->parentWidget())
    if (const auto* r = qobject_cast<ParamRow*>(w)) focused = r->address();
  // The old page goes later: one of its widgets may have sent the signal that led here.
  if (QWidget* old = takeWidget()) old->deleteLater();
  setWidget(page);
  if (ParamRow* r = focused ? row(*focused) : nullptr) r->setFocus();
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
  if (!m_pinned) buildInputs(page, n);
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
      buildUsedInputs(page, {n.id, d.name, 0, {}});
      buildMovers(page, {n.id, d.name, 0, {}});
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

} // namespace ilumbra
