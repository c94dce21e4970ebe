// The value of a parameter of another thing: a pattern that follows a lamp's power, or how far a door has turned.
#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/document/lookup.h"
#include "core/document/words.h"
#include "core/pattern/blend.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

// By its name in files or as it is shown.
const ParamDef& followed(const Node& follower, const Node& of, const std::string& name) {
  for (const ParamDef& d : of.kind->params)
    if (d.name == name || d.label == name) {
      if (d.type == ParamType::Number || d.type == ParamType::Integer || d.type == ParamType::Flag ||
          d.type == ParamType::Color)
        return d;
      throw badInput(fmt::format("{}: {} of {} is no number, switch or colour", follower.name, d.label, of.name));
    }
  return needParam(of, name);
}

double valueOf(const Params& p, const ParamDef& d) {
  if (d.type == ParamType::Flag) return p.flag(d.name) ? 1 : 0;
  if (d.type != ParamType::Color) return p.number(d.name);
  const Triple t = p.triple(d.name);
  return 0.2126 * t[0] + 0.7152 * t[1] + 0.0722 * t[2];
}

Document beginFollowing(const Document& doc, NodeId made) {
  for (const Node* n : doc.family("light"))
    if (n->kind->param("power")) {
      const double now = Params(*n, currentFrame(doc)).number("power");
      const Document out = setValue(doc, made, "of", Constant(Reference{n->id, nullptr}));
      return now > 0 ? setValue(out, made, "most", Constant(now)) : out;
    }
  return doc;
}

} // namespace

PatternKind followPattern() {
  return {
      {.id = "pattern.follow",
       .label = "Follow",
       .helpText = "The value of a parameter of another thing, the same everywhere: what follows a lamp's power, or "
                   "how far something has turned. That parameter then counts as what follows it does: a lamp's "
                   "power is no longer free of rays.",
       .params = {reference("of", "Follows", {"light.", "object.", "material.", "air.", "zone.", "camera.", "lens."})
                      .matters()
                      .help("The thing whose parameter it follows"),
                  text("parameter", "Parameter", "power")
                      .matters()
                      .help("The parameter by its name: a number, a switch or the brightness of a colour"),
                  number("delay", "Delay", "s", 0)
                      .soft(0, 5)
                      .range(-1e4, 1e4)
                      .matters()
                      .help("How long ago it is looked at; below 0, ahead"),
                  number("least", "From", "", 0).soft(0, 1).help("What comes out as the first colour"),
                  number("most", "To", "", 1).soft(0, 1).matters().help("What comes out as the second colour"),
                  color("low", "At the first", {0, 0, 0})
                      .soft(0, 1)
                      .patterned()
                      .says("at the least")
                      .help("Where the parameter is at From"),
                  color("high", "At the second", {1, 1, 1})
                      .soft(0, 1)
                      .patterned()
                      .says("at the most")
                      .help("Where it is at To")},
       .existence = Invalidation::Shading,
       .changesByTime = [](const Params&) { return true; },
       .role = "follows"},
      [](const Params& p, PatternCompiler& c) {
        const Node* of = c.doc().find(p.reference("of").target);
        if (!of) return c.input(p, "low");
        const ParamDef& d = followed(p.node(), *of, p.text("parameter"));
        const Params then(*of, c.frame() - p.number("delay") * std::max(1e-3, c.rate()));
        if (then.pattern(d.name))
          throw badInput(fmt::format("{}: a pattern drives {}.{}: follow what drives that instead", p.node().name,
                                     of->name, d.name));
        const double least = p.number("least"), most = p.number("most"), v = valueOf(then, d);
        const auto t = float(most == least ? v >= most : std::clamp((v - least) / (most - least), 0.0, 1.0));
        return c.emit(Mixed{Blend::Over}, {c.input(p, "low"), c.input(p, "high"), c.constant({t, t, t, 1})});
      },
      PatternGroup::Place,
      beginFollowing,
      true};
}

} // namespace ilumbra
