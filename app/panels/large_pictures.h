#pragma once
#include <QProxyStyle>

namespace ilumbra {

/// Of a menu: pictures that one can tell apart.
class LargePictures : public QProxyStyle {
 public:
  /// `side`: pixels that a picture is wide and high at most.
  LargePictures(QObject* parent, int side) : m_side(side) { setParent(parent); }
  int pixelMetric(PixelMetric m, const QStyleOption* o, const QWidget* w) const override {
    return m == PM_SmallIconSize ? m_side : QProxyStyle::pixelMetric(m, o, w);
  }

 private:
  int m_side;
};

} // namespace ilumbra
