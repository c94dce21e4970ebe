#pragma once
#include "core/document/document.h"

namespace ilumbra {

/// A pattern that is known by what it looks like: a few patterns in one another, whose inputs say all that matters.
struct PatternPreset {
  std::string name; ///< "Rust"
  std::string helpText;
  using Values = std::vector<std::pair<std::string, std::string>>; ///< as the command line takes them
  /// A pattern of a kind, for a thing of a metre.
  struct Part {
    std::string kind;
    Values values;
  };
  Part where;  ///< its high places are covered first
  Part what;   ///< what lies there, from "low" to "high"
  Values lies; ///< how it lies: of pattern.cover
  /// Further inputs besides its size, amount and colours: their names, and paths from the cover.
  Values inputs;
  bool shines = false;                                   ///< it is own light: black where it is not
  std::vector<std::pair<std::string, Part>> within = {}; ///< what drives parameters of `where`
  double reach = 0;                                      ///< of its input "reach": by the thing's size; 0: it has none
};

const std::vector<PatternPreset>& patternPresets();
/// Throws BadInput naming those that exist.
const PatternPreset& findPatternPreset(const std::string& name);
/// Adds what makes a preset; `made` receives the pattern that all is in, with its inputs declared.
Document addPatternPreset(const Document& doc, const PatternPreset& preset, NodeId* made);

} // namespace ilumbra
