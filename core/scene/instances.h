#pragma once
#include "core/label/label.h"
#include "core/scene/embree_handles.h"
#include "core/scene/motion.h"
#include "core/scene/things.h"
#include "core/surface/material.h"

namespace ilumbra {

struct Geometry;
/// The shape of objects with its acceleration structure, shared by all that have the same shape.
using GeometryPtr = std::shared_ptr<const Geometry>;

/// An object, or the body of a lamp, with all that its copies share.
struct InstancedObject {
  GeometryPtr geometry;
  M44f toWorld, toObject;                        ///< of the first copy at mid-shutter
  Box3f bounds;                                  ///< of all copies, in the world, metres
  uint32_t firstInstance = 0, instanceCount = 1; ///< in Scene::instances
  uint32_t chance = 0;                           ///< its own number for patterns that deal by chance
  uint16_t thing = 0;                            ///< in Scene::things
  uint16_t material = noMaterial;                ///< in Scene::materials
  std::vector<uint16_t> thingByInstance;         ///< where parts divide the copies; empty: all are `thing`
  uint16_t switches = 0;                         ///< Switches
  bool closed = false;                           ///< its shape has an inside
  LightThrough lightThrough = LightThrough::Straight;
  int light = -1;                       ///< of a lamp's body: index into Scene::lights; -1: this is an object
  int emitter = -1;                     ///< of a lamp's body: index into Scene::emitters
  uint16_t insideMaterial = noMaterial; ///< of triangles that came to light by a cut; noMaterial: the same
  /// Materials with own light that it wears, and their emitters for the first copy; those of the next copies follow.
  std::vector<std::pair<uint16_t, int>> glows;

  uint16_t thingAt(uint32_t copy) const { return thingByInstance.empty() ? thing : thingByInstance[copy]; }
  /// The emitter of a material's own light on a copy, by its index; -1: that material gives no light.
  int emitterOf(uint16_t leaf, uint32_t copy) const {
    for (const auto& [m, e] : glows)
      if (m == leaf) return e + int(copy * glows.size());
    return -1;
  }
};

/// What all points of a copy have in common for patterns.
PatternPoint pointOn(const InstancedObject& object, uint32_t copy);

/// Where an object stands: once, or for each of its copies. Small, for there may be a million.
struct Instance {
  M44f toWorld, toObject;         ///< at mid-shutter
  const Motion* motion = nullptr; ///< owned by the scene; null: it stands still
  uint32_t object = 0;            ///< whose instance it is: in Scene::objects
  uint32_t index = 0;             ///< among that object's
};

/// Many copies of one object: one Embree geometry with a primitive for each, for an instance of its own costs four
/// times the memory.
struct InstanceArray {
  RTCSceneTy* form;          ///< owned by the object's Geometry
  const Instance* instances; ///< the first, in Scene::instances
  uint32_t first;            ///< its id
  Box3f bounds;              ///< of the form, metres
};

} // namespace ilumbra
