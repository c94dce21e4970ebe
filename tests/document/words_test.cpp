#include "core/document/words.h"

#include "core/document/file.h"
#include "core/document/units.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

TEST_CASE("Foreign text is quoted at no more than 300 characters, and never through one", "[document][words]") {
  CHECK(quotation("power") == "\"power\"");
  CHECK(quotation("a\nb") == "\"a b\"");
  std::string umlauts;
  for (int i = 0; i < 400; ++i) umlauts += "ü";
  const std::string q = quotation("x" + umlauts);
  CHECK(q.size() < 310);
  CHECK(q.ends_with("ü…\""));
  Set s;
  const NodeId lamp = s.add("light.point", "Lamp", {});
  const Document doc = s.take();
  const std::string message =
      refusal([&] { parseValue(doc, *doc.find(lamp)->kind->param("power"), std::string(100000, 'z')); });
  CHECK(message.size() < 500);
  CHECK(message.find("Power") == 0);
}

TEST_CASE("A mistyped name is told the nearest that there is", "[document][words]") {
  CHECK(nearestWord("powr", {"power", "position", "radius"}) == "power");
  CHECK(nearestWord("rouhgness", {"roughness", "metalness"}) == "roughness");
  CHECK(nearestWord("zzz", {"power", "position"}).empty());
  Set s;
  s.add("light.point", "Lamp", {});
  const Document doc = s.take();
  CHECK_THAT(refusal([&] { resolve(doc, "Lamp.powr"); }), Catch::Contains("the nearest is power"));
  CHECK_THAT(refusal([&] { resolve(doc, "Lmap.power"); }), Catch::Contains("the nearest is Lamp"));
}

TEST_CASE("Parameters of a file that nobody knows are told with the nearest, and kept", "[document][words][file]") {
  Set s;
  s.add("light.point", "Lamp", {{"power", "100"}});
  std::string json = toJson(s.take());
  const size_t at = json.find("\"power\": 100");
  REQUIRE(at != std::string::npos);
  json.insert(at, "\"powre\": 3, ");
  const Document doc = fromJson(kinds(), json);
  REQUIRE(unknownParameters(doc).size() == 1);
  CHECK(unknownParameters(doc)[0] == "Lamp: a Point light has no parameter \"powre\"; the nearest is power");
  CHECK(toJson(doc).find("powre") != std::string::npos);
}

TEST_CASE("Files with former kinds and choices open, and are written with the present ones", "[document][file]") {
  Set s;
  const NodeId lamp = s.add("light.point", "Lamp", {{"clear_shadows", "as each thing says"}});
  s.add("balance.row", "Row", {{"source", "Lamp"}, {"stops", "1"}});
  const NodeId ball = s.add("object.sphere", "Ball", {});
  s.add("modifier.repeat", "Many", {{"measure", "from edge to edge"}}, {ball, "modifiers", size_t(-1)});
  s.add("effect.air_glow", "Wisp", {});
  const Document doc = setValue(s.take(), lamp, "clear_shadows", Constant(std::string("straight")));
  std::string old = toJson(doc);
  const auto swap = [&](const std::string& now, const std::string& before) {
    const size_t at = old.find("\"" + now + "\"");
    REQUIRE(at != std::string::npos);
    old.replace(at, now.size() + 2, "\"" + before + "\"");
  };
  swap("balance.row", "mix.row");
  swap("from edge to edge", "gap");
  swap("effect.air_glow", "effect.ghost_light");
  swap("straight", "as they say");
  const Document back = fromJson(kinds(), old);
  CHECK(back.findByName("Row")->kind->id == "balance.row");
  CHECK(Params(*back.findByName("Many"), 1).text("measure") == "from edge to edge");
  CHECK(Params(*back.findByName("Lamp"), 1).text("clear_shadows") == "as each thing says");
  CHECK(back.findByName("Wisp")->kind->id == "effect.air_glow");
  CHECK(toJson(back).find("mix.row") == std::string::npos);
}

TEST_CASE("Numbers whose nothing has a name show it, and take it when it is typed", "[document][units]") {
  const Document doc = Document::create(kinds());
  const ParamDef& d = *doc.settings().kind->param("bounces");
  CHECK(formatNumber(d, 0) == "no limit");
  CHECK(formatNumber(d, 4) == "4");
  CHECK(parseNumber(d, "no limit", 4) == 0);
  const ParamDef frames = number("x", "X", "frames", 1);
  CHECK(formatNumber(frames, 1) == "1 frame");
  CHECK(formatNumber(frames, 2) == "2 frames");
}

TEST_CASE("The docs print numbers as files hold them, in the unit that they state", "[document][docs]") {
  const std::string docs = formatDocs(*kinds());
  const size_t point = docs.find("## light.point ");
  REQUIRE(point != std::string::npos);
  const size_t at = docs.find("| `radius` |", point);
  CHECK(docs.substr(at, 60).find("| m | 0.05 |") != std::string::npos);
}
