#pragma once
#include "core/document/document.h"

#include <QString>
#include <optional>

namespace ilumbra::recovery {

/// Unsaved work of a window that ended without saying so.
struct Lost {
  QString file;     ///< where it was kept
  QString original; ///< the document it belongs to; empty: never saved
};

/// Keeps a copy of a document for this process, off the interface thread.
void keep(const Document& doc, const QString& original);
/// Forgets this process's copy: everything is saved, or thrown away on purpose.
void forget();
/// Copies whose processes are gone.
std::vector<Lost> findLost();
void forget(const Lost& lost);
/// Takes a copy out of the way of later starts by reading it.
std::optional<Document> read(const std::shared_ptr<const Kinds>& kinds, const Lost& lost, QString* error);

} // namespace ilumbra::recovery
