#pragma once
#include "core/document/document.h"
#include "core/pattern/assets.h"

namespace ilumbra {

/// How something that runs by itself (a movie, a numbered sequence, a clip of animation) is played: the parameters of
/// whatever plays it, in the group "Playback".
std::vector<ParamDef> playbackParams(Invalidation stage);
/// True if it is played at all.
bool isPlayed(const Params& p);
/// Seconds into a clip of `length` seconds, whose end is its beginning where it loops, at the frame of `p`.
double playedSeconds(const Params& p, const Document& doc, double length);
/// Which frame of the footage is shown, from 0, and how far it is on the way to the next one (0 to 1; 0 where there is
/// none).
struct FootageFrame {
  int index = 0, next = 0;
  double between = 0;
};
FootageFrame playedFrame(const Params& p, const Document& doc, const Footage& footage);

/// The picture in `file`, or the frame that is shown now of the movie or (`numbered`) the sequence there.
std::shared_ptr<const Image> shownImage(const Params& p, const Document& doc, const Assets& assets);

/// The file of that picture. Throws BadInput of a movie: its frames are no files.
std::string shownFile(const Params& p, const Document& doc, const Assets& assets);

/// True if the name is that of a movie.
bool isMovie(const std::string& file);
/// A file name with a number before its extension, in parts.
struct NumberedName {
  std::string before, after;
  int digits = 0; ///< 0: it has no number
  int64_t number = 0;
};
NumberedName numberedName(const std::string& file);
/// All files of the sequence that the file belongs to, by number; the file alone where it has no number.
std::vector<std::string> numberedFiles(const std::string& absolutePath);

} // namespace ilumbra
