#include "core/scene/scene.h"

#include "core/scene/geometry.h"
#include "core/scene/media.h"

namespace ilumbra {

Scene::~Scene() {
  if (everything) rtcReleaseScene(everything);
  if (blockers) rtcReleaseScene(blockers);
  if (clearBlockers) rtcReleaseScene(clearBlockers);
}

} // namespace ilumbra
