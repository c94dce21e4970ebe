#include "app/theme.h"
#include "app/viewport/picture_view.h"
#include "app/viewport/viewport_tool.h"

#include <QCoreApplication>
#include <QPainter>

namespace ilumbra {
namespace {

// The part of the picture that alone is rendered: all of it again when the tool is laid down.
class RegionTool : public ViewportTool {
  Q_DECLARE_TR_FUNCTIONS(RegionTool)
 public:
  explicit RegionTool(PictureView& view) : ViewportTool(view) { show({}); }
  ~RegionTool() override { show({}); }
  QString message() const override {
    return m_view.studio().view().region.width == 0 ? tr("Drag the part that is to be rendered · Esc leaves")
                                                    : QString();
  }
  void press(const QPointF& at, Qt::KeyboardModifiers) override {
    m_press = at;
    m_drawing = true;
    m_drawn = QRectF(m_view.toPicture(at), QSizeF(0, 0));
  }
  void drag(const QPointF& at) override {
    m_drawn = QRectF(m_view.toPicture(m_press), m_view.toPicture(at)).normalized();
    m_view.update();
  }
  void release(const QPointF&) override {
    m_drawing = false;
    const Params s = settingsOf(m_view.studio().doc());
    const QRectF r = m_drawn.intersected(QRectF(0, 0, s.number("width"), s.number("height")));
    const bool enough = r.width() >= 4 && r.height() >= 4;
    show(enough ? Region{int(r.x()), int(r.y()), int(r.width()), int(r.height())} : Region{});
  }
  void abort() override {
    m_drawing = false;
    m_view.update();
  }
  void draw(QPainter& p) override {
    const Region& now = m_view.studio().view().region;
    const QRectF region = m_drawing ? m_drawn : QRectF(now.x, now.y, now.width, now.height);
    if (region.width() <= 0) return;
    p.setPen(QPen(theme::accent, 1, Qt::DashLine));
    p.setBrush(Qt::NoBrush);
    p.drawRect(
        QRectF(m_view.fromPicture({float(region.left()), float(region.top())}),
               m_view.fromPicture({float(region.left() + region.width()), float(region.top() + region.height())})));
  }

 private:
  void show(const Region& region) {
    Studio::View v = m_view.studio().view();
    if (v.region.width == 0 && region.width == 0) return;
    v.region = region;
    m_view.studio().setView(v);
  }
  QPointF m_press;
  bool m_drawing = false;
  QRectF m_drawn; ///< in the picture's pixels
};

} // namespace

ViewportToolKind regionTool() {
  return {QStringLiteral("region"), RegionTool::tr("Render a region"), QStringLiteral("Ctrl+R"),
          RegionTool::tr("Only a part, to be dragged in the picture"),
          [](PictureView& view) { return std::make_unique<RegionTool>(view); }};
}

} // namespace ilumbra
