#pragma once
#include "core/document/edit.h"

namespace ilumbra {

/// Something that is not, after the last frame of the document's range, what it was at the first.
struct LoopBreak {
  Address at;
  std::string why;     ///< after its address: "comes round after 36 frames, not 48"
  bool mends = false;  ///< looped() can do something about it
};
/// What keeps the document's range from being a loop: keys, movers, patterns that drift or churn, waves that run. Of
/// footage and clips nothing is known here.
std::vector<LoopBreak> loopBreaks(const Document& doc);
/// With what mends it: movers go round whole times, their chance and that of patterns comes again, waves run as fast as
/// makes whole ones, keys end where they began.
Document looped(const Document& doc);

} // namespace ilumbra
