#pragma once
#include "core/document/edit.h"

#include <vector>

namespace ilumbra {

/// What a pattern gives: its range, and how much of it lies outside of what a parameter takes.
struct PatternRange {
  float low = 0, high = 0;
  float from = 0, to = 1;     ///< what the bins span: all that it gives and, where that has ends, all that is taken
  std::vector<float> bins;    ///< shares, in even steps
  float below = 0, above = 0; ///< shares that the parameter does not take
};
/// Of at least one number.
PatternRange rangeOf(const std::vector<float>& numbers, const ParamDef& takes, int bins = 48);

/// The parameter by the same pattern, its range from `low` to `high` brought to what the parameter takes, through a
/// remap of its own. Throws BadInput where no pattern drives it, or it takes anything.
Document fitted(const Document& doc, const Address& at, float low, float high);

} // namespace ilumbra
