#include "core/render/geometry.h"

#include "core/base/error.h"

namespace ilumbra {

Geometry::Geometry(RTCDevice device, Shape s) : shape(std::move(s)) {
  scene = rtcNewScene(device);
  rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
  RTCGeometry g;
  if (shape.sphereRadius > 0) {
    g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_SPHERE_POINT);
    auto* v = static_cast<float*>(rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT4, 16, 1));
    v[0] = v[1] = v[2] = 0;
    v[3] = shape.sphereRadius;
  } else {
    g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
    const Mesh& m = shape.mesh;
    auto* v = static_cast<float*>(
        rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, std::max<size_t>(1, m.positions.size())));
    if (!m.positions.empty()) std::copy_n(&m.positions[0].x, 3 * m.positions.size(), v);
    if (!m.triangles.empty())
      rtcSetSharedGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, m.triangles.data(), 0, 12, m.triangles.size());
  }
  rtcCommitGeometry(g);
  rtcAttachGeometry(scene, g);
  rtcReleaseGeometry(g);
  rtcCommitScene(scene);
  if (rtcGetDeviceError(device) == RTC_ERROR_OUT_OF_MEMORY) {
    rtcReleaseScene(scene);
    throw badInput("there is not enough memory for the shape");
  }
}

bool Geometry::closed() const {
  if (m_closed < 0) m_closed = shape.sphereRadius > 0 || isClosed(shape.mesh);
  return m_closed > 0;
}

Geometry::~Geometry() { rtcReleaseScene(scene); }

} // namespace ilumbra
