#pragma once
#include "core/base/tasks.h"
#include "core/geometry/model.h"
#include "core/geometry/text_outline.h"
#include "core/pattern/assets.h"
#include "core/pattern/image.h"

namespace ilumbra {

/// Files that documents use, read once each: by path and time of change. Safe to use from several threads.
class AssetCache {
 public:
  /// `textureBytes`: what pictures may hold in memory; beyond it they are paged (paged_image.h) through half as much
  /// again.
  explicit AssetCache(size_t textureBytes = size_t(1) << 30);
  ~AssetCache();
  /// For builders: relative names start from `folder`.
  Assets assets(const std::string& folder, const CancelFlag* cancel = nullptr);
  std::shared_ptr<const Model> model(const std::string& path, const CancelFlag* cancel = nullptr);
  std::shared_ptr<const Image> image(const std::string& path, int index, const CancelFlag* cancel = nullptr);
  std::shared_ptr<const VoxelGrid> volume(const std::string& path, const GridNames& names,
                                          const CancelFlag* cancel = nullptr);
  std::shared_ptr<const Picture> share(const std::string& path, const std::string& layer,
                                       const CancelFlag* cancel = nullptr);
  Footage movie(const std::string& path, const CancelFlag* cancel = nullptr);
  TextOutline outline(const std::string& path, const std::string& line, float tracking,
                      const CancelFlag* cancel = nullptr);

 private:
  struct Content;
  std::shared_ptr<Content> m_content;
};

} // namespace ilumbra
