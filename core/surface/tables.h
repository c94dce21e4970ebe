#pragma once
#include "core/surface/microfacet.h"
#include "core/surface/thin_film.h"

#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <tuple>

namespace ilumbra {

/// Tables of lobes, pure functions of a few numbers: those that somebody uses, and the last 64 of a kind, so that
/// dragging a number back and forth is quick. Safe to use from several threads.
class SurfaceTables {
 public:
  std::shared_ptr<const CoatAlbedo> albedo(float eta);
  /// `most`: nanometres.
  std::shared_ptr<const ThinFilm> film(float index, float base, float most);
  std::shared_ptr<const MetalFilm> metalFilm(float index, float most);

 private:
  template <typename T, typename Key> struct Kept {
    std::map<Key, std::weak_ptr<const T>> made;
    std::map<Key, std::shared_ptr<const T>> lately;
    std::shared_ptr<const T> get(const Key& key, const std::function<std::shared_ptr<const T>()>& make);
  };
  std::mutex m_mutex;
  Kept<CoatAlbedo, float> m_albedos;
  Kept<ThinFilm, std::tuple<float, float, float>> m_films;
  Kept<MetalFilm, std::pair<float, float>> m_metalFilms;
};

} // namespace ilumbra
