#include "core/geometry/shape.h"

namespace ilumbra {

std::vector<ParamDef> objectParams() {
  const auto sw = [](const char* name, const char* label, bool on, const char* help) {
    return flag(name, label, on).at(Invalidation::Placement).in("Switches").help(help);
  };
  return join(
      {{reference("material", "Material", {"material."}).at(Invalidation::Shading).help("What the surface is made of"),
        choice("facets", "Facets", {"as made", "smooth", "faceted"})
            .at(Invalidation::Geometry)
            .help("Shades across its facets as it was made, all smooth but at sharp edges, or every facet by itself")},
       placementParams(),
       {sw("seen", "Seen directly", true, "Off: the camera looks through it"),
        sw("seen_mirrored", "Seen in mirrors", true, "Off: mirrors do not show it"),
        sw("seen_through", "Seen through clear things", true, "Off: glass does not show it"),
        sw("casts_shadow", "Casts shadow", true, "Off: lamps shine through it"),
        sw("takes_light", "Takes light", true, "Off: it shows its own light only"),
        sw("lights_others", "Lights others", true, "Off: no light from it reaches other things"),
        sw("cuts_out", "Leaves a hole in alpha", false,
           "It hides what is behind it, and its own place in the picture stays empty"),
        sw("catches", "Shows light and shadow only", false,
           "It is not seen itself: only the light and the shadow that fall on it"),
        choice("light_through", "Light through it", {"straight", "focused", "blocked"})
            .at(Invalidation::Placement)
            .in("Switches")
            .help("How lamps shine through what is clear of it: on a straight line, bent as it really is (caustics), "
                  "or not at all")}});
}

Reference wornMaterial(const Document& doc, const Node& object, double frame) {
  const Node* n = &object;
  for (int i = 0; i < 32 && n && n->kind->param("material"); ++i) {
    const Params p(*n, frame);
    const Reference use = p.reference("material");
    if (!use.target && n->kind->id == "object.card") return {n->id, nullptr}; // it brings its own look
    if (use.target || !n->kind->param("of")) return use;
    n = doc.find(p.reference("of").target);
  }
  return {};
}

bool isShown(const Document& doc, const Node& node, double frame) {
  for (const Node* n = &node; n; n = doc.find(n->parent))
    if (n->kind->param("shown") && !Params(*n, frame).flag("shown")) return false;
  return true;
}

bool isLocked(const Document& doc, const Node& node) {
  for (const Node* n = &node; n; n = doc.find(n->parent))
    if (n->kind->param("locked") && Params(*n, 0).flag("locked")) return true;
  return false;
}

Box3f Shape::bounds() const {
  Box3f b;
  if (sphereRadius > 0) {
    b.extendBy(V3f(-sphereRadius));
    b.extendBy(V3f(sphereRadius));
  }
  for (const V3f& p : mesh.positions) b.extendBy(p);
  for (const Form& f : forms) {
    if (f.sphereRadius > 0) {
      b.extendBy(V3f(-f.sphereRadius));
      b.extendBy(V3f(f.sphereRadius));
    }
    for (const V3f& p : f.positions) b.extendBy(p);
  }
  return b;
}

double Shape::area() const {
  if (sphereRadius > 0) return 4.0 * pi * sphereRadius * sphereRadius;
  double sum = 0;
  for (const auto& t : mesh.triangles)
    sum += 0.5 * length(cross(mesh.positions[t.b] - mesh.positions[t.a], mesh.positions[t.c] - mesh.positions[t.a]));
  return sum;
}

// A line each, in the order of menus.
#define EACH_SHAPE(X)                                                                                                  \
  X(sphereShape)                                                                                                       \
  X(boxShape)                                                                                                          \
  X(planeShape)                                                                                                        \
  X(discShape)                                                                                                         \
  X(cylinderShape)                                                                                                     \
  X(tubeShape)                                                                                                         \
  X(coneShape)                                                                                                         \
  X(torusShape)                                                                                                        \
  X(knotShape)                                                                                                         \
  X(polyhedronShape)                                                                                                   \
  X(gemShape)                                                                                                          \
  X(lensShape)                                                                                                         \
  X(prismShape)                                                                                                        \
  X(turnedShape)                                                                                                       \
  X(textShape)                                                                                                         \
  X(pathShape)                                                                                                         \
  X(backdropShape)                                                                                                     \
  X(cardShape)                                                                                                         \
  X(waterShape)                                                                                                        \
  X(patternFormShape)                                                                                                  \
  X(twinShape)                                                                                                         \
  X(meshShape)                                                                                                         \
  X(groupShape)

#define DECLARE(name) ShapeKind name();
EACH_SHAPE(DECLARE)
#undef DECLARE

std::vector<ShapeKind> allShapes() {
#define MADE(name) name(),
  std::vector<ShapeKind> all = {EACH_SHAPE(MADE)};
#undef MADE
  for (ShapeKind& s : all) {
    if (s.build) s.kind.slots.push_back({"modifiers", "Modifiers", {"modifier."}, Invalidation::Geometry});
    if (s.build)
      s.kind.slots.push_back({"carries", "Carries", {"object.", "light.", "zone.", "camera."}, Invalidation::Geometry});
  }
  return all;
}

ShapeKind groupShape() {
  return {{.id = "object.group",
           .label = "Group",
           .helpText = "Holds things together and places them as one.",
           .params = join({placementParams(), followParams()}),
           .slots = {{"objects", "Objects", {"object.", "light.", "zone.", "camera."}, Invalidation::Geometry},
                     {"modifiers", "Modifiers", {"modifier.repeat"}, Invalidation::Geometry}}},
          {}};
}

} // namespace ilumbra
