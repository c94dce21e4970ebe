#pragma once
#include "core/document/edit.h"

namespace ilumbra {

/// One line of a pattern as an indented list.
struct PatternLine {
  NodeId node = 0;   ///< a pattern, or a part of one (a layer, a key of a ramp)
  Reference use;     ///< of a pattern: with all that is passed through to it from the first line's use
  Address at;        ///< what it drives; of the first line and of parts: no node
  int depth = 0;     ///< 0: the pattern as a whole
  std::string words; ///< how it stands to the line that holds it: "only where"; of the first line empty
  bool last = true;  ///< no line of the same depth follows below the same line
};

/// A pattern and all that drives it, each input below the line that has it, in the order of the table; what is used
/// twice is listed twice. Empty: there is no such pattern.
std::vector<PatternLine> patternLines(const Document& doc, const Reference& pattern);

/// What a pattern is put on: a parameter of a thing that is no pattern, or what a use of one sets for itself, through
/// other patterns or directly; in tree order.
std::vector<Address> patternUses(const Document& doc, NodeId pattern);

/// The line without what is on it: a layer or key is taken away, a parameter falls back to what it is by default. The
/// pattern itself goes too where nothing else uses it.
Document withoutLine(const Document& doc, const PatternLine& line);

/// Two lines that are inputs exchanged: each pattern drives what the other one drove. Throws BadInput where one of them
/// is no input, or lies within the other.
Document swappedLines(const Document& doc, const std::vector<PatternLine>& lines, size_t a, size_t b);

} // namespace ilumbra
