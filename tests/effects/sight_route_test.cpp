// Glass, mirrors and bodies that light enters: their shares against closed forms, and what is found about them.
#include "core/compile/compile.h"
#include "core/document/units.h"
#include "core/effects/sight_probe.h"
#include "core/effects/slab.h"
#include "core/lens/queries.h"
#include "core/surface/material.h"
#include "tests/support/route.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document with(const Document& doc, const char* address, const char* text) {
  const Address a = resolve(doc, address);
  return setAt(doc, a, parseValue(doc, definitionAt(doc, a), text));
}

// A block of glass before a lit wall, looked at nearly straight on.
Document glassSet() {
  Set s(64, 64);
  s.look("0, 0, 20", "0, 0, 0", "300");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("material.surface", "Glass", {{"transmission", "1"}, {"roughness", "0"}, {"ior", "1.5"}});
  s.add("object.box", "Block", {{"width", "1"}, {"height", "1"}, {"depth", "0.2"}, {"material", "Glass"}});
  s.add("object.box", "Wall",
        {{"width", "30"}, {"height", "30"}, {"depth", "0.1"}, {"position", "0, 0, -3"}, {"material", "Stone"}});
  s.add("light.sky", "Sky", {{"power", "200"}});
  s.add("effect.glass", "Clear", {{"through", "Block"}});
  return s.take();
}

Document mirrorSet() {
  Set s(64, 64);
  s.look("0, 0, 6", "0, 0, 0", "100");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("material.surface", "Metal", {{"base_color", "0.8, 0.8, 0.8"}, {"metalness", "1"}, {"roughness", "0"}});
  s.add("object.box", "Mirror", {{"width", "1"}, {"height", "1"}, {"depth", "0.02"}, {"material", "Metal"}});
  s.add("object.sphere", "Ball", {{"radius", "0.6"}, {"position", "4, 0, 3"}, {"material", "Stone"}});
  s.add("light.area", "Panel",
        {{"form", "ball"}, {"width", "3"}, {"height", "3"}, {"power", "4000"}, {"position", "0, 0, 12"}});
  s.add("light.sky", "Sky", {{"power", "5"}});
  s.add("effect.reflection", "Mirrored", {{"onto", "Mirror"}});
  return s.take();
}

// A ball that light enters, with a lamp straight behind it.
Document waxSet() {
  Set s(64, 64);
  s.look("0, 0, 8", "0, 0, 0", "100");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("material.surface", "Wax",
        {{"subsurface", "1"},
         {"subsurface_depth", "40 mm"},
         {"subsurface_color", "0.9, 0.9, 0.9"},
         {"roughness", "0.6"}});
  s.add("object.sphere", "Ball", {{"radius", "0.5"}, {"material", "Wax"}});
  s.add("light.point", "Lamp", {{"power", "3000"}, {"radius", "0"}, {"position", "0, 0, -2"}});
  s.add("effect.translucency", "Through it", {{"from", "Lamp"}, {"through", "Ball"}});
  return s.take();
}

SightProbe probe(const Document& doc, const char* name) {
  const Traced t = trace(doc, 1);
  std::set<uint16_t> things;
  for (size_t k = 0; k < t.scene->things.size(); ++k)
    if (t.scene->things[k].node == doc.findByName(name)->id) things.insert(uint16_t(k));
  return probeSight(*t.scene, things);
}

} // namespace

TEST_CASE("Of sight through a block of glass the closed form of a slab comes by, clear and absorbing",
          "[effects][sight]") {
  const double r = 0.04; // of each face, at normal incidence, index 1.5
  for (const double depth : {0.0, 0.2}) {
    Document doc = with(glassSet(), "Glass.attenuation_color", "0.5, 0.5, 0.5");
    doc = setAt(doc, resolve(doc, "Glass.attenuation_depth"), Constant(depth));
    const SightProbe p = probe(doc, "Block");
    const double t = depth > 0 ? 0.5 : 1; // of one way through
    // Let in by the first face, out by the far one or, after one turn more, by the near one.
    const double far = (1 - r) * t * (1 - r) / (1 - r * r * t * t), near = far * r * t;
    CAPTURE(depth);
    CHECK(double(p.mirrored.x) == Approx(r).epsilon(0.04));
    CHECK(double(p.through.x) == Approx(far + near).epsilon(0.01));
    CHECK(double(p.kept().x) == Approx(1 - r - far - near).margin(0.01));
    // Half of the picture's width is the block's: 1 m at 20 m through 300 mm before a frame of 36 mm.
    CHECK(p.share == Approx(std::pow(1.0 / 19.9 * 300 / 36, 2)).epsilon(0.03));
    double chord = 0;
    for (const SightRay& ray : p.rays) chord += double(ray.chord) / double(p.rays.size());
    CHECK(chord == Approx(0.2).epsilon(0.01));
  }
}

TEST_CASE("A mirror sends back what its metal does, to where the law of mirrors says", "[effects][sight]") {
  const Document doc = mirrorSet();
  const SightProbe p = probe(doc, "Mirror");
  CHECK(double(p.mirrored.x) == Approx(0.8).epsilon(0.01));
  CHECK(maxComponent(p.through) == 0);
  for (const SightRay& ray : p.rays) {
    if (!ray.ends) continue;
    const V3f mirror = ray.way - ray.normal * (2 * dot(ray.way, ray.normal)),
              goes = ray.thing < 0 ? ray.end : normalize(ray.end - ray.place);
    REQUIRE(dot(mirror, goes) > 0.99999f);
  }
  // All that the mirror shows of the ball of light is the effect's share, and nothing else gives light in the frame.
  const Route r = measured(with(doc, "Sky.on", "off"), "Mirrored", 16);
  CHECK(r.pictureShare == Approx(1).margin(0.01));
  CHECK(station(r, "onto").share == Approx(double(luminance(p.mirrored))).epsilon(1e-3));
}

TEST_CASE("Shares of what is seen through glass, mirrored off it and beside it are one picture", "[effects][sight]") {
  // A pane across half of the frame before an even wall: each face takes what it mirrors.
  Document doc = glassSet();
  const Route r = measured(doc, "Clear", 32);
  const Traced t = trace(doc, 32);
  const LayerQuery through = sightLayer(doc, *doc.findByName("Clear"));
  REQUIRE(through.seen == SeenThrough);
  const double all = mean(luminances(t)), mine = mean(luminances(t, layerIndex(*t.scene, through)));
  CHECK(r.pictureShare == Approx(mine / all).epsilon(0.02));
  const double area = std::pow(1.0 / 19.9 * 300 / 36, 2), r1 = 0.04, f = (1 - r1) / (1 + r1);
  // The wall behind is lit through the block too, at its place; so it is only nearly the closed form.
  CHECK(r.pictureShare == Approx(area * f).epsilon(0.15));
}

TEST_CASE("Through a slab goes what diffusion says, and half at the thickness that is told", "[effects][sight]") {
  Interior m;
  m.extinction = Color(100.0f);
  m.albedo = Color(1.0f);
  // Without absorption: (z + e) / (L + 2 e).
  CHECK(slabTransmittance(m, 0.1) == Approx((0.01 + 0.02 / 3) / (0.1 + 0.04 / 3)).epsilon(1e-4));
  m.albedo = Color(0.9f);
  m.anisotropy = 0.5f;
  const double a = 10, s = 45, k = std::sqrt(3 * a * (a + s));
  // Deep in, it falls by e for each 1 / κ.
  CHECK(std::log(slabTransmittance(m, 0.5) / slabTransmittance(m, 0.6)) == Approx(0.1 * k).epsilon(1e-3));
  CHECK(slabTransmittance(m, halfThrough(m)) == Approx(0.5).epsilon(1e-4));
  CHECK(slabTransmittance(m, 100) == Approx(0).margin(1e-30));
  CHECK(halfThrough(Interior()) == 0);
}

TEST_CASE("Light that falls on a body is told by where it falls", "[effects][sight]") {
  const Document doc = waxSet();
  const Route r = measured(doc, "Through it", 4);
  // Of a point lamp at two metres the ball has the share of its cone; all of it on the far side.
  const double sine = 0.5 / 2, share = 0.5 * (1 - std::sqrt(1 - sine * sine));
  CHECK(station(r, "through").share == Approx(share).epsilon(0.03));
  CHECK(r.seen == Approx(1).margin(0.01));
  // From inside all of its light meets the wall.
  const Route inside = measured(with(doc, "Lamp.position", "0.1, 0, 0"), "Through it", 4);
  CHECK(station(inside, "through").share == Approx(1).epsilon(0.05));
  CHECK(inside.seen == Approx(1).margin(0.01));
}

TEST_CASE("Effects of bodies that are off leave the bodies out, dark or matte", "[effects][sight]") {
  const auto picture = [](const Document& doc) { return luminances(trace(doc, 4)); };
  const Document glass = glassSet();
  CHECK((picture(with(glass, "Clear.on", "off")) == picture(with(glass, "Block.shown", "off"))));
  const Document mirror = mirrorSet();
  const Picture off = picture(with(mirror, "Mirrored.on", "off"));
  CHECK(mean(off, {28, 28, 8, 8}) == 0);
  CHECK(mean(picture(mirror), {28, 28, 8, 8}) > 0);
  const Document wax = waxSet();
  CHECK(mean(picture(with(wax, "Through it.on", "off")), {28, 28, 8, 8}) == 0);
  CHECK(mean(luminances(trace(wax, 64)), {20, 20, 24, 24}) > 0);
}

TEST_CASE("Why glass shows nothing is found and mended", "[effects][sight][finding]") {
  const Document doc = glassSet();
  CHECK(measured(doc, "Clear", 4).findings.empty());
  const auto mends = [](const Document& d, const char* words) { checkMends(d, "Clear", 4, words); };
  mends(with(doc, "Glass.ior", "1"), "bends nothing");
  mends(with(doc, "Glass.transmission", "0"), "is not clear");
  mends(with(doc, "Glass.roughness", "0.8"), "frosted");
  mends(with(doc, "Block.shown", "off"), "not shown");
  mends(with(doc, "Block.seen", "off"), "switched off for the camera");
  mends(with(doc, "Camera.target", "30, 0, 0"), "not in the picture");
  mends(with(doc, "Block.light_through", "blocked"), "shadow of a solid");
  mends(with(doc, "Block.light_through", "focused"), "by chance alone");
  mends(with(doc, "Clear.on", "off"), "is off");
  const Document black = with(with(doc, "Glass.attenuation_color", "0.1, 0.2, 0.1"), "Glass.attenuation_depth", "5 mm");
  mends(black, "its colour takes");
  // With the depth that is offered half gets through.
  const Route route = measured(black, "Clear", 4);
  const Document mended = applyMend(black, find(route, "its colour takes")->mends.front());
  CHECK(station(measured(mended, "Clear", 4), "through").share == Approx(0.5 * 0.92).epsilon(0.06));
  mends(with(with(doc, "Glass.attenuation_color", "0, 0, 0"), "Glass.attenuation_depth", "5 mm"),
        "black through and through");
  mends(with(with(doc, "Picture.bounces", "1"), "Block.light_through", "straight"), "bounce 1 times");
  // Water that stands in a glass face to face.
  Document filled = addNode(doc, "object.box", "Water");
  for (const auto& [a, v] : {std::pair{"Water.width", "1"},
                             {"Water.height", "1"},
                             {"Water.depth", "0.1"},
                             {"Water.position", "0, 0, -0.15"},
                             {"Water.material", "Glass"}})
    filled = with(filled, a, v);
  mends(filled, "faces in one place");
  Document within = addNode(doc, "object.sphere", "Pearl");
  within = with(with(within, "Pearl.radius", "0.05"), "Pearl.material", "Stone");
  CHECK(find(measured(within, "Clear", 4), "Inside it stands Pearl"));
  CHECK(find(measured(with(doc, "Clear.through", "none"), "Clear", 4), "Through is empty"));
}

TEST_CASE("Why a mirror shows nothing is found and mended", "[effects][sight][finding]") {
  const Document doc = mirrorSet();
  CHECK(measured(doc, "Mirrored", 8).findings.empty());
  const auto mends = [](const Document& d, const char* words) { checkMends(d, "Mirrored", 8, words); };
  mends(with(doc, "Metal.roughness", "0.8"), "too rough");
  mends(with(with(doc, "Metal.metalness", "0"), "Metal.specular", "0"), "of what is around it");
  mends(with(doc, "Mirrored.from", "Ball"), "is not in the reflection");
  mends(with(with(doc, "Mirrored.from", "Panel"), "Panel.stops", "-14"), "Nothing bright enough");
  mends(with(with(doc, "Mirrored.from", "Panel"), "Panel.stops", "8"), "above white");
  // Turned by the mend, the mirror shows the ball in its middle.
  const Document wants = with(doc, "Mirrored.from", "Ball");
  const Document turned = applyMend(wants, find(measured(wants, "Mirrored", 4), "is not in")->mends.front());
  CHECK(station(measured(turned, "Mirrored", 4), "from").reading != "0 % of what it mirrors");
  CHECK(measured(turned, "Mirrored", 4).seen > 0.2);
}

TEST_CASE("Why no light comes through a body is found and mended", "[effects][sight][finding]") {
  const Document doc = waxSet();
  CHECK(measured(doc, "Through it", 8).findings.empty());
  const auto mends = [](const Document& d, const char* words) { checkMends(d, "Through it", 8, words); };
  mends(with(doc, "Wax.subsurface", "0"), "lets no light in");
  mends(with(doc, "Wax.subsurface_depth", "0.2 mm"), "it looks matte");
  mends(with(doc, "Wax.subsurface_depth", "20 m"), "it looks like mist");
  mends(with(doc, "Lamp.position", "0, 0, 2"), "on the front");
  mends(with(doc, "Lamp.power", "0"), "gives no light");
  Document front = addNode(doc, "light.point", "Key");
  front = with(with(front, "Key.position", "0, 1, 6"), "Key.power", "60000");
  mends(front, "Other light on it");
}
