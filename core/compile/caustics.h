#pragma once
#include "core/document/document.h"
#include "core/scene/caustics.h"

#include <memory>

namespace ilumbra {

class Scene;

/// Role of kinds that send photons: with the flag "on", the roles From (lamps), Through and Onto, and causticsParams().
inline constexpr std::string_view sendsPhotons = "photons";

/// What an effect of caustics says of its photons, apart from who fills its roles.
std::vector<ParamDef> causticsParams();

/// The rules of a document's effects in a scene whose lights and things are there; null if there are none.
std::shared_ptr<const Caustics> causticsOf(const Document& doc, double frame, const Scene& scene);

} // namespace ilumbra
