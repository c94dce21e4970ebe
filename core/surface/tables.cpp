#include "core/surface/tables.h"

namespace ilumbra {

constexpr size_t most = 64;

template <typename T, typename Key>
std::shared_ptr<const T> SurfaceTables::Kept<T, Key>::get(const Key& key,
                                                          const std::function<std::shared_ptr<const T>()>& make) {
  std::shared_ptr<const T> table;
  if (const auto it = made.find(key); it != made.end()) table = it->second.lock();
  if (!table) made[key] = table = make();
  if (lately.size() >= most) lately.clear();
  lately[key] = table;
  if (made.size() > 8 * most) std::erase_if(made, [](const auto& entry) { return entry.second.expired(); });
  return table;
}

std::shared_ptr<const CoatAlbedo> SurfaceTables::albedo(float eta) {
  const std::lock_guard lock(m_mutex);
  return m_albedos.get(eta, [&] { return std::make_shared<const CoatAlbedo>(eta); });
}

std::shared_ptr<const ThinFilm> SurfaceTables::film(float index, float base, float most) {
  const std::lock_guard lock(m_mutex);
  return m_films.get({index, base, most}, [&] { return std::make_shared<const ThinFilm>(index, base, most); });
}

std::shared_ptr<const MetalFilm> SurfaceTables::metalFilm(float index, float most) {
  const std::lock_guard lock(m_mutex);
  return m_metalFilms.get({index, most}, [&] { return std::make_shared<const MetalFilm>(index, most); });
}

} // namespace ilumbra
