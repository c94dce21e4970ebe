// glTF 2.0, binary or text: one buffer, its accessors and the JSON that names them.
#include "core/exchange/export.h"
#include "core/geometry/pose.h"

#include <nlohmann/json.hpp>

namespace ilumbra {
namespace {

using Json = nlohmann::ordered_json;

class Writer {
 public:
  Writer(const Model& m, const std::vector<std::string>& images) : m_model(m), m_images(images) {}

  std::string run(bool binary) {
    m_root["asset"] = {{"version", "2.0"}, {"generator", "Ilumbra"}};
    m_root["scene"] = 0;
    m_root["scenes"] = Json::array({Json{{"nodes", m_model.roots}}});
    if (!m_model.extra.empty()) m_root["extras"] = Json::parse(m_model.extra);
    images();
    materials();
    meshes();
    lights();
    nodes();
    motions();
    if (!m_used.empty()) m_root["extensionsUsed"] = m_used;
    if (!m_bytes.empty()) {
      m_root["buffers"] = Json::array({Json{{"byteLength", m_bytes.size()}}});
      if (!binary) m_root["buffers"][0]["uri"] = "data:application/octet-stream;base64," + base64(m_bytes);
    }
    return binary ? pack() : m_root.dump(1) + "\n";
  }

 private:
  void uses(const char* extension) {
    if (std::find(m_used.begin(), m_used.end(), extension) == m_used.end()) m_used.emplace_back(extension);
  }

  static Json list(const V3f& v) { return Json::array({v.x, v.y, v.z}); }

  size_t accessor(const void* data, size_t bytes, size_t count, int componentType, const char* type, int target) {
    while (m_bytes.size() % 4) m_bytes += '\0';
    const size_t offset = m_bytes.size();
    m_bytes.append(static_cast<const char*>(data), bytes);
    m_root["bufferViews"].push_back({{"buffer", 0}, {"byteOffset", offset}, {"byteLength", bytes}});
    if (target) m_root["bufferViews"].back()["target"] = target;
    m_root["accessors"].push_back({{"bufferView", m_root["bufferViews"].size() - 1},
                                   {"componentType", componentType},
                                   {"count", count},
                                   {"type", type}});
    return m_root["accessors"].size() - 1;
  }

  static std::string base64(const std::string& bytes) {
    static const char* digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out;
    out.reserve((bytes.size() + 2) / 3 * 4);
    for (size_t i = 0; i < bytes.size(); i += 3) {
      const auto at = [&](size_t k) {
        return i + k < bytes.size() ? unsigned(static_cast<unsigned char>(bytes[i + k])) : 0u;
      };
      const unsigned v = at(0) << 16 | at(1) << 8 | at(2);
      out += digits[v >> 18];
      out += digits[v >> 12 & 63];
      out += i + 1 < bytes.size() ? digits[v >> 6 & 63] : '=';
      out += i + 2 < bytes.size() ? digits[v & 63] : '=';
    }
    return out;
  }

  void images() {
    m_imageOf.assign(m_images.size(), -1);
    for (size_t i = 0; i < m_images.size(); ++i) {
      const std::string& bytes = m_images[i];
      if (bytes.empty()) continue;
      while (m_bytes.size() % 4) m_bytes += '\0';
      m_root["bufferViews"].push_back({{"buffer", 0}, {"byteOffset", m_bytes.size()}, {"byteLength", bytes.size()}});
      m_bytes += bytes;
      m_root["images"].push_back({{"bufferView", m_root["bufferViews"].size() - 1},
                                  {"mimeType", bytes.starts_with("\x89PNG") ? "image/png" : "image/jpeg"}});
      m_imageOf[i] = int(m_root["images"].size()) - 1;
      m_root["textures"].push_back({{"source", m_imageOf[i]}});
    }
  }

  // Puts a texture into `to` under `key`, if its picture is there.
  void texture(Json& to, const char* key, const ModelTexture& t) {
    if (t.image < 0 || size_t(t.image) >= m_imageOf.size() || m_imageOf[size_t(t.image)] < 0) return;
    Json j = {{"index", m_imageOf[size_t(t.image)]}};
    if (t.offset != V2f(0, 0) || t.scale != V2f(1, 1) || t.turn != 0) {
      uses("KHR_texture_transform");
      j["extensions"]["KHR_texture_transform"] = {
          {"offset", {t.offset.x, t.offset.y}}, {"scale", {t.scale.x, t.scale.y}}, {"rotation", t.turn * pi / 180}};
    }
    to[key] = std::move(j);
  }

  void materials() {
    for (const ModelMaterial& m : m_model.materials) {
      Json pbr = {{"baseColorFactor", {m.baseColor.x, m.baseColor.y, m.baseColor.z, m.opacity}},
                  {"metallicFactor", m.metalness},
                  {"roughnessFactor", m.roughness}};
      texture(pbr, "baseColorTexture", m.baseColorTexture);
      texture(pbr, "metallicRoughnessTexture", m.metalRoughTexture);
      Json j = {{"name", m.name}, {"pbrMetallicRoughness", std::move(pbr)}};
      if (m.opacity < 1 || m.useAlpha) j["alphaMode"] = "BLEND";
      texture(j, "normalTexture", m.normalTexture);
      if (j.contains("normalTexture") && m.normalScale != 1) j["normalTexture"]["scale"] = m.normalScale;
      texture(j, "occlusionTexture", m.occlusionTexture);
      Json extensions = Json::object();
      const auto add = [&](const char* name, Json value) -> Json& {
        uses(name);
        return extensions[name] = std::move(value);
      };
      const float most = maxComponent(m.emission);
      if (most > 0) {
        j["emissiveFactor"] = list(m.emission * (1 / most));
        texture(j, "emissiveTexture", m.emissionTexture);
        add("KHR_materials_emissive_strength", {{"emissiveStrength", most}});
      }
      if (m.ior != 1.5f) add("KHR_materials_ior", {{"ior", m.ior}});
      if (m.specular != 1 || m.specularTint != V3f(1.0f)) {
        Json& e = add("KHR_materials_specular",
                      {{"specularFactor", m.specular}, {"specularColorFactor", list(m.specularTint)}});
        texture(e, "specularTexture", m.specularTexture);
        texture(e, "specularColorTexture", m.specularTintTexture);
      }
      if (m.transmission > 0) {
        texture(add("KHR_materials_transmission", {{"transmissionFactor", m.transmission}}), "transmissionTexture",
                m.transmissionTexture);
        if (m.abbe > 0) add("KHR_materials_dispersion", {{"dispersion", 20 / m.abbe}});
      }
      if (!m.thin && (m.transmission > 0 || m.attenuationDepth > 0)) {
        Json volume = {{"thicknessFactor", 1}};
        if (m.attenuationDepth > 0) {
          volume["attenuationColor"] = list(m.attenuationColor);
          volume["attenuationDistance"] = m.attenuationDepth;
        }
        add("KHR_materials_volume", std::move(volume));
      }
      if (m.translucency > 0) {
        Json& e =
            add("KHR_materials_diffuse_transmission", {{"diffuseTransmissionFactor", m.translucency},
                                                       {"diffuseTransmissionColorFactor", list(m.translucencyColor)}});
        texture(e, "diffuseTransmissionTexture", m.translucencyTexture);
        texture(e, "diffuseTransmissionColorTexture", m.translucencyColorTexture);
      }
      if (m.coat > 0) {
        Json& e = add("KHR_materials_clearcoat",
                      {{"clearcoatFactor", m.coat}, {"clearcoatRoughnessFactor", m.coatRoughness}});
        texture(e, "clearcoatTexture", m.coatTexture);
        texture(e, "clearcoatRoughnessTexture", m.coatRoughTexture);
      }
      if (!isBlack(m.sheenColor)) {
        Json& e = add("KHR_materials_sheen",
                      {{"sheenColorFactor", list(m.sheenColor)}, {"sheenRoughnessFactor", m.sheenRoughness}});
        texture(e, "sheenColorTexture", m.sheenTexture);
        texture(e, "sheenRoughnessTexture", m.sheenRoughTexture);
      }
      if (m.anisotropy > 0)
        add("KHR_materials_anisotropy",
            {{"anisotropyStrength", m.anisotropy}, {"anisotropyRotation", m.grainTurn * pi / 180}});
      if (m.film > 0) {
        Json& e = add("KHR_materials_iridescence", {{"iridescenceFactor", m.film},
                                                    {"iridescenceIor", m.filmIor},
                                                    {"iridescenceThicknessMaximum", m.filmThickness}});
        texture(e, "iridescenceTexture", m.filmTexture);
      }
      if (!extensions.empty()) j["extensions"] = extensions;
      if (!m.extra.empty()) j["extras"] = Json::parse(m.extra);
      m_root["materials"].push_back(std::move(j));
    }
  }

  void motions() {
    for (const ModelMotion& motion : m_model.motions) {
      Json samplers = Json::array(), channels = Json::array();
      // Tracks mostly have the same times, which are then written once.
      std::vector<std::pair<const std::vector<float>*, size_t>> times;
      for (const ModelMove& move : motion.moves)
        for (const auto& [t, path] :
             {std::pair{&move.position, "translation"}, {&move.rotation, "rotation"}, {&move.scale, "scale"}}) {
          if (!t->width || t->times.empty()) continue;
          size_t input = 0;
          const auto known = std::find_if(times.begin(), times.end(),
                                          [&, track = t](const auto& e) { return *e.first == track->times; });
          if (known != times.end())
            input = known->second;
          else {
            input = accessor(t->times.data(), t->times.size() * 4, t->times.size(), 5126, "SCALAR", 0);
            m_root["accessors"].back()["min"] = {t->times.front()};
            m_root["accessors"].back()["max"] = {t->times.back()};
            times.emplace_back(&t->times, input);
          }
          const size_t output = accessor(t->values.data(), t->values.size() * 4, t->times.size(), 5126,
                                         t->width == 4 ? "VEC4" : "VEC3", 0);
          samplers.push_back({{"input", input}, {"output", output}, {"interpolation", "LINEAR"}});
          channels.push_back({{"sampler", samplers.size() - 1}, {"target", {{"node", move.node}, {"path", path}}}});
        }
      if (!channels.empty())
        m_root["animations"].push_back({{"name", motion.name}, {"samplers", samplers}, {"channels", channels}});
    }
  }

  void meshes() {
    for (const ModelPart& p : m_model.parts) {
      const Mesh& m = p.mesh;
      Json attributes = Json::object();
      const size_t n = m.positions.size();
      attributes["POSITION"] = accessor(m.positions.data(), n * 12, n, 5126, "VEC3", 34962);
      V3f lo(1e30f), hi(-1e30f);
      for (const V3f& v : m.positions) {
        lo = vmin(lo, v);
        hi = vmax(hi, v);
      }
      m_root["accessors"].back()["min"] = list(n ? lo : V3f(0.0f));
      m_root["accessors"].back()["max"] = list(n ? hi : V3f(0.0f));
      if (!m.normals.empty()) attributes["NORMAL"] = accessor(m.normals.data(), n * 12, n, 5126, "VEC3", 34962);
      if (!m.uvs.empty()) {
        std::vector<V2f> down;
        for (const V2f& uv : m.uvs) down.emplace_back(uv.x, 1 - uv.y); // glTF's v runs downwards
        attributes["TEXCOORD_0"] = accessor(down.data(), n * 8, n, 5126, "VEC2", 34962);
      }
      Json primitive = {{"attributes", attributes},
                        {"indices", accessor(m.triangles.data(), m.triangles.size() * 12, m.triangles.size() * 3, 5125,
                                             "SCALAR", 34963)}};
      if (p.material >= 0) primitive["material"] = p.material;
      m_root["meshes"].push_back({{"name", p.name}, {"primitives", Json::array({primitive})}});
    }
  }

  void lights() {
    Json all = Json::array();
    for (const ModelLight& l : m_model.lights) {
      const bool sun = l.type == ModelLight::Type::Sun, spot = l.type == ModelLight::Type::Spot;
      Json j = {{"type", sun    ? "directional"
                         : spot ? "spot"
                                : "point"},
                {"color", list(l.color)},
                {"intensity", sun ? l.power : l.power / (4 * pi)}};
      if (spot) {
        // A hard edge: the format asks for an inner cone below the outer one, and an outer one of 90° at most.
        const double outer = std::clamp(double(l.outerCone) * M_PI / 180, 1e-4, M_PI / 2);
        j["spot"] = {{"innerConeAngle", std::clamp(double(l.innerCone) * M_PI / 180, 0.0, outer * (1 - 1e-5))},
                     {"outerConeAngle", outer}};
      }
      all.push_back(std::move(j));
    }
    if (all.empty()) return;
    uses("KHR_lights_punctual");
    m_root["extensions"]["KHR_lights_punctual"]["lights"] = all;
  }

  // What moves is written as place, rotation and scale, which its motion replaces; all else as a matrix.
  void place(Json& j, const ModelNode& n, size_t index) {
    bool moves = false;
    for (const ModelMotion& motion : m_model.motions)
      for (const ModelMove& move : motion.moves) moves |= move.node == int(index);
    if (moves) {
      NodePose pose;
      takeApart(n.matrix, pose);
      j["translation"] = list(pose.position);
      j["rotation"] = {pose.rotation[0], pose.rotation[1], pose.rotation[2], pose.rotation[3]};
      j["scale"] = list(pose.scale);
      return;
    }
    if (n.matrix == M44f()) return;
    Json matrix = Json::array();
    for (int i = 0; i < 16; ++i) matrix.push_back((&n.matrix[0][0])[i]);
    j["matrix"] = matrix;
  }

  void nodes() {
    for (const ModelNode& n : m_model.nodes) {
      Json j = {{"name", n.name}};
      place(j, n, m_root["nodes"].size());
      if (!n.extra.empty()) j["extras"] = Json::parse(n.extra);
      if (!n.parts.empty()) j["mesh"] = n.parts[0]; // each part is written as a mesh
      if (!n.children.empty()) j["children"] = n.children;
      if (n.light >= 0) j["extensions"] = {{"KHR_lights_punctual", {{"light", n.light}}}};
      if (n.fieldOfView > 0) {
        m_root["cameras"].push_back(
            {{"type", "perspective"},
             {"perspective", n.aspect > 0
                                 ? Json{{"yfov", n.fieldOfView * pi / 180}, {"znear", 0.01}, {"aspectRatio", n.aspect}}
                                 : Json{{"yfov", n.fieldOfView * pi / 180}, {"znear", 0.01}}}});
        j["camera"] = m_root["cameras"].size() - 1;
      }
      m_root["nodes"].push_back(std::move(j));
    }
  }

  std::string pack() {
    std::string json = m_root.dump();
    while (json.size() % 4) json += ' ';
    while (m_bytes.size() % 4) m_bytes += '\0';
    std::string out;
    const auto word = [&](uint32_t v) { out.append(reinterpret_cast<const char*>(&v), 4); };
    out += "glTF";
    word(2);
    word(uint32_t(12 + 8 + json.size() + (m_bytes.empty() ? 0 : 8 + m_bytes.size())));
    word(uint32_t(json.size()));
    out += "JSON";
    out += json;
    if (!m_bytes.empty()) {
      word(uint32_t(m_bytes.size()));
      out += std::string("BIN\0", 4);
      out += m_bytes;
    }
    return out;
  }

  const Model& m_model;
  const std::vector<std::string>& m_images;
  std::vector<int> m_imageOf;
  Json m_root;
  std::string m_bytes;
  std::vector<std::string> m_used;
};

} // namespace

std::string toGlb(const Model& model, const std::vector<std::string>& images) {
  return Writer(model, images).run(true);
}
std::string toGltf(const Model& model, const std::vector<std::string>& images) {
  return Writer(model, images).run(false);
}

} // namespace ilumbra
