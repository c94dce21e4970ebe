// Union, cut and common part with another object; and cutting open by a plane.
#include "core/base/error.h"
#include "core/geometry/form.h"
#include "core/geometry/grid.h"
#include "core/geometry/mesh_tools.h"
#include "core/geometry/solids.h"

namespace ilumbra {
namespace {

ParamDef insideMaterial() {
  return reference("inside_material", "Cut faces", {"material."})
      .at(Invalidation::Shading)
      .help("What came to light by the cut is made of this; nothing: of the same");
}

const std::string& ownerName(const Params& p, const BuildFrom& from) {
  const Node* owner = from.doc.find(p.node().parent);
  return owner ? owner->name : p.node().name;
}

} // namespace

ModifierKind joinModifier() {
  return {{.id = "modifier.join",
           .label = "Join",
           .helpText = "Makes one body of the object and another: both together, the one without the other, or what "
                       "they have in common. Both must be closed.",
           .params = modifierParams({choice("how", "How", {"cut away", "union", "common"})
                                         .at(Invalidation::Geometry)
                                         .matters()
                                         .help("What stays"),
                                     reference("other", "Other", {"object."})
                                         .at(Invalidation::Geometry)
                                         .matters()
                                         .help("The other body, as it stands; hide it if it is a tool only"),
                                     insideMaterial()})},
          [](Form& form, const Params& p, const BuildFrom& from) {
            const Mesh other = meshOfOther(p, "other", from);
            const std::string how = p.text("how");
            Mesh& mesh = meshOf(form);
            mesh = joined(mesh, other,
                          how == "union"    ? Joining::Union
                          : how == "common" ? Joining::Common
                                            : Joining::Cut,
                          ownerName(p, from), from.doc.find(p.reference("other").target)->name);
            if (mesh.triangles.empty()) throw badInput(p.node().name + ".how: nothing is left of the object");
          },
          {}};
}

ModifierKind capModifier() {
  return {{.id = "modifier.cap",
           .label = "Cut open",
           .helpText = "Takes away what lies beyond a plane, so that one sees into the object.",
           .params = modifierParams({vector("place", "Through", "m", {0, 0, 0})
                                         .soft(-1, 1)
                                         .at(Invalidation::Geometry)
                                         .matters()
                                         .help("A point of the plane, in the object's own space"),
                                     vector("normal", "Away", "", {0, 0, 1})
                                         .soft(-1, 1)
                                         .at(Invalidation::Geometry)
                                         .matters()
                                         .help("Direction in which the plane takes everything away"),
                                     flag("closed", "Closed", true)
                                         .at(Invalidation::Geometry)
                                         .matters()
                                         .help("The cut is filled; off: one looks at the inner side of the skin"),
                                     insideMaterial()})},
          [](Form& form, const Params& p, const BuildFrom& from) {
            const V3f point = vec(p.triple("place")), normal = normalize(vec(p.triple("normal")));
            if (isBlack(normal)) throw badInput(p.node().name + ".normal: no direction has a length of 0");
            Mesh& mesh = meshOf(form);
            if (!p.flag("closed")) {
              mesh = clipped(mesh, point, normal);
            } else {
              // A block beyond the plane, larger than the object.
              Box3f box;
              for (const V3f& q : mesh.positions) box.extendBy(q);
              const double size =
                  4 * double(length(box.isEmpty() ? V3f(1.0f) : box.size())) + 4 * double(length(box.center() - point));
              const Frame f(normal);
              std::vector<HalfSpace> sides;
              const auto side = [&](const V3f& n, double beyond) {
                sides.push_back({Imath::V3d(n), Imath::V3d(n).dot(Imath::V3d(point)) + beyond});
              };
              side(-normal, 0);
              side(normal, size);
              for (const V3f& across : {f.x, f.y, -f.x, -f.y}) side(across, size);
              mesh = joined(mesh, convexBody(sides), Joining::Cut, ownerName(p, from), p.node().name);
            }
            if (mesh.triangles.empty())
              throw badInput(p.node().name + ".place: the plane takes all of the object away");
          },
          {}};
}

} // namespace ilumbra
