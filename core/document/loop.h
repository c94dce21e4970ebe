#pragma once
#include "core/document/edit.h"

namespace ilumbra {

/// Something that is not, after the last frame of the document's range, what it was at the first.
struct LoopBreak {
  Address at;
  std::string why;    ///< after its address: "comes round after 36 frames, not 48"
  bool mends = false; ///< looped() can do something about it
};
/// Frames after which what plays by itself (a movie, a numbered sequence, a clip) is at its start again, at a speed of
/// 1; 0: that is not known, and then nothing is said of its length.
using FramesOfRound = std::function<double(const Node& played)>;
/// True of what has its own playing, and is not still.
bool playsByItself(const Node& n);
/// What keeps the document's range from being a loop: keys, movers, what goes along a path, patterns that drift or
/// churn, waves that run, what plays, lens stages that move.
std::vector<LoopBreak> loopBreaks(const Document& doc, const FramesOfRound& rounds = {});
/// With what mends it: movers go round whole times, their chance and that of patterns comes again, waves run as fast as
/// makes whole ones, what plays does so whole times, keys end where they began.
Document looped(const Document& doc, const FramesOfRound& rounds = {});

} // namespace ilumbra
