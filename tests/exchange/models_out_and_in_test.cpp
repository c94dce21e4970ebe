// A set written as a model and taken in again.
#include "core/base/colorspace.h"
#include "core/base/files.h"
#include "core/compile/compile.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/effects/route.h"
#include "core/exchange/assets.h"
#include "core/exchange/export.h"
#include "core/exchange/import.h"
#include "core/exchange/passes.h"
#include "core/exchange/picture_layers.h"
#include "core/exchange/readers.h"
#include "demo/starters.h"
#include "demo/sun_core.h"
#include "tests/support/scene.h"

#include <filesystem>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

TEST_CASE("An exported set comes back: places, materials, lights, camera", "[exchange][gltf]") {
  TemporaryFolder folder;
  Set s(64, 36);
  s.look("0.5, 1, 3", "0, 0.4, 0", "35");
  s.add("material.surface", "Amber",
        {{"base_color", "0.9, 0.5, 0.1"},
         {"transmission", "1"},
         {"ior", "1.54"},
         {"attenuation_color", "0.8, 0.4, 0.1"},
         {"attenuation_depth", "0.05"},
         {"roughness", "0.1"}});
  s.add("material.surface", "Ember", {{"own_light", "5000"}, {"own_light_color", "1, 0.5, 0.25"}});
  const NodeId rig = s.add("object.group", "Rig", {{"position", "1, 0, 0"}, {"turn", "0, 40, 0"}});
  s.add("object.box", "Block", {{"material", "Amber"}, {"size", "1, 2, 1"}}, s.in(rig));
  s.add("object.sphere", "Ball", {{"material", "Ember"}, {"radius", "0.2"}, {"position", "0, 1, 0"}});
  s.add("light.point", "Lamp", {{"power", "1234"}, {"radius", "0"}, {"position", "0, 2, 1"}, {"color", "1, 0.6, 0.3"}});
  s.add("light.spot", "Spot",
        {{"power", "700"}, {"cone", "30"}, {"edge", "50 %"}, {"position", "1, 2, 1"}, {"target", "0, 0, 0"}});
  s.add("light.sun", "Sun", {{"power", "5000"}, {"height", "35"}, {"bearing", "60"}});
  const Document doc = s.take();
  const Traced t = trace(doc, 1);
  exportModel(modelOf(doc, *t.scene), folder / "set.glb");
  AssetCache cache;
  const Document back = importModel(Document::create(kinds()), folder / "set.glb", cache).doc;
  REQUIRE(back.findByName("Block"));
  CHECK(back.family("camera").size() == 1);
  const auto number = [&](const char* address) {
    return std::get<double>(*valueAt(back, resolve(back, address)).constant());
  };
  CHECK(number("Amber.ior") == Approx(1.54));
  CHECK(number("Amber.transmission") == 1);
  CHECK(number("Amber.attenuation_depth") == Approx(0.05));
  CHECK(number("Ember.own_light") == Approx(5000));
  CHECK(number("Lamp.power") == Approx(1234).epsilon(1e-3));
  CHECK(number("Spot.power") == Approx(700).epsilon(1e-3));
  CHECK(number("Spot.cone") == Approx(30).epsilon(1e-3));
  CHECK(number("Spot.edge") == Approx(0.5).epsilon(1e-3));
  CHECK(number("Sun.height") == Approx(35).epsilon(1e-3));
  CHECK(number("Sun.bearing") == Approx(60).epsilon(1e-3));
  CHECK(number("Camera.focal_length") == Approx(35).epsilon(1e-3));
  // The same things stand in the same places.
  SceneCache sceneCache;
  const ScenePtr again = compileScene(back, {.width = 64, .height = 36, .queries = {}}, cache.assets(""), sceneCache);
  CHECK(again->warnings.empty());
  CHECK(length(again->bounds.min - t.scene->bounds.min) < 0.01f);
  CHECK(length(again->bounds.max - t.scene->bounds.max) < 0.01f);
}

TEST_CASE("A model's tree, materials and textures become things of the document", "[exchange][import]") {
  const std::string model = "/usr/share/assimp/models/glTF2/BoxTextured-glTF-Binary/BoxTextured.glb";
  REQUIRE(fs::exists(model)); // of the package assimp-testmodels
  AssetCache cache;
  const Imported imported = importModel(Document::create(kinds()), model, cache);
  REQUIRE(imported.root);
  CHECK(imported.doc.family("pattern").size() == 1);
  CHECK(imported.doc.family("material").size() == 1);
  const Node* material = imported.doc.family("material").front();
  CHECK(Params(*material, 1).pattern("base_color"));
  SceneCache sceneCache;
  CHECK(compileScene(imported.doc, {.width = 8, .height = 8, .queries = {}}, cache.assets(""), sceneCache)
            ->warnings.empty());
}

TEST_CASE("Import scales to metres, and names stay unique", "[exchange][import]") {
  TemporaryFolder folder;
  writeFileAtomically(folder / "lamp.obj", "o Part\nv 0 0 0\nv 100 0 0\nv 0 100 0\nf 1 2 3\n");
  AssetCache cache;
  const Imported one = importModel(Document::create(kinds()), folder / "lamp.obj", cache, {.unit = 0.01});
  const Imported two = importModel(one.doc, folder / "lamp.obj", cache);
  CHECK(problems(two.doc).empty());
  CHECK(two.doc.family("object").size() == 2 * one.doc.family("object").size());
  SceneCache sceneCache;
  const ScenePtr s = compileScene(one.doc, {.width = 8, .height = 8, .queries = {}}, cache.assets(""), sceneCache);
  CHECK(s->bounds.max.x == Approx(1));
}

TEST_CASE("Trees that are too deep for a file are flattened and keep their places", "[exchange][import]") {
  TemporaryFolder folder;
  Model m;
  Mesh mesh;
  mesh.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
  mesh.triangles = {{0, 1, 2}};
  m.parts.push_back({"Leaf", mesh, -1});
  for (int i = 0; i < 60; ++i) {
    ModelNode n;
    n.name = "Level " + std::to_string(i);
    n.matrix.setTranslation(V3f(1, 0, 0));
    if (i < 59)
      n.children = {i + 1};
    else
      n.parts = {0};
    m.nodes.push_back(n);
  }
  m.roots = {0};
  exportModel(m, folder / "deep.glb");
  AssetCache cache;
  const Imported in = importModel(Document::create(kinds()), folder / "deep.glb", cache);
  CHECK(fromJson(kinds(), toJson(in.doc)) == in.doc);
  SceneCache sceneCache;
  CHECK(compileScene(in.doc, {.width = 8, .height = 8, .queries = {}}, cache.assets(""), sceneCache)->bounds.max.x ==
        Approx(61));
}
