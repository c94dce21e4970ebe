// Test strips: which values are tried, and that their pictures are those of their documents.
#include "core/session/strip.h"

#include "core/display/view.h"
#include "core/document/units.h"
#include "tests/support/scene.h"

#include <chrono>
#include <condition_variable>
#include <set>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document lampSet() {
  Set s(64, 40);
  s.settings({{"samples", "4"}, {"denoise", "off"}});
  s.look("0, 1.2, 3", "0, 0.4, 0", "35");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"position", "0, 0.3, 0"}, {"material", "Stone"}});
  s.add("light.point", "Lamp", {{"power", "600"}, {"position", "-1, 1, 0.5"}, {"radius", "0.1"}});
  s.add("light.point", "Other", {{"power", "300"}, {"position", "1, 1, 0.5"}});
  s.add("effect.glow", "Shine", {{"from", "Lamp"}});
  s.add("lens.glow", "Halo", {{"sources", "Shine"}, {"size", "15 %"}});
  s.set(s.find("Shine"), {{"lens", "Halo"}});
  return s.take();
}

using Words = std::vector<std::string>;

Words around(const Document& doc, const char* at, StripSpread how = StripSpread::AroundNow, int count = 5,
             const char* low = "", const char* high = "") {
  return stripValues(doc, resolve(doc, at), how, count, low, high);
}

// Every picture of a strip, to its end.
std::vector<Picture> made(StripRender& strip) {
  std::vector<Picture> out(strip.cells().size());
  const CancelFlag never;
  while (strip.advance([&](StripRender::Picture p) { out[p.cell] = std::move(p.light); },
                       [](size_t, const std::string& why) { FAIL(why); }, never)) {
  }
  return out;
}

} // namespace

TEST_CASE("Values to try are spread about the one that is there, evenly, or by factors, as they are typed", "[strip]") {
  const Document doc = lampSet();
  CHECK(around(doc, "Halo.size") == Words{"6.7 %", "10 %", "15 %", "22 %", "34 %"});
  CHECK(around(doc, "Lamp.power", StripSpread::AroundNow, 3) == Words{"400 lm", "600 lm", "900 lm"});
  CHECK(around(doc, "Lamp.stops") == Words{"-2 stops", "-1 stops", "0 stops", "1 stop", "2 stops"});
  CHECK(around(doc, "Lamp.power", StripSpread::Even, 3, "100", "300") == Words{"100 lm", "200 lm", "300 lm"});
  CHECK(around(doc, "Lamp.power", StripSpread::Factors, 3, "100", "10000") == Words{"100 lm", "1000 lm", "10000 lm"});
  CHECK(around(doc, "Halo.size", StripSpread::Even, 3, "14 %", "14.4 %") == Words{"14 %", "14.2 %", "14.4 %"});
  CHECK(around(doc, "Lamp.on") == Words{"off", "on"});
  CHECK(around(doc, "Halo.blend").size() > 3);
  CHECK(around(doc, "Lamp.color").size() == 5);
  // Each of them can be typed, and none twice.
  for (const Node* n : doc.inOrder())
    for (const ParamDef& d : n->kind->params) {
      if (d.type != ParamType::Number && d.type != ParamType::Integer && d.type != ParamType::Color) continue;
      CAPTURE(n->name, d.name);
      const Words values = stripValues(doc, {n->id, d.name, 0, {}}, StripSpread::AroundNow, 9);
      CHECK(std::set<std::string>(values.begin(), values.end()).size() == values.size());
      const Value now = valueAt(doc, {n->id, d.name, 0, {}});
      for (const std::string& v : values) {
        CAPTURE(v);
        CHECK_NOTHROW(setAt(doc, {n->id, d.name, 0, {}}, parseValue(doc, d, v, &now)));
      }
    }
  CHECK_THROWS_WITH(around(doc, "Lamp.linked"), Catch::Contains("type the values"));
  CHECK_THROWS_WITH(around(doc, "Lamp.power", StripSpread::Even, 3, "many"), Catch::Contains("many"));
}

TEST_CASE("A strip has a picture for each value, or for each pair of two, and knows the one that is there", "[strip]") {
  const Document doc = lampSet();
  const Address size = resolve(doc, "Halo.size"), power = resolve(doc, "Lamp.power");
  const auto one = stripCells(doc, {{size, {"5 %", "15 %"}}});
  REQUIRE(one.size() == 2);
  CHECK(one[0].label == "5 %");
  CHECK_FALSE(one[0].now);
  CHECK(one[1].now);
  CHECK(one[1].doc == doc);
  const auto two = stripCells(doc, {{size, {"5 %", "15 %"}}, {power, {"600", "+1 stop"}}});
  REQUIRE(two.size() == 4);
  CHECK(two[1].now);
  CHECK(std::get<double>(*valueAt(two[3].doc, power).constant()) == Approx(1200));
  CHECK_THROWS_WITH(stripCells(doc, {{size, {"wide"}}}), Catch::Contains("wide"));
  CHECK_THROWS_WITH(stripCells(doc, {{size, Words(26, "5 %")}}), Catch::Contains("25"));
  CHECK_THROWS(stripCells(doc, {}));
}

TEST_CASE("Pictures of a strip are those of their documents; what differs in lens or balance shares one film",
          "[strip]") {
  const Document doc = lampSet();
  AssetCache assets;
  const auto alone = [&](const Document& d) {
    StripRender one({{d, "", true}}, 64, 4, assets, pool());
    return made(one).front();
  };
  struct Try {
    const char* address;
    Words values;
    size_t films;
  };
  for (const Try& t : {Try{"Halo.size", {"5 %", "15 %", "30 %"}, 1}, Try{"Lamp.power", {"0", "600", "1200"}, 1},
                       Try{"Lamp.power", {"0", "6000"}, 1}, Try{"Camera.ev100", {"4", "6"}, 1},
                       Try{"Ball.radius", {"0.2", "0.3"}, 2}}) {
    CAPTURE(t.address);
    const auto cells = stripCells(doc, {{resolve(doc, t.address), t.values}});
    StripRender strip(cells, 64, 4, assets, pool());
    CHECK(strip.films() == t.films);
    const std::vector<Picture> pictures = made(strip);
    CHECK(strip.progress() == 1);
    CHECK(strip.rays() > 0);
    for (size_t k = 0; k < cells.size(); ++k) {
      CAPTURE(k);
      REQUIRE(pictures[k].width == 64);
      if (k) CHECK((pictures[k] != pictures[0]));
      // Of another balance other lamps are chosen more often: the same light, by other chances.
      if (std::string(t.address) == "Lamp.power")
        CHECK(mean(pictures[k]) == Approx(mean(alone(cells[k].doc))).epsilon(0.1));
      else
        CHECK((pictures[k] == alone(cells[k].doc)));
    }
  }
}

TEST_CASE("Out of a film that is there, a strip of the lens or the balance traces no ray", "[strip]") {
  const Document doc = lampSet();
  const Traced t = trace(doc, 4);
  AssetCache assets;
  const FileAssets files = assets.assets("", nullptr);
  StripFromFilm strip(*t.scene, t.film(), 64, pool());
  const auto with = [&](const char* address, const char* text) {
    const Address a = resolve(doc, address);
    return setAt(doc, a, parseValue(doc, definitionAt(doc, a), text));
  };
  const auto now = strip.picture(doc, files), wide = strip.picture(with("Halo.size", "40 %"), files),
             dark = strip.picture(with("Lamp.on", "off"), files);
  REQUIRE((now && wide && dark));
  CHECK(sameFilm(doc, with("Halo.size", "40 %")));
  CHECK(sameFilm(doc, with("Lamp.on", "off")));
  CHECK_FALSE(sameFilm(doc, with("Ball.radius", "0.1")));
  CHECK((*wide != *now));
  CHECK(mean(*dark) < mean(*now));
  // A stage of other sources has no layer there.
  CHECK_FALSE(strip.picture(with("Halo.sources", "Ball"), files));
}

TEST_CASE("A maker shows every picture of the last strip that was asked for, and ends at once", "[strip]") {
  const Document doc = lampSet();
  std::mutex mutex;
  std::condition_variable changed;
  std::map<uint64_t, std::set<size_t>> shown;
  double progress = 0;
  std::string error;
  auto maker = std::make_unique<StripMaker>(std::make_shared<AssetCache>(), std::make_shared<ColorViews>(),
                                            [&](std::shared_ptr<const StripMaker::Shown> s) {
                                              const std::lock_guard lock(mutex);
                                              if (!s->rgba.empty()) shown[s->request].insert(s->cell);
                                              if (!s->error.empty()) error = s->error;
                                              progress = s->progress;
                                              changed.notify_all();
                                            });
  const auto cells = stripCells(doc, {{resolve(doc, "Ball.radius"), {"0.1", "0.2", "0.3"}}});
  const uint64_t first = maker->ask(cells, 640, 4000), second = maker->ask(cells, 48, 2);
  {
    std::unique_lock lock(mutex);
    CHECK(
        changed.wait_for(lock, std::chrono::seconds(120), [&] { return shown[second].size() == 3 && progress == 1; }));
  }
  CHECK(first != second);
  // Without a camera each picture says so.
  const Document blind = removeNode(doc, doc.findByName("Camera")->id);
  maker->ask(stripCells(blind, {{resolve(blind, "Ball.radius"), {"0.1"}}}), 48, 2);
  {
    std::unique_lock lock(mutex);
    CHECK(changed.wait_for(lock, std::chrono::seconds(120), [&] { return !error.empty(); }));
    CHECK(error.find("camera") != std::string::npos);
  }
  maker->ask(cells, 1280, 100000);
  maker.reset(); // it does not wait for the strip
}
