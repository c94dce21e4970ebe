#pragma once
#include "core/document/kind.h"

#include <memory>

namespace ilumbra {

/// Every kind of thing that a document may hold, in the order in which menus and docs list them. Made once by a program
/// and passed on.
std::shared_ptr<const Kinds> allKinds();

} // namespace ilumbra
