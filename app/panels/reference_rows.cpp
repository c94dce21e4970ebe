#include "app/panels/reference_rows.h"

#include "app/flow_layout.h"
#include "app/panels/input_menu.h"
#include "app/viewport/picture_bar.h"
#include "core/document/mover.h"
#include "core/document/units.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QToolButton>
#include <QVBoxLayout>

namespace ilumbra {

// A menu of the things that a reference may take, `except` apart; 0 if none was chosen.
static NodeId chooseThing(Studio& studio, const ParamDef& d, NodeId except, QWidget* parent, const QPoint& at,
                          bool none, bool* chosen) {
  QMenu m(parent);
  *chosen = false;
  if (none) m.addAction(QObject::tr("none"))->setData(0u);
  QString family;
  for (const Node* n : studio.doc().inOrder()) {
    if (n->id == except || !accepted(d.accepts, n->kind->id)) continue;
    if (const QString f = qs(n->kind->family()); f != family) {
      if (!m.isEmpty()) m.addSeparator();
      family = f;
    }
    m.addAction(qs(n->name))->setData(uint(n->id));
  }
  if (m.isEmpty()) m.addAction(QObject::tr("nothing fits here yet"))->setEnabled(false);
  const QAction* a = m.exec(at);
  if (!a || !a->data().isValid()) return 0;
  *chosen = true;
  return NodeId(a->data().toUInt());
}

ReferenceRow::ReferenceRow(Studio& s, const Address& a, QWidget* parent) : LineRow(s, a, parent) {
  m_button = new QToolButton(this);
  m_button->setProperty("class", "accent");
  m_button->setFocusPolicy(Qt::NoFocus);
  connect(m_button, &QToolButton::clicked, this, [this] { activate(); });
  m_layout->addWidget(m_button);
  refresh();
}

void ReferenceRow::refresh() {
  if (exists()) fitText(m_button, qs(formatValue(m_studio.doc(), def(), valueNow())), 150);
}

void ReferenceRow::activate() {
  QMenu m(this);
  const Value v = value();
  const Constant* c = v.constant();
  const Reference now = c && std::holds_alternative<Reference>(*c) ? std::get<Reference>(*c) : Reference{};
  const Node* target = m_studio.doc().find(now.target);
  QAction* go = target ? m.addAction(tr("Show %1").arg(qs(target->name))) : nullptr;
  const InputMenu inputs(m, m_studio, m_address);
  QAction* fresh = nullptr;
  if (def().accepts.size() == 1 && def().accepts[0] == "material.") fresh = m.addAction(tr("New material"));
  if (!m.isEmpty()) m.addSeparator();
  m.addAction(tr("none"))->setData(0u);
  for (const Node* n : m_studio.doc().inOrder())
    if (accepted(def().accepts, n->kind->id)) {
      QAction* a = m.addAction(qs(n->name));
      a->setData(uint(n->id));
      a->setCheckable(true);
      a->setChecked(n->id == now.target);
    }
  const QAction* a = m.exec(m_button->mapToGlobal(QPoint(0, m_button->height())));
  if (!a) return;
  if (a == go) return m_studio.select({now.target});
  if (inputs.chose(a, this)) return;
  if (a == fresh) {
    m_studio.edit(tr("New material"), [&](const Document& doc) {
      NodeId id = 0;
      const Document d = addNode(doc, "material.surface", doc.find(m_address.node)->name + " surface", {}, &id);
      return setAt(d, m_address, Constant(Reference{id, nullptr}));
    });
    return;
  }
  set(Reference{NodeId(a->data().toUInt()), nullptr});
}

void ReferencesRow::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Menu && hasFocus()) return menu(mapToGlobal(QPoint(20, 20)));
  QWidget::keyPressEvent(e);
}

ReferencesRow::ReferencesRow(Studio& s, const Address& a, QWidget* parent) : ParamRow(s, a, parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 2, 0, 6);
  column->setSpacing(4);
  m_label = new QLabel(label(), this);
  column->addWidget(m_label);
  m_chips = new QWidget(this);
  new FlowLayout(m_chips);
  column->addWidget(m_chips);
  refresh();
}

void ReferencesRow::refresh() {
  if (!exists()) return;
  // Later: one of them may be the sender of the click that led here.
  for (QWidget* w : m_chips->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly)) {
    m_chips->layout()->removeWidget(w);
    w->hide();
    w->deleteLater();
  }
  const QString driver = chip();
  m_label->setText(driver.isEmpty() ? label() : label() + QStringLiteral(" · ") + driver);
  // What is named at the frame at hand.
  const auto named = [this](const Document& doc) {
    const auto now = evaluate(valueAt(doc, m_address), def(), currentFrame(doc));
    const auto* refs = now ? std::get_if<std::vector<Reference>>(&*now) : nullptr;
    return refs ? *refs : std::vector<Reference>{};
  };
  const std::vector<Reference> list = named(m_studio.doc());
  const auto without = [this, named](NodeId id) {
    m_studio.edit(tr("Take out of %1").arg(qs(addressText(m_studio.doc(), m_address))), [&](const Document& doc) {
      std::vector<Reference> refs = named(doc);
      std::erase_if(refs, [&](const Reference& r) { return r.target == id; });
      return setNow(doc, m_address, Constant(refs));
    });
  };
  for (const Reference& r : list) {
    const Node* n = m_studio.doc().find(r.target);
    if (!n) continue;
    auto* chip = new QToolButton(m_chips);
    chip->setText(qs(n->name) + QStringLiteral("  ×"));
    chip->setToolTip(tr("Takes %1 out").arg(qs(n->name)));
    chip->setStyleSheet(QStringLiteral("QToolButton { background: #35423e; color: #e9e4db; padding: 3px 8px; }"));
    const NodeId id = n->id;
    connect(
        chip, &QToolButton::clicked, this, [without, id] { without(id); }, Qt::QueuedConnection);
    m_chips->layout()->addWidget(chip);
    chip->show();
  }
  auto* add = new QToolButton(m_chips);
  add->setText(list.empty() ? tr("+ all; choose") : QStringLiteral("+"));
  if (m_address.param != "sources") add->setText(list.empty() ? tr("+ choose") : QStringLiteral("+"));
  add->setProperty("class", "accent");
  connect(add, &QToolButton::clicked, this, [this, add, named] {
    bool chosen = false;
    const NodeId id =
        chooseThing(m_studio, def(), m_address.node, this, add->mapToGlobal(QPoint(0, add->height())), false, &chosen);
    if (!chosen) return;
    m_studio.edit(tr("Put into %1").arg(qs(addressText(m_studio.doc(), m_address))), [&](const Document& doc) {
      std::vector<Reference> refs = named(doc);
      if (std::none_of(refs.begin(), refs.end(), [&](const Reference& r) { return r.target == id; }))
        refs.push_back({id, nullptr});
      return setNow(doc, m_address, Constant(refs));
    });
  });
  m_chips->layout()->addWidget(add);
  add->show();
  m_chips->updateGeometry();
  updateGeometry();
}

} // namespace ilumbra
