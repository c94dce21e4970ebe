#include "bench/parts.h"

#include "core/base/sampling.h"
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/exchange/assets.h"
#include "core/exchange/import.h"
#include "core/kinds.h"
#include "core/lens/queries.h"
#include "core/transport/rendering.h"
#include "demo/scene_builder.h"

#include <chrono>
#include <cstdio>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <OpenImageIO/imageio.h>
#include <sys/resource.h>
#include <unistd.h>

using namespace ilumbra;
namespace fs = std::filesystem;

namespace {

constexpr int width = 1280, height = 720;

double peak() {
  rusage u{};
  getrusage(RUSAGE_SELF, &u);
  return double(u.ru_maxrss) / (1024 * 1024);
}

// A closed relief of 2 n² triangles, as a binary PLY file.
void writeRelief(const std::string& path, int n) {
  std::ofstream out(path, std::ios::binary);
  out << "ply\nformat binary_little_endian 1.0\nelement vertex " << n * n
      << "\nproperty float x\nproperty float y\nproperty float z\nelement face " << 2 * n * n
      << "\nproperty list uchar int vertex_indices\nend_header\n";
  const auto put = [&](auto v) { out.write(reinterpret_cast<const char*>(&v), sizeof v); };
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j) {
      const float u = 2 * pi * float(i) / float(n), v = 2 * pi * float(j) / float(n),
                  r = 0.3f + 0.02f * std::sin(20 * u) * std::sin(24 * v);
      put((1 + r * std::cos(v)) * std::cos(u));
      put(r * std::sin(v) + 0.35f);
      put((1 + r * std::cos(v)) * std::sin(u));
    }
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j) {
      const int p = i * n + j, q = (i + 1) % n * n + j, r = (i + 1) % n * n + (j + 1) % n, s = i * n + (j + 1) % n;
      for (const auto& [a, b, c] : {std::tuple{p, r, q}, std::tuple{p, s, r}}) {
        put(uint8_t(3));
        put(a);
        put(b);
        put(c);
      }
    }
}

void writePicture(const std::string& path, int w, int h, bool half, int seed) {
  OIIO::ImageSpec spec(w, h, half ? 3 : 4, half ? OIIO::TypeDesc::HALF : OIIO::TypeDesc::UINT8);
  if (!half) spec.attribute("compression", "none");
  const auto out = OIIO::ImageOutput::create(path);
  out->open(path, spec);
  std::vector<float> row(size_t(w) * size_t(spec.nchannels));
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x)
      for (int c = 0; c < spec.nchannels; ++c)
        row[size_t(x * spec.nchannels + c)] = c == 3 ? 1.0f
                                                     : 0.5f + 0.5f * std::sin(float(x * (c + 1 + seed)) * 0.01f) *
                                                                  std::cos(float(y * (seed + 3)) * 0.013f);
    out->write_scanline(y, 0, OIIO::TypeDesc::FLOAT, row.data());
  }
  out->close();
}

// Renders a few samples and then one more after an edit; returns seconds from the edit to its first draft.
double render(Document doc, AssetCache& assets, const char* edit, const Constant& value) {
  const NodeId s = doc.settings().id;
  doc = setValue(setValue(doc, s, "width", Constant(double(width))), s, "height", Constant(double(height)));
  SceneCache cache;
  const Tasks tasks;
  const CancelFlag never;
  const auto compile = [&](const Document& d) {
    return compileScene(d, {.queries = lensQueries(d)}, assets.assets(""), cache);
  };
  Rendering r(compile(doc));
  if (!r.scene().warnings.empty()) fmt::print(stderr, "{}\n", r.scene().warnings.front());
  r.advance(tasks, 2, never);
  const auto start = std::chrono::steady_clock::now();
  Rendering draft(compile(setAt(doc, resolve(doc, edit), value)), 2, true);
  draft.advance(tasks, 1, never);
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

double triangles(const fs::path& folder, const std::shared_ptr<const Kinds>& kinds) {
  writeRelief(folder / "relief.ply", 1582);
  AssetCache assets;
  SceneBuilder s(kinds);
  s.add("camera.lens", "Camera", {{"position", "0, 2, 3"}, {"target", "0, 0.3, 0"}, {"focal_length", "35"}});
  s.add("light.sky", "Sky", {{"power", "100"}});
  s.add("light.area", "Lamp", {});
  Document doc = s.take();
  const Imported imported = importModel(doc, folder / "relief.ply", assets);
  return render(imported.doc, assets, "Lamp.position", Constant(Triple{1, 2, 0}));
}

double lights(const fs::path& folder, const std::shared_ptr<const Kinds>& kinds) {
  writePicture(folder / "sky.exr", 4096, 2048, true, 1);
  AssetCache assets;
  SceneBuilder s(kinds);
  s.add("camera.lens", "Camera", {{"position", "0, 4, 8"}, {"target", "0, 0.3, 0"}, {"focal_length", "30"}});
  s.add("light.sky", "Sky", {{"power", "20"}, {"form", "picture"}, {"image", (folder / "sky.exr").c_str()}});
  s.add("material.surface", "Stone", {{"base_color", "0.6, 0.6, 0.6"}});
  s.add("object.plane", "Floor", {{"width", "20"}, {"depth", "20"}, {"material", "Stone"}});
  for (int i = 0; i < 200; ++i)
    s.add("light.point", fmt::format("Lamp {}", i + 1).c_str(),
          {{"power", "40"}, {"position", fmt::format("{}, 0.4, {}", -7 + i % 20 * 0.7, -3 + i / 20 * 0.7).c_str()}});
  return render(s.take(), assets, "Lamp 7.position", Constant(Triple{1, 1, 1}));
}

double textures(const fs::path& folder, const std::shared_ptr<const Kinds>& kinds) {
  AssetCache assets;
  SceneBuilder s(kinds);
  s.add("camera.lens", "Camera", {{"position", "0, 3, 6"}, {"target", "0, 0.3, 0"}, {"focal_length", "30"}});
  s.add("light.sky", "Sky", {{"power", "100"}});
  for (int i = 0; i < 8; ++i) {
    const std::string file = folder / fmt::format("cloth {}.tif", i), cloth = fmt::format("Cloth {}", i),
                      matter = fmt::format("Matter {}", i);
    writePicture(file, 8192, 8192, false, i);
    s.add("pattern.image", cloth.c_str(), {{"file", file.c_str()}});
    s.add("material.surface", matter.c_str(), {{"base_color", ("pattern " + cloth).c_str()}});
    s.add("object.plane", fmt::format("Sheet {}", i).c_str(),
          {{"width", "1.5"},
           {"depth", "3"},
           {"position", fmt::format("{}, 0, {}", -2.4 + 1.6 * (i % 4), i / 4 * 3 - 1.5).c_str()},
           {"material", matter.c_str()}});
  }
  return render(s.take(), assets, "Sheet 1.position", Constant(Triple{0, 0.5, 0}));
}

// Bytes that a million copies of one form add, each, once the scene stands.
double copies() {
  const auto now = [] {
    size_t pages = 0, resident = 0;
    std::ifstream("/proc/self/statm") >> pages >> resident;
    return double(resident) * double(sysconf(_SC_PAGESIZE));
  };
  AssetCache assets;
  SceneCache cache;
  const auto compile = [&](int side) {
    SceneBuilder s(allKinds());
    s.settings({{"width", "64"}, {"height", "36"}});
    const std::string count = std::to_string(side);
    s.add("camera.lens", "Camera", {{"position", "0, 20, 60"}, {"target", "0, 0, 0"}});
    s.add("light.sky", "Sky", {{"power", "100"}});
    const NodeId ring =
        s.add("object.torus", "Ring", {{"radius", "0.05"}, {"tube", "0.01"}, {"segments", "32"}, {"sides", "12"}});
    s.add("modifier.repeat", "Grid",
          {{"arrangement", "grid"},
           {"count", count.c_str()},
           {"count_y", count.c_str()},
           {"count_z", count.c_str()},
           {"step", "0.12, 0.12, 0.12"}},
          {ring, "modifiers", size_t(-1)});
    return compileScene(s.take(), {.frame = 1, .queries = {}}, assets.assets(""), cache);
  };
  const ScenePtr few = compile(2);
  const double before = now();
  const ScenePtr many = compile(100);
  return (now() - before) / double(many->instances.size() - few->instances.size());
}

struct Case {
  const char *name, *what, *must, *how;
  double limit; ///< GiB
  double (*run)(const fs::path&, const std::shared_ptr<const Kinds>&);
};
const Case cases[] = {{"memory-triangles", "5 million triangles: memory ÷ 2.5 GiB", "≤ 1",
                       "a relief read from PLY, 1280×720", 2.5, triangles},
                      {"memory-lights", "200 lights under a 4096×2048 sky: memory ÷ 2.5 GiB", "≤ 1",
                       "1280×720, light groups within 1 GiB", 2.5, lights},
                      {"memory-textures", "2 GiB of textures (2.7 with their smaller sizes): memory ÷ their size",
                       "< 1", "eight of 8192×8192, 1 GiB resident and 0.5 GiB of pages, one more while it is read",
                       8.0 / 3, textures}};

} // namespace

bool memoryCase(int argc, char** argv) {
  for (const Case& c : cases)
    if (argc == 2 && std::string(argv[1]) == c.name) {
      std::string pattern = (fs::temp_directory_path() / "ilumbra-bench-XXXXXX").string();
      if (!mkdtemp(pattern.data())) return false;
      const double s = c.run(pattern, allKinds());
      fs::remove_all(pattern);
      fmt::print("{} {}\n", peak(), s);
      return true;
    }
  return false;
}

void memoryRatios(Hall&) {
  line("copies by repeat: memory a copy", "≤ 512 B", fmt::format("{:.0f} B", copies()),
       "a million copies of a ring, placed and in both trees of the scene");
  const std::string self = fs::read_symlink("/proc/self/exe").string();
  for (const Case& c : cases) {
    double gib = 0, s = 0;
    FILE* p = popen(fmt::format("'{}' {}", self, c.name).c_str(), "r");
    if (!p || fscanf(p, "%lf %lf", &gib, &s) != 2) gib = -1;
    if (p) pclose(p);
    line(c.what, c.must, fmt::format("{:.2f}", gib / c.limit),
         fmt::format("{}; {:.2f} GiB, an edit is drawn after {:.0f} ms", c.how, gib, s * 1e3));
  }
}
