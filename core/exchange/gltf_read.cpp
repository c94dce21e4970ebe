// glTF 2.0, text and binary, by tinygltf. Runs in the parsing child.
#include "core/exchange/gltf.h"
#include "core/exchange/readers.h"

#include <filesystem>
#include <fstream>
#include <set>

namespace ilumbra {
namespace {

constexpr size_t mostElements = 100'000'000;
constexpr int deepestTree = 1000;

bool keepEncoded(tinygltf::Image* image, const int, std::string*, std::string*, int, int, const unsigned char* bytes,
                 int size, void*) {
  image->image.assign(bytes, bytes + size);
  image->as_is = true;
  return true;
}

tinygltf::Model load(const std::string& path, std::vector<std::string>* notes) {
  tinygltf::TinyGLTF loader;
  loader.SetImageLoader(keepEncoded, nullptr);
  loader.SetStoreOriginalJSONForExtrasAndExtensions(true);
  tinygltf::Model m;
  std::string error, warning;
  // By content, not by name: a .glb may hold text and the other way round.
  char magic[8] = {};
  std::ifstream(path, std::ios::binary).read(magic, 8);
  const bool binary = std::string_view(magic, 4) == "glTF";
  if (binary && magic[4] == 1) throw badInput("is glTF 1; version 2 is read");
  const bool ok = binary ? loader.LoadBinaryFromFile(&m, &error, &warning, path)
                         : loader.LoadASCIIFromFile(&m, &error, &warning, path);
  if (!ok) throw badInput(error.empty() ? "is not valid glTF" : "is not valid glTF: " + error);
  if (!m.asset.version.empty() && m.asset.version[0] != '2')
    throw badInput("is glTF " + m.asset.version + "; version 2 is read");
  if (notes && !warning.empty()) notes->push_back(warning.substr(0, warning.find('\n')));
  return m;
}

double component(const unsigned char* p, int type, bool normalized) {
  const auto as = [&](auto v) {
    std::memcpy(&v, p, sizeof v);
    return v;
  };
  switch (type) {
  case TINYGLTF_COMPONENT_TYPE_BYTE:
    return normalized ? std::max(-1.0, as(int8_t()) / 127.0) : as(int8_t());
  case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE:
    return normalized ? as(uint8_t()) / 255.0 : as(uint8_t());
  case TINYGLTF_COMPONENT_TYPE_SHORT:
    return normalized ? std::max(-1.0, as(int16_t()) / 32767.0) : as(int16_t());
  case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT:
    return normalized ? as(uint16_t()) / 65535.0 : as(uint16_t());
  case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT:
    return as(uint32_t());
  case TINYGLTF_COMPONENT_TYPE_FLOAT:
    return double(as(float()));
  default:
    throw badInput(fmt::format("an accessor has components of type {}, which glTF does not know", type));
  }
}

// A run of `count` elements inside a buffer, or an exception.
const unsigned char* run(const tinygltf::Model& m, int viewIndex, size_t offset, size_t count, size_t size,
                         size_t& stride) {
  const auto& view = gltfAt(m.bufferViews, viewIndex, "buffer view");
  const auto& buffer = gltfAt(m.buffers, view.buffer, "buffer");
  stride = view.byteStride ? view.byteStride : size;
  if (view.byteOffset > buffer.data.size() || view.byteLength > buffer.data.size() - view.byteOffset)
    throw badInput(fmt::format("buffer view {} ends beyond its buffer of {} bytes", viewIndex, buffer.data.size()));
  if (count &&
      (offset > view.byteLength || stride > view.byteLength || (count - 1) > (view.byteLength - offset) / stride ||
       (count - 1) * stride + size > view.byteLength - offset))
    throw badInput(fmt::format("an accessor reads beyond buffer view {}", viewIndex));
  return buffer.data.data() + view.byteOffset + offset;
}

} // namespace

std::vector<double> gltfNumbers(const tinygltf::Model& m, int index, int wanted) {
  const auto& a = gltfAt(m.accessors, index, "accessor");
  const int components = tinygltf::GetNumComponentsInType(uint32_t(a.type));
  const int bytes = tinygltf::GetComponentSizeInBytes(uint32_t(a.componentType));
  if (components < 1 || bytes < 1) throw badInput(fmt::format("accessor {} has a type glTF does not know", index));
  if (wanted && components != wanted)
    throw badInput(fmt::format("accessor {} has {} components where {} belong", index, components, wanted));
  if (a.count > mostElements) throw badInput(fmt::format("accessor {} claims {} elements", index, a.count));
  const auto n = size_t(components), size = n * size_t(bytes);
  std::vector<double> out;
  if (a.bufferView >= 0) {
    size_t stride;
    const unsigned char* p = run(m, a.bufferView, a.byteOffset, a.count, size, stride);
    out.resize(a.count * n);
    for (size_t i = 0; i < a.count; ++i)
      for (size_t c = 0; c < n; ++c)
        out[i * n + c] = component(p + i * stride + c * size_t(bytes), a.componentType, a.normalized);
  } else {
    if (a.count > 10'000'000)
      throw badInput(fmt::format("accessor {} claims {} elements without data", index, a.count));
    out.assign(a.count * n, 0.0);
  }
  if (a.sparse.isSparse) {
    if (a.sparse.count < 0 || size_t(a.sparse.count) > a.count)
      throw badInput(fmt::format("accessor {} has more sparse elements than elements", index));
    const auto k = size_t(a.sparse.count);
    const int ib = tinygltf::GetComponentSizeInBytes(uint32_t(a.sparse.indices.componentType));
    if (ib < 1) throw badInput(fmt::format("accessor {} has sparse indices of no known type", index));
    size_t is, vs;
    const unsigned char* ip =
        run(m, a.sparse.indices.bufferView, size_t(std::max(0, a.sparse.indices.byteOffset)), k, size_t(ib), is);
    const unsigned char* vp =
        run(m, a.sparse.values.bufferView, size_t(std::max(0, a.sparse.values.byteOffset)), k, size, vs);
    for (size_t i = 0; i < k; ++i) {
      const double where = component(ip + i * is, a.sparse.indices.componentType, false);
      if (where < 0 || where >= double(a.count))
        throw badInput(fmt::format("accessor {} has a sparse index out of range", index));
      for (size_t c = 0; c < n; ++c)
        out[size_t(where) * n + c] = component(vp + i * vs + c * size_t(bytes), a.componentType, a.normalized);
    }
  }
  return out;
}

double gltfNumber(const tinygltf::Value& v, const char* key, double fallback) {
  return v.IsObject() && v.Has(key) && v.Get(key).IsNumber() ? v.Get(key).GetNumberAsDouble() : fallback;
}

void tellOnce(std::vector<std::string>& notes, const std::string& text) {
  if (std::find(notes.begin(), notes.end(), text) == notes.end()) notes.push_back(text);
}

namespace {

int attribute(const tinygltf::Primitive& p, const char* name) {
  const auto it = p.attributes.find(name);
  return it == p.attributes.end() ? -1 : it->second;
}

Mesh readMesh(const tinygltf::Model& m, const tinygltf::Primitive& p, int uvSet, const std::string& name) {
  Mesh mesh;
  const int positions = attribute(p, "POSITION");
  if (positions < 0) throw badInput(name + ": has no positions");
  const auto v = gltfNumbers(m, positions, 3);
  for (size_t i = 0; i + 2 < v.size(); i += 3) {
    mesh.positions.emplace_back(float(v[i]), float(v[i + 1]), float(v[i + 2]));
    if (!finite(mesh.positions.back())) throw badInput(fmt::format("{}: vertex {} is not finite", name, i / 3 + 1));
  }
  if (const int a = attribute(p, "NORMAL"); a >= 0) {
    const auto n = gltfNumbers(m, a, 3);
    if (n.size() == v.size())
      for (size_t i = 0; i + 2 < n.size(); i += 3) {
        const V3f normal(float(n[i]), float(n[i + 1]), float(n[i + 2]));
        mesh.normals.push_back(finite(normal) ? normalize(normal) : V3f(0.0f));
      }
  }
  if (const int a = attribute(p, fmt::format("TEXCOORD_{}", uvSet).c_str()); a >= 0) {
    const auto t = gltfNumbers(m, a, 2);
    if (t.size() / 2 == v.size() / 3)
      for (size_t i = 0; i + 1 < t.size(); i += 2) {
        const V2f uv(float(t[i]), float(1 - t[i + 1]));
        mesh.uvs.push_back(std::isfinite(uv.x) && std::isfinite(uv.y) ? uv : V2f(0, 0));
      }
  }
  // The set that the material does not use.
  if (const int a = attribute(p, uvSet == 1 ? "TEXCOORD_0" : "TEXCOORD_1"); a >= 0) {
    const auto t = gltfNumbers(m, a, 2);
    if (t.size() / 2 == v.size() / 3)
      for (size_t i = 0; i + 1 < t.size(); i += 2) {
        const V2f uv(float(t[i]), float(1 - t[i + 1]));
        mesh.uvs2.push_back(std::isfinite(uv.x) && std::isfinite(uv.y) ? uv : V2f(0, 0));
      }
  }
  if (const int a = attribute(p, "COLOR_0"); a >= 0 && size_t(a) < m.accessors.size()) {
    const size_t n = m.accessors[size_t(a)].type == TINYGLTF_TYPE_VEC3 ? 3 : 4;
    const auto c = gltfNumbers(m, a, int(n));
    if (c.size() / n == v.size() / 3)
      for (size_t i = 0; i + n <= c.size(); i += n) {
        const auto x = [&](size_t k) { return std::isfinite(c[i + k]) ? float(c[i + k]) : 1.0f; };
        mesh.colors.emplace_back(x(0), x(1), x(2), n == 4 ? x(3) : 1.0f);
      }
  }
  std::vector<uint32_t> indices;
  if (p.indices >= 0) {
    for (const double i : gltfNumbers(m, p.indices, 1)) {
      if (!(i >= 0) || i >= double(mesh.positions.size()))
        throw badInput(
            fmt::format("{}: an index names vertex {:.0f}, but there are {}", name, i, mesh.positions.size()));
      indices.push_back(uint32_t(i));
    }
  } else {
    for (uint32_t i = 0; i < mesh.positions.size(); ++i) indices.push_back(i);
  }
  const int mode = p.mode < 0 ? TINYGLTF_MODE_TRIANGLES : p.mode;
  if (mode == TINYGLTF_MODE_TRIANGLES)
    for (size_t i = 0; i + 2 < indices.size(); i += 3)
      mesh.triangles.push_back({indices[i], indices[i + 1], indices[i + 2]});
  else if (mode == TINYGLTF_MODE_TRIANGLE_STRIP)
    for (size_t i = 0; i + 2 < indices.size(); ++i)
      mesh.triangles.push_back(i & 1 ? Mesh::Triangle{indices[i + 1], indices[i], indices[i + 2]}
                                     : Mesh::Triangle{indices[i], indices[i + 1], indices[i + 2]});
  else if (mode == TINYGLTF_MODE_TRIANGLE_FAN)
    for (size_t i = 1; i + 1 < indices.size(); ++i) mesh.triangles.push_back({indices[0], indices[i], indices[i + 1]});
  return mesh;
}

class Converter {
 public:
  Converter(const std::string& path, const tinygltf::Model& m) : m_path(path), m_in(m) {}

  Model convert(std::vector<std::string> notes) {
    m_out.notes = std::move(notes);
    static const std::set<std::string> known = {"KHR_lights_punctual",
                                                "KHR_texture_transform",
                                                "KHR_mesh_quantization",
                                                "KHR_draco_mesh_compression",
                                                "KHR_materials_emissive_strength",
                                                "KHR_materials_ior",
                                                "KHR_materials_transmission",
                                                "KHR_materials_volume",
                                                "KHR_materials_dispersion",
                                                "KHR_materials_specular",
                                                "KHR_materials_clearcoat",
                                                "KHR_materials_sheen",
                                                "KHR_materials_anisotropy",
                                                "KHR_materials_iridescence",
                                                "KHR_materials_diffuse_transmission",
                                                "KHR_materials_unlit",
                                                "KHR_materials_pbrSpecularGlossiness",
                                                "EXT_mesh_gpu_instancing"};
    for (const std::string& e : m_in.extensionsRequired)
      if (!known.count(e)) throw badInput("needs the extension " + e + ", which this version does not read");
    for (const std::string& e : m_in.extensionsUsed)
      if (!known.count(e)) note(e + " is left out");
    m_out.unit = 1; // the standard's
    m_out.extra = m_in.extras_json_string;
    for (const auto& i : m_in.images)
      m_out.imageFiles.push_back(i.uri.empty() || i.uri.starts_with("data:")
                                     ? ""
                                     : (std::filesystem::path(m_path).parent_path() / i.uri).string());
    for (const auto& mat : m_in.materials) m_out.materials.push_back(gltfMaterial(m_in, mat, m_out.notes));
    for (const auto& l : m_in.lights) m_out.lights.push_back(light(l));
    meshes();
    nodes();
    skins();
    m_out.motions = gltfMotions(m_in, m_out.notes);
    return std::move(m_out);
  }

 private:
  void note(const std::string& text) { tellOnce(m_out.notes, text); }

  ModelLight light(const tinygltf::Light& in) {
    ModelLight l;
    l.type = in.type == "spot"          ? ModelLight::Type::Spot
             : in.type == "directional" ? ModelLight::Type::Sun
                                        : ModelLight::Type::Point;
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
        if (p.material >= 0) gltfAt(m_in.materials, p.material, "material");
        if (attribute(p, "COLOR_0") >= 0) note("colours of vertices are left out");
        ModelPart part;
        part.name = mesh.primitives.size() > 1 && p.material >= 0 && !m_in.materials[size_t(p.material)].name.empty()
                        ? name + " " + m_in.materials[size_t(p.material)].name
                        : name;
        part.mesh = readMesh(m_in, p, 0, name);
        part.material = p.material;
        morphs(p, part);
        for (const double w : mesh.weights) part.weights.push_back(std::isfinite(w) ? float(w) : 0);
        part.weights.resize(part.morphs.size(), 0.0f);
        influences(p, part);
        if (part.mesh.triangles.empty()) continue;
        m_parts.back().push_back(int(m_out.parts.size()));
        m_out.parts.push_back(std::move(part));
      }
    }
  }

  std::vector<V3f> offsets(int accessor, size_t count, const std::string& name) {
    std::vector<V3f> out;
    const auto v = gltfNumbers(m_in, accessor, 3);
    if (v.size() / 3 != count) throw badInput(name + ": a morph has not as many vertices as its mesh");
    for (size_t i = 0; i + 2 < v.size(); i += 3) {
      const V3f d(float(v[i]), float(v[i + 1]), float(v[i + 2]));
      out.push_back(finite(d) ? d : V3f(0.0f));
    }
    return out;
  }

  void morphs(const tinygltf::Primitive& p, ModelPart& part) {
    for (const auto& target : p.targets) {
      ModelPart::Morph m;
      const auto find = [&](const char* what) {
        const auto it = target.find(what);
        return it == target.end() ? -1 : it->second;
      };
      if (const int a = find("POSITION"); a >= 0) m.positions = offsets(a, part.mesh.positions.size(), part.name);
      if (const int a = find("NORMAL"); a >= 0 && !part.mesh.normals.empty())
        m.normals = offsets(a, part.mesh.positions.size(), part.name);
      part.morphs.push_back(std::move(m));
    }
  }

  void influences(const tinygltf::Primitive& p, ModelPart& part) {
    std::vector<std::vector<double>> joints, weights;
    for (int set = 0; set < 4; ++set) {
      const int j = attribute(p, fmt::format("JOINTS_{}", set).c_str()),
                w = attribute(p, fmt::format("WEIGHTS_{}", set).c_str());
      if (j < 0 || w < 0) break;
      joints.push_back(gltfNumbers(m_in, j, 4));
      weights.push_back(gltfNumbers(m_in, w, 4));
      if (joints.back().size() != 4 * part.mesh.positions.size() || weights.back().size() != joints.back().size())
        throw badInput(part.name + ": has not as many joints or weights as vertices");
    }
    for (size_t i = 0; i < part.mesh.positions.size() && !joints.empty(); ++i)
      for (size_t set = 0; set < joints.size(); ++set)
        for (size_t k = 4 * i; k < 4 * i + 4; ++k) {
          const double j = joints[set][k], w = weights[set][k];
          part.influences.push_back({j >= 0 && j < 65536 ? uint32_t(j) : 0, std::isfinite(w) ? float(w) : 0});
        }
  }

  void skins() {
    for (const auto& in : m_in.skins) {
      ModelSkin skin;
      for (const int j : in.joints) {
        gltfAt(m_in.nodes, j, "joint");
        skin.joints.push_back(j);
      }
      skin.toJoint.resize(skin.joints.size());
      if (in.inverseBindMatrices >= 0) {
        const auto v = gltfNumbers(m_in, in.inverseBindMatrices, 16);
        if (v.size() < 16 * skin.joints.size()) throw badInput("a skin has fewer matrices than joints");
        for (size_t i = 0; i < skin.joints.size(); ++i)
          for (size_t k = 0; k < 16; ++k) (&skin.toJoint[i][0][0])[k] = float(v[16 * i + k]);
      }
      m_out.skins.push_back(std::move(skin));
    }
    for (const ModelPart& p : m_out.parts)
      if (p.skin >= 0)
        for (const auto& i : p.influences)
          if (i.joint >= m_out.skins[size_t(p.skin)].joints.size())
            throw badInput(fmt::format("{}: names joint {}, but its skin has {}", p.name, i.joint,
                                       m_out.skins[size_t(p.skin)].joints.size()));
  }

  // What a skin or morphs change belongs to one node: where a second one uses the mesh, it gets parts of its own.
  std::vector<int> ownParts(const tinygltf::Node& n, int node) {
    std::vector<int> parts = gltfAt(m_parts, n.mesh, "mesh");
    if (n.skin >= 0) gltfAt(m_in.skins, n.skin, "skin");
    for (int& i : parts) {
      const bool skinned = n.skin >= 0 && !m_out.parts[size_t(i)].influences.empty();
      if (!skinned && m_out.parts[size_t(i)].morphs.empty()) continue;
      if (m_out.parts[size_t(i)].node >= 0) {
        m_out.parts.push_back(m_out.parts[size_t(i)]);
        i = int(m_out.parts.size()) - 1;
      }
      ModelPart& part = m_out.parts[size_t(i)];
      part.node = node;
      part.skin = skinned ? n.skin : -1;
      if (!n.weights.empty()) {
        part.weights.clear();
        for (const double w : n.weights) part.weights.push_back(std::isfinite(w) ? float(w) : 0);
        part.weights.resize(part.morphs.size(), 0.0f);
      }
    }
    return parts;
  }

  // EXT_mesh_gpu_instancing: copies of the node's mesh, as nodes in it.
  void copies(const tinygltf::Value& e, ModelNode& node) {
    const auto numbers = [&](const char* what, int wanted) {
      return e.Has("attributes") && e.Get("attributes").Has(what)
                 ? gltfNumbers(m_in, int(gltfNumber(e.Get("attributes"), what, -1)), wanted)
                 : std::vector<double>{};
    };
    const auto places = numbers("TRANSLATION", 3), turns = numbers("ROTATION", 4), sizes = numbers("SCALE", 3);
    const size_t count = std::max({places.size() / 3, turns.size() / 4, sizes.size() / 3});
    if (count > 20'000) throw badInput(fmt::format("has {} copies of one mesh as nodes; 20 000 are read", count));
    for (size_t i = 0; i < count; ++i) {
      tinygltf::Node n;
      const auto take = [&](std::vector<double>& to, const std::vector<double>& from, size_t width) {
        if (from.size() >= (i + 1) * width)
          to.assign(from.begin() + std::ptrdiff_t(i * width), from.begin() + std::ptrdiff_t((i + 1) * width));
      };
      take(n.translation, places, 3);
      take(n.rotation, turns, 4);
      take(n.scale, sizes, 3);
      ModelNode copy;
      copy.name = fmt::format("{} {}", node.name, i + 1);
      copy.matrix = matrixOf(n);
      copy.parts = node.parts;
      m_copies.emplace_back(std::move(copy));
      node.children.push_back(int(m_in.nodes.size() + m_copies.size()) - 1);
    }
    node.parts.clear();
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
      const float x = float(n.rotation[0]), y = float(n.rotation[1]), z = float(n.rotation[2]),
                  w = float(n.rotation[3]);
      const float s = x * x + y * y + z * z + w * w;
      if (s > 1e-12f) {
        const float k = 2 / s;
        rotate = M44f(1 - k * (y * y + z * z), k * (x * y + z * w), k * (x * z - y * w), 0, k * (x * y - z * w),
                      1 - k * (x * x + z * z), k * (y * z + x * w), 0, k * (x * z + y * w), k * (y * z - x * w),
                      1 - k * (x * x + y * y), 0, 0, 0, 0, 1);
      }
    }
    if (n.translation.size() == 3)
      translate.setTranslation(V3f(float(n.translation[0]), float(n.translation[1]), float(n.translation[2])));
    return scale * rotate * translate;
  }

  void nodes() {
    for (const auto& n : m_in.nodes) {
      ModelNode out;
      out.name = n.name;
      out.matrix = matrixOf(n);
      if (n.mesh >= 0) out.parts = ownParts(n, int(m_out.nodes.size()));
      out.extra = n.extras_json_string;
      if (const auto it = n.extensions.find("EXT_mesh_gpu_instancing"); it != n.extensions.end())
        copies(it->second, out);
      if (const auto it = n.extensions.find("KHR_lights_punctual"); it != n.extensions.end()) {
        out.light = int(gltfNumber(it->second, "light", -1));
        gltfAt(m_out.lights, out.light, "light");
      }
      if (n.camera >= 0) {
        const auto& c = gltfAt(m_in.cameras, n.camera, "camera");
        if (c.type == "perspective" && c.perspective.yfov > 0 && c.perspective.yfov < 3.1) {
          out.fieldOfView = float(c.perspective.yfov) * 180 / pi;
          if (c.perspective.aspectRatio > 0.05 && c.perspective.aspectRatio < 20)
            out.aspect = float(c.perspective.aspectRatio);
        } else
          note("a camera without perspective is left out");
      }
      for (const int c : n.children) {
        gltfAt(m_in.nodes, c, "node");
        out.children.push_back(c);
      }
      m_out.nodes.push_back(std::move(out));
    }
    for (ModelNode& c : m_copies) m_out.nodes.push_back(std::move(c));
    std::vector<int> scene;
    if (!m_in.scenes.empty())
      scene = gltfAt(m_in.scenes, std::max(0, m_in.defaultScene), "scene").nodes;
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
      gltfAt(m_in.nodes, r, "node");
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
  std::vector<ModelNode> m_copies;
};

} // namespace

Model readGltf(const std::string& path) {
  std::vector<std::string> notes;
  const tinygltf::Model m = load(path, &notes);
  return Converter(path, m).convert(std::move(notes));
}

std::string gltfImageBytes(const std::string& path, int index, std::string& externalPath) {
  const tinygltf::Model m = load(path, nullptr);
  const auto& image = gltfAt(m.images, index, "image");
  if (!image.uri.empty() && !image.uri.starts_with("data:"))
    externalPath = (std::filesystem::path(path).parent_path() / image.uri).string();
  return std::string(image.image.begin(), image.image.end());
}

} // namespace ilumbra
