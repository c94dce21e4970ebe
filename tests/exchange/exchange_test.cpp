#include "core/base/colorspace.h"
#include "core/compile/balance.h"
#include "core/compile/compile.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/effects/route.h"
#include "core/exchange/assets.h"
#include "core/exchange/export.h"
#include "core/exchange/import.h"
#include "core/exchange/passes.h"
#include "core/exchange/picture_layers.h"
#include "core/exchange/readers.h"
#include "demo/starters.h"
#include "demo/sun_core.h"
#include "tests/support/scene.h"

#include <filesystem>

using namespace ilumbra;
using namespace ilumbra::test;
namespace fs = std::filesystem;

namespace {

Document glowingSet() {
  Set s(40, 30);
  s.look("0, 0.8, 3", "0, 0.3, 0", "40");
  s.lambert("Stone", "0.5, 0.5, 0.5");
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "2"}, {"material", "Stone"}});
  s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"position", "0.3, 0.3, 0"}, {"material", "Stone"}});
  s.add("light.point", "Lamp", {{"power", "900"}, {"radius", "0.1"}, {"position", "-0.5, 0.6, 0"}});
  s.add("light.sky", "Sky", {{"power", "4"}});
  s.add("effect.glow", "Shine", {{"from", "Lamp"}});
  s.add("lens.glow", "Halo", {{"sources", "Shine"}, {"size", "5 %"}});
  s.set(s.find("Shine"), {{"lens", "Halo"}});
  return s.take();
}

PictureFile rendered(const Document& doc, const Traced& t, const char* passes) {
  const LensResult r = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  return pictureFile(doc, 1, t.rendering, t.scene->groupScales, r, parsePasses(passes), pool());
}

const ColorViews& views() {
  static const ColorViews v;
  return v;
}

} // namespace

TEST_CASE("A multi-layer EXR holds every pass and is read back as it was", "[exchange][exr]") {
  TemporaryFolder folder;
  const Document doc = glowingSet();
  const Traced t = trace(doc, 8);
  const PictureFile whole = rendered(doc, t, "all"), out = whole.frame();
  writePicture(whole, folder / "all.exr", views(), "ACES SDR");
  const PictureFile in = readPicture(folder / "all.exr");
  CHECK(in.width == 40);
  REQUIRE(in.layers.size() >= out.layers.size());
  for (const FileLayer& l : out.layers) {
    const FileLayer* back = in.find(l.name);
    CAPTURE(l.name);
    REQUIRE(back);
    for (size_t c = 0; c < l.channels.size(); ++c) {
      const auto at =
          size_t(std::find(back->channels.begin(), back->channels.end(), l.channels[c]) - back->channels.begin());
      REQUIRE(at < back->channels.size());
      for (size_t i = 0; i < 1200; ++i) {
        const float a = l.data[i * l.channels.size() + c], b = back->data[i * back->channels.size() + at];
        if (l.fullFloat)
          REQUIRE(a == b);
        else
          REQUIRE(b == Approx(a).epsilon(1.0 / 1024).margin(1e-6));
      }
    }
  }
  CHECK(in.metadata.at("ilumbra/samples") == "8");
}

TEST_CASE("The layers of the lights sum to the picture without lens, in the file too", "[exchange][truth7]") {
  TemporaryFolder folder;
  const Document doc = glowingSet();
  const Traced t = trace(doc, 8);
  const PictureFile f = rendered(doc, t, "lights,sources").frame();
  const Picture all = f.picture("All light"), lamp = f.picture("Light of Lamp"), sky = f.picture("Light of Sky");
  for (size_t i = 0; i < all.rgb.size(); ++i)
    REQUIRE(lamp.rgb[i] + sky.rgb[i] == Approx(all.rgb[i]).epsilon(1e-5).margin(1e-7));
}

TEST_CASE("Lights that the balance puts into one layer leave as their sum, crossed with their ways too",
          "[exchange][passes]") {
  const Document doc = glowingSet();
  const Traced t = trace(doc, 8);
  const PictureFile apart = rendered(doc, t, "lights").frame();
  Document together = setBalance(doc, doc.findByName("Lamp")->id, "layer", std::string("Room"));
  CHECK(rendered(together, t, "lights").frame().find("Light of Room")); // of one light: another name
  together = setBalance(together, doc.findByName("Sky")->id, "layer", std::string("Room"));
  const PictureFile f = rendered(together, t, "lights").frame();
  CHECK_FALSE(f.find("Light of Lamp"));
  CHECK_FALSE(f.find("Light of Sky"));
  REQUIRE(f.find("Light of Room"));
  const Picture room = f.picture("Light of Room"), lamp = apart.picture("Light of Lamp"),
                sky = apart.picture("Light of Sky");
  for (size_t i = 0; i < room.rgb.size(); ++i)
    REQUIRE(room.rgb[i] == Approx(lamp.rgb[i] + sky.rgb[i]).epsilon(1e-5).margin(1e-7));
}

TEST_CASE("First-hit coverages sum to alpha, and the Cryptomatte in the file decodes to the mask inside",
          "[exchange][truth33]") {
  TemporaryFolder folder;
  const Document doc = glowingSet();
  const Traced t = trace(doc, 32);
  writePicture(rendered(doc, t, "identity"), folder / "id.exr", views(), "ACES SDR");
  const PictureFile in = readPicture(folder / "id.exr");
  std::vector<float> sum(1200, 0.0f);
  for (const Thing& thing : t.scene->things) {
    const std::vector<float> mask = decodeCryptomatte(in, thing.name);
    const auto index = uint16_t(&thing - t.scene->things.data());
    for (size_t i = 0; i < 1200; ++i) {
      const Film::Ranked& r = t.film().identity(i);
      float inside = 0;
      for (size_t k = 0; k < size_t(Film::ranks); ++k)
        if (r.thing[k] == index && r.weight[k] > 0) inside += r.weight[k];
      REQUIRE(mask[i] == Approx(inside / 32).margin(1e-6));
      sum[i] += mask[i];
    }
  }
  bool partial = false;
  for (size_t i = 0; i < 1200; ++i) {
    // No pixel here sees more things than ranks: nothing was dropped.
    REQUIRE(t.film().identity(i).dropped == 0);
    REQUIRE(sum[i] == Approx(t.film().alpha(i)).margin(1e-5));
    partial |= sum[i] > 0.05f && sum[i] < 0.95f;
  }
  CHECK(partial);
  bool found = false;
  for (const auto& [key, value] : in.metadata)
    found |= key.find("cryptomatte/") == 0 && key.find("/manifest") != std::string::npos &&
             value.find("\"Ball\"") != std::string::npos;
  CHECK(found);
}

TEST_CASE("Ranks that are full fall short by the dropped remainder", "[exchange][truth33]") {
  Film::Ranked r;
  for (uint16_t k = 0; k < 10; ++k)
    for (int n = 0; n <= k; ++n) r.add(k, 1);
  float kept = 0;
  for (const float w : r.weight) kept += w;
  CHECK(kept + r.dropped == Approx(55));
  CHECK(r.dropped > 0);
}

TEST_CASE("The lens applied to a rendered file is the lens of the render", "[exchange][lens]") {
  TemporaryFolder folder;
  const Document doc = glowingSet();
  const Traced t = trace(doc, 8);
  const PictureFile f = rendered(doc, t, "sources");
  const Picture again = lensOnFile(doc, 1, f, pool()).picture, whole = f.frame().picture();
  for (size_t i = 0; i < whole.rgb.size(); ++i)
    REQUIRE(again.rgb[i] == Approx(whole.rgb[i]).epsilon(1e-4).margin(1e-5));
  // Changed in the document, it changes on the file: no ray is needed.
  const Document stronger = setAt(doc, resolve(doc, "Halo.amount"), Constant(0.8));
  const LensResult direct = develop(stronger, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  const Picture onFile = lensOnFile(stronger, 1, f, pool()).picture;
  for (size_t i = 0; i < whole.rgb.size(); ++i)
    REQUIRE(onFile.rgb[i] == Approx(direct.picture.rgb[i]).epsilon(1e-4).margin(1e-5));
  CHECK(refusal([&] { lensOnFile(doc, 1, rendered(doc, t, ""), pool()); }).find("--passes sources") !=
        std::string::npos);
}

TEST_CASE("Light beside the frame is in the file too, and shines into it again", "[exchange][lens][overscan]") {
  TemporaryFolder folder;
  Set s(64, 48);
  s.look("0, 0, 4", "0, 0, 0", "36");
  s.add("light.point", "Lamp",
        {{"power", "60"}, {"radius", "0.15"}, {"position", "2.4, 0, 0"}}); // to the right of the frame
  s.add("object.sphere", "Ball", {{"radius", "0.3"}});
  s.add("lens.glow", "Halo", {{"sources", "Lamp"}, {"size", "40 %"}, {"amount", "100 %"}});
  Document doc = s.take();
  doc = setValue(doc, doc.settings().id, "overscan", Constant(0.5));
  const Traced t = trace(doc, 64);
  const PictureFile f = rendered(doc, t, "sources,depth");
  CHECK_FALSE(f.isFrame());
  CHECK(f.frameWidth == 64);
  CHECK(f.width > 64 + 40);
  writePicture(f, folder / "shot.exr", views(), "ACES SDR");
  const PictureFile all = readPicture(folder / "shot.exr", nullptr, true), frame = readPicture(folder / "shot.exr");
  CHECK(all.width == f.width);
  CHECK(all.left == f.left);
  CHECK(frame.width == 64);
  CHECK(frame.height == 48);
  const Picture whole = f.frame().picture(), again = lensOnFile(doc, 1, all, pool()).picture,
                without = lensOnFile(doc, 1, frame, pool()).picture;
  REQUIRE(again.width == 64);
  double truth = 0, lost = 0;
  for (size_t i = 0; i < whole.rgb.size(); ++i) {
    REQUIRE(again.rgb[i] == Approx(whole.rgb[i]).epsilon(2e-3).margin(1e-4));
    truth += double(whole.rgb[i]);
    lost += double(whole.rgb[i] - without.rgb[i]);
  }
  CHECK(lost > 0.3 * truth);
  // What is drawn in from beside the frame is there, and covers.
  Document drawn = addNode(doc, "lens.displace", "Push");
  for (const auto& [param, value] : {std::pair{"map", 1.0}, {"across", 0.25}, {"down", 0.0}})
    drawn = setValue(drawn, drawn.findByName("Push")->id, param, Constant(value));
  const LensResult pushed = lensOnFile(drawn, 1, all, pool()),
                   inside = develop(drawn, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  double brought = 0;
  for (size_t i = 0; i < whole.rgb.size(); ++i)
    REQUIRE(pushed.picture.rgb[i] == Approx(inside.picture.rgb[i]).epsilon(4e-3).margin(1e-3));
  for (size_t i = 0; i < pushed.alpha.size(); ++i) {
    REQUIRE(pushed.alpha[i] == Approx(inside.alpha[i]).epsilon(2e-3).margin(1e-3));
    if (i % 64 >= 52) brought = std::max(brought, double(pushed.alpha[i]));
  }
  CHECK(brought > 0.5);
  // What shows the picture sees the frame.
  writePicture(f, folder / "shot.png", views(), "ACES SDR");
  CHECK(readPicture(folder / "shot.png").width == 64);
}

TEST_CASE("A file whose pixels fill a part of the frame, or reach beyond it, is read as the frame", "[exchange][exr]") {
  TemporaryFolder folder;
  PictureFile f;
  f.width = 12;
  f.height = 8;
  f.layers.push_back({"", {"R", "G", "B", "A"}, true, {}});
  for (int i = 0; i < 12 * 8; ++i)
    f.layers[0].data.insert(f.layers[0].data.end(), {float(i % 12), float(i / 12), 2, 1});
  AssetCache cache;
  for (const auto& [left, top, w, h] : {std::tuple{3, 2, 5, 4}, {-4, -3, 20, 16}, {-2, 1, 9, 4}}) {
    CAPTURE(left, top);
    f.left = left;
    f.top = top;
    f.frameWidth = w;
    f.frameHeight = h;
    writePicture(f, folder / "window.exr", views(), "ACES SDR");
    const PictureFile whole = readPicture(folder / "window.exr", nullptr, true),
                      in = readPicture(folder / "window.exr");
    CHECK(whole.width == 12);
    CHECK(whole.left == left);
    REQUIRE(in.width == w);
    REQUIRE(in.height == h);
    const std::shared_ptr<const Image> image = cache.image(folder / "window.exr", -1);
    REQUIRE(image->width() == w);
    const Picture p = in.picture();
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) {
        const int sx = x + left, sy = y + top;
        const bool inside = sx >= 0 && sy >= 0 && sx < 12 && sy < 8;
        REQUIRE(p.color(x, y) == (inside ? Color(float(sx), float(sy), 2) : Color(0.0f)));
        REQUIRE(in.layers[0].data[4 * (size_t(y) * size_t(w) + size_t(x)) + 3] == (inside ? 1.0f : 0.0f));
      }
    // The lens on it works on the frame, with what lies beside it.
    Set s(w, h);
    s.look("0, 0, 4", "0, 0, 0");
    s.add("lens.grade", "Tones", {{"exposure", "1"}});
    const Picture out = lensOnFile(s.take(), 1, whole, pool()).picture;
    REQUIRE(out.width == w);
    REQUIRE(out.height == h);
    CHECK(out.at(w - 1, h - 1)[0] == 2 * p.at(w - 1, h - 1)[0]);
  }
}

TEST_CASE("The sources of a set with plates hold the plates' light too", "[exchange][lens][plate]") {
  TemporaryFolder folder;
  const Document shot = glowingSet();
  const Traced taken = trace(shot, 8);
  writePicture(rendered(shot, taken, "lights"), folder / "shot.exr", views(), "ACES SDR");
  Set s(40, 30);
  s.look("0, 0.8, 3", "0, 0.3, 0", "40");
  s.add("plate.picture", "Shot", {{"file", (folder / "shot.exr").c_str()}});
  s.add("layer.picture", "Chosen", {{"of", "Shot"}, {"layer", "Light of Lamp"}});
  s.add("light.point", "Lamp", {{"power", "900"}, {"radius", "0.1"}, {"position", "0.5, 0.6, 0"}});
  s.add("object.sphere", "Ball", {{"radius", "0.3"}, {"position", "0.3, 0.3, 0"}});
  s.add("lens.glow", "Halo", {{"sources", "Chosen"}, {"amount", "80 %"}, {"size", "5 %"}});
  s.add("lens.glow", "Second", {{"sources", "Lamp"}, {"amount", "80 %"}, {"size", "9 %"}});
  const Document doc = s.take();
  AssetCache cache;
  const Traced t = trace(doc, 8, 0, cache.assets(""));
  const PictureFile f = rendered(doc, t, "sources");
  const LensResult again = lensOnFile(doc, 1, f, pool());
  const Picture whole = f.frame().picture();
  for (size_t i = 0; i < whole.rgb.size(); ++i)
    REQUIRE(again.picture.rgb[i] == Approx(whole.rgb[i]).epsilon(1e-4).margin(1e-5));
  for (const StageResult& stage : again.stages) CHECK(stage.idle.empty());
}

TEST_CASE("On a picture from elsewhere stages find what they name by its Cryptomatte, a mask, or a layer of light",
          "[exchange][lens]") {
  const Document doc = glowingSet();
  const Traced t = trace(doc, 8);
  // As another program might write it: its Cryptomatte has lower-case channels and another name.
  PictureFile f = rendered(doc, t, "identity");
  for (FileLayer& l : f.layers)
    if (l.name.starts_with("CryptoObject")) {
      l.name = "ids" + l.name.substr(12);
      for (std::string& c : l.channels) c[0] = char(std::tolower(static_cast<unsigned char>(c[0])));
    }
  for (auto& [key, value] : f.metadata)
    if (key.ends_with("/name")) value = "ids";
  const std::string source = doc.find(sourcesOfStage(doc, *doc.findByName("Halo")).front())->name;
  const std::vector<float> covered = decodeCryptomatte(f, source);
  const LensResult r = lensOnFile(doc, 1, f, pool());
  REQUIRE(r.stages.size() == 1);
  const Picture& taken = r.stages[0].work.taken;
  const float amount = Params(*doc.findByName("Halo"), 1).real("amount");
  for (size_t i = 0; i < covered.size(); ++i)
    REQUIRE(taken.rgb[3 * i] == Approx(amount * covered[i] * f.picture().rgb[3 * i]).epsilon(1e-4).margin(1e-6));
  CHECK(*std::max_element(covered.begin(), covered.end()) > 0);
  // A plain mask by that name.
  PictureFile masked = rendered(doc, t, "");
  masked.layers.push_back({source, {"Y"}, false, std::vector<float>(covered.size(), 0.25f)});
  const LensResult m = lensOnFile(doc, 1, masked, pool());
  CHECK(m.stages[0].work.taken.rgb[0] == Approx(amount * 0.25f * masked.picture().rgb[0]).epsilon(1e-4));
  // A layer of light.
  PictureFile lit = rendered(doc, t, "");
  lit.layers.push_back({source, {"R", "G", "B"}, false, std::vector<float>(3 * covered.size(), 0.5f)});
  CHECK(lensOnFile(doc, 1, lit, pool()).stages[0].work.taken.rgb[10] == Approx(amount * 0.5f));
}

TEST_CASE("A plate's layers, masks and Cryptomattes are sources of the lens, over it and under a set",
          "[exchange][lens][plate]") {
  TemporaryFolder folder;
  const Document shot = glowingSet();
  const Traced taken = trace(shot, 8);
  PictureFile f = rendered(shot, taken, "identity,lights");
  f.layers.push_back({"Left half", {"Y"}, true, {}});
  for (int y = 0; y < f.height; ++y)
    for (int x = 0; x < f.width; ++x) f.layers.back().data.push_back(x < f.width / 2 ? 1.0f : 0.0f);
  const ColorViews views;
  writePicture(f, folder / "shot.exr", views, "ACES SDR");
  const std::vector<std::string> names = layerNames(readPicture(folder / "shot.exr"));
  for (const char* name : {"Ball", "Lamp", "Left half", "Light of Lamp"}) {
    INFO(name);
    CHECK(std::count(names.begin(), names.end(), name) == 1);
  }
  CHECK(std::none_of(names.begin(), names.end(), [](const std::string& n) { return n.starts_with("CryptoObject"); }));

  const auto lit = [&](const char* layer, bool over) {
    Set s(40, 30);
    s.look("0, 0.8, 3", "0, 0.3, 0", "40");
    s.add("plate.picture", "Shot", {{"file", (folder / "shot.exr").c_str()}});
    s.add("layer.picture", "Chosen", {{"of", "Shot"}, {"layer", layer}});
    s.add("effect.glow", "Shine", {{"from", "Chosen"}});
    s.add("lens.glow", "Halo", {{"sources", "Shine"}, {"amount", "100 %"}, {"size", "4 %"}});
    s.set(s.find("Shine"), {{"lens", "Halo"}});
    // Something of the set stands before it.
    if (over) s.add("object.sphere", "Dark ball", {{"radius", "0.3"}, {"position", "0.3, 0.3, 0"}});
    return s.take();
  };
  AssetCache cache;
  const Picture whole = readPicture(folder / "shot.exr").picture();
  const std::vector<float> ball = decodeCryptomatte(f, "Ball");
  const Picture lamp = readPicture(folder / "shot.exr").picture("Light of Lamp");
  for (const auto& [layer, share] : std::vector<std::pair<const char*, std::function<float(size_t)>>>{
           {"Ball", [&](size_t i) { return ball[i / 3] * whole.rgb[i]; }},
           {"Left half", [&](size_t i) { return i / 3 % 40 < 20 ? whole.rgb[i] : 0.0f; }},
           {"Light of Lamp", [&](size_t i) { return std::min(lamp.rgb[i], whole.rgb[i]); }},
           {"", [&](size_t i) { return whole.rgb[i]; }}}) {
    CAPTURE(layer);
    const Document doc = lit(layer, false);
    const Traced t = trace(doc, 1, 0, cache.assets(""));
    CHECK(t.scene->warnings.empty());
    REQUIRE(t.scene->bare());
    const LensResult r = developPlates(doc, 1, *t.scene, pool());
    REQUIRE(r.stages.size() == 1);
    for (size_t i = 0; i < whole.rgb.size(); ++i)
      REQUIRE(r.stages[0].work.taken.rgb[i] == Approx(share(i)).epsilon(2e-3).margin(1e-3));
    // Small, for looks.
    const LensResult small = SmallLens(*t.scene, t.film(), t.scene->groupScales, 1, 40, pool()).develop(doc, 1);
    CHECK(small.stages[0].work.taken.rgb == r.stages[0].work.taken.rgb);
    // The route knows that its light is in the plate.
    const LensResult developed = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
    const Route route =
        measureRoute(doc, doc.findByName("Shine")->id, 1, *t.scene, t.film(), t.scene->groupScales, developed, pool());
    CHECK(route.stations.front().reading == "in the plate");
    for (const Finding& finding : route.findings) CHECK(finding.text.find("gives no light") == std::string::npos);
    CHECK(route.spread > 0.5);
  }
  // What the set hides gives no light, and a stage acts where the layer is seen.
  const Document doc = lit("Ball", true);
  const Traced t = trace(doc, 16, 0, cache.assets(""));
  const LensResult r = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool());
  double left = 0, there = 0;
  for (size_t i = 0; i < whole.rgb.size(); ++i) {
    left += double(r.stages[0].work.taken.rgb[i]);
    there += double(ball[i / 3] * whole.rgb[i]);
  }
  CHECK(left < 0.2 * there); // its rim
  Document masked = addNode(lit("Left half", false), "lens.grade", "Darker", {});
  for (const auto& [name, value] :
       {std::pair{"Darker.exposure", "-2"}, {"Darker.acts_on", "Chosen"}, {"Halo.on", "off"}})
    masked =
        setAt(masked, resolve(masked, name), parseValue(masked, definitionAt(masked, resolve(masked, name)), value));
  const Traced m = trace(masked, 1, 0, cache.assets(""));
  const Picture graded = developPlates(masked, 1, *m.scene, pool()).picture;
  CHECK(graded.at(5, 15)[1] == Approx(0.25f * whole.at(5, 15)[1]).epsilon(5e-3).margin(1e-4));
  CHECK(graded.at(35, 15)[1] == Approx(whole.at(35, 15)[1]).epsilon(5e-3).margin(1e-4));
  // A name that the file does not have is told with those that it has.
  const Document wrong = lit("Bell", false);
  SceneCache scenes;
  const std::string said = refusal([&] {
    const ScenePtr s = compileScene(wrong, {.frame = 1, .queries = lensQueries(wrong)}, cache.assets(""), scenes);
    for (const std::string& text : s->warnings) throw std::runtime_error(text);
  });
  CHECK(said.find("\"Bell\"") != std::string::npos);
  CHECK(said.find("Ball") != std::string::npos);
}

TEST_CASE("PNG shows the picture through the exact view; alpha is unassociated", "[exchange][png]") {
  TemporaryFolder folder;
  const Document doc = glowingSet();
  const Traced t = trace(doc, 8);
  const PictureFile f = rendered(doc, t, "");
  std::vector<float> alpha(1200);
  for (size_t i = 0; i < 1200; ++i) alpha[i] = t.film().alpha(i);
  writePicture(f, folder / "plain.png", views(), "Plain sRGB");
  writePicture(f, folder / "alpha.png", views(), "Plain sRGB", &alpha);
  const PictureFile in = readPicture(folder / "plain.png");
  const std::vector<float> shown = views().exact(f.picture(), "Plain sRGB");
  const Picture back = in.picture();
  const std::vector<float> again = views().exact(back, "Plain sRGB");
  for (size_t i = 0; i < shown.size(); ++i) REQUIRE(again[i] == Approx(shown[i]).margin(1.6 / 255));
  CHECK(readPicture(folder / "alpha.png").find("")->channels.size() == 4);
  for (const char* name : {"x.jpg", "x.tif", "x.hdr"}) {
    writePicture(f, folder / name, views(), "ACES SDR");
    CHECK(readPicture(folder / name).width == 40);
  }
}

TEST_CASE("A picture that cannot be written says so and leaves nothing behind", "[exchange]") {
  TemporaryFolder folder;
  const Document doc = glowingSet();
  const PictureFile f = rendered(doc, trace(doc, 1), "");
  CHECK(refusal([&] { writePicture(f, folder / "no/where.exr", views(), "ACES SDR"); }).find("where.exr") !=
        std::string::npos);
  CHECK(refusal([&] { writePicture(f, folder / "x.webp", views(), "ACES SDR"); }).find(".exr, .png") !=
        std::string::npos);
  CHECK(fs::is_empty(folder.path()));
}

TEST_CASE("Passes by the way that light has come sum to the picture", "[exchange][passes]") {
  Set s(16, 16);
  s.look("0, 1, 3", "0, 0.2, 0", "40");
  s.lambert("White", "0.7, 0.7, 0.7");
  s.add("object.plane", "Floor", {{"width", "10"}, {"depth", "10"}, {"material", "White"}});
  s.add("object.box", "Block",
        {{"width", "0.5"}, {"height", "0.5"}, {"depth", "0.5"}, {"position", "0, 0.25, 0"}, {"material", "White"}});
  s.add("light.point", "Lamp", {{"power", "500"}, {"radius", "0.1"}, {"position", "0.6, 0.9, 0.5"}});
  const Document doc = s.take();
  const std::vector<std::string> passes = parsePasses("emission,direct,indirect");
  SceneCache cache;
  Rendering r(compileScene(doc, {.queries = passQueries(passes)}, noAssets(), cache));
  const CancelFlag cancel;
  r.advance(pool(), 8, cancel);
  const LensResult developed = develop(doc, 1, r.scene(), r.film(), r.scene().groupScales, pool());
  const PictureFile file = pictureFile(doc, 1, r, r.scene().groupScales, developed, passes, pool());
  const Picture whole = file.picture(), a = file.picture("Emission"), b = file.picture("Direct"),
                c = file.picture("Indirect");
  double parts[3] = {0, 0, 0};
  for (size_t i = 0; i < whole.rgb.size(); ++i) {
    REQUIRE(a.rgb[i] + b.rgb[i] + c.rgb[i] == Approx(whole.rgb[i]).epsilon(1e-4).margin(1e-6));
    parts[0] += double(a.rgb[i]);
    parts[1] += double(b.rgb[i]);
    parts[2] += double(c.rgb[i]);
  }
  for (const double p : parts) CHECK(p > 0);
}
