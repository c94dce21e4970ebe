#pragma once
#include "core/geometry/health.h"
#include "core/scene/scene.h"

#include <functional>
#include <memory>
#include <QObject>
#include <QPointF>

class QPainter;
class QRectF;

namespace ilumbra {

class Studio;

/// What is wrong with the meshes of the selection, drawn over the picture: open and crowded edges, faces that look the
/// wrong way, lie double, cross others or have no area. It is found away from the interface thread.
class HealthOverlay : public QObject {
  Q_OBJECT
 public:
  explicit HealthOverlay(Studio& studio, QObject* parent = nullptr);
  ~HealthOverlay() override;
  bool on() const { return m_on; }
  void setOn(bool on);
  /// By object, what was found; null while it is being looked for.
  struct Entry {
    NodeId thing = 0;
    QString name;
    GeometryPtr geometry;
    M44f toWorld;
    std::shared_ptr<const MeshHealth> health;
    QString failed; ///< why it could not be looked at; empty: it could, or is not yet
  };
  const std::vector<Entry>& entries() const { return m_entries; }
  /// `toWidget`: false for what lies behind the camera.
  void draw(QPainter& p, const QRectF& frame, const std::function<bool(const V3f& world, QPointF& at)>& toWidget) const;
  /// Adds the modifier that mends to what needs it, as one step.
  void mend();

 Q_SIGNALS:
  void changed();

 private:
  void refresh();
  Studio& m_studio;
  bool m_on = false;
  std::vector<Entry> m_entries;
  std::shared_ptr<CancelFlag> m_cancel;
};

} // namespace ilumbra
