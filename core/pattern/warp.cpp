#include "core/base/error.h"
#include "core/pattern/coordinates.h"

namespace ilumbra {
namespace {

// Another program, asked at a place beside the point.
class WarpOp : public PatternOp {
 public:
  WarpOp(Program program, PatternSpace space, int by, int strength)
      : m_program(std::move(program)), m_space(space), m_by(by), m_strength(strength) {}
  Sample4 value(const Sample4* r, const PatternPoint& at) const override {
    PatternPoint p = at;
    const float s = r[m_strength].x;
    move(p, V3f(r[m_by].x - 0.5f, r[m_by].y - 0.5f, r[m_by].z - 0.5f) * (2 * s));
    return m_program.evaluate(p);
  }
  Bounds4 bounds(const Bounds4* r, const PatternBox& over) const override {
    PatternBox b = over;
    V3f low(1e30f), high(-1e30f);
    for (int k = 0; k < 3; ++k)
      for (const float v : {r[m_by].low[k], r[m_by].high[k]})
        for (const float s : {r[m_strength].low.x, r[m_strength].high.x}) {
          low[k] = std::min(low[k], (v - 0.5f) * 2 * s);
          high[k] = std::max(high[k], (v - 0.5f) * 2 * s);
        }
    move(b.low, low);
    move(b.high, high);
    return m_program.bounds(b);
  }
  std::vector<int*> inputs() override { return {&m_by, &m_strength}; }
  bool looks() const override { return true; }

 private:
  // The space that the warp lies in moves alone: what lies in others stays.
  void move(PatternPoint& p, const V3f& by) const {
    switch (m_space) {
    case PatternSpace::Texture:
      p.uv += V2f(by.x, by.y);
      break;
    case PatternSpace::Object:
      p.position += by;
      break;
    case PatternSpace::World:
      p.world += by;
      break;
    case PatternSpace::Camera:
      p.screen += V3f(by.x, by.y, 0);
      break;
    }
  }
  Program m_program;
  PatternSpace m_space;
  int m_by, m_strength;
};

} // namespace

PatternKind warpPattern() {
  return {
      {.id = "pattern.warp",
       .label = "Warp",
       .helpText = "Another pattern, pushed aside from place to place.",
       .params = {color("value", "Pattern", {0.5, 0.5, 0.5}).soft(0, 1).patterned().matters().help("What is pushed"),
                  color("by", "Pushed by", {0.5, 0.5, 0.5})
                      .soft(0, 1)
                      .patterned()
                      .matters()
                      .help("Red pushes along x, green along y, blue along z; a half does not push"),
                  number("strength", "Strength", "m", 0.1)
                      .soft(0, 1)
                      .range(-1e6, 1e6)
                      .patterned()
                      .matters()
                      .help("How far the strongest push goes"),
                  spaceParam(1)},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        const int by = c.amount(p, "by"), strength = c.amount(p, "strength");
        const PatternUse* use = p.pattern("value");
        if (!use) return c.input(p, "value");
        return c.emit(std::make_shared<WarpOp>(c.separate(use->pattern), spaceOf(p), by, strength));
      }};
}

} // namespace ilumbra
