// Binary glTF 2.0: one buffer, its accessors and the JSON that names them.
#include "core/exchange/export.h"

#include <nlohmann/json.hpp>

namespace ilumbra {
namespace {

using Json = nlohmann::ordered_json;

class Writer {
public:
  explicit Writer(const Model& m) : m_model(m) {}

  std::string run() {
    m_root["asset"] = {{"version", "2.0"}, {"generator", "Ilumbra"}};
    m_root["scene"] = 0;
    m_root["scenes"] = Json::array({Json{{"nodes", m_model.roots}}});
    materials();
    meshes();
    lights();
    nodes();
    if (!m_used.empty()) m_root["extensionsUsed"] = m_used;
    if (!m_bytes.empty()) m_root["buffers"] = Json::array({Json{{"byteLength", m_bytes.size()}}});
    return pack();
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
    m_root["bufferViews"].push_back({{"buffer", 0}, {"byteOffset", offset}, {"byteLength", bytes}, {"target", target}});
    m_root["accessors"].push_back({{"bufferView", m_root["bufferViews"].size() - 1}, {"componentType", componentType}, {"count", count}, {"type", type}});
    return m_root["accessors"].size() - 1;
  }

  void materials() {
    for (const ModelMaterial& m : m_model.materials) {
      Json j = {{"name", m.name},
                {"pbrMetallicRoughness",
                 {{"baseColorFactor", {m.baseColor.x, m.baseColor.y, m.baseColor.z, m.opacity}},
                  {"metallicFactor", m.metalness},
                  {"roughnessFactor", m.roughness}}}};
      if (m.opacity < 1) j["alphaMode"] = "BLEND";
      Json extensions = Json::object();
      const auto add = [&](const char* name, Json value) {
        uses(name);
        extensions[name] = std::move(value);
      };
      const float most = maxComponent(m.emission);
      if (most > 0) {
        j["emissiveFactor"] = list(m.emission * (1 / most));
        add("KHR_materials_emissive_strength", {{"emissiveStrength", most}});
      }
      if (m.ior != 1.5f) add("KHR_materials_ior", {{"ior", m.ior}});
      if (m.transmission > 0) {
        add("KHR_materials_transmission", {{"transmissionFactor", m.transmission}});
        if (!m.thin) {
          Json volume = {{"thicknessFactor", 1}};
          if (m.attenuationDepth > 0) {
            volume["attenuationColor"] = list(m.attenuationColor);
            volume["attenuationDistance"] = m.attenuationDepth;
          }
          add("KHR_materials_volume", std::move(volume));
        }
      }
      if (!extensions.empty()) j["extensions"] = extensions;
      m_root["materials"].push_back(std::move(j));
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
      Json primitive = {{"attributes", attributes}, {"indices", accessor(m.triangles.data(), m.triangles.size() * 12, m.triangles.size() * 3, 5125, "SCALAR", 34963)}};
      if (p.material >= 0) primitive["material"] = p.material;
      m_root["meshes"].push_back({{"name", p.name}, {"primitives", Json::array({primitive})}});
    }
  }

  void lights() {
    Json all = Json::array();
    for (const ModelLight& l : m_model.lights) {
      const bool sun = l.type == ModelLight::Type::Sun, spot = l.type == ModelLight::Type::Spot;
      Json j = {{"type", sun ? "directional" : spot ? "spot" : "point"}, {"color", list(l.color)}, {"intensity", sun ? l.power : l.power / (4 * pi)}};
      if (spot) j["spot"] = {{"innerConeAngle", l.innerCone * pi / 180}, {"outerConeAngle", l.outerCone * pi / 180}};
      all.push_back(std::move(j));
    }
    if (all.empty()) return;
    uses("KHR_lights_punctual");
    m_root["extensions"]["KHR_lights_punctual"]["lights"] = all;
  }

  void nodes() {
    for (const ModelNode& n : m_model.nodes) {
      Json j = {{"name", n.name}};
      Json matrix = Json::array();
      for (int i = 0; i < 16; ++i) matrix.push_back((&n.matrix[0][0])[i]);
      if (n.matrix != M44f()) j["matrix"] = matrix;
      if (!n.parts.empty()) j["mesh"] = n.parts[0];
      if (!n.children.empty()) j["children"] = n.children;
      if (n.light >= 0) j["extensions"] = {{"KHR_lights_punctual", {{"light", n.light}}}};
      if (n.fieldOfView > 0) {
        m_root["cameras"].push_back({{"type", "perspective"}, {"perspective", {{"yfov", n.fieldOfView * pi / 180}, {"znear", 0.01}}}});
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
  Json m_root;
  std::string m_bytes;
  std::vector<std::string> m_used;
};

} // namespace

std::string toGlb(const Model& model) { return Writer(model).run(); }

} // namespace ilumbra
