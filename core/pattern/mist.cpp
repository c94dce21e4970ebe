// Mist in layers: each a noise that drifts at its own scale and speed, heavier below, with an upper edge that breaks
// up.
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/pattern/noise.h"

namespace ilumbra {
namespace {

struct MistLayer {
  int noise = 0; ///< register
  float weight = 1;
};

class MistOp : public PatternOp {
 public:
  MistOp(PatternSpace space, int base, int height, int heavier, int broken, int wisps, std::vector<MistLayer> layers)
      : m_space(space), m_base(base), m_height(height), m_heavier(heavier), m_broken(broken), m_wisps(wisps),
        m_layers(std::move(layers)) {
    for (const MistLayer& l : m_layers) m_total += l.weight;
  }
  Sample4 value(const Sample4* r, const PatternPoint& at) const override {
    float noise = 0;
    for (const MistLayer& l : m_layers) noise += l.weight * r[l.noise].x;
    const float v = one(placeIn(m_space, at).y, m_total > 0 ? noise / m_total : 1, r[m_base].x, r[m_height].x,
                        r[m_heavier].x, r[m_broken].x, r[m_wisps].x);
    return {v, v, v, 1};
  }
  // Less where it is higher, more where the noises are; in its other numbers, which seldom vary, by their corners.
  Bounds4 bounds(const Bounds4* r, const PatternBox& over) const override {
    float n0 = 0, n1 = 0;
    for (const MistLayer& l : m_layers) {
      n0 += l.weight * r[l.noise].low.x;
      n1 += l.weight * r[l.noise].high.x;
    }
    n0 = m_total > 0 ? n0 / m_total : 1;
    n1 = m_total > 0 ? n1 / m_total : 1;
    const float y0 = placeIn(m_space, over.low).y, y1 = placeIn(m_space, over.high).y;
    float least = std::numeric_limits<float>::max(), most = 0;
    for (int corner = 0; corner < 128; ++corner) {
      const auto at = [&](int slot, int bit) { return corner >> bit & 1 ? r[slot].high.x : r[slot].low.x; };
      const float v = one(corner & 1 ? y1 : y0, corner & 2 ? n1 : n0, at(m_base, 2), at(m_height, 3), at(m_heavier, 4),
                          at(m_broken, 5), at(m_wisps, 6));
      least = std::min(least, v);
      most = std::max(most, v);
    }
    return {{least, least, least, 1}, {most, most, most, 1}};
  }
  std::vector<int*> inputs() override {
    std::vector<int*> all = {&m_base, &m_height, &m_heavier, &m_broken, &m_wisps};
    for (MistLayer& l : m_layers) all.push_back(&l.noise);
    return all;
  }
  bool looks() const override { return true; }

 private:
  static float one(float y, float noise, float base, float height, float heavier, float broken, float wisps) {
    // Where the noise is strong its top stands higher, where it is weak lower.
    const float top = std::max(1e-4f, height * (1 + clamp01(broken) * 2 * (noise - 0.55f)));
    const float left = clamp01(1 - (y - base) / top);
    const float falls = std::pow(left, std::max(0.05f, heavier));
    const float torn = smoothstep((noise - 0.3f) / 0.45f);
    return falls * (1 + clamp01(wisps) * (torn - 1));
  }
  PatternSpace m_space;
  int m_base, m_height, m_heavier, m_broken, m_wisps;
  std::vector<MistLayer> m_layers;
  float m_total = 0;
};

} // namespace

PatternKind mistLayer() {
  return {
      {.id = "mist.layer",
       .label = "Layer of mist",
       .helpText = "One noise of a mist, at its own scale and speed.",
       .params = join(
           {{number("strength", "Strength", "%", 1).soft(0, 1).range(0, 100).matters().help("Beside the other layers"),
             choice("family", "Family", noiseFamilies)
                 .fixed()
                 .help("Even clouding; cells; folded valleys; crests; puffs; rolling swathes"),
             number("scale", "Scale", "m", 0.8)
                 .soft(0.01, 10)
                 .range(1e-6, 1e6)
                 .log()
                 .matters()
                 .help("Size of its largest swathes"),
             integer("octaves", "Octaves", 4)
                 .soft(1, 8)
                 .range(1, 16)
                 .fixed()
                 .help("Layers of ever finer noise, each of half the size"),
             number("gain", "Gain", "", 0.5).range(0, 1).help("Strength of each finer layer by the one before"),
             integer("seed", "Seed", 1).soft(0, 100).range(0, 1e9).help("Each number gives another mist")},
            noiseTimeParams()}),
       .existence = Invalidation::Shading,
       .changesByTime = noiseMoves},
      {}};
}

PatternKind mistPattern() {
  return {{.id = "pattern.mist",
           .label = "Mist",
           .helpText =
               "Drifting swathes in layers, heavier below, with a broken upper edge: the amount of a haze, or a plate.",
           .params = {number("base", "Base", "m", 0)
                          .soft(-2, 2)
                          .range(-1e6, 1e6)
                          .patterned()
                          .matters()
                          .help("Height of its heaviest place; below it, it is as heavy"),
                      number("height", "Height", "m", 0.6)
                          .soft(0.05, 5)
                          .range(1e-4, 1e6)
                          .log()
                          .patterned()
                          .matters()
                          .help("Above its base, where it ends"),
                      number("heavier", "Heavier below", "", 1.4)
                          .soft(0.2, 5)
                          .range(0.05, 100)
                          .patterned()
                          .matters()
                          .help("How quickly it thins out upwards; 1: evenly"),
                      number("broken", "Broken edge", "%", 0.8)
                          .soft(0, 1)
                          .range(0, 1)
                          .patterned()
                          .matters()
                          .help("How much its upper edge rises and falls with the swathes"),
                      number("wisps", "Wisps", "%", 0.85)
                          .soft(0, 1)
                          .range(0, 1)
                          .patterned()
                          .matters()
                          .help("How far it tears open between the swathes"),
                      spaceParam(2)},
           .slots = {{"layers", "Layers", {"mist.layer"}, Invalidation::Shading}},
           .existence = Invalidation::Shading},
          [](const Params& p, PatternCompiler& c) {
            std::vector<MistLayer> layers;
            const PatternSpace space = spaceOf(p);
            const auto add = [&](NoiseForm f, float scale, float gain, float weight) {
              f.space = space;
              layers.push_back(
                  {emitNoise(c, f, c.constant({scale, scale, scale, 1}), c.constant({gain, gain, gain, 1})), weight});
            };
            if (const auto it = p.node().children.find("layers"); it != p.node().children.end())
              for (const NodeId id : it->second) {
                const Params l(*c.doc().find(id), p.frame());
                NoiseForm f;
                f.family = choiceOf<NoiseFamily>(l, "family");
                f.octaves = int(l.number("octaves"));
                f.seed = mixBits(uint32_t(l.number("seed")));
                setNoiseTime(f, l, c);
                add(f, l.real("scale"), l.real("gain"), l.real("strength"));
              }
            if (layers.empty()) { // two, until it is told otherwise
              NoiseForm f;
              f.seed = mixBits(1u);
              add(f, 0.9f, 0.5f, 1);
              f.seed = mixBits(2u);
              add(f, 0.3f, 0.5f, 0.5f);
            }
            return c.emit(std::make_shared<MistOp>(space, c.amount(p, "base"), c.amount(p, "height"),
                                                   c.amount(p, "heavier"), c.amount(p, "broken"), c.amount(p, "wisps"),
                                                   std::move(layers)));
          }};
}

} // namespace ilumbra
