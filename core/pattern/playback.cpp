#include "core/pattern/playback.h"

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>
#include <filesystem>
#include <map>

namespace ilumbra {
namespace fs = std::filesystem;

std::vector<ParamDef> playbackParams(Invalidation stage) {
  return {choice("play", "Plays", {"still", "once", "loop", "to and fro"})
              .at(stage)
              .in("Playback")
              .help("Whether it runs by itself over time, and what comes at its end"),
          number("begins", "Begins at", "frames", 1)
              .soft(1, 240)
              .range(-1e6, 1e6)
              .fixed()
              .at(stage)
              .in("Playback")
              .help("The frame of the document at which it starts"),
          number("skips", "Skips", "s", 0)
              .soft(0, 10)
              .range(-1e5, 1e5)
              .fixed()
              .at(stage)
              .in("Playback")
              .help("What is left out at its beginning; of a still: the moment shown"),
          number("speed", "Speed", "×", 1)
              .soft(-2, 4)
              .range(-100, 100)
              .fixed()
              .at(stage)
              .in("Playback")
              .help("Less than 0: backwards"),
          number("own_rate", "Its own rate", "fps", 0)
              .soft(0, 60)
              .range(0, 1000)
              .fixed()
              .at(stage)
              .in("Playback")
              .help("Frames a second that it was made for; 0: what its file states, else the document's")};
}

bool isPlayed(const Params& p) { return p.text("play") != "still"; }

static double wrapped(double t, double length, const std::string& play) {
  if (!(length > 0)) return 0;
  if (play == "loop") return t - length * std::floor(t / length);
  if (play == "to and fro") {
    const double u = t - 2 * length * std::floor(t / (2 * length));
    return u <= length ? u : 2 * length - u;
  }
  return std::clamp(t, 0.0, length);
}

double playedSeconds(const Params& p, const Document& doc, double length) {
  const double rate = settingsOf(doc).number("rate"), skips = p.number("skips");
  if (!isPlayed(p)) return std::clamp(skips, 0.0, std::max(0.0, length));
  const double since = (p.frame() - p.number("begins")) / rate;
  return wrapped(skips + std::max(0.0, since) * p.number("speed"), length, p.text("play"));
}

FootageFrame playedFrame(const Params& p, const Document& doc, const Footage& footage) {
  const double documentRate = settingsOf(doc).number("rate");
  const double own = p.number("own_rate") > 0 ? p.number("own_rate") : footage.rate > 0 ? footage.rate : documentRate;
  const int count = std::max(1, footage.frames);
  const std::string play = p.text("play");
  const double since =
      isPlayed(p) ? std::max(0.0, (p.frame() - p.number("begins")) / documentRate) * p.number("speed") : 0;
  // A whole frame is a whole frame, whatever the arithmetic of rates leaves over.
  double at = (p.number("skips") + since) * own;
  if (std::abs(at - std::round(at)) < 1e-6) at = std::round(at);
  if (play == "loop") {
    at -= count * std::floor(at / count);
    const int i = std::min(count - 1, int(at));
    return {i, (i + 1) % count, at - i};
  }
  at = wrapped(at, count - 1, play);
  const int i = std::min(count - 1, int(at));
  return {i, std::min(count - 1, i + 1), i + 1 < count ? at - i : 0};
}

bool isMovie(const std::string& file) {
  std::string e = fs::path(file).extension().string();
  for (char& c : e) c = char(std::tolower(static_cast<unsigned char>(c)));
  static const char* const movies[] = {".mp4", ".mov",  ".m4v", ".mkv", ".webm", ".avi",
                                       ".mpg", ".mpeg", ".mxf", ".ogv", ".gif"};
  return std::find(std::begin(movies), std::end(movies), e) != std::end(movies);
}

NumberedName numberedName(const std::string& file) {
  const size_t slash = file.find_last_of('/') == std::string::npos ? 0 : file.find_last_of('/') + 1;
  size_t dot = file.find_last_of('.');
  if (dot == std::string::npos || dot < slash) dot = file.size();
  size_t begin = dot;
  while (begin > slash && file[begin - 1] >= '0' && file[begin - 1] <= '9' && dot - begin < 9) --begin;
  NumberedName n{file.substr(0, begin), file.substr(dot), int(dot - begin), 0};
  if (n.digits) std::from_chars(file.data() + begin, file.data() + dot, n.number);
  return n;
}

std::vector<std::string> numberedFiles(const std::string& path) {
  const NumberedName own = numberedName(path);
  std::map<int64_t, std::string> found;
  if (own.digits) {
    std::error_code error;
    for (const auto& entry : fs::directory_iterator(fs::path(path).parent_path(), error)) {
      const NumberedName n = numberedName(entry.path().string());
      if (n.digits && n.before == own.before && n.after == own.after) found.emplace(n.number, entry.path().string());
    }
  }
  if (found.empty()) return {path};
  std::vector<std::string> files;
  for (auto& [number, file] : found) files.push_back(std::move(file));
  return files;
}

} // namespace ilumbra
