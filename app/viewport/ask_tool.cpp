#include "app/theme.h"
#include "app/viewport/picture_view.h"
#include "app/viewport/pixel_note.h"
#include "app/viewport/viewport_tool.h"

#include <cmath>
#include <QCoreApplication>
#include <QPainter>

namespace ilumbra {
namespace {

class AskTool : public ViewportTool {
  Q_DECLARE_TR_FUNCTIONS(AskTool)
 public:
  using ViewportTool::ViewportTool;
  ~AskTool() override { m_view.note().hide(); }
  QString hint() const override { return tr("Press in the picture to see where its light comes from; Escape ends it"); }
  void press(const QPointF& at, Qt::KeyboardModifiers) override { drag(at); }
  void drag(const QPointF& at) override {
    const QPointF p = m_view.toPicture(at);
    m_asked = {std::floor(p.x()), std::floor(p.y())};
    m_view.note().ask(int(p.x()), int(p.y()), at.toPoint());
    m_view.update();
  }
  void draw(QPainter& p) override {
    if (m_asked.x() < 0) return;
    const QPointF at = m_view.fromPicture({float(m_asked.x()) + 0.5f, float(m_asked.y()) + 0.5f});
    p.setRenderHint(QPainter::Antialiasing);
    p.setBrush(Qt::NoBrush);
    for (const auto& [color, width] : {std::pair{QColor(0, 0, 0, 160), 3.0}, std::pair{theme::text, 1.2}}) {
      p.setPen(QPen(color, width));
      p.drawEllipse(at, 6, 6);
    }
  }

 private:
  QPointF m_asked{-1, -1}; ///< the pixel that was asked, in the picture; negative: none
};

} // namespace

ViewportToolKind askTool() {
  return {QStringLiteral("ask"), AskTool::tr("Ask the pixel"), QStringLiteral("Ctrl+Shift+A"),
          AskTool::tr("Where the light of a pixel comes from, and what is seen there"),
          [](PictureView& view) { return std::make_unique<AskTool>(view); }};
}

} // namespace ilumbra
