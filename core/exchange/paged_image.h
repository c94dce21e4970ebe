#pragma once
#include "core/pattern/image.h"

#include <memory>
#include <string>

namespace ilumbra {

/// Pictures beyond what may stay in memory: kept as tiles in files of a temporary folder, of which OpenImageIO's cache
/// holds those in use. Safe to use from several threads.
class TexturePages {
 public:
  /// `cacheBytes`: what the tiles in memory may take, in all; rounded up to a MiB.
  explicit TexturePages(size_t cacheBytes);
  ~TexturePages();
  TexturePages(const TexturePages&) = delete;
  TexturePages& operator=(const TexturePages&) = delete;
  /// The same picture, its texels on disk. It may outlive this. Throws Io naming the folder when the disk is full.
  std::shared_ptr<const Image> pageOut(const Image& image);

 private:
  struct Content;
  std::shared_ptr<Content> m_content;
};

} // namespace ilumbra
