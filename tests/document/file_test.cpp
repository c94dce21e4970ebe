#include "core/document/file.h"
#include "core/document/inputs.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "demo/starters.h"
#include "tests/support/scene.h"

#include <csignal>
#include <filesystem>
#include <fstream>
#include <sys/resource.h>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

namespace {

Document everything() {
  Set s;
  s.look("0, 1, 4", "0, 0.5, 0");
  const NodeId group = s.add("object.group", "Rig", {{"turn", "0, 30, 0"}});
  s.add("material.surface", "Brass", {{"metalness", "1"}});
  s.add("pattern.image", "Scratches", {{"file", "textures/scratches.png"}});
  s.add("object.sphere", "Ball", {{"material", "Brass"}, {"radius", "0.123456789"}}, s.in(group));
  s.add("light.point", "Lamp", {{"color", "0.1, 0.2, 0.3"}}, s.in(group));
  s.add("effect.glow", "Shine", {{"from", "Lamp, Ball"}});
  Document d = s.take();
  d = setAt(d, resolve(d, "Lamp.power"), Keys{{{1, 100.0, KeyShape::Hold}, {5.5, 200.0, KeyShape::Smooth}}});
  d = setAt(d, resolve(d, "Brass.roughness"), PatternUse{{d.findByName("Scratches")->id, nullptr}});
  d = setAt(d, resolve(d, "Ball.material.metalness"), Constant(0.25));
  d = setInputs(d, d.findByName("Brass")->id,
                {{"polish", {{0, "metalness", ""}}}, {"dust", {{0, "roughness", "file"}}}});
  d = setAt(d, resolve(d, "Ball.material.polish"), Constant(0.5));
  return setInputs(d, d.findByName("Shine")->id, {{"light", {{0, "from", ""}}}});
}

} // namespace

TEST_CASE("A document read again is the same document", "[file]") {
  const Document d = everything();
  const Document again = fromJson(kinds(), toJson(d));
  CHECK(again == d);
  CHECK(toJson(again) == toJson(d));
}

TEST_CASE("Every starter survives saving and reading", "[file]") {
  TemporaryFolder folder;
  for (const Starter& s : allStarters()) {
    const std::string path = folder / (s.name + ".ilum");
    const Document written = writeStarter(s, kinds(), path);
    CHECK(readDocument(kinds(), path) == written);
    CHECK(problems(written).empty());
  }
}

TEST_CASE("The order of a file is stable: saving twice gives the same text", "[file]") {
  const Document d = everything();
  CHECK(toJson(d) == toJson(fromJson(kinds(), toJson(fromJson(kinds(), toJson(d))))));
}

TEST_CASE("Unknown fields are kept for the next save", "[file]") {
  std::string text = toJson(everything());
  text.replace(text.find("\"ilumbra\": 1"), 12, "\"ilumbra\": 1, \"studio\": {\"wall\": [1, 2]}");
  const size_t at = text.find("\"name\": \"Lamp\"");
  text.insert(at, "\"later\": true, ");
  const Document d = fromJson(kinds(), text);
  const std::string again = toJson(d);
  CHECK(again.find("\"studio\"") != std::string::npos);
  CHECK(again.find("\"later\": true") != std::string::npos);
  CHECK(toJson(fromJson(kinds(), again)) == again);
}

TEST_CASE("File names follow the document to another folder", "[file]") {
  TemporaryFolder folder;
  fs::create_directories(folder / "a/textures");
  fs::create_directories(folder / "b");
  Document d = everything();
  {
    DocumentBuilder b(d);
    b.setFolder(folder / "a");
    d = b.take();
  }
  writeDocument(d, folder / "a/one.ilum");
  const Document moved = writeDocument(d, folder / "b/two.ilum");
  CHECK(Params(*moved.findByName("Scratches"), 1).text("file") == "../a/textures/scratches.png");
  CHECK(resolveFile(moved, Params(*moved.findByName("Scratches"), 1).text("file")) ==
        folder / "a/textures/scratches.png");
  // An absolute name becomes a relative one.
  const Document absolute = setAt(d, resolve(d, "Scratches.file"), Constant(folder / "a/other.png"));
  CHECK(Params(*writeDocument(absolute, folder / "b/three.ilum").findByName("Scratches"), 1).text("file") ==
        "../a/other.png");
}

TEST_CASE("A broken document is refused with its place", "[file]") {
  const std::string good = toJson(everything());
  const auto why = [&](std::string from, const std::string& to) {
    std::string text = good;
    const size_t at = text.find(from);
    REQUIRE(at != std::string::npos);
    text.replace(at, from.size(), to);
    return refusal([&] { fromJson(kinds(), text); });
  };
  CHECK(why("\"ilumbra\": 1", "\"ilumbra\": 99").find("newer") != std::string::npos);
  CHECK(why("\"kind\": \"light.point\"", "\"kind\": \"light.bulb\"").find("(Lamp).kind") != std::string::npos);
  CHECK(why("0.123456789", "-1").find("Ball.radius") != std::string::npos);
  CHECK(why("0.123456789", "\"wide\"").find("(Ball).radius: must be a number") != std::string::npos);
  CHECK(why("\"name\": \"Lamp\"", "\"name\": \"Ball\"").find("used twice") != std::string::npos);
  CHECK(why("\"shape\": \"hold\"", "\"shape\": \"bounce\"").find("one of hold, linear, smooth") != std::string::npos);
  CHECK(why("\"nodes\": [", "\"nodes\": [,").find("line 3") != std::string::npos);
  CHECK(refusal([&] { fromJson(kinds(), "[]"); }).find("not an Ilumbra document") != std::string::npos);
  CHECK(refusal([&] { fromJson(kinds(), ""); }).find("not valid JSON") != std::string::npos);
  CHECK(refusal([&] { fromJson(kinds(), std::string(100000, '[')); }).find("nested too deeply") != std::string::npos);
  CHECK(refusal([&] { fromJson(kinds(), R"({"ilumbra": 1, "nodes": []})"); }).find("picture settings") !=
        std::string::npos);
}

TEST_CASE("A document cut off or with flipped bits is refused or is a document: never a crash", "[file]") {
  const std::string good = toJson(everything());
  size_t refused = 0, cuts = 0;
  for (size_t n = 0; n < good.size() - 2; n += 8, ++cuts)
    refused += !refusal([&] { fromJson(kinds(), std::string_view(good).substr(0, n)); }).empty();
  CHECK(refused == cuts);
  for (size_t i = 0; i < good.size(); i += 3)
    for (const int bit : {0, 3, 6}) {
      std::string text = good;
      text[i] = char(text[i] ^ (1 << bit));
      const std::string message = refusal([&] {
        const Document d = fromJson(kinds(), text);
        REQUIRE(problems(d).empty());
      });
      REQUIRE(message.find("std::") == std::string::npos);
    }
}

TEST_CASE("What cannot be written says so and leaves the old file whole", "[file]") {
  TemporaryFolder folder;
  const std::string path = folder / "kept.ilum";
  writeDocument(everything(), path);
  const std::string before = readFile(path);
  CHECK(refusal([&] { writeDocument(everything(), folder / "no/such/folder.ilum"); }).find("cannot be written") !=
        std::string::npos);
  // A full disk, as the system tells it: a limit on the size of files.
  rlimit old{};
  getrlimit(RLIMIT_FSIZE, &old);
  const rlimit small{100, old.rlim_max};
  signal(SIGXFSZ, SIG_IGN);
  setrlimit(RLIMIT_FSIZE, &small);
  const std::string why = refusal([&] { writeDocument(everything(), path); });
  setrlimit(RLIMIT_FSIZE, &old);
  CHECK(why.find(path) != std::string::npos);
  CHECK(readFile(path) == before);
  size_t files = 0;
  for ([[maybe_unused]] const auto& e : fs::directory_iterator(folder.path())) ++files;
  CHECK(files == 1);
}

TEST_CASE("A folder or a missing file is told as such", "[file]") {
  TemporaryFolder folder;
  CHECK(refusal([&] { readDocument(kinds(), folder.path()); }).find("is not a file") != std::string::npos);
  CHECK(refusal([&] { readDocument(kinds(), folder / "gone.ilum"); }).find("cannot be read") != std::string::npos);
}

TEST_CASE("The docs and the schema come from the tables", "[file][docs]") {
  const std::string docs = formatDocs(*kinds()), schema = jsonSchema(*kinds());
  for (const Kind& k : kinds()->all()) {
    CHECK(docs.find("## " + k.id) != std::string::npos);
    CHECK(schema.find("\"" + k.id + "\"") != std::string::npos);
    for (const ParamDef& p : k.params) {
      CHECK(docs.find("`" + p.name + "`") != std::string::npos);
      CHECK(schema.find("\"" + p.name + "\"") != std::string::npos);
    }
  }
}
