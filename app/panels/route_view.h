#pragma once
#include "app/spoken.h"
#include "app/studio.h"

#include <QWidget>

namespace ilumbra {

/// The route of the selected effect: one band of light from role to role, as wide as what is left of the light, in
/// stops. What falls away is drawn falling away, with who took it. Findings stand where they happen, with their mends.
class RouteView : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit RouteView(Studio& studio, QWidget* parent = nullptr);
  QSize sizeHint() const override { return {400, 104}; }
  QSize minimumSizeHint() const override { return {200, 24}; }
  void setFolded(bool folded);
  bool folded() const { return m_folded; }
  /// Applies the n-th mend of those shown, from 0. False if there is none.
  bool applyMendAt(size_t n);
  /// The text of the mends as shown.
  std::vector<std::string> mends() const;
  QAccessible::Role spokenRole() const override { return QAccessible::Graphic; }
  /// The stations with what is lost on the way, the findings and their mends.
  QString spokenValue() const override;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  bool event(QEvent*) override;
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }
  void leaveEvent(QEvent*) override {
    m_hot = -1;
    update();
  }

 private:
  struct Link {
    QRect where;
    Mend mend;
    NodeId select = 0; ///< instead of a mend: what a click selects
  };
  void run(const Link& link);
  void drawOff(QPainter& p, const Node& effect);
  void drawLine(QPainter& p, const Node& effect, const Route& route);
  void drawStation(QPainter& p, const Route& route, size_t index, const QRectF& head, double edge, double ceiling);
  void drawFindings(QPainter& p, const Route& route, double left, double right);
  Studio& m_studio;
  std::vector<Link> m_links;
  std::vector<std::pair<QRect, QString>> m_whole; ///< of what is cut: the whole words, for tool tips
  int m_hot = -1, m_focus = 0;
  bool m_folded = false;
};

} // namespace ilumbra
