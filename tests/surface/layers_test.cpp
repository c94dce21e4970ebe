// The walk over layered materials.
#include "core/surface/material.h"
#include "tests/support/scene.h"

#include <fmt/format.h>

using namespace ilumbra;
using namespace ilumbra::test;

TEST_CASE("Layers are walked from the whole to its parts, below before above, each use once", "[surface][layers]") {
  Set s;
  const NodeId iron = s.lambert("Iron", "0.5, 0.5, 0.5"), rust = s.lambert("Rust", "0.4, 0.2, 0.1"),
               dust = s.lambert("Dust", "0.7, 0.7, 0.6");
  // The inner one stands first in the file.
  const NodeId worn = s.add("material.layer", "Worn", {{"below", "Iron"}, {"above", "Rust"}});
  const NodeId old = s.add("material.layer", "Old", {{"below", "Worn"}, {"above", "Dust"}});
  const Document doc = s.take();
  std::vector<NodeId> all, leaves;
  forEachLayer(doc, {old, nullptr}, 1, [&](const Reference& r, bool layered) {
    all.push_back(r.target);
    if (!layered) leaves.push_back(r.target);
  });
  CHECK(all == std::vector<NodeId>{old, worn, iron, rust, dust});
  CHECK(leaves == std::vector<NodeId>{iron, rust, dust});
  CHECK(layersOf(doc, worn, 1) == std::set<NodeId>{worn, iron, rust});
  CHECK(layersOf(doc, dust, 1) == std::set<NodeId>{dust});
  CHECK(wholeMaterial(doc)->id == old);
  CHECK(wholeMaterial(Document::create(kinds())) == nullptr);
}

TEST_CASE("Layers that are used on both sides over and over are walked once", "[surface][layers]") {
  Set s;
  s.lambert("L0", "0.5, 0.5, 0.5");
  for (int i = 1; i <= 40; ++i) { // 2^40 ways down
    const std::string name = fmt::format("L{}", i), under = fmt::format("L{}", i - 1);
    s.add("material.layer", name.c_str(), {{"below", under.c_str()}, {"above", under.c_str()}});
  }
  int visits = 0;
  forEachLayer(s.peek(), {s.find("L40"), nullptr}, 1, [&](const Reference&, bool) { ++visits; });
  CHECK(visits == 41);
}
