#include "app/drawer/motion_chart.h"

#include "app/theme.h"
#include "core/base/colorspace.h"
#include "core/document/mover.h"
#include "core/document/units.h"

#include <QPainter>

#include <cmath>

namespace ilumbra {
namespace {

constexpr int rangeWidth = 132, thingHeight = 22, rowHeight = 27, openHeight = 62;
const QColor sand{0x94, 0x87, 0x6b}, sandFill{0x4b, 0x47, 0x3c}, sandFaint{0x6a, 0x62, 0x50};

// The numbers of a value that a profile shows.
std::vector<double> numbersOf(const Constant& c) {
  if (const double* v = std::get_if<double>(&c)) return {*v};
  if (const bool* v = std::get_if<bool>(&c)) return {*v ? 1.0 : 0.0};
  if (const Triple* t = std::get_if<Triple>(&c)) return {(*t)[0], (*t)[1], (*t)[2]};
  return {};
}

// A step of the ruled line that leaves room for its number.
double niceStep(double frames, double pixels) {
  const double least = 64 * frames / std::max(1.0, pixels);
  for (double ten = 1;; ten *= 10)
    for (const double k : {1.0, 2.0, 5.0})
      if (k * ten >= least) return k * ten;
}

} // namespace

MotionChart::MotionChart(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio) {
  setObjectName(QStringLiteral("motionChart"));
  setAccessibleName(tr("What moves, over the frames"));
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  rebuild();
}

// Another frame changes no row.
void MotionChart::follow() {
  if (m_shown && *m_shown == atFrame(m_studio.doc(), currentFrame(*m_shown))) {
    update();
    spokenChanged(this);
    Q_EMIT rowsChanged();
    return;
  }
  rebuild();
}

QSize MotionChart::sizeHint() const {
  return {560, m_rows.empty() ? rulerHeight : m_rows.back().top + m_rows.back().height + 4};
}

void MotionChart::rebuild() {
  const Document& doc = m_studio.doc();
  m_shown = doc;
  const Params s = settingsOf(doc);
  m_first = s.number("first_frame");
  m_last = std::max(m_first + 1, s.number("last_frame"));
  m_rows.clear();
  const std::vector<Address> moving = movingValues(doc);
  const Node* current = doc.find(m_current.node);
  const bool playing = current && m_current.param == "begins" && playsByItself(*current);
  if (!playing && std::find(moving.begin(), moving.end(), m_current) == moving.end())
    m_current = moving.empty() ? Address{} : moving.front();
  for (size_t i = 0; i < moving.size(); ++i) {
    const Address& a = moving[i];
    const Node& n = *doc.find(a.node);
    const auto same = [&](size_t k) { return k < moving.size() && moving[k].node == a.node; };
    const bool several = (i > 0 && same(i - 1)) || same(i + 1);
    if (several && (i == 0 || !same(i - 1))) m_rows.push_back({{a.node, {}, 0, {}}, qs(n.name), {}});
    if (const Keys* k = keysAt(doc, a)) {
      m_first = std::min(m_first, k->keys.front().frame);
      m_last = std::max(m_last, k->keys.back().frame);
    }
    if (several && m_folded.count(a.node)) continue;
    const ParamDef& d = definitionAt(doc, a);
    QString label = qs(d.label);
    if (!a.input.empty()) label = tr("%1: %2").arg(qs(n.kind->param(a.param)->label), label.toLower());
    m_rows.push_back({a, several ? label : tr("%1 · %2").arg(qs(n.name), label.toLower()), {}, &d, 0, 0, several});
  }
  for (const Node* n : doc.inOrder())
    if (playsByItself(*n))
      m_rows.push_back({{n->id, "begins", 0, {}},
                        tr("%1 · plays").arg(qs(n->name)),
                        {},
                        n->kind->param("begins"),
                        0,
                        0,
                        false,
                        true});
  if (!m_current.node && !m_rows.empty() && m_rows.front().def) m_current = m_rows.front().at;
  // What was chosen and is there no more.
  std::erase_if(m_chosen, [&](const KeyPlace& c) {
    const Keys* k = keysAt(doc, c.at);
    return !k || std::none_of(k->keys.begin(), k->keys.end(), [&](const Key& key) { return key.frame == c.frame; });
  });
  m_spans.assign(m_rows.size(), {0, 1});
  for (size_t i = 0; i < m_rows.size(); ++i) {
    Row& r = m_rows[i];
    if (!r.def) continue;
    if (r.plays) {
      const Params p(*doc.find(r.at.node), m_first);
      r.range = tr("%1, %2 ×").arg(qs(p.text("play"))).arg(p.number("speed"), 0, 'g', 4);
      continue;
    }
    const Value v = valueAt(doc, r.at);
    double least = 1e300, most = -1e300;
    constexpr int samples = 256;
    for (int k = 0; k <= samples; ++k)
      for (const double x : numbersOf(*evaluate(v, *r.def, m_first + (m_last - m_first) * k / samples))) {
        least = std::min(least, x);
        most = std::max(most, x);
      }
    if (const Keys* keys = v.keys())
      for (const Key& key : keys->keys)
        for (const double x : numbersOf(key.value)) {
          least = std::min(least, x);
          most = std::max(most, x);
        }
    if (least > most) continue; // words: no profile
    m_spans[i] = {least, most};
    if (r.def->type == ParamType::Color) continue;
    if (v.moved()) {
      QStringList words;
      for (const Mover& m : v.moved()->movers) words += qs(moverKind(m.kind)->label).toLower();
      r.range = words.join(QStringLiteral(", "));
    } else if (r.def->type == ParamType::Flag) {
      r.range = tr("off, on");
    } else {
      // The unit once, behind both, if they have the same.
      const bool same = shownUnit(*r.def, least) == shownUnit(*r.def, most);
      r.range = qs(formatNumber(*r.def, most));
      if (least < most) r.range = qs(formatNumber(*r.def, least, !same)) + QStringLiteral(" – ") + r.range;
    }
  }
  layOut();
  updateGeometry();
  update();
  spokenChanged(this);
  Q_EMIT rowsChanged();
}

void MotionChart::layOut() {
  int y = rulerHeight;
  for (Row& r : m_rows) {
    r.top = y;
    const bool open = r.def && r.at == m_current;
    r.height = open ? openHeight : r.def ? rowHeight : thingHeight;
    y += r.height;
  }
  setMinimumHeight(y + 4);
}

void MotionChart::resizeEvent(QResizeEvent*) { update(); }

QRect MotionChart::band(const Row& r) const {
  const int left = nameWidth, right = std::max(left + 60, width() - rangeWidth);
  return {left, r.top + 5, right - left, r.height - 10};
}

double MotionChart::xOf(double frame) const {
  const double left = nameWidth, right = std::max(left + 60, double(width() - rangeWidth));
  return left + 6 + (frame - m_first) / (m_last - m_first) * (right - left - 12);
}

double MotionChart::frameAt(double x, bool seconds) const {
  const double left = xOf(m_first), right = xOf(m_last);
  const double f = m_first + (x - left) / (right - left) * (m_last - m_first);
  const double rate = std::max(1.0, settingsOf(m_studio.doc()).number("rate"));
  return seconds ? std::round((f - 1) / rate) * rate + 1 : std::round(f);
}

QPointF MotionChart::notch(const Row& r, const Key& key) const {
  const QRect b = band(r);
  const auto [least, most] = m_spans[size_t(&r - m_rows.data())];
  const std::vector<double> v = numbersOf(key.value);
  double up = 0.5;
  if (v.size() == 1 && most > least) up = (v[0] - least) / (most - least);
  return {xOf(key.frame), b.bottom() - up * b.height()};
}

std::vector<QPolygonF> MotionChart::profile(size_t row) const {
  const Row& r = m_rows[row];
  if (r.plays) return {playedProfile(r)};
  const QRect b = band(r);
  const Value v = valueAt(m_studio.doc(), r.at);
  const auto [least, most] = m_spans[row];
  std::vector<QPolygonF> lines;
  for (double x = b.left() + 6; x <= b.right() - 5; x += 2) {
    const double frame = m_first + (x - xOf(m_first)) / (xOf(m_last) - xOf(m_first)) * (m_last - m_first);
    const std::vector<double> n = numbersOf(*evaluate(v, *r.def, frame));
    lines.resize(n.size());
    for (size_t c = 0; c < n.size(); ++c)
      lines[c] << QPointF(x, b.bottom() - (most > least ? (n[c] - least) / (most - least) : 0.5) * b.height());
  }
  return lines;
}

bool MotionChart::isChosen(const KeyPlace& k) const {
  return std::find(m_chosen.begin(), m_chosen.end(), k) != m_chosen.end();
}

void MotionChart::paintRuler(QPainter& p) const {
  p.setFont(theme::font(10));
  const double step = niceStep(m_last - m_first, xOf(m_last) - xOf(m_first));
  for (double f = std::ceil(m_first / step) * step; f <= m_last; f += step) {
    const int x = int(xOf(f));
    p.setPen(theme::tick);
    p.drawLine(x, rulerHeight - 7, x, rulerHeight - 3);
    p.setPen(theme::faint);
    p.drawText(QRect(x - 30, 2, 60, 14), Qt::AlignCenter, QString::number(f));
  }
  p.setPen(theme::tick);
  p.drawLine(QPointF(xOf(m_first), rulerHeight - 3), QPointF(xOf(m_last), rulerHeight - 3));
  // The frame at hand, through all rows.
  const double now = m_studio.frame();
  if (now < m_first || now > m_last) return;
  const double x = xOf(now);
  p.fillRect(QRectF(x - 0.75, rulerHeight - 6, 1.5, height() - rulerHeight), theme::text);
  const QString text = QString::number(now, 'g', 6);
  const QRectF plate(x - 22, 1, 44, 17);
  p.fillRect(plate, theme::desk);
  p.setFont(theme::font(11, 700));
  p.setPen(theme::text);
  p.drawText(plate, Qt::AlignCenter, text);
}

void MotionChart::paintRow(QPainter& p, size_t row) const {
  const Row& r = m_rows[row];
  const bool open = r.height == openHeight && r.def;
  const QRect whole(0, r.top, width(), r.height), b = band(r);
  if (open) p.fillRect(whole, hasFocus() ? theme::selected : QColor(0x2b, 0x32, 0x30));
  p.setFont(theme::font(r.def ? 11.5 : 11, open ? 600 : 500));
  p.setPen(r.def ? theme::text : theme::dim);
  const int indent = r.inThing ? 22 : 10;
  const QRect name(indent, r.top + (open ? 4 : 0), nameWidth - indent - 8, open ? 18 : r.height);
  p.drawText(name, Qt::AlignLeft | Qt::AlignVCenter, p.fontMetrics().elidedText(r.name, Qt::ElideRight, name.width()));
  const Document& doc = m_studio.doc();
  if (!r.def) {
    // Of a thing: all its keys, and whether it is folded.
    p.setPen(theme::faint);
    p.drawText(QRect(width() - rangeWidth + 8, r.top, rangeWidth - 10, r.height), Qt::AlignLeft | Qt::AlignVCenter,
               m_folded.count(r.at.node) ? tr("fold out") : tr("fold in"));
    p.setPen(theme::line);
    p.drawLine(b.left() + 6, r.top + r.height / 2, b.right() - 5, r.top + r.height / 2);
    for (const Address& a : movingValues(doc))
      if (a.node == r.at.node)
        if (const Keys* keys = keysAt(doc, a))
          for (const Key& k : keys->keys) p.fillRect(QRectF(xOf(k.frame) - 1, r.top + 7, 2, r.height - 14), sand);
    return;
  }
  p.setFont(theme::font(10));
  if (open) {
    const Value v = valueAt(doc, r.at);
    const KeyPlace* only = nullptr;
    for (const KeyPlace& k : m_chosen)
      if (k.at == r.at) only = only ? nullptr : &k;
    QString first = tr("now: %1").arg(qs(formatValue(doc, *r.def, *evaluate(v, *r.def, m_studio.frame())))), second;
    if (r.plays) {
      first = tr("begins at frame %1").arg(std::get<double>(*v.constant()), 0, 'g', 6);
      if (const double round = roundOf(r); round > 0) second = tr("a round takes %1 frames").arg(round, 0, 'g', 4);
    } else if (m_chosen.size() > 1) {
      first = tr("%n key(s) chosen", nullptr, int(m_chosen.size()));
    } else if (only) {
      for (const Key& k : v.anyKeys()->keys)
        if (k.frame == only->frame) {
          first = tr("key at %1: %2").arg(k.frame).arg(qs(formatValue(doc, *r.def, k.value)));
          switch (k.shape) {
          case KeyShape::Hold:
            second = tr("holds");
            break;
          case KeyShape::Linear:
            second = tr("goes on straight");
            break;
          case KeyShape::Smooth:
            second = tr("goes on smoothly");
            break;
          case KeyShape::EaseIn:
            second = tr("leaves slowly, %1 %").arg(std::lround(100 * k.ease));
            break;
          case KeyShape::EaseOut:
            second = tr("arrives slowly, %1 %").arg(std::lround(100 * k.ease));
            break;
          case KeyShape::EaseBoth:
            second = tr("leaves and arrives slowly, %1 %").arg(std::lround(100 * k.ease));
            break;
          }
        }
    }
    p.setPen(theme::text);
    const QRect line(indent, r.top + 23, nameWidth - indent - 8, 16);
    p.drawText(line, Qt::AlignLeft | Qt::AlignVCenter, p.fontMetrics().elidedText(first, Qt::ElideRight, line.width()));
    p.setPen(theme::dim);
    p.drawText(line.translated(0, 16), Qt::AlignLeft | Qt::AlignVCenter, second);
  }
  p.setPen(theme::dim);
  const QRect range(width() - rangeWidth + 8, r.top + 4, rangeWidth - 10, r.height - 8);
  if (open)
    p.drawText(range, Qt::AlignLeft | Qt::AlignVCenter | Qt::TextWordWrap, r.range);
  else
    p.drawText(range, Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(r.range, Qt::ElideRight, range.width()));
  // The profile: filled under a single number, lines for several, colours as they are.
  const Value v = valueAt(doc, r.at);
  if (r.def->type == ParamType::Color) {
    for (int x = b.left() + 6; x <= b.right() - 5; x += 3) {
      const double frame = m_first + (x - xOf(m_first)) / (xOf(m_last) - xOf(m_first)) * (m_last - m_first);
      const Constant c = *evaluate(v, *r.def, frame);
      const Triple t = std::get<Triple>(c);
      const auto shown = [](double n) { return int(255 * srgbEncoded(clamp01(float(n)))); };
      p.fillRect(QRect(x, b.top() + b.height() / 4, 3, b.height() / 2), QColor(shown(t[0]), shown(t[1]), shown(t[2])));
    }
  } else {
    p.setRenderHint(QPainter::Antialiasing);
    const std::vector<QPolygonF> lines = profile(row);
    for (size_t c = 0; c < lines.size(); ++c) {
      if (lines.size() == 1) {
        QPolygonF under = lines[c];
        under << QPointF(under.back().x(), b.bottom() + 1) << QPointF(under.front().x(), b.bottom() + 1);
        p.setPen(Qt::NoPen);
        p.setBrush(sandFill);
        p.drawPolygon(under);
      }
      p.setBrush(Qt::NoBrush);
      p.setPen(QPen(c == 1 ? sand : lines.size() == 1 ? sand : sandFaint, 1.25));
      p.drawPolyline(lines[c]);
    }
    if (lines.empty()) {
      p.setPen(theme::line);
      p.drawLine(b.left() + 6, b.center().y(), b.right() - 5, b.center().y());
      if (const Keys* keys = v.keys()) paintWords(p, r, *keys, b);
    }
    p.setRenderHint(QPainter::Antialiasing, false);
  }
  if (const Keys* keys = v.anyKeys())
    for (const Key& k : keys->keys) {
      const bool chosen = isChosen({r.at, k.frame});
      const QPointF at = notch(r, k);
      const double half = open ? 8 : 6;
      p.fillRect(
          QRectF(at.x() - 2, std::clamp(at.y() - half, double(b.top() - 2), b.bottom() - 2 * half + 3), 4, 2 * half),
          chosen ? theme::accent : theme::text);
    }
  if (const auto handle = open ? easeHandle() : std::nullopt) {
    p.setPen(QPen(theme::accent, 1));
    p.drawLine(handle->first, handle->second);
    p.fillRect(QRectF(handle->second.x() - 1.5, handle->second.y() - 4, 3, 8), theme::accent);
  }
}

void MotionChart::paintEvent(QPaintEvent*) {
  QPainter p(this);
  for (size_t i = 0; i < m_rows.size(); ++i) paintRow(p, i);
  paintRuler(p);
}

// What has no number says in words what it is from each key to the next.
void MotionChart::paintWords(QPainter& p, const Row& r, const Keys& keys, const QRect& band) const {
  p.save();
  p.setFont(theme::font(10));
  p.setPen(theme::dim);
  for (size_t i = 0; i < keys.keys.size(); ++i) {
    const double from = std::max(notch(r, keys.keys[i]).x() + 6, band.left() + 6.0),
                 to = i + 1 < keys.keys.size() ? notch(r, keys.keys[i + 1]).x() - 6 : band.right() - 6.0;
    if (to - from < 12) continue;
    const QString words = qs(formatValue(m_studio.doc(), *r.def, keys.keys[i].value));
    const QRectF place(from, std::max(band.top() - 3.0, band.center().y() - 15.0), to - from, 13);
    p.drawText(place, Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(words, Qt::ElideRight, int(to - from)));
  }
  p.restore();
}

QString MotionChart::spokenValue() const {
  const Row* r = currentRow();
  if (!r) return tr("Nothing moves");
  const Keys* k = keysAt(m_studio.doc(), r->at);
  QString text = tr("%1, %n key(s)", nullptr, k ? int(k->keys.size()) : 0).arg(r->name);
  if (m_chosen.size() == 1) text += tr(", key at frame %1").arg(m_chosen.front().frame);
  return text;
}

} // namespace ilumbra
