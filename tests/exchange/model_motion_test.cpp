// Models that move: skins, morphs, clips of animation, numbered files.
#include "core/base/files.h"
#include "core/compile/compile.h"
#include "core/exchange/export.h"
#include "core/exchange/import.h"
#include "core/exchange/readers.h"
#include "core/geometry/form.h"
#include "core/geometry/pose.h"
#include "core/pattern/playback.h"
#include "core/scene/geometry.h"
#include "tests/support/scene.h"

#include <filesystem>
#include <fmt/format.h>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

namespace {

const std::string models = "/usr/share/assimp/models/";

ModelTrack track(ModelTrack::Shape shape, uint32_t width, std::vector<float> times, std::vector<float> values) {
  return {shape, width, std::move(times), std::move(values)};
}

// An arm of two joints: the upper half of a strip follows the second, which turns about z.
Model arm() {
  Model m;
  m.nodes.resize(2);
  m.nodes[0].children = {1};
  m.nodes[1].matrix.setTranslation(V3f(0, 1, 0));
  m.roots = {0};
  ModelPart p;
  p.name = "Strip";
  p.mesh.positions = {{0, 0, 0}, {0, 1, 0}, {0, 2, 0}};
  p.mesh.normals = {{1, 0, 0}, {1, 0, 0}, {1, 0, 0}};
  p.mesh.triangles = {{0, 1, 2}};
  p.skin = 0;
  p.influences = {{0, 1}, {1, 0}, {0, 0.5f}, {1, 0.5f}, {1, 1}, {0, 0}};
  m.parts.push_back(p);
  ModelSkin s;
  s.joints = {0, 1};
  s.toJoint.resize(2);
  s.toJoint[1].setTranslation(V3f(0, -1, 0));
  m.skins.push_back(s);
  const float half = std::sqrt(0.5f);
  ModelMotion motion;
  motion.name = "Wave";
  motion.length = 2;
  ModelMove move;
  move.node = 1;
  move.rotation = track(ModelTrack::Shape::Linear, 4, {0, 2}, {0, 0, 0, 1, 0, 0, half, half}); // a quarter turn
  motion.moves.push_back(move);
  m.motions.push_back(motion);
  return m;
}

Document still(double rate = 24) {
  const Document d = Document::create(kinds());
  return setValue(d, d.settings().id, "rate", Constant(rate));
}

} // namespace

TEST_CASE("Tracks go by steps, lines and Hermite splines, and hold outside", "[geometry][pose]") {
  using Shape = ModelTrack::Shape;
  CHECK(sample(track(Shape::Linear, 1, {1, 3}, {10, 20}), 2)[0] == Approx(15));
  CHECK(sample(track(Shape::Linear, 1, {1, 3}, {10, 20}), 0)[0] == Approx(10));
  CHECK(sample(track(Shape::Linear, 1, {1, 3}, {10, 20}), 9)[0] == Approx(20));
  CHECK(sample(track(Shape::Step, 1, {1, 3}, {10, 20}), 2.99)[0] == Approx(10));
  CHECK(sample(track(Shape::Step, 1, {1, 3}, {10, 20}), 3)[0] == Approx(20));
  // t³ from 0 to 2: slopes 0 and 12.
  const ModelTrack cubic = track(Shape::Cubic, 1, {0, 2}, {0, 0, 0, 12, 8, 0});
  for (const double t : {0.25, 1.0, 1.7}) CHECK(double(sample(cubic, t)[0]) == Approx(t * t * t).epsilon(1e-5));
  // Rotations go the shorter way, at an even pace: a third of a quarter turn is 30°.
  const float half = std::sqrt(0.5f);
  for (const float sign : {1.0f, -1.0f}) {
    const auto q = sample(track(Shape::Linear, 4, {0, 3}, {0, 0, 0, 1, 0, 0, sign * half, sign * half}), 1, true);
    CHECK(2 * std::asin(std::abs(q[2])) * 180 / pi == Approx(30).epsilon(1e-4));
    CHECK(std::abs(q[3]) == Approx(std::cos(15 * pi / 180)).epsilon(1e-4));
  }
}

TEST_CASE("A matrix taken apart and put together is the same", "[geometry][pose]") {
  const M44f m = placement({1, -2, 3}, {20, 130, -70}, {1, 2, 0.5f});
  NodePose pose;
  CHECK(takeApart(m, pose));
  const M44f again = putTogether(pose);
  for (int i = 0; i < 16; ++i) CHECK((&again[0][0])[i] == Approx((&m[0][0])[i]).margin(1e-5));
  M44f sheared;
  sheared[1][0] = 0.5f;
  CHECK_FALSE(takeApart(sheared, pose));
}

TEST_CASE("A skin carries its vertices by the shares of its joints, normals too", "[geometry][pose]") {
  const Model m = arm();
  const Mesh rest = posed(m, m.parts[0], nullptr, 0), turned = posed(m, m.parts[0], &m.motions[0], 2);
  for (size_t i = 0; i < 3; ++i) CHECK(length(rest.positions[i] - m.parts[0].mesh.positions[i]) < 1e-6f);
  CHECK(length(turned.positions[0] - V3f(0, 0, 0)) < 1e-6f);
  CHECK(length(turned.positions[1] - V3f(0, 1, 0)) < 1e-6f);  // on the joint
  CHECK(length(turned.positions[2] - V3f(-1, 1, 0)) < 1e-6f); // a quarter turn about it
  CHECK(length(turned.normals[2] - V3f(0, 1, 0)) < 1e-6f);
  const Mesh midway = posed(m, m.parts[0], &m.motions[0], 1);
  CHECK(length(midway.positions[2] - V3f(-std::sqrt(0.5f), 1 + std::sqrt(0.5f), 0)) < 1e-5f);
}

TEST_CASE("Morphs add their ways by weight", "[geometry][pose]") {
  Model m = arm();
  ModelPart& p = m.parts[0];
  p.skin = -1;
  p.node = 0;
  p.morphs.resize(2);
  p.morphs[0].positions = {{1, 0, 0}, {0, 0, 0}, {0, 0, 0}};
  p.morphs[1].positions = {{0, 0, 2}, {0, 0, 2}, {0, 0, 2}};
  p.weights = {0.5f, 0};
  CHECK(length(posed(m, p, nullptr, 0).positions[0] - V3f(0.5f, 0, 0)) < 1e-6f);
  CHECK_FALSE(isPosed(m, p));
  ModelMove move;
  move.node = 0;
  move.weights = track(ModelTrack::Shape::Linear, 2, {0, 1}, {0, 0, 1, 0.5f});
  m.motions[0].moves.push_back(move);
  CHECK(isPosed(m, p));
  CHECK(length(posed(m, p, &m.motions[0], 1).positions[0] - V3f(1, 0, 1)) < 1e-6f);
}

TEST_CASE("What plays starts, holds, loops and turns back as it is told", "[pattern][playback]") {
  Set s(8, 8);
  const NodeId id = s.add("object.mesh", "Wave", {{"begins", "11"}});
  const Document base = s.take();
  const auto shown = [&](const char* play, double frame, double speed = 1) {
    Document d = setValue(base, id, "play", parseValue(base, *base.find(id)->kind->param("play"), play));
    d = setValue(d, id, "speed", Constant(speed));
    return playedSeconds(Params(*d.find(id), frame), d, 2);
  };
  CHECK(shown("still", 50) == 0);
  CHECK(shown("once", 1) == 0);
  CHECK(shown("once", 11 + 24) == Approx(1));
  CHECK(shown("once", 11 + 240) == Approx(2));
  CHECK(shown("loop", 11 + 24 * 5) == Approx(1));
  CHECK(shown("loop", 11 + 24, -1) == Approx(1));
  CHECK(shown("to and fro", 11 + 24 * 3) == Approx(1));
  CHECK(shown("to and fro", 11 + 24 * 2.5) == Approx(1.5));
  CHECK(shown("once", 11 + 24, 0.5) == Approx(0.5));

  const auto frame = [&](const char* play, double at, double rate, int frames) {
    Document d = setValue(base, id, "play", parseValue(base, *base.find(id)->kind->param("play"), play));
    return playedFrame(Params(*d.find(id), at), d, Footage{{}, frames, rate});
  };
  CHECK(frame("once", 11, 0, 10).index == 0);
  CHECK(frame("once", 14, 0, 10).index == 3);
  CHECK(frame("once", 14, 0, 10).between == 0);
  CHECK(frame("once", 99, 0, 10).index == 9);
  CHECK(frame("loop", 11 + 13, 0, 10).index == 3);
  // Twelve frames a second in a document of 24: each stays for two, and half-way between is half-way.
  CHECK(frame("once", 14, 12, 10).index == 1);
  CHECK(frame("once", 14, 12, 10).between == Approx(0.5));
  CHECK(frame("loop", 11 + 19, 12, 10).next == 0);
}

TEST_CASE("Numbered files are known by the number before the extension", "[pattern][playback]") {
  TemporaryFolder folder;
  for (const char* name :
       {"wave.0001.obj", "wave.0003.obj", "wave.0002.obj", "wave.0002.png", "other.0004.obj", "alone.obj"})
    writeFileAtomically(folder / name, "x");
  const auto files = numberedFiles(folder / "wave.0002.obj");
  REQUIRE(files.size() == 3);
  CHECK(files[0] == folder / "wave.0001.obj");
  CHECK(files[2] == folder / "wave.0003.obj");
  CHECK(numberedFiles(folder / "alone.obj") == std::vector<std::string>{folder / "alone.obj"});
  CHECK(numberedName("a/b.12/c7.ply").number == 7);
  CHECK(numberedName("a/b.12/c.ply").digits == 0);
}

TEST_CASE("A numbered sequence is one moving object, on the way between two files, and its motion blurs",
          "[exchange][import][sequence]") {
  TemporaryFolder folder;
  for (int i = 1; i <= 3; ++i)
    writeFileAtomically(folder / fmt::format("sheet.{:03}.obj", i),
                        fmt::format("v {0} 0 0\nv {1} 0 0\nv {0} 1 0\nf 1 2 3\n", i - 1, i));
  AssetCache cache;
  const Imported in = importModel(still(), folder / "sheet.002.obj", cache, {.numbered = true});
  CHECK(std::any_of(in.notes.begin(), in.notes.end(),
                    [](const std::string& n) { return n == "3 numbered files play as one moving object"; }));
  const Node* mesh = nullptr;
  for (const Node* n : in.doc.family("object"))
    if (n->kind->id == "object.mesh") mesh = n;
  REQUIRE(mesh);
  Document doc = setValue(in.doc, mesh->id, "play", parseValue(in.doc, *mesh->kind->param("play"), "once"));
  const auto leftAt = [&](double frame) {
    return formOf(*doc.find(mesh->id), {doc, frame, cache.assets("")}).shape.bounds().min.x;
  };
  CHECK(leftAt(1) == Approx(0).margin(1e-6));
  CHECK(leftAt(2) == Approx(1));
  CHECK(leftAt(2.25) == Approx(1.25));
  CHECK(leftAt(30) == Approx(2));
  // The scene has it at several moments while the shutter is open.
  NodeId camera = 0;
  doc = addNode(doc, "camera.lens", "View", {}, &camera);
  doc = setValue(doc, camera, "shutter", Constant(180.0));
  SceneCache forms;
  const ScenePtr scene =
      compileScene(doc, {.frame = 2, .width = 16, .height = 9, .queries = {}}, cache.assets(""), forms);
  REQUIRE(scene->warnings.empty());
  bool blurs = false;
  for (const InstancedObject& i : scene->objects) blurs |= i.geometry->shape.forms.size() >= 2;
  CHECK(blurs);
}

TEST_CASE("Clips that move nodes become keys; the set is at every frame where the file has it", "[exchange][import]") {
  const std::string file = models + "Collada/anims_with_full_rotations_between_keys.DAE";
  AssetCache cache;
  const auto model = cache.model(file);
  REQUIRE_FALSE(model->motions.empty());
  const Imported in = importModel(still(), file, cache);
  size_t keyed = 0;
  for (const Node* n : in.doc.family("object")) keyed += isAnimated(*n);
  CHECK(keyed > 0);
  // Of one part, followed through the file's own matrices.
  for (const Node* n : in.doc.family("object")) {
    if (n->kind->id != "object.mesh") continue;
    const ModelPart* part = findPart(*model, Params(*n, 1).text("part"));
    REQUIRE(part);
    int node = -1;
    for (size_t k = 0; k < model->nodes.size(); ++k)
      for (const int p : model->nodes[k].parts)
        if (&model->parts[size_t(p)] == part) node = int(k);
    REQUIRE(node >= 0);
    for (const double seconds : {0.0, 0.5, 1.25, 3.0}) {
      const M44f theirs = matricesAt(*model, &model->motions[0], seconds)[size_t(node)];
      const M44f ours = worldMatrix(in.doc, *n, 1 + seconds * 24);
      const float size = length(transformVector(theirs, {1, 1, 1})) + length(transformPoint(theirs, V3f(0.0f)));
      for (const V3f& v : {V3f(0.0f), V3f(1, 0, 0), V3f(0, 0, 1)})
        CHECK(length(transformPoint(theirs, v) - transformPoint(ours, v)) < 2e-3f * size);
    }
  }
  CHECK(Params(in.doc.settings(), 0).number("last_frame") >= 288);
}

TEST_CASE("A skinned glTF and a morphed one play over time", "[exchange][import]") {
  AssetCache cache;
  for (const auto& [file, seconds] :
       {std::pair{models + "glTF2/simple_skin/simple_skin.gltf", 1.5},
        {models + "glTF2/glTF-Sample-Models/AnimatedMorphCube-glTF/AnimatedMorphCube.gltf", 1.0}}) {
    CAPTURE(file);
    const Imported in = importModel(still(), file, cache);
    const Node* mesh = nullptr;
    for (const Node* n : in.doc.family("object"))
      if (n->kind->id == "object.mesh") mesh = n;
    REQUIRE(mesh);
    CHECK(Params(*mesh, 1).text("play") == "once");
    const auto at = [&](double frame) { return formOf(*mesh, {in.doc, frame, cache.assets("")}).shape.mesh.positions; };
    const auto before = at(1), after = at(1 + 24 * seconds);
    float most = 0;
    for (size_t i = 0; i < before.size(); ++i) most = std::max(most, length(before[i] - after[i]));
    CHECK(most > 0.005f);
    CHECK(formKey(in.doc, *mesh, 1).changes);
  }
}

TEST_CASE("An FBX file's centimetres and upward axis are known; a file without a unit is told", "[exchange][import]") {
  AssetCache cache;
  const ModelSurvey fbx = survey(models + "FBX/spider.fbx", cache);
  CHECK(fbx.unit == Approx(0.01));
  CHECK_FALSE(fbx.zUp);
  const ModelSurvey stl = survey(models + "STL/Spider_ascii.stl", cache);
  CHECK(stl.unit == 0);
  CHECK(stl.zUp);
  // The same file with its axis turned stands upright after import.
  TemporaryFolder folder;
  std::string text = readFile(models + "FBX/cubes_with_names.fbx");
  writeFileAtomically(folder / "y.fbx", text);
  const std::string before = "\"UpAxis\", \"int\", \"Integer\", \"\",1";
  REQUIRE(text.find(before) != std::string::npos);
  text.replace(text.find(before) + before.size() - 1, 1, "2");
  writeFileAtomically(folder / "z.fbx", text);
  const auto box = [&](const char* name) {
    const Imported in = importModel(still(), folder / name, cache);
    SceneCache forms;
    return compileScene(in.doc, {.width = 8, .height = 8, .queries = {}}, cache.assets(""), forms)->bounds;
  };
  const Box3f y = box("y.fbx"), z = box("z.fbx");
  CHECK(z.max.y == Approx(y.max.z).margin(1e-3));
  CHECK(z.max.z == Approx(-y.min.y).margin(1e-3));
  CHECK(z.max.x == Approx(y.max.x).margin(1e-3));
}
