#include "core/document/file.h"
#include "core/exchange/export.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

class Writer {
 public:
  Writer(const Document& doc, const Node& node, const Reference& use, double frame,
         std::vector<std::pair<std::string, int>>& images, std::vector<std::string>& notes)
      : m_doc(doc), m_p(node, frame, use.with.get()), m_frame(frame), m_images(images), m_notes(notes) {}

  ModelMaterial write() {
    ModelMaterial m = plain();
    if (!m_unseen.empty()) m_notes.push_back(fmt::format("{} ({})", m_p.node().name, fmt::join(m_unseen, ", ")));
    return m;
  }

 private:
  ModelMaterial plain() {
    ModelMaterial m;
    m.name = m_p.node().name;
    if (!m_p.node().kind->param("base_color")) {
      note("its layers");
      return m;
    }
    m.baseColor = color("base_color", m.baseColorTexture);
    m.metalness = number("metalness", m.metalRoughTexture, "blue");
    ModelTexture rough;
    m.roughness = number("roughness", rough, "green");
    if (m.metalRoughTexture.image < 0) m.metalRoughTexture = rough;
    // One picture holds both, or neither counts: a metalness without texture is a constant of the other channel.
    if (rough.image >= 0 && m.metalRoughTexture.image != rough.image) note("metalness and roughness by two pictures");
    m.ior = m_p.real("ior");
    m.specular = number("specular", m.specularTexture, "alpha");
    m.specularTint = color("specular_tint", m.specularTintTexture);
    m.anisotropy = constant("anisotropy");
    m.grainTurn = constant("grain_turn");
    m.transmission = number("transmission", m.transmissionTexture, "red");
    m.thin = m_p.flag("thin");
    if (m_p.pattern("attenuation_color")) note("a tint that varies inside its body");
    m.attenuationColor = vec(m_p.triple("attenuation_color"));
    m.attenuationDepth = m_p.real("attenuation_depth");
    m.abbe = m_p.real("abbe");
    if (m.thin) {
      m.translucency = number("translucency", m.translucencyTexture, "alpha");
      m.translucencyColor = color("translucency_color", m.translucencyColorTexture);
    }
    m.coat = number("coat", m.coatTexture, "red");
    m.coatRoughness = number("coat_roughness", m.coatRoughTexture, "green");
    const float sheen = constant("sheen");
    m.sheenColor = color("sheen_color", m.sheenTexture) * sheen;
    m.sheenRoughness = number("sheen_roughness", m.sheenRoughTexture, "alpha");
    m.film = number("film", m.filmTexture, "red");
    m.filmIor = m_p.real("film_ior");
    m.filmThickness = constant("film_thickness");
    ModelTexture alpha;
    m.opacity = number("opacity", alpha, "alpha");
    if (alpha.image >= 0) {
      if (alpha.image == m.baseColorTexture.image)
        m.useAlpha = true;
      else
        note("opacity by a picture of its own");
    }
    m.emission =
        color("own_light_color", m.emissionTexture) * (m_p.flag("own_light_on") ? m_p.real("own_light") : 0.0f);
    if (m_p.pattern("normal")) {
      texture("normal", m.normalTexture, "colour");
      m.normalScale = m_p.real("normal_strength");
    }
    if (m_p.pattern("occlusion")) texture("occlusion", m.occlusionTexture, "red");
    if (constant("subsurface") > 0) note("what happens inside a waxy body");
    if (m_p.node().children.count("veil")) note("its veil");
    if (m_p.pattern("bump")) note("its bump");
    return m;
  }

  void note(const std::string& what) {
    if (std::find(m_unseen.begin(), m_unseen.end(), what) == m_unseen.end()) m_unseen.push_back(what);
  }

  float constant(const char* param) {
    if (m_p.pattern(param)) note("a pattern");
    return m_p.pattern(param) ? float(std::get<double>(m_p.node().kind->param(param)->initial)) : m_p.real(param);
  }

  // The picture behind a parameter, and the number that multiplies it; false if something else drives it.
  bool texture(const char* param, ModelTexture& t, const char* channel, V3f* gain = nullptr) {
    const auto use = m_p.pattern(param);
    const Node* pattern = use ? m_doc.find(use->pattern.target) : nullptr;
    if (!pattern || pattern->kind->id != "pattern.image") {
      note("a pattern");
      return false;
    }
    const Params p(*pattern, m_frame, use->pattern.with.get());
    if (p.text("projection") != "texture" || p.text("channel") != channel) {
      note("a pattern");
      return false;
    }
    const std::pair<std::string, int> image{resolveFile(m_doc, p.text("file")), int(p.number("index"))};
    auto it = std::find(m_images.begin(), m_images.end(), image);
    if (it == m_images.end()) it = m_images.insert(m_images.end(), image);
    t.image = int(it - m_images.begin());
    const Triple offset = p.triple("offset"), scale = p.triple("scale");
    t.offset = {float(offset[0]), float(offset[1])};
    t.scale = {float(scale[0]), float(scale[1])};
    t.turn = p.real("turn");
    if (gain) *gain = vec(p.triple("gain"));
    return true;
  }

  float number(const char* param, ModelTexture& t, const char* channel) {
    if (!m_p.pattern(param)) return m_p.real(param);
    V3f gain(1.0f);
    return texture(param, t, channel, &gain) ? gain.x : float(std::get<double>(m_p.node().kind->param(param)->initial));
  }
  V3f color(const char* param, ModelTexture& t) {
    if (!m_p.pattern(param)) return vec(m_p.triple(param));
    V3f gain(1.0f);
    return texture(param, t, "colour", &gain) ? gain : vec(std::get<Triple>(m_p.node().kind->param(param)->initial));
  }

  const Document& m_doc;
  const Params m_p;
  const double m_frame;
  std::vector<std::pair<std::string, int>>& m_images;
  std::vector<std::string>& m_notes;
  std::vector<std::string> m_unseen;
};

} // namespace

ModelMaterial modelMaterialOf(const Document& doc, const Reference& use, double frame,
                              std::vector<std::pair<std::string, int>>& images, std::vector<std::string>& unseen) {
  return Writer(doc, *doc.find(use.target), use, frame, images, unseen).write();
}

} // namespace ilumbra
