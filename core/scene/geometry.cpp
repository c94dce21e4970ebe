#include "core/scene/geometry.h"

#include "core/base/error.h"

namespace ilumbra {

Geometry::Geometry(RTCDevice device, Shape s) : shape(std::move(s)), bounds(shape.bounds()) {
  scene = EmbreeScene(rtcNewScene(device));
  rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
  RTCGeometry g;
  const size_t steps = std::max<size_t>(1, shape.forms.size());
  if (shape.sphereRadius > 0) {
    g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_SPHERE_POINT);
    rtcSetGeometryTimeStepCount(g, unsigned(steps));
    for (size_t step = 0; step < steps; ++step) {
      auto* v = static_cast<float*>(
          rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, unsigned(step), RTC_FORMAT_FLOAT4, 16, 1));
      v[0] = v[1] = v[2] = 0;
      v[3] = shape.forms.empty() ? shape.sphereRadius : shape.forms[step].sphereRadius;
    }
  } else {
    g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
    rtcSetGeometryTimeStepCount(g, unsigned(steps));
    const Mesh& m = shape.mesh;
    for (size_t step = 0; step < steps; ++step) {
      const auto& positions = shape.forms.empty() ? m.positions : shape.forms[step].positions;
      auto* v = static_cast<float*>(rtcSetNewGeometryBuffer(
          g, RTC_BUFFER_TYPE_VERTEX, unsigned(step), RTC_FORMAT_FLOAT3, 12, std::max<size_t>(1, positions.size())));
      if (!positions.empty()) std::copy_n(&positions[0].x, 3 * positions.size(), v);
    }
    if (!m.triangles.empty())
      rtcSetSharedGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, m.triangles.data(), 0, 12,
                                 m.triangles.size());
  }
  rtcCommitGeometry(g);
  rtcAttachGeometry(scene, g);
  rtcReleaseGeometry(g);
  rtcCommitScene(scene);
  if (rtcGetDeviceError(device) == RTC_ERROR_OUT_OF_MEMORY) throw badInput("there is not enough memory for the shape");
}

bool Geometry::closed() const {
  if (m_closed < 0) m_closed = shape.sphereRadius > 0 || isClosed(shape.mesh);
  return m_closed > 0;
}

} // namespace ilumbra
