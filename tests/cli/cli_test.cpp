// The command line, as a person or a script meets it: the real program.
#include "core/base/files.h"
#include "core/compile/camera.h"
#include "core/document/file.h"
#include "core/exchange/picture_file.h"
#include "tests/cli/command_line.h"

#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>

using namespace ilumbra;
using namespace ilumbra::test;
using Json = nlohmann::json;
namespace fs = std::filesystem;

TEST_CASE("Starters are listed and written, and check finds nothing", "[cli]") {
  TemporaryFolder folder;
  const Outcome list = cli("starters");
  CHECK(list.code == 0);
  CHECK(list.out.find("sun-core") == 0);
  REQUIRE(cli("new sun-core -o " + (folder / "a.ilum")).code == 0);
  CHECK(fs::exists(folder / "orrery-assets/pierced-shade.glb"));
  CHECK(cli("check " + (folder / "a.ilum")).code == 0);
  fs::remove(folder / "orrery-assets/pierced-shade.glb");
  refused("check " + (folder / "a.ilum"), 3, "Pierced shade");
  refused("new moon-core -o " + (folder / "b.ilum"), 2, "sun-core");
  // Without a name: an empty scene, to put things into.
  REQUIRE(cli("new -o " + (folder / "c.ilum")).code == 0);
  REQUIRE(cli("add " + (folder / "c.ilum") + " object.sphere Ball radius=0.2 -o " + (folder / "c.ilum")).code == 0);
  CHECK(cli("show " + (folder / "c.ilum")).out.find("Ball") != std::string::npos);
}

TEST_CASE("Kinds come from the table, for people and as JSON", "[cli]") {
  const Json all = Json::parse(cli("kinds --json").out);
  CHECK(all["kinds"].size() == kinds()->all().size());
  const Json lamp = Json::parse(cli("kinds light.point --json").out);
  CHECK(lamp["id"] == "light.point");
  CHECK(lamp["parameters"].size() == kinds()->find("light.point")->params.size());
  CHECK(cli("kinds lens.glow").out.find("amount") != std::string::npos);
  refused("kinds light.torch", 2, "light.torch");
}

TEST_CASE("Values are shown, set with units and added", "[cli]") {
  TemporaryFolder folder;
  const std::string a = folder / "a.ilum", b = folder / "b.ilum";
  REQUIRE(cli("new sun-core -o " + a).code == 0);
  CHECK(cli("show " + a).out.find("Sun core  (object.sphere)") != std::string::npos);
  CHECK(cli("show " + a + " \"Sun core.radius\"").out == "13 mm\n");
  REQUIRE(cli("set " + a + " \"Sun core.radius=2 cm\" \"Halo.amount=35 %\" -o " + b).code == 0);
  CHECK(cli("show " + b + " \"Sun core.radius\"").out == "20 mm\n");
  CHECK(Json::parse(cli("show " + b + " Halo.amount --json").out)["value"] == 0.35);
  REQUIRE(cli("add " + b + " light.point \"New lamp\" power=500 \"position=0, 1, 0\" -o " + b).code == 0);
  CHECK(cli("show " + b + " \"New lamp.power\"").out == "500 lm\n");
  const std::string c = folder / "c.ilum";
  REQUIRE(cli("add " + b + " modifier.shell Wall thickness=5mm --into \"Sun core\" -o " + c).code == 0);
  CHECK(cli("show " + c + " Wall.thickness").out == "5 mm\n");
  CHECK(cli("check " + c).code == 0);
  refused("add " + b + " modifier.shell Wall --into Nobody -o " + c, 3, "Nobody");
  refused("add " + b + " modifier.shell Wall --into Halo -o " + c, 3, "does not take");
  // One of several lists by its name.
  REQUIRE(cli("add " + b + " lens.grade Tones -o " + c).code == 0);
  REQUIRE(cli("add " + c + " curve.tone Knee at=-3 value=-2 --into Tones.red -o " + c).code == 0);
  CHECK(readDocument(kinds(), c).findByName("Tones")->children.at("red").size() == 1);
  refused("add " + c + " curve.tone Other --into Tones.violet -o " + c, 3, "violet");
  refused("add " + c + " curve.lean Other --into Tones.red -o " + c, 3, "does not take");
  const Json differences = Json::parse(cli("compare " + a + " " + b + " --json").out);
  CHECK(differences["equal"] == false);
  CHECK(differences["differences"].size() == 3);
  CHECK(cli("compare " + a + " " + a).out == "no difference\n");
  refused("set " + a + " \"Sun core.radius=-1\" -o " + b, 3, "below the least");
  refused("set " + a + " Nobody.power=1 -o " + b, 3, "Nobody");
  refused("set " + a + " nonsense -o " + b, 2, "NAME.PARAM=VALUE");
  refused("set " + a + " Halo.amount=1 -o " + (folder / "no/where.ilum"), 4, "cannot be written");
}

TEST_CASE("Render writes the picture and reports what was measured", "[cli]") {
  TemporaryFolder folder;
  const std::string a = folder / "a.ilum", p = folder / "p.exr";
  REQUIRE(cli("new sun-core -o " + a).code == 0);
  const Outcome o = cli("render " + a + " -o " + p + " --size 96x54 --samples 4 --passes all --json");
  REQUIRE(o.code == 0);
  const Json j = Json::parse(o.out);
  CHECK(j["samples"] == 4);
  CHECK(j["width"] == 96);
  CHECK(j["rays"] > 96 * 54 * 4);
  CHECK(j["peak_memory_mib"] > 1);
  // The same pixels on one thread and on two.
  REQUIRE(cli("render " + a + " -o " + (folder / "one.exr") + " --size 96x54 --samples 4 --threads 1").code == 0);
  REQUIRE(cli("render " + a + " -o " + (folder / "two.exr") + " --size 96x54 --samples 4 --threads 2").code == 0);
  CHECK(cli("compare " + (folder / "one.exr") + " " + (folder / "two.exr")).out == "equal\n");
  // The lens alone on the file is the picture again, but for the file's half floats.
  REQUIRE(cli("lens " + p + " " + a + " -o " + (folder / "again.exr")).code == 0);
  const Json c = Json::parse(cli("compare " + p + " " + (folder / "again.exr") + " --json").out);
  CHECK(c["rms"] < 0.5);
  CHECK(std::abs(c["mean_stops"].get<double>()) < 0.01);
  // A value for this picture only.
  REQUIRE(cli("render " + a + " -o " + (folder / "dark.exr") +
              " --size 96x54 --samples 4 --set Camera.ev100=8.5 --set Picture.firefly_limit=0.125")
              .code == 0);
  CHECK(Json::parse(cli("compare " + p + " " + (folder / "dark.exr") + " --json").out)["mean_stops"].get<double>() ==
        Approx(-3).margin(0.02));
}

TEST_CASE("The lens goes over a sequence of pictures, frame by frame, and says what does nothing", "[cli]") {
  TemporaryFolder folder;
  const std::string a = folder / "a.ilum", in = folder / "in.exr", out = folder / "out.exr";
  REQUIRE(cli("new sun-core -o " + a).code == 0);
  REQUIRE(cli("render " + a + " -o " + in + " --size 48x27 --samples 1 --frames 1-3 --no-lens --passes sources").code ==
          0);
  // Grain changes from frame to frame on the same light; a vignette without an amount rests.
  REQUIRE(cli("add " + a + " lens.vignette Corners amount=0 -o " + a).code == 0);
  REQUIRE(cli("add " + a + " lens.grain Grain -o " + a).code == 0);
  const Outcome o = cli("lens " + in + " " + a + " -o " + out + " --frames 1-3 --json");
  INFO(o.err);
  REQUIRE(o.code == 0);
  const Json frames = Json::parse(o.out)["frames"];
  REQUIRE(frames.size() == 3);
  for (size_t i = 0; i < 3; ++i) {
    CHECK(frames[i]["frame"] == double(i + 1));
    CHECK(frames[i]["rays"] == 0);
    CHECK(fs::exists(frames[i]["file"].get<std::string>()));
    CHECK(frames[i]["idle"].dump().find("its amount is 0") != std::string::npos);
  }
  CHECK(cli("compare " + (folder / "out.0001.exr") + " " + (folder / "out.0002.exr")).out != "equal\n");
  // A frame that is missing is named.
  refused("lens " + in + " " + a + " -o " + out + " --frames 4-5", 4, "in.0004.exr");
}

TEST_CASE("A picture from elsewhere is lit by the lens without a ray", "[cli]") {
  TemporaryFolder folder;
  const std::string a = folder / "a.ilum", shot = folder / "shot.exr", out = folder / "out.exr";
  REQUIRE(cli("new sun-core -o " + a).code == 0);
  REQUIRE(cli("render " + a + " -o " + shot + " --size 48x27 --samples 2 --no-lens --passes identity").code == 0);
  const std::string f = folder / "f.ilum";
  std::ofstream(f)
      << R"({"ilumbra": 1, "nodes": [{"id": 1, "kind": "picture.settings", "name": "Picture", "values": {"width": 48, "height": 27}}]})";
  for (const char* add :
       {"camera.lens Camera", "plate.picture Shot file=shot.exr", "layer.picture Shade of=Shot \"layer=Pierced shade\"",
        "lens.glow Halo sources=Shade \"amount=80 %\" \"size=30 %\""})
    REQUIRE(cli("add " + f + " " + add + " -o " + f).code == 0);
  const Outcome o = cli("render " + f + " -o " + out + " --json");
  INFO(o.err);
  REQUIRE(o.code == 0);
  const Json j = Json::parse(o.out);
  CHECK(j["rays"] == 0);
  CHECK(j["left_out"].empty());
  // It glows: the picture is another, and its light the same but for what leaves the frame.
  const Json c = Json::parse(cli("compare " + shot + " " + out + " --json").out);
  CHECK(c["differing"] > 0.5);
  CHECK(c["mean_stops"].get<double>() == Approx(0).margin(0.3));
}

TEST_CASE("Sequences, regions, limits and cameras", "[cli]") {
  TemporaryFolder folder;
  const std::string a = folder / "a.ilum";
  REQUIRE(cli("new orrery-hall -o " + a).code == 0);
  REQUIRE(cli("render " + a + " -o " + (folder / "s.png") + " --size 48x27 --samples 1 --frames 2-6x2").code == 0);
  for (const char* name : {"s.0002.png", "s.0004.png", "s.0006.png"}) CHECK(fs::exists(folder / name));
  CHECK_FALSE(fs::exists(folder / "s.0003.png"));
  REQUIRE(cli("render " + a + " -o " + (folder / "r.exr") + " --size 48x27 --samples 1 --region 4,4,10,10").code == 0);
  REQUIRE(cli("render " + a + " -o " + (folder / "c.exr") + " --size 48x27 --samples 2 --camera \"Glass planet close\"")
              .code == 0);
  const Json timed = Json::parse(
      cli("render " + a + " -o " + (folder / "t.exr") + " --size 320x180 --samples 100000 --seconds 1 --json").out);
  CHECK(timed["samples"] < 100000);
  const Json noisy = Json::parse(
      cli("render " + a + " -o " + (folder / "n.exr") + " --size 48x27 --samples 4096 --noise 0.3 --json").out);
  CHECK(noisy["samples"] < 4096);
  CHECK(noisy["noise"] <= 0.3);
  refused("render " + a + " -o " + (folder / "x.exr") + " --size 48", 2, "a size like");
  refused("render " + a + " -o " + (folder / "x.exr") + " --size 48x27 --region 40,0,20,5", 2, "inside the picture");
  refused("render " + a + " -o " + (folder / "x.webp"), 2, ".exr, .png");
  refused("render " + a + " -o " + (folder / "x.png") + " --passes depth", 2, "passes");
  refused("render " + a + " -o " + (folder / "x.exr") + " --passes sparkle", 2, "sparkle");
  refused("render " + a + " -o " + (folder / "x.exr") + " --camera Nobody", 3, "Nobody");
  refused("render " + a + " -o " + (folder / "x.exr") + " --frames 9-2", 2, "range of frames");
  refused("render " + (folder / "gone.ilum") + " -o " + (folder / "x.exr"), 4, "gone.ilum");
  refused("render", 2, "");
  refused("sparkle", 2, "");
}

TEST_CASE("A model from outside goes from import to a picture with a glow confined to one part", "[cli][main-job]") {
  TemporaryFolder folder;
  const std::string model = "/usr/share/assimp/models/glTF2/2CylinderEngine-glTF-Binary/2CylinderEngine.glb";
  REQUIRE(fs::exists(model)); // of the package assimp-testmodels
  const std::string a = folder / "engine.ilum";
  const Json imported = Json::parse(cli("import " + model + " -o " + a + " --json").out);
  CHECK(imported["objects"] > 20);
  const Document doc = readDocument(kinds(), a);
  CHECK(activeCamera(doc));
  CHECK(doc.family("light").size() == 2);
  // The first mesh is made to glow, by its own material.
  std::string part;
  for (const Node* n : doc.family("object"))
    if (n->kind->id == "object.mesh" && part.empty()) part = n->name;
  const auto q = [](const std::string& s) { return "\"" + s + "\""; };
  REQUIRE(cli("add " + a + " material.surface Ember own_light=900 \"own_light_color=1, 0.5, 0.2\" -o " + a).code == 0);
  REQUIRE(cli("set " + a + " " + q(part + ".material=Ember") + " -o " + a).code == 0);
  REQUIRE(cli("add " + a + " lens.glow Halo \"amount=40 %\" -o " + a).code == 0);
  REQUIRE(cli("add " + a + " effect.glow \"Part glow\" " + q("from=" + part) + " lens=Halo -o " + a).code == 0);
  REQUIRE(cli("render " + a + " -o " + (folder / "e.png") + " --size 160x90 --samples 4").code == 0);
  REQUIRE(cli("render " + a + " -o " + (folder / "e.exr") + " --size 160x90 --samples 4 --passes all").code == 0);
  const Json route = Json::parse(cli("route " + a + " --json --size 160x90 --samples 4").out);
  CHECK(route["effects"][0]["effect"] == "Part glow");
  CHECK(route["effects"][0]["emitted_lm"] > 0);
  CHECK(route["effects"][0]["picture_share"] > 0); // what the lens spreads is measured
  REQUIRE(cli("export " + a + " -o " + (folder / "back.glb")).code == 0);
  CHECK(cli("import " + (folder / "back.glb") + " -o " + (folder / "back.ilum")).code == 0);
}

TEST_CASE("Broken files end with exit 3 and one line", "[cli][broken]") {
  TemporaryFolder folder;
  writeFileAtomically(folder / "bad.ilum", "{\"ilumbra\": 1, \"nodes\": [{\"id\": 1,");
  refused("check " + (folder / "bad.ilum"), 3, "line 1");
  writeFileAtomically(folder / "bad.glb", "glTF");
  refused("import " + (folder / "bad.glb") + " -o " + (folder / "x.ilum"), 3, "bad.glb");
  writeFileAtomically(folder / "bad.ply", "ply\nformat ascii 1.0\nelement vertex 3\n");
  refused("import " + (folder / "bad.ply") + " -o " + (folder / "x.ilum"), 3, "header without an end");
  writeFileAtomically(folder / "bad.exr", "not a picture");
  refused("compare " + (folder / "bad.exr") + " " + (folder / "bad.exr"), 3, "bad.exr");
  CHECK_FALSE(fs::exists(folder / "x.ilum"));
}

TEST_CASE("Presets make materials of real matter", "[cli][presets]") {
  TemporaryFolder folder;
  const std::string a = folder / "a.ilum", b = folder / "b.ilum";
  const Outcome list = cli("presets");
  CHECK(list.code == 0);
  CHECK(list.out.find("Dense flint glass") != std::string::npos);
  CHECK(Json::parse(cli("presets --json").out)["presets"].size() > 30);
  REQUIRE(cli("new sun-core -o " + a).code == 0);
  REQUIRE(cli("add " + a + " material.surface Fossil roughness=0.1 --preset Amber -o " + b).code == 0);
  CHECK(cli("show " + b + " Fossil.ior").out.find("1.54") != std::string::npos);
  CHECK(cli("show " + b + " Fossil.roughness").out.find("0.1") != std::string::npos); // what is said besides wins
  refused("add " + a + " material.surface Fossil --preset Amberoid -o " + b, 3, "Amber");
  refused("add " + a + " light.point Fossil --preset Amber -o " + b, 3, "surface material");
}

TEST_CASE("A check tells what will not show, and the mend that it prints mends it", "[cli][findings]") {
  TemporaryFolder folder;
  const std::string a = folder / "a.ilum", b = folder / "b.ilum";
  REQUIRE(cli("new sun-core -o " + a).code == 0);
  REQUIRE(cli("set " + a + " \"Planet glass.ior=1\" -o " + b).code == 0);
  const Outcome told = cli("check " + b);
  CHECK(told.code == 0); // it works, but
  CHECK(told.out.find("index of refraction of 1") != std::string::npos);
  const Json j = Json::parse(cli("check " + b + " --json").out);
  REQUIRE(j["findings"].size() == 1);
  const std::string set = j["findings"][0]["mends"][0]["set"][0];
  REQUIRE(cli("set " + b + " \"" + set + "\" -o " + b).code == 0);
  CHECK(Json::parse(cli("check " + b + " --json").out)["findings"].empty());
}

TEST_CASE("Denoised layers sum to the denoised picture, and raw ones to the raw", "[cli][denoise]") {
  TemporaryFolder folder;
  const std::string a = folder / "a.ilum";
  REQUIRE(cli("new sun-core -o " + a).code == 0);
  const std::string base =
      "render " + a +
      " --size 64x36 --samples 4 --noise 0 --no-lens --passes lights,emission,direct,indirect,caustics -o ";
  const Json clean = Json::parse(cli(base + (folder / "clean.exr") + " --json").out),
             raw = Json::parse(cli(base + (folder / "raw.exr") + " --no-denoise --json").out);
  CHECK(clean["denoised"] == true);
  CHECK(raw["denoised"] == false);
  CHECK(clean["rays"] == raw["rays"]);
  const PictureFile c = readPicture(folder / "clean.exr"), r = readPicture(folder / "raw.exr");
  CHECK(c.picture().rgb != r.picture().rgb);
  for (const PictureFile* f : {&c, &r}) {
    const Picture whole = f->picture();
    std::vector<double> lights(whole.rgb.size(), 0.0), ways(whole.rgb.size(), 0.0);
    size_t count = 0;
    for (const FileLayer& l : f->layers) {
      const bool light = l.name.starts_with("Light of "),
                 way = l.name == "Emission" || l.name == "Direct" || l.name == "Indirect" || l.name == "Caustics";
      if (!light && !way) continue;
      ++count;
      const Picture p = f->picture(l.name);
      for (size_t i = 0; i < p.rgb.size(); ++i) (light ? lights : ways)[i] += double(p.rgb[i]);
    }
    REQUIRE(count >= 5);
    for (size_t i = 0; i < whole.rgb.size(); ++i) {
      // Files hold half floats.
      REQUIRE(lights[i] == Approx(double(whole.rgb[i])).epsilon(4e-3).margin(1e-3));
      REQUIRE(ways[i] == Approx(double(whole.rgb[i])).epsilon(4e-3).margin(1e-3));
    }
  }
}

TEST_CASE("Kinds tell their choices and lists, check names what is unknown and what effects lack, and foreign text is "
          "cut short",
          "[cli]") {
  TemporaryFolder folder;
  const std::string file = folder / "a.ilum";
  const Outcome spot = cli("kinds light.area");
  CHECK(spot.out.find("one of: ") != std::string::npos);
  const Outcome sphere = cli("kinds object.sphere");
  CHECK(sphere.out.find("list modifiers") != std::string::npos);
  refused("kinds light.piont", 2, "light.point");
  Set s(64, 36);
  s.look("0, 0, 3", "0, 0, 0");
  s.add("pattern.noise", "Wear", {});
  s.add("material.surface", "Brass", {});
  s.add("object.sphere", "Ball", {{"material", "Brass"}});
  s.add("light.point", "Lamp", {{"power", "300"}, {"position", "0, 0, -9"}});
  s.add("effect.glow", "Shine", {});
  std::string json = toJson(s.take());
  json.insert(json.find("\"power\": 300"), "\"powre\": 1, ");
  writeFileAtomically(file, json);
  const Outcome check = cli("check " + file);
  CHECK(check.out.find("the nearest is power") != std::string::npos);
  CHECK(check.out.find("Shine: ") != std::string::npos);
  CHECK(check.out.find("no problem") == std::string::npos);
  // A pattern by its name, and where it cannot be.
  REQUIRE(cli("set " + file + " 'Brass.roughness=pattern Wear' -o " + file).code == 0);
  CHECK(cli("show " + file + " Brass.roughness").out.find("pattern Wear") == 0);
  refused("set " + file + " 'Lamp.power=pattern Wear' -o " + file, 3, "pattern");
  const Outcome longText = cli("set " + file + " Lamp.power=" + std::string(5000, 'q') + " -o " + file);
  CHECK(longText.code == 3);
  CHECK(longText.err.size() < 500);
}

TEST_CASE("An effect is made with all that it needs, a pattern drives a parameter, an input is declared and set",
          "[cli][inputs]") {
  TemporaryFolder folder;
  const std::string f = folder / "a.ilum";
  REQUIRE(cli("new creeping-tarnish -o " + f).code == 0);
  CHECK(cli("presets").out.find("Verdigris") != std::string::npos);
  REQUIRE(cli("drive " + f + " 'Stand bronze.base_color' Rust -o " + f).code == 0);
  CHECK(cli("show " + f + " Rust").out.find("inputs.amount") != std::string::npos);
  REQUIRE(cli("input " + f + " 'Stand bronze.base_color.amount' rust -o " + f).code == 0);
  REQUIRE(cli("set " + f + " 'Globe foot.material.rust=80 %' -o " + f).code == 0);
  CHECK(cli("show " + f + " 'Globe foot.material.rust'").out == "80 %\n");
  CHECK(cli("show " + f + " 'Stand bronze.inputs.rust'").out == "54 %\n");
  REQUIRE(cli("set " + f + " 'Stand bronze.inputs.rust=60 %' -o " + f).code == 0);
  CHECK(cli("show " + f + " 'Stand bronze.base_color.amount'").out == "60 %\n");
  CHECK(cli("show " + f + " 'Globe foot.material.rust'").out == "80 %\n");
  REQUIRE(cli("input --away " + f + " 'Stand bronze' rust -o " + f).code == 0);
  refused("show " + f + " 'Globe foot.material.rust'", 3, "no input");
  refused("input " + f + " Rust.value x --of 'Brass globe' -o " + f, 3, "Stand bronze");
  refused("drive " + f + " 'Stand bronze.base_color' Mould -o " + f, 3, "Verdigris");
  const Json made =
      Json::parse(cli("effect --json " + f + " effect.contact_line Table 'Globe foot' --name 'Foot line' -o " + f).out);
  CHECK(made["name"] == "Foot line");
  CHECK(cli("show " + f).out.find("Foot line") != std::string::npos);
  refused("effect " + f + " effect.contact_line Tabel -o " + f, 3, "Table");
}
