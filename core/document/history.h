#pragma once
#include "core/document/document.h"

#include <deque>

namespace ilumbra {

/// Undo and redo. Edits with the same non-zero gesture id are one step.
class History {
 public:
  explicit History(Document start) : m_current{std::move(start), "", 0} {}
  const Document& current() const { return m_current.doc; }

  /// Makes `doc` the current one. `label` says what was done: "Change Lamp.power".
  void commit(Document doc, std::string label, uint64_t gesture = 0);
  /// Takes another form of the same state: no step.
  void replaceCurrent(Document doc) { m_current.doc = std::move(doc); }
  /// Ends a gesture: the next commit is a new step even with the same id.
  void endGesture() { m_current.gesture = 0; }
  bool canUndo() const { return !m_past.empty(); }
  bool canRedo() const { return !m_future.empty(); }
  /// What undo would take back, what redo would do again; empty if there is nothing.
  std::string undoLabel() const { return canUndo() ? m_current.label : std::string(); }
  std::string redoLabel() const { return canRedo() ? m_future.back().label : std::string(); }
  void undo();
  void redo();

 private:
  struct Step {
    Document doc;
    std::string label; ///< of the edit that led here
    uint64_t gesture;
  };
  Step m_current;
  std::deque<Step> m_past;
  std::vector<Step> m_future;
};

} // namespace ilumbra
