// Files made to break their readers: each must be refused with a message, or read; never a crash, never a hang.
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/display/view.h"
#include "core/exchange/assets.h"
#include "core/exchange/child.h"
#include "core/exchange/export.h"
#include "core/exchange/picture_file.h"
#include "core/exchange/readers.h"
#include "core/text/text_outline.h"
#include "tests/support/scene.h"

#include <chrono>
#include <csignal>
#include <cstring>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sys/resource.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

using namespace ilumbra;
using namespace ilumbra::test;
using Json = nlohmann::ordered_json;

namespace {

Mesh triangle() {
  Mesh m;
  m.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
  m.normals = {{0, 0, 1}, {0, 0, 1}, {0, 0, 1}};
  m.uvs = {{0, 0}, {1, 0}, {0, 1}};
  m.triangles = {{0, 1, 2}};
  return m;
}

std::string smallGlb() {
  Model m;
  ModelMaterial mat;
  mat.name = "Stone";
  mat.emission = V3f(3.0f);
  m.materials.push_back(mat);
  m.parts.push_back({"Leaf", triangle(), 0});
  ModelNode n;
  n.name = "Leaf";
  n.parts = {0};
  m.nodes = {n};
  m.roots = {0};
  return toGlb(m);
}

// The text form, its buffer inside.
Json smallGltf() {
  const std::string glb = smallGlb();
  uint32_t jsonSize;
  std::memcpy(&jsonSize, glb.data() + 12, 4);
  Json j = Json::parse(glb.substr(20, jsonSize));
  const std::string bin = glb.substr(20 + jsonSize + 8);
  static const char* const letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string text;
  for (size_t i = 0; i < bin.size(); i += 3) {
    uint32_t v = 0;
    for (size_t k = 0; k < 3; ++k) v = v << 8 | (i + k < bin.size() ? uint8_t(bin[i + k]) : 0u);
    for (int k = 3; k >= 0; --k) text += i + size_t(3 - k) > bin.size() ? '=' : letters[v >> (6 * k) & 63];
  }
  j["buffers"][0]["uri"] = "data:application/octet-stream;base64," + text;
  return j;
}

// What became of a file in a reader.
struct Reading {
  std::string why; ///< it was refused; empty: it was read
  int signal = 0;  ///< by which the reader died; 0: it lived
};

// Reads in a fork, as the parsing child does. A hang fails the test.
Reading readForked(const std::string& path) {
  int pipes[2];
  REQUIRE(pipe(pipes) == 0);
  const pid_t pid = fork();
  if (pid == 0) {
    alarm(20);
    for (const int s : {SIGABRT, SIGSEGV, SIGFPE, SIGBUS}) signal(s, SIG_DFL);
    const rlimit memory{size_t(4) << 30, size_t(4) << 30};
#ifndef ILUMBRA_SANITIZED
    setrlimit(RLIMIT_AS, &memory);
#else
    (void)memory;
#endif
    const std::string why = refusal([&] { decodeModel(readModelBytes(path)); });
    [[maybe_unused]] const auto n = write(pipes[1], why.data(), std::min<size_t>(why.size(), 4000));
    _exit(0);
  }
  close(pipes[1]);
  std::string why;
  char buffer[512];
  for (ssize_t n; (n = read(pipes[0], buffer, sizeof buffer)) > 0;) why.append(buffer, size_t(n));
  close(pipes[0]);
  int status = 0;
  waitpid(pid, &status, 0);
  // A crash ends the child alone; a hang would keep a person waiting.
  if (WIFSIGNALED(status) && WTERMSIG(status) != SIGALRM) return {"broke its reader", WTERMSIG(status)};
  INFO("signal " << (WIFSIGNALED(status) ? WTERMSIG(status) : 0) << " on " << readFile(path).substr(0, 400));
  REQUIRE(WIFEXITED(status));
  REQUIRE(WEXITSTATUS(status) == 0);
  return {why};
}

// The refusal, of a reader that must live.
std::string readHere(const std::string& path) {
  const Reading r = readForked(path);
  INFO(path << ": " << readFile(path).substr(0, 400));
  REQUIRE(r.signal == 0);
  return r.why;
}

} // namespace

TEST_CASE("A GLB cut off at every eighth byte is refused", "[exchange][broken]") {
  TemporaryFolder folder;
  const std::string good = smallGlb(), path = folder / "cut.glb";
  for (size_t n = 0; n < good.size(); n += 8) {
    writeFileAtomically(path, std::string_view(good).substr(0, n));
    CAPTURE(n);
    REQUIRE_FALSE(readHere(path).empty());
  }
  writeFileAtomically(path, good);
  CHECK(readHere(path).empty());
}

TEST_CASE("A GLB with flipped bits is refused or read", "[exchange][broken]") {
  TemporaryFolder folder;
  const std::string good = smallGlb(), path = folder / "flipped.glb";
  int all = 0, refused = 0;
  for (size_t i = 0; i < good.size(); i += 5)
    for (const int bit : {0, 4, 7}) {
      std::string bad = good;
      bad[i] = char(bad[i] ^ (1 << bit));
      writeFileAtomically(path, bad);
      CAPTURE(i, bit);
      ++all;
      refused += !readHere(path).empty();
    }
  // Most bytes are JSON and lengths; the rest are places and padding, which are as good as others.
  CHECK(refused > all / 4);
  CHECK(refused < all);
}

TEST_CASE("Text formats cut off at every eighth byte are refused or read", "[exchange][broken]") {
  TemporaryFolder folder;
  const std::pair<const char*, std::string> files[] = {
      {"a.gltf", smallGltf().dump()},
      {"a.obj", "mtllib none.mtl\no Part\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvn 0 0 1\nvt 0 0\nf 1/1/1 2/1/1 3/1/1\n"},
      {"a.ply",
       "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face "
       "1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"},
      {"a.stl", "solid t\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 "
                "0\nendloop\nendfacet\nendsolid t\n"}};
  for (const auto& [name, text] : files) {
    const std::string path = folder / name;
    writeFileAtomically(path, text);
    CAPTURE(name);
    CHECK(readHere(path).empty());
    int refused = 0;
    for (size_t n = 0; n < text.size(); n += 8) {
      writeFileAtomically(path, std::string_view(text).substr(0, n));
      const bool no = !readHere(path).empty();
      refused += no;
      if (n == 0) CHECK(no); // nothing at all is no model
    }
    CHECK(refused > 1);
    for (size_t i = 0; i < text.size(); i += 7) {
      std::string bad = text;
      bad[i] = char(bad[i] ^ 0x11);
      writeFileAtomically(path, bad);
      readHere(path); // its reader lives
    }
  }
}

TEST_CASE("glTF with wrong indices, NaN, missing buffers, recursion or absurd counts is refused and says what",
          "[exchange][broken]") {
  TemporaryFolder folder;
  const std::string path = folder / "bad.gltf";
  const auto why = [&](const std::function<void(Json&)>& spoil) {
    Json j = smallGltf();
    spoil(j);
    writeFileAtomically(path, j.dump());
    return readHere(path);
  };
  CHECK(why([](Json&) {}).empty());
  CHECK_FALSE(why([](Json& j) { j["meshes"][0]["primitives"][0]["attributes"]["POSITION"] = 99; }).empty());
  CHECK_FALSE(why([](Json& j) { j["meshes"][0]["primitives"][0]["indices"] = 99; }).empty());
  CHECK_FALSE(why([](Json& j) { j["meshes"][0]["primitives"][0]["material"] = 7; }).empty());
  CHECK_FALSE(why([](Json& j) { j["nodes"][0]["mesh"] = 12; }).empty());
  CHECK_FALSE(why([](Json& j) { j["accessors"][0]["bufferView"] = 40; }).empty());
  CHECK_FALSE(why([](Json& j) { j["bufferViews"][0]["byteLength"] = 4000000000u; }).empty());
  CHECK_FALSE(why([](Json& j) { j["bufferViews"][0]["byteOffset"] = 100000; }).empty());
  CHECK_FALSE(why([](Json& j) { j["bufferViews"][0]["buffer"] = 3; }).empty());
  CHECK_FALSE(why([](Json& j) { j["buffers"][0]["uri"] = "gone.bin"; }).empty());
  CHECK_FALSE(why([](Json& j) { j["buffers"][0]["uri"] = "data:application/octet-stream;base64,AAAA"; }).empty());
  CHECK_FALSE(why([](Json& j) { j["accessors"][0]["count"] = 4000000000u; }).empty());
  CHECK_FALSE(why([](Json& j) { j["accessors"][0]["componentType"] = 17; }).empty());
  CHECK_FALSE(why([](Json& j) { j["accessors"][0]["type"] = "VEC9"; }).empty());
  CHECK_FALSE(why([](Json& j) { j["nodes"][0]["children"] = {0}; }).empty());
  CHECK_FALSE(why([](Json& j) { j["nodes"] = Json::array({{{"children", {1}}}, {{"children", {0}}}}); }).empty());
  CHECK_FALSE(why([](Json& j) { j["scenes"][0]["nodes"] = {55}; }).empty());
  CHECK_FALSE(why([](Json& j) { j["extensionsRequired"] = {"EXT_unheard_of"}; }).empty());
  CHECK_FALSE(why([](Json& j) { j["asset"]["version"] = "1.0"; }).empty());
  CHECK_FALSE(why([](Json& j) { j["meshes"] = Json::array(); }).empty());
  // A vertex that is not a number.
  Model m;
  m.parts.push_back({"Leaf", triangle(), -1});
  m.parts[0].mesh.positions[1].x = NAN;
  ModelNode n;
  n.parts = {0};
  m.nodes = {n};
  m.roots = {0};
  std::string glb;
  try {
    glb = toGlb(m);
  } catch (const std::exception&) {
  }
  if (!glb.empty()) {
    writeFileAtomically(folder / "nan.glb", glb);
    CHECK_FALSE(readHere(folder / "nan.glb").empty());
  }
  // A triangle that names a vertex beyond the end.
  m.parts[0].mesh = triangle();
  m.parts[0].mesh.triangles[0].c = 1000000;
  writeFileAtomically(folder / "index.glb", toGlb(m));
  CHECK(readHere(folder / "index.glb").find("vertex 1000000") != std::string::npos);
}

TEST_CASE("A chain of nodes a hundred thousand deep does not end the process", "[exchange][broken]") {
  TemporaryFolder folder;
  Json j = smallGltf();
  Json nodes = Json::array();
  for (int i = 0; i < 100000; ++i) nodes.push_back({{"children", {i + 1}}});
  nodes.push_back({{"mesh", 0}});
  j["nodes"] = nodes;
  writeFileAtomically(folder / "deep.gltf", j.dump());
  CHECK(readHere(folder / "deep.gltf").find("nested too deeply") != std::string::npos);
}

TEST_CASE("Binary PLY and STL that claim more than they hold are refused", "[exchange][broken]") {
  TemporaryFolder folder;
  std::string stl(84, '\0');
  const uint32_t many = 4000000000u;
  std::memcpy(stl.data() + 80, &many, 4);
  writeFileAtomically(folder / "many.stl", stl);
  CHECK_FALSE(refusal([&] { AssetCache().model(folder / "many.stl"); }).empty());
  writeFileAtomically(folder / "many.ply", "ply\nformat binary_little_endian 1.0\nelement vertex 4000000000\nproperty "
                                           "float x\nproperty float y\nproperty float z\nend_header\nabcd");
  CHECK_FALSE(refusal([&] { AssetCache().model(folder / "many.ply"); }).empty());
  writeFileAtomically(folder / "list.ply",
                      "ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float "
                      "z\nelement face 1\nproperty list uint int vertex_indices\nend_header\n0 0 0\n4294967295 0\n");
  CHECK_FALSE(refusal([&] { AssetCache().model(folder / "list.ply"); }).empty());
}

TEST_CASE("The child's refusal comes to the parent as one line with the path", "[exchange][child]") {
  TemporaryFolder folder;
  writeFileAtomically(folder / "bad.glb", "glTF and then nothing");
  const std::string why = refusal([&] { AssetCache().model(folder / "bad.glb"); });
  CHECK(why.find(folder / "bad.glb") == 0);
  CHECK(why.find('\n') == std::string::npos);
  CHECK(refusal([&] { AssetCache().model(folder / "gone.glb"); }).find("cannot be read") != std::string::npos);
  CHECK(refusal([&] { AssetCache().model(folder.path()); }).find("is not a file") != std::string::npos);
  writeFileAtomically(folder / "x.unheard", "Hm");
  CHECK(refusal([&] { AssetCache().model(folder / "x.unheard"); }).find("is no model this version reads") !=
        std::string::npos);
  writeFileAtomically(folder / "x.fbx", "Kaydara FBX Binary  ");
  CHECK(refusal([&] { AssetCache().model(folder / "x.fbx"); }).find("cannot be understood") != std::string::npos);
}

TEST_CASE("A reader that takes too long or too much memory is ended", "[exchange][child]") {
  TemporaryFolder folder;
  // A named pipe is no file; a huge text is: with no time allowed it must be refused at once.
  std::string big = "ply\nformat ascii 1.0\nelement vertex 3000000\nproperty float x\nproperty float y\nproperty float "
                    "z\nend_header\n";
  for (int i = 0; i < 3000000; ++i) big += "0 0 0\n"; // the vertices that the header claims
  writeFileAtomically(folder / "big.ply", big);
  ParseLimits limits;
#ifndef ILUMBRA_SANITIZED
  limits.memory = size_t(400) << 20;
  CHECK_FALSE(refusal([&] { parseInChild("model", folder / "big.ply", -1, limits); }).empty());
#endif
  limits = {};
  limits.time = std::chrono::seconds(1);
  // So much that no machine is through with it in the second that it has.
  std::string bigger = "ply\nformat ascii 1.0\nelement vertex 48000000\nproperty float x\nproperty float y\nproperty "
                       "float z\nend_header\n",
              lines;
  for (int i = 0; i < 3000000; ++i) lines += "0 0 0\n";
  for (int i = 0; i < 16; ++i) bigger += lines;
  writeFileAtomically(folder / "bigger.ply", bigger);
  const std::string why = refusal([&] { parseInChild("model", folder / "bigger.ply", -1, limits); });
  CHECK(why.find("too long") != std::string::npos);
}

TEST_CASE("A cancelled read ends its child soon", "[exchange][child]") {
  TemporaryFolder folder;
  std::string big = "o Big\n";
  for (int i = 0; i < 2000000; ++i) big += "v 0.123456 0.234567 0.345678\n";
  writeFileAtomically(folder / "big.obj", big);
  CancelFlag cancel;
  std::thread later([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(60));
    cancel.request();
  });
  const std::string why = refusal([&] { parseInChild("model", folder / "big.obj", -1, {}, &cancel); });
  later.join();
  CHECK(why == "cancelled");
}

TEST_CASE("Broken pictures are refused", "[exchange][broken]") {
  TemporaryFolder folder;
  PictureFile f;
  f.width = 8;
  f.height = 8;
  f.layers.push_back({"", {"R", "G", "B"}, false, std::vector<float>(192, 0.5f)});
  static const ColorViews views;
  for (const char* name : {"x.exr", "x.png", "x.jpg", "x.tif", "x.hdr"}) {
    const std::string path = folder / name;
    writePicture(f, path, views, "Plain sRGB");
    const std::string good = readFile(path);
    for (size_t n = 0; n < good.size(); n += std::max<size_t>(8, good.size() / 24)) {
      writeFileAtomically(path, std::string_view(good).substr(0, n));
      CAPTURE(path, n);
      refusal([&] { readLayersBytes(path); });
      const std::string why = refusal([&] {
        const auto image = decodeImage(readImageBytes(path, -1)); // some formats show what has come
        CHECK(image->width() == 8);
        CHECK(image->height() == 8);
      });
      if (n < 16) CHECK_FALSE(why.empty());
    }
  }
  CHECK_FALSE(refusal([&] { readPicture(folder / "gone.png"); }).empty());
  writeFileAtomically(folder / "empty.png", "");
  CHECK_FALSE(refusal([&] { readPicture(folder / "empty.png"); }).empty());
}

TEST_CASE("What the child returns is checked as well", "[exchange][child]") {
  const std::string good = encode(Model{});
  CHECK(decodeModel(good));
  for (size_t n = 0; n < good.size(); ++n) CHECK_FALSE(refusal([&] { decodeModel(good.substr(0, n)); }).empty());
  Model m;
  ModelNode n;
  n.children = {0};
  m.nodes = {n};
  CHECK_FALSE(refusal([&] {
                m.roots = {0};
                decodeModel(encode(m));
              }).empty());
  for (const char byte : {'\xff', '\x7f', '\x40'}) // lengths far beyond what is there
    for (const size_t size : {8, 64, 512}) {
      const std::string why = refusal([&] { decodeModel(std::string(size, byte)); });
      CAPTURE(int(byte), size, why);
      CHECK(why.find("nonsense") != std::string::npos);
    }
}

TEST_CASE("A font from a file is shaped as one that ships, and what is no font is refused by its name",
          "[broken][text]") {
  TemporaryFolder folder;
  std::ofstream(folder / "own.ttf", std::ios::binary) << shippedFont("Manrope bold");
  AssetCache assets;
  const TextOutline own = assets.outline(folder / "own.ttf", "Ag: 7", 0.1f),
                    shipped = outlineOf(shippedFont("Manrope bold"), "Ag: 7", 0.1f);
  CHECK(own.width == shipped.width);
  CHECK(own.rings == shipped.rings);
  std::ofstream(folder / "none.ttf") << "this is no font";
  CHECK(refusal([&] { assets.outline(folder / "none.ttf", "A", 0); }) == (folder / "none.ttf") + ": is not a font");
  CHECK(refusal([&] { assets.outline(folder / "gone.ttf", "A", 0); }).find("cannot be read") != std::string::npos);
  // Cut off anywhere and with bytes turned over, it is refused or read, and the program lives.
  const std::string bytes = shippedFont("EB Garamond");
  for (int i = 0; i < 24; ++i) {
    std::string broken = bytes;
    if (i % 2)
      broken.resize(bytes.size() * size_t(i) / 24);
    else
      for (size_t k = 0; k < 400; ++k) broken[(k * 7919 + size_t(i) * 104729) % broken.size()] ^= char(1 + i);
    std::ofstream(folder / "broken.otf", std::ios::binary) << broken;
    try {
      const TextOutline o = AssetCache().outline(folder / "broken.otf", "Abc", 0);
      CHECK(std::isfinite(o.width));
    } catch (const Error& e) {
      CHECK(std::string(e.what()).find(folder / "broken.otf") == 0);
    }
  }
}
