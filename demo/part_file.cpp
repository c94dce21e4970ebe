#include "demo/part_file.h"

#include "core/exchange/export.h"

namespace ilumbra {

std::string partFile(const std::string& name, Mesh mesh) {
  Model m;
  m.parts.push_back({name, std::move(mesh), -1});
  ModelNode node;
  node.name = name;
  node.parts = {0};
  m.nodes.push_back(node);
  m.roots = {0};
  return toGlb(m);
}

} // namespace ilumbra
