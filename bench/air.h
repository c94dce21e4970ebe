#pragma once
#include "core/compile/compile.h"
#include "core/scene/scene.h"

#include <functional>
#include <string>

/// Compiles with some film layers besides those of the lens.
using CompileWith = std::function<ilumbra::ScenePtr(const ilumbra::Document&, ilumbra::SceneCache&,
                                                    const std::vector<ilumbra::LayerQuery>&)>;

/// Ratios of light in the air; `compile` finds the files of the demo.
void airRatios(const std::shared_ptr<const ilumbra::Kinds>& kinds, const ilumbra::Document& hall,
               const CompileWith& compile,
               void (*line)(const std::string&, const std::string&, const std::string&, const std::string&));
