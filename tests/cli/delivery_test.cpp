// Sequences, movies, the queue, chunks and farms by the command line.
#include "core/exchange/picture_file.h"
#include "tests/cli/command_line.h"

#include <filesystem>
#include <nlohmann/json.hpp>

using namespace ilumbra;
using namespace ilumbra::test;
using Json = nlohmann::json;
namespace fs = std::filesystem;

namespace {

struct Here {
  Here() { REQUIRE(cli("new sun-core -o " + a).code == 0); }
  TemporaryFolder folder;
  std::string a = folder / "a.ilum", small = " --size 48x28 --samples 2 ";
};

} // namespace

TEST_CASE(
    "A sequence is written as several kinds of files at once, goes on where it was broken off, and proves its passes",
    "[cli][delivery]") {
  Here h;
  const std::string line = "render " + h.a + h.small + "--frames 1-3 -o '" + (h.folder / "{name}_{frame:03}.exr") +
                           "' -o " + (h.folder / "m.webm") + " --passes lights,lens --prove --sheet --json";
  const Outcome o = cli(line);
  CAPTURE(o.err);
  REQUIRE(o.code == 0);
  const Json j = Json::parse(o.out);
  CHECK(j["frames"].size() == 3);
  CHECK(j["movies"][0] == h.folder / "m.webm");
  CHECK(j["frames"][0]["adds_up_within"].get<double>() < 0.004);
  CHECK(j["frames"][0]["does_not_add_up"].empty());
  for (const char* f : {"a_001.exr", "a_003.exr", "m.webm", "a sheet.png", "a recipe.txt"})
    CHECK(fs::exists(h.folder / f));
  fs::remove(h.folder / "a_002.exr");
  const Json again = Json::parse(cli(line + " --resume").out);
  CHECK(again["frames"][0]["there"] == true);
  CHECK(again["frames"][1]["samples"] == 2);
  refused("render " + h.a + " -o " + (h.folder / "{shot}.exr"), 2, "{shot}");
  refused("render " + h.a + " --frame 2 -o " + (h.folder / "x.webm"), 2, "x.webm");
  refused("render " + h.a + " --frames 1-2 --codec FFV1 -o " + (h.folder / "x.webm"), 2, ".mkv");
}

TEST_CASE("The queue is filled, ordered, worked on and emptied by the command line", "[cli][queue]") {
  Here h;
  const std::string queue = " --queue " + (h.folder / "queue");
  CHECK(cli("queue list" + queue).out.find("empty") != std::string::npos);
  const auto add = [&](const std::string& rest) {
    const Outcome o = cli("queue add " + h.a + h.small + rest + queue + " --json");
    REQUIRE(o.code == 0);
    return std::to_string(Json::parse(o.out)["id"].get<int>());
  };
  const std::string one = add("--frames 1-2 -o " + (h.folder / "one.png")), two = add("-o " + (h.folder / "two.exr")),
                    three = add("-o " + (h.folder / "three.png"));
  REQUIRE(cli("queue move " + two + " 1" + queue).code == 0);
  REQUIRE(cli("queue cancel " + three + queue).code == 0);
  Json list = Json::parse(cli("queue list --json" + queue).out);
  REQUIRE(list["entries"].size() == 3);
  CHECK(list["entries"][0]["id"] == std::stoi(two));
  CHECK(list["entries"][2]["state"] == "cancelled");
  REQUIRE(cli("queue run" + queue).code == 0);
  list = Json::parse(cli("queue list --json" + queue).out);
  CHECK(list["entries"][0]["state"] == "done");
  CHECK(list["entries"][1]["frames_done"] == 2);
  CHECK(fs::exists(h.folder / "one.0002.png"));
  CHECK(fs::exists(h.folder / "two.exr"));
  CHECK_FALSE(fs::exists(h.folder / "three.png"));
  REQUIRE(cli("queue clear" + queue).code == 0);
  CHECK(Json::parse(cli("queue list --json" + queue).out)["entries"].empty());
  refused("queue pause 99" + queue, 3, "99");
  refused("queue add " + h.a + " -o x.txt" + queue, 2, "x.txt");
}

TEST_CASE("Chunks are rendered by themselves and merged, to what one run in chunks gives", "[cli][chunk]") {
  Here h;
  const std::string how = " --size 48x28 --samples 8 --no-denoise ";
  REQUIRE(cli("render " + h.a + how + "--chunks 2 -o " + (h.folder / "one.exr")).code == 0);
  for (const auto& [from, to] : {std::pair{"0", "4"}, {"4", "8"}})
    REQUIRE(cli("chunk " + h.a + how + "--chunks 2 --samples-from " + from + " --samples-to " + to + " -o " +
                (h.folder / from) + ".film")
                .code == 0);
  REQUIRE(
      cli("merge " + (h.folder / "4.film") + " " + (h.folder / "0.film") + " -o " + (h.folder / "merged.exr")).code ==
      0);
  CHECK(readPicture(h.folder / "one.exr").find("")->data == readPicture(h.folder / "merged.exr").find("")->data);
  refused("merge " + (h.folder / "4.film") + " -o " + (h.folder / "x.exr"), 3, "samples 0 to 3 are missing");
  refused("merge " + h.a + " -o " + (h.folder / "x.exr"), 3, "no film");
}

TEST_CASE("A farm's folder is made, its tasks are run and their state told; a bundle has all files", "[cli][farm]") {
  Here h;
  const std::string farm = h.folder / "a.farm";
  REQUIRE(cli("farm submit " + h.a + h.small + "--frames 1-4 --split 2 --hold --folder " + farm + " -o " +
              (h.folder / "f.exr") + " -o " + (h.folder / "f.webm"))
              .code == 0);
  CHECK(fs::exists(farm + "/bundle/a.ilum"));
  CHECK(fs::exists(farm + "/bundle/assets/orrery-assets/pierced-shade.glb"));
  CHECK(readFile(farm + "/tasks.sh").find("#SBATCH --array=0-1") != std::string::npos);
  for (const char* t : {"0", "1", "2"}) REQUIRE(cli("farm task " + farm + " " + t).code == 0);
  const Json status = Json::parse(cli("farm status " + farm + " --json").out);
  for (const Json& t : status["tasks"]) CHECK(t["state"] == "done");
  CHECK(fs::exists(h.folder / "f.0004.exr"));
  CHECK(fs::exists(h.folder / "f.webm"));
  refused("farm cancel " + farm, 3, "not submitted");
  refused("farm status " + (h.folder / "none"), 4, "farm.json");
  const Outcome b = cli("bundle " + h.a + " -o " + (h.folder / "b") + " --json");
  REQUIRE(b.code == 0);
  CHECK(Json::parse(b.out)["files"][0] == "assets/orrery-assets/pierced-shade.glb");
  REQUIRE(cli("check " + (h.folder / "b/a.ilum")).code == 0);
  fs::remove(h.folder / "orrery-assets/pierced-shade.glb");
  const Outcome broken = cli("bundle " + h.a + " -o " + (h.folder / "b2"));
  CHECK(broken.code == 3);
  CHECK(broken.err.find("pierced-shade.glb") != std::string::npos);
}
