#include "core/scene/scene.h"

#include <embree3/rtcore.h>

namespace ilumbra {

template <> void EmbreeHandle<RTCDeviceTy>::reset() {
  if (RTCDeviceTy* old = std::exchange(m_handle, nullptr)) rtcReleaseDevice(old);
}

template <> void EmbreeHandle<RTCSceneTy>::reset() {
  RTCSceneTy* old = std::exchange(m_handle, nullptr);
  if (!old) return;
  // Embree's scene still reads its device when it has let go of it: the device stays until after.
  const EmbreeDevice device(rtcGetSceneDevice(old));
  rtcReleaseScene(old);
}

Scene::~Scene() = default;

bool Scene::bare() const {
  return skies.empty() && !media &&
         std::none_of(objects.begin(), objects.end(), [](const InstancedObject& i) { return i.switches & SwitchSeen; });
}

} // namespace ilumbra
