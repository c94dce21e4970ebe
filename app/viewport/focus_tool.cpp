#include "app/viewport/picture_view.h"
#include "app/viewport/viewport_tool.h"
#include "core/compile/camera.h"
#include "core/scene/look.h"

#include <cmath>
#include <QCoreApplication>

namespace ilumbra {
namespace {

class FocusTool : public ViewportTool {
  Q_DECLARE_TR_FUNCTIONS(FocusTool)
 public:
  using ViewportTool::ViewportTool;
  QString hint() const override { return tr("Press on what is to be sharp; Escape ends it"); }
  void press(const QPointF& at, Qt::KeyboardModifiers) override { focusAt(m_view, at); }
};

} // namespace

void focusAt(PictureView& view, const QPointF& at) {
  Studio& studio = view.studio();
  const ScenePtr scene = studio.session().scene();
  const Node* camera = activeCamera(studio.doc());
  if (!scene || !camera) return studio.tell(FocusTool::tr("There is no picture to focus in yet"), true);
  const QPointF p = view.toPicture(at);
  V3f point;
  if (!pick(*scene, float(p.x()), float(p.y()), 0, point))
    return studio.tell(FocusTool::tr("Nothing is there to focus on"), true);
  const float distance = dot(point - scene->camera.position(), scene->camera.forward());
  const NodeId id = camera->id;
  studio.edit(FocusTool::tr("Focus by a click"), [&](const Document& d) {
    return setNow(d, {id, "focus", 0, {}}, Constant(std::clamp(std::round(double(distance) * 1e4) / 1e4, 0.001, 1e6)));
  });
  if (Params(*studio.doc().find(id), studio.frame()).number("f_stop") == 0)
    studio.tell(FocusTool::tr("Focused, but the f-stop is 0: everything is sharp"));
}

ViewportToolKind focusTool() {
  return {QStringLiteral("focus"), FocusTool::tr("Focus by a click"), QStringLiteral("Ctrl+Shift+F"),
          FocusTool::tr("Sets the camera's focus on what is pressed"),
          [](PictureView& view) { return std::make_unique<FocusTool>(view); }};
}

} // namespace ilumbra
