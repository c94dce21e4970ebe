#include "core/light/ball.h"

namespace ilumbra {

LightKind pointLight() {
  return {{.id = "light.point",
           .label = "Point light",
           .helpText = "A lamp that shines alike in all directions: a point, or a ball with a radius.",
           .params = join({lightParams("Power", "lm", 800, 20000),
                           {vector("position", "Position", "m", {0, 1, 0})
                                .soft(-5, 5)
                                .at(Invalidation::Placement)
                                .in("Placement")
                                .help("Where it stands"),
                            number("radius", "Radius", "m", 0.05)
                                .soft(0.001, 1)
                                .range(0, 1e6)
                                .log()
                                .at(Invalidation::Placement)
                                .matters()
                                .in("Placement")
                                .help("Size of the ball: softness of its shadows; 0 has hard shadows and is not seen"),
                            rangeParam()}}),
           .existence = Invalidation::Placement},
          [](const Params& p, const M44f& world, const Assets&) {
            const Triple t = p.triple("position");
            return std::make_unique<BallLight>(transformPoint(world, {float(t[0]), float(t[1]), float(t[2])}),
                                               p.real("radius"));
          },
          Punctual::Point};
}

} // namespace ilumbra
