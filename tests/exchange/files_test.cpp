// Files are whole or not there, and what is no file never keeps anybody waiting.
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/display/view.h"
#include "core/document/file.h"
#include "core/exchange/assets.h"
#include "core/exchange/export.h"
#include "core/exchange/picture_file.h"
#include "core/exchange/volume_write.h"
#include "core/lens/prescription.h"
#include "demo/starters.h"
#include "tests/support/scene.h"

#include <csignal>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <sys/resource.h>
#include <sys/stat.h>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;
using Json = nlohmann::json;

namespace {

// As on a disk with so much room left: a file may not grow beyond it.
class FullDisk {
 public:
  explicit FullDisk(rlim_t room) {
    m_before = std::signal(SIGXFSZ, SIG_IGN);
    ::getrlimit(RLIMIT_FSIZE, &m_limit);
    const rlimit less{room, m_limit.rlim_max};
    ::setrlimit(RLIMIT_FSIZE, &less);
  }
  ~FullDisk() {
    ::setrlimit(RLIMIT_FSIZE, &m_limit);
    std::signal(SIGXFSZ, m_before);
  }

 private:
  rlimit m_limit{};
  void (*m_before)(int);
};

PictureFile noisePicture(int width, int height) {
  PictureFile f;
  f.width = width;
  f.height = height;
  std::vector<float> data;
  RandomStream random(5);
  for (int i = 0; i < width * height * 3; ++i) data.push_back(random.next());
  f.layers.push_back({.name = {}, .channels = {"R", "G", "B"}, .data = std::move(data)});
  return f;
}

size_t count(const std::string& folder) {
  return size_t(std::distance(fs::directory_iterator(folder), fs::directory_iterator()));
}

// The JSON part of a .glb.
Json jsonOf(const std::string& glb) {
  const std::string bytes = readFile(glb);
  uint32_t size = 0;
  std::memcpy(&size, bytes.data() + 12, 4);
  return Json::parse(bytes.substr(20, size));
}

} // namespace

TEST_CASE("On a full disk every format leaves the good picture, and says so", "[files][picture]") {
  const TemporaryFolder folder;
  const ColorViews views;
  const PictureFile small = noisePicture(16, 12), large = noisePicture(320, 240);
  for (const char* extension : {".png", ".jpg", ".tif", ".exr", ".hdr"}) {
    CAPTURE(extension);
    const std::string path = folder / (std::string("good") + extension);
    writePicture(small, path, views, "Plain sRGB");
    const std::string before = readFile(path);
    const size_t files = count(folder.path());
    {
      const FullDisk disk(20000);
      CHECK_THAT(refusal([&] { writePicture(large, path, views, "Plain sRGB"); }),
                 Catch::Contains("good") && Catch::Contains("cannot be written"));
    }
    CHECK(readFile(path) == before);
    CHECK(count(folder.path()) == files); // no part is left behind
    writePicture(large, path, views, "Plain sRGB");
    CHECK(readPicture(path).width == 320);
  }
}

TEST_CASE("On a full disk documents, models and voxels leave what was there", "[files]") {
  const TemporaryFolder folder;
  Set s(16, 16);
  s.look("0, 0, 3", "0, 0, 0", "35");
  s.add("object.sphere", "Ball", {{"radius", "0.5"}});
  s.add("object.torus", "Ring", {});
  s.add("air.haze", "Mist", {{"fills", "Ball"}});
  const Document doc = s.take();
  AssetCache cache;
  for (const char* name : {"a.ilum", "a.glb", "a.gltf", "a.obj", "a.ply", "a.stl", "a.vdb"}) {
    CAPTURE(name);
    const std::string path = folder / name;
    const auto write = [&] {
      if (path.ends_with(".ilum"))
        writeDocument(doc, path);
      else
        exportSetTo(doc, path, cache, {});
    };
    write();
    const std::string before = readFile(path);
    {
      const FullDisk disk(100);
      CHECK_THAT(refusal(write), Catch::Contains("cannot be written"));
    }
    CHECK(readFile(path) == before);
  }
  for (const auto& e : fs::directory_iterator(folder.path()))
    CHECK(e.path().string().find(".part") == std::string::npos);
}

TEST_CASE("A pipe, a folder or a device as a file's name is refused at once by every reader", "[files]") {
  const TemporaryFolder folder;
  for (const char* extension : {".png", ".exr", ".glb", ".obj", ".vdb", ".mov", ".ttf", ".ilum", ".json"})
    REQUIRE(::mkfifo((folder / (std::string("pipe") + extension)).c_str(), 0600) == 0);
  fs::create_directory(folder / "folder.png");
  AssetCache cache;
  const auto refuses = [](const auto& f) { CHECK_THAT(refusal(f), Catch::Contains("is not a file")); };
  for (const std::string& name : {folder / "pipe.png", folder / "folder.png", std::string("/dev/zero")}) {
    refuses([&] { cache.image(name, -1); });
    refuses([&] { readPicture(name); });
  }
  refuses([&] { readPicture(folder / "pipe.exr"); });
  refuses([&] { cache.share(folder / "pipe.exr", "Light"); });
  refuses([&] { cache.model(folder / "pipe.glb"); });
  refuses([&] { cache.model(folder / "pipe.obj"); });
  refuses([&] { cache.volume(folder / "pipe.vdb", {}); });
  refuses([&] { cache.movie(folder / "pipe.mov"); });
  refuses([&] { cache.outline(folder / "pipe.ttf", "A", 0); });
  refuses([&] { readDocument(kinds(), folder / "pipe.ilum"); });
  refuses([&] { readPrescription(folder / "pipe.json"); });
}

TEST_CASE("A model that is exported is valid whatever is in the scene: no empty mesh, cones that the format allows",
          "[files][gltf]") {
  const TemporaryFolder folder;
  AssetCache cache;
  const auto check = [&](const Document& doc, const std::string& name) {
    const std::string path = folder / (name + ".glb");
    exportSetTo(doc, path, cache, {});
    const Json j = jsonOf(path);
    CAPTURE(name);
    for (const Json& a : j.value("accessors", Json::array())) CHECK(a["count"] > 0);
    for (const Json& v : j.value("bufferViews", Json::array())) CHECK(v["byteLength"] > 0);
    for (const Json& m : j.value("meshes", Json::array())) CHECK_FALSE(m["primitives"].empty());
    if (j.contains("extensions") && j["extensions"].contains("KHR_lights_punctual"))
      for (const Json& l : j["extensions"]["KHR_lights_punctual"]["lights"])
        if (l["type"] == "spot") {
          CHECK(l["spot"]["innerConeAngle"] < l["spot"]["outerConeAngle"]);
          CHECK(l["spot"]["outerConeAngle"] <= M_PI / 2);
        }
  };
  Set s(16, 16);
  s.look("0, 0, 3", "0, 0, 0", "35");
  s.add("object.path", "Line", {{"thickness", "0"}});
  s.add("light.spot", "Hard", {{"edge", "0"}, {"cone", "30"}});
  check(s.take(), "bare");
  for (const Starter& starter : allStarters())
    check(writeStarter(starter, kinds(), folder / (starter.name + ".ilum")), starter.name);
}
