#pragma once
#include "core/base/tasks.h"
#include "core/document/document.h"
#include "core/geometry/model.h"
#include "core/pattern/assets.h"
#include "core/pattern/image.h"
#include "core/text/text_outline.h"

namespace ilumbra {

class FileAssets;

/// Files that documents use, read once each: by path and time of change. Safe to use from several threads.
class AssetCache {
 public:
  /// `textureBytes`: what pictures may hold in memory; beyond it they are paged (paged_image.h) through half as much
  /// again.
  explicit AssetCache(size_t textureBytes = size_t(1) << 30);
  ~AssetCache();
  /// For builders: relative names start from `folder`. It shares what is read with this; `cancel` must outlive it.
  FileAssets assets(const std::string& folder, const CancelFlag* cancel = nullptr) const;
  std::shared_ptr<const Model> model(const std::string& path, const CancelFlag* cancel = nullptr) const;
  std::shared_ptr<const Image> image(const std::string& path, int index, const CancelFlag* cancel = nullptr) const;
  std::shared_ptr<const VoxelGrid> volume(const std::string& path, const GridNames& names,
                                          const CancelFlag* cancel = nullptr) const;
  std::shared_ptr<const Picture> share(const std::string& path, const std::string& layer,
                                       const CancelFlag* cancel = nullptr) const;
  Footage movie(const std::string& path, const CancelFlag* cancel = nullptr) const;
  TextOutline outline(const std::string& path, const std::string& line, float tracking,
                      const CancelFlag* cancel = nullptr) const;

 private:
  friend class FileAssets;
  struct Content;
  std::shared_ptr<Content> m_content;
};

/// Files as a document names them, from its folder, through the cache that made it.
class FileAssets : public Assets {
 public:
  FileAssets(AssetCache cache, std::string folder, const CancelFlag* cancel);
  std::shared_ptr<const Model> model(const std::string& file) const override;
  std::shared_ptr<const Image> image(const std::string& file, int index) const override;
  TextOutline outline(const std::string& fontFile, const std::string& line, float tracking) const override;
  Footage footage(const std::string& file) const override;
  std::shared_ptr<const VoxelGrid> volume(const std::string& file, const GridNames& names) const override;
  std::shared_ptr<const DistanceField> distanceField(const Document& doc, const std::vector<NodeId>& things,
                                                     double frame) const override;
  std::shared_ptr<const Picture> share(const std::string& file, const std::string& layer) const override;

 private:
  std::string absolute(const std::string& file) const;
  AssetCache m_cache;
  std::string m_folder;
  const CancelFlag* m_cancel;
};

} // namespace ilumbra
