#include "core/pattern/program.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"

namespace ilumbra {

Kind imagePatternKind() {
  return {.id = "pattern.image",
          .label = "Image",
          .helpText = "A picture laid over a surface by its texture coordinates.",
          .params = {file("file", "File").help("A picture, or a model that holds one"),
                     integer("index", "Image in the model", -1).range(-1, 65535).fixed()
                         .help("Which image inside a model file; -1 when the file is a picture"),
                     choice("channel", "Channel", {"colour", "red", "green", "blue", "alpha"}).help("What of the picture is used"),
                     color("gain", "Gain", {1, 1, 1}).soft(0, 2).help("Multiplies the picture, channel by channel"),
                     vector("offset", "Offset", "", {0, 0, 0}).soft(-1, 1).help("Shift in texture widths and heights"),
                     vector("scale", "Scale", "", {1, 1, 1}).soft(0.1, 10).help("How often the picture repeats"),
                     number("turn", "Turn", "°", 0).soft(-180, 180).help("Turn about the texture's origin")},
          .existence = Stage::Shading};
}

std::vector<Kind> allPatterns() { return {imagePatternKind()}; }

Program Program::compile(const Document& doc, const Reference& ref, double frame, const Assets& assets, bool asColor) {
  const Node* n = doc.find(ref.target);
  if (!n) throw badInput("a pattern is missing");
  const Params p(*n, frame, ref.with.get());
  Instruction i;
  i.op = Op::Image;
  i.image = assets.image(p.text("file"), int(p.number("index")));
  i.decode = asColor;
  const std::string channel = p.text("channel");
  i.channel = channel == "red" ? 0 : channel == "green" ? 1 : channel == "blue" ? 2 : channel == "alpha" ? 3 : -1;
  const Triple g = p.triple("gain"), offset = p.triple("offset"), scale = p.triple("scale");
  i.gain = {float(g[0]), float(g[1]), float(g[2]), 1};
  // Scale, then turn, then offset, in glTF's texture space, whose v runs downwards (KHR_texture_transform).
  const float angle = p.real("turn") * pi / 180, c = std::cos(angle), s = std::sin(angle);
  const float sx = float(scale[0]), sy = float(scale[1]);
  const float m[6] = {c * sx, s * sy, float(offset[0]), -s * sx, c * sy, float(offset[1])};
  std::copy(m, m + 6, i.matrix);
  Program program;
  program.m_code.push_back(std::move(i));
  return program;
}

Imath::Vec4<float> Program::evaluate(const PatternPoint& point) const {
  Imath::Vec4<float> r{0, 0, 0, 1};
  for (const Instruction& i : m_code) {
    if (i.op == Op::Constant) {
      r = i.value;
      continue;
    }
    const float u = point.uv.x, v = 1 - point.uv.y;
    r = i.image->lookup(i.matrix[0] * u + i.matrix[1] * v + i.matrix[2],
                        1 - (i.matrix[3] * u + i.matrix[4] * v + i.matrix[5]), i.decode);
    r = {r.x * i.gain.x, r.y * i.gain.y, r.z * i.gain.z, r.w};
    if (i.channel >= 0) {
      const float x = i.channel == 3 ? r.w * i.gain.x : r[i.channel];
      r = {x, x, x, x};
    } else if (i.decode) {
      const Color c = acescgFrom709({r.x, r.y, r.z});
      r = {c.x, c.y, c.z, r.w};
    }
  }
  return r;
}

} // namespace ilumbra
