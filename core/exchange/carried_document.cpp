#include "core/exchange/carried_document.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/document/file.h"

#include <filesystem>

namespace ilumbra {

namespace fs = std::filesystem;

constexpr const char* carriedAs = "ilumbra/document";

bool mayCarryDocument(const std::string& path) { return extensionOf(path) == ".exr"; }

void carryDocument(PictureFile& file, const Document& doc, const std::string& path) {
  if (!mayCarryDocument(path)) return;
  file.metadata[carriedAs] = toJson(movedTo(doc, fs::absolute(path).parent_path().lexically_normal().string()));
}

Document readAnyDocument(std::shared_ptr<const Kinds> kinds, const std::string& path, const CancelFlag* cancel) {
  if (!mayCarryDocument(path)) return readDocument(std::move(kinds), path);
  const PictureFile picture = readPicture(path, cancel);
  const auto it = picture.metadata.find(carriedAs);
  if (it == picture.metadata.end())
    throw badInput(path + ": this picture holds no document; pictures that Ilumbra writes as OpenEXR do");
  try {
    DocumentBuilder b(fromJson(std::move(kinds), it->second));
    b.setFolder(fs::absolute(path).parent_path().string());
    return b.take();
  } catch (const Error& e) {
    throw Error(e.kind(), path + ": " + e.what());
  }
}

} // namespace ilumbra
