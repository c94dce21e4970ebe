#pragma once
#include "core/label/layer_table.h"
#include "core/light/tree.h"
#include "core/scene/camera.h"
#include "core/scene/emitter.h"
#include "core/scene/instances.h"

#include <map>

namespace ilumbra {

class Media;
class Caustics;
struct Plates;

/// A document compiled for rendering at one frame: plain data, filled by the compiler (compile/compile.h) and never
/// changed after. Lengths in metres, light in cd/m² of the working space.
class Scene {
 public:
  ~Scene();

  // The picture.
  int width = 0, height = 0; ///< pixels of the frame
  float overscan = 0;        ///< how far beside the frame light is counted, in shares of the frame's height
  uint32_t seed = 1;
  int bounces = 0;        ///< longest light path; 0: no limit
  float exposure = 1;     ///< value in the picture of 1 cd/m²
  float fireflyLimit = 0; ///< cd/m² that one contribution may have after two bounces; 0: no limit
  Camera camera;

  // What rays meet.
  EmbreeScene everything;    ///< objects and the bodies of lights
  EmbreeScene blockers;      ///< what casts shadow and is opaque for certain
  EmbreeScene clearBlockers; ///< what casts shadow but lets some light through; empty: nothing does
  std::vector<InstancedObject> objects;
  std::vector<Instance> instances; ///< by the id that hits have, in all Embree scenes
  std::vector<std::unique_ptr<InstanceArray>> instanceArrays;
  std::vector<MotionPtr> motions; ///< of copies that move
  bool moves = false;             ///< something does while the shutter is open, the camera maybe: samples have a time
  Box3f bounds;                   ///< of objects; empty if there are none
  std::vector<const Instance*> cameraInside; ///< closed clear bodies around the camera
  std::vector<std::unique_ptr<Material>> materials;
  /// By material: it, or what it is layered of, asks the point for more than its texture coordinates.
  std::vector<char> patterned;
  std::shared_ptr<const Media> media; ///< null: there is no air

  // What gives light.
  std::vector<std::unique_ptr<Light>> lights;
  std::vector<Emitter> emitters;            ///< at finite distance
  LightTree tree;                           ///< over `emitters`
  std::vector<Emitter> skies;               ///< and suns: far away
  std::shared_ptr<const Caustics> caustics; ///< null: paths find all light
  std::vector<LightGroup> groups;
  std::vector<Color> groupScales; ///< of the groups at compile time
  bool sharedGroups = false;      ///< more lights than groups: the last one holds the rest at fixed power
  std::vector<Color> restScales;  ///< of the lights that share the last group

  // What is told apart: layers of light by their queries, and coverages.
  std::vector<Thing> things;
  std::vector<LayerQuery> queries, maskQueries;
  LayerTable table, masks;
  std::map<NodeId, uint32_t> copiesOf;  ///< of lights and objects that stand more than once
  std::map<NodeId, uint32_t> ownCopies; ///< of what has a repeat of its own: how many that makes

  // Plates, laid over and under the picture of the film.
  std::shared_ptr<const Plates> plates; ///< null: there are none
  bool plateBehind = false;             ///< there is one behind, so that the camera does not see the sky itself
  int plateGroup = -1;     ///< of what is seen of it through clear things; its amount takes the exposure off again
  uint16_t plateThing = 0; ///< in `things`
  Color plateBaked{1.0f};  ///< as Emitter::baked

  /// What could not be made as it is asked for, with the reason: a missing file, say.
  std::vector<std::string> warnings;

  /// True if there is nothing that a ray of the camera could meet: plates at most.
  bool bare() const;
};
using ScenePtr = std::shared_ptr<const Scene>;

} // namespace ilumbra
