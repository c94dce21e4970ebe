#pragma once
#include "core/base/vec.h"

#include <functional>
#include <string>
#include <vector>

namespace ilumbra {

/// A line of text as closed rings of places, in ems: the font's size is 1, the base line lies at y = 0. TrueType and
/// PostScript outlines alike wind so that what is inside has a winding number that is not 0.
struct TextOutline {
  std::vector<std::vector<V2f>> rings;
  float width = 0; ///< where the next glyph would stand
};

/// Shapes one line (UTF-8) by HarfBuzz, kerning, ligatures and right-to-left scripts included, and outlines it by
/// FreeType. `tracking`: ems added between glyphs. Throws BadInput if the bytes are no font, or it has no outlines.
TextOutline outlineOf(const std::string& fontBytes, const std::string& line, float tracking);

/// Lines under each other, parted by "\\n" (the two characters), each as `outline` makes it; empty lines keep their
/// room. `align`: the share of its width by which a line stands to the left of x = 0; `leading`: ems from line to line.
/// `width` is the widest's.
TextOutline outlineOfLines(const std::string& words, float align, float leading,
                           const std::function<TextOutline(const std::string& line)>& outline);

/// The fonts that ship with Ilumbra: their bytes by name ("Manrope bold", "EB Garamond").
const std::string& shippedFont(const std::string& name);

} // namespace ilumbra
