#pragma once
#include "bench/air.h"

/// Ratios of caustics.
void causticsRatios(const std::shared_ptr<const ilumbra::Kinds>& kinds, const CompileWith& compile,
                    void (*line)(const std::string&, const std::string&, const std::string&, const std::string&));
