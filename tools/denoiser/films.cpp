// Renders scenes of chance for the training of the denoiser: of each, a film at 1 to 32 samples, another of its own
// chance at 64, which is what the first is to come near to, and of scenes that are held out one of many more. Or the
// first film alone as the denoiser that is built in makes it.
#include "core/compile/compile.h"
#include "core/document/edit.h"
#include "core/document/units.h"
#include "core/exchange/assets.h"
#include "core/film/denoise.h"
#include "core/kinds.h"
#include "core/transport/rendering.h"
#include "tools/denoiser/scenes.h"

#include <fmt/format.h>

#include <chrono>
#include <cstdio>
#include <filesystem>
#include <fstream>

using namespace ilumbra;

namespace {

constexpr int width = 192, height = 128, planes = 23;

/// One after another, as tools/denoiser/train.py reads them: the number of samples, then planes of the picture, rows
/// from the top.
void write(std::ofstream& to, const Film& film, uint32_t samples) {
  const size_t n = size_t(width) * size_t(height);
  std::vector<float> out(1 + size_t(planes) * n);
  out[0] = float(samples);
  for (size_t i = 0; i < n; ++i) {
    const Color total = film.total(i), variance = film.variance(i), half = film.halfDifference(i),
                seenAlbedo = film.seenAlbedo(i), albedo = film.albedo(i);
    const V3f seenNormal = film.seenNormal(i), normal = film.normal(i);
    float* p = out.data() + 1 + i;
    for (int c = 0; c < 3; ++c) {
      p[size_t(c) * n] = total[c];
      p[size_t(3 + c) * n] = variance[c];
      p[size_t(6 + c) * n] = half[c];
      p[size_t(9 + c) * n] = seenAlbedo[c];
      p[size_t(12 + c) * n] = seenNormal[c];
      p[size_t(15 + c) * n] = albedo[c];
      p[size_t(18 + c) * n] = normal[c];
    }
    p[21 * n] = film.depth(i);
    p[22 * n] = film.alpha(i);
  }
  to.write(reinterpret_cast<const char*>(out.data()), std::streamsize(out.size() * sizeof(float)));
}

/// The film's whole light as the denoiser makes it: three planes.
void writeDenoised(std::ofstream& to, const Film& film, const Tasks& tasks) {
  Picture p(width, height);
  for (size_t i = 0; i < p.pixels(); ++i)
    for (int c = 0; c < 3; ++c) p.rgb[3 * i + size_t(c)] = film.uncertain(i)[c];
  p = Denoiser(film, tasks).apply(p, tasks);
  std::vector<float> out(p.rgb.size());
  for (size_t i = 0; i < p.pixels(); ++i) {
    const Color certain = film.total(i) - film.uncertain(i);
    for (int c = 0; c < 3; ++c) out[size_t(c) * p.pixels() + i] = p.rgb[3 * i + size_t(c)] + certain[c];
  }
  to.write(reinterpret_cast<const char*>(out.data()), std::streamsize(out.size() * sizeof(float)));
}

struct Order {
  bool denoised = false;
  uint32_t reference = 0; ///< samples; 0: none
};

void render(int number, const Order& order, const std::string& path, const std::shared_ptr<const Kinds>& kinds,
            const Tasks& tasks) {
  const CancelFlag never;
  Document doc = sceneByChance(number, kinds);
  AssetCache cache;
  SceneCache scenes;
  std::ofstream out(path + ".part", std::ios::binary);
  uint32_t seed = 1;
  std::vector<std::vector<uint32_t>> films = {{1, 2, 4, 8, 16, 32}};
  if (!order.denoised) films.push_back({64});
  if (order.reference && !order.denoised) films.push_back({order.reference});
  for (const std::vector<uint32_t>& counts : films) {
    const ParamDef& of = *doc.settings().kind->param("seed");
    doc = setValue(doc, doc.settings().id, "seed", parseValue(doc, of, std::to_string(1000 * number + int(seed++))));
    Rendering r(
        compileScene(doc, {.width = width, .height = height, .queries = {}}, cache.assets(doc.folder()), scenes));
    for (const uint32_t n : counts) {
      r.advance(tasks, n, never);
      if (order.denoised)
        writeDenoised(out, r.film(), tasks);
      else
        write(out, r.film(), n);
    }
  }
  out.close();
  if (!out) throw std::runtime_error("Could not write " + path);
  std::filesystem::rename(path + ".part", path);
}

} // namespace

int main(int argc, char** argv) {
  Order order;
  std::vector<std::string> words(argv + 1, argv + argc);
  if (!words.empty() && words.front() == "--denoised") {
    order.denoised = true;
    words.erase(words.begin());
  }
  if (words.size() < 3) {
    std::fprintf(stderr, "usage: ilumbra-denoiser-films [--denoised] FOLDER FIRST COUNT [REFERENCE_SAMPLES]\n");
    return 2;
  }
  const int first = std::atoi(words[1].c_str()), count = std::atoi(words[2].c_str());
  if (words.size() > 3) order.reference = uint32_t(std::atoi(words[3].c_str()));
  std::filesystem::create_directories(words[0]);
  const std::shared_ptr<const Kinds> kinds = allKinds();
  const Tasks tasks(0, true);
  for (int i = first; i < first + count; ++i) {
    const std::string path = fmt::format("{}/{:04}.{}", words[0], i, order.denoised ? "denoised" : "films");
    if (std::filesystem::exists(path)) continue;
    const auto start = std::chrono::steady_clock::now();
    try {
      render(i, order, path, kinds, tasks);
      std::printf("%s %.1f s\n", path.c_str(),
                  std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
      std::fflush(stdout);
    } catch (const std::exception& e) {
      std::fprintf(stderr, "Scene %d: %s\n", i, e.what());
      return 1;
    }
  }
}
