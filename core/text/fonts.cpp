// The fonts that ship, inside the program.
#include "core/base/error.h"
#include "core/text/text_outline.h"

#define INCLUDE_BYTES(name, file)                                                                                      \
  __asm__(".section .rodata\n.balign 16\n" #name "_begin:\n.incbin \"" file "\"\n" #name                               \
          "_end:\n.byte 0\n.previous\n");                                                                              \
  extern "C" const char name##_begin[];                                                                                \
  extern "C" const char name##_end[];

INCLUDE_BYTES(ilumbra_font_sans, ILUMBRA_SOURCE "/app/fonts/Manrope-Bold.ttf")
INCLUDE_BYTES(ilumbra_font_serif, ILUMBRA_SOURCE "/core/text/fonts/EBGaramond12-Regular.otf")

namespace ilumbra {

const std::string& shippedFont(const std::string& name) {
  static const std::string sans(ilumbra_font_sans_begin, ilumbra_font_sans_end),
      serif(ilumbra_font_serif_begin, ilumbra_font_serif_end);
  return name == "EB Garamond" ? serif : sans;
}

} // namespace ilumbra
