#pragma once
#include "core/base/tasks.h"
#include "core/label/layer_table.h"
#include "core/light/tree.h"
#include "core/scene/camera.h"
#include "core/scene/motion.h"
#include "core/surface/material.h"

#include <limits>
#include <map>
#include <set>

struct RTCSceneTy;
struct RTCDeviceTy;

namespace ilumbra {

class Media;
class Caustics;
struct Geometry;
struct Plates;
/// The shape of objects with its acceleration structure, shared by all that have the same shape.
using GeometryPtr = std::shared_ptr<const Geometry>;

/// How light of lamps gets through an object's clear matter: not at all; on a straight line by Fresnel and absorption;
/// or only bent, as paths (and photons) find it. A lamp may say so itself, or leave it to each thing.
enum class LightThrough : uint8_t { Straight, Focused, Blocked, AsThings };

/// Something that can be seen: an object or a light.
struct Thing {
  NodeId node = 0;
  std::string name;
  std::vector<NodeId> parts =
      {}; ///< the parts (render/part.h) that it belongs to: copies in other parts are another thing
  bool among(const std::set<NodeId>& ids) const {
    return ids.count(node) > 0 || std::any_of(parts.begin(), parts.end(), [&](NodeId p) { return ids.count(p) > 0; });
  }
};

/// Light that is mixed together after rendering: a light of its own, or all that a material gives.
struct LightGroup {
  std::string name;
  NodeId node = 0;
  Reference material; ///< of own light: the use it stands for
  NodeId object = 0;  ///< of own light that is split in the balance: whose it is
  uint32_t copy = 0;  ///< of light whose copies are split in the balance: which, from 1
};

enum Switches : uint16_t {
  SwitchSeen = 1,
  SwitchMirrored = 2,
  SwitchThrough = 4,
  SwitchShadow = 8,
  SwitchTakesLight = 16,
  SwitchLightsOthers = 32,
  SwitchCutsOut = 64,
  SwitchCatches = 128
};

/// An object, or the body of a lamp, with all that its copies share.
struct InstancedObject {
  GeometryPtr geometry;
  M44f toWorld, toObject;                        ///< of the first copy at mid-shutter
  Box3f bounds;                                  ///< of all copies, in the world
  uint32_t firstInstance = 0, instanceCount = 1; ///< in Scene::instances
  uint16_t thing = 0, material = noMaterial;
  std::vector<uint16_t> thingByInstance; ///< where parts divide the copies; empty: all are `thing`
  uint16_t thingAt(uint32_t copy) const { return thingByInstance.empty() ? thing : thingByInstance[copy]; }
  uint16_t switches = 0;
  bool closed = false; ///< its shape has an inside
  LightThrough lightThrough = LightThrough::Straight;
  int light = -1;                              ///< index into lights: this is a lamp's body
  int emitter = -1;                            ///< of a lamp's body: index into emitters
  uint16_t insideMaterial = noMaterial;        ///< of triangles that came to light by a cut; noMaterial: the same
  std::vector<std::pair<uint16_t, int>> glows; ///< materials with own light, and their emitters for the first copy
  /// Of a copy by its index; -1: that material gives no light.
  int emitterOf(uint16_t leaf, uint32_t copy) const {
    for (const auto& [m, e] : glows)
      if (m == leaf) return e + int(copy * glows.size());
    return -1;
  }
};

/// Where an object stands: once, or for each of its copies. Small, for there may be a million.
struct Instance {
  M44f toWorld, toObject;         ///< at mid-shutter
  const Motion* motion = nullptr; ///< owned by the scene; null: it stands still
  uint32_t object = 0;            ///< whose instance it is: in Scene::objects
  uint32_t index = 0;             ///< among that object's
};

/// What can be sampled as a source of light.
struct Emitter {
  const Light* light = nullptr; ///< as it stands at mid-shutter
  MotionPtr motion;             ///< how it moves, rigidly; null: it stands still
  M44f rest;                    ///< of what moves: from the world at mid-shutter to its own space
  uint16_t group = 0, thing = 0;
  Color baked{1.0f};     ///< 1 for a group of its own; the amount where lights share a group
  float weight = 0;      ///< luminance of its amount, for choosing; never 0
  uint16_t switches = 0; ///< of a sky: its Switches
  float range = std::numeric_limits<float>::infinity(); ///< metres at which its light has faded
  V3f centre{0.0f}; ///< of a light at finite distance, and its rough lumens at unit power: as its reach says
  float flux = 1;
  std::vector<bool> linked;                    ///< by thing: takes its light; empty: all do
  LightThrough clear = LightThrough::AsThings; ///< whatever clear things say, its light gets through them so
  bool caustics = true;                        ///< photons may carry its light
  LightThrough through(const InstancedObject& thing) const {
    return clear == LightThrough::AsThings ? thing.lightThrough : clear;
  }
  /// What of its light comes to a thing at a distance in metres.
  float share(uint16_t thingThere, float distance) const {
    if (!linked.empty() && !linked[thingThere]) return 0;
    return rangeShare(distance, range);
  }
};

/// Many copies of one object: one Embree geometry with a primitive for each, for an instance of its own costs four
/// times the memory.
struct InstanceArray {
  RTCSceneTy* form;
  const Instance* instances; ///< the first
  uint32_t first;            ///< its id
  Box3f bounds;              ///< of the form
};

/// A document compiled for rendering at one frame. Immutable.
class Scene {
 public:
  ~Scene();
  RTCSceneTy* everything = nullptr;    ///< objects and the bodies of lights
  RTCSceneTy* blockers = nullptr;      ///< what casts shadow and is opaque for certain
  RTCSceneTy* clearBlockers = nullptr; ///< what casts shadow but lets some light through; null: nothing does
  std::vector<InstancedObject> objects;
  std::vector<Instance> instances; ///< by the id that hits have, in all Embree scenes
  std::vector<MotionPtr> motions;  ///< of copies that move
  std::vector<std::unique_ptr<InstanceArray>> instanceArrays;
  std::vector<std::unique_ptr<Material>> materials;
  std::vector<char>
      patterned; ///< by material: it, or what it is layered of, asks the point for more than its texture coordinates
  std::vector<const Instance*> cameraInside; ///< closed clear bodies around the camera
  std::vector<std::unique_ptr<Light>> lights;
  std::vector<Emitter> emitters; ///< at finite distance
  LightTree tree;                ///< over `emitters`
  std::vector<Emitter> skies;
  std::vector<Thing> things;
  std::vector<LightGroup> groups;
  bool sharedGroups = false; ///< more lights than groups: the last one holds the rest at fixed power
  std::vector<LayerQuery> queries, maskQueries;
  float overscan = 0; ///< how far beside the frame light is counted, in shares of the frame's height
  LayerTable table, masks;
  Camera camera;
  Box3f bounds;       ///< of objects; empty if there are none
  bool moves = false; ///< something does while the shutter is open, the camera maybe: samples have a time
  std::shared_ptr<const Media> media;       ///< null: there is none
  std::shared_ptr<const Caustics> caustics; ///< null: paths find all light
  std::shared_ptr<const Plates> plates;     ///< laid over and under the picture of the film; null: there are none
  /// Nothing that a ray of the camera could meet: plates at most.
  bool bare() const {
    return skies.empty() && !media && std::none_of(objects.begin(), objects.end(), [](const InstancedObject& i) {
             return i.switches & SwitchSeen;
           });
  }
  bool plateBehind = false; ///< so that the camera does not see the sky itself
  int plateGroup = -1;      ///< of what is seen of it through clear things; its amount takes the exposure off again
  uint16_t plateThing = 0;
  Color plateBaked{1.0f}; ///< as Emitter::baked
  int width = 0, height = 0;
  uint32_t seed = 1;
  int bounces = 0;
  float exposure = 1;                   ///< value in the picture of 1 cd/m²
  float fireflyLimit = 0;               ///< cd/m² that one contribution may have after two bounces; 0: no limit
  std::map<NodeId, uint32_t> copiesOf;  ///< of lights and objects that stand more than once
  std::map<NodeId, uint32_t> ownCopies; ///< of what has a repeat of its own: how many that makes
  std::vector<Color> groupScales;       ///< of the groups at compile time
  std::vector<Color> restScales;        ///< of the lights that share the last group
  std::vector<std::string>
      warnings; ///< what could not be made as it is asked for, with the reason, e.g. a missing file
};
using ScenePtr = std::shared_ptr<const Scene>;

} // namespace ilumbra
