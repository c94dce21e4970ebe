#include "tests/support/route.h"

#include <algorithm>

namespace ilumbra::test {

Route measured(const Document& doc, const char* effect, uint32_t samples) {
  const Traced t = trace(doc, samples);
  const TestAssets files = noAssets();
  const LensResult r = develop(doc, 1, *t.scene, t.film(), t.scene->groupScales, pool(), {.assets = &files});
  return measureRoute(doc, doc.findByName(effect)->id, 1, *t.scene, t.film(), t.scene->groupScales, r, pool());
}

const Station& station(const Route& r, const char* role) {
  const auto it = std::find_if(r.stations.begin(), r.stations.end(), [&](const Station& s) { return s.role == role; });
  REQUIRE(it != r.stations.end());
  return *it;
}

const Finding* find(const Route& r, const std::string& words) {
  for (const Finding& f : r.findings)
    if (f.text.find(words) != std::string::npos) return &f;
  return nullptr;
}

void checkMends(const Document& doc, const char* effect, uint32_t samples, const char* words, size_t least) {
  const Route r = measured(doc, effect, samples);
  std::string all;
  for (const Finding& f : r.findings) all += f.text + "\n";
  CAPTURE(words, all);
  const Finding* f = find(r, words);
  REQUIRE(f);
  CHECK(f->mends.size() >= least);
  for (const Mend& m : f->mends) {
    CAPTURE(m.text);
    const Route then = measured(applyMend(doc, m), effect, samples);
    CHECK_FALSE(find(then, words));
  }
}

} // namespace ilumbra::test
