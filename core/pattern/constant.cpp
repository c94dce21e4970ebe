#include "core/pattern/program.h"

namespace ilumbra {

PatternKind constantPattern() {
  return {{.id = "pattern.constant",
           .label = "Constant",
           .helpText = "One value everywhere: a colour or number that several things share.",
           .params = {color("value", "Value", {0.5, 0.5, 0.5})
                          .soft(0, 1)
                          .patterned()
                          .matters()
                          .help("The colour; as a number, its mean")},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) { return c.input(p, "value"); },
          PatternGroup::Place,
          {},
          true};
}

} // namespace ilumbra
