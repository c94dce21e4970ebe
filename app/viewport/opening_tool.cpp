#include "app/theme.h"
#include "app/viewport/picture_view.h"
#include "app/viewport/viewport_tool.h"
#include "core/base/error.h"
#include "core/placing/beams.h"

#include <cmath>
#include <QCoreApplication>
#include <QPainter>

namespace ilumbra {
namespace {

// A beam through the opening that is pressed on, as far as the drag goes; with Shift on a rectangle that is drawn.
class OpeningTool : public ViewportTool {
  Q_DECLARE_TR_FUNCTIONS(OpeningTool)
 public:
  using ViewportTool::ViewportTool;
  QString hint() const override {
    return tr(
        "Press on an opening or a face and drag into the room; with Shift draw a rectangle on a wall; Escape ends it");
  }
  void press(const QPointF& at, Qt::KeyboardModifiers keys) override {
    m_press = at;
    m_gesture = m_view.studio().newGesture();
    m_rectangle = QRectF(at, QSizeF(0, 0));
    m_doing = keys & Qt::ShiftModifier ? Doing::Rectangle : open(at, nullptr) ? Doing::Reach : Doing::Nothing;
  }
  void drag(const QPointF& at) override {
    if (m_doing == Doing::Rectangle) {
      m_rectangle = QRectF(m_press, at).normalized();
      return m_view.update();
    }
    const std::optional<Camera> camera = m_view.camera();
    if (m_doing != Doing::Reach || !camera || (at - m_press).manhattanLength() < 5) return;
    const QPointF to = m_view.toPicture(at);
    const double reach =
        std::clamp(std::round(reachAt(m_beam, *camera, {float(to.x()), float(to.y())}) * 100) / 100, 0.05, 1e4);
    m_view.studio().edit(
        tr("Beam through an opening"),
        [&](const Document& d) {
          return setNow(d, {m_beam.beam, "reach", 0, {}}, Constant(reach));
        },
        m_gesture);
    m_view.update();
  }
  void release(const QPointF& at) override {
    const Doing did = std::exchange(m_doing, Doing::Nothing);
    bool made = did == Doing::Reach;
    if (did == Doing::Rectangle) {
      made = open(m_press, &at);
      m_view.update();
    }
    if (const Node* beam = m_view.studio().doc().find(m_beam.beam); made && beam && did == Doing::Reach)
      m_view.studio().tell(
          tr("The beam reaches %1 m").arg(Params(*beam, m_view.studio().frame()).number("reach"), 0, 'f', 2));
    if (made) m_view.setTool({});
  }
  void abort() override {
    if (std::exchange(m_doing, Doing::Nothing) == Doing::Reach) m_view.studio().undo();
    m_view.update();
  }
  void draw(QPainter& p) override {
    if (m_doing == Doing::Rectangle) m_view.drawMarquee(p, m_rectangle);
  }

 private:
  enum class Doing { Nothing, Reach, Rectangle };

  // Through the opening at a place, or through the rectangle from there to another. False, and told, when there is
  // none.
  bool open(const QPointF& at, const QPointF* corner) {
    Studio& studio = m_view.studio();
    const ScenePtr scene = studio.session().scene();
    if (!scene) return studio.tell(tr("There is no picture to find an opening in yet"), true), false;
    const auto place = [&](const QPointF& p) {
      const QPointF q = m_view.toPicture(p);
      return V2f(float(q.x()), float(q.y()));
    };
    std::vector<std::string> told;
    try {
      const FoundOpening opening =
          corner ? drawnOpening(*scene, place(at), place(*corner)) : findOpening(*scene, place(at));
      if (!studio.edit(
              tr("Beam through an opening"),
              [&](const Document& d) { return openBeam(d, *scene, opening, m_beam, &told); }, m_gesture))
        return false;
    } catch (const Error& e) {
      return studio.tell(qs(std::string(e.what())), true), false;
    }
    studio.select({m_beam.beam});
    QStringList lines;
    for (const std::string& t : told) lines << qs(t);
    studio.tell(lines.join(QStringLiteral("; ")));
    return true;
  }

  Doing m_doing = Doing::Nothing;
  QPointF m_press;
  QRectF m_rectangle;
  MadeBeam m_beam; ///< whose reach is being dragged
  uint64_t m_gesture = 0;
};

} // namespace

ViewportToolKind openingTool() {
  return {QStringLiteral("opening"), OpeningTool::tr("Beam through an opening"), QStringLiteral("Ctrl+Alt+B"),
          OpeningTool::tr("Press on an opening in the picture and drag into the room: light, haze and reach are made "
                          "together"),
          [](PictureView& view) { return std::make_unique<OpeningTool>(view); }};
}

} // namespace ilumbra
