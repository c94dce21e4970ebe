// What the drawer of patterns draws.
#include "app/drawer/pattern_list.h"
#include "app/drawer/pattern_panel.h"
#include "app/drawer/pattern_player.h"
#include "core/base/error.h"
#include "core/compile/balance.h"

#include <QLabel>
#include <QPointer>
#include <QToolButton>

namespace ilumbra {
namespace {

QImage imageOf(const PatternSwatch& s, int width, int height) {
  return QImage(s.rgba.data(), width, height, QImage::Format_RGBA8888).copy();
}

const ParamDef& anything() {
  static const ParamDef def = color("value", "Value", {0, 0, 0});
  return def;
}

} // namespace

// What is drawn, and the places that it is drawn at: these stay while it plays.
struct PatternPanel::Drawing {
  struct Wanted {
    Reference pattern; ///< of what is none, nothing
    ParamDef takes;
    NodeId node;
    Address place;
  };
  std::vector<Wanted> wanted; ///< by line
  size_t shown = 0;           ///< the line of the large picture
  NodeId use = 0;
  SwatchOn on;
  ScenePtr scene; ///< outlives the places
  mutable AssetCache assets;
  std::vector<NodeId> things;
  SwatchPlaces large, small;

  void look(const Document& doc, const CancelFlag& cancel) {
    if (use) {
      const auto wearing = objectsByMaterial(doc, currentFrame(doc));
      const auto it = wearing.find(use);
      things = {it == wearing.end() ? use : it->second.front()}; // one of them shows it
    }
    large = swatchPlaces(scene.get(), doc, things, on, side, side, &cancel);
    small = swatchPlaces(scene.get(), doc, things, on, PatternList::pictureWidth, PatternList::pictureHeight, &cancel);
  }
  QImage line(size_t i, const Document& doc, const Assets& files) const {
    const Wanted& w = wanted[i];
    if (!w.pattern.target) return {};
    return imageOf(patternSwatch(small, doc, w.pattern, w.takes, files), PatternList::pictureWidth,
                   PatternList::pictureHeight);
  }
};

struct PatternPanel::Pictures {
  std::shared_ptr<const Drawing> drawing;
  std::vector<QImage> lines;
  QImage big, inPicture;
  std::optional<PatternRange> range;
  NodeId shown = 0; ///< the pattern of the large picture
  Address place;    ///< what it drives; no node: nothing
  QString error;
};

// All pictures at once, off the interface thread; what has changed meanwhile is drawn after that.
void PatternPanel::draw() {
  if (!isVisible()) return;
  if (m_busy) {
    m_again = true;
    return;
  }
  m_busy = true;
  m_again = false;
  m_drawnOf = m_studio.session().scene();
  const Document& doc = m_studio.doc();
  std::vector<Drawing::Wanted> wanted;
  for (const PatternLine& l : m_list->lines()) {
    const Address at = placeOf(l);
    const Node* n = doc.find(l.node);
    const bool pattern = n && n->kind->family() == "pattern";
    wanted.push_back({pattern ? l.use : Reference{}, at.node ? definitionAt(doc, at) : anything(), l.node, at});
  }
  // The whole or, alone, the chosen line if it is a pattern.
  size_t shown = 0;
  if (const int chosen = m_list->chosen(); m_alone->isChecked() && chosen > 0 && wanted[size_t(chosen)].pattern.target)
    shown = size_t(chosen);
  m_player->stop();
  const auto drawing = std::make_shared<Drawing>(
      Drawing{std::move(wanted), shown, m_use.node, m_on, m_drawnOf, m_studio.assets(), {}, {}, {}});
  const auto work = [self = QPointer<PatternPanel>(this), doc, drawing,
                     whole = m_inPicture->isChecked()](const CancelFlag& cancel) -> std::function<void()> {
    auto made = std::make_shared<Pictures>();
    made->drawing = drawing;
    try {
      drawing->look(doc, cancel);
      const Drawing::Wanted& first = drawing->wanted[drawing->shown];
      const FileAssets files = drawing->assets.assets(doc.folder(), &cancel);
      for (size_t i = 0; i < drawing->wanted.size(); ++i) made->lines.push_back(drawing->line(i, doc, files));
      if (first.pattern.target) {
        const PatternSwatch swatch = patternSwatch(drawing->large, doc, first.pattern, first.takes, files);
        made->big = imageOf(swatch, side, side);
        made->shown = first.node;
        made->place = first.place;
        made->range = rangeOf(swatch.numbers, first.takes);
        if (const Scene* scene = drawing->scene.get(); whole && scene) {
          std::vector<NodeId> all = drawing->things;
          if (const auto wearing = objectsByMaterial(doc, currentFrame(doc)); wearing.count(drawing->use))
            all = wearing.at(drawing->use);
          const int width = std::min(scene->width, 960), height = std::max(1, width * scene->height / scene->width);
          made->inPicture =
              imageOf(patternSwatch(swatchPlaces(scene, doc, all, SwatchOn::Picture, width, height, &cancel), doc,
                                    first.pattern, first.takes, files),
                      width, height);
        }
      }
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::Cancelled) throw;
      made->error = qs(std::string_view(e.what()));
    }
    return [self, made] {
      if (self) self->drawn(*made);
    };
  };
  const bool begun = m_studio.background(tr("Drawing the pattern"), work,
                                         {.lane = QStringLiteral("pattern"),
                                          .matters = false,
                                          .told = false,
                                          .failed = [self = QPointer<PatternPanel>(this)] {
                                            if (self) self->m_busy = false;
                                          }});
  if (!begun) m_busy = false;
}

void PatternPanel::drawn(const Pictures& made) {
  m_busy = false;
  if (m_again) return draw();
  m_range = made.range;
  m_big->setPixmap(QPixmap::fromImage(made.big));
  m_list->showPictures(made.lines);
  if (made.error.isEmpty() && isVisible())
    m_player->play(m_studio.doc(), [of = made.drawing](const Document& doc, const CancelFlag& cancel) {
      const FileAssets files = of->assets.assets(doc.folder(), &cancel);
      std::vector<QImage> out;
      for (size_t i = 0; i < of->wanted.size(); ++i) out.push_back(of->line(i, doc, files));
      const Drawing::Wanted& w = of->wanted[of->shown];
      out.push_back(w.pattern.target ? imageOf(patternSwatch(of->large, doc, w.pattern, w.takes, files), side, side)
                                     : QImage());
      return out;
    });
  if (m_inPicture->isChecked()) {
    const Node* n = m_studio.doc().find(made.shown);
    Q_EMIT m_studio.patternShown(made.inPicture, n ? qs(n->name) : QString());
  }
  const Document& doc = m_studio.doc();
  m_place = made.place;
  const bool put = m_place.node && doc.find(m_place.node);
  const ParamDef& takes = put ? definitionAt(doc, m_place) : anything();
  const Node* alone = made.shown != m_pattern ? doc.find(made.shown) : nullptr;
  const QString gives = put ? tr("Gives %1").arg(qs(takes.label).toLower()) : tr("Gives");
  m_gives->setText(alone ? tr("%1 alone: %2").arg(qs(alone->name), gives.toLower()) : gives);
  m_fit->hide();
  QString told;
  if (!made.error.isEmpty()) {
    told = made.error;
    m_rangeView->clear();
  } else if (m_range) {
    m_rangeView->show(*m_range, takes);
    const auto percent = [](float share) { return QString::number(std::max(1.0, std::round(100.0 * double(share)))); };
    const bool fits = takes.type != ParamType::Color && takes.hardMin > -1e29;
    if (m_range->above > 0)
      told = tr("%1 % lies above what %2 takes. ").arg(percent(m_range->above), qs(takes.label).toLower());
    if (m_range->below > 0)
      told += tr("%1 % lies below what %2 takes.").arg(percent(m_range->below), qs(takes.label).toLower());
    m_fit->setVisible(!told.isEmpty() && fits && put);
    if (fits && put)
      m_fit->setText(tr("Fit to %1–%2")
                         .arg(QString::number(takes.hardMin, 'g', 3),
                              QString::number(takes.hardMax < 1e29 ? takes.hardMax : takes.softMax, 'g', 3)));
    if (told.isEmpty() && m_range->high - m_range->low < 1e-4f * std::max(1.0f, std::abs(m_range->high)))
      told = tr("It gives the same everywhere here: it may be too large for the thing, or off.");
  }
  m_told->setText(told.trimmed());
  m_told->setStyleSheet(made.error.isEmpty() ? QStringLiteral("color: #e3a24a") : QStringLiteral("color: #e07882"));
  m_told->setVisible(!told.isEmpty());
  m_usedBy->setText(m_uses > 1 ? tr("Put on %n parameter(s); a change shows on all.", nullptr, int(m_uses))
                               : QString());
  m_usedBy->setVisible(m_uses > 1);
}

} // namespace ilumbra
