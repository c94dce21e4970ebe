#pragma once
#include "core/base/tasks.h"
#include "core/geometry/model.h"

namespace ilumbra {

/// Files that documents use, read once each: by path and time of change. Safe to use from several threads.
class AssetCache {
public:
  AssetCache();
  ~AssetCache();
  /// For builders: relative names start from `folder`.
  Assets assets(const std::string& folder, const CancelFlag* cancel = nullptr);
  std::shared_ptr<const Model> model(const std::string& path, const CancelFlag* cancel = nullptr);
  std::shared_ptr<const Image> image(const std::string& path, int index, const CancelFlag* cancel = nullptr);

private:
  struct Content;
  std::shared_ptr<Content> m_content;
};

} // namespace ilumbra
