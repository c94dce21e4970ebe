#include "core/exchange/readers.h"
#include "core/exchange/wire.h"
#include "core/geometry/model.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>

namespace ilumbra {
namespace {

template <typename Wire, typename M> void exchange(Wire& wire, M& m) {
  const auto io = [&](auto&... v) {
    if constexpr (std::is_same_v<Wire, WireWriter>) (wire.put(v), ...);
    else (wire.get(v), ...);
  };
  const auto list = [&](auto& v, size_t least, auto each) {
    if constexpr (std::is_same_v<Wire, WireWriter>) wire.put(uint64_t(v.size()));
    else v.resize(wire.count(least));
    for (auto& e : v) each(e);
  };
  list(m.parts, 8, [&](auto& p) { io(p.name, p.mesh.positions, p.mesh.normals, p.mesh.uvs, p.mesh.triangles, p.material); });
  list(m.materials, 8, [&](auto& t) {
    io(t.name, t.baseColor, t.opacity, t.useAlpha, t.alphaCutoff, t.metalness, t.roughness, t.ior, t.transmission, t.thin, t.attenuationColor,
       t.attenuationDepth, t.emission, t.normalScale, t.occlusionStrength, t.baseColorTexture, t.metalRoughTexture, t.normalTexture,
       t.occlusionTexture, t.emissionTexture, t.transmissionTexture);
  });
  list(m.lights, 8, [&](auto& l) { io(l.type, l.color, l.power, l.innerCone, l.outerCone); });
  list(m.nodes, 8, [&](auto& n) { io(n.name, n.matrix, n.parts, n.children, n.light, n.fieldOfView); });
  io(m.roots, m.imageFiles, m.notes);
}

void check(bool ok, const char* what) {
  if (!ok) throw badInput(what);
}

} // namespace

std::string encode(const Model& model) {
  WireWriter w;
  exchange(w, model);
  return w.bytes();
}

std::shared_ptr<const Model> decodeModel(const std::string& bytes) {
  auto model = std::make_shared<Model>();
  WireReader r(bytes);
  exchange(r, *model);
  const auto inside = [](int i, size_t n) { return i >= -1 && i < int(n); };
  for (const ModelPart& p : model->parts) {
    validate(p.mesh, p.name);
    check(inside(p.material, model->materials.size()), "a part names a material that does not exist");
  }
  for (const ModelMaterial& m : model->materials)
    for (const ModelTexture* t : {&m.baseColorTexture, &m.metalRoughTexture, &m.normalTexture, &m.occlusionTexture, &m.emissionTexture, &m.transmissionTexture})
      check(inside(t->image, model->imageFiles.size()), "a material names an image that does not exist");
  std::vector<int> parents(model->nodes.size(), 0);
  for (const ModelNode& n : model->nodes) {
    for (const int p : n.parts) check(p >= 0 && p < int(model->parts.size()), "a node names a part that does not exist");
    for (const int c : n.children) {
      check(c >= 0 && c < int(model->nodes.size()), "a node names a child that does not exist");
      check(++parents[size_t(c)] == 1, "a node has two parents, or the tree of nodes runs in a circle");
    }
    check(inside(n.light, model->lights.size()), "a node names a light that does not exist");
    for (int i = 0; i < 16; ++i) check(std::isfinite((&n.matrix[0][0])[i]), "a node's matrix is not finite");
  }
  for (const int root : model->roots) check(root >= 0 && root < int(model->nodes.size()) && parents[size_t(root)] == 0, "a root is no root");
  return model;
}

std::string readModelBytes(const std::string& path) {
  std::string extension = path.substr(std::min(path.size(), path.find_last_of('.')));
  std::transform(extension.begin(), extension.end(), extension.begin(), [](unsigned char c) { return char(std::tolower(c)); });
  Model m;
  if (extension == ".glb" || extension == ".gltf") m = readGltf(path);
  else if (extension == ".obj" || extension == ".ply" || extension == ".stl") m = readWithAssimp(path);
  else throw badInput("is no model this version reads (.glb, .gltf, .obj, .ply, .stl)");
  size_t triangles = 0;
  for (const ModelPart& p : m.parts) {
    validate(p.mesh, p.name.empty() ? "a part" : p.name);
    triangles += p.mesh.triangles.size();
  }
  if (triangles == 0 && m.lights.empty()) throw badInput("holds no surface");
  return encode(m);
}

} // namespace ilumbra
