#include "core/compile/camera.h"
#include "core/placing/handles.h"

#include "core/document/edit.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Camera cameraOf(const Document& doc) { return cameraOf(doc, *activeCamera(doc), 1, 400, 300); }

Document with(const char* kind, std::initializer_list<std::pair<const char*, const char*>> values) {
  Set s(400, 300);
  s.look("0.5, 1.5, 5", "0, 1, 0", "30");
  const NodeId group = s.add("object.group", "Rig", {{"position", "0.2, 0.1, 0"}, {"turn", "0, 35, 10"}});
  s.add(kind, "Lamp", values, s.in(group));
  return s.take();
}

const Handle* find(const std::vector<Handle>& all, const std::string& param) {
  for (const Handle& h : all)
    if (h.param == param) return &h;
  return nullptr;
}

std::vector<Handle> handlesIn(const Document& doc) { return handlesOf(doc, *doc.findByName("Lamp"), 1, cameraOf(doc)); }

} // namespace

TEST_CASE("A handle that is not moved changes nothing, and one that is moved follows the pointer", "[handles]") {
  const std::vector<std::pair<Document, std::vector<std::string>>> lamps = {
      {with("light.spot", {{"position", "0.5, 1.4, 0"},
                           {"target", "0, 0.5, 0"},
                           {"cone", "25"},
                           {"edge", "0.4"},
                           {"radius", "0.1"},
                           {"range", "0.8"}}),
       {"cone", "edge", "radius", "range", "target", "position"}},
      {with("light.point", {{"position", "0.3, 1.2, 0.4"}, {"radius", "0.2"}}), {"radius", "position"}},
      {with("light.area", {{"position", "-0.3, 1.2, 0"}, {"target", "0, 0, 0.8"}, {"width", "0.8"}, {"height", "0.4"}}),
       {"width", "height", "target", "position"}},
      {with("light.area", {{"position", "-0.3, 1.2, 0"}, {"target", "0, 0, 0.8"}, {"width", "0.8"}, {"form", "ball"}}),
       {"width", "target", "position"}},
      {with("light.sun", {{"height", "40"}, {"bearing", "120"}}), {"bearing"}},
      {with("light.sun", {{"height", "30"}, {"bearing", "-40"}}), {"bearing"}},
      {with("light.daylight", {{"height", "20"}, {"bearing", "60"}}), {"bearing"}}};
  for (const auto& [doc, params] : lamps) {
    const std::vector<Handle> all = handlesIn(doc);
    REQUIRE(all.size() == params.size());
    for (const std::string& param : params) {
      INFO(doc.findByName("Lamp")->kind->id << " " << param);
      const Handle* h = find(all, param);
      REQUIRE(h);
      CHECK(!h->label.empty());
      const auto moved = [&](const V2f& by) { return h->drag(doc, h->at + by, std::nullopt); };
      // Where it is taken hold of is where it is put again, to rounding.
      const std::vector<Handle> still = handlesIn(moved({0, 0}));
      CHECK((find(still, param)->at - h->at).length() < 0.2f);
      // Outwards by a little, and the handle is under the pointer. A size grows along its own way only.
      const Handle* middle = find(all, "position");
      V2f out = middle && param != "position" && param != "target" ? h->at - middle->at : V2f(3, 2);
      if (param == "cone" || param == "edge") out = {-out.y, out.x}; // along its side an angle stays
      out *= 6 / out.length();
      const Document after = moved(out);
      CHECK(!(after == doc));
      CHECK((find(handlesIn(after), param)->at - (h->at + out)).length() <
            (param == "width" || param == "height" || param == "cone" || param == "edge" || param == "range" ? 2.5f
                                                                                                             : 0.3f));
    }
  }
}

TEST_CASE("A lamp is aimed at what is seen under the pointer", "[handles]") {
  const Document doc = with("light.spot", {{"position", "0.5, 1.4, 0"}, {"target", "0, 0.5, 0"}});
  const Document aimed = find(handlesIn(doc), "target")->drag(doc, {10, 10}, Seen{{0.3f, 0.25f, -0.5f}});
  const Node& lamp = *aimed.findByName("Lamp");
  const Triple t = Params(lamp, 1).triple("target");
  const V3f world =
      transformPoint(worldMatrix(aimed, *aimed.find(lamp.parent), 1), {float(t[0]), float(t[1]), float(t[2])});
  CHECK(length(world - V3f(0.3f, 0.25f, -0.5f)) < 1e-3f);
}

TEST_CASE("Handles keep what a parameter may be, move keys at their frame, and are not there behind the camera",
          "[handles]") {
  const Document doc = with("light.spot", {{"position", "0.5, 1.4, 0"}, {"target", "0, 0.5, 0"}, {"edge", "0.3"}});
  const std::vector<Handle> here = handlesIn(doc);
  const Handle* edge = find(here, "edge");
  REQUIRE(edge);
  for (const V2f& to : {V2f(-500, 900), V2f(2000, -700), V2f(3, 3)}) {
    const double v = Params(*edge->drag(doc, to, std::nullopt).findByName("Lamp"), 1).number("edge");
    CHECK(v >= 0);
    CHECK(v <= 1);
  }
  const Document keyed =
      setAt(doc, resolve(doc, "Lamp.cone"), Value(Keys{{{1, 30.0, KeyShape::Linear}, {9, 60.0, KeyShape::Linear}}}));
  const std::vector<Handle> then = handlesIn(keyed);
  const Handle* cone = find(then, "cone");
  const Document moved = cone->drag(keyed, cone->at + V2f(4, 4), std::nullopt);
  const Value* v = moved.findByName("Lamp")->find("cone");
  REQUIRE((v && v->keys()));
  CHECK(v->keys()->keys.size() == 2);
  CHECK(Params(*moved.findByName("Lamp"), 9).number("cone") == 60);
  CHECK(Params(*moved.findByName("Lamp"), 1).number("cone") != 30);
  const Document behind = setAt(doc, resolve(doc, "Lamp.position"), Constant(Triple{0, 1, 60}));
  CHECK(find(handlesIn(behind), "position") == nullptr);
  CHECK(handlesOf(doc, *doc.findByName("Rig"), 1, cameraOf(doc)).empty());
}
