// An object that shows the form of another.
#include "core/base/error.h"
#include "core/geometry/form.h"

namespace ilumbra {

ShapeKind twinShape() {
  return {{.id = "object.twin",
           .label = "Twin",
           .helpText = "Shows the form of another object, with all its modifiers, and its material until it has its "
                       "own. What changes there changes here.",
           .params = join({{reference("of", "Twin of", {"object."})
                                .at(Invalidation::Geometry)
                                .matters()
                                .help("The object whose form it has")},
                           objectParams()})},
          [](const Params& p, const BuildFrom& from) {
            const Node* other = from.doc.find(p.reference("of").target);
            if (!other) throw badInput(p.node().name + ".of: no object is named");
            if (!other->kind->param("material"))
              throw badInput(p.node().name + ".of: a " + other->kind->label + " has no form of its own");
            Form form = formOf(*other, from);
            if (!form.copies.empty()) meshOf(form);
            return std::move(form.shape);
          }};
}

} // namespace ilumbra
