#include "app/drawer/pattern_panel.h"

#include "app/drawer/drawer.h"
#include "app/drawer/pattern_list.h"
#include "app/drawer/pattern_player.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "core/document/units.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QScrollArea>
#include <QToolButton>

namespace ilumbra {
namespace {

// The pattern that a node is, or is a part of, or is put on; 0: none.
NodeId patternAt(const Document& doc, const Node* n) {
  for (const Node* up = n; up; up = doc.find(up->parent))
    if (up->kind->family() == "pattern") return up->id;
  if (!n) return 0;
  for (const ParamDef& d : n->kind->params) {
    const Value* v = n->find(d.name);
    if (v && v->pattern()) return v->pattern()->pattern.target;
  }
  // What an object wears.
  if (n->kind->param("material"))
    if (const Node* m = doc.find(Params(*n, currentFrame(doc)).reference("material").target)) return patternAt(doc, m);
  return 0;
}

// The whole that a pattern belongs to: what is put on a thing.
NodeId wholeOf(const Document& doc, NodeId pattern) {
  const auto uses = patternUses(doc, pattern);
  if (uses.empty()) return pattern;
  const Value v = valueAt(doc, uses.front());
  return v.pattern() ? v.pattern()->pattern.target : pattern;
}

} // namespace

void RangeView::show(const PatternRange& range, const ParamDef& takes) {
  m_range = range;
  m_takes = takes;
  update();
}

void RangeView::clear() {
  m_range = {};
  update();
}

void RangeView::paintEvent(QPaintEvent*) {
  if (m_range.bins.empty()) return;
  QPainter p(this);
  const int base = height() - 18, n = int(m_range.bins.size());
  const float most = *std::max_element(m_range.bins.begin(), m_range.bins.end()), span = m_range.to - m_range.from;
  const auto at = [&](float v) { return int(float(width() - 1) * (v - m_range.from) / span); };
  for (int i = 0; i < n; ++i) {
    const float v = m_range.from + span * (float(i) + 0.5f) / float(n);
    const bool taken = double(v) >= m_takes.hardMin && double(v) <= m_takes.hardMax;
    // What there is little of is still to be seen.
    const float share = most > 0 ? std::sqrt(m_range.bins[size_t(i)] / most) : 0;
    const int h = int(std::ceil(share * float(base - 4))), x = width() * i / n, w = width() * (i + 1) / n - x - 1;
    p.fillRect(QRect(x, base - h, std::max(1, w), h), taken ? QColor(0x9c, 0x90, 0x78) : theme::amber);
  }
  p.setPen(theme::tick);
  p.drawLine(0, base, width(), base);
  p.setFont(theme::font(11));
  const auto mark = [&](float v, const QColor& color) {
    const QString text = QString::number(double(v), 'g', 3);
    const int w = p.fontMetrics().horizontalAdvance(text), x = std::clamp(at(v) - w / 2, 0, width() - w);
    p.setPen(color);
    p.drawText(QRect(x, base + 2, w + 2, 16), Qt::AlignLeft, text);
  };
  mark(m_range.low, m_range.below > 0 ? theme::amber : theme::dim);
  if (at(m_range.high) - at(m_range.low) > 40) mark(m_range.high, m_range.above > 0 ? theme::amber : theme::dim);
}

PatternPanel::PatternPanel(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio) {
  setAcceptDrops(true);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(12, 4, 12, 6);
  auto* none = new QLabel(tr("Select a thing with a pattern, or put one on a number or a colour: right-click its row "
                             "in Settings and choose New pattern."),
                          this);
  none->setWordWrap(true);
  none->setAlignment(Qt::AlignCenter);
  none->setStyleSheet(QStringLiteral("color: #9a968f; padding: 20px"));
  m_empty = none;
  row->addWidget(m_empty);
  m_body = new QWidget(this);
  row->addWidget(m_body, 1);
  auto* columns = new QHBoxLayout(m_body);
  columns->setContentsMargins(0, 0, 0, 0);
  columns->setSpacing(18);

  auto* left = new QVBoxLayout;
  left->setSpacing(2);
  m_big = new QLabel(m_body);
  m_big->setFixedSize(side, side);
  m_big->setAccessibleName(tr("What the pattern gives"));
  left->addWidget(m_big);
  auto* ons = new QHBoxLayout;
  ons->setSpacing(0);
  const std::tuple<SwatchOn, QString, QString> choices[] = {
      {SwatchOn::Object, tr("on it"), tr("On the thing that wears it, without light")},
      {SwatchOn::Ball, tr("ball"), tr("On a ball as large")},
      {SwatchOn::Flat, tr("flat"), tr("On a square as large")}};
  for (const auto& [on, label, help] : choices) {
    QToolButton* b = flatButton(m_body, label, help);
    b->setCheckable(true);
    b->setChecked(on == m_on);
    connect(b, &QToolButton::clicked, this, [this, on = on] { setOn(on); });
    ons->addWidget(b);
    m_ons.push_back(b);
  }
  left->addLayout(ons);
  left->addStretch(1);
  columns->addLayout(left);

  auto* middle = new QVBoxLayout;
  middle->setSpacing(2);
  auto* area = new QScrollArea(m_body);
  area->setWidgetResizable(true);
  area->setFrameShape(QFrame::NoFrame);
  area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* inside = new QWidget(area);
  auto* stack = new QVBoxLayout(inside);
  stack->setContentsMargins(0, 0, 0, 0);
  m_list = new PatternList(studio, inside);
  stack->addWidget(m_list);
  stack->addStretch(1);
  area->setWidget(inside);
  middle->addWidget(area, 1);
  auto* foot = new QHBoxLayout;
  m_add = flatButton(m_body, tr("+ add to this line"),
                     tr("A pattern for one of its numbers or colours, or an operation that changes it"), "accent");
  connect(m_add, &QToolButton::clicked, this, [this] { addBelow(m_add->mapToGlobal(QPoint(0, m_add->height()))); });
  QToolButton* copies = flatButton(m_body, tr("copy"), tr("The chosen line and all below it, as text (Ctrl+C)"));
  connect(copies, &QToolButton::clicked, this, &PatternPanel::copy);
  QToolButton* pastes = flatButton(m_body, tr("paste"), tr("In place of the chosen line (Ctrl+V)"));
  connect(pastes, &QToolButton::clicked, this, &PatternPanel::paste);
  foot->addWidget(m_add);
  foot->addWidget(copies);
  foot->addWidget(pastes);
  m_alone = flatButton(m_body, tr("alone"), tr("The large picture and the range are those of the chosen line"));
  m_alone->setCheckable(true);
  connect(m_alone, &QToolButton::toggled, this, [this] {
    if (m_pattern) draw();
  });
  foot->addWidget(m_alone);
  m_inPicture = flatButton(m_body, tr("in the picture"),
                           tr("Shows it on the things in the picture, by itself and without light; alone: the chosen "
                              "line"));
  m_inPicture->setObjectName(QStringLiteral("in the picture"));
  m_inPicture->setCheckable(true);
  connect(m_inPicture, &QToolButton::toggled, this, [this](bool on) {
    if (!on) Q_EMIT m_studio.patternShown({}, {});
    if (on && m_pattern) draw();
  });
  foot->addWidget(m_inPicture);
  foot->addStretch(1);
  middle->addLayout(foot);
  columns->addLayout(middle, 5);

  auto* right = new QVBoxLayout;
  right->setSpacing(3);
  m_gives = new QLabel(m_body);
  m_gives->setFont(theme::font(12, 600));
  m_rangeView = new RangeView(m_body);
  m_told = new QLabel(m_body);
  m_told->setWordWrap(true);
  m_fit = flatButton(m_body, tr("Fit it"), tr("Brings the range of the pattern to what the parameter takes"), "accent");
  connect(m_fit, &QToolButton::clicked, this, &PatternPanel::fit);
  m_fit->hide();
  m_usedBy = new QLabel(m_body);
  m_usedBy->setWordWrap(true);
  m_usedBy->setStyleSheet(QStringLiteral("color: #9a968f"));
  right->addWidget(m_gives);
  right->addWidget(m_rangeView, 1);
  right->addWidget(m_told);
  right->addWidget(m_fit, 0, Qt::AlignLeft);
  right->addWidget(m_usedBy);
  columns->addLayout(right, 2);

  m_player = new PatternPlayer(studio, this);
  connect(m_player, &PatternPlayer::shown, this, [this](std::vector<QImage> pictures) {
    m_big->setPixmap(QPixmap::fromImage(pictures.back()));
    pictures.pop_back();
    m_list->showPictures(std::move(pictures));
  });
  connect(m_list, &PatternList::lineChosen, this, [this](int line) {
    const NodeId id = m_list->lines()[size_t(line)].node;
    if (m_studio.current() != id) m_studio.select({id});
    if (m_alone->isChecked()) draw();
  });
  connect(m_list, &PatternList::cameIntoView, this, [area](const QRect& part) {
    area->widget()->layout()->activate(); // the list may just have grown
    area->ensureVisible(0, part.bottom(), 0, 4);
    area->ensureVisible(0, part.top(), 0, 4);
  });
  connect(m_list, &PatternList::lineSwitched, this, &PatternPanel::switchLine);
  connect(m_list, &PatternList::lineRemoved, this, &PatternPanel::removeLine);
  connect(m_list, &PatternList::lineMoved, this, &PatternPanel::moveLine);
  connect(m_list, &PatternList::lineSwapped, this, &PatternPanel::swapLines);
  connect(m_list, &PatternList::menuWanted, this, &PatternPanel::lineMenu);
  connect(&studio, &Studio::selectionChanged, this, &PatternPanel::follow);
  connect(&studio, &Studio::documentChanged, this, &PatternPanel::rebuild);
  // The things as they are compiled now.
  connect(&studio, &Studio::imageArrived, this, [this] {
    if (m_pattern && m_studio.session().scene() != m_drawnOf) draw();
  });
  rebuild();
}

void PatternPanel::showEvent(QShowEvent*) {
  follow();
  rebuild();
}

// The picture is not left without its light by what cannot be seen.
void PatternPanel::hideEvent(QHideEvent*) {
  m_inPicture->setChecked(false);
  m_player->stop();
}

// What is selected leads to another pattern, unless it is a line of this one.
void PatternPanel::follow() {
  if (!isVisible()) return;
  const Document& doc = m_studio.doc();
  const auto& lines = m_list->lines();
  for (size_t i = 0; i < lines.size(); ++i)
    if (lines[i].node == m_studio.current()) {
      if (m_list->chosen() < 0 || lines[size_t(m_list->chosen())].node != lines[i].node) m_list->choose(int(i));
      return;
    }
  if (const NodeId at = patternAt(doc, m_studio.currentNode())) {
    m_pattern = wholeOf(doc, at);
    m_use = {};
    rebuild();
  }
}

void PatternPanel::rebuild() {
  if (!isVisible()) return; // all things are looked through for what uses it
  const Document& doc = m_studio.doc();
  // What the parameter has now, whatever stood there before.
  if (m_use.node && doc.find(m_use.node)) {
    const Value v = valueAt(doc, m_use);
    m_pattern = v.pattern() ? v.pattern()->pattern.target : 0;
  }
  if (!doc.find(m_pattern)) m_pattern = patternAt(doc, m_studio.currentNode());
  m_pattern = m_pattern ? wholeOf(doc, m_pattern) : 0;
  if (!m_pattern) m_inPicture->setChecked(false); // nothing is left to be shown there
  const auto uses = m_pattern ? patternUses(doc, m_pattern) : std::vector<Address>();
  m_uses = uses.size();
  m_use = uses.empty() ? Address{} : uses.front();
  // Of several, that of what is selected.
  if (const Node* now = m_studio.currentNode())
    for (const Address& at : uses)
      if (at.node == now->id) m_use = at;
  Reference whole{m_pattern, nullptr};
  if (m_use.node)
    if (const Value v = valueAt(doc, m_use); v.pattern() && v.pattern()->pattern.target == m_pattern)
      whole = v.pattern()->pattern;
  m_list->show(patternLines(doc, whole),
               m_use.node ? tr("on %1").arg(qs(addressText(doc, m_use))) : tr("on nothing yet"));
  m_body->setVisible(m_pattern != 0);
  m_empty->setVisible(m_pattern == 0);
  if (m_pattern) draw();
}

Address PatternPanel::placeOf(const PatternLine& line) const { return line.depth == 0 ? m_use : line.at; }

void PatternPanel::setOn(SwatchOn on) {
  m_on = on;
  for (size_t i = 0; i < m_ons.size(); ++i) m_ons[i]->setChecked(i == size_t(on));
  draw();
}

DrawerPage patternPage() {
  return {QStringLiteral("pattern"),
          PatternPanel::tr("Pattern"),
          PatternPanel::tr("The pattern of what is selected, line by line"),
          "Ctrl+0",
          false,
          [](Studio& studio, QWidget* parent) { return new PatternPanel(studio, parent); }};
}

} // namespace ilumbra
