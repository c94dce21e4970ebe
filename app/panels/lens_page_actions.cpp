// What is done with the stages of the lens page: adding, moving, switching, keeping.
#include "app/panels/lens_page.h"

#include "app/panels/looks_gallery.h"
#include "app/theme.h"
#include "core/base/error.h"
#include "core/document/file.h"
#include "core/lens/develop.h"
#include "core/lens/preset.h"
#include "core/lens/queries.h"

#include <cctype>
#include <QFileDialog>
#include <QPointer>

namespace ilumbra {

Document addStage(const Document& doc, const std::string& kind, const std::vector<NodeId>& selected, NodeId* made) {
  const std::string label = doc.kinds().find(kind)->label;
  // What is selected gives the light: an effect all that is in its From, else the lamps and things themselves.
  const Node* effect = nullptr;
  std::vector<Reference> sources;
  std::string name;
  for (const NodeId id : selected) {
    const Node* n = doc.find(id);
    if (!n) continue;
    if (n->kind->family() == "effect") effect = n;
    if (!accepted(doc.kinds().find(kind)->param("sources")->accepts, n->kind->id)) continue;
    if (name.empty()) name = n->name;
    sources.push_back({id, nullptr});
  }
  if (effect) {
    sources = {{effect->id, nullptr}};
    name = effect->name;
    if (effect->kind->param("from"))
      if (const auto from = Params(*effect, 0).references("from"); !from.empty())
        if (const Node* n = doc.find(from.front().target)) name = n->name;
  }
  NodeId id = 0;
  std::string lower = label;
  lower[0] = char(std::tolower(static_cast<unsigned char>(lower[0])));
  // "Lamp 3 streaks": what it is, of what; without a source its own name.
  Document out = addNode(doc, kind,
                         name.empty()                                                          ? ""
                         : effect && name.size() > lower.size() && name.ends_with(" " + lower) ? name
                                                                                               : name + " " + lower,
                         {}, &id);
  if (made) *made = id;
  if (!sources.empty() && out.find(id)->kind->param("sources")) out = setValue(out, id, "sources", Constant(sources));
  if (!effect || !effect->kind->param("lens")) return out;
  std::vector<Reference> stages = Params(*effect, 0).references("lens");
  stages.push_back({id, nullptr});
  return setValue(out, effect->id, "lens", Constant(stages));
}

void LensPage::addStageFor(const QString& kind) {
  NodeId made = 0;
  const uint64_t gesture = m_studio.newGesture();
  m_studio.edit(
      tr("Add %1").arg(qs(m_studio.kinds()->find(kind.toStdString())->label)),
      [&](const Document& d) { return addStage(d, kind.toStdString(), m_studio.selection(), &made); }, gesture);
  if (!made) return;
  show(made);
  fitAmount(made, gesture);
}

void LensPage::fitAmount(NodeId stage, uint64_t gesture) {
  const double before = Params(*m_studio.doc().find(stage), m_studio.frame()).number("amount");
  m_studio.session().run([self = QPointer<LensPage>(this), send = m_studio.sender(), assets = m_studio.assets(), stage,
                          before, gesture](const Session::State* state, const std::string&) mutable {
    if (!state || !state->doc.find(stage)) return;
    try {
      const FileAssets files = assets.assets(state->doc.folder(), &state->leaving);
      const auto amount =
          fittingAmount(state->doc, stage, currentFrame(state->doc), state->rendering.scene(), state->rendering.film(),
                        state->groupScales, state->tasks, {.assets = &files, .cancel = &state->leaving});
      if (!amount) return;
      send([self, stage, before, amount = *amount, gesture] {
        const Node* n = self ? self->m_studio.doc().find(stage) : nullptr;
        // What was set meanwhile stays.
        if (!n || Params(*n, self->m_studio.frame()).number("amount") != before) return;
        self->m_studio.edit(
            tr("Amount of %1").arg(qs(n->name)),
            [&](const Document& d) {
              return setNow(d, {stage, "amount", 0, {}}, Constant(amount));
            },
            gesture);
        self->m_studio.tell(tr("%1: the amount fits the light that is there").arg(qs(n->name)));
      });
    } catch (const Error&) {
      // The picture itself tells.
    }
  });
}

void LensPage::move(int by) {
  std::vector<NodeId> order;
  for (const Node* n : lensStages(m_studio.doc())) order.push_back(n->id);
  const auto at = std::find(order.begin(), order.end(), m_open) - order.begin(), to = at + by;
  if (at >= std::ssize(order) || to < 0 || to >= std::ssize(order)) return;
  std::swap(order[size_t(at)], order[size_t(to)]);
  m_studio.edit(tr("Change the order of the lens"), [&](const Document& d) { return inOrder(d, order); });
}

void LensPage::switchOpen() {
  const Node* n = m_studio.doc().find(m_open);
  if (!n) return;
  const bool on = Params(*n, m_studio.frame()).flag("on");
  m_studio.edit(tr("Switch %1").arg(qs(n->name)), [&](const Document& d) {
    return setNow(d, {m_open, "on", 0, {}}, Constant(!on));
  });
}

void LensPage::soloOpen() {
  if (!m_open) return;
  Studio::View v = m_studio.view();
  v.soloStage = v.soloStage == m_open ? 0 : m_open;
  v.lastStage = 0;
  m_studio.setView(v);
}

void LensPage::beforeOpen() {
  if (!m_open) return;
  Studio::View v = m_studio.view();
  const bool shown = v.lastStage == m_open && v.beforeStage;
  v.lastStage = shown ? 0 : m_open;
  v.beforeStage = !shown;
  v.soloStage = 0;
  m_studio.setView(v);
}

void LensPage::copyOpen() {
  NodeId made = 0;
  if (m_open) m_studio.edit(tr("Copy a lens stage"), [&](const Document& d) { return duplicate(d, m_open, &made); });
  if (made) show(made);
}

void LensPage::removeOpen() {
  const Node* n = m_studio.doc().find(m_open);
  if (n) m_studio.edit(tr("Delete %1").arg(qs(n->name)), [&](const Document& d) { return removeNode(d, m_open); });
}

void LensPage::keepBothOrders() {
  const std::vector<const Node*> stages = lensStages(m_studio.doc());
  const auto open = std::find_if(stages.begin(), stages.end(), [&](const Node* n) { return n->id == m_open; });
  if (open == stages.end()) return;
  if (stages.size() < 2) return m_studio.tell(tr("There is one stage only: it has no order"), true);
  Studio::View v = m_studio.view();
  v.soloStage = v.lastStage = 0; // of the whole stack
  m_studio.setView(v);
  const bool last = open + 1 == stages.end();
  const QString one = qs((last ? *(open - 1) : *open)->name), two = qs((last ? *open : *(open + 1))->name),
                order = tr("%1, then %2");
  m_studio.whenShown([this, one, two, order, last] {
    if (!m_studio.keep(order.arg(one, two))) return;
    const int first = m_studio.proofs().back()->number;
    move(last ? -1 : 1);
    m_studio.whenShown([this, one, two, order, first] {
      if (!m_studio.proof(first) || !m_studio.keep(order.arg(two, one))) return;
      Studio::View wipe = m_studio.view();
      wipe.compare = Compare::Wipe;
      wipe.proof = first;
      wipe.left = 0;
      m_studio.setView(wipe);
    });
  });
}

void LensPage::looks() {
  if (!m_open) return;
  auto* gallery = LooksGallery::ofStage(m_studio, m_open, this);
  gallery->setAttribute(Qt::WA_DeleteOnClose);
  gallery->open();
}

void LensPage::keepPreset() {
  const Node* n = m_studio.doc().find(m_open);
  if (!n) return;
  QString f = QFileDialog::getSaveFileName(this, tr("Keep as a preset"), qs(n->name) + QStringLiteral(".ilum"),
                                           tr("Ilumbra (*.ilum)"));
  if (f.isEmpty()) return;
  if (!f.endsWith(QStringLiteral(".ilum"))) f += QStringLiteral(".ilum");
  try {
    writeDocument(stagePreset(m_studio.doc(), m_open), f.toStdString());
    m_studio.tell(tr("Kept %1").arg(f));
  } catch (const Error& e) {
    m_studio.tell(qs(std::string(e.what())), true);
  }
}

void LensPage::takePreset() {
  if (!m_open) return;
  const QString f = QFileDialog::getOpenFileName(this, tr("Set from a preset"), {}, tr("Ilumbra (*.ilum)"));
  if (f.isEmpty()) return;
  m_studio.edit(tr("Set from a preset"), [&](const Document& d) {
    return withPreset(d, m_open, readDocument(m_studio.kinds(), f.toStdString()));
  });
}

bool LensPage::takePreset(const QString& path) {
  std::vector<NodeId> made;
  const bool done = m_studio.edit(tr("Take in lens stages"), [&](const Document& d) {
    return addPreset(d, readDocument(m_studio.kinds(), path.toStdString()), &made);
  });
  if (done && !made.empty()) show(made.back());
  return done;
}

} // namespace ilumbra
