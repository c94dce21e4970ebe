#pragma once
#include "core/document/document.h"
#include "core/pattern/assets.h"

namespace ilumbra {

/// Why a parameter takes only patterns that are the same everywhere (ParamDef::evenOnly), as a sentence.
std::string whyEven(const ParamDef& def);
/// The document with patterns on such parameters replaced by what they give at a frame, within what the parameter
/// takes, and lists of things that have keys by what they name then. A pattern that varies, or that cannot be made,
/// stays; the parameter then is what it is by default.
Document withEvenValues(const Document& doc, double frame, const Assets& assets);
/// A sentence for each that stayed.
std::vector<std::string> unevenPatterns(const Document& doc);

} // namespace ilumbra
