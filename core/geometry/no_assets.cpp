#include "core/geometry/no_assets.h"

#include "core/base/error.h"
#include "core/text/text_outline.h"

namespace ilumbra {

[[noreturn]] static void refuse(const std::string& file) { throw badInput(file + ": files are not at hand here"); }

std::shared_ptr<const Model> NoAssets::model(const std::string& file) const { refuse(file); }
std::shared_ptr<const Image> NoAssets::image(const std::string& file, int) const { refuse(file); }
TextOutline NoAssets::outline(const std::string& file, const std::string&, float) const { refuse(file); }
Footage NoAssets::footage(const std::string&) const { return {}; }
std::shared_ptr<const VoxelGrid> NoAssets::volume(const std::string& file, const GridNames&) const { refuse(file); }
std::shared_ptr<const DistanceField> NoAssets::distanceField(const Document&, const std::vector<uint32_t>&,
                                                             double) const {
  return nullptr;
}
std::shared_ptr<const Picture> NoAssets::share(const std::string& file, const std::string&) const { refuse(file); }

} // namespace ilumbra
