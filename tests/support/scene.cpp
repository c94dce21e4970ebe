#include "tests/support/scene.h"
#include "core/compile/compile.h"
#include "core/pattern/image.h"

#include "core/compile/distance_field.h"

#include "core/base/error.h"

#include <filesystem>
#include <unistd.h>

namespace ilumbra::test {

const std::shared_ptr<const Kinds>& kinds() {
  static const std::shared_ptr<const Kinds> all = allKinds();
  return all;
}

std::shared_ptr<const DistanceField> TestAssets::distanceField(const Document& doc, const std::vector<NodeId>& things,
                                                               double frame) const {
  return distanceFieldOf(doc, things, frame, *this);
}

const Tasks& pool() {
  static const Tasks tasks;
  return tasks;
}

Traced trace(const Document& doc, uint32_t samples, int threads, const Assets& assets) {
  SceneCache cache;
  const ScenePtr scene = compileScene(
      doc,
      {.frame = currentFrame(doc), .queries = lensQueries(doc), .masks = lensMasks(doc), .overscan = lensOverscan(doc)},
      assets, cache);
  Traced t{scene, Rendering(scene)};
  const CancelFlag never;
  if (threads == 0)
    t.rendering.advance(pool(), samples, never);
  else
    t.rendering.advance(Tasks(threads), samples, never);
  return t;
}

Picture luminances(const Traced& t, int query) { return collect(t.film(), query, t.scene->groupScales, 1, pool()); }

double mean(const Picture& p, Region part) {
  if (part.width == 0) part = {0, 0, p.width, p.height};
  double sum = 0;
  for (int y = part.y; y < part.y + part.height; ++y)
    for (int x = part.x; x < part.x + part.width; ++x) sum += double(luminance(p.color(x, y)));
  return sum / (double(part.width) * part.height);
}

Estimate estimateOf(const std::vector<double>& values) {
  double sum = 0, squares = 0;
  for (const double v : values) sum += v;
  const double n = double(values.size()), m = sum / n;
  for (const double v : values) squares += (v - m) * (v - m);
  return {m, std::sqrt(squares / (n - 1) / n)};
}

Estimate estimate(const Document& doc, uint32_t samples, Region part, int seeds, int query) {
  std::vector<double> values;
  for (int s = 0; s < seeds; ++s) {
    const Document seeded = setValue(doc, doc.settings().id, "seed", Constant(double(1000 + s)));
    values.push_back(mean(luminances(trace(seeded, samples), query), part));
  }
  return estimateOf(values);
}

TemporaryFolder::TemporaryFolder() {
  char name[] = "/tmp/ilumbra-test-XXXXXX";
  if (!mkdtemp(name)) throw ioError("no temporary folder");
  m_path = name;
}
TemporaryFolder::~TemporaryFolder() {
  std::error_code e;
  std::filesystem::remove_all(m_path, e);
}

} // namespace ilumbra::test
