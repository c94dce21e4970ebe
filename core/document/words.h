#pragma once
#include <string>
#include <string_view>
#include <vector>

namespace ilumbra {

/// Foreign text in a message: in quotation marks, at most 300 characters (bytes of UTF-8, never through a character),
/// "…" for the rest, control characters as blanks.
std::string quotation(std::string_view foreign);
/// The word of a list that a mistyped one is nearest to by single letters that are left out, added, exchanged or turned
/// round (Damerau 1964); empty if none is near.
std::string nearestWord(std::string_view typed, const std::vector<std::string>& words);

} // namespace ilumbra
