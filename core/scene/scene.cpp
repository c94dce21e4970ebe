#include "core/scene/scene.h"

#include <embree3/rtcore.h>

namespace ilumbra {

template <> void EmbreeHandle<RTCSceneTy>::reset() {
  if (RTCSceneTy* old = std::exchange(m_handle, nullptr)) rtcReleaseScene(old);
}

template <> void EmbreeHandle<RTCDeviceTy>::reset() {
  if (RTCDeviceTy* old = std::exchange(m_handle, nullptr)) rtcReleaseDevice(old);
}

Scene::~Scene() = default;

bool Scene::bare() const {
  return skies.empty() && !media &&
         std::none_of(objects.begin(), objects.end(), [](const InstancedObject& i) { return i.switches & SwitchSeen; });
}

} // namespace ilumbra
