// Materials of glTF 2.0 with the Khronos extensions that a surface can express.
#include "core/exchange/gltf.h"

namespace ilumbra {
namespace {

float real(const tinygltf::Value& v, const char* key, double fallback) {
  const double n = gltfNumber(v, key, fallback);
  return std::isfinite(n) ? float(n) : float(fallback);
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

V3f unit(const V3f& v) { return finite(v) ? vmax(V3f(0.0f), vmin(V3f(1.0f), v)) : V3f(0.0f); }

class Reader {
 public:
  Reader(const tinygltf::Model& m, const tinygltf::Material& in, std::vector<std::string>& notes)
      : m_in(m), m_material(in), m_notes(notes) {}

  ModelMaterial read() {
    const auto& in = m_material;
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
    if (in.emissiveFactor.size() == 3)
      m.emission = {float(in.emissiveFactor[0]), float(in.emissiveFactor[1]), float(in.emissiveFactor[2])};
    if (const auto* e = extension("KHR_materials_pbrSpecularGlossiness")) specularGlossiness(*e, m);
    extensions(m);
    m.extra = in.extras_json_string;

    for (float* v : {&m.opacity, &m.metalness, &m.roughness, &m.transmission, &m.anisotropy, &m.coat, &m.coatRoughness,
                     &m.sheenRoughness, &m.film, &m.translucency, &m.specular})
      *v = std::isfinite(*v) ? clamp01(*v) : 0;
    for (V3f* c : {&m.baseColor, &m.sheenColor, &m.specularTint, &m.translucencyColor, &m.attenuationColor})
      *c = unit(*c);
    if (!std::isfinite(m.ior) || m.ior < 1) m.ior = 1.5f;
    m.ior = std::min(m.ior, 10.0f);
    if (!finite(m.emission)) m.emission = V3f(0.0f);
    m.emission = vmax(m.emission, V3f(0.0f));
    return m;
  }

 private:
  const tinygltf::Value* extension(const char* name) const {
    const auto it = m_material.extensions.find(name);
    return it == m_material.extensions.end() || !it->second.IsObject() ? nullptr : &it->second;
  }

  ModelTexture texture(int index, int uvSet, const tinygltf::Value* transform) {
    ModelTexture t;
    if (index < 0) return t;
    const auto& in = gltfAt(m_in.textures, index, "texture");
    if (in.source < 0) {
      tellOnce(m_notes, "a texture without an image is left out");
      return t;
    }
    gltfAt(m_in.images, in.source, "image");
    t.image = in.source;
    if (uvSet != 0) tellOnce(m_notes, "a texture uses a second set of coordinates, which is left out");
    if (transform && transform->IsObject()) {
      const auto pair = [&](const char* key, const V2f& fallback) {
        if (!transform->Has(key) || transform->Get(key).ArrayLen() < 2) return fallback;
        return V2f(float(transform->Get(key).Get(0).GetNumberAsDouble()),
                   float(transform->Get(key).Get(1).GetNumberAsDouble()));
      };
      t.offset = pair("offset", {0, 0});
      t.scale = pair("scale", {1, 1});
      t.turn = float(gltfNumber(*transform, "rotation", 0)) * 180 / pi;
    }
    return t;
  }
  template <typename T> ModelTexture texture(const T& info) {
    const auto it = info.extensions.find("KHR_texture_transform");
    return texture(info.index, info.texCoord, it == info.extensions.end() ? nullptr : &it->second);
  }
  ModelTexture texture(const tinygltf::Value& extension, const char* key) {
    if (!extension.Has(key)) return {};
    const auto& v = extension.Get(key);
    const tinygltf::Value* transform = v.Has("extensions") && v.Get("extensions").Has("KHR_texture_transform")
                                           ? &v.Get("extensions").Get("KHR_texture_transform")
                                           : nullptr;
    return texture(int(gltfNumber(v, "index", -1)), int(gltfNumber(v, "texCoord", 0)), transform);
  }

  void extensions(ModelMaterial& m) {
    if (const auto* e = extension("KHR_materials_emissive_strength")) m.emission *= real(*e, "emissiveStrength", 1);
    if (const auto* e = extension("KHR_materials_ior")) m.ior = real(*e, "ior", 1.5);
    if (const auto* e = extension("KHR_materials_transmission")) {
      m.transmission = real(*e, "transmissionFactor", 0);
      m.transmissionTexture = texture(*e, "transmissionTexture");
    }
    if (const auto* e = extension("KHR_materials_volume")) {
      m.thin = real(*e, "thicknessFactor", 0) <= 0;
      m.attenuationColor = triple(*e, "attenuationColor", V3f(1.0f));
      m.attenuationDepth = real(*e, "attenuationDistance", 0);
    }
    if (const auto* e = extension("KHR_materials_dispersion")) {
      const float dispersion = real(*e, "dispersion", 0); // 20 / Abbe number
      m.abbe = dispersion > 0 ? 20 / dispersion : 0;
    }
    if (const auto* e = extension("KHR_materials_specular")) {
      m.specular = real(*e, "specularFactor", 1);
      m.specularTexture = texture(*e, "specularTexture");
      const V3f tint = triple(*e, "specularColorFactor", V3f(1.0f));
      if (maxComponent(tint) > 1)
        tellOnce(m_notes, "a reflection brighter than its boundary allows is held at the boundary's own");
      m.specularTint = tint;
      m.specularTintTexture = texture(*e, "specularColorTexture");
    }
    if (const auto* e = extension("KHR_materials_clearcoat")) {
      m.coat = real(*e, "clearcoatFactor", 0);
      m.coatRoughness = real(*e, "clearcoatRoughnessFactor", 0);
      m.coatTexture = texture(*e, "clearcoatTexture");
      m.coatRoughTexture = texture(*e, "clearcoatRoughnessTexture");
      if (e->Has("clearcoatNormalTexture"))
        tellOnce(m_notes, "the normals of a coat are left out: it follows those of the body");
    }
    if (const auto* e = extension("KHR_materials_sheen")) {
      m.sheenColor = triple(*e, "sheenColorFactor", V3f(0.0f));
      m.sheenRoughness = real(*e, "sheenRoughnessFactor", 0);
      m.sheenTexture = texture(*e, "sheenColorTexture");
      m.sheenRoughTexture = texture(*e, "sheenRoughnessTexture");
    }
    if (const auto* e = extension("KHR_materials_anisotropy")) {
      m.anisotropy = real(*e, "anisotropyStrength", 0);
      m.grainTurn = real(*e, "anisotropyRotation", 0) * 180 / pi;
      if (e->Has("anisotropyTexture"))
        tellOnce(m_notes, "the texture of a grain is left out: it runs in one direction");
    }
    if (const auto* e = extension("KHR_materials_iridescence")) {
      m.film = real(*e, "iridescenceFactor", 0);
      m.filmIor = std::clamp(real(*e, "iridescenceIor", 1.3), 1.0f, 5.0f);
      m.filmThickness = std::clamp(real(*e, "iridescenceThicknessMaximum", 400), 0.0f, 4000.0f);
      m.filmTexture = texture(*e, "iridescenceTexture");
      if (e->Has("iridescenceThicknessTexture")) tellOnce(m_notes, "a film has its greatest thickness all over");
    }
    if (const auto* e = extension("KHR_materials_diffuse_transmission")) {
      m.translucency = real(*e, "diffuseTransmissionFactor", 0);
      m.translucencyTexture = texture(*e, "diffuseTransmissionTexture");
      m.translucencyColor = triple(*e, "diffuseTransmissionColorFactor", V3f(1.0f));
      m.translucencyColorTexture = texture(*e, "diffuseTransmissionColorTexture");
    }
    if (extension("KHR_materials_unlit")) {
      m.roughness = 1;
      m.metalness = 0;
      m.specular = 0;
      tellOnce(m_notes, "a material without shading in its file is matte here, and takes light");
    }
  }

  // The older workflow, made into metalness as Khronos' own notes on converting do: the specular colour beyond that of
  // a dielectric is metal.
  void specularGlossiness(const tinygltf::Value& e, ModelMaterial& m) {
    const V3f diffuse = triple(e, "diffuseFactor", V3f(1.0f)), specular = triple(e, "specularFactor", V3f(1.0f));
    const auto bright = [](const V3f& c) {
      return std::sqrt(std::max(0.0f, 0.299f * c.x * c.x + 0.587f * c.y * c.y + 0.114f * c.z * c.z));
    };
    constexpr float dielectric = 0.04f;
    const float d = bright(diffuse), s = bright(specular), most = 1 - maxComponent(specular);
    float metal = 0;
    if (s >= dielectric) {
      const float b = d * most / (1 - dielectric) + s - 2 * dielectric, c = dielectric - s;
      metal = clamp01((-b + std::sqrt(std::max(0.0f, b * b - 4 * dielectric * c))) / (2 * dielectric));
    }
    const V3f fromDiffuse = diffuse * (most / (1 - dielectric) / std::max(1e-6f, 1 - metal));
    const V3f fromSpecular = (specular - V3f(dielectric * (1 - metal))) * (1 / std::max(1e-6f, metal));
    m.baseColor = unit(mix(fromDiffuse, fromSpecular, metal * metal));
    m.metalness = metal;
    m.roughness = 1 - clamp01(real(e, "glossinessFactor", 1));
    m.baseColorTexture = texture(e, "diffuseTexture");
    m.metalRoughTexture = {};
    if (e.Has("specularGlossinessTexture"))
      tellOnce(m_notes, "a texture of gloss is left out: its factor counts all over");
  }

  const tinygltf::Model& m_in;
  const tinygltf::Material& m_material;
  std::vector<std::string>& m_notes;
};

} // namespace

ModelMaterial gltfMaterial(const tinygltf::Model& m, const tinygltf::Material& in, std::vector<std::string>& notes) {
  return Reader(m, in, notes).read();
}

} // namespace ilumbra
