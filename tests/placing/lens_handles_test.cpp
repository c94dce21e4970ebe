#include "core/compile/compile.h"
#include "core/placing/lens_handles.h"

#include "core/document/edit.h"
#include "core/document/units.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

struct Staged {
  Document doc;
  ScenePtr scene;
  SceneCache cache;
  explicit Staged(Document d) : doc(std::move(d)) {
    scene = compileScene(doc, {.frame = 1, .queries = {}}, noAssets(), cache);
  }
  std::vector<Handle> handles(const Document& d) const { return lensHandles(d, *d.findByName("Stage"), 1, *scene); }
};

Document with(const char* kind, std::initializer_list<std::pair<const char*, const char*>> values) {
  Set s(400, 300);
  s.look("0, 0, 5", "0, 0, 0", "30");
  s.add("light.point", "Lamp", {{"position", "0.5, 0.3, 0"}, {"radius", "0.05"}});
  s.add(kind, "Stage", values);
  return s.take();
}

const Handle& named(const std::vector<Handle>& all, const std::string& label) {
  for (const Handle& h : all)
    if (h.label == label) return h;
  FAIL("there is no handle " << label);
  return all.front();
}

} // namespace

TEST_CASE("Lens handles that are not moved change nothing, and those that are follow the pointer", "[handles][lens]") {
  const std::vector<std::pair<Document, std::vector<std::string>>> stages = {
      {with("lens.glow", {{"sources", "Lamp"}, {"size", "20 %"}}), {"Halo's edge"}},
      {with("lens.streaks", {{"sources", "Lamp"}, {"angle", "30 °"}, {"length", "25 %"}}), {"End of the first ray"}},
      {with(
           "lens.streaks",
           {{"sources", "Lamp"}, {"angle", "30 °"}, {"length", "25 %"}, {"aim_by", "place"}, {"aim_place", "1, 1, 0"}}),
       {"End of the first ray"}},
      {with("lens.halo_rings", {{"sources", "Lamp"}, {"radius", "20 %"}}), {"Radius of the ring"}},
      {with("lens.screen_shafts", {{"centre_x", "30 %"}, {"centre_y", "60 %"}}), {"Centre"}},
      {with("lens.screen_shafts", {{"centre_by", "thing"}, {"centre_at", "Lamp"}}), {"Centre"}},
      {with("lens.mirror_copy", {{"hinge_y", "55 %"}, {"angle", "10 °"}, {"reach", "25 %"}}),
       {"Angle of the hinge", "Reach of the copy", "Hinge"}},
      {with("lens.mirror_copy",
            {{"hinge_y", "55 %"}, {"angle", "10 °"}, {"reach", "25 %"}, {"aim_by", "thing"}, {"aim_at", "Lamp"}}),
       {"Angle of the hinge", "Reach of the copy", "Hinge"}},
      {with("lens.vignette", {{"radius", "60 %"}}), {"Radius of the vignette", "Centre"}}};
  for (const auto& [doc, labels] : stages) {
    const Staged s(doc);
    const std::vector<Handle> all = s.handles(doc);
    REQUIRE(all.size() == labels.size());
    for (const std::string& label : labels) {
      CAPTURE(doc.findByName("Stage")->kind->id, label);
      const Handle& h = named(all, label);
      const Document still = h.drag(doc, h.at, {});
      const Handle same = named(s.handles(still), label);
      CHECK(same.at.x == Approx(h.at.x).margin(0.1));
      CHECK(same.at.y == Approx(h.at.y).margin(0.1));
      const V2f to =
          h.at +
          (label == "Angle of the hinge"
               ? V2f(-4, 20)
               : V2f(17, label == "End of the first ray" || label == "Centre" || label == "Hinge" ? -9.0f : 0.0f));
      const Document moved = h.drag(doc, to, {});
      CHECK_FALSE(moved == doc);
      const Handle there = named(s.handles(moved), label);
      if (label == "Angle of the hinge" || label == "Reach of the copy") continue; // they keep to their line
      CHECK(there.at.x == Approx(to.x).margin(0.3));
      CHECK(there.at.y == Approx(to.y).margin(0.3));
      CHECK(problems(moved).empty());
    }
  }
}

TEST_CASE("A halo's edge stands about its lamp, wherever that is seen", "[handles][lens]") {
  const Document doc = with("lens.glow", {{"sources", "Lamp"}, {"size", "10 %"}});
  const Staged s(doc);
  float x, y;
  REQUIRE(s.scene->camera.project({0.5f, 0.3f, 0}, x, y));
  const Handle h = s.handles(doc).front();
  CHECK(h.at.x == Approx(x + 30).margin(0.5));
  CHECK(h.at.y == Approx(y).margin(0.5));
  CHECK(Params(*h.drag(doc, {x + 60, y}, {}).findByName("Stage"), 1).number("size") == Approx(0.2).epsilon(0.02));
  // Out of what it may be is held at its end.
  CHECK(Params(*h.drag(doc, {x, y}, {}).findByName("Stage"), 1).number("size") > 0);
}

TEST_CASE("Areas of a stage are dragged by middle, size and turn", "[handles][lens]") {
  Document doc = with("lens.grade", {});
  doc = addNode(doc, "area.ellipse", "Spot", {doc.findByName("Stage")->id, "areas"});
  doc = addNode(doc, "area.gradient", "Down", {doc.findByName("Stage")->id, "areas"});
  const Staged s(doc);
  const std::vector<Handle> all = s.handles(doc);
  CHECK(all.size() == 6); // width, height, turn, middle; two ends
  const Document wide = named(all, "Width").drag(doc, V2f(200 + 120, 150), {});
  CHECK(Params(*wide.findByName("Spot"), 1).number("width") == Approx(240.0 / 300));
  const Document moved = named(all, "Centre").drag(doc, V2f(100, 75), {});
  CHECK(Params(*moved.findByName("Spot"), 1).number("centre_x") == Approx(0.25));
  CHECK(Params(*moved.findByName("Spot"), 1).number("centre_y") == Approx(0.25));
  const Document turned = named(all, "Turn").drag(doc, V2f(200, 250), {});
  CHECK(Params(*turned.findByName("Spot"), 1).number("turn") == Approx(90));
  const Document end = named(all, "End of the gradient").drag(doc, V2f(40, 30), {});
  CHECK(Params(*end.findByName("Down"), 1).number("end_x") == Approx(0.1));
}
