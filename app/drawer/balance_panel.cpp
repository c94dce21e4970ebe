#include "app/drawer/balance_panel.h"

#include "app/dialogs/question.h"
#include "app/drawer/drawer.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "core/base/colorspace.h"
#include "core/compile/balance.h"
#include "core/document/units.h"
#include "core/scene/scene.h"

#include <QColorDialog>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollArea>
#include <QToolButton>
#include <QToolTip>
#include <QVBoxLayout>

namespace ilumbra {
namespace {

constexpr double mostStops = 6;

QColor shown(const Color& linear709) {
  const float most = std::max(1e-6f, maxComponent(linear709));
  const auto curve = [&](float v) { return srgbEncoded(clamp01(v / most)); };
  return QColor::fromRgbF(curve(linear709.x), curve(linear709.y), curve(linear709.z));
}

} // namespace

BalanceRow::BalanceRow(Studio& studio, const BalanceSource& source, QWidget* parent)
    : QWidget(parent), m_studio(studio), m_source(source) {
  setFocusPolicy(Qt::StrongFocus);
  setFixedHeight(27);
  refresh();
}

void BalanceRow::show(const SessionImage::Group& g, size_t parts) {
  m_parts = parts < 2 ? 0 : parts;
  m_name = qs(g.name);
  m_share = g.share;
  m_light = isBlack(g.amount) ? theme::faint : shown(rec709FromAcescg(g.amount));
  setAccessibleName(tr("Balance of %1").arg(m_name));
  update();
}

void BalanceRow::refresh() {
  const Document& doc = m_studio.doc();
  m_on = true;
  m_solo = false;
  m_stops = 0;
  m_tint = Qt::white;
  m_live = "by its strength";
  m_layer.clear();
  if (const Node* n = balanceRow(doc, m_source)) {
    const Params p(*n, m_studio.frame());
    m_on = p.flag("on");
    m_solo = p.flag("solo");
    m_stops = p.number("stops");
    m_live = p.text("live");
    m_layer = p.text("layer");
    const Triple t = p.triple("tint");
    m_tint = shown({float(t[0]), float(t[1]), float(t[2])});
  }
  m_unheard = !m_on || (Balance(doc, m_studio.frame()).anySolo() && !m_solo);
  update();
}

QString BalanceRow::spokenValue() const {
  QStringList words{tr("%1 stops").arg(m_stops, 0, 'f', 1), tr("%1 % of the light").arg(100 * m_share, 0, 'f', 1)};
  if (m_solo) words.prepend(tr("solo"));
  if (!m_on)
    words.prepend(tr("off"));
  else if (m_unheard)
    words.prepend(tr("not seen: others are solo"));
  return words.join(QStringLiteral(", "));
}

std::optional<Spoken::Number> BalanceRow::spokenNumber() const { return Number{m_stops, -mostStops, mostStops, 0.5}; }

void BalanceRow::setSpokenNumber(double stops) {
  setStops(std::clamp(stops, -mostStops, mostStops), m_studio.newGesture());
}

// Where it is narrow the names are shorter and the bars go, so that every number stays.
int BalanceRow::nameWidth() const { return std::clamp(width() - 408, 84, 150); }
int BalanceRow::barWidth() const { return width() < 580 ? 0 : 40; }
QRect BalanceRow::switchRect() const { return {nameWidth() + 34, 3, 34, 21}; }
QRect BalanceRow::soloRect() const { return switchRect().translated(38, 0).adjusted(0, 0, 6, 0); }
QRect BalanceRow::splitRect() const { return {soloRect().right() + 3, 3, 36, 21}; }
QRect BalanceRow::lineRect() const {
  const int left = splitRect().right() + 11, right = 8 + 84 + 10 + 22 + (barWidth() > 0 ? 12 + barWidth() : 0) + 56;
  return {left, 3, std::max(60, width() - left - right), 21};
}
QRect BalanceRow::valueRect() const { return {lineRect().right() + 8, 3, 84, 21}; }
QRect BalanceRow::tintRect() const { return {valueRect().right() + 10, 6, 22, 15}; }
int BalanceRow::handle() const {
  return lineRect().left() +
         int((std::clamp(m_stops, -mostStops, mostStops) + mostStops) / (2 * mostStops) * (lineRect().width() - 1));
}

void BalanceRow::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  if (hasFocus()) p.fillRect(rect(), QColor(0x28, 0x28, 0x28));
  p.setFont(theme::font(12));
  p.setPen(Qt::NoPen);
  p.setBrush(m_unheard ? theme::faint : m_light);
  p.drawEllipse(QPointF(14, 13.5), 4.5, 4.5);
  if (m_live == "always") {
    p.setBrush(Qt::NoBrush);
    p.setPen(theme::accent);
    p.drawEllipse(QPointF(14, 13.5), 7.5, 7.5);
  }
  p.setPen(m_unheard ? theme::faint : theme::text);
  const QString name =
      m_layer.empty() ? m_name : tr("%1 in %2", "a light in a layer").arg(m_name, QString::fromStdString(m_layer));
  p.drawText(QRect(28, 0, nameWidth(), height()), Qt::AlignLeft | Qt::AlignVCenter,
             p.fontMetrics().elidedText(name, Qt::ElideRight, nameWidth()));
  const auto word = [&](const QRect& r, const QString& text, bool active) {
    p.setPen(active ? theme::accent : theme::faint);
    p.drawText(r, Qt::AlignCenter, text);
    if (active) p.fillRect(QRectF(r.left() + 5, r.bottom() - 1, r.width() - 10, 2), theme::accent);
  };
  word(switchRect(), m_on ? tr("on") : tr("off"), m_on);
  word(soloRect(), tr("solo"), m_solo);
  if (m_parts || joins()) word(splitRect(), joins() ? tr("join") : tr("split"), false);
  // The ruled line, its middle is as the light says.
  const QRect l = lineRect();
  const int y = 15, zero = l.left() + (l.width() - 1) / 2, x = handle();
  p.setRenderHint(QPainter::Antialiasing, false);
  p.setPen(hasFocus() || underMouse() ? theme::dim : theme::tick);
  p.drawLine(l.left(), y, l.right(), y);
  for (int i = 0; i <= 12; ++i) {
    const int at = l.left() + (l.width() - 1) * i / 12;
    p.drawLine(at, y - (i == 6 ? 5 : i % 3 == 0 ? 4 : 2), at, y);
  }
  const QColor ink = m_unheard ? theme::faint : std::abs(m_stops) > mostStops ? theme::amber : theme::accent;
  p.fillRect(QRectF(std::min(zero, x), y, std::abs(x - zero), 2), ink);
  p.fillRect(QRectF(x - 1, y - 5, 3, 11), ink);
  p.setPen(m_stops == 0 ? theme::dim : theme::text);
  p.drawText(valueRect(), Qt::AlignRight | Qt::AlignVCenter,
             tr("%1%2 stops")
                 .arg(m_stops > 0   ? QStringLiteral("+")
                      : m_stops < 0 ? QStringLiteral("−")
                                    : QString())
                 .arg(std::abs(m_stops), 0, 'f', 1));
  p.fillRect(tintRect(), m_tint);
  p.setBrush(Qt::NoBrush);
  p.setPen(theme::line);
  p.drawRect(tintRect());
  // Share of the picture's light.
  if (const QRect bar(tintRect().right() + 12, 10, barWidth(), 7); bar.width() > 0) {
    p.fillRect(bar, theme::desk);
    p.fillRect(QRectF(bar.left(), bar.top(), bar.width() * std::min(1.0, m_share), bar.height()),
               m_unheard ? theme::faint : theme::dim);
  }
  p.setPen(theme::dim);
  p.drawText(QRect(width() - 8 - 48, 0, 48, height()), Qt::AlignRight | Qt::AlignVCenter,
             tr("%1 %").arg(100 * m_share, 0, 'f', m_share < 0.0995 ? 1 : 0));
}

void BalanceRow::set(const char* param, const Constant& v, uint64_t gesture) {
  m_studio.edit(
      tr("Balance %1").arg(m_name), [&](const Document& d) { return setBalance(d, m_source, param, v); },
      m_take ? m_take : gesture);
}

void BalanceRow::setStops(double stops, uint64_t gesture) {
  set("stops", std::clamp(std::round(stops * 20) / 20, -60.0, 60.0), gesture);
}

void BalanceRow::tint() {
  const QColor c = QColorDialog::getColor(m_tint, this, tr("Tint of %1").arg(m_name));
  if (!c.isValid()) return;
  set("tint", Triple{srgbDecoded<double>(c.redF()), srgbDecoded<double>(c.greenF()), srgbDecoded<double>(c.blueF())});
}

void BalanceRow::split(bool join) {
  const Node* light = m_studio.doc().find(m_source.light);
  if (!light) return;
  const bool material = light->kind->family() == "material";
  if (join || joins()) {
    if (!m_source.object && !m_source.copy) return;
    // Copies to one row; of a material's only object, and objects, to one row of the material.
    const auto objects = material ? objectsByMaterial(m_studio.doc(), m_studio.frame())[m_source.light].size() : 0;
    const BalanceSource whole =
        m_source.copy && objects != 1 ? BalanceSource{m_source.light, m_source.object} : BalanceSource{m_source.light};
    m_studio.edit(tr("Join the balance of %1").arg(m_name),
                  [&](const Document& d) { return splitBalance(d, whole, false); });
    return;
  }
  if (!m_parts) return;
  m_studio.edit(tr("Split the balance of %1").arg(m_name), [&](const Document& d) {
    if (!material || m_source.object) return splitBalance(d, m_source, true, uint32_t(m_parts));
    const std::vector<NodeId> objects = objectsByMaterial(d, m_studio.frame())[m_source.light];
    const Document byObject = splitBalance(d, m_source, true);
    return objects.size() == 1 ? splitBalance(byObject, {m_source.light, objects[0]}, true, uint32_t(m_parts))
                               : byObject;
  });
}

void BalanceRow::setLive(const char* choice) {
  set("live", std::string(choice));
  m_studio.tell(choice == std::string("always") ? tr("%1 is live in all frames that are kept: others are folded unless "
                                                     "they are marked too")
                                                      .arg(m_name)
                : choice == std::string("never") ? tr("%1 is folded into the rest of frames that are kept").arg(m_name)
                                                 : tr("%1 is live while it is among the strongest").arg(m_name));
}

void BalanceRow::askForLayer() {
  const auto name = askForText(this, tr("Layer of %1 in files").arg(m_name),
                               tr("Lights with the same word leave as one layer; empty: a layer of its own"),
                               QString::fromStdString(m_layer));
  if (name) set("layer", name->trimmed().toStdString());
}

void BalanceRow::contextMenuEvent(QContextMenuEvent* e) {
  QMenu menu(this);
  menu.setToolTipsVisible(true);
  const std::pair<const char*, QString> choices[] = {{"by its strength", tr("Live in play if it is strong")},
                                                     {"always", tr("Live in play always (L)")},
                                                     {"never", tr("Folded into the rest in play")}};
  for (const auto& [choice, label] : choices) {
    QAction* a = menu.addAction(label);
    a->setToolTip(tr("Whether this row acts on frames that are kept while they play; each live light takes memory"));
    a->setCheckable(true);
    a->setChecked(m_live == choice);
    connect(a, &QAction::triggered, this, [this, choice = choice] { setLive(choice); });
  }
  menu.addSeparator();
  QAction* layer = menu.addAction(m_layer.empty() ? tr("Layer of files… (F)")
                                                  : tr("Layer of files: %1… (F)").arg(QString::fromStdString(m_layer)));
  layer->setToolTip(tr("Lights with the same word leave as one layer of the passes lights and crossed"));
  connect(layer, &QAction::triggered, this, [this] { askForLayer(); });
  menu.exec(e->globalPos());
}

void BalanceRow::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  setFocus();
  if (switchRect().contains(e->pos())) return set("on", !m_on);
  if (soloRect().contains(e->pos())) return set("solo", !m_solo);
  if (splitRect().contains(e->pos())) return split(e->modifiers() & Qt::ShiftModifier);
  if (tintRect().adjusted(-3, -3, 3, 3).contains(e->pos())) return tint();
  if (lineRect().contains(e->pos())) {
    m_dragging = true;
    m_gesture = m_studio.newGesture();
    m_pressX = e->pos().x();
    m_pressStops = m_stops;
    if (std::abs(m_pressX - handle()) > 6) {
      m_pressStops = (double(m_pressX - lineRect().left()) / (lineRect().width() - 1) * 2 - 1) * mostStops;
      setStops(m_pressStops, m_gesture);
    }
    return;
  }
  if (e->pos().x() < switchRect().left()) m_studio.select({m_source.object ? m_source.object : m_source.light});
}

void BalanceRow::mouseMoveEvent(QMouseEvent* e) {
  if (!m_dragging) return;
  const double fine = e->modifiers() & Qt::ShiftModifier ? 0.1 : 1;
  setStops(std::clamp(m_pressStops + fine * 2 * mostStops * (e->pos().x() - m_pressX) / (lineRect().width() - 1),
                      -mostStops, mostStops),
           m_gesture);
}

void BalanceRow::mouseReleaseEvent(QMouseEvent*) { m_dragging = false; }

void BalanceRow::mouseDoubleClickEvent(QMouseEvent* e) {
  if (lineRect().contains(e->pos())) return set("stops", 0.0);
  if (!valueRect().contains(e->pos())) return;
  const auto text = askForText(this, tr("Stops of %1").arg(m_name), {}, QString::number(m_stops));
  if (!text) return;
  m_studio.edit(tr("Balance %1").arg(m_name), [&](const Document& d) {
    const ParamDef& def = *d.kinds().find("balance.row")->param("stops");
    return setBalance(d, m_source, "stops", *parseValue(d, def, text->toStdString()).constant());
  });
}

void BalanceRow::keyPressEvent(QKeyEvent* e) {
  const double unit = e->modifiers() & Qt::ShiftModifier ? 0.05 : 0.25;
  if (e->key() != Qt::Key_Left && e->key() != Qt::Key_Right) m_gesture = 0;
  switch (e->key()) {
  case Qt::Key_Left:
  case Qt::Key_Right:
    if (!m_gesture) m_gesture = m_studio.newGesture();
    return setStops(m_stops + (e->key() == Qt::Key_Left ? -unit : unit), m_gesture);
  case Qt::Key_Space:
    return set("on", !m_on);
  case Qt::Key_S:
    return set("solo", !m_solo);
  case Qt::Key_T:
    return tint();
  case Qt::Key_L:
    return setLive(m_live == "always" ? "by its strength" : "always");
  case Qt::Key_F:
    return askForLayer();
  case Qt::Key_P:
    return split(e->modifiers() & Qt::ShiftModifier);
  case Qt::Key_Backspace:
    m_studio.edit(tr("%1 as the light itself says").arg(m_name), [&](const Document& d) {
      const Node* n = balanceRow(d, m_source);
      return n ? removeNode(d, n->id) : d;
    });
    return;
  default:
    QWidget::keyPressEvent(e);
  }
}

bool BalanceRow::event(QEvent* e) {
  if (e->type() == QEvent::ToolTip) {
    const QPoint at = static_cast<QHelpEvent*>(e)->pos();
    QString text = tr("%1: click to select it").arg(m_name);
    if (m_live == "always") text += tr("; live in frames that are kept (L)");
    if (!m_layer.empty()) text += tr("; leaves in the layer %1 (F)").arg(QString::fromStdString(m_layer));
    if (switchRect().contains(at))
      text = tr("On or off in the balance (Space)");
    else if (soloRect().contains(at))
      text = tr("Only lights that are solo are seen (S)");
    else if (splitRect().contains(at) && joins())
      text = tr("One row again for all (P)");
    else if (splitRect().contains(at) && m_parts)
      text = m_source.object ? tr("A row for each of its %n copies (P); with Shift one row again for all objects",
                                  nullptr, int(m_parts))
                             : tr("A row for each of %n (P)", nullptr, int(m_parts));
    else if (lineRect().contains(at) || valueRect().contains(at))
      text = tr("Stops over what the light says; double-click takes them back");
    else if (tintRect().contains(at))
      text = tr("Multiplies its colour (T)");
    else if (at.x() > tintRect().right())
      text = tr("Share of the picture's light, before the lens");
    QToolTip::showText(mapToGlobal(at), text, this);
    return true;
  }
  return QWidget::event(e);
}

BalancePanel::BalancePanel(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(4, 0, 0, 4);
  column->setSpacing(2);
  auto* area = new QScrollArea(this);
  area->setWidgetResizable(true);
  area->setFocusPolicy(Qt::NoFocus);
  auto* body = new QWidget(area);
  m_list = new QVBoxLayout(body);
  m_list->setContentsMargins(0, 0, 8, 0);
  m_list->setSpacing(0);
  m_empty = new QLabel(tr("Each light of the picture has a row here, as soon as there is one."), body);
  m_empty->setAlignment(Qt::AlignCenter);
  m_empty->setStyleSheet(QStringLiteral("color: #9a968f; padding: 20px"));
  m_list->addWidget(m_empty);
  m_list->addStretch(1);
  area->setWidget(body);
  column->addWidget(area, 1);
  auto* foot = new QHBoxLayout;
  foot->setContentsMargins(6, 0, 8, 0);
  m_write = flatButton(this, tr("Write it into the lights"),
                       tr("Writes the balance into the lights themselves; the picture stays as it is"), "accent");
  m_clear = flatButton(this, tr("Take the balance off"), tr("Every light as it says itself"));
  m_rehearse = flatButton(this, tr("Rehearse"),
                          tr("While frames play (Ctrl+P), what you drag here is taken down: when they stop it becomes "
                             "keys, one step of undo and one proof a take"));
  m_rehearse->setCheckable(true);
  foot->addStretch(1);
  foot->addWidget(m_rehearse);
  foot->addWidget(m_clear);
  foot->addWidget(m_write);
  column->addLayout(foot);
  connect(m_write, &QToolButton::clicked, this, &BalancePanel::writeInto);
  connect(m_clear, &QToolButton::clicked, this, &BalancePanel::clear);
  connect(&studio, &Studio::imageArrived, this, &BalancePanel::rebuild);
  connect(&studio, &Studio::viewChanged, this, &BalancePanel::followPlaying);
  connect(m_rehearse, &QToolButton::toggled, this, &BalancePanel::followPlaying);
  connect(&studio, &Studio::documentChanged, this, [this] {
    if (m_rehearsal) m_rehearsal->note(m_studio.doc(), m_studio.frame());
    for (BalanceRow* r : m_rows) r->refresh();
    const bool any = !m_studio.doc().family("balance").empty();
    m_write->setEnabled(any);
    m_clear->setEnabled(any);
  });
  m_write->setEnabled(false);
  m_clear->setEnabled(false);
}

void BalancePanel::followPlaying() {
  const bool runs = m_studio.view().playing && m_rehearse->isChecked();
  if (runs && !m_rehearsal) {
    m_rehearsal.emplace(m_studio.doc(), "balance");
    m_take = m_studio.newGesture();
    for (BalanceRow* r : m_rows) r->setTake(m_take);
    m_studio.tell(tr("Drag stops, switches and tints: they are taken down till the frames stop"));
  }
  if (runs || !m_rehearsal) return;
  const Rehearsal take = *std::exchange(m_rehearsal, std::nullopt);
  const uint64_t gesture = std::exchange(m_take, 0);
  for (BalanceRow* r : m_rows) r->setTake(0);
  if (take.empty()) return;
  const Document keyed = take.taken();
  const QString name = tr("Take %1").arg(++m_takes);
  m_studio.edit(
      name, [&](const Document& now) { return atFrame(keyed, currentFrame(now)); }, gesture);
  m_studio.tell(tr("%1 stands as keys in the Motion drawer, and as a proof").arg(name));
  m_studio.whenShown([&studio = m_studio, name] { studio.keep(name); });
}

BalanceRow* BalancePanel::row(const BalanceSource& source) const {
  for (BalanceRow* r : m_rows)
    if (r->source() == source) return r;
  return nullptr;
}

void BalancePanel::rebuild() {
  const auto& image = m_studio.image();
  if (!image || image->groups.empty()) return;
  std::vector<const SessionImage::Group*> shown;
  for (const SessionImage::Group& g : image->groups)
    if (const Node* light = m_studio.doc().find(g.source.light);
        light && light->kind->family() != "plate" &&
        std::none_of(shown.begin(), shown.end(), [&](const auto* o) { return o->source == g.source; }))
      shown.push_back(&g);
  const bool same = shown.size() == m_rows.size() &&
                    std::equal(shown.begin(), shown.end(), m_rows.begin(),
                               [](const auto* g, const BalanceRow* r) { return g->source == r->source(); });
  if (!same) {
    for (BalanceRow* r : m_rows) delete r;
    m_rows.clear();
    for (const auto* g : shown) {
      auto* r = new BalanceRow(m_studio, g->source, this);
      r->setTake(m_take);
      m_list->insertWidget(int(m_rows.size()), r);
      m_rows.push_back(r);
    }
  }
  // Asked once for all rows, and only where they are in sight: in a large set it takes its time.
  const auto objects =
      isVisible() ? objectsByMaterial(m_studio.doc(), m_studio.frame()) : std::map<NodeId, std::vector<NodeId>>();
  const ScenePtr scene = m_studio.session().scene();
  for (size_t i = 0; i < shown.size(); ++i) {
    // A material's own light may stand in several groups, one for each use that changes it.
    SessionImage::Group sum = *shown[i];
    sum.share = 0;
    for (const SessionImage::Group& g : image->groups)
      if (g.source == sum.source) sum.share += g.share;
    const Node *n = m_studio.doc().find(sum.source.light), *object = m_studio.doc().find(sum.source.object);
    if (n)
      sum.name = object ? qs(object->name).append(QStringLiteral(" · ")).append(qs(n->name)).toStdString() : n->name;
    if (sum.source.copy) sum.name = (object ? object : n)->name + " " + std::to_string(sum.source.copy);
    const auto copies = [&](NodeId id) -> size_t {
      const auto it = scene ? scene->copiesOf.find(id) : std::map<NodeId, uint32_t>::const_iterator();
      return scene && it != scene->copiesOf.end() ? it->second : 1;
    };
    size_t parts = 0;
    if (const auto of = objects.find(sum.source.light); !sum.source.copy && n && of != objects.end())
      parts = sum.source.object        ? copies(sum.source.object)
              : of->second.size() == 1 ? copies(of->second[0])
                                       : of->second.size();
    else if (!sum.source.copy && n && n->kind->family() == "light")
      parts = copies(sum.source.light);
    m_rows[i]->show(sum, parts);
  }
  m_empty->setVisible(m_rows.empty());
}

void BalancePanel::writeInto() {
  if (m_studio.edit(tr("Write the balance into the lights"), [](const Document& d) { return writeBalance(d); }))
    m_studio.tell(tr("The balance is written into the lights"));
}

void BalancePanel::clear() {
  m_studio.edit(tr("Take the balance off"), [](const Document& d) { return withoutBalance(d); });
}

DrawerPage balancePage() {
  return {QStringLiteral("balance"),
          BalancePanel::tr("Balance"),
          BalancePanel::tr("Every light's switch, stops and tint, over the picture as it is"),
          "Ctrl+8",
          true,
          [](Studio& studio, QWidget* parent) { return new BalancePanel(studio, parent); }};
}

} // namespace ilumbra
