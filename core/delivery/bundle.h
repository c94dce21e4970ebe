#pragma once
#include "core/document/document.h"

namespace ilumbra {

class CancelFlag;

/// What a bundle holds.
struct Bundle {
  std::string document;           ///< its path
  std::vector<std::string> files; ///< beside it, their paths from the folder
  uint64_t bytes = 0;
  std::vector<std::string> missing; ///< files that the document names and that are not there: they stay as named
};

/// Puts a document and all files that it names into one folder, named anew from there: numbered sequences whole, models
/// with the files that they name themselves. `name`: of the document without its ending. What is there already, of the
/// same size and content, is left. bundle.json tells each file's hash. Throws Io, Cancelled.
Bundle writeBundle(const Document& doc, const std::string& name, const std::string& folder,
                   const CancelFlag* cancel = nullptr);

/// Files of a bundle that are not as bundle.json says, a sentence each. Throws Io, BadInput.
std::vector<std::string> checkBundle(const std::string& folder);

} // namespace ilumbra
