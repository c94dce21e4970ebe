#include "core/compile/playing.h"

#include "core/geometry/pose.h"
#include "core/pattern/playback.h"

#include <algorithm>

namespace ilumbra {

double framesOfRound(const Document& doc, const Node& played, const Assets& assets) {
  const Params p(played, currentFrame(doc));
  const std::string file = p.text("file");
  if (file.empty()) return 0;
  const double rate = settingsOf(doc).number("rate");
  const bool fro = p.text("play") == "to and fro";
  const bool numbered = played.kind->param("numbered") && p.flag("numbered");
  if (played.kind->param("motion") && !numbered) {
    const std::shared_ptr<const Model> model = assets.model(file);
    const ModelMotion* motion = findMotion(*model, p.text("motion"));
    return motion ? motion->length * rate * (fro ? 2 : 1) : 0;
  }
  if (!numbered && !isMovie(file)) return 0;
  const Footage footage = assets.footage(file);
  const double own = p.number("own_rate") > 0 ? p.number("own_rate") : footage.rate > 0 ? footage.rate : rate;
  const int count = std::max(1, footage.frames);
  return (fro ? 2 * (count - 1) : count) / own * rate;
}

} // namespace ilumbra
