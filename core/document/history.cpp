#include "core/document/history.h"

namespace ilumbra {

// A step costs what it changed; a thousand are a few megabytes.
static constexpr size_t mostSteps = 2000;

void History::commit(Document doc, std::string label, uint64_t gesture) {
  const bool same = gesture && gesture == m_current.gesture;
  m_future.clear();
  if (!same) {
    m_past.push_back(std::move(m_current));
    if (m_past.size() > mostSteps) m_past.pop_front();
  }
  m_current = {std::move(doc), std::move(label), gesture};
}

void History::undo() {
  if (!canUndo()) return;
  m_future.push_back(std::move(m_current));
  m_current = std::move(m_past.back());
  m_past.pop_back();
  m_current.gesture = 0;
}

void History::redo() {
  if (!canRedo()) return;
  m_past.push_back(std::move(m_current));
  m_current = std::move(m_future.back());
  m_future.pop_back();
  m_current.gesture = 0;
}

} // namespace ilumbra
