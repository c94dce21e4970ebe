#pragma once
#include "core/document/document.h"
#include "core/geometry/shape.h"
#include "core/pattern/image.h"

namespace ilumbra {

/// What a pattern may ask about the point where it is evaluated.
struct PatternPoint {
  V2f uv{0, 0}; ///< texture coordinates, v upwards
};

/// A pattern compiled to a flat list of instructions over registers of four floats (colour in the working space, or
/// raw numbers, and alpha).
class Program {
public:
  /// Compiles the pattern node with the overrides of this use. `asColor`: the result is a colour (decoded and in the
  /// working space); otherwise the raw numbers of images are wanted. Throws BadInput when an image cannot be read.
  static Program compile(const Document& doc, const Reference& pattern, double frame, const Assets& assets, bool asColor);

  Imath::Vec4<float> evaluate(const PatternPoint& point) const;

private:
  enum class Op : uint8_t { Constant, Image };
  struct Instruction {
    Op op = Op::Constant;
    Imath::Vec4<float> value{0, 0, 0, 1};    ///< Constant
    std::shared_ptr<const ilumbra::Image> image;
    float matrix[6] = {1, 0, 0, 0, 1, 0};    ///< texture transform: u' = m0 u + m1 v + m2, ...
    Imath::Vec4<float> gain{1, 1, 1, 1};
    int channel = -1; ///< of Image: -1 all, else one channel spread over all
    bool decode = false;
  };
  std::vector<Instruction> m_code;
};

/// "pattern.image": a picture by texture coordinates.
Kind imagePatternKind();
std::vector<Kind> allPatterns();

} // namespace ilumbra
