#include "core/exchange/export.h"
#include "core/base/files.h"
#include "core/compile/compile.h"
#include "core/exchange/volume_write.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/document/file.h"
#include "core/exchange/child.h"
#include "core/exchange/extras.h"
#include "core/exchange/readers.h"
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"
#include "core/geometry/pose.h"
#include "core/light/sun_disc.h"
#include "core/scene/geometry.h"

#include <cctype>
#include <filesystem>
#include <fmt/format.h>
#include <map>
#include <set>

namespace ilumbra {
namespace fs = std::filesystem;
namespace {

// A frame of the motion that goes along: places over time, of things that have keys.
constexpr double mostFrames = 20'000;

class Writer {
 public:
  Writer(const Document& doc, const Scene& scene, const ExportOptions& options, const Assets& assets)
      : m_doc(doc), m_scene(scene), m_frame(currentFrame(doc)), m_assets(assets) {
    for (const InstancedObject& i : scene.objects)
      if (i.light < 0) m_instances[scene.things[i.thing].node].push_back(&i);
    for (const NodeId id : options.only)
      for (const NodeId inside : treeOf(doc, id)) m_only.insert(inside);
    const Params settings = settingsOf(doc);
    m_first = settings.number("first_frame");
    m_last = std::min(settings.number("last_frame"), m_first + mostFrames);
    m_rate = settings.number("rate");
  }

  Model write() {
    for (const NodeId id : m_doc.roots()) {
      const int n = thing(*m_doc.find(id), M44f());
      if (n >= 0) m_out.roots.push_back(n);
    }
    if (!m_motion.moves.empty()) {
      m_motion.name = "Set";
      m_motion.length = float((m_last - m_first) / m_rate);
      m_out.motions.push_back(std::move(m_motion));
    }
    if (!m_unseen.empty()) note("other programs do not see " + fmt::format("{}", fmt::join(m_unseen, ", ")));
    for (const auto& [file, index] : images)
      m_out.imageFiles.push_back(index < 0 ? file : fmt::format("{}#{}", file, index));
    return std::move(m_out);
  }

  std::vector<std::pair<std::string, int>> images;

 private:
  void note(const std::string& text) {
    if (std::find(m_out.notes.begin(), m_out.notes.end(), text) == m_out.notes.end()) m_out.notes.push_back(text);
  }

  bool isWanted(const Node& n) const {
    if (m_only.empty() || m_only.count(n.id)) return true;
    for (const NodeId id : treeOf(m_doc, n.id))
      if (m_only.count(id)) return true;
    return false;
  }
  // Only holds what is wanted.
  bool isFrame(const Node& n) const { return !m_only.empty() && !m_only.count(n.id); }

  static const std::vector<NodeId>& inside(const Node& n, const char* slot) {
    static const std::vector<NodeId> none;
    const auto it = n.children.find(slot);
    return it == n.children.end() ? none : it->second;
  }

  static std::vector<const Node*> held(const Document& doc, const Node& n) {
    std::vector<const Node*> out;
    for (const char* slot : {"objects", "carries"})
      for (const NodeId id : inside(n, slot)) out.push_back(doc.find(id));
    return out;
  }

  // Stands more than once, or in something that does.
  bool isRepeated(const Node& n) const {
    for (const Node* at = &n; at; at = m_doc.find(at->parent))
      for (const NodeId id : inside(*at, "modifiers"))
        if (const Node* m = m_doc.find(id); m->kind->id == "modifier.repeat" && Params(*m, m_frame).flag("on"))
          return true;
    return false;
  }

  // `base`: from the space of the node that is made for its holder to the world.
  int thing(const Node& n, const M44f& base) {
    const auto family = n.kind->family();
    if ((family != "object" && family != "light" && family != "camera") || !isWanted(n) || !isShown(m_doc, n, m_frame))
      return -1;
    if (family == "light") return light(n, base);
    if (family == "camera") return camera(n, base);
    const bool group = isGroup(n), repeated = isRepeated(n);
    const auto instances = m_instances.find(n.id);
    const std::vector<const Node*> rest = held(m_doc, n);
    // A path without thickness is a place for others, with nothing to see.
    const auto seen = [](const InstancedObject& i) {
      return i.geometry->shape.sphereRadius > 0 || !i.geometry->shape.mesh.triangles.empty();
    };
    const bool has = instances != m_instances.end() && !isFrame(n) && seen(*instances->second.front());
    if (!group && !has && rest.empty()) return -1;
    const int index = add(n);
    M44f own = base; // of a repeated thing all places are its children's
    if (!repeated) {
      const M44f placed = placementOf(m_doc, n, m_frame);
      m_out.nodes[size_t(index)].matrix = placed;
      own = placed * base;
      moves(n, index);
    }
    std::vector<int> children;
    if (has) {
      const int part = partOf(n, *instances->second.front());
      if (!repeated)
        m_out.nodes[size_t(index)].parts.push_back(part);
      else
        copies(n, *instances->second.front(), part, own.inverse(), children);
    }
    for (const Node* c : rest)
      if (const int child = thing(*c, own); child >= 0) children.push_back(child);
    m_out.nodes[size_t(index)].children = std::move(children);
    m_out.nodes[size_t(index)].extra = placeExtra(n.name, m_out.nodes[size_t(index)], m_out);
    return index;
  }

  int add(const Node& n) {
    m_out.nodes.emplace_back();
    m_out.nodes.back().name = n.name;
    return int(m_out.nodes.size()) - 1;
  }

  int partOf(const Node& n, const InstancedObject& i) {
    const auto known = m_parts.find({i.geometry.get(), i.material});
    if (known != m_parts.end()) return known->second;
    const Shape& s = i.geometry->shape;
    ModelPart part;
    part.name = n.name;
    part.mesh = s.sphereRadius > 0 ? ballMesh(s.sphereRadius, s.sphereSegments) : s.mesh;
    part.material = material(wornMaterial(m_doc, n, m_frame));
    if (i.insideMaterial != noMaterial && i.insideMaterial != i.material)
      note(n.name + ": faces that came to light by a cut wear one material with the rest");
    if (!s.forms.empty()) note(n.name + " changes its form over time; it goes along as it is at this frame");
    m_out.parts.push_back(std::move(part));
    return m_parts[{i.geometry.get(), i.material}] = int(m_out.parts.size()) - 1;
  }

  void copies(const Node& n, const InstancedObject& i, int part, const M44f& fromWorld, std::vector<int>& children) {
    if (i.instanceCount > 100'000)
      throw badInput(
          fmt::format("{}: {} copies are more than a model holds as nodes (100 000)", n.name, i.instanceCount));
    for (uint32_t c = 0; c < i.instanceCount; ++c) {
      ModelNode copy;
      copy.name = fmt::format("{} copy {}", n.name, c + 1);
      copy.matrix = m_scene.instances[i.firstInstance + c].toWorld * fromWorld;
      copy.parts.push_back(part);
      copy.extra = copyExtra();
      children.push_back(int(m_out.nodes.size()));
      m_out.nodes.push_back(std::move(copy));
    }
  }

  int material(const Reference& use) {
    for (const auto& [known, index] : m_materials)
      if (known == use) return index;
    if (!m_doc.find(use.target)) return -1;
    ModelMaterial m = modelMaterialOf(m_doc, use, m_frame, images, m_unseen);
    // What one use of a shared material sets for itself makes another material of it, which does not come back as
    // itself.
    if (!use.with) m.extra = materialExtra(m);
    m_out.materials.push_back(std::move(m));
    m_materials.emplace_back(use, int(m_out.materials.size()) - 1);
    return int(m_out.materials.size()) - 1;
  }

  int light(const Node& n, const M44f& base) {
    const Params p(n, m_frame);
    const LightKind* kind = lightKind(n);
    const Punctual as = kind ? kind->punctual : Punctual::None;
    if (as == Punctual::None) {
      m_unseen.push_back(n.name + " (no point, spot or sun)");
      return -1;
    }
    ModelLight l;
    l.type = as == Punctual::Point  ? ModelLight::Type::Point
             : as == Punctual::Spot ? ModelLight::Type::Spot
                                    : ModelLight::Type::Sun;
    const Triple clear = {1, 1, 1};
    if (p.pattern("gel") || p.triple("gel") != clear) m_unseen.push_back(n.name + "'s gel");
    const Color amount = rec709FromAcescg(lightAmount(m_doc, n, m_frame));
    const float most = std::max(1e-12f, maxComponent(amount));
    l.color = vmax(amount * (1 / most), Color(0.0f));
    l.power = most;
    if (as == Punctual::Spot) {
      l.outerCone = p.real("cone");
      l.innerCone = l.outerCone * (1 - p.real("edge"));
      const float ci = std::cos(l.innerCone * pi / 180), co = std::cos(l.outerCone * pi / 180);
      l.power *= 2 / ((1 - ci) + 0.5f * (ci - co)); // as a lamp that shines to all sides with these candelas
    }
    const bool repeated = isRepeated(n);
    const int index = add(n);
    ModelNode& node = m_out.nodes[size_t(index)];
    node.matrix = placeOf(n, m_frame);
    node.light = int(m_out.lights.size());
    m_out.lights.push_back(l);
    if (!repeated) {
      node.extra = placeExtra(n.name, node, m_out);
      if (isKeyed(n, {"position", "target", "height", "bearing"}))
        sampled(index, [&](double frame) { return placeOf(n, frame); });
      return index;
    }
    // A lamp in what stands more than once shines at each place.
    std::map<NodeId, std::vector<M44f>> known;
    const std::vector<M44f> places = worldPlaces(m_doc, n, m_frame, [&](const Node& holder) {
      const auto it = known.find(holder.id);
      return it != known.end() ? it->second : known[holder.id] = formCopies(holder);
    });
    const M44f own = node.matrix;
    node.matrix = M44f();
    node.light = -1;
    const int lamp = int(m_out.lights.size()) - 1;
    std::vector<int> children;
    const M44f fromWorld = base.inverse();
    for (size_t c = 0; c < places.size() && c < 10'000; ++c) {
      ModelNode copy;
      copy.name = fmt::format("{} copy {}", n.name, c + 1);
      copy.matrix = own * places[c] * fromWorld;
      copy.light = lamp;
      copy.extra = copyExtra();
      children.push_back(int(m_out.nodes.size()));
      m_out.nodes.push_back(std::move(copy));
    }
    m_out.nodes[size_t(index)].children = std::move(children);
    m_out.nodes[size_t(index)].extra = placeExtra(n.name, m_out.nodes[size_t(index)], m_out);
    return index;
  }

  std::vector<M44f> formCopies(const Node& holder) {
    if (inside(holder, "modifiers").empty()) return {};
    return formOf(holder, {m_doc, m_frame, m_assets}).copies;
  }

  static bool isKeyed(const Node& n, std::initializer_list<const char*> params) {
    return std::any_of(params.begin(), params.end(), [&](const char* p) {
      const Value* v = n.find(p);
      return v && (v->keys() || v->moved());
    });
  }

  static M44f placeOf(const Node& n, double frame) {
    const Params p(n, frame);
    if (n.kind->param("bearing")) {
      const Frame f(skyBody(p.real("height"), p.real("bearing")));
      return {f.x.x, f.x.y, f.x.z, 0, f.y.x, f.y.y, f.y.z, 0, f.z.x, f.z.y, f.z.z, 0, 0, 0, 0, 1};
    }
    if (n.kind->param("target")) return aimMatrix(p);
    M44f m;
    m.setTranslation(vec(p.triple("position")));
    return m;
  }

  int camera(const Node& n, const M44f&) {
    const Params p(n, m_frame), settings = settingsOf(m_doc);
    const int index = add(n);
    ModelNode& node = m_out.nodes[size_t(index)];
    node.matrix = placeOf(n, m_frame);
    const double height = p.number("film_width") * settings.number("height") / settings.number("width");
    node.fieldOfView = float(2 * std::atan(height / (2 * p.number("focal_length"))) * 180 / 3.14159265358979);
    node.aspect = float(settings.number("width") / settings.number("height"));
    node.extra = placeExtra(n.name, node, m_out);
    if (isKeyed(n, {"position", "target"})) sampled(index, [&](double frame) { return placeOf(n, frame); });
    return index;
  }

  void moves(const Node& n, int index) {
    if (isKeyed(n, {"position", "turn", "size"}) || (followedPath(m_doc, n, m_frame) && isAnimated(m_doc, n)))
      sampled(index, [&](double frame) { return placementOf(m_doc, n, frame); });
  }

  void sampled(int index, const std::function<M44f(double)>& at) {
    ModelMove move;
    move.node = index;
    NodePose last;
    for (ModelTrack* t : {&move.position, &move.rotation, &move.scale}) t->width = t == &move.rotation ? 4 : 3;
    for (double frame = m_first; frame <= m_last; ++frame) {
      NodePose pose;
      takeApart(at(frame), pose);
      float same = 0;
      for (int k = 0; k < 4; ++k) same += pose.rotation[k] * last.rotation[k];
      if (same < 0)
        for (float& r : pose.rotation) r = -r;
      last = pose;
      const auto seconds = float((frame - m_first) / m_rate);
      for (ModelTrack* t : {&move.position, &move.rotation, &move.scale}) t->times.push_back(seconds);
      for (int k = 0; k < 3; ++k) {
        move.position.values.push_back(pose.position[k]);
        move.scale.values.push_back(pose.scale[k]);
      }
      move.rotation.values.insert(move.rotation.values.end(), pose.rotation, pose.rotation + 4);
    }
    m_motion.moves.push_back(std::move(move));
  }

  const Document& m_doc;
  const Scene& m_scene;
  const double m_frame;
  const Assets& m_assets;
  double m_first, m_last, m_rate;
  Model m_out;
  ModelMotion m_motion;
  std::map<NodeId, std::vector<const InstancedObject*>> m_instances;
  std::map<std::pair<const void*, uint16_t>, int> m_parts;
  std::vector<std::pair<Reference, int>> m_materials;
  std::set<NodeId> m_only;
  std::vector<std::string> m_unseen; ///< what goes along in the extras alone
};

void checkExtension(const std::string& path) {
  static const std::set<std::string> known = {".glb", ".gltf", ".obj", ".ply", ".stl"};
  if (!known.count(extensionOf(path)))
    throw usageError(path + ": a model is written as .glb, .gltf, .obj, .ply or .stl");
}

bool isWebPicture(const std::string& bytes) { return bytes.starts_with("\x89PNG") || bytes.starts_with("\xff\xd8"); }

} // namespace

Model modelOf(const Document& doc, const Scene& scene, const ExportOptions& options, const Assets& assets) {
  return Writer(doc, scene, options, assets).write();
}

void exportModel(const Model& model, const std::string& path, const std::vector<std::string>& images) {
  checkExtension(path);
  const std::string e = extensionOf(path);
  if (e == ".glb")
    writeFileAtomically(path, toGlb(model, images));
  else if (e == ".gltf")
    writeFileAtomically(path, toGltf(model, images));
  else
    writeWithAssimp(model, path);
}

std::vector<std::string> exportSetTo(const Document& doc, const std::string& path, AssetCache& cache,
                                     const ExportOptions& options, const CancelFlag* cancel) {
  if (path.ends_with(".vdb")) return exportVoxelsTo(doc, path, cache, options.only, 192, cancel);
  checkExtension(path);
  SceneCache forms;
  const FileAssets assets = cache.assets(doc.folder(), cancel);
  const ScenePtr scene =
      compileScene(doc, {.frame = currentFrame(doc), .width = 16, .height = 16, .queries = {}}, assets, forms, cancel);
  Writer writer(doc, *scene, options, assets);
  Model model = writer.write();
  const std::string e = extensionOf(path);
  const bool gltf = e == ".glb" || e == ".gltf";
  std::vector<std::string> pictures;
  if (gltf) {
    model.extra = documentExtra(movedTo(options.only.empty() ? doc : excerpt(doc, options.only),
                                        fs::absolute(path).parent_path().lexically_normal().string()),
                                model);
    for (const auto& [file, index] : writer.images) {
      std::string bytes;
      try {
        bytes = parseInChild("encoded", file, index, {}, cancel);
      } catch (const Error& error) {
        if (error.kind() == ErrorKind::Cancelled) throw;
        model.notes.push_back(error.what());
      }
      if (!bytes.empty() && !isWebPicture(bytes)) {
        model.notes.push_back(fmt::format("{} is neither PNG nor JPEG: other programs do not see it", file));
        bytes.clear();
      }
      pictures.push_back(std::move(bytes));
    }
  }
  model.notes.insert(model.notes.end(), scene->warnings.begin(), scene->warnings.end());
  if (!gltf && !model.lights.empty()) model.notes.emplace_back("lights and cameras have no place in such a file");
  if (e == ".stl") model.notes.emplace_back("its unit is the metre; materials have no place in such a file");
  exportModel(model, path, pictures);
  return model.notes;
}

} // namespace ilumbra
