// The schema is what other programs check a document with: it must say what the reader does.
#include "core/document/file.h"
#include "tests/support/scene.h"

#include <nlohmann/json.hpp>

using namespace ilumbra;
using namespace ilumbra::test;
using Json = nlohmann::json;

namespace {

const Json& schema() {
  static const Json s = Json::parse(jsonSchema(*kinds()));
  return s;
}

} // namespace

TEST_CASE("The schema is JSON Schema of draft 2020-12 with one definition a kind", "[document][schema]") {
  CHECK(schema()["$schema"] == "https://json-schema.org/draft/2020-12/schema");
  for (const Kind& k : kinds()->all()) {
    CAPTURE(k.id);
    REQUIRE(schema()["$defs"].contains(k.id));
    const Json& properties = schema()["$defs"][k.id]["properties"];
    CHECK(properties.contains("id"));
    CHECK(properties.contains("name"));
    if (!k.params.empty()) CHECK(properties["values"]["properties"].size() == k.params.size());
    for (const ChildSlot& s : k.slots) CHECK(properties["children"]["properties"].contains(s.name));
  }
}

TEST_CASE("Every reference inside the schema leads somewhere", "[document][schema]") {
  std::function<void(const Json&)> walk = [&](const Json& j) {
    if (j.is_object())
      for (const auto& [key, value] : j.items()) {
        if (key == "$ref") {
          const std::string ref = value;
          REQUIRE(ref.rfind("#/$defs/", 0) == 0);
          CAPTURE(ref);
          REQUIRE(schema()["$defs"].contains(ref.substr(8)));
        }
        walk(value);
      }
    if (j.is_array())
      for (const Json& e : j) walk(e);
  };
  walk(schema());
}

TEST_CASE("What is written lists its values in the order of the table, and only what differs", "[document][file]") {
  Set s;
  s.add("light.point", "Lamp", {{"radius", "0.2"}, {"power", "123"}, {"color", "1, 0, 0"}});
  const std::string text = toJson(s.take());
  const size_t power = text.find("\"power\""), color = text.find("\"color\""), radius = text.find("\"radius\"");
  REQUIRE(power != std::string::npos);
  CHECK(power < color);
  CHECK(color < radius);
  CHECK(text.find("\"stops\"") == std::string::npos);
  CHECK(text.back() == '\n');
}

TEST_CASE("The docs name each kind once, with the stage that each parameter redoes", "[document][docs]") {
  const std::string docs = formatDocs(*kinds());
  for (const Kind& k : kinds()->all()) {
    const std::string head = "\n## " + k.id + " ";
    const size_t at = docs.find(head);
    REQUIRE(at != std::string::npos);
    CHECK(docs.find(head, at + 1) == std::string::npos);
  }
  CHECK(docs.find("| `power` | number | lm | 800 |") != std::string::npos);
  for (const char* stage : {"| display |", "| lens |", "| mix |", "| shading |", "| placement |", "| geometry |"})
    CHECK(docs.find(stage) != std::string::npos);
}
