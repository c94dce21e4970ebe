#include "core/geometry/form.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/document/file.h"
#include "core/geometry/grid.h"
#include "core/geometry/mesh_tools.h"

#include <filesystem>
#include <fmt/format.h>
#include <map>

namespace ilumbra {
namespace {

const std::map<std::string, ShapeKind, std::less<>>& shapes() {
  static const auto all = [] {
    std::map<std::string, ShapeKind, std::less<>> m;
    for (ShapeKind& k : allShapes()) m.emplace(k.kind.id, k);
    return m;
  }();
  return all;
}

const std::map<std::string, ModifierKind, std::less<>>& modifiers() {
  static const auto all = [] {
    std::map<std::string, ModifierKind, std::less<>> m;
    for (ModifierKind& k : allModifiers()) m.emplace(k.kind.id, k);
    return m;
  }();
  return all;
}

bool isOpen(const std::vector<NodeId>& open, NodeId id) {
  return std::find(open.begin(), open.end(), id) != open.end();
}

// For a form that goes into another: what fails there fails the whole.
BuildFrom within(const BuildFrom& from) { return {from.doc, from.frame, from.assets, from.cancel, nullptr, from.open}; }

const std::vector<NodeId>& childrenOf(const Node& n, const char* slot) {
  static const std::vector<NodeId> none;
  const auto it = n.children.find(slot);
  return it == n.children.end() ? none : it->second;
}

template <typename K> bool byTime(const K& kind, const Node& n) {
  return kind.changesByTime && kind.changesByTime(Params(n, 0));
}

// What a group holds, in its own space.
Box3f contentsOf(const Node& group, const BuildFrom& from) {
  Box3f box;
  for (const NodeId id : childrenOf(group, "objects")) {
    const Node* n = from.doc.find(id);
    if (!n || n->kind->family() != "object") continue;
    const Form f = formOf(*n, within(from));
    const Box3f b = f.bounds();
    if (b.isEmpty()) continue;
    const M44f own = placementOf(from.doc, *n, from.frame);
    for (const M44f& copy : f.copies.empty() ? std::vector<M44f>{M44f()} : f.copies)
      for (int corner = 0; corner < 8; ++corner)
        box.extendBy(transformPoint(copy * own, {corner & 1 ? b.max.x : b.min.x, corner & 2 ? b.max.y : b.min.y,
                                                 corner & 4 ? b.max.z : b.min.z}));
  }
  return box;
}

class KeyWriter {
 public:
  KeyWriter(const Document& doc, double frame) : m_doc(doc), m_frame(frame) {}

  void node(const Node& n, bool form) {
    m_text += n.kind->id;
    if (isOpen(m_open, n.id)) return; // a circle, which formOf() refuses
    m_open.push_back(n.id);
    if (form) {
      const auto shape = shapes().find(n.kind->id);
      const auto modifier = modifiers().find(n.kind->id);
      if ((shape != shapes().end() && byTime(shape->second, n)) ||
          (modifier != modifiers().end() && byTime(modifier->second, n))) {
        m_text += fmt::format("@{}/{}", m_frame, settingsOf(m_doc).number("rate"));
        m_changes = true;
      }
    }
    const Params p(n, m_frame);
    if (!form && n.kind->changesByTime && n.kind->changesByTime(p)) {
      m_text += fmt::format("@{}/{}", m_frame, settingsOf(m_doc).number("rate"));
      m_changes = true;
    }
    if (!form && !switchedOn(m_doc, n.id, m_frame)) m_text += "@off";
    m_inWorld |= n.kind->param("things") || (n.kind->param("space") && p.text("space") == "world");
    for (const ParamDef& d : n.kind->params)
      if (!form || d.stage == Invalidation::Geometry) param(n, p, d);
    for (const ChildSlot& slot : n.kind->slots) {
      if (slot.name == "objects" || slot.name == "carries") continue;
      for (const NodeId id : childrenOf(n, slot.name.c_str()))
        if (const Node* child = m_doc.find(id)) {
          m_text += '{';
          node(*child, form);
          m_text += '}';
        }
    }
    // What a group holds counts where its copies are set by its size.
    if (form && isGroup(n) && !childrenOf(n, "modifiers").empty())
      for (const NodeId id : childrenOf(n, "objects"))
        if (const Node* child = m_doc.find(id); child && child->kind->family() == "object") {
          m_changes |= isAnimated(*child);
          matrix(placementOf(m_doc, *child, m_frame));
          node(*child, true);
        }
    m_open.pop_back();
  }

  /// The key of a thing's own form, which patterns that lie in the world may change where it stands.
  FormKey formOf(const Node& n) {
    node(n, true);
    if (m_inWorld) {
      m_changes |= isAnimated(m_doc, n);
      matrix(worldMatrix(m_doc, n, m_frame));
    }
    return {contentHash(m_text), m_changes};
  }

 private:
  void matrix(const M44f& m) {
    for (int i = 0; i < 16; ++i) m_text += fmt::format("{},", (&m[0][0])[i]);
  }

  void param(const Node& n, const Params& p, const ParamDef& d) {
    m_text += '|';
    const Value* stored = p.stored(d.name);
    m_changes |= stored && stored->keys();
    if (const auto use = p.pattern(d.name)) {
      refer(n, use->pattern);
      return;
    }
    switch (d.type) {
    case ParamType::File: {
      const std::string path = resolveFile(m_doc, p.text(d.name));
      std::error_code error;
      const auto time = std::filesystem::last_write_time(path, error);
      m_text += path + fmt::format("@{}", error ? 0 : time.time_since_epoch().count());
      break;
    }
    case ParamType::Reference:
      refer(n, p.reference(d.name));
      break;
    case ParamType::References:
      for (const Reference& r : p.references(d.name)) refer(n, r);
      break;
    default:
      m_text += constant(p.constant(d.name));
    }
  }

  void refer(const Node& from, const Reference& r) {
    const Node* other = m_doc.find(r.target);
    m_text += '#';
    if (!other) return;
    if (r.with)
      for (const auto& [input, value] : *r.with) {
        m_text += input + '=';
        if (const Constant* c = value.constant()) m_text += constant(*c);
        if (const PatternUse* own = value.pattern()) refer(from, own->pattern);
      }
    if (other->kind->family() == "object") {
      // To a modifier it counts where the other stands beside its own object; a twin is the same wherever it is.
      if (from.kind->family() != "object") {
        const Node* self = m_doc.find(from.parent);
        m_changes |= isAnimated(m_doc, *other) || (self && isAnimated(m_doc, *self));
        matrix(worldMatrix(m_doc, *other, m_frame));
        if (self) matrix(worldMatrix(m_doc, *self, m_frame));
      }
      node(*other, true);
    } else {
      if (other->kind->param("turn")) { // a zone
        m_inWorld = true;
        m_changes |= isAnimated(m_doc, *other);
        matrix(worldMatrix(m_doc, *other, m_frame));
      }
      node(*other, false);
    }
  }

  static std::string constant(const Constant& c) {
    if (const double* v = std::get_if<double>(&c)) return fmt::format("{}", *v);
    if (const bool* v = std::get_if<bool>(&c)) return *v ? "1" : "0";
    if (const Triple* v = std::get_if<Triple>(&c)) return fmt::format("{},{},{}", (*v)[0], (*v)[1], (*v)[2]);
    if (const std::string* v = std::get_if<std::string>(&c)) return *v;
    return {};
  }

  const Document& m_doc;
  double m_frame;
  std::vector<NodeId> m_open;
  std::string m_text;
  bool m_changes = false; ///< something on the way has keys, or runs by itself
  bool m_inWorld = false; ///< a pattern on the way does not move along
};

} // namespace

std::vector<ParamDef> modifierParams(std::vector<ParamDef> own) {
  return join(
      {{flag("on", "On", true).at(Invalidation::Geometry).help("Off: as if it were not there")}, std::move(own)});
}

// A line each, in the order of menus.
#define EACH_MODIFIER(X)                                                                                               \
  X(repeatModifier)                                                                                                    \
  X(shellModifier)                                                                                                     \
  X(cageModifier)                                                                                                      \
  X(joinModifier)                                                                                                      \
  X(capModifier)                                                                                                       \
  X(burstModifier)                                                                                                     \
  X(subdivideModifier)                                                                                                 \
  X(roundModifier)                                                                                                     \
  X(smoothModifier)                                                                                                    \
  X(bendModifier)                                                                                                      \
  X(twistModifier)                                                                                                     \
  X(taperModifier)                                                                                                     \
  X(rippleModifier)                                                                                                    \
  X(displaceModifier)                                                                                                  \
  X(mendModifier)                                                                                                      \
  X(pieceModifier)

#define DECLARE(name) ModifierKind name();
EACH_MODIFIER(DECLARE)
#undef DECLARE

std::vector<ModifierKind> allModifiers() {
#define MADE(name) name(),
  return {EACH_MODIFIER(MADE)};
#undef MADE
}

void BuildFrom::stopIfCancelled() const {
  if (cancel && cancel->requested()) throw cancelled();
}

Form formOf(const Node& node, const BuildFrom& outer) {
  if (isOpen(outer.open, node.id)) throw badInput(node.name + ": its form is made from itself");
  BuildFrom from = outer;
  from.open.push_back(node.id);
  Form form;
  const auto kind = shapes().find(node.kind->id);
  if (kind == shapes().end()) throw badInput(node.kind->id + ": cannot be built");
  const auto& list = childrenOf(node, "modifiers");
  if (kind->second.build) {
    form.shape = kind->second.build(Params(node, from.frame), from);
    validate(form.shape.mesh, node.name);
  } else if (!list.empty()) {
    form.contents = contentsOf(node, from);
  }
  for (const NodeId id : list) {
    from.stopIfCancelled();
    const Node* m = from.doc.find(id);
    const auto modifier = m ? modifiers().find(m->kind->id) : modifiers().end();
    if (modifier == modifiers().end()) continue;
    const Params p(*m, from.frame);
    if (!p.flag("on")) continue;
    // What makes its mesh anew does not know what was painted on it.
    const Mesh& now = form.shape.mesh;
    const Mesh painted = now.colors.empty() && now.uvs2.empty() ? Mesh() : now;
    const Form before = from.warnings ? form : Form();
    try {
      modifier->second.apply(form, p, from);
    } catch (const Error& e) {
      if (!from.warnings || e.kind() == ErrorKind::Cancelled) throw;
      from.warnings->push_back(fmt::format("{} of {} is left out: {}", m->name, node.name, e.what()));
      form = before;
    }
    repaint(form.shape.mesh, painted);
  }
  if (!kind->second.build) return form;
  if (const std::string facets = Params(node, from.frame).text("facets"); facets == "faceted")
    facet(form.shape.mesh);
  else if (facets == "smooth")
    smooth(form.shape.mesh);
  return form;
}

FormKey formKey(const Document& doc, const Node& node, double frame) { return KeyWriter(doc, frame).formOf(node); }

const ShapeKind* shapeKind(const Node& node) {
  const auto it = shapes().find(node.kind->id);
  return it == shapes().end() ? nullptr : &it->second;
}

std::vector<M44f> worldPlaces(const Document& doc, const Node& node, double frame,
                              const std::function<std::vector<M44f>(const Node&)>& copiesOf) {
  std::vector<M44f> places{M44f()};
  for (const Node* n = &node; n; n = doc.find(n->parent)) {
    if (!n->kind->param("turn")) continue;
    const std::vector<M44f> copies = copiesOf(*n);
    const M44f own = placementOf(doc, *n, frame);
    if (copies.empty()) {
      for (M44f& p : places) p = p * own;
      continue;
    }
    if (copies.size() * places.size() > 4'000'000)
      throw badInput(fmt::format("{}: more than 4 million copies", n->name));
    std::vector<M44f> all;
    all.reserve(copies.size() * places.size());
    for (const M44f& c : copies)
      for (const M44f& p : places) all.push_back(p * c * own);
    places = std::move(all);
  }
  return places;
}

Mesh& meshOf(Form& form) {
  Shape& s = form.shape;
  if (s.sphereRadius > 0) {
    s.mesh = ballMesh(s.sphereRadius, s.sphereSegments);
    s.sphereRadius = 0;
  }
  if (!form.copies.empty()) {
    if (form.copies.size() * s.mesh.triangles.size() > 20'000'000)
      throw badInput("as one mesh the copies would have more than 20 million triangles");
    Mesh all;
    for (const M44f& c : form.copies) {
      Mesh one = s.mesh;
      transform(one, c);
      append(all, one);
    }
    s.mesh = std::move(all);
    form.copies.clear();
  }
  return s.mesh;
}

// The other object, and how its space lies in that of the object that the modifier works on.
static const Node& otherOf(const Params& modifier, const char* param, const BuildFrom& from, M44f& there) {
  const Node *other = from.doc.find(modifier.reference(param).target), *self = from.doc.find(modifier.node().parent);
  const std::string place = modifier.node().name + "." + param;
  if (!other) throw badInput(place + ": no object is named");
  if (other == self) throw badInput(place + ": it is the object itself");
  there = worldMatrix(from.doc, *other, from.frame);
  if (self) there = there * worldMatrix(from.doc, *self, from.frame).inverse();
  return *other;
}

Mesh meshOfOther(const Params& modifier, const char* param, const BuildFrom& from) {
  M44f there;
  const Node& other = otherOf(modifier, param, from, there);
  Form form = formOf(other, within(from));
  Mesh mesh = std::move(meshOf(form));
  transform(mesh, there);
  return mesh;
}

std::vector<V3f> lineOfOther(const Params& modifier, const char* param, const BuildFrom& from) {
  M44f there;
  const Node& other = otherOf(modifier, param, from, there);
  const auto kind = shapes().find(other.kind->id);
  if (kind == shapes().end() || !kind->second.line)
    throw badInput(fmt::format("{}.{}: a {} has no line to follow", modifier.node().name, param, other.kind->label));
  std::vector<V3f> line = kind->second.line(Params(other, from.frame), from);
  for (V3f& p : line) p = transformPoint(there, p);
  return line;
}

} // namespace ilumbra
