// Out of Ilumbra and back: what a model says, what travels in its extras, what another program changes, and what
// changes on disk.
#include "core/base/files.h"
#include "core/compile/compile.h"
#include "core/document/difference.h"
#include "core/document/inputs.h"
#include "core/exchange/export.h"
#include "core/exchange/import.h"
#include "core/exchange/readers.h"
#include "tests/support/scene.h"

#include <filesystem>
#include <nlohmann/json.hpp>
#include <set>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

namespace {

// Beads on a ring, each with a lamp; a rig with a block; patterns, keys, an effect, a lens stage.
Document beads() {
  Set s(64, 36);
  s.look("0.5, 1, 3", "0, 0.4, 0", "35");
  s.add("material.surface", "Amber",
        {{"base_color", "0.9, 0.5, 0.1"},
         {"transmission", "1"},
         {"ior", "1.54"},
         {"coat", "0.5"},
         {"subsurface", "0.25"}});
  s.add("material.surface", "Ember", {{"own_light", "5000"}, {"own_light_color", "1, 0.5, 0.25"}});
  const NodeId rig = s.add("object.group", "Rig", {{"position", "1, 0, 0"}, {"turn", "0, 40, 0"}});
  s.add("object.box", "Block", {{"material", "Amber"}, {"size", "1, 2, 1"}, {"round", "0.05"}}, s.in(rig));
  s.add("object.sphere", "Ball",
        {{"material", "Ember"},
         {"radius", "0.2"},
         {"position", R"({"keys": [{"frame": 1, "value": [0, 1, 0]}, {"frame": 25, "value": [2, 1, 0]}]})"}});
  const NodeId bead = s.add("object.sphere", "Bead", {{"material", "Amber"}, {"radius", "0.05"}});
  s.add("modifier.repeat", "Five", {{"count", "5"}, {"step", "0.5, 0.5, 0.5"}}, {bead, "modifiers"});
  s.add("light.point", "Bead lamp", {{"power", "10"}, {"radius", "0.01"}}, {bead, "carries"});
  s.add("light.area", "Window", {{"power", "700"}, {"position", "1, 2, 1"}});
  s.add("light.spot", "Spot",
        {{"power", "700"}, {"cone", "30"}, {"edge", "50 %"}, {"position", "1, 2, 1"}, {"target", "0, 0, 0"}});
  s.add("lens.glow", "Glow", {{"sources", "Ball"}});
  return s.take();
}

Document import(const std::string& path, const ImportOptions& options = {}) {
  AssetCache cache;
  return importModel(Document::create(kinds()), path, cache, options).doc;
}

std::vector<std::string> save(const Document& doc, const std::string& path, const ExportOptions& options = {}) {
  AssetCache cache;
  return exportSetTo(doc, path, cache, options);
}

// As another program would: reads the text, changes it, writes it.
void change(const std::string& path, const std::function<void(Json&)>& how) {
  Json j = Json::parse(readFile(path));
  how(j);
  writeFileAtomically(path, j.dump());
}
Json& nodeOf(Json& j, const std::string& name) {
  for (Json& n : j["nodes"])
    if (n["name"] == name) return n;
  throw std::runtime_error("no node " + name);
}

Triple triple(const Document& d, const std::string& address) {
  return std::get<Triple>(*valueAt(d, resolve(d, address)).constant());
}
double number(const Document& d, const std::string& address) {
  return std::get<double>(*valueAt(d, resolve(d, address)).constant());
}

} // namespace

TEST_CASE("A set that goes out as glTF and comes back is the same to the last parameter", "[exchange][export]") {
  TemporaryFolder folder;
  const Document doc = beads();
  for (const char* name : {"set.glb", "set.gltf"}) {
    const auto notes = save(doc, folder / name);
    REQUIRE(notes.size() == 1);
    CHECK(notes[0].find("Window (no point, spot or sun)") != std::string::npos);
    CHECK(notes[0].find("Amber (what happens inside a waxy body)") != std::string::npos);
    const Document back = import(folder / name);
    CHECK(back == doc);
    CHECK(differences(doc, back).empty());
  }
}

TEST_CASE("Named inputs, what uses set of them, and drawn points go out as glTF and come back",
          "[exchange][export][inputs]") {
  TemporaryFolder folder;
  Set s(32, 32);
  s.look("0, 1, 3", "0, 0, 0", "35");
  s.add("pattern.noise", "Grain", {{"scale", "0.1"}});
  s.add("material.surface", "Jade", {{"roughness", "pattern Grain"}});
  s.add("object.sphere", "Ball", {{"material", "Jade"}});
  s.add("object.box", "Block", {{"material", "Jade"}, {"position", "2, 0, 0"}});
  const NodeId outline = s.add("pattern.outline", "Patch", {});
  for (const char* x : {"-0.2", "0.2", "0.1"})
    s.add("outline.point", "", {{"x", x}, {"y", "0.1"}}, {outline, "points", size_t(-1)});
  Document doc = s.take();
  doc = addInput(doc, doc.findByName("Grain")->id, "grain", {0, "scale", ""});
  doc = addInput(doc, doc.findByName("Jade")->id, "size of the grain", {0, "roughness", "grain"});
  doc = setAt(doc, resolve(doc, "Ball.material.size of the grain"), Constant(0.03));
  for (const char* name : {"set.glb", "set.gltf"}) {
    save(doc, folder / name);
    const Document back = import(folder / name);
    CHECK(back == doc);
    CHECK(number(back, "Ball.material.size of the grain") == 0.03);
    CHECK(number(back, "Block.material.size of the grain") == 0.1);
  }
}

TEST_CASE("To other programs the set is a tree with shared forms, materials, lamps at every copy, and motion",
          "[exchange][export]") {
  TemporaryFolder folder;
  save(beads(), folder / "set.gltf");
  const Model m = readGltf(folder / "set.gltf");
  const auto named = [&](const std::string& name) {
    for (size_t i = 0; i < m.nodes.size(); ++i)
      if (m.nodes[i].name == name) return int(i);
    return -1;
  };
  REQUIRE(named("Rig") >= 0);
  CHECK(m.nodes[size_t(named("Rig"))].children == std::vector<int>{named("Block")});
  const ModelNode& bead = m.nodes[size_t(named("Bead"))];
  std::set<int> parts, lamps;
  for (const int c : bead.children) {
    for (const int p : m.nodes[size_t(c)].parts) parts.insert(p);
    for (const int l : m.nodes[size_t(c)].children) lamps.insert(l);
  }
  CHECK(parts.size() == 1); // five copies of one mesh
  CHECK(lamps.size() == 5);
  REQUIRE(m.motions.size() == 1);
  REQUIRE(m.motions[0].moves.size() == 1);
  CHECK(m.motions[0].moves[0].node == named("Ball"));
  const Document plain = import(folder / "set.gltf", {.plain = true});
  CHECK(plain.findByName("set"));
  CHECK(number(plain, "Amber.coat") == 0.5);
  CHECK(number(plain, "Amber.subsurface") == 0);
  CHECK_FALSE(plain.findByName("Window"));
  const Node* ball = plain.findByName("Ball");
  REQUIRE(ball);
  CHECK(Params(*ball, 13).triple("position")[0] == Approx(1).margin(1e-3));
}

TEST_CASE("Movers and what follows a path go out as motion, and come back as they were", "[exchange][export][motion]") {
  TemporaryFolder folder;
  Set s(32, 32);
  s.settings({{"first_frame", "1"}, {"last_frame", "25"}});
  s.look("0, 1, 3", "0, 0, 0", "35");
  s.set(s.add("object.torus", "Ring", {}),
        {{"turn", R"({"value": [0, 0, 0], "movers": [{"kind": "spin", "period": 24}]})"}});
  s.set(s.add("light.point", "Lamp", {}),
        {{"position", R"({"value": [0, 1, 0], "movers": [{"kind": "bob", "period": 24}]})"}});
  s.add("object.path", "Way", {});
  const NodeId runner = s.add("object.group", "Runner", {{"path", "Way"}});
  s.set(runner, {{"along", R"({"value": 0, "movers": [{"kind": "run", "period": 48}]})"}});
  s.add("object.sphere", "Bead", {{"radius", "0.05"}}, s.in(runner));
  const Document doc = s.take();
  save(doc, folder / "set.gltf");
  CHECK(import(folder / "set.gltf") == doc);
  const Model m = readGltf(folder / "set.gltf");
  REQUIRE(m.motions.size() == 1);
  std::set<std::string> moving;
  for (const ModelMove& move : m.motions[0].moves) {
    const std::string name = m.nodes[size_t(move.node)].name;
    moving.insert(name);
    if (name != "Runner") continue;
    REQUIRE(move.position.times.size() == 25);
    for (const int frame : {1, 7, 25}) {
      const M44f there = standingMatrix(doc, *doc.findByName("Runner"), frame);
      for (int c = 0; c < 3; ++c)
        CHECK(move.position.values[size_t(3 * (frame - 1) + c)] == Approx(there[3][c]).margin(1e-4));
    }
  }
  CHECK(moving == std::set<std::string>{"Ring", "Lamp", "Runner"});
}

TEST_CASE("What another program moves, recolours, reshapes, adds and takes out is found in the file",
          "[exchange][export]") {
  TemporaryFolder folder;
  const Document doc = beads();
  save(doc, folder / "set.gltf");
  change(folder / "set.gltf", [](Json& j) {
    nodeOf(j, "Block")["matrix"] = {1, 0, 0, 0, 0, 2, 0, 0, 0, 0, 1, 0, 3, 4, 5, 1};
    for (Json& m : j["materials"])
      if (m["name"] == "Amber") m["pbrMetallicRoughness"]["roughnessFactor"] = 0.75;
    // A new thing, and one less.
    j["nodes"].push_back({{"name", "Guest"}, {"mesh", nodeOf(j, "Block")["mesh"]}, {"translation", {0, 9, 0}}});
    j["scenes"][0]["nodes"].push_back(j["nodes"].size() - 1);
    int spot = -1;
    for (size_t i = 0; i < j["nodes"].size(); ++i)
      if (j["nodes"][i]["name"] == "Spot") spot = int(i);
    auto& roots = j["scenes"][0]["nodes"];
    roots.erase(std::find(roots.begin(), roots.end(), spot));
    nodeOf(j, "Spot").erase("extras");
  });
  AssetCache cache;
  const Imported in = importModel(Document::create(kinds()), folder / "set.gltf", cache);
  CHECK(triple(in.doc, "Block.position") == Triple{3, 4, 5});
  CHECK(triple(in.doc, "Block.size") == Triple{1, 2, 1});
  CHECK(number(in.doc, "Amber.roughness") == 0.75);
  CHECK(number(in.doc, "Amber.subsurface") == 0.25); // what the file cannot say stays
  CHECK_FALSE(in.doc.findByName("Spot"));
  REQUIRE(in.doc.findByName("Guest"));
  CHECK(triple(in.doc, "Guest.position") == Triple{0, 9, 0});
  CHECK(in.doc.findByName("Block")->kind->id == "object.box");
  CHECK(in.doc.findByName("Window"));
  CHECK(problems(in.doc).empty());
}

TEST_CASE("A form that another program has changed becomes a mesh, with the look of the thing", "[exchange][export]") {
  TemporaryFolder folder;
  save(beads(), folder / "set.gltf");
  change(folder / "set.gltf", [](Json& j) { nodeOf(j, "Ball")["mesh"] = nodeOf(j, "Block")["mesh"]; });
  const Document back = import(folder / "set.gltf");
  const Node* ball = back.findByName("Ball");
  REQUIRE(ball);
  CHECK(ball->kind->id == "object.mesh");
  CHECK(Params(*ball, 1).text("part") == "Block");
  CHECK(back.find(Params(*ball, 1).reference("material").target)->name == "Ember");
  CHECK(ball->find("position")->keys());
  CHECK(Params(*back.findByName("Glow"), 1).references("sources").size() == 1); // what names it holds
}

TEST_CASE("A selection goes out with what holds it and what it uses, and nothing else", "[exchange][export]") {
  TemporaryFolder folder;
  const Document doc = beads();
  save(doc, folder / "block.glb", {{doc.findByName("Block")->id}});
  const Document back = import(folder / "block.glb");
  CHECK(back.findByName("Block"));
  CHECK(back.findByName("Rig"));
  CHECK(back.findByName("Amber"));
  for (const char* gone : {"Ball", "Bead", "Spot", "Ember", "Glow", "Camera"}) CHECK_FALSE(back.findByName(gone));
  // Into a set that has such names already it comes under free ones.
  AssetCache cache;
  const Document both = importModel(doc, folder / "block.glb", cache).doc;
  CHECK(both.findByName("Block 2"));
  CHECK(problems(both).empty());
}

TEST_CASE("OBJ, PLY and STL hold every copy in its place", "[exchange][export]") {
  TemporaryFolder folder;
  const Document doc = beads();
  AssetCache cache;
  SceneCache forms;
  const ScenePtr scene = compileScene(doc, {.width = 16, .height = 9, .queries = {}}, cache.assets(""), forms);
  Box3f all; // of things, not of lamps
  for (const InstancedObject& i : scene->objects)
    if (i.light < 0) all.extendBy(i.bounds);
  for (const char* name : {"set.obj", "set.ply", "set.stl"}) {
    CAPTURE(name);
    save(doc, folder / name);
    const Document back =
        importModel(Document::create(kinds()), folder / name, cache, {.up = ImportOptions::Up::Y}).doc;
    SceneCache own;
    const ScenePtr again = compileScene(back, {.width = 16, .height = 9, .queries = {}}, cache.assets(""), own);
    CHECK(again->warnings.empty());
    CHECK(length(again->bounds.min - all.min) < 0.025f); // the ball moves 2 cm while the shutter is open
    CHECK(length(again->bounds.max - all.max) < 0.025f);
  }
  CHECK(fs::exists(folder / "set.mtl"));
  const Document obj = importModel(Document::create(kinds()), folder / "set.obj", cache).doc;
  REQUIRE(obj.findByName("Amber"));
  CHECK(triple(obj, "Amber.base_color")[0] == Approx(0.9).epsilon(1e-3));
  CHECK_THROWS_WITH(save(doc, folder / "set.xyz"), Catch::Contains(".glb, .gltf, .obj, .ply or .stl"));
  CHECK_THROWS_WITH(save(doc, folder / "no/where.obj"), Catch::Contains("where"));
}

TEST_CASE("A model that changes on disk is taken anew: looks hold by name, new parts come, gone ones go",
          "[exchange][import][reload]") {
  TemporaryFolder folder;
  const auto write = [&](const std::string& body) {
    writeFileAtomically(folder / "lamp.obj", "mtllib lamp.mtl\n" + body);
  };
  writeFileAtomically(folder / "lamp.mtl", "newmtl Brass\nKd 0.8 0.6 0.2\nnewmtl Glass\nKd 1 1 1\n");
  write("o Foot\nusemtl Brass\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\no Shade\nusemtl Glass\nv 0 0 1\nv 1 0 1\nv 0 1 1\nf "
        "4 5 6\n");
  AssetCache cache;
  Document doc = importModel(Document::create(kinds()), folder / "lamp.obj", cache).doc;
  // The artist's own look and place, and an effect that names the part.
  const NodeId foot = doc.findByName("Foot")->id;
  doc = setAt(doc, resolve(doc, "Brass.roughness"), Constant(0.05));
  doc = setAt(doc, resolve(doc, "Foot.position"), Constant(Triple{0, 0, 7}));
  NodeId glow = 0;
  doc = addNode(doc, "lens.glow", "Glow", {}, &glow);
  doc = setValue(doc, glow, "sources", Constant(std::vector<Reference>{{foot, nullptr}}));
  // Other parts in another order; the shade is gone, a bulb is new.
  write("o Bulb\nusemtl Brass\nv 0 5 0\nv 1 5 0\nv 0 6 0\nf 1 2 3\no Foot\nusemtl Brass\nv 0 0 0\nv 2 0 0\nv 0 2 0\nf "
        "4 5 6\n");
  fs::last_write_time(folder / "lamp.obj", fs::file_time_type::clock::now() + std::chrono::seconds(5));
  const Imported again = reloadModel(doc, folder / "lamp.obj", cache);
  CHECK(problems(again.doc).empty());
  REQUIRE(again.doc.find(foot));
  CHECK(again.doc.find(foot)->name == "Foot");
  CHECK(triple(again.doc, "Foot.position") == Triple{0, 0, 7});
  CHECK(number(again.doc, "Brass.roughness") == 0.05);
  CHECK(again.doc.family("material").size() == 2);
  CHECK_FALSE(again.doc.findByName("Shade"));
  const Node* bulb = again.doc.findByName("Bulb");
  REQUIRE(bulb);
  CHECK(again.doc.find(bulb->parent)->name == "lamp");
  CHECK(again.doc.find(Params(*bulb, 1).reference("material").target)->name == "Brass");
  CHECK(Params(*again.doc.find(glow), 1).references("sources").front().target == foot);
  CHECK(again.notes == std::vector<std::string>{"1 of its parts hold their place, material and effects", "new: Bulb",
                                                "gone from the file: Shade"});
  SceneCache forms;
  CHECK(compileScene(again.doc, {.width = 8, .height = 8, .queries = {}}, cache.assets(""), forms)->bounds.max.x ==
        Approx(2));
  CHECK_THROWS_WITH(reloadModel(doc, folder / "gone.obj", cache), Catch::Contains("cannot be read"));
}
