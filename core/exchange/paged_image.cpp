#include "core/exchange/paged_image.h"

#include "core/base/error.h"

#include <atomic>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <OpenImageIO/imagecache.h>
#include <OpenImageIO/imageio.h>
#include <unistd.h>

namespace ilumbra {
namespace fs = std::filesystem;

namespace {
constexpr int side = 64; // of a tile
} // namespace

struct TexturePages::Content {
  OIIO::ImageCache* cache = OIIO::ImageCache::create(false);
  fs::path folder;
  std::atomic<int> files{0};
  explicit Content(size_t bytes) {
    cache->attribute("max_memory_MB", float(std::max<size_t>(1, (bytes + (size_t(1) << 20) - 1) >> 20)));
    cache->attribute("unassociatedalpha", 1);
    cache->attribute("autotile", 0);
    cache->attribute("automip", 0);
    cache->attribute("max_open_files", 64);
  }
  Content(const Content&) = delete;
  Content& operator=(const Content&) = delete;
  ~Content() {
    OIIO::ImageCache::destroy(cache);
    std::error_code e;
    if (!folder.empty()) fs::remove_all(folder, e);
  }
  void makeFolder() {
    if (!folder.empty()) return;
    std::string pattern = (fs::temp_directory_path() / "ilumbra-textures-XXXXXX").string();
    if (!mkdtemp(pattern.data()))
      throw ioError(fmt::format("{}: no folder can be made there for textures that do not fit in memory",
                                fs::temp_directory_path().string()));
    folder = pattern;
  }

  class Pages : public PagedTexels {
   public:
    Pages(std::shared_ptr<Content> owner, size_t texel) : m_owner(std::move(owner)), m_texel(texel) {}
    ~Pages() override {
      for (const auto& [name, handle] : m_levels) {
        m_owner->cache->invalidate(OIIO::ustring(name));
        std::error_code e;
        fs::remove(name, e);
      }
    }
    void fetch(int level, int x, int y, uint8_t* out) const override {
      OIIO::ImageCache& cache = *m_owner->cache;
      OIIO::ImageCache::Tile* tile =
          cache.get_tile(m_levels[size_t(level)].second, cache.get_perthread_info(), 0, 0, x, y, 0);
      std::memset(out, 0, m_texel);
      if (!tile) return; // its file was taken away: black rather than nothing at all
      OIIO::TypeDesc format;
      if (const void* data = cache.tile_pixels(tile, format))
        std::memcpy(out, static_cast<const uint8_t*>(data) + m_texel * (size_t(y % side) * side + size_t(x % side)),
                    m_texel);
      cache.release_tile(tile);
    }
    // Half floats go as the sixteen bits that they are.
    void add(const Image& image) {
      const std::string name = (m_owner->folder / fmt::format("{}.tif", m_owner->files++)).string();
      OIIO::ImageSpec spec(image.width(), image.height(), 4,
                           m_texel == 8 ? OIIO::TypeDesc::UINT16 : OIIO::TypeDesc::UINT8);
      spec.tile_width = spec.tile_height = side;
      spec.alpha_channel = -1;
      spec.attribute("compression", "none");
      const auto out = OIIO::ImageOutput::create(name);
      bool good = out && out->open(name, spec);
      std::vector<uint8_t> tiles;
      for (int y = 0; good && y < image.height(); y += side) {
        const int rows = std::min(side, image.height() - y);
        tiles.resize(size_t(image.width()) * size_t(rows) * m_texel);
        image.copyRows(y, rows, tiles.data());
        good = out->write_tiles(0, image.width(), y, y + rows, 0, 1, spec.format, tiles.data());
      }
      good = good && out->close();
      if (!good) {
        std::error_code e;
        fs::remove(name, e);
        throw ioError(fmt::format("{}: a texture that does not fit in memory cannot be kept there: {}",
                                  m_owner->folder.string(), out ? out->geterror() : OIIO::geterror()));
      }
      OIIO::ImageCache::ImageHandle* handle =
          m_owner->cache->get_image_handle(OIIO::ustring(name), m_owner->cache->get_perthread_info());
      if (!handle) throw ioError(fmt::format("{}: cannot be read again", name));
      m_levels.emplace_back(name, handle);
    }

   private:
    std::shared_ptr<Content> m_owner;
    size_t m_texel;
    std::vector<std::pair<std::string, OIIO::ImageCache::ImageHandle*>> m_levels;
  };
};

TexturePages::TexturePages(size_t cacheBytes) : m_content(std::make_shared<Content>(cacheBytes)) {}
TexturePages::~TexturePages() = default;

std::shared_ptr<const Image> TexturePages::pageOut(const Image& image) {
  m_content->makeFolder();
  auto pages = std::make_shared<Content::Pages>(m_content, Image::bytesPerTexel(image.encoding()));
  for (const Image* level = &image; level; level = level->half()) pages->add(*level);
  return Image::paged(image, std::move(pages));
}

} // namespace ilumbra
