#pragma once
#include "core/exchange/picture_file.h"

#include <memory>

namespace ilumbra {

class Document;
class Kinds;

/// Puts the document that made a picture into what an OpenEXR file of it holds, so that it can be opened from there.
/// `path`: where the picture is to lie; file names in the document start from there.
void carryDocument(PictureFile& file, const Document& doc, const std::string& path);

/// True if the name is that of a picture which may hold a document.
bool mayCarryDocument(const std::string& path);

/// The document of an .ilum file, or the one that a picture holds. Throws Io or BadInput; messages begin with the path.
Document readAnyDocument(std::shared_ptr<const Kinds> kinds, const std::string& path,
                         const CancelFlag* cancel = nullptr);

} // namespace ilumbra
