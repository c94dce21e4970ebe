#pragma once
#include "core/session/proof_store.h"

#include <optional>
#include <QString>

namespace ilumbra::recovery {

/// Unsaved work of a window that ended without saying so.
struct Lost {
  QString file;     ///< where it was kept
  QString original; ///< the document it belongs to; empty: never saved
};

/// Where this process keeps its copy.
QString own();
/// Writes a copy of a document for this process. Throws Io. Not for the interface thread.
void keep(const Document& doc, const QString& original);
/// Forgets this process's copy: everything is saved, or thrown away on purpose.
void forget();
/// Copies whose processes are gone, the latest first.
std::vector<Lost> findLost();
void forget(const Lost& lost);
/// Throws Io or BadInput.
Document read(const std::shared_ptr<const Kinds>& kinds, const Lost& lost);

} // namespace ilumbra::recovery
