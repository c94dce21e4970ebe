#pragma once
#include "core/document/edit.h"

#include <map>

namespace ilumbra {

/// What a hand changes while frames run by, taken down frame by frame: a take, that becomes keys.
class Rehearsal {
 public:
  /// From the document as it is when frames begin to run. `family`: of the things that are watched ("balance").
  Rehearsal(const Document& before, std::string family);
  /// To be told of every edit, with the frame at which it was made. What is dragged over again in a later round counts.
  void note(const Document& now, double frame);
  bool empty() const { return m_takes.empty(); }
  /// The last document that was told, with what was dragged as keys over the range: thinned so far that numbers stay
  /// within `tolerance` of the span that they cover, switches and words held.
  Document taken(double tolerance = 0.02) const;

 private:
  struct Take {
    Address at;
    Constant before; ///< where nothing was dragged
    std::map<double, Constant> values;
  };
  Document m_last;
  std::string m_family;
  std::vector<Take> m_takes;
};

} // namespace ilumbra
