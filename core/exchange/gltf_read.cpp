// glTF 2.0, text and binary, by tinygltf. Runs in the parsing child.
#include "core/base/error.h"
#include "core/exchange/readers.h"
#include "core/geometry/model.h"

#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <nlohmann/json.hpp>
#include <set>

#define TINYGLTF_IMPLEMENTATION
#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#define TINYGLTF_NO_INCLUDE_STB_IMAGE
#define TINYGLTF_NO_INCLUDE_STB_IMAGE_WRITE
#define TINYGLTF_NO_INCLUDE_JSON
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wall"
#pragma GCC diagnostic ignored "-Wextra"
#pragma GCC diagnostic ignored "-Wconversion"
#pragma GCC diagnostic ignored "-Wshadow"
#pragma GCC diagnostic ignored "-Wfloat-conversion"
#include <tiny_gltf.h>
#pragma GCC diagnostic pop

namespace ilumbra {
namespace {

constexpr size_t mostElements = 100'000'000;
constexpr int deepestTree = 1000;

bool keepEncoded(tinygltf::Image* image, const int, std::string*, std::string*, int, int, const unsigned char* bytes, int size, void*) {
  image->image.assign(bytes, bytes + size);
  image->as_is = true;
  return true;
}

tinygltf::Model load(const std::string& path, std::vector<std::string>* notes) {
  tinygltf::TinyGLTF loader;
  loader.SetImageLoader(keepEncoded, nullptr);
  loader.SetStoreOriginalJSONForExtrasAndExtensions(false);
  tinygltf::Model m;
  std::string error, warning;
  // By content, not by name: a .glb may hold text and the other way round.
  char magic[4] = {};
  std::ifstream(path, std::ios::binary).read(magic, 4);
  const bool binary = std::string_view(magic, 4) == "glTF";
  const bool ok = binary ? loader.LoadBinaryFromFile(&m, &error, &warning, path) : loader.LoadASCIIFromFile(&m, &error, &warning, path);
  if (!ok) throw badInput(error.empty() ? "is not valid glTF" : "is not valid glTF: " + error);
  if (!m.asset.version.empty() && m.asset.version[0] != '2') throw badInput("is glTF " + m.asset.version + "; version 2 is read");
  if (notes && !warning.empty()) notes->push_back(warning.substr(0, warning.find('\n')));
  return m;
}

template <typename T> const T& at(const std::vector<T>& v, int i, const char* what) {
  if (i < 0 || size_t(i) >= v.size()) throw badInput(fmt::format("names {} {}, but there are {}", what, i, v.size()));
  return v[size_t(i)];
}

double component(const unsigned char* p, int type, bool normalized) {
  const auto as = [&](auto v) {
    std::memcpy(&v, p, sizeof v);
    return v;
  };
  switch (type) {
  case TINYGLTF_COMPONENT_TYPE_BYTE: return normalized ? std::max(-1.0, as(int8_t()) / 127.0) : as(int8_t());
  case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE: return normalized ? as(uint8_t()) / 255.0 : as(uint8_t());
  case TINYGLTF_COMPONENT_TYPE_SHORT: return normalized ? std::max(-1.0, as(int16_t()) / 32767.0) : as(int16_t());
  case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT: return normalized ? as(uint16_t()) / 65535.0 : as(uint16_t());
  case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT: return as(uint32_t());
  case TINYGLTF_COMPONENT_TYPE_FLOAT: return double(as(float()));
  default: throw badInput(fmt::format("an accessor has components of type {}, which glTF does not know", type));
  }
}

// A run of `count` elements inside a buffer, or an exception.
const unsigned char* run(const tinygltf::Model& m, int viewIndex, size_t offset, size_t count, size_t size, size_t& stride) {
  const auto& view = at(m.bufferViews, viewIndex, "buffer view");
  const auto& buffer = at(m.buffers, view.buffer, "buffer");
  stride = view.byteStride ? view.byteStride : size;
  if (view.byteOffset > buffer.data.size() || view.byteLength > buffer.data.size() - view.byteOffset)
    throw badInput(fmt::format("buffer view {} ends beyond its buffer of {} bytes", viewIndex, buffer.data.size()));
  if (count && (offset > view.byteLength || stride > view.byteLength || (count - 1) > (view.byteLength - offset) / stride ||
                (count - 1) * stride + size > view.byteLength - offset))
    throw badInput(fmt::format("an accessor reads beyond buffer view {}", viewIndex));
  return buffer.data.data() + view.byteOffset + offset;
}

std::vector<double> read(const tinygltf::Model& m, int index, int wanted) {
  const auto& a = at(m.accessors, index, "accessor");
  const int components = tinygltf::GetNumComponentsInType(uint32_t(a.type));
  const int bytes = tinygltf::GetComponentSizeInBytes(uint32_t(a.componentType));
  if (components < 1 || bytes < 1) throw badInput(fmt::format("accessor {} has a type glTF does not know", index));
  if (wanted && components != wanted) throw badInput(fmt::format("accessor {} has {} components where {} belong", index, components, wanted));
  if (a.count > mostElements) throw badInput(fmt::format("accessor {} claims {} elements", index, a.count));
  const auto n = size_t(components), size = n * size_t(bytes);
  std::vector<double> out;
  if (a.bufferView >= 0) {
    size_t stride;
    const unsigned char* p = run(m, a.bufferView, a.byteOffset, a.count, size, stride);
    out.resize(a.count * n);
    for (size_t i = 0; i < a.count; ++i)
      for (size_t c = 0; c < n; ++c) out[i * n + c] = component(p + i * stride + c * size_t(bytes), a.componentType, a.normalized);
  } else {
    if (a.count > 10'000'000) throw badInput(fmt::format("accessor {} claims {} elements without data", index, a.count));
    out.assign(a.count * n, 0.0);
  }
  if (a.sparse.isSparse) {
    if (a.sparse.count < 0 || size_t(a.sparse.count) > a.count) throw badInput(fmt::format("accessor {} has more sparse elements than elements", index));
    const auto k = size_t(a.sparse.count);
    const int ib = tinygltf::GetComponentSizeInBytes(uint32_t(a.sparse.indices.componentType));
    if (ib < 1) throw badInput(fmt::format("accessor {} has sparse indices of no known type", index));
    size_t is, vs;
    const unsigned char* ip = run(m, a.sparse.indices.bufferView, size_t(std::max(0, a.sparse.indices.byteOffset)), k, size_t(ib), is);
    const unsigned char* vp = run(m, a.sparse.values.bufferView, size_t(std::max(0, a.sparse.values.byteOffset)), k, size, vs);
    for (size_t i = 0; i < k; ++i) {
      const double where = component(ip + i * is, a.sparse.indices.componentType, false);
      if (where < 0 || where >= double(a.count)) throw badInput(fmt::format("accessor {} has a sparse index out of range", index));
      for (size_t c = 0; c < n; ++c) out[size_t(where) * n + c] = component(vp + i * vs + c * size_t(bytes), a.componentType, a.normalized);
    }
  }
  return out;
}

int attribute(const tinygltf::Primitive& p, const char* name) {
  const auto it = p.attributes.find(name);
  return it == p.attributes.end() ? -1 : it->second;
}

Mesh readMesh(const tinygltf::Model& m, const tinygltf::Primitive& p, int uvSet, const std::string& name) {
  Mesh mesh;
  const int positions = attribute(p, "POSITION");
  if (positions < 0) throw badInput(name + ": has no positions");
  const auto v = read(m, positions, 3);
  for (size_t i = 0; i + 2 < v.size(); i += 3) {
    mesh.positions.emplace_back(float(v[i]), float(v[i + 1]), float(v[i + 2]));
    if (!finite(mesh.positions.back())) throw badInput(fmt::format("{}: vertex {} is not finite", name, i / 3 + 1));
  }
  if (const int a = attribute(p, "NORMAL"); a >= 0) {
    const auto n = read(m, a, 3);
    if (n.size() == v.size())
      for (size_t i = 0; i + 2 < n.size(); i += 3) {
        const V3f normal(float(n[i]), float(n[i + 1]), float(n[i + 2]));
        mesh.normals.push_back(finite(normal) ? normalize(normal) : V3f(0.0f));
      }
  }
  if (const int a = attribute(p, fmt::format("TEXCOORD_{}", uvSet).c_str()); a >= 0) {
    const auto t = read(m, a, 2);
    if (t.size() / 2 == v.size() / 3)
      for (size_t i = 0; i + 1 < t.size(); i += 2) {
        const V2f uv(float(t[i]), float(1 - t[i + 1]));
        mesh.uvs.push_back(std::isfinite(uv.x) && std::isfinite(uv.y) ? uv : V2f(0, 0));
      }
  }
  std::vector<uint32_t> indices;
  if (p.indices >= 0) {
    for (const double i : read(m, p.indices, 1)) {
      if (!(i >= 0) || i >= double(mesh.positions.size()))
        throw badInput(fmt::format("{}: an index names vertex {:.0f}, but there are {}", name, i, mesh.positions.size()));
      indices.push_back(uint32_t(i));
    }
  } else {
    for (uint32_t i = 0; i < mesh.positions.size(); ++i) indices.push_back(i);
  }
  const int mode = p.mode < 0 ? TINYGLTF_MODE_TRIANGLES : p.mode;
  if (mode == TINYGLTF_MODE_TRIANGLES)
    for (size_t i = 0; i + 2 < indices.size(); i += 3) mesh.triangles.push_back({indices[i], indices[i + 1], indices[i + 2]});
  else if (mode == TINYGLTF_MODE_TRIANGLE_STRIP)
    for (size_t i = 0; i + 2 < indices.size(); ++i)
      mesh.triangles.push_back(i & 1 ? Mesh::Triangle{indices[i + 1], indices[i], indices[i + 2]} : Mesh::Triangle{indices[i], indices[i + 1], indices[i + 2]});
  else if (mode == TINYGLTF_MODE_TRIANGLE_FAN)
    for (size_t i = 1; i + 1 < indices.size(); ++i) mesh.triangles.push_back({indices[0], indices[i], indices[i + 1]});
  return mesh;
}

double number(const tinygltf::Value& v, const char* key, double fallback) {
  return v.IsObject() && v.Has(key) && v.Get(key).IsNumber() ? v.Get(key).GetNumberAsDouble() : fallback;
}

V3f triple(const tinygltf::Value& v, const char* key, const V3f& fallback) {
  if (!v.IsObject() || !v.Has(key) || !v.Get(key).IsArray() || v.Get(key).ArrayLen() < 3) return fallback;
  V3f r;
  for (int i = 0; i < 3; ++i) {
    const auto& e = v.Get(key).Get(i);
    r[i] = e.IsNumber() ? float(e.GetNumberAsDouble()) : 0;
  }
  return finite(r) ? r : fallback;
}

class Converter {
public:
  Converter(const std::string& path, const tinygltf::Model& m) : m_path(path), m_in(m) {}

  Model convert(std::vector<std::string> notes) {
    m_out.notes = std::move(notes);
    static const std::set<std::string> known = {"KHR_materials_emissive_strength", "KHR_materials_ior", "KHR_materials_transmission",
                                                "KHR_materials_volume",            "KHR_lights_punctual", "KHR_texture_transform",
                                                "KHR_mesh_quantization"};
    for (const std::string& e : m_in.extensionsRequired)
      if (!known.count(e)) throw badInput("needs the extension " + e + ", which this version does not read");
    for (const std::string& e : m_in.extensionsUsed)
      if (!known.count(e)) note(e + " is left out");
    if (!m_in.animations.empty()) note("animation is left out");
    if (!m_in.skins.empty()) note("skins are left out: the mesh stands in its rest pose");
    for (const auto& i : m_in.images)
      m_out.imageFiles.push_back(i.uri.empty() || i.uri.starts_with("data:") ? "" : (std::filesystem::path(m_path).parent_path() / i.uri).string());
    for (const auto& mat : m_in.materials) m_out.materials.push_back(material(mat));
    for (const auto& l : m_in.lights) m_out.lights.push_back(light(l));
    meshes();
    nodes();
    return std::move(m_out);
  }

private:
  void note(const std::string& text) {
    if (std::find(m_out.notes.begin(), m_out.notes.end(), text) == m_out.notes.end()) m_out.notes.push_back(text);
  }

  ModelTexture texture(int index, int uvSet, const tinygltf::ExtensionMap& extensions) {
    ModelTexture t;
    if (index < 0) return t;
    const auto& in = at(m_in.textures, index, "texture");
    if (in.source < 0) {
      note("a texture without an image is left out");
      return t;
    }
    at(m_in.images, in.source, "image");
    t.image = in.source;
    if (uvSet != 0) note("a texture uses a second set of coordinates, which is left out");
    if (const auto it = extensions.find("KHR_texture_transform"); it != extensions.end()) {
      const auto pair = [&](const char* key, const V2f& fallback) {
        if (!it->second.Has(key) || it->second.Get(key).ArrayLen() < 2) return fallback;
        return V2f(float(it->second.Get(key).Get(0).GetNumberAsDouble()), float(it->second.Get(key).Get(1).GetNumberAsDouble()));
      };
      t.offset = pair("offset", {0, 0});
      t.scale = pair("scale", {1, 1});
      t.turn = float(number(it->second, "rotation", 0)) * 180 / pi;
    }
    return t;
  }
  template <typename T> ModelTexture texture(const T& info) { return texture(info.index, info.texCoord, info.extensions); }
  ModelTexture texture(const tinygltf::Value& extension, const char* key) {
    if (!extension.Has(key)) return {};
    const auto& v = extension.Get(key);
    return texture(int(number(v, "index", -1)), int(number(v, "texCoord", 0)), {});
  }

  ModelMaterial material(const tinygltf::Material& in) {
    ModelMaterial m;
    m.name = in.name;
    const auto& pbr = in.pbrMetallicRoughness;
    if (pbr.baseColorFactor.size() == 4) {
      m.baseColor = {float(pbr.baseColorFactor[0]), float(pbr.baseColorFactor[1]), float(pbr.baseColorFactor[2])};
      if (in.alphaMode != "OPAQUE") m.opacity = float(pbr.baseColorFactor[3]);
    }
    m.useAlpha = in.alphaMode == "MASK" || in.alphaMode == "BLEND";
    if (in.alphaMode == "MASK") m.alphaCutoff = float(in.alphaCutoff);
    m.metalness = float(pbr.metallicFactor);
    m.roughness = float(pbr.roughnessFactor);
    m.baseColorTexture = texture(pbr.baseColorTexture);
    m.metalRoughTexture = texture(pbr.metallicRoughnessTexture);
    m.normalTexture = texture(in.normalTexture);
    m.normalScale = float(in.normalTexture.scale);
    m.occlusionTexture = texture(in.occlusionTexture);
    m.occlusionStrength = float(in.occlusionTexture.strength);
    m.emissionTexture = texture(in.emissiveTexture);
    if (in.emissiveFactor.size() == 3) m.emission = {float(in.emissiveFactor[0]), float(in.emissiveFactor[1]), float(in.emissiveFactor[2])};
    const auto ext = [&](const char* name) -> const tinygltf::Value* {
      const auto it = in.extensions.find(name);
      return it == in.extensions.end() || !it->second.IsObject() ? nullptr : &it->second;
    };
    if (const auto* e = ext("KHR_materials_emissive_strength")) m.emission *= float(number(*e, "emissiveStrength", 1));
    if (const auto* e = ext("KHR_materials_ior")) m.ior = float(number(*e, "ior", 1.5));
    if (const auto* e = ext("KHR_materials_transmission")) {
      m.transmission = float(number(*e, "transmissionFactor", 0));
      m.transmissionTexture = texture(*e, "transmissionTexture");
    }
    if (const auto* e = ext("KHR_materials_volume")) {
      m.thin = number(*e, "thicknessFactor", 0) <= 0;
      m.attenuationColor = triple(*e, "attenuationColor", V3f(1.0f));
      m.attenuationDepth = float(number(*e, "attenuationDistance", 0));
    }
    for (float* v : {&m.opacity, &m.metalness, &m.roughness, &m.transmission}) *v = std::isfinite(*v) ? clamp01(*v) : 0;
    for (int i = 0; i < 3; ++i) m.baseColor[i] = std::isfinite(m.baseColor[i]) ? clamp01(m.baseColor[i]) : 0;
    if (!std::isfinite(m.ior) || m.ior < 1) m.ior = 1.5f;
    m.ior = std::min(m.ior, 10.0f);
    if (!finite(m.emission)) m.emission = V3f(0.0f);
    m.emission = vmax(m.emission, V3f(0.0f));
    return m;
  }

  ModelLight light(const tinygltf::Light& in) {
    ModelLight l;
    l.type = in.type == "spot" ? ModelLight::Type::Spot : in.type == "directional" ? ModelLight::Type::Sun : ModelLight::Type::Point;
    if (in.color.size() == 3) l.color = {float(in.color[0]), float(in.color[1]), float(in.color[2])};
    l.innerCone = float(in.spot.innerConeAngle) * 180 / pi;
    l.outerCone = float(in.spot.outerConeAngle) * 180 / pi;
    // Candelas to lumens of a lamp that shines alike to all sides, as the extension defines a point light.
    l.power = float(in.intensity) * (l.type == ModelLight::Type::Sun ? 1.0f : 4 * pi);
    if (!std::isfinite(l.power) || l.power < 0) l.power = 0;
    return l;
  }

  void meshes() {
    for (size_t i = 0; i < m_in.meshes.size(); ++i) {
      const auto& mesh = m_in.meshes[i];
      const std::string name = mesh.name.empty() ? fmt::format("Mesh {}", i + 1) : mesh.name;
      m_parts.emplace_back();
      for (const auto& p : mesh.primitives) {
        if (p.mode >= 0 && p.mode < TINYGLTF_MODE_TRIANGLES) {
          note("points and lines are left out");
          continue;
        }
        if (!p.targets.empty()) note("morph targets are left out");
        if (p.material >= 0) at(m_in.materials, p.material, "material");
        ModelPart part{name, readMesh(m_in, p, 0, name), p.material};
        if (part.mesh.triangles.empty()) continue;
        m_parts.back().push_back(int(m_out.parts.size()));
        m_out.parts.push_back(std::move(part));
      }
    }
  }

  static M44f matrixOf(const tinygltf::Node& n) {
    M44f m;
    if (n.matrix.size() == 16) {
      // Columns of column vectors are rows of row vectors: the numbers stand in the same order.
      for (int i = 0; i < 16; ++i) (&m[0][0])[i] = float(n.matrix[size_t(i)]);
      return m;
    }
    M44f scale, rotate, translate;
    if (n.scale.size() == 3) scale.setScale(V3f(float(n.scale[0]), float(n.scale[1]), float(n.scale[2])));
    if (n.rotation.size() == 4) {
      const float x = float(n.rotation[0]), y = float(n.rotation[1]), z = float(n.rotation[2]), w = float(n.rotation[3]);
      const float s = x * x + y * y + z * z + w * w;
      if (s > 1e-12f) {
        const float k = 2 / s;
        rotate = M44f(1 - k * (y * y + z * z), k * (x * y + z * w), k * (x * z - y * w), 0, k * (x * y - z * w), 1 - k * (x * x + z * z),
                      k * (y * z + x * w), 0, k * (x * z + y * w), k * (y * z - x * w), 1 - k * (x * x + y * y), 0, 0, 0, 0, 1);
      }
    }
    if (n.translation.size() == 3) translate.setTranslation(V3f(float(n.translation[0]), float(n.translation[1]), float(n.translation[2])));
    return scale * rotate * translate;
  }

  void nodes() {
    for (const auto& n : m_in.nodes) {
      ModelNode out;
      out.name = n.name;
      out.matrix = matrixOf(n);
      if (n.mesh >= 0) out.parts = at(m_parts, n.mesh, "mesh");
      if (const auto it = n.extensions.find("KHR_lights_punctual"); it != n.extensions.end()) {
        out.light = int(number(it->second, "light", -1));
        at(m_out.lights, out.light, "light");
      }
      if (n.camera >= 0) {
        const auto& c = at(m_in.cameras, n.camera, "camera");
        if (c.type == "perspective" && c.perspective.yfov > 0 && c.perspective.yfov < 3.1) out.fieldOfView = float(c.perspective.yfov) * 180 / pi;
        else note("a camera without perspective is left out");
      }
      for (const int c : n.children) {
        at(m_in.nodes, c, "node");
        out.children.push_back(c);
      }
      m_out.nodes.push_back(std::move(out));
    }
    std::vector<int> scene;
    if (!m_in.scenes.empty()) scene = at(m_in.scenes, std::max(0, m_in.defaultScene), "scene").nodes;
    else
      for (size_t i = 0; i < m_in.nodes.size(); ++i) scene.push_back(int(i));
    std::vector<char> visited(m_in.nodes.size(), 0);
    if (m_in.scenes.empty()) {
      std::vector<char> child(m_in.nodes.size(), 0);
      for (const auto& n : m_in.nodes)
        for (const int c : n.children) child[size_t(c)] = 1;
      std::erase_if(scene, [&](int i) { return child[size_t(i)]; });
    }
    for (const int r : scene) {
      at(m_in.nodes, r, "node");
      visit(r, visited, 0);
      m_out.roots.push_back(r);
    }
  }

  void visit(int i, std::vector<char>& visited, int depth) {
    if (depth > deepestTree) throw badInput("its nodes are nested too deeply");
    if (visited[size_t(i)]) throw badInput(fmt::format("node {} stands inside itself, or in two places", i));
    visited[size_t(i)] = 1;
    for (const int c : m_in.nodes[size_t(i)].children) visit(c, visited, depth + 1);
  }

  std::string m_path;
  const tinygltf::Model& m_in;
  Model m_out;
  std::vector<std::vector<int>> m_parts;
};

} // namespace

Model readGltf(const std::string& path) {
  std::vector<std::string> notes;
  const tinygltf::Model m = load(path, &notes);
  return Converter(path, m).convert(std::move(notes));
}

std::string gltfImageBytes(const std::string& path, int index, std::string& externalPath) {
  const tinygltf::Model m = load(path, nullptr);
  const auto& image = at(m.images, index, "image");
  if (!image.uri.empty() && !image.uri.starts_with("data:")) externalPath = (std::filesystem::path(path).parent_path() / image.uri).string();
  return std::string(image.image.begin(), image.image.end());
}

} // namespace ilumbra
