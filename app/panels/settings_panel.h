#pragma once
#include "app/studio.h"

#include <QScrollArea>
#include <set>

class QToolButton;

namespace ilumbra {

class ParamRow;
struct Role;

/// All parameters of the selection: of a thing all its own, by heading; of an effect its roles and what matters most of
/// all that it touches, by thing. Rows come from the tables.
class SettingsPanel : public QScrollArea {
  Q_OBJECT
 public:
  explicit SettingsPanel(Studio& studio, QWidget* parent = nullptr);
  /// Shows one thing, whatever is selected; `pinned` false: the selection. A pinned panel has no title.
  void setSubject(bool pinned, NodeId thing);
  /// Brings a part of what is shown (a point of a curve, an area, a key of a veil) into sight.
  void reveal(NodeId part);
  /// The row of a parameter, if it is shown: for tests and for the palette.
  ParamRow* row(NodeId node, const std::string& param) const;
  ParamRow* row(const Address& address) const;
  /// Adds the material of a file to the document and selects it. False (and told) if it cannot be.
  bool takeMaterial(const QString& path);

 private:
  void rebuild();
  void refresh();
  std::string shape() const;
  void buildThing(QWidget* page, const Node& n);
  void buildInputs(QWidget* page, const Node& n);
  void buildMovers(QWidget* page, const Address& of); ///< what its movers are set to
  /// `rows`: false for what has a row of its own already; null: nothing has.
  void buildUsedInputs(QWidget* page, const Address& use,
                       const std::function<bool(const std::string&)>& rows = nullptr);
  void buildEffect(QWidget* page, const Node& n);
  void buildEffectParams(QWidget* page, const Node& n, bool major);
  void buildRoleThing(QWidget* page, const Node& t, const QString& title, const QString& link, NodeId user);
  void buildEffectActs(QWidget* page, const Node& n);
  QWidget* roleRow(QWidget* page, const Node& n, const Role& role);
  QToolButton* armButton(QWidget* parent, NodeId effect, const Role& role, bool filled);
  void putIntoRole(NodeId effect, const std::string& param, const std::vector<NodeId>& things);
  void buildMatter(QWidget* page, const Node& material);
  /// Child lists (keys of a veil or ramp): each child's rows, with the means to add and take away.
  void buildSlots(QWidget* page, const Node& n);
  /// Curves, each in a field to draw it in.
  void buildCurves(QWidget* page, const Node& n);
  void buildPictureLayers(QWidget* page, const Node& plate);
  void buildStep(QWidget* page, const Node& child, const ChildSlot& slot, size_t index, size_t count);
  void addToSlot(NodeId parent, const ChildSlot& slot);
  /// What is wrong with a thing at a parameter, with the mends.
  void buildFindings(QWidget* page, const Node& n, const std::string& param);
  std::vector<Finding> findingsOf(NodeId thing) const;
  const Node* subject() const { return m_pinned ? m_studio.doc().find(m_subject) : m_studio.currentNode(); }
  Studio& m_studio;
  bool m_pinned = false;
  NodeId m_subject = 0;
  /// The last that were read, while a newer picture is under way.
  struct Found {
    NodeId thing = 0;
    std::vector<Finding> list;
  };
  mutable Found m_found;
  std::set<NodeId> m_turned; ///< steps that are not as they are at first: the only one unfolded, several folded
  std::string m_shape;       ///< what the rows were made for; while it stays the same they are only read again
};

/// A heading over rows, with an optional action to the right.
QWidget* sectionHead(QWidget* parent, const QString& title, const QString& action, const std::function<void()>& run);
/// A thin rule between parts.
QWidget* rule(QWidget* parent);

} // namespace ilumbra
