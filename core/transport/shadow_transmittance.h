#pragma once
#include "core/transport/path_state.h"

namespace ilumbra {

/// Share of light that comes through on a straight line, `inside` of what it starts in; `first`: the first clear thing
/// in the way: opacity by opacity, and through clear things that let light go straight, by Fresnel's equations and
/// absorption on the way that refracted light would take. `lamp`: whose light it is, null: any;
/// `last`: told the clear thing that is nearest to the lamp, the one that its light meets first.
Color clearTransmittance(PathState& path, V3f o, const V3f& d, float far, const Hit* first, MediumStack inside,
                         const Instance* own, const Emitter* lamp, uint16_t& last);

/// Share of light that comes through the air on a straight line; `body`: the clear body around it.
Color mediaTransmittance(PathState& path, const V3f& from, const V3f& direction, float far, NodeId body);

} // namespace ilumbra
