#pragma once
#include "app/studio.h"

#include <QImage>
#include <QObject>
#include <QPointF>

namespace ilumbra {

/// Which lamp did that? Over a place of the picture all light but its strongest contributor dims, out of the light that
/// is there, without a ray; asked again at the same place, the next.
class WhichLamp : public QObject {
  Q_OBJECT
 public:
  explicit WhichLamp(Studio& studio, QObject* parent);
  /// At a pixel of the picture.
  void ask(const QPointF& pixel);
  void end();
  bool on() const { return m_on; }
  const QImage& image() const { return m_image; } ///< null: it is on its way
  const QString& text() const { return m_text; }  ///< "Night window: 63 % of the light here"
  NodeId light() const { return m_light; }

 Q_SIGNALS:
  void changed();

 private:
  Studio& m_studio;
  QPointF m_at{-1e6, -1e6};
  size_t m_rank = 0;
  bool m_on = false;
  uint64_t m_asked = 0;
  QImage m_image;
  QString m_text;
  NodeId m_light = 0;
};

} // namespace ilumbra
