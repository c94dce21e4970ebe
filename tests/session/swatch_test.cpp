#include "core/session/swatch.h"

#include "core/base/error.h"
#include "core/display/view.h"
#include "tests/support/scene.h"

#include <future>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document room() {
  Set s;
  s.look("0, 1, 6", "0, 0, 0", "50");
  s.preset("Amber", "Amber");
  s.preset("Chalk", "Plaster");
  s.add("object.box", "Block",
        {{"width", "4"}, {"height", "4"}, {"depth", "4"}, {"position", "10, 0, 0"}, {"material", "Chalk"}});
  s.add("light.area", "Panel",
        {{"power", "5000"}, {"width", "2"}, {"height", "2"}, {"position", "10, 8, 4"}, {"target", "10, 0, 0"}});
  s.add("light.point", "Inside",
        {{"power", "500"}, {"position", "10, 0, 0"}, {"links", "only these"}, {"linked", "Block"}});
  s.add("effect.glow", "Shine", {{"from", "Panel"}});
  s.add("lens.glow", "Halo", {{"sources", "Shine"}});
  return s.take();
}

// Collects what a maker delivers.
struct Shelf {
  std::mutex mutex;
  std::condition_variable wake;
  std::vector<std::shared_ptr<const SwatchMaker::Swatch>> all;
  SwatchMaker maker{std::make_shared<AssetCache>(), std::make_shared<const ColorViews>(),
                    [this](std::shared_ptr<const SwatchMaker::Swatch> s) {
                      const std::lock_guard lock(mutex);
                      all.push_back(std::move(s));
                      wake.notify_all();
                    }};
  bool wait(size_t count) {
    std::unique_lock lock(mutex);
    return wake.wait_for(lock, std::chrono::seconds(120), [&] { return all.size() >= count; });
  }
};

double brightness(const SwatchMaker::Swatch& s, int x0, int x1, int y0, int y1) {
  double sum = 0;
  for (int y = y0; y < y1; ++y)
    for (int x = x0; x < x1; ++x)
      for (size_t k = 0; k < 3; ++k) sum += s.rgba[4 * (size_t(y) * size_t(s.size) + size_t(x)) + k];
  return sum / (3.0 * (x1 - x0) * (y1 - y0));
}

} // namespace

TEST_CASE("A swatch's set has the material on a ball, in the lamps of the document, and nothing else of it",
          "[swatch]") {
  const Document doc = room();
  const NodeId amber = doc.findByName("Amber")->id;
  const Box3f framed(V3f(8, -2, -2), V3f(12, 2, 2));
  const Document set = swatchSet(doc, framed, amber);
  CHECK(problems(set).empty());
  CHECK_FALSE(set.findByName("Block"));
  CHECK(set.family("effect").empty());
  CHECK(set.family("lens").empty());
  const Node* ball = set.findByName("Swatch ball");
  REQUIRE(ball);
  CHECK(Params(*ball, 1).reference("material").target == amber);
  // The lamps stand around the ball as they stood around what was framed, brought to its size, and light it whatever
  // they are linked to. A lamp inside stands beside it.
  const double radius = Params(*ball, 1).number("radius");
  const double scale = radius / (0.25 * double(length(framed.size())));
  const Triple panel = Params(*set.findByName("Panel"), 1).triple("position");
  CHECK(panel[0] == Approx(0).margin(1e-4));
  CHECK(panel[1] == Approx(8 * scale));
  CHECK(Params(*set.findByName("Panel"), 1).number("width") == Approx(2 * scale));
  const Triple inside = Params(*set.findByName("Inside"), 1).triple("position");
  CHECK(std::hypot(inside[0], inside[1], inside[2]) > 2 * radius);
  CHECK(Params(*set.findByName("Inside"), 1).text("links") == "everything");
  // Where there is no lamp, one is lent.
  Document dark = removeNode(removeNode(doc, doc.findByName("Panel")->id), doc.findByName("Inside")->id);
  CHECK(swatchSet(dark, framed, amber).findByName("Swatch key"));
}

TEST_CASE("Swatches are real pictures: a dark material is darker than a bright one in the same light", "[swatch]") {
  const Document doc = room();
  const Box3f framed(V3f(8, -2, -2), V3f(12, 2, 2));
  Set s;
  Shelf shelf;
  const auto ask = [&](const char* matter) {
    const Document as = applyPreset(doc, doc.findByName("Chalk")->id, findPreset(matter));
    shelf.maker.ask(
        matter, [=] { return swatchSet(as, framed, as.findByName("Chalk")->id); }, 48);
  };
  ask("Plaster");
  ask("Rubber");
  REQUIRE(shelf.wait(2));
  CHECK(shelf.all[0]->key == "Plaster");
  CHECK(shelf.all[0]->size == 48);
  REQUIRE(shelf.all[0]->rgba.size() == 48u * 48 * 4);
  const double pale = brightness(*shelf.all[0], 18, 30, 14, 26), dark = brightness(*shelf.all[1], 18, 30, 14, 26);
  CAPTURE(pale, dark);
  CHECK(pale > 100);
  CHECK(dark < 0.7 * pale);
  // What was made is delivered as it is; what has changed is made again.
  ask("Plaster");
  REQUIRE(shelf.wait(3));
  CHECK(shelf.all[2] == shelf.all[0]);
  shelf.maker.ask(
      "Plaster", [=] { return swatchSet(doc, framed, doc.findByName("Amber")->id); }, 48);
  REQUIRE(shelf.wait(4));
  CHECK(shelf.all[3] != shelf.all[0]);
  CHECK(shelf.all[3]->rgba != shelf.all[0]->rgba);
}

TEST_CASE("Of several questions under one key only the last that is waiting is answered, and a maker ends at once",
          "[swatch]") {
  const Document doc = room();
  const NodeId amber = doc.findByName("Amber")->id;
  {
    Shelf shelf;
    for (int i = 0; i < 20; ++i)
      shelf.maker.ask(
          "same", [&doc, amber] { return swatchSet(doc, Box3f(), amber); }, 24 + i);
    REQUIRE(shelf.wait(1));
    while (shelf.all.back()->size != 24 + 19) REQUIRE(shelf.wait(shelf.all.size() + 1));
    CHECK(shelf.all.size() < 20);
  }
  // A set that cannot be made says why; the next is made.
  Shelf shelf;
  shelf.maker.ask(
      "broken", []() -> Document { throw badInput("cannot be made"); }, 24);
  shelf.maker.ask(
      "sound", [&doc, amber] { return swatchSet(doc, Box3f(), amber); }, 24);
  REQUIRE(shelf.wait(2));
  CHECK(shelf.all[0]->key == "broken");
  CHECK(shelf.all[0]->rgba.empty());
  CHECK(shelf.all[0]->error == "cannot be made");
  CHECK(shelf.all[1]->key == "sound");
  CHECK(shelf.all[1]->error.empty());
}

TEST_CASE("Swatches that are preferred are made first, in their order, the others as they were asked for", "[swatch]") {
  const Document doc = room();
  const NodeId amber = doc.findByName("Amber")->id;
  std::promise<void> begin;
  Shelf shelf;
  shelf.maker.ask(
      "first",
      [&] {
        begin.get_future().wait();
        return swatchSet(doc, Box3f(), amber);
      },
      8);
  for (const char* key : {"a", "b", "c", "d"})
    shelf.maker.ask(
        key, [&] { return swatchSet(doc, Box3f(), amber); }, 8);
  shelf.maker.prefer({"c", "nobody", "b"});
  begin.set_value();
  REQUIRE(shelf.wait(5));
  std::string order;
  for (const auto& s : shelf.all) order += s->key;
  // "first" may or may not have begun before the order was told.
  order.erase(order.find("first"), 5);
  CHECK(order == "cbad");
}
