// Rows of what plays by itself: movies, numbered sequences and clips, slid and stretched.
#include "app/drawer/motion_chart.h"

#include <QInputDialog>
#include <QMenu>

#include <cmath>

namespace ilumbra {

double MotionChart::roundOf(const Row& r) const {
  const Node* n = m_studio.doc().find(r.at.node);
  const double speed = n ? std::abs(Params(*n, m_first).number("speed")) : 0;
  return speed > 0 ? m_rounds(*n) / speed : 0;
}

// How far it has come: once, again and again, or there and back; level where its length is not known.
QPolygonF MotionChart::playedProfile(const Row& r) const {
  const QRect b = band(r);
  const Params p(*m_studio.doc().find(r.at.node), m_first);
  const double begins = p.number("begins"), round = roundOf(r);
  const std::string play = p.text("play");
  const bool backwards = p.number("speed") < 0;
  QPolygonF line;
  for (double x = b.left() + 6; x <= b.right() - 5; x += 1) {
    const double frame = m_first + (x - xOf(m_first)) / (xOf(m_last) - xOf(m_first)) * (m_last - m_first);
    double at = 0;
    if (frame >= begins) {
      const double rounds = round > 0 ? (frame - begins) / round : 0.5, part = rounds - std::floor(rounds);
      at = play == "once" ? std::min(1.0, rounds) : play == "loop" ? part : 1 - std::abs(2 * part - 1);
      if (backwards && round > 0) at = 1 - at;
    }
    line << QPointF(x, b.bottom() - at * b.height());
  }
  return line;
}

void MotionChart::askForBegin() {
  const Row* r = currentRow();
  if (!r || !r->plays) return;
  const double begins = Params(*m_studio.doc().find(r->at.node), m_first).number("begins");
  bool ok = false;
  const double to =
      QInputDialog::getDouble(this, tr("Begin"), tr("Frame at which it begins"), begins, -1e6, 1e6, 2, &ok);
  if (ok) slide(to - begins, 0);
}

void MotionChart::slide(double frames, uint64_t gesture) {
  const Row* r = currentRow();
  if (!r || !r->plays) return;
  const Document& from = gesture && m_before ? *m_before : m_studio.doc();
  const double begins = Params(*from.find(r->at.node), m_first).number("begins") + frames;
  const NodeId id = r->at.node;
  change(
      tr("Slide %1").arg(r->name), [&](const Document& d) { return setValue(d, id, "begins", Constant(begins)); },
      gesture);
}

void MotionChart::stretch(double factor, uint64_t gesture) {
  const Row* r = currentRow();
  if (!r || !r->plays || !(factor > 0)) return;
  const Document& from = gesture && m_before ? *m_before : m_studio.doc();
  const NodeId id = r->at.node;
  const ParamDef& speedDef = *from.find(id)->kind->param("speed");
  const double speed = Params(*from.find(id), m_first).number("speed") / factor;
  if (std::abs(speed) < 1e-4 || std::abs(speed) > speedDef.hardMax)
    return m_studio.tell(tr("It plays no slower or faster than that"), true);
  change(
      tr("Stretch %1").arg(r->name), [&](const Document& doc) { return setValue(doc, id, "speed", Constant(speed)); },
      gesture);
}

void MotionChart::playingMenu(const Row& row, double frame, const QPoint& global) {
  const NodeId id = row.at.node;
  const Params p(*m_studio.doc().find(id), m_first);
  const double begins = p.number("begins"), round = roundOf(row);
  const std::string play = p.text("play");
  QMenu m(this);
  connect(m.addAction(tr("Begin at frame %1").arg(frame)), &QAction::triggered, this,
          [this, frame, begins] { slide(frame - begins, 0); });
  connect(m.addAction(tr("Begin at frame…\tReturn")), &QAction::triggered, this, &MotionChart::askForBegin);
  if (round > 0) {
    connect(m.addAction(tr("A round in so many frames…")), &QAction::triggered, this, [this, round] {
      bool ok = false;
      const double to =
          QInputDialog::getDouble(this, tr("Stretch"), tr("Frames that a round takes"), round, 0.1, 1e6, 2, &ok);
      if (ok) stretch(to / round, 0);
    });
    const Params s = settingsOf(m_studio.doc());
    const double range = s.number("last_frame") - s.number("first_frame") + 1;
    connect(m.addAction(tr("A round in the whole range")), &QAction::triggered, this,
            [this, round, range] { stretch(range / round, 0); });
  }
  m.addSeparator();
  for (const std::string& how : m_studio.doc().find(id)->kind->param("play")->choices) {
    if (how == "still") continue;
    QAction* a = m.addAction(tr("Plays: %1").arg(qs(how)));
    a->setCheckable(true);
    a->setChecked(how == play);
    connect(a, &QAction::triggered, this, [this, id, how, name = row.name] {
      change(tr("How %1").arg(name), [&](const Document& d) { return setValue(d, id, "play", Constant(how)); });
    });
  }
  m.addSeparator();
  connect(m.addAction(tr("Its settings")), &QAction::triggered, this, [this, id] { m_studio.select({id}); });
  m.exec(global);
}

} // namespace ilumbra
