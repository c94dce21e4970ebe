// Every model of the package assimp-testmodels in the formats that Ilumbra names: imported, or refused with a reason.
#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/exchange/import.h"
#include "tests/support/scene.h"

#include <algorithm>
#include <filesystem>
#include <map>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

namespace {

std::string extensionOf(const fs::path& path) {
  std::string e = path.extension().string();
  std::transform(e.begin(), e.end(), e.begin(), [](unsigned char c) { return char(std::tolower(c)); });
  return e;
}

// What is refused, and a part of the reason.
const std::map<std::string, std::string> refused = {
    {"Collada/cube_UTF16LE.dae", "malformed XML"},
    {"Collada/library_animation_clips.dae", "as a real number"},
    {"FBX/transparentTest.fbx", "block offset is out of range"},
    {"OBJ/box_UTF16BE.obj", "holds no surface"},
    {"OBJ/point_cloud.obj", "No meshes remaining"},
    {"OBJ/testline.obj", "No meshes remaining"},
    {"OBJ/testpoints.obj", "No meshes remaining"},
    {"PLY/issue623.ply", "No meshes remaining"},
    {"PLY/points.ply", "No meshes remaining"},
    {"PLY/pond.0.ply", "ends before its 70051 \"vertex\" are told"},
    {"STL/triangle_with_empty_solid.stl", "emptySolid"},
    {"glTF/BoxTextured-glTF-Binary/BoxTextured.glb", "is glTF 1"},
    {"glTF/BoxTextured-glTF-Embedded/BoxTextured.gltf", "is glTF 1"},
    {"glTF/BoxTextured-glTF-MaterialsCommon/BoxTextured.gltf", "is glTF 1"},
    {"glTF/BoxTextured-glTF/BoxTextured.gltf", "is glTF 1"},
    {"glTF/CesiumMilkTruck/CesiumMilkTruck.gltf", "\"asset\" object not found"},
    {"glTF/IncorrectVertexArrays/Cube_v1.gltf", "is glTF 1"},
    {"glTF/TwoBoxes/TwoBoxes.gltf", "is glTF 1"},
    {"glTF2/BoxTextured-glTF-techniqueWebGL/BoxTextured.gltf", "needs the extension KHR_technique_webgl"},
    {"glTF2/BoxWithInfinites-glTF-Binary/BoxWithInfinites.glb", "is not finite"},
    {"glTF2/IndexOutOfRange/AllIndicesOutOfRange.gltf", "an index names vertex 65535, but there are 24"},
    {"glTF2/IndexOutOfRange/IndexOutOfRange.gltf", "an index names vertex 255, but there are 24"},
    {"glTF2/MissingBin/BoxTextured.gltf", "File not found"},
    {"glTF2/RecursiveNodes/RecursiveNodes.gltf", "stands inside itself"},
    {"glTF2/SchemaFailures/sceneWrongType.gltf", "is not valid glTF"},
    {"glTF2/TestNoRootNode/NoScene.gltf", "holds no surface"},
    {"glTF2/TestNoRootNode/SceneWithoutNodes.gltf", "holds no surface"},
    // Points and lines alone.
    {"glTF2/glTF-Asset-Generator/Mesh_PrimitiveMode/Mesh_PrimitiveMode_00.gltf", "holds no surface"},
    {"glTF2/glTF-Asset-Generator/Mesh_PrimitiveMode/Mesh_PrimitiveMode_01.gltf", "holds no surface"},
    {"glTF2/glTF-Asset-Generator/Mesh_PrimitiveMode/Mesh_PrimitiveMode_02.gltf", "holds no surface"},
    {"glTF2/glTF-Asset-Generator/Mesh_PrimitiveMode/Mesh_PrimitiveMode_03.gltf", "holds no surface"},
    {"glTF2/glTF-Asset-Generator/Mesh_PrimitiveMode/Mesh_PrimitiveMode_07.gltf", "holds no surface"},
    {"glTF2/glTF-Asset-Generator/Mesh_PrimitiveMode/Mesh_PrimitiveMode_08.gltf", "holds no surface"},
    {"glTF2/glTF-Asset-Generator/Mesh_PrimitiveMode/Mesh_PrimitiveMode_09.gltf", "holds no surface"},
    {"glTF2/glTF-Asset-Generator/Mesh_PrimitiveMode/Mesh_PrimitiveMode_10.gltf", "holds no surface"},
    {"glTF2/wrongTypes/badArray.gltf", "holds no surface"},
    {"invalid/empty.obj", "too small"},
    {"invalid/empty.ply", "a header without an end"},
    {"invalid/malformed.obj", "Invalid face index"},
};

struct Count {
  int imported = 0, refused = 0;
  bool operator==(const Count&) const = default;
};

} // namespace

TEST_CASE("Every test model is imported, or refused with a reason", "[exchange][import][models]") {
  const fs::path root = "/usr/share/assimp/models";
  REQUIRE(fs::exists(root)); // of the package assimp-testmodels
  std::vector<fs::path> files;
  for (const auto& entry : fs::recursive_directory_iterator(root, fs::directory_options::follow_directory_symlink))
    if (entry.is_regular_file() || entry.is_symlink()) files.push_back(entry.path());
  std::sort(files.begin(), files.end());
  std::map<std::string, Count> counts{{".glb", {}}, {".gltf", {}}, {".fbx", {}}, {".obj", {}},
                                      {".ply", {}}, {".stl", {}},  {".3mf", {}}, {".dae", {}}};
  size_t expected = 0;
  for (const fs::path& file : files) {
    const auto count = counts.find(extensionOf(file));
    if (count == counts.end()) continue;
    const std::string name = file.lexically_relative(root).string();
    CAPTURE(name);
    AssetCache cache; // each in a child of its own
    const auto known = refused.find(name);
    expected += known != refused.end();
    std::string why;
    try {
      const Imported in = importModel(Document::create(kinds()), file.string(), cache);
      ++count->second.imported;
      CHECK(in.root);
      CHECK(problems(in.doc).empty());
      CHECK((in.doc.family("object").size() > 1 || !in.doc.family("light").empty()));
    } catch (const Error& e) {
      ++count->second.refused;
      why = e.what();
      CHECK(why.find(file.string()) == 0);
      CHECK(why.find('\n') == std::string::npos);
    }
    CHECK(why.empty() == (known == refused.end()));
    if (known != refused.end()) CHECK(why.find(known->second) != std::string::npos);
  }
  CHECK(expected == refused.size());
  // The figures, as docs/guide.md tells them.
  const std::map<std::string, Count> figures = {{".glb", {3, 2}},  {".gltf", {25, 23}}, {".fbx", {18, 1}},
                                                {".obj", {19, 6}}, {".ply", {5, 4}},    {".stl", {7, 1}},
                                                {".3mf", {1, 0}},  {".dae", {23, 2}}};
  for (const auto& [extension, figure] : figures) {
    CAPTURE(extension, counts[extension].imported, counts[extension].refused);
    CHECK(counts[extension] == figure);
  }
}
