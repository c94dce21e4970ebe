#include "app/drawer/motion_panel.h"

#include "app/drawer/drawer.h"
#include "app/drawer/kept_strip.h"
#include "app/drawer/motion_chart.h"
#include "app/panels/movers.h"
#include "app/viewport/picture_bar.h"
#include "core/base/error.h"
#include "core/compile/playing.h"
#include "core/document/loop.h"
#include "core/document/mover.h"
#include "core/placing/arrange.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPointer>
#include <QScrollArea>
#include <QToolButton>

#include <fmt/format.h>

namespace ilumbra {

// All that the length of what plays depends on.
static std::string whatPlays(const Document& doc, const Node& n) {
  std::string text = fmt::format("{}\n{}", doc.folder(), settingsOf(doc).number("rate"));
  const Params p(n, 0);
  for (const char* param : {"file", "motion", "play"})
    if (n.kind->param(param)) text += '\n' + p.text(param);
  if (n.kind->param("numbered")) text += p.flag("numbered") ? "\n1" : "\n0";
  if (n.kind->param("own_rate")) text += fmt::format("\n{}", p.number("own_rate"));
  return text;
}

MotionPanel::MotionPanel(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 2);
  column->setSpacing(0);
  m_area = new QScrollArea(this);
  m_area->setWidgetResizable(true);
  m_area->setFocusPolicy(Qt::NoFocus);
  m_area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_chart = new MotionChart(studio, m_area);
  m_area->setWidget(m_chart);
  column->addWidget(m_area, 1);
  m_kept = new KeptStrip(studio, *m_chart, this);
  column->addWidget(m_kept);
  m_empty = new QLabel(this);
  m_empty->setAlignment(Qt::AlignCenter);
  m_empty->setWordWrap(true);
  m_empty->setStyleSheet(QStringLiteral("color: #9a968f; padding: 8px 40px"));
  column->addWidget(m_empty, 1);
  auto* foot = new QHBoxLayout;
  foot->setContentsMargins(10, 0, 8, 0);
  m_state = new QLabel(this);
  m_state->setStyleSheet(QStringLiteral("color: #9a968f"));
  m_begin =
      flatButton(this, tr("Move something…"), tr("Lets the selected thing, or the camera, move by itself"), "accent");
  m_begin->setPopupMode(QToolButton::InstantPopup);
  m_menu = new QMenu(m_begin);
  m_menu->setToolTipsVisible(true);
  m_begin->setMenu(m_menu);
  m_key = flatButton(this, tr("Set a key"), tr("In the chosen row, at this frame (Insert)"));
  m_delete = flatButton(this, tr("Delete keys"), tr("Those that are chosen (Delete)"));
  m_keying =
      flatButton(this, tr("Key what I change"),
                 tr("What is changed at another frame gets keys: of what it is at this one, and what it is there"));
  m_keying->setCheckable(true);
  connect(m_keying, &QToolButton::toggled, &studio, &Studio::setKeyChanges);
  connect(&studio, &Studio::viewChanged, m_keying, [this] { m_keying->setChecked(m_studio.keyChanges()); });
  m_ahead = flatButton(this, tr("Render ahead"),
                       tr("Renders the frames that are played and keeps them, coarse ones first: what is kept plays in "
                          "time, with the lens and the balance as they are"));
  m_ahead->setCheckable(true);
  connect(m_ahead, &QToolButton::clicked, &studio, [this] {
    Studio::View v = m_studio.view();
    v.ahead = m_ahead->isChecked();
    m_studio.setView(v);
  });
  connect(&studio, &Studio::viewChanged, m_ahead, [this] { m_ahead->setChecked(m_studio.view().ahead); });
  m_loop = flatButton(
      this, tr("Make it loop"),
      tr("Movers and what plays go round whole times, chance comes again, waves run in whole numbers, keys end where "
         "they began"),
      "accent");
  const FramesOfRound rounds = [this](const Node& n) {
    const auto it = m_rounds.find(whatPlays(m_studio.doc(), n));
    return it == m_rounds.end() ? 0 : it->second;
  };
  m_chart->setRounds(rounds);
  connect(m_loop, &QToolButton::clicked, &studio,
          [this, rounds] { m_studio.edit(tr("Make it loop"), [&](const Document& d) { return looped(d, rounds); }); });
  foot->addWidget(m_state);
  foot->addWidget(m_loop);
  foot->addStretch(1);
  foot->addWidget(m_ahead);
  foot->addWidget(m_keying);
  foot->addWidget(m_delete);
  foot->addWidget(m_key);
  foot->addWidget(m_begin);
  column->addLayout(foot);
  connect(m_menu, &QMenu::aboutToShow, this, &MotionPanel::fillMenu);
  connect(m_key, &QToolButton::clicked, m_chart, &MotionChart::setKeyHere);
  connect(m_delete, &QToolButton::clicked, m_chart, &MotionChart::deleteKeys);
  connect(m_chart, &MotionChart::rowsChanged, this, &MotionPanel::refresh);
  const auto follow = [this] {
    if (isVisible()) m_chart->follow();
  };
  connect(&studio, &Studio::documentChanged, this, follow);
  connect(&studio, &Studio::selectionChanged, this, [this, follow] {
    follow();
    showSelected();
  });
  refresh();
}

// How long what plays does so: its file is read for that, off this thread.
void MotionPanel::findRounds() {
  const Document& doc = m_studio.doc();
  for (const MotionChart::Row& r : m_chart->rows()) {
    if (!r.plays) continue;
    const std::string what = whatPlays(doc, *doc.find(r.at.node));
    if (m_rounds.count(what) || !m_seeking.insert(what).second) continue;
    m_studio.background(tr("Reads how long %1 is").arg(r.name),
                        [panel = QPointer(this), assets = m_studio.sharedAssets(), doc, id = r.at.node,
                         what](const CancelFlag& cancel) -> std::function<void()> {
                          double frames = 0;
                          try {
                            frames = framesOfRound(doc, *doc.find(id), assets->assets(doc.folder(), &cancel));
                          } catch (const Error&) {
                            // The picture says what is wrong with the file.
                          }
                          return [panel, what, frames] {
                            if (!panel) return;
                            panel->m_seeking.erase(what);
                            panel->m_rounds[what] = frames;
                            panel->m_loopOf.reset();
                            panel->m_chart->update();
                            panel->refresh();
                          };
                        },
                        {.lane = QStringLiteral("rounds"), .waits = true, .matters = false, .told = false});
  }
}

// What nobody sees waits till then.
void MotionPanel::showEvent(QShowEvent*) {
  m_chart->follow();
  showSelected();
}

// What is selected has its row chosen, and in sight.
void MotionPanel::showSelected() {
  if (!isVisible() || m_chart->current().node == m_studio.current()) return;
  for (const MotionChart::Row& r : m_chart->rows())
    if (r.def && r.at.node == m_studio.current()) {
      const Address at = r.at; // choosing it lays the rows out anew
      m_chart->chooseRow(at);
      break;
    }
  for (const MotionChart::Row& r : m_chart->rows())
    if (r.def && r.at.node == m_studio.current()) return m_area->ensureVisible(0, r.top + r.height / 2, 0, r.height);
}

// All that could move of what is selected, and of the camera.
void MotionPanel::fillMenu() {
  m_menu->clear();
  const Document& doc = m_studio.doc();
  std::vector<NodeId> things = m_studio.selection();
  for (const Node* c : doc.family("camera"))
    if (std::find(things.begin(), things.end(), c->id) == things.end()) {
      things.push_back(c->id);
      break;
    }
  for (const NodeId id : things) {
    const Node* n = doc.find(id);
    if (!n) continue;
    bool headed = false;
    for (const ParamDef& d : n->kind->params) {
      const Value* v = n->find(d.name);
      // What an artist moves first: the place, the turn, and what matters of a light.
      const bool placed = d.name == "position" || d.name == "turn";
      if ((!placed && d.name != "power" && d.name != "own_light" && d.name != "color" && d.name != "own_light_color") ||
          (v && v->pattern()))
        continue;
      for (const MoverKind* k : moversFor(d)) {
        if (v && moverValue(*v, k->id) == Constant(true)) continue;
        if (!headed) m_menu->addSection(qs(n->name));
        headed = true;
        QAction* a =
            m_menu->addAction(placed ? qs(k->label) : tr("%1 of its %2").arg(qs(k->label), qs(d.label).toLower()));
        a->setToolTip(qs(k->helpText));
        connect(a, &QAction::triggered, this, [this, at = Address{id, d.name, 0, k->id}, label = qs(k->label)] {
          const QString name = qs(m_studio.doc().find(at.node)->name);
          if (m_studio.edit(tr("%1: %2").arg(name, label),
                            [&](const Document& now) { return setAt(now, at, Constant(true)); })) {
            m_chart->chooseRow({at.node, at.param, 0, {}});
            m_studio.select({at.node});
            m_studio.tell(tr("%1 moves: what it is set to stands in Settings; Ctrl+P plays").arg(name));
          }
        });
      }
    }
  }
  if (!placeable(doc, m_studio.selection()).empty()) {
    m_menu->addSection(tr("What is selected"));
    QAction* a = m_menu->addAction(tr("Follow a path"));
    a->setToolTip(tr("Along the path that is selected too, or along a new one"));
    connect(a, &QAction::triggered, this, [this] { followPath(m_studio); });
  }
  if (m_menu->isEmpty()) m_menu->addAction(tr("Select an object or a lamp first"))->setEnabled(false);
}

void MotionPanel::refresh() {
  const bool any = !m_chart->rows().empty();
  m_area->setVisible(any);
  m_empty->setVisible(!any);
  m_empty->setText(m_studio.selection().empty()
                       ? tr("Nothing moves yet. Select a thing and let it spin, swing, bob or flicker below, or set "
                            "keys by the menu of "
                            "a row in Settings.")
                       : tr("Nothing moves yet. Let %1 move below, or set keys by the menu of a row in Settings.")
                             .arg(qs(m_studio.currentNode() ? m_studio.currentNode()->name : std::string())));
  m_key->setVisible(any);
  m_key->setEnabled(m_chart->current().node != 0);
  m_delete->setVisible(any);
  m_delete->setEnabled(!m_chart->chosen().empty());
  // Whether the frame after the last is the first again.
  const Document& doc = m_studio.doc();
  const Params s = settingsOf(doc);
  const double first = s.number("first_frame"), last = s.number("last_frame");
  // The frame at hand has no part in it: while frames play it is not looked for.
  if (const Document still = atFrame(doc, 0); !m_loopOf || !(*m_loopOf == still)) {
    findRounds();
    m_breaks = loopBreaks(still, m_chart->rounds());
    m_loopOf = still;
  }
  QStringList breaks;
  bool mends = false;
  for (const LoopBreak& b : m_breaks) {
    breaks << tr("%1 %2").arg(qs(addressText(doc, b.at)), qs(b.why));
    mends = mends || b.mends;
  }
  QString text = tr("frame %1 of %2 to %3").arg(m_studio.frame()).arg(first).arg(last);
  if (any) text += breaks.isEmpty() ? tr(" · loops") : tr(" · %n break(s) the loop", nullptr, int(breaks.size()));
  m_state->setText(text);
  m_state->setToolTip(breaks.join('\n'));
  m_loop->setVisible(mends);
}

DrawerPage motionPage() {
  return {.id = QStringLiteral("motion"),
          .label = QObject::tr("Motion"),
          .help = QObject::tr("What moves over the frames: keys and movers"),
          .keys = "Ctrl+Shift+O",
          .groups = false,
          .make = [](Studio& studio, QWidget* parent) -> QWidget* { return new MotionPanel(studio, parent); }};
}

} // namespace ilumbra
