#pragma once
#include "core/document/edit.h"

namespace ilumbra {

/// One thing that differs between two documents.
struct Difference {
  enum class What { Added, Removed, Renamed, Moved, Changed };
  What what = What::Changed;
  NodeId node = 0;
  std::string param;  ///< of Changed
  std::string before; ///< as text; of Renamed the name
  std::string after;
  Invalidation stage = Invalidation::Display; ///< what the change makes necessary
  std::string place;                          ///< "Sun core.power"
};

/// What one must do to `from` to get `to`, in the order of nodes.
std::vector<Difference> differences(const Document& from, const Document& to);
/// One line: "Sun core.power: 800 lm → 1 200 lm".
std::string describe(const Difference& d);
/// The document `onto` with one difference of differences(from, to) carried over. Throws BadInput if `onto` no longer
/// has what it needs.
Document carryOver(const Document& onto, const Document& to, const Difference& d);

/// The dearest stage that going from one document to the other makes necessary, followed through patterns to all
/// parameters that they drive. False in `changed` if nothing differs.
Invalidation invalidationOf(const Document& from, const Document& to, bool* changed = nullptr);

} // namespace ilumbra
