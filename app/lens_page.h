#pragma once
#include "app/studio.h"

#include <QScrollArea>

namespace ilumbra {

class ParamRow;

/// The lens stack: its stages in the order in which light passes them. One is open at a time and shows its parameters.
class LensPage : public QScrollArea {
  Q_OBJECT
public:
  explicit LensPage(Studio& studio, QWidget* parent = nullptr);
  /// Opens a stage.
  void show(NodeId stage);

private:
  void rebuild();
  std::string shape() const;
  void addMenu(QWidget* button);
  Studio& m_studio;
  NodeId m_open = 0;
  std::string m_shape;
};

/// A new lens stage; with an effect, it takes its light from the effect and joins its Lens role.
Document addStage(const Document& doc, const std::string& kind, NodeId effect, NodeId* made);

} // namespace ilumbra
