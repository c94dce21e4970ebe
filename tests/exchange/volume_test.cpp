#include "core/air/voxel_grid.h"
#include "core/base/spectrum.h"
#include "core/compile/compile.h"
#include "core/exchange/volume_write.h"
#include "core/scene/media.h"
#include "tests/support/scene.h"

#include <filesystem>
#include <fstream>
#include <openvdb/io/File.h>
#include <openvdb/openvdb.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A block of 20 · 10 · 10 voxels of 0.1 m, its middle at the origin, all of one value.
void writeBlock(const std::string& path, float value, const char* name = "density", bool heat = false) {
  openvdb::initialize();
  openvdb::GridPtrVec grids;
  const auto block = [&](const char* called, float v) {
    auto grid = openvdb::FloatGrid::create(0.0f);
    grid->setName(called);
    grid->fill(openvdb::CoordBBox({-10, -5, -5}, {9, 4, 4}), v);
    auto t = openvdb::math::Transform::createLinearTransform(0.1);
    t->postTranslate({0.05, 0.05, 0.05});
    grid->setTransform(t);
    grids.push_back(grid);
  };
  block(name, value);
  if (heat) block("temperature", 900);
  openvdb::io::File file(path);
  file.write(grids);
  file.close();
}

Estimate transmittance(const Media& air, const V3f& o, const V3f& d, int n = 4000) {
  std::vector<double> values;
  RandomStream random(5);
  for (int i = 0; i < n; ++i) {
    RayMedia way;
    air.along(o, d, 100, way);
    values.push_back(double(air.transmittance(way, o, d, 100, random).x));
  }
  return estimateOf(values);
}

ScenePtr compiled(const Document& doc, const std::string& folder, AssetCache& cache) {
  static SceneCache scenes;
  return compileScene(doc, {}, cache.assets(folder), scenes);
}

std::string trouble(const std::string& path, std::initializer_list<std::pair<const char*, const char*>> values = {}) {
  Set s;
  s.set(s.add("air.grid", "Smoke", {{"file", path.c_str()}}), values);
  AssetCache cache;
  const ScenePtr scene = compiled(s.take(), "", cache);
  CHECK_FALSE(scene->media);
  return scene->warnings.empty() ? std::string() : scene->warnings.front();
}

} // namespace

TEST_CASE("Voxels of a file are air: as dense as they say, where they say, turned and sized", "[volume]") {
  const TemporaryFolder folder;
  writeBlock(folder / "block.vdb", 0.8f);
  Set s;
  const NodeId grid = s.add("air.grid", "Smoke", {{"file", "block.vdb"}, {"color", "0, 0, 0"}});
  AssetCache cache;
  const auto through = [&](const V3f& o, const V3f& d) {
    const ScenePtr scene = compiled(s.peek(), folder.path(), cache);
    REQUIRE(scene->warnings.empty());
    REQUIRE(scene->media);
    return transmittance(*scene->media, o, d);
  };
  // Half a voxel at each end fades out: two metres, but for a tenth of them.
  CHECK(through({-3, 0, 0}, {1, 0, 0}).agrees(std::exp(-0.8 * 1.9), 0.03));
  CHECK(through({0, 3, 0}, {0, -1, 0}).agrees(std::exp(-0.8 * 0.9), 0.03));
  CHECK(through({-3, 0.7f, 0}, {1, 0, 0}).mean == 1);
  s.set(grid, {{"turn", "0, 90, 0"}, {"size", "2, 2, 2"}, {"position", "0, 5, 0"}, {"density", "0.5"}});
  CHECK(through({0, 5, -9}, {0, 0, 1}).agrees(std::exp(-0.4 * 3.8), 0.03));
  CHECK(through({0, 0, -9}, {0, 0, 1}).mean == 1);
}

TEST_CASE("The heat of a file gives own light", "[volume]") {
  const TemporaryFolder folder;
  writeBlock(folder / "fire.vdb", 0.01f, "density", true);
  Set s(2, 2);
  s.look("-6, 0, 0", "0, 0, 0", "4800");
  s.add("air.grid", "Fire",
        {{"file", (folder / "fire.vdb").c_str()}, {"own_light", "50"}, {"own_light_color", "1, 1, 1"}});
  AssetCache cache;
  const Traced t = trace(s.take(), 256, 0, cache.assets(""));
  CHECK(mean(luminances(t)) == Approx(50 * 1.9 * std::exp(-0.01)).epsilon(0.03));
}

TEST_CASE("Heat that is a temperature glows as a black body: red and dim where it is less", "[volume]") {
  const TemporaryFolder folder;
  openvdb::initialize();
  openvdb::GridPtrVec grids;
  for (const char* name : {"density", "temperature"}) {
    auto grid = openvdb::FloatGrid::create(0.0f);
    grid->setName(name);
    const bool heat = name[0] == 't';
    grid->fill(openvdb::CoordBBox({-10, -5, -5}, {-1, 4, 4}), heat ? 1000.0f : 0.001f); // half as hot on the left
    grid->fill(openvdb::CoordBBox({0, -5, -5}, {9, 4, 4}), heat ? 2000.0f : 0.001f);
    grid->setTransform(openvdb::math::Transform::createLinearTransform(0.1));
    grids.push_back(grid);
  }
  openvdb::io::File file(folder / "fire.vdb");
  file.write(grids);
  file.close();
  Set s(2, 2);
  s.add("air.grid", "Fire",
        {{"file", (folder / "fire.vdb").c_str()},
         {"own_light", "50"},
         {"own_light_color", "1, 1, 1"},
         {"heat_is", "temperature"},
         {"hottest", "3000"}});
  const NodeId camera = s.look("0, 0, 6", "0, 0, 0", "4800");
  AssetCache cache;
  const auto seen = [&](const char* x) {
    s.set(camera, {{"position", (std::string(x) + ", 0, 6").c_str()}, {"target", (std::string(x) + ", 0, 0").c_str()}});
    const Picture p = luminances(trace(s.peek(), 1024, 0, cache.assets("")));
    Color sum(0.0f);
    for (int i = 0; i < 4; ++i) sum += p.color(i % 2, i / 2) * 0.25f;
    return sum;
  };
  const Color hot = seen("0.5"), cool = seen("-0.5");
  CHECK(luminance(hot) == Approx(50 * 0.9).epsilon(0.05));
  CHECK(luminance(cool) == Approx(50 * 0.9 * double(blackbodyLuminance(1500) / blackbodyLuminance(3000))).epsilon(0.1));
  CHECK(luminance(cool) > 0);
  const Color white = blackbody(3000), red = blackbody(1500);
  CHECK(hot.x / hot.z == Approx(white.x / white.z).epsilon(0.05));
  CHECK(cool.x / cool.z == Approx(red.x / red.z).epsilon(0.1));
}

TEST_CASE("Colours of a file tint what its air scatters, and take nothing from what comes through", "[volume]") {
  const TemporaryFolder folder;
  writeBlock(folder / "plain.vdb", 0.5f);
  openvdb::GridPtrVec grids;
  auto density = openvdb::FloatGrid::create(0.0f);
  density->setName("density");
  density->fill(openvdb::CoordBBox({-10, -5, -5}, {9, 4, 4}), 0.5f);
  auto color = openvdb::Vec3SGrid::create(openvdb::Vec3s(0.0f));
  color->setName("Cd");
  color->fill(openvdb::CoordBBox({-10, -5, -5}, {9, 4, 4}), openvdb::Vec3s(0.25f, 0.25f, 0.25f));
  for (const openvdb::GridBase::Ptr& g : {openvdb::GridBase::Ptr(density), openvdb::GridBase::Ptr(color)}) {
    auto t = openvdb::math::Transform::createLinearTransform(0.1);
    t->postTranslate({0.05, 0.05, 0.05});
    g->setTransform(t);
    grids.push_back(g);
  }
  openvdb::io::File file(folder / "tinted.vdb");
  file.write(grids);
  file.close();
  Set s(4, 4);
  s.look("0, 0, 6", "0, 0, 0", "400");
  s.add("light.point", "Lamp", {{"power", "5000"}, {"position", "0, 3, 2"}});
  const NodeId grid = s.add("air.grid", "Smoke", {{"file", (folder / "plain.vdb").c_str()}});
  AssetCache cache;
  const double white = mean(luminances(trace(s.peek(), 512, 0, cache.assets(""))));
  s.set(grid, {{"file", (folder / "tinted.vdb").c_str()}});
  CHECK(mean(luminances(trace(s.peek(), 512, 0, cache.assets("")))) == Approx(0.25 * white).epsilon(0.03));
  const ScenePtr scene = compiled(s.peek(), "", cache);
  CHECK(transmittance(*scene->media, {-3, 0, 0}, {1, 0, 0}).agrees(std::exp(-0.5 * 1.9), 0.03));
  // A grid of another kind is refused by its name.
  CHECK_THAT(trouble(folder / "plain.vdb", {{"color_grid", "density"}}),
             Catch::Contains("\"density\" holds no vectors that could be colours"));
  CHECK_THAT(trouble(folder / "plain.vdb", {{"color_grid", "Cd"}}),
             Catch::Contains("there is no grid \"Cd\" in it; there are density"));
}

TEST_CASE("Air is baked to OpenVDB and comes back as it was", "[volume]") {
  const TemporaryFolder folder;
  Set s;
  s.set(s.add("object.torus", "Ring", {{"radius", "0.8"}, {"tube", "0.3"}}), {{"shown", "off"}});
  s.add("pattern.ramp", "Slope",
        {{"along", "line"}, {"start", "-1.1, 0, 0"}, {"end", "1.1, 0, 0"}, {"space", "world"}});
  s.add("air.haze", "Haze", {{"fills", "Ring"}, {"density", "2"}, {"color", "0, 0, 0"}, {"amount", "pattern Slope"}});
  s.add("air.haze", "All over", {{"density", "0.1"}});
  AssetCache cache;
  const std::vector<std::string> left = exportVoxelsTo(s.peek(), folder / "haze.vdb", cache);
  REQUIRE(left.size() == 1);
  CHECK(left.front() == "All over: it is everywhere, so it has no bounds to write");
  const NodeId haze = s.find("Haze");
  s.set(s.find("All over"), {{"shown", "off"}});
  const ScenePtr own = compiled(s.peek(), "", cache);
  s.set(haze, {{"shown", "off"}});
  s.add("air.grid", "Baked", {{"file", (folder / "haze.vdb").c_str()}, {"color", "0, 0, 0"}});
  const ScenePtr back = compiled(s.peek(), "", cache);
  REQUIRE(back->warnings.empty());
  RandomStream random(3);
  for (int i = 0; i < 12; ++i) {
    const V3f o(random.next() * 4 - 2, 2, random.next() * 2 - 1),
        to(random.next() * 1.6f - 0.8f, 0, random.next() * 1.6f - 0.8f);
    const Estimate a = transmittance(*own->media, o, normalize(to - o)),
                   b = transmittance(*back->media, o, normalize(to - o));
    CAPTURE(i, a.mean, b.mean);
    CHECK(std::abs(a.mean - b.mean) < 0.02 + 4 * std::hypot(a.se, b.se));
  }
}

TEST_CASE("A dense form is baked to OpenVDB, and so is a closed object that is chosen", "[volume][form]") {
  const TemporaryFolder folder;
  Set s;
  const NodeId solid = s.add("pattern.solid", "Solid", {{"width", "0.2"}});
  s.add("solid.part", "Ball", {{"form", "ball"}, {"radius", "0.4"}}, {solid, "parts"});
  s.add("object.pattern_form", "Form", {{"amount", "pattern Solid"}, {"position", "1, 0, 0"}});
  const NodeId box =
      s.add("object.box", "Box", {{"width", "1"}, {"height", "1"}, {"depth", "1"}, {"position", "0, 3, 0"}});
  const NodeId plane = s.add("object.plane", "Sheet", {});
  AssetCache cache;
  const auto volumeOf = [&](const std::string& path) {
    const auto grid = cache.volume(path, {});
    double sum = 0;
    for (const float v : grid->density) sum += double(v);
    return sum * std::abs(double(grid->toFile.determinant()));
  };
  CHECK(exportVoxelsTo(s.peek(), folder / "form.vdb", cache).empty());
  const auto grid = cache.volume(folder / "form.vdb", {});
  CHECK(grid->densest == 1);
  CHECK(transformPoint(grid->toFile,
                       V3f(float(grid->size[0] - 1), float(grid->size[1] - 1), float(grid->size[2] - 1)) * 0.5f)
            .x == Approx(1).margin(0.02));
  CHECK(volumeOf(folder / "form.vdb") ==
        Approx(4.0 / 3 * 3.14159265 * 0.064).epsilon(0.05)); // its rim fades within three voxels
  CHECK(exportVoxelsTo(s.peek(), folder / "box.vdb", cache, {box}).empty());
  CHECK(volumeOf(folder / "box.vdb") == Approx(1).epsilon(0.06));
  CHECK_THAT(refusal([&] { exportVoxelsTo(s.peek(), folder / "sheet.vdb", cache, {plane}); }),
             Catch::Contains("Sheet: it is open, so it has no inside to write"));
}

TEST_CASE("Files that are no voxels are refused with their name and the reason, and the set goes on",
          "[volume][broken]") {
  const TemporaryFolder folder;
  const auto contains = [](const std::string& text, const char* part) { CHECK_THAT(text, Catch::Contains(part)); };
  contains(trouble(folder / "none.vdb"), "none.vdb: cannot be read");
  std::ofstream(folder / "empty.vdb").close();
  contains(trouble(folder / "empty.vdb"), "empty.vdb: is no OpenVDB file");
  std::ofstream(folder / "text.vdb") << "these are no voxels at all";
  contains(trouble(folder / "text.vdb"), "text.vdb: is no OpenVDB file");
  writeBlock(folder / "block.vdb", 0.8f);
  const auto size = std::filesystem::file_size(folder / "block.vdb");
  for (const double share : {0.1, 0.5, 0.9}) {
    std::filesystem::copy_file(folder / "block.vdb", folder / "cut.vdb",
                               std::filesystem::copy_options::overwrite_existing);
    std::filesystem::resize_file(folder / "cut.vdb", uintmax_t(double(size) * share));
    const std::string text = trouble(folder / "cut.vdb");
    CHECK_THAT(text, Catch::Contains("cut.vdb"));
    CHECK(text.find("Smoke") == 0);
  }
  // Three GiB of nothing: neither memory nor time goes.
  std::ofstream(folder / "huge.vdb").close();
  std::filesystem::resize_file(folder / "huge.vdb", uintmax_t(3) << 30);
  contains(trouble(folder / "huge.vdb"), "huge.vdb");
  writeBlock(folder / "void.vdb", 0);
  contains(trouble(folder / "void.vdb"), "nothing in its grid \"density\" is more than 0");
  writeBlock(folder / "named.vdb", 1, "smoke");
  contains(trouble(folder / "named.vdb", {{"density_grid", "fog"}}), "there is no grid \"fog\" in it; there are smoke");
  contains(trouble(""), "Smoke.file: no file is named");
}
