#pragma once
#include "core/document/document.h"

namespace ilumbra {

/// The text of a document as an .ilum file: JSON in UTF-8, two spaces of indent, stable order. See docs/format.md.
std::string toJson(const Document& doc);
/// Reads what toJson wrote, and later or older minor versions of it. Unknown fields are kept for the next save.
/// Throws BadInput with the place: line and column for broken JSON, else "nodes[3] (Lamp).power: ...".
Document fromJson(std::shared_ptr<const Kinds> kinds, std::string_view json);

/// Reads a file; relative file names inside it start from its folder. Throws Io or BadInput; messages begin with the
/// path.
Document readDocument(std::shared_ptr<const Kinds> kinds, const std::string& path);
/// The document with its file names relative to another folder (absolute), where it is to lie.
Document movedTo(const Document& doc, const std::string& folder);
/// The same, where another document lies, or the program runs while that is no file yet. One that has no folder itself
/// stays as it is.
Document movedBeside(const Document& doc, const Document& other);
/// Writes a file as a whole or not at all. File names inside the document are rewritten relative to the new folder.
/// Returns the document as it is after a change of folder.
Document writeDocument(const Document& doc, const std::string& path);

/// A file name of the document, made absolute.
std::string resolveFile(const Document& doc, const std::string& name);

/// Parameters of the file that this version does not know, a sentence each with the nearest that there is. They are
/// kept for the next save.
std::vector<std::string> unknownParameters(const Document& doc);

/// One value as it stands in files.
std::string valueToJson(const ParamDef& def, const Value& value);
Value valueFromJson(const Document& doc, const ParamDef& def, std::string_view json);

/// docs/format.md and the JSON Schema (draft 2020-12), from the tables.
std::string formatDocs(const Kinds& kinds);
std::string jsonSchema(const Kinds& kinds);

} // namespace ilumbra
