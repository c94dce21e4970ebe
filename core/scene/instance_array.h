#pragma once
#include "core/scene/scene.h"

#include <embree3/rtcore.h>

namespace ilumbra {

/// An Embree geometry with a primitive for each of many copies of one form: what it asks of memory is the box of each,
/// where an instance of its own asks for some 400 bytes in every scene. The array must outlive it.
RTCGeometry instanceArrayGeometry(RTCDevice device, const InstanceArray& array, uint32_t copies);

} // namespace ilumbra
