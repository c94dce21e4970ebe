#pragma once
#include "core/base/tasks.h"
#include "core/document/document.h"
#include "core/pattern/assets.h"
#include "core/pattern/distance_field.h"

#include <deque>
#include <mutex>

namespace ilumbra {

/// Surfaces that were measured to of late, up to some million triangles. Safe to use from several threads.
class DistanceFieldCache {
 public:
  /// Null: not there.
  std::shared_ptr<const DistanceField> find(uint64_t key);
  void keep(std::shared_ptr<const DistanceField> made, size_t triangles);

 private:
  struct Kept {
    std::shared_ptr<const DistanceField> surfaces;
    size_t triangles = 0;
  };
  std::mutex m_mutex;
  std::deque<Kept> m_lately; ///< the newest first
};

/// The surfaces of things at a frame, all their copies in the world, of groups all that they hold; what is hidden
/// counts too. `cache`: may be null. Throws BadInput where one of them is made from itself, or where they have more
/// than 20 million triangles; Cancelled.
std::shared_ptr<const DistanceField> distanceFieldOf(const Document& doc, const std::vector<NodeId>& things,
                                                     double frame, const Assets& assets,
                                                     DistanceFieldCache* cache = nullptr,
                                                     const CancelFlag* cancel = nullptr);

} // namespace ilumbra
