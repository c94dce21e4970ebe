#include "core/exchange/import.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/render/camera.h"

#include <filesystem>
#include <fmt/format.h>
#include <set>

namespace ilumbra {
namespace fs = std::filesystem;
namespace {

// Groups within groups beyond this are flattened, so that files stay readable.
constexpr int deepestGroups = 12;

Triple triple(const V3f& v) { return {double(v.x), double(v.y), double(v.z)}; }

class Importer {
public:
  Importer(const Document& doc, std::string file, const Model& model) : m_doc(doc), m_builder(doc), m_file(std::move(file)), m_model(model) {
    for (const NodePtr& n : doc.nodes()) m_names.insert(n->name);
  }

  Imported run(double scale) {
    Node root = make("object.group", fs::path(m_file).stem().string());
    if (scale != 1) set(root, "size", Triple{scale, scale, scale});
    for (size_t i = 0; i < m_model.materials.size(); ++i) m_materials.push_back(material(m_model.materials[i], i));
    const NodeId id = root.id;
    for (const int r : m_model.roots) node(r, M44f(), id, root, 1);
    m_builder.put(std::move(root));
    m_builder.roots().push_back(id);
    for (const std::string& note : m_model.notes) m_notes.push_back(note);
    return {m_builder.take(), id, m_notes};
  }

private:
  void note(const std::string& text) {
    if (std::find(m_notes.begin(), m_notes.end(), text) == m_notes.end()) m_notes.push_back(text);
  }

  std::string freeName(const std::string& wanted) {
    std::string base;
    for (const char c : wanted) base += c == '.' || c == ',' || c == '[' || c == ']' || static_cast<unsigned char>(c) < 32 ? ' ' : c;
    while (!base.empty() && base.back() == ' ') base.pop_back();
    while (!base.empty() && base.front() == ' ') base.erase(base.begin());
    if (base.empty()) base = "Thing";
    if (base.size() > 120) base.resize(120);
    std::string name = base;
    for (int& i = m_counts[base]; !m_names.insert(name).second;) name = fmt::format("{} {}", base, ++i + 1);
    return name;
  }

  Node make(const char* kind, const std::string& name) {
    Node n;
    n.id = m_builder.takeId();
    n.kind = m_doc.kinds().find(kind);
    n.name = freeName(name);
    return n;
  }

  // Only what differs from the default, as all documents have it; out-of-range numbers are clamped and told.
  void set(Node& n, const char* param, Constant value) {
    const ParamDef& d = *n.kind->param(param);
    if (double* v = std::get_if<double>(&value)) *v = std::clamp(std::isfinite(*v) ? *v : 0.0, d.hardMin, d.hardMax);
    if (Triple* t = std::get_if<Triple>(&value))
      for (double& v : *t) v = std::clamp(std::isfinite(v) ? v : 0.0, d.hardMin, d.hardMax);
    if (value != d.initial) n.values[param] = value;
  }

  void texture(Node& n, const char* param, const ModelTexture& t, const char* channel, const V3f& gain, const std::string& suffix) {
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

  NodeId material(const ModelMaterial& in, size_t index) {
    Node n = make("material.surface", in.name.empty() ? fmt::format("Material {}", index + 1) : in.name);
    set(n, "base_color", triple(in.baseColor));
    texture(n, "base_color", in.baseColorTexture, "colour", in.baseColor, "colour");
    set(n, "metalness", double(in.metalness));
    set(n, "roughness", double(in.roughness));
    texture(n, "metalness", in.metalRoughTexture, "blue", V3f(in.metalness), "metalness");
    texture(n, "roughness", in.metalRoughTexture, "green", V3f(in.roughness), "roughness");
    set(n, "ior", double(in.ior));
    set(n, "transmission", double(in.transmission));
    texture(n, "transmission", in.transmissionTexture, "red", V3f(in.transmission), "transmission");
    if (in.transmission > 0) set(n, "thin", in.thin);
    set(n, "attenuation_color", triple(in.attenuationColor));
    set(n, "attenuation_depth", double(in.attenuationDepth));
    set(n, "opacity", double(in.opacity));
    if (in.useAlpha) texture(n, "opacity", in.baseColorTexture, "alpha", V3f(in.opacity), "opacity");
    if (in.alphaCutoff > 0) note("a cut-out material fades where its file has a hard edge");
    texture(n, "normal", in.normalTexture, "colour", V3f(1.0f), "normal");
    set(n, "normal_strength", double(in.normalScale));
    if (in.occlusionStrength > 0) texture(n, "occlusion", in.occlusionTexture, "red", V3f(1.0f), "occlusion");
    if (in.occlusionTexture.image >= 0 && in.occlusionStrength != 1) note("occlusion counts in full, whatever strength the file states");
    const float most = maxComponent(in.emission);
    if (most > 0) {
      set(n, "own_light", double(most));
      set(n, "own_light_color", triple(in.emission * (1 / most)));
      texture(n, "own_light_color", in.emissionTexture, "colour", in.emission * (1 / most), "own light");
      note(fmt::format("{} gives own light of {:g} cd/m², as its file states; raise it if it does not show", n.name, most));
    }
    const NodeId id = n.id;
    m_builder.roots().push_back(id);
    m_builder.put(std::move(n));
    return id;
  }

  void place(Node& n, const M44f& m) {
    V3f position, turn, size;
    if (!unplace(m, position, turn, size)) note(fmt::format("{} is sheared in its file, which is left out", n.name));
    const auto clean = [](const V3f& v) {
      Triple t = triple(v);
      for (double& x : t) x = std::abs(x) < 1e-7 ? 0 : x;
      return t;
    };
    set(n, "position", clean(position));
    set(n, "turn", clean(turn));
    if (length(size - V3f(1.0f)) > 1e-6f) set(n, "size", triple(size));
  }

  Node mesh(int part) {
    const ModelPart& p = m_model.parts[size_t(part)];
    Node n = make("object.mesh", p.name);
    set(n, "file", m_file);
    set(n, "part", double(part + 1));
    if (p.material >= 0) n.values["material"] = Constant(Reference{m_materials[size_t(p.material)], nullptr});
    return n;
  }

  void hold(Node& parent, Node child) {
    child.parent = parent.id;
    parent.children["objects"].push_back(child.id);
    m_builder.put(std::move(child));
  }

  void light(const ModelNode& in, const M44f& m, Node& parent) {
    const ModelLight& l = m_model.lights[size_t(in.light)];
    const bool spot = l.type == ModelLight::Type::Spot, sun = l.type == ModelLight::Type::Sun;
    Node n = make(spot ? "light.spot" : sun ? "light.sun" : "light.point", in.name.empty() ? "Light" : in.name);
    set(n, "color", triple(l.color));
    const V3f at = transformPoint(m, V3f(0.0f)), back = normalize(transformVector(m, {0, 0, 1}));
    // Lumens of a lamp that shines to all sides; the file multiplies them by the colour, here a colour keeps its power.
    double power = double(l.power) * double(luminance(acescgFrom709(l.color)));
    if (sun) {
      set(n, "height", double(std::asin(std::clamp(back.y, -1.0f, 1.0f)) * 180 / pi));
      set(n, "bearing", double(std::atan2(back.x, -back.z) * 180 / pi));
    } else {
      set(n, "position", triple(at));
    }
    if (spot) {
      set(n, "target", triple(at - back));
      const double outer = l.outerCone, edge = outer > 0 ? 1 - l.innerCone / outer : 0;
      set(n, "cone", outer);
      set(n, "edge", edge);
      const double ci = std::cos(l.innerCone * pi / 180), co = std::cos(outer * pi / 180);
      power *= ((1 - ci) + 0.5 * (ci - co)) / 2; // the same candelas inside the cone
    } else if (!sun) {
      set(n, "radius", 0.0);
    }
    set(n, "power", power);
    hold(parent, std::move(n));
  }

  void camera(const ModelNode& in, const M44f& m, Node& parent) {
    Node n = make("camera.lens", in.name.empty() ? "Camera" : in.name);
    const V3f at = transformPoint(m, V3f(0.0f));
    set(n, "position", triple(at));
    set(n, "target", triple(at - normalize(transformVector(m, {0, 0, 1}))));
    const Params settings = settingsOf(m_doc);
    const double filmHeight = 36 * settings.number("height") / settings.number("width");
    set(n, "focal_length", filmHeight / (2 * std::tan(in.fieldOfView * pi / 360)));
    hold(parent, std::move(n));
  }

  void node(int index, const M44f& above, NodeId, Node& parent, int depth) {
    const ModelNode& in = m_model.nodes[size_t(index)];
    const M44f m = in.matrix * above;
    if (in.light >= 0) light(in, m, parent);
    if (in.fieldOfView > 0) camera(in, m, parent);
    const std::string name = !in.name.empty() ? in.name : in.parts.empty() ? "Group" : m_model.parts[size_t(in.parts[0])].name;
    if (in.parts.size() == 1 && in.children.empty()) {
      Node n = mesh(in.parts[0]);
      if (!in.name.empty() && n.name != in.name) {
        m_names.erase(n.name);
        n.name = freeName(in.name);
      }
      place(n, m);
      hold(parent, std::move(n));
      return;
    }
    if (in.parts.empty() && in.children.empty()) return;
    const bool flat = depth >= deepestGroups;
    // A group that holds nothing but one child and does nothing itself is left out.
    if (flat) {
      for (const int p : in.parts) {
        Node n = mesh(p);
        place(n, m);
        hold(parent, std::move(n));
      }
      for (const int c : in.children) node(c, m, parent.id, parent, depth);
      return;
    }
    Node group = make("object.group", name);
    place(group, m);
    for (const int p : in.parts) hold(group, mesh(p));
    for (const int c : in.children) node(c, M44f(), group.id, group, depth + 1);
    hold(parent, std::move(group));
  }

  const Document& m_doc;
  DocumentBuilder m_builder;
  std::string m_file;
  const Model& m_model;
  std::set<std::string> m_names;
  std::map<std::string, int> m_counts;
  std::vector<NodeId> m_materials;
  std::vector<std::string> m_notes;
};

} // namespace

Imported importModel(const Document& doc, const std::string& path, AssetCache& cache, const ImportOptions& options) {
  if (!(options.scale > 0) || options.scale > 1e6) throw usageError("the scale of an import is above 0 and at most a million");
  const std::string absolute = fs::absolute(path).lexically_normal().string();
  const std::shared_ptr<const Model> model = cache.model(absolute);
  return Importer(doc, absolute, *model).run(options.scale);
}

} // namespace ilumbra
