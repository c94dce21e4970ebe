#pragma once
#include "core/transport/path_state.h"

namespace ilumbra {

/// Share of light that is left of a straight way (unit direction, metres) through a clear body whose ways count
/// `stretch` times as long. Where a pattern tints the body it is an estimate without bias: ratio tracking about the
/// most that is taken (Novák et al. 2014, "Residual ratio tracking for estimating attenuation in participating media").
Color bodyTransmittance(PathState& path, const MediumStack::Body& body, const V3f& origin, const V3f& direction,
                        float metres, float stretch = 1);

} // namespace ilumbra
