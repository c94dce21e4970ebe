#include "core/exchange/importer.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/document/transplant.h"
#include "core/exchange/extras.h"
#include "core/geometry/pose.h"
#include "core/pattern/playback.h"

#include <filesystem>
#include <fmt/format.h>
#include <set>

namespace ilumbra {
namespace fs = std::filesystem;

// Groups within groups beyond this are flattened, so that files stay readable.
static constexpr int deepestGroups = 12;

Importer::Importer(const Document& doc, std::string file, const Model& model, const ImportOptions& options)
    : m_doc(doc), m_builder(doc), m_file(std::move(file)), m_model(model), m_options(options) {
  for (const NodePtr& n : doc.nodes()) m_names.insert(n->name);
  m_motion = findMotion(model, options.motion);
  if (!m_motion && !options.motion.empty())
    throw badInput(fmt::format("{}: has no motion \"{}\"", m_file, options.motion));
  const Params settings = settingsOf(doc);
  m_begin = settings.number("first_frame");
  m_rate = settings.number("rate");
}

Imported Importer::run() {
  Node root = make("object.group", beside(fs::path(m_file).stem().string(), "model"));
  const double unit = m_options.unit > 0 ? m_options.unit : m_model.unit > 0 ? m_model.unit : 1;
  if (unit != 1) set(root, "size", Triple{unit, unit, unit});
  if (m_options.up == ImportOptions::Up::AsStated ? m_model.zUp : m_options.up == ImportOptions::Up::Z)
    set(root, "turn", Triple{-90, 0, 0});
  for (size_t i = 0; i < m_model.materials.size(); ++i) m_materials.push_back(isFiller(i) ? 0 : material(i));
  const NodeId id = root.id;
  skinned(root);
  const ModelNode* top = soleTop();
  for (const int r : top ? top->children : m_model.roots) node(r, {}, root, 1);
  m_builder.put(std::move(root));
  m_builder.roots().push_back(id);
  for (const std::string& note : m_model.notes) m_notes.push_back(note);
  if (m_model.unit <= 0 && m_options.unit <= 0) note("its file states no unit: one is taken as a metre");
  if (m_options.numbered)
    note(fmt::format("{} numbered files play as one moving object", numberedFiles(m_file).size()));
  motions();
  return {m_builder.take(), id, m_notes};
}

Imported Importer::onto(const std::vector<std::pair<int, NodeId>>& materials) {
  for (const auto& [index, id] : materials) {
    Node n = *m_doc.find(id);
    fill(n, m_model.materials[size_t(index)]);
    m_builder.put(std::move(n));
  }
  std::vector<int> fresh;
  for (const int r : m_model.roots) unknown(r, fresh);
  if (fresh.empty()) return {m_builder.take(), 0, m_notes};
  m_materials.resize(m_model.materials.size(), 0);
  for (size_t i = 0; i < m_model.materials.size(); ++i) {
    const Node* known = m_doc.findByName(materialName(i));
    m_materials[i] = known && known->kind->family() == "material" ? known->id : material(i);
  }
  Node root = make("object.group", fs::path(m_file).stem().string() + " added");
  const NodeId id = root.id;
  for (const int n : fresh) {
    Chain above;
    for (int at = n; (at = parentOf(at)) >= 0;) above.insert(above.begin(), at);
    node(n, above, root, 1);
  }
  m_builder.put(std::move(root));
  m_builder.roots().push_back(id);
  note(fmt::format("{} thing(s) were added in another program", fresh.size()));
  return {m_builder.take(), id, m_notes};
}

bool Importer::isFiller(size_t material) const {
  return m_model.materials[material].name == "DefaultMaterial" &&
         std::none_of(m_model.parts.begin(), m_model.parts.end(),
                      [&](const ModelPart& p) { return p.material == int(material); });
}

int Importer::parentOf(int node) const {
  for (size_t i = 0; i < m_model.nodes.size(); ++i)
    for (const int c : m_model.nodes[i].children)
      if (c == node) return int(i);
  return -1;
}

void Importer::unknown(int index, std::vector<int>& out) const {
  const ModelNode& n = m_model.nodes[size_t(index)];
  if (!isKnown(n)) {
    out.push_back(index);
    return;
  }
  for (const int c : n.children) unknown(c, out);
}

void Importer::note(const std::string& text) {
  if (std::find(m_notes.begin(), m_notes.end(), text) == m_notes.end()) m_notes.push_back(text);
}

const ModelNode* Importer::soleTop() const {
  if (m_model.roots.size() != 1) return nullptr;
  const ModelNode& top = m_model.nodes[size_t(m_model.roots.front())];
  return top.parts.empty() && top.matrix == M44f() && top.light < 0 && top.fieldOfView <= 0 &&
                 !moves({m_model.roots.front()})
             ? &top
             : nullptr;
}

std::string Importer::beside(const std::string& name, const char* word) const {
  const ModelNode* top = soleTop();
  const bool taken = std::any_of(m_model.nodes.begin(), m_model.nodes.end(),
                                 [&](const ModelNode& n) { return n.name == name && &n != top; });
  return taken ? fmt::format("{} {}", name, word) : name;
}

std::string Importer::freeName(const std::string& wanted) {
  std::string base;
  for (const char c : wanted)
    base += c == '.' || c == ',' || c == '[' || c == ']' || static_cast<unsigned char>(c) < 32 ? ' ' : c;
  while (!base.empty() && base.back() == ' ') base.pop_back();
  while (!base.empty() && base.front() == ' ') base.erase(base.begin());
  if (base.empty()) base = "Thing";
  if (base.size() > 120) base.resize(120);
  std::string name = base;
  for (int& i = m_counts[base]; !m_names.insert(name).second;) name = fmt::format("{} {}", base, ++i + 1);
  return name;
}

Node Importer::make(const char* kind, const std::string& name) {
  Node n;
  n.id = m_builder.takeId();
  n.kind = m_doc.kinds().find(kind);
  n.name = freeName(name);
  return n;
}

void Importer::set(Node& n, const char* param, Constant value) {
  const ParamDef& d = *n.kind->param(param);
  if (double* v = std::get_if<double>(&value)) *v = std::clamp(std::isfinite(*v) ? *v : 0.0, d.hardMin, d.hardMax);
  if (Triple* t = std::get_if<Triple>(&value))
    for (double& v : *t) v = std::clamp(std::isfinite(v) ? v : 0.0, d.hardMin, d.hardMax);
  if (value != d.initial)
    n.values[param] = value;
  else
    n.values.erase(param);
}

Node Importer::mesh(int part, const std::string& name) {
  const ModelPart& p = m_model.parts[size_t(part)];
  Node n = make("object.mesh", name.empty() ? p.name : name);
  set(n, "file", m_file);
  set(n, "part", p.name);
  if (p.material >= 0) n.values["material"] = Constant(Reference{m_materials[size_t(p.material)], nullptr});
  if (m_options.numbered) set(n, "numbered", true);
  if (m_options.numbered || (isPosed(m_model, p) && m_motion)) {
    set(n, "play", std::string(m_options.numbered ? "loop" : "once"));
    set(n, "begins", m_begin);
    if (m_motion && m_motion != &m_model.motions.front()) set(n, "motion", m_motion->name);
  }
  return n;
}

void Importer::hold(Node& parent, Node child) {
  child.parent = parent.id;
  parent.children["objects"].push_back(child.id);
  m_builder.put(std::move(child));
}

void Importer::light(const ModelNode& in, const Chain& chain, Node& parent) {
  const M44f m = matrixOf(chain, nullptr, 0);
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
  if (sun && moves(chain))
    note(n.name + " stands still: a sun's course is its height and bearing");
  else
    aim(n, chain);
  hold(parent, std::move(n));
}

void Importer::camera(const ModelNode& in, const Chain& chain, Node& parent) {
  const M44f m = matrixOf(chain, nullptr, 0);
  Node n = make("camera.lens", in.name.empty() ? "Camera" : in.name);
  const V3f at = transformPoint(m, V3f(0.0f));
  set(n, "position", triple(at));
  set(n, "target", triple(at - normalize(transformVector(m, {0, 0, 1}))));
  const Params settings = settingsOf(m_doc);
  double shape = settings.number("width") / settings.number("height");
  // The first camera of a scene brings the picture's proportions along; its width stays.
  if (in.aspect > 0 && !m_shaped && m_doc.family("camera").empty() && std::abs(double(in.aspect) / shape - 1) > 1e-3) {
    const double height = std::clamp(std::round(settings.number("width") / double(in.aspect)), 1.0, 32768.0);
    Node picture = m_doc.settings();
    picture.values["height"] = Constant(height);
    m_builder.put(std::move(picture));
    shape = settings.number("width") / height;
    m_notes.push_back(
        fmt::format("the picture takes the proportions of {}: {} × {}", n.name, settings.number("width"), height));
  }
  m_shaped = true;
  const double filmHeight = 36 / shape;
  set(n, "focal_length", filmHeight / (2 * std::tan(in.fieldOfView * pi / 360)));
  aim(n, chain);
  hold(parent, std::move(n));
}

void Importer::aim(Node& n, const Chain& chain) {
  if (!moves(chain)) return;
  bool steps = false;
  const std::vector<double> moments = momentsOf(chain, steps);
  if (moments.size() < 2) return;
  std::vector<double> frames;
  std::vector<Triple> positions, targets;
  for (const double s : moments) {
    const M44f m = matrixOf(chain, m_motion, s);
    const V3f at = transformPoint(m, V3f(0.0f));
    frames.push_back(m_begin + s * m_rate);
    positions.push_back(clean(at));
    targets.push_back(clean(at - normalize(transformVector(m, {0, 0, 1}))));
  }
  setKeys(n, "position", frames, positions, steps, 1e-4);
  if (n.kind->param("target")) setKeys(n, "target", frames, targets, steps, 1e-4);
}

void Importer::skinned(Node& root) {
  for (const ModelNode& n : m_model.nodes)
    for (const int p : n.parts)
      if (isSkinned(p)) hold(root, mesh(p, n.parts.size() == 1 ? n.name : ""));
}

void Importer::node(int index, Chain chain, Node& parent, int depth) {
  const ModelNode& in = m_model.nodes[size_t(index)];
  chain.push_back(index);
  if (in.light >= 0) light(in, chain, parent);
  if (in.fieldOfView > 0) camera(in, chain, parent);
  std::vector<int> parts = in.parts;
  std::erase_if(parts, [&](int p) { return isSkinned(p); });
  if (parts.empty() && !worthHolding(index)) return;
  if (parts.size() == 1 && in.children.empty()) {
    Node n = mesh(parts[0], in.name);
    place(n, chain);
    hold(parent, std::move(n));
    return;
  }
  if (parts.empty() && in.children.size() == 1) {
    // A lamp or camera in a node of its own, as some files have it.
    const ModelNode& only = m_model.nodes[size_t(in.children[0])];
    if (only.name == in.name && only.parts.empty() && only.children.empty() &&
        (only.light >= 0 || only.fieldOfView > 0))
      return node(in.children[0], chain, parent, depth);
  }
  if (depth >= deepestGroups) {
    for (const int p : parts) {
      Node n = mesh(p);
      place(n, chain);
      hold(parent, std::move(n));
    }
    for (const int c : in.children) node(c, chain, parent, depth);
    return;
  }
  Node group = make("object.group", !in.name.empty() ? in.name
                                    : parts.empty()  ? "Group"
                                                     : m_model.parts[size_t(parts[0])].name);
  place(group, chain);
  for (const int p : parts) hold(group, mesh(p));
  for (const int c : in.children) node(c, {}, group, depth + 1);
  hold(parent, std::move(group));
}

bool Importer::worthHolding(int index) const {
  for (const int c : m_model.nodes[size_t(index)].children) {
    const ModelNode& n = m_model.nodes[size_t(c)];
    if (n.light >= 0 || n.fieldOfView > 0 || worthHolding(c)) return true;
    if (std::any_of(n.parts.begin(), n.parts.end(), [&](int p) { return !isSkinned(p); })) return true;
  }
  return false;
}
Imported importModel(const Document& doc, const std::string& path, AssetCache& cache, const ImportOptions& options) {
  if (!(options.unit >= 0) || options.unit > 1e6)
    throw usageError("the unit of an import is above 0 and at most a million metres");
  const std::string absolute = fs::absolute(path).lexically_normal().string();
  const std::shared_ptr<const Model> model = cache.model(absolute);
  if (!options.plain && hasDocument(*model)) {
    try {
      Restored back = restored(*model, absolute, doc.sharedKinds());
      Imported in = Importer(back.doc, absolute, *model, options).onto(back.materials);
      in.notes.insert(in.notes.begin(), back.notes.begin(), back.notes.end());
      if (doc.nodes().size() <= 1) return in;
      std::map<NodeId, NodeId> ids;
      in.doc = merged(doc, in.doc, &ids);
      if (in.root) in.root = ids[in.root];
      return in;
    } catch (const Error& e) {
      Imported in = Importer(doc, absolute, *model, options).run();
      in.notes.push_back(std::string("the document in its extras is left out: ") + e.what());
      return in;
    }
  }
  return Importer(doc, absolute, *model, options).run();
}

ModelSurvey survey(const std::string& path, AssetCache& cache) {
  const std::string absolute = fs::absolute(path).lexically_normal().string();
  const std::shared_ptr<const Model> model = cache.model(absolute);
  ModelSurvey s;
  s.unit = model->unit;
  s.zUp = model->zUp;
  Box3f box;
  const std::vector<M44f> world = matricesAt(*model, nullptr, 0);
  for (size_t n = 0; n < model->nodes.size(); ++n)
    for (const int p : model->nodes[n].parts) {
      const ModelPart& part = model->parts[size_t(p)];
      const Mesh& mesh = part.mesh;
      for (const V3f& v : part.skin >= 0 ? posed(*model, part, nullptr, 0).positions : mesh.positions)
        box.extendBy(part.skin >= 0 ? v : transformPoint(world[n], v));
      s.triangles += mesh.triangles.size();
    }
  if (!box.isEmpty()) s.size = box.size();
  s.parts = model->parts.size();
  s.materials = model->materials.size();
  s.lights = model->lights.size();
  for (const ModelMotion& m : model->motions) s.motions.push_back(m.name);
  const size_t files = numberedFiles(absolute).size();
  s.numbered = files > 1 ? files : 0;
  return s;
}

} // namespace ilumbra
