#include "core/exchange/assets.h"
#include "core/pattern/image.h"

#include "core/air/voxel_grid.h"
#include "core/base/error.h"
#include "core/compile/distance_field.h"
#include "core/exchange/child.h"
#include "core/exchange/paged_image.h"
#include "core/exchange/picture_layers.h"
#include "core/exchange/readers.h"
#include "core/pattern/playback.h"

#include <filesystem>
#include <fmt/format.h>
#include <map>
#include <mutex>

namespace ilumbra {
namespace fs = std::filesystem;

constexpr size_t mostModels = 64;

struct AssetCache::Content {
  explicit Content(size_t bytes) : textureBytes(bytes), pages(bytes / 2) {}
  const size_t textureBytes;
  TexturePages pages;
  DistanceFieldCache distanceField;
  std::mutex mutex;
  std::map<std::string, std::shared_ptr<const Model>> models;
  std::map<std::string, std::shared_ptr<const Image>> images;
  std::map<std::string, TextOutline> outlines;
  std::map<std::string, Footage> movies;
  std::map<std::string, std::shared_ptr<const VoxelGrid>> volumes;
  std::map<std::string, std::shared_ptr<const Picture>> shares;
  std::pair<std::string, std::shared_ptr<const PictureFile>> layered; ///< the file that was last asked for its layers
};

AssetCache::AssetCache(size_t textureBytes) : m_content(std::make_shared<Content>(textureBytes)) {}
AssetCache::~AssetCache() = default;

static std::string stamp(const std::string& path, int index) {
  std::error_code e;
  const auto time = fs::last_write_time(path, e);
  return fmt::format("{}#{}@{}", path, index, e ? 0 : time.time_since_epoch().count());
}

std::shared_ptr<const Model> AssetCache::model(const std::string& path, const CancelFlag* cancel) const {
  const std::string key = stamp(path, -1);
  {
    const std::lock_guard lock(m_content->mutex);
    if (const auto it = m_content->models.find(key); it != m_content->models.end()) return it->second;
  }
  auto made = decodeModel(parseInChild("model", path, -1, {}, cancel));
  const std::lock_guard lock(m_content->mutex);
  // Of a played sequence only what was shown of late stays.
  if (m_content->models.size() >= mostModels)
    std::erase_if(m_content->models, [](const auto& entry) { return entry.second.use_count() == 1; });
  return m_content->models[key] = std::move(made);
}

std::shared_ptr<const Image> AssetCache::image(const std::string& path, int index, const CancelFlag* cancel) const {
  const std::string key = stamp(path, index);
  {
    const std::lock_guard lock(m_content->mutex);
    if (const auto it = m_content->images.find(key); it != m_content->images.end()) return it->second;
  }
  auto made = decodeImage(parseInChild("image", path, index, {}, cancel));
  const auto held = [&] {
    size_t sum = 0;
    for (const auto& [name, image] : m_content->images) sum += image->bytes();
    return sum;
  };
  const std::lock_guard lock(m_content->mutex);
  if (held() + made->bytes() > m_content->textureBytes) {
    // What nobody uses any more makes room first.
    std::erase_if(m_content->images, [](const auto& entry) { return entry.second.use_count() == 1; });
    if (held() + made->bytes() > m_content->textureBytes) made = m_content->pages.pageOut(*made);
  }
  return m_content->images[key] = std::move(made);
}

TextOutline AssetCache::outline(const std::string& path, const std::string& line, float tracking,
                                const CancelFlag* cancel) const {
  const std::string request = fmt::format("outline:{}:{}", tracking, line), key = request + stamp(path, -1);
  {
    const std::lock_guard lock(m_content->mutex);
    if (const auto it = m_content->outlines.find(key); it != m_content->outlines.end()) return it->second;
  }
  TextOutline made;
  try {
    made = decodeOutline(parseInChild(request, path, -1, {}, cancel));
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::Cancelled || std::string(e.what()).starts_with(path)) throw;
    throw badInput(path + ": " + e.what());
  }
  const std::lock_guard lock(m_content->mutex);
  if (m_content->outlines.size() > 256) m_content->outlines.clear(); // as letters are typed, each line is a new one
  return m_content->outlines[key] = std::move(made);
}

std::shared_ptr<const VoxelGrid> AssetCache::volume(const std::string& path, const GridNames& names,
                                                    const CancelFlag* cancel) const {
  const std::string request = "volume:" + names.density + "\n" + names.heat + "\n" + names.color,
                    key = request + stamp(path, -1);
  {
    const std::lock_guard lock(m_content->mutex);
    if (const auto it = m_content->volumes.find(key); it != m_content->volumes.end()) return it->second;
  }
  auto made = decodeVolume(parseInChild(request, path, -1, {}, cancel));
  const std::lock_guard lock(m_content->mutex);
  // Of a played sequence only what was shown of late stays.
  if (m_content->volumes.size() >= 4)
    std::erase_if(m_content->volumes, [](const auto& entry) { return entry.second.use_count() == 1; });
  return m_content->volumes[key] = std::move(made);
}

std::shared_ptr<const Picture> AssetCache::share(const std::string& path, const std::string& layer,
                                                 const CancelFlag* cancel) const {
  const std::string file = stamp(path, -1), key = layer + "|" + file;
  std::shared_ptr<const PictureFile> picture;
  {
    const std::lock_guard lock(m_content->mutex);
    if (const auto it = m_content->shares.find(key); it != m_content->shares.end()) return it->second;
    if (m_content->layered.first == file) picture = m_content->layered.second;
  }
  if (!picture) picture = std::make_shared<const PictureFile>(readPicture(path, cancel));
  auto made = std::make_shared<const Picture>(layerShare(*picture, layer, path));
  const std::lock_guard lock(m_content->mutex);
  // Of a played sequence only what was shown of late stays.
  if (m_content->shares.size() >= 64)
    std::erase_if(m_content->shares, [](const auto& entry) { return entry.second.use_count() == 1; });
  m_content->layered = {file, std::move(picture)};
  return m_content->shares[key] = std::move(made);
}

Footage AssetCache::movie(const std::string& path, const CancelFlag* cancel) const {
  const std::string key = stamp(path, -1);
  {
    const std::lock_guard lock(m_content->mutex);
    if (const auto it = m_content->movies.find(key); it != m_content->movies.end()) return it->second;
  }
  const Footage made = decodeFootage(parseInChild("footage", path, -1, {}, cancel));
  const std::lock_guard lock(m_content->mutex);
  return m_content->movies[key] = made;
}

FileAssets AssetCache::assets(const std::string& folder, const CancelFlag* cancel) const {
  return {*this, folder, cancel};
}

FileAssets::FileAssets(AssetCache cache, std::string folder, const CancelFlag* cancel)
    : m_cache(std::move(cache)), m_folder(std::move(folder)), m_cancel(cancel) {}

std::string FileAssets::absolute(const std::string& file) const {
  if (m_folder.empty() || fs::path(file).is_absolute()) return file;
  return (fs::path(m_folder) / file).lexically_normal().string();
}

std::shared_ptr<const Model> FileAssets::model(const std::string& file) const {
  return m_cache.model(absolute(file), m_cancel);
}

std::shared_ptr<const Image> FileAssets::image(const std::string& file, int index) const {
  return m_cache.image(absolute(file), index, m_cancel);
}

TextOutline FileAssets::outline(const std::string& fontFile, const std::string& line, float tracking) const {
  return m_cache.outline(absolute(fontFile), line, tracking, m_cancel);
}

Footage FileAssets::footage(const std::string& file) const {
  if (isMovie(file)) return m_cache.movie(absolute(file), m_cancel);
  Footage f;
  f.files = numberedFiles(absolute(file));
  f.frames = int(f.files.size());
  return f;
}

std::shared_ptr<const VoxelGrid> FileAssets::volume(const std::string& file, const GridNames& names) const {
  return m_cache.volume(absolute(file), names, m_cancel);
}

std::shared_ptr<const DistanceField> FileAssets::distanceField(const Document& doc, const std::vector<NodeId>& things,
                                                               double frame) const {
  return distanceFieldOf(doc, things, frame, *this, &m_cache.m_content->distanceField, m_cancel);
}

std::shared_ptr<const Picture> FileAssets::share(const std::string& file, const std::string& layer) const {
  return m_cache.share(absolute(file), layer, m_cancel);
}

} // namespace ilumbra
