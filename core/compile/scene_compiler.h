#pragma once
#include "core/air/beam.h"
#include "core/air/voxel_grid.h"
#include "core/compile/balance.h"
#include "core/compile/camera.h"
#include "core/compile/compile.h"
#include "core/compile/part.h"
#include "core/compile/plate.h"
#include "core/geometry/form.h"
#include "core/scene/geometry.h"
#include "core/scene/media.h"
#include "core/scene/scene.h"
#include "core/surface/tables.h"

#include <functional>
#include <map>
#include <set>
#include <utility>

namespace ilumbra {

struct SceneCache::Content {
  struct {
    std::vector<NodePtr> nodes;
    double frame = 0;
    int width = 0, height = 0;
    std::shared_ptr<const Plates> plates;
  } plates; ///< of the last compile
  EmbreeDevice device{rtcNewDevice(embreeConfig)};
  struct Made {
    GeometryPtr geometry; ///< null: of a group
    std::vector<M44f> copies;
    std::vector<std::string> warnings; ///< modifiers that were left out
  };
  // What guides uneven hazes, and what it was made of.
  struct Cells {
    std::vector<NodePtr> nodes;
    uint64_t content = 0; ///< of a file of voxels
    Value amount = Constant(0.0);
    std::vector<double> numbers;
    std::vector<M44f> matrices;
    std::vector<Box3f> boxes;
    std::vector<std::pair<DensityPtr, std::shared_ptr<const DensityCells>>> made;
    DensityPtr heat;
    std::shared_ptr<const AirColor> tint, warmth;
  };
  std::map<NodeId, Cells> cells; ///< of things that are there
  std::map<uint64_t, Made> forms;
  SurfaceTables tables;
};

// One source of light of its own in a document: what gets a light group.
struct Source {
  NodeId node = 0;    ///< the light, or the material
  Reference material; ///< of own light
  NodeId object = 0;  ///< of own light that is split in the balance
  uint32_t copy = 0;  ///< of copies that are split in the balance
  std::string name = {};
  Color amount{0.0f};
  bool operator==(const Source& o) const {
    return node == o.node && material == o.material && object == o.object && copy == o.copy;
  }
};

/// Makes a scene of a document: scene.cpp groups its light and compiles materials, scene_objects.cpp places objects and
/// lights, scene_air.cpp air, scene_build.cpp weighs the lamps and builds what rays are cast in.
class SceneCompiler {
 public:
  SceneCompiler(const Document& doc, const CompileOptions& o, const Assets& assets, SceneCache::Content& cache,
                const CancelFlag* cancel)
      : m_doc(doc), m_options(o), m_assets(assets), m_cache(cache), m_cancel(cancel), m_balance(doc, o.frame),
        m_scene(std::make_shared<Scene>()) {}

  ScenePtr compile();

 private:
  void stopIfCancelled() const;
  void assignGroups();

  // Group of a source, and what its light is multiplied by within the group.
  uint16_t groupOf(const Source& wanted, Color& baked) const;
  void layPlates();
  uint16_t materialOf(const Reference& use);

  // Calls f(leaf, masks) for every material that a (layered) one is made of.
  void leaves(uint16_t index, std::vector<std::pair<const Driven*, bool>> masks,
              const std::function<void(const Material&, const std::vector<std::pair<const Driven*, bool>>&)>& f) const;
  bool anyLeaf(uint16_t index, const std::function<bool(const Material&)>& f) const;

  // True if the thing may be elsewhere at other times of the shutter.
  bool maybeMoves(const Node& n) const { return m_shutter.close > m_shutter.open && isAnimated(m_doc, n); }

  // The times at which a form that changes is built, or none.
  std::vector<double> formTimes(const Node& n, const FormKey& key) const;

  // What a node's form comes to, and the times at which it is built if it changes.
  struct FormWanted {
    uint64_t key;
    std::vector<double> times;
  };
  const FormWanted& formWanted(const Node& n);
  std::map<NodeId, FormWanted> m_formsWanted; ///< asked for so far
  SceneCache::Content::Made makeForm(const Node& n, const std::vector<double>& times) const;
  // Those that are not there yet, side by side. What fails is left to formed().
  void makeForms(const std::vector<const Node*>& nodes);
  // The form of an object, or the copies of a group, made once for all that come to the same.
  const SceneCache::Content::Made& formed(const Node& n);
  std::vector<M44f> copiesOf(const Node& n);

  // A shape with all that it is at the times where it changes; without if they have not the same triangles.
  Shape withForms(const Node& n, Shape shape, const std::vector<double>& times) const;
  uint16_t thingOf(const Node& n, std::vector<NodeId> parts = {});
  // A thing for each set of parts that copies of a node belong to, by copy; one alone where they divide nothing.
  std::vector<uint16_t> thingsOf(const Node& n, size_t copies);

  // How often lights and objects stand, where the balance asks for it.
  void countCopies();
  void addObject(const Node& n);

  // How each copy moves while the shutter is open; empty: none does.
  std::vector<MotionPtr> motionsOf(const Node& n, size_t copies, float radius);

  // What the cut faces of an object are made of, by its last modifier that says so.
  uint16_t insideMaterialOf(const Node& n, const InstancedObject& i);
  void addLight(const Node& n);
  void placeLight(const Node& n, std::unique_ptr<Light> light, const M44f& world, uint32_t copy, uint16_t thing,
                  bool moves);

  // Node by node, what patterns are made of: while none of it changes, what was made of them stays.
  std::vector<NodePtr> patternNodes() const;

  // What patterns of an air's colours and anisotropy say: read before its places are made, and laid over them.
  struct AirPatterns;
  AirPatterns airPatterns(const Params& p, Haze& haze) const;
  void varyPlaces(const Params& p, const AirPatterns& patterns, Medium& h) const;
  // How a haze's amount varies: null where it is the same everywhere, which is then `even`.
  std::shared_ptr<const Program> amountOf(const Params& p, float& even) const;

  // The amounts of a haze's uneven places on voxels, if they are to be, and their guides: made anew when something that
  // they are made of has changed. `numbers`: what else that is.
  void guide(const Params& p, const std::shared_ptr<const Program>& amount, std::vector<MediumPlace>& places);
  void addLamps(NodeId light, MediumPlace& place) const;

  // The lights that a haze names, and its own.
  void showLights(const Params& p, Medium& h, float even);

  // The innermost void of a hollow body, as a form of its own.
  GeometryPtr insideOf(const Node& n);
  void fillHaze(const Params& p, Medium& h, float even, const std::shared_ptr<const Program>& amount);
  void fitBeam(const Params& p, Medium& h, const std::shared_ptr<const Program>& dust);

  // Voxels of a file.
  void placeGrid(const Params& p, Medium& h, const std::shared_ptr<const Program>& amount);
  void addAir();

  // Which things take a lamp's light, groups standing for all that they hold.
  void linkLights();

  // Each source is chosen by how bright it is; one that is off keeps a floor, so that it can come on.
  void weighEmitters();

  // A reach that holds for all times of the shutter.
  static void sweep(LightReach& r, const Emitter& e);
  void build();
  bool patterned(uint16_t index) const;

  // The closed bodies around the camera: those whose surface a ray from it leaves once more than it enters.
  void placeCamera();
  void forgetUnused();

  const Document& m_doc;
  const CompileOptions& m_options;
  const Assets& m_assets;
  SceneCache::Content& m_cache;
  const CancelFlag* m_cancel;
  const Balance m_balance;
  std::shared_ptr<Scene> m_scene;
  Shutter m_shutter{0, 0};
  std::vector<Source> m_sources;
  std::vector<Part> m_parts;
  std::vector<Reference> m_uses;
  std::vector<NodeId> m_open; ///< materials being compiled
  std::vector<std::unique_ptr<Material>> m_materials;
  std::set<uint64_t> m_used;
};

} // namespace ilumbra
