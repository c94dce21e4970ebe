// What holds for every effect, and the parts of flares, apparitions, edge lights, shafts over the picture and filmed
// water.
#include "core/document/file.h"
#include "core/document/units.h"
#include "core/effects/effect.h"
#include "core/effects/softbox.h"
#include "tests/support/route.h"

#include <fmt/format.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Document with(const Document& doc, const std::string& address, const char* text) {
  const Address a = resolve(doc, address);
  return setAt(doc, a, parseValue(doc, definitionAt(doc, a), text));
}

// Made from nothing in an empty set; `name` receives what it is called.
Document fromNothing(const char* kind, std::string& name, std::vector<std::string>* told = nullptr) {
  Set s(96, 64);
  s.settings({{"samples", "8"}});
  NodeId made = 0;
  const Document doc = addEffect(s.take(), kind, {}, &made, told);
  name = doc.find(made)->name;
  return doc;
}

Picture picture(const Document& doc) {
  const Traced t = trace(doc, 4);
  return develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool()).picture;
}

std::string named(const Document& doc, const std::string& effect, const char* role, size_t index = 0) {
  return doc.find(roleOf(doc, *doc.findByName(effect), role).at(index))->name;
}

} // namespace

TEST_CASE("Every effect is made from nothing in one act: it shows, says its route, and is seen to be off when it is",
          "[effects][every]") {
  for (const EffectKind& k : allEffects()) {
    CAPTURE(k.kind.id);
    std::string name;
    std::vector<std::string> told;
    const Document doc = fromNothing(k.kind.id.c_str(), name, &told);
    CHECK(!told.empty());
    CHECK(problems(doc).empty());
    CHECK(fromJson(kinds(), toJson(doc)) == doc);
    const Route r = measured(doc, name.c_str(), 16);
    std::string findings;
    for (const Finding& f : r.findings) findings += f.text + "\n";
    CAPTURE(findings);
    CHECK(stateWord(r, true) == "works");
    REQUIRE(r.stations.size() >= 2);
    for (const Station& s : r.stations) {
      CAPTURE(s.label, s.name);
      CHECK(std::isfinite(s.share));
      CHECK(s.share >= 0);
      CHECK(s.share <= 1 + 1e-6);
      CHECK(s.name != "empty");
    }
    // On it gives light that is not there without it, or takes some.
    const Document off = with(doc, name + ".on", "off");
    CHECK((picture(doc) != picture(off)));
    CHECK(find(measured(off, name.c_str(), 4), "is off"));
  }
}

TEST_CASE("A flare has whole looks, each of stages of its own that take its lamps alone", "[effects][flare]") {
  std::string name;
  const Document doc = fromNothing("effect.flare", name);
  const NodeId effect = doc.findByName(name)->id;
  const std::vector<EffectLook> looks = effectKind(*doc.find(effect))->looks;
  REQUIRE(looks.size() >= 10);
  const size_t nodes = doc.nodes().size() - roleOf(doc, *doc.find(effect), "lens").size();
  std::set<std::string> shown;
  for (const EffectLook& look : looks) {
    CAPTURE(look.name);
    const Document now = look.apply(doc, effect);
    const std::vector<NodeId> parts = roleOf(now, *now.find(effect), "lens");
    CHECK(!parts.empty());
    CHECK(now.nodes().size() == nodes + parts.size()); // what was before is gone
    CHECK(problems(now).empty());
    for (const NodeId id : parts)
      CHECK(Params(*now.find(id), 1).references("sources") == std::vector<Reference>{{effect, nullptr}});
    const Route r = measured(now, name.c_str(), 8);
    std::string findings;
    for (const Finding& f : r.findings) findings += f.text + "\n";
    CAPTURE(findings);
    CHECK(stateWord(r, true) == "works");
    CHECK(r.pictureShare > 0.01);
    shown.insert(fmt::format("{:.5f}", r.pictureShare));
    CHECK(look.apply(now, effect).nodes().size() == now.nodes().size());
  }
  CHECK(shown.size() == looks.size()); // no two alike
  // A stage that another effect uses too stays with that.
  NodeId other = 0;
  Document shared = addNode(doc, "effect.flare", "Other", {}, &other);
  const NodeId part = roleOf(doc, *doc.find(effect), "lens").front();
  shared = setValue(shared, other, "lens", Constant(std::vector<Reference>{{part, nullptr}}));
  const Document changed = looks.back().apply(shared, effect);
  CHECK(changed.find(part));
  CHECK(roleOf(changed, *changed.find(other), "lens") == std::vector<NodeId>{part});
}

TEST_CASE("What keeps an apparition from showing is found and mended", "[effects][apparition]") {
  std::string name;
  const Document doc = fromNothing("effect.apparition", name);
  const std::string veil = named(doc, name, "from");
  checkMends(with(doc, veil + ".own_light", "0"), name.c_str(), 4, "gives no light");
  CHECK(station(measured(doc, name.c_str(), 4), "through").reading.find("at the rim") != std::string::npos);
  // Half of its keys taken away it is solid.
  Document solid = doc;
  for (const NodeId key : std::vector<NodeId>(solid.findByName(veil)->children.at("veil")))
    solid = removeNode(solid, key);
  checkMends(solid, name.c_str(), 4, "is solid");
  Document covers = with(doc, veil + ".veil_additive", "0");
  checkMends(covers, name.c_str(), 4, "covers what is behind it");
  // What is a veil already keeps its look.
  NodeId again = 0;
  const Document twice = addEffect(doc, "effect.hologram", {doc.findByName("Cloak")->id}, &again, nullptr);
  CHECK(Params(*twice.findByName("Cloak"), 1).reference("material").target == doc.findByName(veil)->id);
}

TEST_CASE("What keeps an edge light from showing is found and mended", "[effects][edge]") {
  std::string name;
  const Document doc = fromNothing("effect.edge_light", name);
  const std::string mask = named(doc, name, "look"), light = named(doc, name, "from");
  checkMends(with(doc, mask + ".power", "0.2"), name.c_str(), 4, "all over the body");
  checkMends(with(doc, mask + ".power", "90"), name.c_str(), 4, "so thin");
  checkMends(with(doc, light + ".own_light", "0"), name.c_str(), 4, "gives no light");
  // The body wears again what it wore when it leaves.
  const NodeId knot = roleOf(doc, *doc.findByName(name), "onto").front();
  const Document left = leaveRole(doc, doc.findByName(name)->id, "onto", knot);
  CHECK(Params(*left.find(knot), 1).reference("material").target == doc.findByName("Lacquer")->id);
}

TEST_CASE("What keeps shafts over the picture from showing is found and mended", "[effects][shafts]") {
  std::string name;
  const Document doc = fromNothing("effect.screen_shafts", name);
  const std::string stage = named(doc, name, "lens");
  CHECK(Params(*doc.findByName(stage), 1).text("rays_of") == "shadow");
  checkMends(with(doc, stage + ".length", "1 %"), name.c_str(), 4, "so short");
  checkMends(with(doc, stage + ".centre_by", "frame"), name.c_str(), 4, "do not come from");
  // Another light in Centre is followed.
  NodeId other = 0;
  Document moved = addNode(doc, "light.point", "Other", {}, &other);
  moved = with(moved, "Other.position", "0, 0.4, -1");
  moved = fillRoles(leaveRole(moved, moved.findByName(name)->id, "centre", doc.findByName("Lamp")->id),
                    moved.findByName(name)->id, {other}, nullptr, "centre");
  CHECK(Params(*moved.findByName(stage), 1).reference("centre_at").target == other);
}

TEST_CASE("What keeps filmed water from showing is found and mended", "[effects][water]") {
  std::string name;
  const Document doc = fromNothing("effect.filmed_water", name);
  const std::string copy = named(doc, name, "lens", 0), push = named(doc, name, "lens", 1);
  checkMends(with(doc, copy + ".amount", "0"), name.c_str(), 4, "copies nothing");
  checkMends(with(with(doc, push + ".across", "0"), push + ".down", "0"), name.c_str(), 4, "pushes nothing");
  // Footage that comes later is what pushes.
  const Document filmed =
      fillRoles(doc, doc.findByName(name)->id, {doc.family("plate").front()->id}, nullptr, "through");
  CHECK(Params(*filmed.findByName(push), 1).text("map_from") == "layer");
}

TEST_CASE("A softbox is placed by pointing at where it is to be mirrored", "[effects][softbox]") {
  std::string name;
  const Document doc = fromNothing("effect.softbox", name);
  const Traced t = trace(doc, 1);
  const NodeId panel = roleOf(doc, *doc.findByName(name), "from").front();
  // The ball's middle mirrors what is about the camera: placed there, the panel faces it.
  std::string why;
  const Document placed = placedPanel(doc, panel, *t.scene, 48, 32, &why);
  CHECK(why.empty());
  const auto vec = [](const Triple& p) { return V3f(float(p[0]), float(p[1]), float(p[2])); };
  const V3f at = vec(Params(*placed.find(panel), 1).triple("position")),
            to = vec(Params(*placed.find(panel), 1).triple("target"));
  const V3f eye = t.scene->camera.position(),
            normal = normalize(to - vec(Params(*doc.findByName("Black ball"), 1).triple("position")));
  const V3f way = normalize(to - eye), off = way - normal * (2 * dot(way, normal));
  CHECK(dot(normalize(at - to), off) > 0.9999f);
  const V3f before = vec(Params(*doc.find(panel), 1).triple("position"));
  CHECK(length(at - to) == Approx(length(before - to)).epsilon(1e-3));
  // And there the picture shows it.
  const Document lone = with(placed, "Strip.on", "off");
  const Picture p = luminances(trace(lone, 16));
  const auto lum = [&](int x, int y) { return p.rgb[3 * (size_t(y) * 96 + size_t(x))]; };
  CHECK(lum(48, 32) > 4 * lum(48, 14));
  const Document bare = removeNode(doc, doc.findByName("Table")->id);
  CHECK(placedPanel(bare, panel, *trace(bare, 1).scene, 2, 2, &why) == bare);
  CHECK(!why.empty());
}
