#include "core/delivery/deliver.h"

#include "core/base/files.h"
#include "core/delivery/movie_write.h"
#include "core/delivery/recipe.h"
#include "core/display/view.h"
#include "core/document/edit.h"
#include "core/exchange/assets.h"
#include "core/exchange/picture_file.h"
#include "tests/support/scene.h"

#include <filesystem>
#include <random>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

namespace fs = std::filesystem;

Job jobFor(int first, int last, const std::string& output) {
  Job job;
  job.set("first_frame", double(first));
  job.set("last_frame", double(last));
  job.set("output", output);
  return job;
}

// A ball, a lamp and a sky, with a glow on all of it.
Set litBall(int width = 40, int height = 24) {
  Set s(width, height);
  s.look("0, 0.4, 4", "0, 0, 0");
  s.add("object.sphere", "Ball", {{"radius", "0.7"}});
  s.add("light.point", "Lamp", {{"position", "1.2, 1.4, 1.5"}, {"power", "900"}});
  s.add("light.sky", "Sky", {{"power", "20"}});
  s.settings({{"samples", "4"}});
  return s;
}

struct Here {
  ColorViews views;
  Tasks tasks{2};
  CancelFlag cancel;
  std::vector<double> made, there;
  Delivered operator()(const Document& doc, const Job& job, bool resume = false, const std::string& document = "") {
    made.clear();
    there.clear();
    return deliver(doc, job, tasks, views,
                   {.document = document, .resume = resume, .cancel = &cancel, .frame = [&](const FrameReport& r) {
                      (r.there ? there : made).push_back(r.frame);
                    }});
  }
};

} // namespace

TEST_CASE("Frames of a mist are written as numbered pictures with its alpha, and a cancel leaves those that are there",
          "[delivery]") {
  const TemporaryFolder folder;
  Set s(48, 27);
  s.look("0, 0, 5", "0, 0, 0");
  s.add("pattern.mist", "Mist", {{"height", "0.7"}, {"space", "camera"}});
  s.add("plate.picture", "Mist plate",
        {{"shows", "colour"}, {"color", "0.6, 0.6, 0.6"}, {"lies", "in front"}, {"coverage", "pattern Mist"}});
  Here here;
  Job job = jobFor(3, 5, folder / "mist.png");
  job.set("alpha", true);
  here(s.peek(), job);
  CHECK(here.made == std::vector<double>{3, 4, 5});
  AssetCache assets;
  const auto image = assets.image(folder / "mist.0004.png", -1);
  REQUIRE(image->width() == 48);
  CHECK(image->texel(24, 25, true).w > 0.3f);
  CHECK(image->texel(24, 1, true).w < 0.02f);
  // Unassociated: the colour does not fade with the alpha.
  CHECK(image->texel(24, 25, true).x > 0.2f);
  CHECK_THROWS(deliver(s.peek(), jobFor(1, 9, folder / "stopped.png"), here.tasks, here.views,
                       {.cancel = &here.cancel, .frame = [&](const FrameReport& r) {
                          if (r.frame == 2) here.cancel.request();
                        }}));
  here.cancel.clear();
  CHECK(fs::exists(folder / "stopped.0002.png"));
  CHECK_FALSE(fs::exists(folder / "stopped.0004.png"));
  CHECK_THAT(refusal([&] { here(s.peek(), jobFor(1, 2, folder / "mist.txt")); }), Catch::Contains("mist.txt"));
}

TEST_CASE("A mist plate is delivered without what stands in the set, and without a ray", "[delivery]") {
  const TemporaryFolder folder;
  Set s = litBall();
  s.add("pattern.mist", "Mist", {{"height", "0.7"}, {"space", "camera"}});
  s.add("plate.picture", "Mist plate",
        {{"shows", "colour"}, {"color", "0.6, 0.6, 0.6"}, {"lies", "in front"}, {"coverage", "pattern Mist"}});
  Here here;
  Job job = jobFor(1, 2, folder / "plate.exr");
  job.set("what", std::string("mist plate"));
  const Delivered made = here(s.peek(), job);
  REQUIRE(made.frames.size() == 2);
  CHECK(made.frames[0].count.rays == 0);
  const PictureFile file = readPicture(folder / "plate.0001.exr");
  const FileLayer* l = file.find("");
  REQUIRE(l->channels.size() == 4);
  CHECK(l->data[3] < 0.05f);
  // One that stands by, beside the air that it is like, is what was asked for; its PNG is transparent where it is not.
  Document off = setValue(s.peek(), s.find("Mist plate"), "shown", Constant(false));
  job.set("output", folder / "off.exr; " + (folder / "off.png"));
  here(off, job);
  CHECK(readPicture(folder / "off.0001.exr").find("")->data == l->data);
  CHECK(readPicture(folder / "off.0001.png").find("")->channels.size() == 4);
  // Among several those that are shown.
  s.add("plate.picture", "Backdrop", {{"shows", "colour"}, {"color", "1, 0, 0"}, {"shown", "off"}});
  here(s.peek(), job);
  CHECK(readPicture(folder / "off.0001.exr").find("")->data == l->data);
}

TEST_CASE("The first frame tells how long it takes from the samples that it has", "[delivery]") {
  const TemporaryFolder folder;
  const ColorViews views;
  const Tasks tasks(2);
  double first = -1;
  deliver(litBall(64).take(), jobFor(1, 2, folder / "a.exr"), tasks, views, {.progress = [&](const DeliveryProgress& p) {
            if (p.done == 0 && p.secondsLeft > 0 && first < 0) first = p.secondsLeft;
          }});
  CHECK(first > 0);
  CHECK(first < 600);
}

TEST_CASE("Names are filled in from the document, the camera and the frame; what is unknown is refused", "[delivery]") {
  Set s = litBall();
  const Job job = jobFor(1, 9, "x.png");
  const auto name = [&](const std::string& n) { return fileName(n, s.peek(), job, "/shots/Hall two.ilum", 7); };
  CHECK(name("a/{name}.exr") == "a/Hall two.0007.exr");
  CHECK(name("{name}_{frame:06}.exr") == "Hall two_000007.exr");
  CHECK(name("{width}x{height} {samples}.png") == "40x24 4.0007.png");
  CHECK(name("{name}.webm") == "Hall two.webm");
  CHECK_THAT(refusal([&] { name("{shot}.exr"); }), Catch::Contains("{shot}") && Catch::Contains("{frame:04}"));
}

TEST_CASE("A delivery goes through its file and back, and refuses what cannot be", "[delivery]") {
  Job job = jobFor(3, 40, "/x/{name}.exr; /x/{name}.webm");
  job.setText("samples", "12");
  job.setText("noise", "2 %");
  job.setText("codec", "AV1");
  job.set("sheet", true);
  CHECK(Job::fromJson(job.json()) == job);
  CHECK(job.params().number("noise") == Approx(0.02));
  CHECK(job.frames().size() == 38);
  CHECK(job.outputs() == std::vector<std::string>{"/x/{name}.exr", "/x/{name}.webm"});
  CHECK_THROWS(job.setText("step", "0"));
  CHECK_THROWS(job.setText("what", "sausages"));
  CHECK_THROWS(job.setText("sausages", "1"));
  Job bad = jobFor(1, 5, "a.png");
  bad.setText("passes", "depth");
  CHECK_THAT(refusal([&] { bad.check(); }), Catch::Contains(".exr"));
  bad = jobFor(1, 5, "a.webm");
  bad.set("what", std::string("still"));
  CHECK_THAT(refusal([&] { bad.check(); }), Catch::Contains("a.webm"));
  bad = jobFor(1, 5, "a.webm");
  bad.setText("codec", "FFV1");
  CHECK_THAT(refusal([&] { bad.check(); }), Catch::Contains(".mkv"));
}

TEST_CASE("Frames that are there, whole and of this document, are left; changed, cut or other ones are made anew",
          "[delivery]") {
  const TemporaryFolder folder;
  Set s = litBall();
  Here here;
  for (const char* e : {"f.exr", "f.png", "f.jpg", "f.tif"}) {
    INFO(e);
    const Job job = jobFor(1, 4, folder / e);
    here(s.peek(), job);
    REQUIRE(here.made.size() == 4);
    const auto name = [&](int i) { return frameName(folder / e, i); };
    const std::string second = readFile(name(2));
    fs::remove(name(1));
    writeFileAtomically(name(3), readFile(name(3)).substr(0, 200)); // cut
    writeFileAtomically(name(4), second);                           // whole, but of another frame
    here(s.peek(), job, true);
    CHECK(here.made == std::vector<double>{1, 3, 4});
    CHECK(here.there == std::vector<double>{2});
    CHECK(readFile(name(2)) == second);
    Document other = setValue(s.peek(), s.peek().findByName("Lamp")->id, "power", Constant(700.0));
    here(other, job, true);
    CHECK(here.made.size() == 4);
  }
}

TEST_CASE("A frame that is rendered after others is the same as one by itself", "[delivery]") {
  const TemporaryFolder folder;
  Set s = litBall();
  s.set(s.find("Ball"), {{"turn", R"({"value": [0, 0, 0], "movers": [{"kind": "spin", "period": 24}]})"}});
  Here here;
  here(s.peek(), jobFor(1, 3, folder / "all.exr"));
  here(s.peek(), jobFor(3, 3, folder / "one.exr"));
  CHECK(readPicture(folder / "all.0003.exr").find("")->data == readPicture(folder / "one.0003.exr").find("")->data);
}

TEST_CASE("The layers of a picture add up by the recipe that goes with it, and one that does not is named",
          "[delivery][recipe]") {
  const TemporaryFolder folder;
  Set s = litBall();
  s.add("lens.glow", "Halo", {{"amount", "0.4"}});
  const bool plate = GENERATE(false, true);
  if (plate) s.add("plate.picture", "Dusk", {{"shows", "colour"}, {"color", "0.2, 0.1, 0.3"}});
  Here here;
  Job job = jobFor(1, 1, folder / "p.exr");
  job.set("passes", std::string("all,crossed"));
  job.set("prove", true);
  const Delivered made = here(s.peek(), job);
  REQUIRE(made.frames.size() == 1);
  INFO(made.frames[0].error);
  CHECK(made.frames[0].doubts.empty());
  CHECK(made.frames[0].error >= 0);
  CHECK(made.frames[0].error < 0.004);
  REQUIRE_FALSE(made.recipe.empty());
  CHECK_THAT(readFile(made.recipe), Catch::Contains("+ Light of Lamp") && Catch::Contains("largest error"));
  PictureFile file = readPicture(folder / "p.0001.exr", nullptr, true);
  const Recipe recipe = recipeOf(file);
  REQUIRE(recipe.sums.size() >= 7);
  CHECK(readRecipe(file.metadata.at("ilumbra/recipe")) == recipe.sums);
  // All that adds up is in it: lights, ways, each way's lights, the lens.
  for (const char* layer :
       {"Light of Lamp", "Light of Sky", "Direct", "Emission", "Direct light of Lamp", "Added by Halo"}) {
    INFO(layer);
    const auto in = [&](const Recipe::Sum& sum) {
      return std::find(sum.adds.begin(), sum.adds.end(), layer) != sum.adds.end();
    };
    CHECK(std::any_of(recipe.sums.begin(), recipe.sums.end(), in));
  }
  for (FileLayer& l : file.layers)
    if (l.name == "Light of Lamp")
      for (float& v : l.data) v *= 0.5f;
  const RecipeProof proof = proveRecipe(file, recipe);
  REQUIRE(proof.doubts.size() == 1);
  CHECK_THAT(proof.doubts[0], Catch::Contains("Light of Lamp") && Catch::Contains("0.5 times"));
  std::erase_if(file.layers, [](const FileLayer& l) { return l.name == "Direct"; });
  CHECK_THAT(proveRecipe(file, recipe).doubts.back(), Catch::Contains("Direct"));
}

TEST_CASE("A movie of a delivery has its frames, its rate and its colours, and is made from frames that were there",
          "[delivery][movie]") {
  const TemporaryFolder folder;
  Set s = litBall(64, 36);
  s.set(s.find("Lamp"), {{"power", R"({"keys":[{"frame":1,"value":20,"shape":"linear"},{"frame":6,"value":2000}]})"}});
  s.settings({{"rate", "12"}});
  Here here;
  Job job = jobFor(1, 6, (folder / "m.webm") + "; " + (folder / "m.mkv") + "; " + (folder / "m.png"));
  job.set("quality", 1.0);
  const Delivered made = here(s.peek(), job);
  CHECK(made.movies.size() == 2);
  CHECK_FALSE(fs::exists(folder / "m.webm.frames"));
  AssetCache assets;
  for (const char* name : {"m.webm", "m.mkv"}) {
    INFO(name);
    const Footage f = assets.movie(folder / name);
    CHECK(f.frames == 6);
    CHECK(f.rate == Approx(12));
    for (const int frame : {0, 3, 5}) {
      const auto shown = assets.image(frameName(folder / "m.png", frame + 1), -1),
                 movie = assets.image(folder / name, frame);
      REQUIRE(movie->width() == 64);
      // In steps of the eight bits.
      double off = 0;
      for (int y = 0; y < 36; ++y)
        for (int x = 0; x < 64; ++x)
          for (int c = 0; c < 3; ++c)
            off += std::abs(double(shown->texel(x, y, false)[c]) - double(movie->texel(x, y, false)[c])) * 255 /
                   (64 * 36 * 3);
      CHECK(off < (std::string(name) == "m.mkv" ? 0.7 : 2.0));
    }
  }
}

TEST_CASE("Where frames wait for their movie, what is not of it stays", "[delivery][movie]") {
  const TemporaryFolder folder;
  fs::create_directories(folder / "m.mkv.frames");
  writeFileAtomically(folder / "m.mkv.frames/notes.txt", "mine");
  Here here;
  here(litBall().peek(), jobFor(1, 2, folder / "m.mkv"));
  CHECK(fs::exists(folder / "m.mkv"));
  CHECK(readFile(folder / "m.mkv.frames/notes.txt") == "mine");
  CHECK(std::distance(fs::directory_iterator(folder / "m.mkv.frames"), fs::directory_iterator()) == 1);
}

TEST_CASE("A proof is made of frames that were there, too, and one that does not add up is told",
          "[delivery][recipe]") {
  const TemporaryFolder folder;
  Here here;
  Set s = litBall();
  Job job = jobFor(1, 1, folder / "p.exr");
  job.set("passes", std::string("lights"));
  here(s.peek(), job);
  PictureFile file = readPicture(folder / "p.0001.exr", nullptr, true);
  for (FileLayer& l : file.layers)
    if (l.name == "Light of Sky")
      for (float& v : l.data) v *= 0.25f;
  writePicture(file, folder / "p.0001.exr", here.views, "Plain sRGB");
  job.set("prove", true);
  const Delivered made = here(s.peek(), job, true);
  REQUIRE(here.there.size() == 1);
  REQUIRE(made.frames[0].doubts.size() == 1);
  CHECK_THAT(made.frames[0].doubts[0], Catch::Contains("Light of Sky"));
  CHECK_THAT(readFile(made.recipe), Catch::Contains("Frame 1:"));
}

TEST_CASE("A movie's slow gradients have no bands: its means are finer than its steps", "[movie]") {
  const TemporaryFolder folder;
  constexpr int w = 256, h = 64;
  std::vector<float> grey(size_t(w) * h * 3);
  // Two steps of eight bits over the whole width.
  const auto value = [](int x) { return (40 + 2.0f * float(x) / w) / 255; };
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x)
      for (size_t c = 0; c < 3; ++c) grey[(size_t(y) * w + size_t(x)) * 3 + c] = value(x);
  MovieOptions o;
  o.width = w;
  o.height = h;
  o.quality = 1;
  {
    MovieWriter movie(folder / "g.webm", o);
    for (int i = 0; i < 2; ++i) movie.add(grey);
    CHECK_FALSE(fs::exists(folder / "g.webm"));
    movie.finish();
  }
  AssetCache assets;
  const auto image = assets.image(folder / "g.webm", 0);
  for (int block = 0; block < 8; ++block) {
    double mean = 0, wanted = 0;
    for (int y = 0; y < h; ++y)
      for (int x = 32 * block; x < 32 * (block + 1); ++x) {
        mean += double(image->texel(x, y, false).x) * 255 / (32 * h);
        wanted += double(value(x)) * 255 / (32 * h);
      }
    INFO(block);
    CHECK(std::abs(mean - wanted) < 0.45);
  }
}

TEST_CASE("A movie that is not finished leaves nothing, and one that cannot be is refused with the reason", "[movie]") {
  const TemporaryFolder folder;
  MovieOptions o;
  o.width = 32;
  o.height = 16;
  {
    MovieWriter movie(folder / "half.webm", o);
    movie.add(std::vector<float>(32 * 16 * 3, 0.5f));
    CHECK_THROWS(movie.add(std::vector<float>(12, 0.5f)));
  }
  CHECK(fs::is_empty(folder.path()));
  o.codec = MovieOptions::Codec::Av1;
  o.alpha = true;
  CHECK_THAT(refusal([&] { MovieWriter(folder / "a.webm", o); }), Catch::Contains("no alpha"));
  o.alpha = false;
  CHECK_THAT(refusal([&] { MovieWriter(folder / "a.webm", o); }), Catch::Contains("64 pixels"));
  o.codec = MovieOptions::Codec::Vp9;
  CHECK_THAT(refusal([&] { MovieWriter(folder / "no/such/a.webm", o); }), Catch::Contains("no folder"));
}

TEST_CASE("A turntable sees the thing from all sides and comes back", "[delivery]") {
  const TemporaryFolder folder;
  Set s(32, 20);
  s.look("0, 0.4, 4", "0, 0, 0");
  s.add("object.box", "Box", {{"size", "1, 1, 0.4"}});
  s.add("light.sky", "Sky", {{"power", "300"}});
  s.settings({{"samples", "8"}});
  Job job = jobFor(1, 8, folder / "t.exr");
  job.set("what", std::string("turntable"));
  Here here;
  here(s.peek(), job);
  const auto silhouette = [&](int frame) {
    const PictureFile f = readPicture(frameName(folder / "t.exr", frame));
    double covered = 0;
    const FileLayer* l = f.find("");
    for (size_t i = 3; i < l->data.size(); i += 4) covered += double(l->data[i]);
    return covered;
  };
  // From the side it is narrower; from behind as wide as from before.
  CHECK(silhouette(3) < 0.75 * silhouette(1));
  CHECK(silhouette(5) == Approx(silhouette(1)).epsilon(0.05));
}

TEST_CASE("What stands still is the same from frame to frame, to the bit: nothing crawls", "[delivery]") {
  const TemporaryFolder folder;
  Set s = litBall();
  s.preset("Glass", "Crown glass");
  s.set(s.find("Ball"), {{"material", "Glass"}});
  s.add("object.plane", "Floor", {{"width", "6"}, {"depth", "6"}, {"position", "0, -0.8, 0"}});
  s.add("effect.caustics", "Gathered", {{"from", "Lamp"}, {"through", "Ball"}, {"onto", "Floor"}, {"steady", "on"}});
  s.set(s.add("object.box", "Air", {{"width", "3"}, {"height", "2"}, {"depth", "3"}}), {{"shown", "off"}});
  s.add("air.haze", "Haze", {{"fills", "Air"}, {"density", "0.2"}});
  Here here;
  here(s.peek(), jobFor(1, 3, folder / "still.exr"));
  const PictureFile first = readPicture(folder / "still.0001.exr");
  for (int i = 2; i <= 3; ++i)
    CHECK(readPicture(frameName(folder / "still.exr", i)).find("")->data == first.find("")->data);
}

TEST_CASE("A test strip is a still for each value, and a sheet that names them", "[delivery]") {
  const TemporaryFolder folder;
  Here here;
  const Document doc = litBall().peek();
  Job job;
  job.set("what", std::string("test strip"));
  job.set("of", std::string("Lamp.power"));
  job.set("values", std::string("200; 400; +1 stop"));
  job.set("output", folder / "strip.exr");
  const Delivered made = here(doc, job);
  REQUIRE(made.frames.size() == 3);
  CHECK(made.sheet == folder / "strip sheet.png");
  CHECK(fs::exists(made.sheet));
  const auto lightOf = [&](int i) {
    const PictureFile f = readPicture(frameName(folder / "strip.exr", i));
    double sum = 0;
    for (const float v : f.find("")->data) sum += double(v);
    return sum;
  };
  // Beside the sky: 200 and, twice what the lamp has, 1800.
  CHECK((lightOf(3) - lightOf(1)) / (lightOf(2) - lightOf(1)) == Approx(8).epsilon(0.3));
  CHECK(here(doc, job, true).frames.size() == 3);
  CHECK(here.there.size() == 3); // each is known again
  // Another value is another picture.
  job.set("values", std::string("200; 300"));
  here(doc, job, true);
  CHECK(here.there == std::vector<double>{1});
  for (const auto& [of, values, why] :
       {std::tuple{"Lamp.power", "", "values to try"}, {"Lamp.pwer", "1", "pwer"}, {"Lamp.power", "1; blue", "blue"}}) {
    job.set("of", std::string(of));
    job.set("values", std::string(values));
    CHECK_THROWS_WITH(here(doc, job), Catch::Contains(why));
  }
}
