#pragma once
#include "core/pattern/assets.h"

namespace ilumbra {

/// Where no files are at hand: every file is refused with BadInput that names it, and nothing runs over time.
class NoAssets : public Assets {
 public:
  std::shared_ptr<const Model> model(const std::string& file) const override;
  std::shared_ptr<const Image> image(const std::string& file, int index) const override;
  TextOutline outline(const std::string& fontFile, const std::string& line, float tracking) const override;
  Footage footage(const std::string& file) const override;
  std::shared_ptr<const VoxelGrid> volume(const std::string& file, const GridNames& names) const override;
  std::shared_ptr<const DistanceField> distanceField(const Document& doc, const std::vector<uint32_t>& things,
                                                     double frame) const override;
  std::shared_ptr<const Picture> share(const std::string& file, const std::string& layer) const override;
};

} // namespace ilumbra
