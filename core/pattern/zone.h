#pragma once
#include "core/document/kind.h"

namespace ilumbra {

/// An invisible body that says where: patterns and effects take it as a mask. It has a place, is moved, keyed and
/// carried as any thing is, and many may use it.
Kind zoneKind();

} // namespace ilumbra
