#include "app/drawer/strip_panel.h"

#include "app/dialogs/question.h"
#include "app/drawer/drawer.h"
#include "app/theme.h"
#include "app/viewport/picture_bar.h"
#include "core/base/error.h"
#include "core/display/view.h"
#include "core/document/key_edit.h"
#include "core/document/units.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPainter>
#include <QPointer>
#include <QStyledItemDelegate>
#include <QToolButton>

namespace ilumbra {

namespace {

constexpr int nowRole = Qt::UserRole, stateRole = Qt::UserRole + 1;
constexpr int wide = 320;

class CellDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem& o, const QModelIndex&) const override {
    const auto* list = qobject_cast<const QListWidget*>(o.widget);
    const int high = std::clamp((list ? list->viewport()->height() : 120) - 24, 60, 200);
    return {high * 8 / 5 + 10, high + 22};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& o, const QModelIndex& i) const override {
    const QRect r = o.rect.adjusted(1, 1, -8, -21);
    p->fillRect(r, QColor(0x0c, 0x0c, 0x0c));
    const QImage image = i.data(Qt::DecorationRole).value<QImage>();
    if (!image.isNull()) {
      const QSize fit = image.size().scaled(r.size(), Qt::KeepAspectRatio);
      p->setRenderHint(QPainter::SmoothPixmapTransform);
      p->drawImage(QRect(r.center() - QPoint(fit.width() / 2, fit.height() / 2), fit), image);
    }
    const QString state = i.data(stateRole).toString();
    if (image.isNull()) {
      p->setFont(theme::font(10));
      p->setPen(theme::faint);
      p->drawText(r.adjusted(6, 4, -6, -4), Qt::AlignCenter | Qt::TextWordWrap, state);
    }
    const bool chosen = o.state & QStyle::State_Selected, now = i.data(nowRole).toBool();
    if (chosen) {
      p->setPen(QPen(theme::accent, 2));
      p->setBrush(Qt::NoBrush);
      p->drawRect(r.adjusted(0, 0, -1, -1));
    }
    const QRect line(r.left(), r.bottom() + 3, r.width(), 17);
    p->setFont(theme::font(11, now ? 600 : 500));
    p->setPen(chosen || now ? theme::text : theme::dim);
    const QString word = now ? StripPanel::tr("now") : QString();
    const int behind = word.isEmpty() ? 0 : p->fontMetrics().horizontalAdvance(word) + 8;
    p->drawText(line, Qt::AlignLeft | Qt::AlignVCenter,
                p->fontMetrics().elidedText(i.data().toString(), Qt::ElideRight, line.width() - behind));
    p->setPen(theme::accent);
    p->drawText(line, Qt::AlignRight | Qt::AlignVCenter, word);
  }
};

} // namespace

StripPanel::StripPanel(Studio& studio, QWidget* parent) : QWidget(parent), m_studio(studio), m_of(studio.doc()) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 0, 12, 4);
  column->setSpacing(2);
  auto* head = new QHBoxLayout;
  head->setSpacing(6);
  m_head = new QLabel(this);
  m_head->setStyleSheet(QStringLiteral("color: #b5b0a7"));
  head->addWidget(m_head, 1);
  m_state = new QLabel(this);
  m_state->setStyleSheet(QStringLiteral("color: #9a968f"));
  head->addWidget(m_state);
  m_take =
      flatButton(this, tr("take it"), tr("The chosen value becomes the document's, as one step (Return)"), "accent");
  m_choose = flatButton(this, tr("Try a parameter…"), tr("Of what is selected: its values side by side"), "accent");
  m_more = flatButton(this, tr("more"), tr("How many, which values, crossed with another parameter, keep, finer"));
  for (QToolButton* b : {m_take, m_choose, m_more}) head->addWidget(b);
  column->addLayout(head);
  m_empty =
      new QLabel(tr("A parameter at several values, side by side. Select a thing and choose one, or take Test strip in "
                    "the menu of a row in Settings."),
                 this);
  m_empty->setWordWrap(true);
  m_empty->setAlignment(Qt::AlignCenter);
  m_empty->setStyleSheet(QStringLiteral("color: #9a968f"));
  column->addWidget(m_empty, 1);
  m_list = new QListWidget(this);
  m_list->setFlow(QListView::LeftToRight);
  m_list->setWrapping(false);
  m_list->setItemDelegate(new CellDelegate(m_list));
  m_list->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
  m_list->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_list->setAccessibleName(tr("Test strip"));
  m_list->setToolTip(tr("Return takes the chosen value, K keeps it as a proof, F goes finer around it, Delete stops"));
  m_list->installEventFilter(this);
  column->addWidget(m_list, 4);
  connect(&studio, &Studio::valuesTried, this, [this](const Address& at) {
    if (!isVisible())
      for (QWidget* w = parentWidget(); w; w = w->parentWidget())
        if (auto* drawer = qobject_cast<Drawer*>(w)) {
          drawer->showPage(QStringLiteral("strip"));
          break;
        }
    tryValues(at);
  });
  connect(m_choose, &QToolButton::clicked, this, &StripPanel::choose);
  connect(m_more, &QToolButton::clicked, this, &StripPanel::more);
  connect(m_take, &QToolButton::clicked, this, [this] { take(m_list->currentRow()); });
  connect(m_list, &QListWidget::itemActivated, this, [this](QListWidgetItem* i) { take(m_list->row(i)); });
  connect(m_list, &QListWidget::currentRowChanged, this, [this] { showHead(); });
  showHead();
}

void StripPanel::resizeEvent(QResizeEvent*) { m_list->doItemsLayout(); }

StripMaker& StripPanel::maker() {
  if (!m_maker)
    m_maker = std::make_unique<StripMaker>(
        m_studio.sharedAssets(), m_studio.sharedViews(),
        [self = QPointer<StripPanel>(this), send = m_studio.sender()](std::shared_ptr<const StripMaker::Shown> s) {
          send([self, s] {
            if (self) self->arrive(*s);
          });
        });
  return *m_maker;
}

void StripPanel::tryValues(const Address& at) {
  m_axes = {{at, {}}};
  m_spread = StripSpread::AroundNow;
  m_low.clear();
  m_high.clear();
  m_typed = false;
  make();
}

void StripPanel::make() {
  if (m_axes.empty()) return;
  try {
    m_of = m_studio.doc();
    for (size_t k = 0; k < m_axes.size(); ++k) {
      if (k == 0 && m_typed) continue;
      // Crossed, both together have a strip's worth of pictures.
      const int count = m_axes.size() > 1 ? std::clamp(int(std::lround(std::sqrt(m_count))), 2, 5) : m_count;
      m_axes[k].values = stripValues(m_of, m_axes[k].at, k == 0 ? m_spread : StripSpread::AroundNow, count,
                                     k == 0 ? m_low.toStdString() : "", k == 0 ? m_high.toStdString() : "");
    }
    m_cells = stripCells(m_of, m_axes);
  } catch (const std::exception& e) {
    m_studio.tell(QString::fromUtf8(e.what()), true);
    return;
  }
  m_list->clear();
  int now = 0;
  for (size_t k = 0; k < m_cells.size(); ++k) {
    auto* i = new QListWidgetItem(qs(m_cells[k].label), m_list);
    i->setData(nowRole, m_cells[k].now);
    i->setData(stateRole, tr("is being made"));
    i->setToolTip(qs(m_cells[k].label));
    if (m_cells[k].now) now = int(k);
  }
  m_list->setCurrentRow(now);
  m_list->scrollToItem(m_list->item(now), QAbstractItemView::PositionAtCenter);
  m_progress = 0;
  m_rays = 0;
  m_rendered.clear();
  if (m_maker) m_maker->stop();
  showHead();
  // What differs in lens or balance alone comes out of the film that is there.
  const uint64_t strip = ++m_strip;
  m_studio.session().run([self = QPointer<StripPanel>(this), send = m_studio.sender(), assets = m_studio.sharedAssets(),
                          views = m_studio.sharedViews(), cells = m_cells,
                          strip](const Session::State* state, const std::string&) {
    std::vector<size_t> rest;
    std::optional<StripFromFilm> small;
    if (state) small.emplace(state->rendering.scene(), state->rendering.film(), wide, state->tasks, state->denoiser);
    for (size_t k = 0; k < cells.size(); ++k) {
      std::optional<Picture> p;
      try {
        if (state && sameFilm(state->written, cells[k].doc))
          p = small->picture(cells[k].doc, assets->assets(cells[k].doc.folder(), &state->leaving), &state->leaving);
      } catch (const std::exception&) { // rendered by itself it says why
      }
      if (!p) {
        rest.push_back(k);
        continue;
      }
      const std::vector<float> values = views->exact(*p, settingsOf(cells[k].doc).text("view"));
      QImage image(p->width, p->height, QImage::Format_RGB888);
      for (int y = 0; y < p->height; ++y)
        for (int x = 0; x < 3 * p->width; ++x)
          image.scanLine(y)[x] = uint8_t(values[size_t(3 * p->width * y + x)] * 255 + 0.5f);
      send([self, strip, k, image] {
        if (self && self->m_strip == strip)
          self->show(k, image, StripPanel::tr("%1 · out of the live picture").arg(qs(self->m_cells[k].label)));
      });
    }
    send([self, strip, rest] {
      if (self && self->m_strip == strip) self->render(rest);
    });
  });
}

void StripPanel::render(std::vector<size_t> cells) {
  m_rendered = std::move(cells);
  if (m_rendered.empty()) {
    m_progress = 1;
    showHead();
    Q_EMIT arrived();
    return;
  }
  std::vector<StripCell> wanted;
  for (const size_t k : m_rendered) wanted.push_back(m_cells[k]);
  m_request = maker().ask(std::move(wanted), wide, 0);
}

void StripPanel::show(size_t cell, const QImage& image, const QString& tip) {
  QListWidgetItem* i = m_list->item(int(cell));
  if (!i) return;
  i->setData(Qt::DecorationRole, image);
  i->setToolTip(tip);
}

void StripPanel::arrive(const StripMaker::Shown& s) {
  if (s.request != m_request || s.cell >= m_rendered.size()) return;
  m_progress = s.progress;
  m_rays = std::max(m_rays, s.rays);
  const size_t cell = m_rendered[s.cell];
  QListWidgetItem* i = m_list->item(int(cell));
  if (!i) return;
  if (!s.error.empty()) {
    i->setData(stateRole, qs(s.error));
    i->setToolTip(qs(s.error));
  } else {
    const QImage image(s.rgba.data(), s.width, s.height, QImage::Format_RGBX8888);
    show(cell, image.copy(),
         s.samples ? tr("%1 · %n sample(s)", nullptr, int(s.samples)).arg(qs(m_cells[cell].label))
                   : tr("%1 · draft").arg(qs(m_cells[cell].label)));
  }
  showHead();
  Q_EMIT arrived();
}

void StripPanel::showHead() {
  const bool any = !m_cells.empty();
  m_list->setVisible(any);
  m_empty->setVisible(!any);
  m_take->setEnabled(any && m_list->currentRow() >= 0);
  if (!any) {
    m_head->clear();
    m_state->clear();
    return;
  }
  QStringList names;
  for (const StripAxis& a : m_axes)
    if (m_studio.doc().find(a.at.node)) {
      const Node& n = *m_studio.doc().find(a.at.node);
      names += QStringLiteral("%1 · %2").arg(qs(n.name), qs(definitionAt(m_studio.doc(), a.at).label).toLower());
    }
  m_head->setText(
      QStringLiteral("%1 · %2").arg(names.join(tr(" by ")), tr("%n picture(s)", nullptr, int(m_cells.size()))));
  m_state->setText(m_progress >= 1 ? tr("done") : tr("%1 % of the samples").arg(int(100 * m_progress)));
}

void StripPanel::take(int row) {
  if (row < 0 || size_t(row) >= m_cells.size()) return;
  // What was changed meanwhile stays: the values alone are taken.
  const StripCell& cell = m_cells[size_t(row)];
  if (m_studio.edit(tr("Take %1").arg(qs(cell.label)), [&](const Document& now) {
        Document out = now;
        for (const StripAxis& a : m_axes) out = setAt(out, a.at, valueAt(cell.doc, a.at));
        return out;
      }))
    for (int k = 0; k < m_list->count(); ++k) m_list->item(k)->setData(nowRole, k == row);
}

void StripPanel::keep(int row) {
  if (row < 0 || size_t(row) >= m_cells.size()) return;
  take(row);
  const QString name = qs(m_cells[size_t(row)].label);
  m_studio.whenShown([studio = &m_studio, name] { studio->keep(name); });
}

void StripPanel::finer(int row) {
  if (row < 0 || size_t(row) >= m_cells.size() || m_axes.size() != 1 || m_axes.front().values.size() < 2) return;
  const ParamDef& d = definitionAt(m_of, m_axes.front().at);
  if (d.type != ParamType::Number && d.type != ParamType::Integer)
    return m_studio.tell(tr("Only numbers can be tried more finely"), true);
  const auto& values = m_axes.front().values;
  const size_t r = size_t(row);
  m_low = qs(values[r > 0 ? r - 1 : r]);
  m_high = qs(values[r + 1 < values.size() ? r + 1 : r]);
  m_spread = StripSpread::Even;
  m_typed = false;
  make();
}

void StripPanel::typeValues() {
  if (m_axes.empty()) return;
  QStringList now;
  for (const std::string& v : m_axes.front().values) now += qs(v);
  const auto text = askForText(this, tr("Values to try"), tr("With ; between them: 5 %; 10 %; +1 stop"),
                               now.join(QStringLiteral("; ")));
  if (!text) return;
  std::vector<std::string> values;
  for (const QString& v : text->split(u';', Qt::SkipEmptyParts)) values.push_back(v.trimmed().toStdString());
  m_axes.front().values = values;
  m_typed = true;
  make();
}

namespace {
// The parameters of what is selected that can be tried, those that matter most first; of an effect those of what is in
// its roles too.
std::vector<std::pair<QString, Address>> triable(const Studio& studio) {
  std::vector<std::pair<QString, Address>> out;
  std::vector<const Node*> things;
  for (const NodeId id : studio.selection())
    if (const Node* n = studio.doc().find(id)) {
      things.push_back(n);
      if (n->kind->family() == "effect")
        for (const Role& r : effectKind(*n)->roles)
          for (const NodeId in : roleOf(studio.doc(), *n, r.param))
            if (const Node* t = studio.doc().find(in)) things.push_back(t);
    }
  for (const bool major : {true, false})
    for (const Node* n : things)
      for (const ParamDef& d : n->kind->params) {
        if (d.major != major || !counts(*n, d, studio.frame())) continue;
        if (d.type != ParamType::Number && d.type != ParamType::Integer && d.type != ParamType::Flag &&
            d.type != ParamType::Choice && d.type != ParamType::Color)
          continue;
        if (const Value* v = n->find(d.name); v && v->pattern()) continue;
        out.emplace_back(QStringLiteral("%1 · %2").arg(qs(n->name), qs(d.label)), Address{n->id, d.name, 0, {}});
      }
  return out;
}
} // namespace

void StripPanel::choose() {
  QMenu m(this);
  QMenu* to = &m;
  int n = 0;
  for (const auto& [label, at] : triable(m_studio)) {
    if (++n == 24) to = m.addMenu(tr("More"));
    connect(to->addAction(label), &QAction::triggered, this, [this, at = at] { tryValues(at); });
  }
  if (m.isEmpty()) m.addAction(tr("Select a thing or an effect first"))->setEnabled(false);
  m.exec(m_choose->mapToGlobal(QPoint(0, m_choose->height())));
}

void StripPanel::more() {
  QMenu m(this);
  const int row = m_list->currentRow();
  const auto act = [&](const QString& label, bool on, auto f) {
    QAction* a = m.addAction(label);
    a->setEnabled(on);
    connect(a, &QAction::triggered, this, f);
    return a;
  };
  const bool any = !m_cells.empty();
  act(tr("Keep it as a proof\tK"), any && row >= 0, [this, row] { keep(row); });
  act(tr("Finer around it\tF"), any && row >= 0 && m_axes.size() == 1, [this, row] { finer(row); });
  act(tr("Values…"), any, [this] { typeValues(); });
  m.addSeparator();
  const auto spread = [&](const QString& label, StripSpread s) {
    QAction* a = act(label, any, [this, s] {
      m_spread = s;
      m_typed = false;
      m_low.clear();
      m_high.clear();
      make();
    });
    a->setCheckable(true);
    a->setChecked(!m_typed && m_spread == s);
  };
  spread(tr("Around the value that it has"), StripSpread::AroundNow);
  spread(tr("Evenly over its line"), StripSpread::Even);
  spread(tr("By equal factors"), StripSpread::Factors);
  QMenu* counts = m.addMenu(tr("How many"));
  for (const int n : {3, 5, 7, 9, 12, 16, 25}) {
    QAction* a = counts->addAction(QString::number(n));
    a->setCheckable(true);
    a->setChecked(n == m_count);
    connect(a, &QAction::triggered, this, [this, n] {
      m_count = n;
      make();
    });
  }
  QMenu* cross = m.addMenu(tr("Crossed with"));
  cross->setEnabled(any);
  connect(cross->addAction(tr("nothing")), &QAction::triggered, this, [this] {
    m_axes.resize(1);
    make();
  });
  for (const auto& [label, at] : triable(m_studio)) {
    if (any && at == m_axes.front().at) continue;
    connect(cross->addAction(label), &QAction::triggered, this, [this, at = at] {
      m_axes.resize(1);
      m_axes.push_back({at, {}});
      make();
    });
  }
  m.addSeparator();
  act(tr("Anew"), any, [this] { make(); });
  act(tr("Stop\tDel"), any && m_progress < 1, [this] {
    maker().stop();
    m_progress = 1;
    showHead();
  });
  m.exec(m_more->mapToGlobal(QPoint(0, m_more->height())));
}

bool StripPanel::eventFilter(QObject* of, QEvent* e) {
  if (of == m_list && e->type() == QEvent::KeyPress) {
    const auto* k = static_cast<QKeyEvent*>(e);
    const int row = m_list->currentRow();
    if (k->modifiers() == Qt::NoModifier && k->key() == Qt::Key_K) return keep(row), true;
    if (k->modifiers() == Qt::NoModifier && k->key() == Qt::Key_F) return finer(row), true;
    if (k->key() == Qt::Key_Delete && m_maker) {
      m_maker->stop();
      m_progress = 1;
      showHead();
      return true;
    }
    if (k->key() == Qt::Key_Return || k->key() == Qt::Key_Enter) return take(row), true;
  }
  return QWidget::eventFilter(of, e);
}

DrawerPage stripPage() {
  return {QStringLiteral("strip"),
          StripPanel::tr("Test strip"),
          StripPanel::tr("A parameter at several values, side by side"),
          "Ctrl+Alt+7",
          false,
          [](Studio& studio, QWidget* parent) { return new StripPanel(studio, parent); }};
}

} // namespace ilumbra
