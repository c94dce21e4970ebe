#include "core/label/layer_query.h"

namespace ilumbra {

const std::vector<LayerQuery>& lightPasses() {
  static const std::vector<LayerQuery> all = {
      {.name = "emission", .everything = true, .events = EventEmitted},
      {.name = "direct", .everything = true, .events = EventDirect},
      {.name = "indirect", .everything = true, .events = EventIndirect},
      {.name = "caustics", .everything = true, .events = EventCaustic},
      {.name = "mirrored", .everything = true, .direct = false, .through = false},
      {.name = "through", .everything = true, .direct = false, .mirrored = false}};
  return all;
}

const LayerQuery& causticsLayer() { return lightPasses()[3]; }

} // namespace ilumbra
