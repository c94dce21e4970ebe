#include "app/studio.h"

#include "core/base/error.h"
#include "core/display/view.h"
#include "core/document/file.h"
#include "core/document/key_edit.h"
#include "core/effects/softbox.h"
#include "core/kinds.h"
#include "core/placing/select.h"
#include "core/surface/presets.h"

#include <QMetaObject>
#include <QPointer>
#include <thread>

namespace ilumbra {

Studio::Studio(int threads)
    : m_kinds(allKinds()), m_assets(std::make_shared<AssetCache>()), m_views(std::make_shared<const ColorViews>()),
      m_history(Document::create(m_kinds)), m_saved(m_history.current()) {
  m_session = std::make_unique<Session>(
      m_assets, m_views,
      [this, send = sender()](std::shared_ptr<const SessionImage> image) {
        send([this, image] {
          m_image = image;
          Q_EMIT imageArrived();
        });
      },
      threads);
  connect(&m_background, &Background::changed, this, &Studio::backgroundChanged);
  connect(&m_background, &Background::told, this, &Studio::told);
  submit();
}

Studio::~Studio() = default;

bool Studio::end() { return m_background.end(); }

void Studio::submit() {
  SessionRequest r{.doc = doc()};
  r.effect = effect();
  r.paused = m_view.paused;
  r.withLens = m_view.withLens;
  r.raw = m_view.raw;
  r.soloStage = m_view.soloStage && doc().find(m_view.soloStage) ? m_view.soloStage : 0;
  r.lastStage = m_view.lastStage && doc().find(m_view.lastStage) ? m_view.lastStage : 0;
  r.beforeStage = m_view.beforeStage;
  r.stages = m_view.stages;
  r.pass = m_view.pass;
  r.stopsOverlay = m_view.stopsOverlay;
  r.clipping = m_view.clipping;
  r.viewStops = m_view.stops;
  r.region = m_view.region;
  r.proof = proof(m_view.proof);
  r.left = proof(m_view.left);
  r.compare = r.proof ? m_view.compare : Compare::None;
  r.playing = m_view.playing;
  r.ahead = m_view.ahead;
  std::tie(r.firstFrame, r.lastFrame) = playRange();
  r.groups = m_view.groups;
  m_edition = m_session->submit(std::move(r));
}

std::pair<double, double> Studio::playRange() const {
  if (m_view.playLast >= m_view.playFirst) return {m_view.playFirst, m_view.playLast};
  const Params s = settingsOf(doc());
  const double first = s.number("first_frame");
  return {first, std::max(first, s.number("last_frame"))};
}

SwatchMaker& Studio::swatchMaker() {
  if (!m_swatchMaker)
    m_swatchMaker = std::make_unique<SwatchMaker>(
        m_assets, m_views, [this, send = sender()](std::shared_ptr<const SwatchMaker::Swatch> s) {
          send([this, s] {
            if (!s->error.empty()) {
              Q_EMIT swatchFailed(qs(s->key), qs(s->error));
              return;
            }
            const QImage image(s->rgba.data(), s->size, s->size, QImage::Format_RGBX8888);
            Q_EMIT swatchArrived(qs(s->key), QPixmap::fromImage(image.copy()));
          });
        });
  return *m_swatchMaker;
}

void Studio::askForSwatch(const QString& key, NodeId material, const MaterialPreset* as) {
  askForSwatch(key, [material, as](const Document& now, NodeId& shown) {
    shown = material;
    return as ? applyPreset(now, material, *as) : now;
  });
}

void Studio::askForSwatch(const QString& key, std::function<Document(const Document&, NodeId&)> put) {
  const ScenePtr scene = m_session->scene();
  swatchMaker().ask(
      key.toStdString(),
      [now = doc(), framed = scene ? scene->bounds : Box3f(), put = std::move(put)] {
        NodeId material = 0;
        const Document with = put(now, material);
        return swatchSet(with, framed, material);
      },
      swatchSize);
}

void Studio::preferSwatches(const std::vector<std::string>& keys) {
  if (m_swatchMaker) m_swatchMaker->prefer(keys);
}

void Studio::changed() {
  cleanSelection();
  submit();
  Q_EMIT documentChanged();
}

bool Studio::edit(const QString& label, const std::function<Document(const Document&)>& change, uint64_t gesture) {
  try {
    Document next = change(doc());
    if (next == doc()) return true;
    if (next == atFrame(doc(), currentFrame(next))) { // typed, played or stepped
      setFrame(currentFrame(next));
      return true;
    }
    if (m_keyFrom && *m_keyFrom != frame()) {
      std::vector<Address> keyed;
      next = keyedChanges(doc(), next, *m_keyFrom, &keyed);
      if (!keyed.empty())
        tell(tr("Keyed at frames %1 and %2: %3")
                 .arg(*m_keyFrom)
                 .arg(frame())
                 .arg(keyed.size() == 1 ? qs(addressText(next, keyed.front()))
                                        : tr("%n value(s)", nullptr, int(keyed.size()))));
    }
    m_history.commit(std::move(next), label.toStdString(), gesture);
  } catch (const Error& e) {
    tell(qs(std::string(e.what())), true);
    return false;
  }
  changed();
  return true;
}

void Studio::setKeyChanges(bool on) {
  if (on == keyChanges()) return;
  m_keyFrom = on ? std::optional(frame()) : std::nullopt;
  tell(on ? tr("What you change at another frame than %1 is keyed from now on").arg(frame())
          : tr("Changes are not keyed any more"));
  Q_EMIT viewChanged();
}

void Studio::undo() {
  if (!m_history.canUndo()) return;
  const QString label = qs(m_history.undoLabel());
  const double at = frame();
  m_history.undo();
  keepFrame(at);
  changed();
  tell(tr("Undone: %1").arg(label));
}

void Studio::redo() {
  if (!m_history.canRedo()) return;
  const QString label = qs(m_history.redoLabel());
  const double at = frame();
  m_history.redo();
  keepFrame(at);
  changed();
  tell(tr("Done again: %1").arg(label));
}

void Studio::setFrame(double frame) {
  const ParamDef& d = *doc().settings().kind->param("frame");
  frame = std::clamp(frame, d.hardMin, d.hardMax);
  if (frame == this->frame()) return;
  m_frameMoved = true;
  keepFrame(frame);
  changed();
}

// The frame that is shown is the person's place in the document, not a state of it: all states have it.
void Studio::keepFrame(double frame) {
  if (!m_frameMoved) return;
  m_history.replaceCurrent(atFrame(doc(), frame));
  m_saved = atFrame(m_saved, frame);
}

bool Studio::modified() const { return !(doc() == m_saved); }

void Studio::open(const Document& document, const QString& path, ProofSet proofs) {
  m_history = History(document);
  m_saved = document;
  m_frameMoved = false;
  m_keyFrom.reset();
  m_path = path;
  m_selection.clear();
  m_lastEffect = 0;
  m_proofs = std::move(proofs.proofs);
  m_unreadProofs = std::move(proofs.unread);
  m_nextProof = proofs.next;
  m_parentProof = proofs.parent;
  m_view.compare = Compare::None;
  m_view.proof = m_view.left = 0;
  m_view.region = {};
  m_view.soloStage = 0;
  m_view.playing = m_view.ahead = false;
  m_view.playFirst = 1;
  m_view.playLast = 0;
  m_picking = {};
  // What is worth looking at first: the first effect.
  const auto effects = document.family("effect");
  if (!effects.empty()) m_selection = {effects.front()->id};
  submit();
  Q_EMIT fileChanged();
  Q_EMIT documentChanged();
  Q_EMIT selectionChanged();
  Q_EMIT proofsChanged();
  Q_EMIT viewChanged();
  Q_EMIT pickingChanged();
}

// The frame may have been moved while the file was written.
static Document atFrameOf(const Document& doc, const Document& other, bool moved) {
  return moved ? atFrame(doc, currentFrame(other)) : doc;
}

void Studio::markSaved(const Document& before, const Document& saved, const QString& path) {
  const bool elsewhere = saved.folder() != m_saved.folder();
  if (m_path != path) m_unreadProofs.clear(); // they stay where they are
  m_path = path;
  m_saved = atFrameOf(saved, doc(), m_frameMoved);
  // File names of proofs start from the same folder.
  if (elsewhere)
    for (auto& p : m_proofs) {
      Proof copy = *p;
      copy.doc = movedTo(copy.doc, saved.folder());
      p = std::make_shared<const Proof>(std::move(copy));
    }
  // File names inside were rewritten for the folder. What was edited meanwhile keeps its own and is rewritten next
  // time.
  if (atFrameOf(before, doc(), m_frameMoved) == doc()) {
    m_history.replaceCurrent(m_saved);
    Q_EMIT documentChanged();
  }
  Q_EMIT fileChanged();
}

void Studio::cleanSelection() {
  const auto gone = [&](NodeId id) { return !doc().find(id); };
  const size_t before = m_selection.size();
  std::erase_if(m_selection, gone);
  if (m_lastEffect && gone(m_lastEffect)) m_lastEffect = 0;
  if ((m_picking.effect && gone(m_picking.effect)) || (m_picking.panel && gone(m_picking.panel))) setPicking({});
  if (m_selection.size() != before) Q_EMIT selectionChanged();
}

void Studio::select(std::vector<NodeId> things) {
  std::erase_if(things, [&](NodeId id) { return !doc().find(id); });
  if (things == m_selection) return;
  const NodeId before = effect();
  m_selection = std::move(things);
  if (const Node* n = currentNode(); n && n->kind->family() == "effect") m_lastEffect = n->id;
  Q_EMIT selectionChanged();
  if (effect() != before) submit();
}

bool Studio::isSelected(NodeId id) const {
  return std::find(m_selection.begin(), m_selection.end(), id) != m_selection.end();
}

NodeId Studio::effect() const {
  if (const Node* n = currentNode(); n && n->kind->family() == "effect") return n->id;
  if (m_lastEffect && doc().find(m_lastEffect)) return m_lastEffect;
  const auto effects = doc().family("effect");
  return effects.empty() ? 0 : effects.front()->id;
}

void Studio::whenShown(std::function<void()> run) {
  if (m_image && m_image->edition == m_edition) return run();
  auto wait = std::make_shared<QMetaObject::Connection>();
  *wait = connect(this, &Studio::imageArrived, this, [this, wait, run = std::move(run)] {
    if (m_image->edition != m_edition) return;
    disconnect(*wait);
    run();
  });
}

bool Studio::keep(const QString& name) {
  if (!m_image || !m_image->linear) {
    tell(tr("There is no picture to keep yet"), true);
    return false;
  }
  const int number = m_nextProof++;
  const auto before = proof(m_parentProof);
  const QString named = !name.isEmpty() ? name : before ? qs(nameByChange(before->doc, m_image->doc)) : QString();
  m_proofs.push_back(std::make_shared<const Proof>(
      makeProof(number, (named.isEmpty() ? tr("Proof %1").arg(number) : named).toStdString(), m_image->doc,
                m_image->frame, m_image->light(), m_image->samples, m_parentProof)));
  m_parentProof = number;
  Q_EMIT proofsChanged();
  tell(named.isEmpty() ? tr("Kept as proof %1").arg(number) : tr("Kept as proof %1: %2").arg(number).arg(named));
  return true;
}

void Studio::refineProof(int number, uint32_t samples) {
  const auto p = proof(number);
  if (!p) return;
  background(tr("Proof %1 up to %n sample(s)", nullptr, int(samples)).arg(number),
             [this, p, samples, assets = *m_assets](const CancelFlag& cancel) mutable -> std::function<void()> {
               const Picture picture = renderProof(*p, samples, assets, cancel);
               return [this, p, picture, samples] {
                 for (auto& q : m_proofs)
                   if (q->number == p->number)
                     q = std::make_shared<const Proof>(
                         makeProof(p->number, q->name, p->doc, p->frame, picture, samples, p->parent));
                 Q_EMIT proofsChanged();
                 setView(m_view);
                 tell(tr("%1 has %n sample(s) now", nullptr, int(samples)).arg(qs(p->name)));
               };
             },
             {.lane = QStringLiteral("refine")});
}

std::shared_ptr<const Proof> Studio::proof(int number) const {
  for (const auto& p : m_proofs)
    if (p->number == number) return p;
  return nullptr;
}

void Studio::renameProof(int number, const QString& name) {
  for (auto& p : m_proofs)
    if (p->number == number && !name.trimmed().isEmpty()) {
      Proof copy = *p;
      copy.name = name.trimmed().toStdString();
      p = std::make_shared<const Proof>(std::move(copy));
    }
  Q_EMIT proofsChanged();
}

void Studio::deleteProof(int number) {
  std::erase_if(m_proofs, [&](const auto& p) { return p->number == number; });
  View v = m_view;
  if (v.proof == number) {
    v.proof = 0;
    v.compare = Compare::None;
  }
  if (v.left == number) v.left = 0;
  setView(v);
  Q_EMIT proofsChanged();
}

void Studio::goOnFrom(int number) {
  const auto p = proof(number);
  if (!p) return;
  if (edit(tr("Go on from %1").arg(qs(p->name)), [&](const Document&) { return p->doc; })) {
    m_parentProof = number;
    tell(tr("Going on from %1").arg(qs(p->name)));
  }
}

void Studio::setView(const View& view) {
  m_view = view;
  submit();
  Q_EMIT viewChanged();
}

void Studio::tell(const QString& text, bool trouble) { Q_EMIT told(text, trouble); }

void Studio::setPicking(const Picking& picking) {
  m_picking = picking;
  Q_EMIT pickingChanged();
}

bool Studio::offerPlace(const QPointF& pixel) {
  const NodeId panel = m_picking.panel;
  const Node* n = doc().find(panel);
  if (!n) return false;
  const ScenePtr scene = session().scene();
  if (!scene) return true;
  std::string why;
  const Document placed = placedPanel(doc(), panel, *scene, float(pixel.x()), float(pixel.y()), &why);
  if (!why.empty()) {
    tell(tr("%1 cannot be mirrored there: %2").arg(qs(n->name), qs(why)), true);
    return true;
  }
  const QString name = qs(n->name);
  setPicking({});
  if (edit(tr("Place %1 by its reflection").arg(name), [&](const Document&) { return placed; }))
    tell(tr("%1 is mirrored there now").arg(name));
  return true;
}

void Studio::offer(NodeId thing, bool extend, uint32_t copy) {
  if (m_picking.effect) {
    const Picking p = m_picking;
    const Node* n = doc().find(thing);
    const Node* effect = doc().find(p.effect);
    if (!n || !effect) return setPicking({});
    const ParamDef* d = effect->kind->param(p.role.toStdString());
    if (!accepted(d->accepts, n->kind->id)) {
      tell(tr("%1 is a %2, which does not go into %3").arg(qs(n->name), qs(n->kind->label).toLower(), qs(d->label)),
           true);
      return;
    }
    setPicking({});
    edit(tr("Put %1 into %2").arg(qs(n->name), qs(d->label)), [&](const Document& doc) {
      if (!copy || !accepted(d->accepts, "source.part"))
        return fillRoles(doc, p.effect, {thing}, nullptr, p.role.toStdString());
      NodeId part = 0;
      const Document with = withPart(doc, thing, copy, 0, &part);
      return fillRoles(with, p.effect, {part}, nullptr, p.role.toStdString());
    });
    return;
  }
  if (!extend) {
    select(thing ? std::vector<NodeId>{thing} : std::vector<NodeId>{});
    return;
  }
  std::vector<NodeId> all = m_selection;
  if (std::erase(all, thing) == 0) all.push_back(thing);
  select(all);
}

} // namespace ilumbra
