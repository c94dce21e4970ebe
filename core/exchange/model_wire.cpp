#include "core/base/files.h"
#include "core/exchange/readers.h"
#include "core/exchange/wire.h"
#include "core/geometry/model.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>
#include <set>

namespace ilumbra {
namespace {

template <typename Wire, typename M> void exchange(Wire& wire, M& m) {
  const auto io = [&](auto&... v) {
    if constexpr (std::is_same_v<Wire, WireWriter>)
      (wire.put(v), ...);
    else
      (wire.get(v), ...);
  };
  const auto list = [&](auto& v, size_t least, auto each) {
    if constexpr (std::is_same_v<Wire, WireWriter>)
      wire.put(uint64_t(v.size()));
    else
      v.resize(wire.count(least));
    for (auto& e : v) each(e);
  };
  const auto track = [&](auto& t) { io(t.shape, t.width, t.times, t.values); };
  list(m.parts, 8, [&](auto& p) {
    io(p.name, p.mesh.positions, p.mesh.normals, p.mesh.uvs, p.mesh.uvs2, p.mesh.colors, p.mesh.triangles, p.material);
    list(p.morphs, 8, [&](auto& morph) { io(morph.positions, morph.normals); });
    io(p.weights, p.skin, p.influences, p.node);
  });
  list(m.materials, 8, [&](auto& t) {
    io(t.name, t.baseColor, t.opacity, t.useAlpha, t.alphaCutoff, t.metalness, t.roughness, t.ior, t.transmission,
       t.thin, t.attenuationColor, t.attenuationDepth, t.abbe, t.specular, t.specularTint, t.anisotropy, t.grainTurn,
       t.coat, t.coatRoughness, t.sheenColor, t.sheenRoughness, t.film, t.filmIor, t.filmThickness, t.translucency,
       t.translucencyColor, t.emission, t.normalScale, t.occlusionStrength, t.extra);
    for (const auto texture : modelTextures) io(t.*texture);
  });
  list(m.lights, 8, [&](auto& l) { io(l.type, l.color, l.power, l.innerCone, l.outerCone); });
  list(m.skins, 8, [&](auto& s) { io(s.joints, s.toJoint); });
  list(m.motions, 8, [&](auto& motion) {
    io(motion.name, motion.length);
    list(motion.moves, 8, [&](auto& move) {
      io(move.node);
      track(move.position);
      track(move.rotation);
      track(move.scale);
      track(move.weights);
    });
  });
  list(m.nodes, 8,
       [&](auto& n) { io(n.name, n.matrix, n.parts, n.children, n.light, n.fieldOfView, n.aspect, n.extra); });
  io(m.unit, m.zUp, m.extra);
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
  const auto each = [](size_t n, size_t all) { return n == 0 || n == all; };
  for (const ModelPart& p : model->parts) {
    validate(p.mesh, p.name);
    const size_t n = p.mesh.positions.size();
    check(inside(p.material, model->materials.size()), "a part names a material that does not exist");
    check(inside(p.skin, model->skins.size()) && inside(p.node, model->nodes.size()),
          "a part names a skin or a node that does not exist");
    for (const auto& m : p.morphs)
      check(each(m.positions.size(), n) && each(m.normals.size(), n), "a morph has not as many vertices as its mesh");
    check(p.weights.size() == p.morphs.size(), "a part has not as many weights as morphs");
    check(p.influences.empty() || p.influences.size() % n == 0, "a part has not as many joints as vertices");
    if (p.skin >= 0)
      for (const auto& i : p.influences)
        check(i.joint < model->skins[size_t(p.skin)].joints.size() && std::isfinite(i.weight),
              "a part names a joint that does not exist");
  }
  for (const ModelMaterial& m : model->materials)
    for (const auto texture : modelTextures)
      check(inside((m.*texture).image, model->imageFiles.size()), "a material names an image that does not exist");
  for (const ModelSkin& s : model->skins) {
    check(s.joints.size() == s.toJoint.size(), "a skin has not as many matrices as joints");
    for (const int j : s.joints)
      check(j >= 0 && j < int(model->nodes.size()), "a skin names a node that does not exist");
  }
  for (const ModelMotion& motion : model->motions)
    for (const ModelMove& move : motion.moves) {
      check(move.node >= 0 && move.node < int(model->nodes.size()), "a motion names a node that does not exist");
      for (const ModelTrack* t : {&move.position, &move.rotation, &move.scale, &move.weights})
        check(t->values.size() == t->times.size() * t->width * (t->shape == ModelTrack::Shape::Cubic ? 3 : 1) &&
                  t->width < 100'000 && std::is_sorted(t->times.begin(), t->times.end()),
              "a track of a motion is not whole");
    }
  std::vector<int> parents(model->nodes.size(), 0);
  for (const ModelNode& n : model->nodes) {
    for (const int p : n.parts)
      check(p >= 0 && p < int(model->parts.size()), "a node names a part that does not exist");
    for (const int c : n.children) {
      check(c >= 0 && c < int(model->nodes.size()), "a node names a child that does not exist");
      check(++parents[size_t(c)] == 1, "a node has two parents, or the tree of nodes runs in a circle");
    }
    check(inside(n.light, model->lights.size()), "a node names a light that does not exist");
    for (int i = 0; i < 16; ++i) check(std::isfinite((&n.matrix[0][0])[i]), "a node's matrix is not finite");
  }
  for (const int root : model->roots)
    check(root >= 0 && root < int(model->nodes.size()) && parents[size_t(root)] == 0, "a root is no root");
  return model;
}

static bool isGltf(const std::string& path) {
  const std::string extension = extensionOf(path);
  return extension == ".glb" || extension == ".gltf";
}

// Names are text in UTF-8; what is not is taken as Latin-1.
static void clean(std::string& s) {
  size_t i = 0;
  const auto at = [&](size_t k) { return k < s.size() ? static_cast<unsigned char>(s[k]) : 0u; };
  bool valid = true;
  while (i < s.size() && valid) {
    const unsigned c = at(i);
    const size_t more = c < 0x80                ? 0
                        : c >= 0xc2 && c < 0xe0 ? 1
                        : c >= 0xe0 && c < 0xf0 ? 2
                        : c >= 0xf0 && c < 0xf5 ? 3
                                                : 9;
    valid = more < 9;
    for (size_t k = 1; k <= more && valid; ++k) valid = (at(i + k) & 0xc0u) == 0x80;
    if (more == 2 && valid) valid = !(c == 0xe0 && at(i + 1) < 0xa0) && !(c == 0xed && at(i + 1) >= 0xa0);
    if (more == 3 && valid) valid = !(c == 0xf0 && at(i + 1) < 0x90) && !(c == 0xf4 && at(i + 1) >= 0x90);
    i += more + 1;
  }
  if (valid) return;
  std::string out;
  for (const char ch : s) {
    const auto c = static_cast<unsigned char>(ch);
    if (c < 0x80)
      out += ch;
    else {
      out += char(0xc0 | (c >> 6));
      out += char(0x80 | (c & 0x3f));
    }
  }
  s = std::move(out);
}

std::string modelImageBytes(const std::string& path, int index, std::string& externalPath) {
  return isGltf(path) ? gltfImageBytes(path, index, externalPath) : assimpImageBytes(path, index);
}

std::string readEncodedBytes(const std::string& path, int index) {
  if (index < 0) return readFile(path, size_t(512) << 20);
  std::string external;
  const std::string bytes = modelImageBytes(path, index, external);
  return bytes.empty() && !external.empty() ? readFile(external, size_t(512) << 20) : bytes;
}

std::string readModelBytes(const std::string& path) {
  Model m = isGltf(path) ? readGltf(path) : readWithAssimp(path);
  for (ModelNode& n : m.nodes) clean(n.name);
  for (ModelPart& p : m.parts) clean(p.name);
  for (ModelMaterial& t : m.materials) clean(t.name);
  for (ModelMotion& t : m.motions) clean(t.name);
  for (std::string& f : m.imageFiles) clean(f);
  for (std::string& t : m.notes) clean(t);
  std::set<std::string> names;
  for (ModelPart& p : m.parts) {
    const std::string wanted = p.name.empty() ? "Mesh" : p.name;
    p.name = wanted;
    for (int i = 2; !names.insert(p.name).second; ++i) p.name = fmt::format("{} {}", wanted, i);
  }
  size_t triangles = 0;
  for (const ModelPart& p : m.parts) {
    validate(p.mesh, p.name.empty() ? "a part" : p.name);
    triangles += p.mesh.triangles.size();
  }
  if (triangles == 0 && m.lights.empty()) throw badInput("holds no surface");
  return encode(m);
}

} // namespace ilumbra
