#include "core/pattern/shape.h"

#include "core/base/hash.h"

namespace ilumbra {

std::vector<ParamDef> shapeColors(const char* low, const char* high) {
  return {color("low", "Ground", {0, 0, 0}).soft(0, 1).patterned().matters().help(low),
          color("high", "Shape", {1, 1, 1}).soft(0, 1).patterned().matters().help(high)};
}

ParamDef edgeParam(double metres) {
  return number("edge", "Soft edge", "m", metres)
      .soft(0, 0.1)
      .range(0, 1e6)
      .patterned()
      .help("Width of the passage; a sample of the picture is the least");
}

ParamDef fillsParam() {
  return choice("fills", "Fills", {"space", "a plane"})
      .help("By x, y and z, through a body; or by x and y, as on a picture or a wall");
}
int filledAxes(const Params& p) {
  const PatternSpace space = spaceOf(p); // textures and pictures have no third one
  return space == PatternSpace::Texture || space == PatternSpace::Camera || p.text("fills") != "space" ? 2 : 3;
}

int axisOf(const Params& p, std::string_view name) {
  const std::string axis = p.text(name);
  return axis == "x" ? 0 : axis == "y" ? 1 : 2;
}

std::vector<ParamDef> runParams(const char* label, const char* unit, const char* help) {
  return {number("speed", label, unit, 0).soft(-4, 4).range(-1e4, 1e4).in("In time").help(help),
          integer("loop", "Loop", 0)
              .soft(0, 250)
              .range(0, 1e6)
              .fixed()
              .in("In time")
              .help("Frames after which it is the same again, by running on by whole ones; 0: never")};
}

float runOf(const Params& p, const PatternCompiler& c) {
  const double rate = std::max(1e-3, c.rate()), loop = p.number("loop"), speed = p.number("speed");
  if (!(loop > 0)) return float(speed * c.frame() / rate);
  double whole = std::round(speed * loop / rate);
  if (whole == 0 && speed != 0) whole = speed > 0 ? 1 : -1;
  const double at = whole * c.frame() / loop;
  return float(at - std::floor(at));
}

bool runs(const Params& p) { return p.number("speed") != 0; }

float cellRandom(float x, float y, float z, uint32_t seed) {
  const auto cell = [](float v) { return uint32_t(int32_t(v)); };
  return float(mixBits(cell(x) * 0x8da6b343u ^ cell(y) * 0xd8163841u ^ cell(z) * 0xcb1ab31fu ^ seed) >> 8) * 0x1p-24f;
}

Lanes cellRandom(const Lanes& x, const Lanes& y, const Lanes& z, uint32_t seed) {
  Lanes r;
  for (int i = 0; i < Lanes::count; ++i) r.set(i, cellRandom(x[i], y[i], z[i], seed));
  return r;
}

} // namespace ilumbra
