#include "core/exchange/importer.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/document/transplant.h"
#include "core/exchange/extras.h"
#include "core/geometry/pose.h"
#include "core/pattern/playback.h"

#include <filesystem>
#include <fmt/format.h>
#include <set>

namespace ilumbra {

void Importer::texture(Node& n, const char* param, const ModelTexture& t, const char* channel, const V3f& gain,
                       const std::string& suffix) {
  if (t.image < 0) return;
  const std::string& external = m_model.imageFiles[size_t(t.image)];
  Node p = make("pattern.image", n.name + " " + suffix);
  set(p, "file", external.empty() ? m_file : external);
  set(p, "index", external.empty() ? double(t.image) : -1.0);
  set(p, "channel", std::string(channel));
  set(p, "gain", triple(gain));
  set(p, "offset", Triple{double(t.offset.x), double(t.offset.y), 0});
  set(p, "scale", Triple{double(t.scale.x), double(t.scale.y), 1});
  set(p, "turn", double(t.turn));
  n.values[param] = PatternUse{{p.id, nullptr}};
  m_builder.roots().push_back(p.id);
  m_builder.put(std::move(p));
}

void Importer::driven(Node& n, const char* param, float value, const ModelTexture& t, const char* channel,
                      const std::string& suffix) {
  set(n, param, double(value));
  if (value > 0) texture(n, param, t, channel, V3f(value), suffix);
}

void Importer::driven(Node& n, const char* param, const V3f& value, const ModelTexture& t, const std::string& suffix) {
  set(n, param, triple(value));
  texture(n, param, t, "colour", value, suffix);
}

std::string Importer::materialName(size_t index) const {
  const std::string& name = m_model.materials[index].name;
  return name.empty() ? fmt::format("Material {}", index + 1) : beside(name, "material");
}

NodeId Importer::material(size_t index) {
  Node n = make("material.surface", materialName(index));
  fill(n, m_model.materials[index]);
  const NodeId id = n.id;
  m_builder.roots().push_back(id);
  m_builder.put(std::move(n));
  return id;
}

void Importer::fill(Node& n, const ModelMaterial& in) {
  driven(n, "base_color", in.baseColor, in.baseColorTexture, "colour");
  driven(n, "metalness", in.metalness, in.metalRoughTexture, "blue", "metalness");
  driven(n, "roughness", in.roughness, in.metalRoughTexture, "green", "roughness");
  set(n, "ior", double(in.ior));
  driven(n, "specular", in.specular, in.specularTexture, "alpha", "specular");
  driven(n, "specular_tint", in.specularTint, in.specularTintTexture, "specular tint");
  set(n, "anisotropy", double(in.anisotropy));
  set(n, "grain_turn", double(in.grainTurn));
  driven(n, "transmission", in.transmission, in.transmissionTexture, "red", "transmission");
  if (in.transmission > 0 || in.translucency > 0) set(n, "thin", in.thin);
  set(n, "attenuation_color", triple(in.attenuationColor));
  set(n, "attenuation_depth", double(in.attenuationDepth));
  set(n, "abbe", double(in.abbe));
  if (in.translucency > 0) {
    driven(n, "translucency", in.translucency, in.translucencyTexture, "alpha", "translucency");
    driven(n, "translucency_color", in.translucencyColor, in.translucencyColorTexture, "translucency colour");
    if (!in.thin)
      note(n.name + " passes light as a thin sheet does: its file gives it a depth as well, which is left out");
    set(n, "thin", true);
  }
  driven(n, "coat", in.coat, in.coatTexture, "red", "coat");
  driven(n, "coat_roughness", in.coatRoughness, in.coatRoughTexture, "green", "coat roughness");
  if (const float most = maxComponent(in.sheenColor); most > 0) {
    set(n, "sheen", double(most));
    driven(n, "sheen_color", in.sheenColor * (1 / most), in.sheenTexture, "sheen");
    driven(n, "sheen_roughness", in.sheenRoughness, in.sheenRoughTexture, "alpha", "sheen roughness");
  }
  if (in.film > 0) {
    driven(n, "film", in.film, in.filmTexture, "red", "film");
    set(n, "film_ior", double(in.filmIor));
    set(n, "film_thickness", double(in.filmThickness));
  }
  set(n, "opacity", double(in.opacity));
  if (in.useAlpha) texture(n, "opacity", in.baseColorTexture, "alpha", V3f(in.opacity), "opacity");
  if (in.alphaCutoff > 0 && in.baseColorTexture.image >= 0)
    note("a cut-out material fades where its file has a hard edge");
  texture(n, "normal", in.normalTexture, "colour", V3f(1.0f), "normal");
  set(n, "normal_strength", double(in.normalScale));
  if (in.occlusionStrength > 0) texture(n, "occlusion", in.occlusionTexture, "red", V3f(1.0f), "occlusion");
  if (in.occlusionTexture.image >= 0 && in.occlusionStrength != 1)
    note("occlusion counts in full, whatever strength the file states");
  const float most = maxComponent(in.emission);
  if (most > 0) {
    set(n, "own_light", double(most));
    driven(n, "own_light_color", in.emission * (1 / most), in.emissionTexture, "own light");
    note(fmt::format("{} gives own light of {:g} cd/m², as its file states; raise it if it does not show", n.name,
                     most));
  }
}
} // namespace ilumbra
