#include "core/document/words.h"

#include <algorithm>

namespace ilumbra {

std::string quotation(std::string_view foreign) {
  constexpr size_t most = 300;
  std::string s(foreign.substr(0, most));
  if (foreign.size() > most) {
    // Not through a character: its later bytes begin with the bits 10.
    size_t end = most;
    while (end > 0 && (static_cast<unsigned char>(foreign[end]) & 0xc0) == 0x80) --end;
    s.resize(end);
    s += "…";
  }
  for (char& c : s)
    if (static_cast<unsigned char>(c) < 32) c = ' ';
  return "\"" + s + "\"";
}

std::string nearestWord(std::string_view typed, const std::vector<std::string>& words) {
  if (typed.empty() || typed.size() > 64) return {};
  std::string best;
  size_t least = typed.size() / 3 + 2; // not as many letters as make it another word
  for (const std::string& word : words) {
    const size_t n = typed.size(), m = word.size();
    std::vector<std::vector<size_t>> d(n + 1, std::vector<size_t>(m + 1));
    for (size_t i = 0; i <= n; ++i) d[i][0] = i;
    for (size_t j = 0; j <= m; ++j) d[0][j] = j;
    for (size_t i = 1; i <= n; ++i)
      for (size_t j = 1; j <= m; ++j) {
        d[i][j] = std::min({d[i - 1][j] + 1, d[i][j - 1] + 1, d[i - 1][j - 1] + (typed[i - 1] != word[j - 1])});
        if (i > 1 && j > 1 && typed[i - 1] == word[j - 2] && typed[i - 2] == word[j - 1])
          d[i][j] = std::min(d[i][j], d[i - 2][j - 2] + 1);
      }
    if (d[n][m] < least) {
      least = d[n][m];
      best = word;
    }
  }
  return best;
}

} // namespace ilumbra
