#include "core/pattern/blend.h"

namespace ilumbra {

PatternKind mixPattern() {
  return {
      {.id = "pattern.mix",
       .label = "Mix",
       .helpText = "One pattern laid over another, through a mask.",
       .params =
           {choice("mode", "Mode", blendNames).matters().help("How the upper meets the lower"),
            color("below", "Below", {0, 0, 0}).soft(0, 1).patterned().says("over").matters().help("The lower value"),
            color("above", "Above", {1, 1, 1})
                .soft(0, 1)
                .patterned()
                .says("with")
                .matters()
                .help("The upper value; its alpha counts"),
            number("mask", "Mask", "", 1)
                .range(0, 1)
                .patterned()
                .says("only where")
                .matters()
                .help("Where the upper shows")},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        return c.emit(Mixed{choiceOf<Blend>(p, "mode")},
                      {c.input(p, "below"), c.input(p, "above"), c.amount(p, "mask")});
      },
      PatternGroup::Operation,
      {},
      true};
}

} // namespace ilumbra
