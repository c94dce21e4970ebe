#pragma once
#include "core/base/tasks.h"
#include "core/document/document.h"
#include "core/pattern/assets.h"
#include "core/pattern/nearness.h"

namespace ilumbra {

/// The surfaces of things at a frame, all their copies in the world, of groups all that they hold; what is hidden counts too. Kept
/// while it was used of late, up to some million triangles. Throws BadInput where one of them is made from itself, or where they have
/// more than 20 million triangles; Cancelled.
std::shared_ptr<const Nearness> nearnessTo(const Document& doc, const std::vector<NodeId>& things, double frame, const Assets& assets, const CancelFlag* cancel = nullptr);

} // namespace ilumbra
