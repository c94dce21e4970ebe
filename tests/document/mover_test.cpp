#include "core/document/mover.h"

#include "core/base/error.h"
#include "core/document/file.h"
#include "core/document/placement.h"
#include "core/document/units.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document ringAndLamp() {
  Set s(32, 32);
  s.look("0, 1, 3", "0, 0, 0", "50");
  s.add("object.torus", "Ring", {{"position", "1, 0.5, 0"}, {"turn", "20, 30, 10"}});
  s.add("light.point", "Lamp", {{"power", "400"}});
  return s.take();
}

Document put(const Document& doc, const char* address, const char* value) {
  const Address a = resolve(doc, address);
  return setAt(doc, a, parseValue(doc, definitionAt(doc, a), value));
}

M44f ringAt(const Document& doc, double frame) { return worldMatrix(doc, *doc.findByName("Ring"), frame); }

double apart(const M44f& a, const M44f& b) {
  double most = 0;
  for (int i = 0; i < 4; ++i)
    for (int j = 0; j < 4; ++j) most = std::max(most, double(std::abs(a[i][j] - b[i][j])));
  return most;
}

const ParamDef& def(const Document& doc, const char* address) { return definitionAt(doc, resolve(doc, address)); }
Value value(const Document& doc, const char* address) { return valueAt(doc, resolve(doc, address)); }

} // namespace

TEST_CASE("A mover that comes by its switch loops over the document's range", "[mover]") {
  Document doc = put(ringAndLamp(), "Picture.last_frame", "96");
  doc = put(doc, "Ring.turn.spin", "on");
  doc = put(doc, "Ring.position.bob", "on");
  doc = put(doc, "Lamp.power.flicker", "on");
  CHECK(std::get<double>(*value(doc, "Ring.turn.spin.period").constant()) == 96);
  CHECK(apart(ringAt(doc, 1), ringAt(doc, 97)) < 1e-5);
  CHECK(apart(ringAt(doc, 1), ringAt(doc, 25)) > 0.3);
  CHECK(periodOf(value(doc, "Ring.turn")) == 96);
  CHECK(periodOf(value(doc, "Ring.position")) == 96);
  CHECK(periodOf(value(doc, "Lamp.power")) == 96);
  const Params lamp(*doc.findByName("Lamp"), 5), later(*doc.findByName("Lamp"), 101);
  CHECK(lamp.number("power") == Approx(later.number("power")).epsilon(1e-9));
  CHECK(isAnimated(*doc.findByName("Lamp")));
  // And goes with it, to what was there before.
  doc = put(doc, "Ring.turn.spin", "off");
  CHECK(value(doc, "Ring.turn") == value(ringAndLamp(), "Ring.turn"));
}

TEST_CASE("Spin and swing turn about the axes that they name", "[mover]") {
  const Document still = ringAndLamp();
  for (const char* axis : {"upright", "own x", "own y", "own z"}) {
    CAPTURE(axis);
    Document doc = put(still, "Ring.turn.spin", "on");
    doc = put(doc, "Ring.turn.spin.period", "360");
    doc = put(doc, "Ring.turn.spin.axis", axis);
    const float angle = 47; // degrees, at frame 48
    const std::string a = axis;
    const V3f by = a == "own x" ? V3f(angle, 0, 0) : a == "own z" ? V3f(0, 0, angle) : V3f(0, angle, 0);
    const M44f turned = placement({0, 0, 0}, by, {1, 1, 1});
    M44f before = ringAt(still, 1);
    const V3f place(before[3][0], before[3][1], before[3][2]);
    before[3][0] = before[3][1] = before[3][2] = 0;
    M44f expected = a == "upright" ? before * turned : turned * before;
    for (int c = 0; c < 3; ++c) expected[3][c] = place[c];
    CHECK(apart(ringAt(doc, 48), expected) < 2e-6);
  }
  // A pendulum: a sine about its axis, each swing smaller than the one before by what it is damped.
  Document doc = put(still, "Ring.turn", "0, 0, 0");
  doc = put(doc, "Ring.turn.swing.amplitude", "30");
  doc = put(doc, "Ring.turn.swing.period", "40");
  doc = put(doc, "Ring.turn.swing.damping", "20 %");
  const auto z = [&](double frame) { return Params(*doc.findByName("Ring"), frame).triple("turn")[2]; };
  CHECK(z(1) == Approx(0).margin(1e-9));
  CHECK(z(11) == Approx(30 * std::pow(0.8, 0.25)));
  CHECK(z(51) == Approx(30 * std::pow(0.8, 1.25)));
  CHECK(periodOf(value(doc, "Ring.turn")) == 0);
}

TEST_CASE("A single angle spins and swings as itself, and what goes round once begins anew", "[mover]") {
  Set s(32, 32);
  s.add("light.sun", "Sun", {{"bearing", "30"}});
  s.add("light.spot", "Spot", {{"cone", "20"}});
  Document doc = put(s.take(), "Picture.last_frame", "120");
  doc = put(doc, "Sun.bearing.spin", "on");
  const auto bearing = [&](double f) { return Params(*doc.findByName("Sun"), f).number("bearing"); };
  CHECK(bearing(31) == Approx(120));
  CHECK(std::remainder(bearing(121) - bearing(1), 360) == Approx(0).margin(1e-9));
  CHECK(refusal([&] { put(doc, "Sun.bearing.spin.axis", "own x"); }) != ""); // it has none
  CHECK(refusal([&] { put(doc, "Spot.cone.spin", "on"); }) != "");           // a cone does not go round
  doc = put(doc, "Spot.cone.swing.amplitude", "5");
  const double period = std::get<double>(*value(doc, "Spot.cone.swing.period").constant());
  CHECK(std::fmod(120, period) == Approx(0).margin(1e-9)); // begun by what is set of it, it fits all the same
  CHECK(Params(*doc.findByName("Spot"), 1 + period / 4).number("cone") == Approx(25));
  doc = setNow(atFrame(doc, 7), resolve(doc, "Sun.bearing"), -100.0);
  CHECK(std::remainder(Params(*doc.findByName("Sun"), 7).number("bearing") + 100, 360) == Approx(0).margin(1e-9));
}

TEST_CASE("An orbit keeps its distance, and a camera's goes round what it looks at", "[mover]") {
  Document doc = put(ringAndLamp(), "Picture.last_frame", "100");
  doc = put(doc, "Camera.target", "0.5, 0.2, 0");
  doc = put(doc, "Camera.position.orbit", "on");
  const auto at = [&](double frame) { return Params(*doc.findByName("Camera"), frame).triple("position"); };
  const auto far = [&](const Triple& p) { return std::hypot(p[0] - 0.5, p[1] - 0.2, p[2]); };
  for (const double f : {1.0, 13.0, 26.0, 51.0, 77.5}) {
    CHECK(far(at(f)) == Approx(far(at(1))));
    CHECK(at(f)[1] == Approx(1));
  }
  CHECK(at(51)[0] == Approx(1 - at(1)[0])); // half way round
  CHECK(at(51)[2] == Approx(-at(1)[2]));
}

TEST_CASE("What is set of a moving thing is what it is at that frame, and it goes on from there", "[mover]") {
  Document doc = ringAndLamp();
  for (const char* mover : {"drift", "bob", "orbit", "shake"})
    doc = put(doc, (std::string("Ring.position.") + mover).c_str(), "on");
  for (const char* mover : {"spin", "swing", "wobble"})
    doc = put(doc, (std::string("Ring.turn.") + mover).c_str(), "on");
  for (const char* mover : {"flicker", "pulse"}) doc = put(doc, (std::string("Lamp.power.") + mover).c_str(), "on");
  doc = atFrame(doc, 17);
  const Triple place = {0.3, -0.2, 0.7}, turn = {5, -20, 40};
  doc = setNow(doc, resolve(doc, "Ring.position"), place);
  doc = setNow(doc, resolve(doc, "Ring.turn"), turn);
  doc = setNow(doc, resolve(doc, "Lamp.power"), 250.0);
  const Params ring(*doc.findByName("Ring"), 17);
  for (size_t c = 0; c < 3; ++c) CHECK(ring.triple("position")[c] == Approx(place[c]));
  const M44f now = ringAt(doc, 17), meant = placement(vec(place), vec(turn), {1, 1, 1});
  CHECK(apart(now, meant) < 1e-5);
  CHECK(Params(*doc.findByName("Lamp"), 17).number("power") == Approx(250));
  CHECK(value(doc, "Ring.position").moved()->movers.size() == 4);
}

TEST_CASE("A camera pushes in to what it looks at, gently, once or there and back", "[mover]") {
  Document doc = put(put(ringAndLamp(), "Picture.last_frame", "96"), "Camera.position.push", "on");
  const auto left = [&](double frame) { // of its way to the middle, where it looks
    const Triple p = Params(*doc.findByName("Camera"), frame).triple("position");
    CHECK(p[1] == Approx(p[2] / 3)); // from 0, 1, 3
    return p[2] / 3;
  };
  CHECK(value(doc, "Camera.position.push.about") == value(doc, "Camera.target"));
  CHECK(left(1) == Approx(1));
  CHECK(left(49) == Approx(0.85));
  CHECK(left(97) == Approx(0.7));
  CHECK(left(140) == Approx(0.7));
  CHECK(left(2) > 0.9995);
  CHECK(periodOf(value(doc, "Camera.position")) == 0);
  doc = put(doc, "Camera.position.push.way", "there and back");
  CHECK(left(49) == Approx(0.7));
  CHECK(left(97) == Approx(1));
  CHECK(periodOf(value(doc, "Camera.position")) == 96);
  doc = setNow(atFrame(doc, 20), resolve(doc, "Camera.position"), Triple{0, 0.5, 1.5});
  CHECK(left(20) == Approx(0.5));
}

TEST_CASE("A colour fades over to another and back, and its hue goes round", "[mover]") {
  Document doc = put(put(ringAndLamp(), "Picture.last_frame", "96"), "Lamp.color", "0.2, 0.4, 1");
  const auto at = [&](double frame) { return Params(*doc.findByName("Lamp"), frame).triple("color"); };
  SECTION("fade") {
    doc = put(put(doc, "Lamp.color.fade", "on"), "Lamp.color.fade.to", "1, 0.5, 0");
    CHECK(std::get<double>(*value(doc, "Lamp.color.fade.period").constant()) == 96);
    const Triple first = {0.2, 0.4, 1}, there = {1, 0.5, 0};
    for (size_t c = 0; c < 3; ++c) {
      CHECK(at(1)[c] == Approx(first[c]));
      CHECK(at(49)[c] == Approx(there[c]).margin(1e-12));
      CHECK(at(25)[c] == Approx(0.5 * (first[c] + there[c])));
      CHECK(at(97)[c] == Approx(at(1)[c]));
    }
    // It stays longer at both ends, and meets the middle at the same time.
    const double before = at(13)[2];
    doc = put(doc, "Lamp.color.fade.dwell", "1");
    CHECK(at(13)[2] > before);
    CHECK(at(25)[2] == Approx(0.5));
    // What is set on the way is what it is there.
    doc = atFrame(put(doc, "Lamp.color.fade.depth", "50 %"), 30);
    doc = setNow(doc, resolve(doc, "Lamp.color"), Triple{0.9, 0.8, 0.7});
    CHECK(at(30)[0] == Approx(0.9));
    CHECK(at(30)[2] == Approx(0.7));
  }
  SECTION("hue round") {
    doc = put(doc, "Lamp.color.hues", "on");
    // A third of the round: red's part goes to green, green's to blue, blue's to red.
    const Triple third = at(33);
    CHECK(third[0] == Approx(1));
    CHECK(third[1] == Approx(0.2));
    CHECK(third[2] == Approx(0.4));
    for (double f = 1; f < 97; f += 0.7) {
      const Triple c = at(f);
      CHECK(std::max({c[0], c[1], c[2]}) == Approx(1));
      CHECK(std::min({c[0], c[1], c[2]}) == Approx(0.2));
    }
    CHECK(periodOf(value(doc, "Lamp.color")) == 96);
    doc = atFrame(doc, 20);
    doc = setNow(doc, resolve(doc, "Lamp.color"), Triple{0.1, 0.9, 0.3});
    CHECK(at(20)[1] == Approx(0.9));
    CHECK(at(20)[2] == Approx(0.3));
    // White stays white.
    doc = setNow(doc, resolve(doc, "Lamp.color"), Triple{1, 1, 1});
    CHECK(at(40) == Triple{1, 1, 1});
  }
}

TEST_CASE("A mover and the keys baked from it place a thing alike", "[mover][truth36]") {
  Document doc = put(ringAndLamp(), "Picture.last_frame", "48");
  SECTION("spin, tilted") { doc = put(doc, "Ring.turn.spin.turns", "2"); }
  SECTION("spin about its own axis") { doc = put(put(doc, "Ring.turn.spin", "on"), "Ring.turn.spin.axis", "own y"); }
  SECTION("swing and wobble") { doc = put(put(doc, "Ring.turn.swing", "on"), "Ring.turn.wobble", "on"); }
  SECTION("orbit, bob and shake, and keys beneath") {
    doc = put(doc, "Ring.position",
              R"({"keys": [{"frame": 1, "value": [1, 0, 0], "shape": "smooth"}, {"frame": 40, "value": [2, 0, 1]}]})");
    for (const char* m : {"orbit", "bob", "shake"}) doc = put(doc, (std::string("Ring.position.") + m).c_str(), "on");
  }
  for (const char* param : {"Ring.position", "Ring.turn"}) {
    const Value v = value(doc, param);
    if (!v.moved()) continue;
    const bool turn = std::string(param) == "Ring.turn";
    const Keys keys = baked(v, def(doc, param), 1, 49, turn ? 0.05 : 1e-3);
    const Document with = setAt(doc, resolve(doc, param), keys);
    for (const Key& k : keys.keys) CHECK(apart(ringAt(doc, k.frame), ringAt(with, k.frame)) < 2e-6);
    for (double f = 1; f <= 49; f += 0.21) {
      CAPTURE(param, f);
      CHECK(apart(ringAt(doc, f), ringAt(with, f)) < (turn ? 0.0025 : 1.5e-3));
    }
    CHECK(keys.keys.size() < 400); // of 769, sixteen a frame
  }
}

TEST_CASE("Movers are kept in files and told in documents", "[mover][file]") {
  Document doc = ringAndLamp();
  doc = put(doc, "Ring.turn.spin.turns", "-2");
  doc = put(doc, "Ring.turn.spin.axis", "own z");
  doc = put(doc, "Ring.turn.wobble", "on");
  doc = put(doc, "Lamp.power", R"({"value": {"keys": [{"frame": 1, "value": 5}, {"frame": 9, "value": 50}]},
                                   "movers": [{"kind": "flicker", "depth": 0.25}]})");
  CHECK(fromJson(doc.sharedKinds(), toJson(doc)) == doc);
  CHECK(problems(doc).empty());
  CHECK(formatValue(doc, def(doc, "Lamp.power"), value(doc, "Lamp.power")) == "2 keys + flicker");
  CHECK(value(doc, "Lamp.power").anyKeys()->keys.size() == 2);
}

TEST_CASE("Movers that do not fit are refused with the place", "[mover]") {
  const Document doc = ringAndLamp();
  CHECK_THROWS_WITH(put(doc, "Ring.turn.spin.period", "0"), Catch::Contains("Period"));
  CHECK_THROWS_WITH(put(doc, "Ring.position.spin", "on"), Catch::Contains("spin") && Catch::Contains("orbit"));
  CHECK_THROWS_WITH(put(doc, "Ring.turn.spin.perod", "9"), Catch::Contains("spin.period"));
  CHECK_THROWS_WITH(put(doc, "Lamp.power", R"({"value": 5, "movers": [{"kind": "flickr"}]})"),
                    Catch::Contains("flickr"));
  CHECK_THROWS_WITH(put(doc, "Lamp.power", R"({"value": 5, "movers": []})"), Catch::Contains("without a mover"));
  CHECK_THROWS_WITH(put(doc, "Lamp.power", R"({"value": 5, "movers": [{"kind": "swing"}]})"),
                    Catch::Contains("cannot move this"));
  CHECK_THROWS_WITH(put(doc, "Lamp.power", R"({"value": 5, "movers": [{"kind": "pulse", "depth": 3}]})"),
                    Catch::Contains("depth"));
  CHECK_THROWS_WITH(put(doc, "Lamp.power", R"({"value": 5, "movers": [{"kind": "pulse"}, {"kind": "pulse"}]})"),
                    Catch::Contains("twice"));
}
