#include "app/theme.h"
#include "app/viewport/picture_view.h"
#include "app/viewport/viewport_tool.h"
#include "core/placing/drawing.h"
#include "core/placing/lens_handles.h"

#include <QCoreApplication>
#include <QKeyEvent>

namespace ilumbra {
namespace {

// Points of the path, turned form or drawn shape that is selected, one a press.
class DrawTool : public ViewportTool {
  Q_DECLARE_TR_FUNCTIONS(DrawTool)
 public:
  using ViewportTool::ViewportTool;
  QString hint() const override {
    return tr("Press where the next point is to be: Shift makes it sharp, Backspace takes it back, Escape ends it");
  }
  QString message() const override {
    const Node* line = m_view.drawn();
    return line ? tr("Press where the next point of %1 is to be · Return ends it").arg(qs(line->name))
                : tr("Select a path, a turned form or a drawn shape");
  }
  bool showsPoints() const override { return true; }
  void press(const QPointF& at, Qt::KeyboardModifiers keys) override {
    Studio& studio = m_view.studio();
    const Node* line = m_view.drawn();
    const std::optional<Camera> camera = m_view.camera();
    if (!line || !camera)
      return studio.tell(tr("Select a path, a turned form or a drawn shape to draw its points"), true);
    const QPointF to = m_view.toPicture(at);
    const V2f place{float(to.x()), float(to.y())};
    if (isOutline(*line, studio.frame())) {
      const ScenePtr scene = studio.session().scene();
      if (!scene) return studio.tell(tr("The picture is not there yet: press again when it is"), true);
      studio.edit(tr("Draw a point of %1").arg(qs(line->name)), [&, id = line->id](const Document& d) {
        return drawOutlinePoint(d, id, studio.frame(), *scene, place, keys & Qt::ShiftModifier);
      });
      return m_view.update();
    }
    std::optional<Seen> onto;
    if (const ScenePtr scene = studio.session().scene())
      onto = lookAt(*scene, place.x, place.y, treeOf(studio.doc(), line->id));
    studio.edit(tr("Draw a point of %1").arg(qs(line->name)), [&, id = line->id](const Document& d) {
      return drawPoint(d, id, studio.frame(), *camera, place, onto, keys & Qt::ShiftModifier);
    });
    m_view.update();
  }
  bool key(const QKeyEvent& e) override {
    if (e.key() == Qt::Key_Return || e.key() == Qt::Key_Enter) return m_view.setTool({}), true;
    const Node* line = e.key() == Qt::Key_Backspace ? m_view.drawn() : nullptr;
    if (!line) return false;
    m_view.studio().edit(tr("Take back a point of %1").arg(qs(line->name)),
                         [id = line->id](const Document& d) { return undrawPoint(d, id); });
    m_view.update();
    return true;
  }
};

} // namespace

ViewportToolKind drawTool() {
  return {QStringLiteral("draw"),
          DrawTool::tr("Draw points"),
          QStringLiteral("Ctrl+Alt+N"),
          DrawTool::tr("Presses in the picture set points of the path, turned form or drawn shape that is selected, or "
                       "of a new path"),
          [](PictureView& view) { return std::make_unique<DrawTool>(view); },
          [](PictureView& view) {
            if (view.drawn()) return true;
            NodeId made = 0;
            if (!view.studio().edit(DrawTool::tr("Add path"),
                                    [&](const Document& d) { return addNode(d, "object.path", "", {}, &made); }))
              return false;
            view.studio().select({made});
            return true;
          }};
}

} // namespace ilumbra
