// Mist in layers: each a noise that drifts at its own scale and speed, heavier below, with an upper edge that breaks
// up.
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/pattern/noise.h"

namespace ilumbra {
namespace {

// Inputs: the place, base, height, heavier, broken, wisps, then the noise of each layer.
struct Mist {
  std::vector<float> weights; // of the layers
  template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>&) const {
    using namespace numbers;
    T noise = T(1.0f);
    float total = 0;
    for (const float w : weights) total += w;
    if (total > 0) {
      noise = T(0.0f);
      for (size_t i = 0; i < weights.size(); ++i) noise = noise + in[6 + i].x * T(weights[i] / total);
    }
    // Where the noise is strong its top stands higher, where it is weak lower.
    const T top = max(T(1e-4f), in[2].x * (T(1.0f) + clamp01(in[4].x) * T(2.0f) * (noise - T(0.55f)))),
            left = clamp01(T(1.0f) - (in[0].y - in[1].x) / top), falls = pow(left, max(T(0.05f), in[3].x)),
            torn = smooth((noise - T(0.3f)) * T(1 / 0.45f));
    return spread(falls * (T(1.0f) + clamp01(in[5].x) * (torn - T(1.0f))));
  }
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
  return {
      {.id = "pattern.mist",
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
        Mist mist;
        std::vector<int> noises;
        const PatternSpace space = spaceOf(p);
        const auto add = [&](NoiseForm f, float scale, float gain, float weight) {
          f.space = space;
          noises.push_back(emitNoise(c, f, c.constant({scale, scale, scale, 1}), c.constant({gain, gain, gain, 1})));
          mist.weights.push_back(weight);
        };
        if (const auto it = p.node().children.find("layers"); it != p.node().children.end())
          for (const NodeId id : it->second) {
            const Params l = p.inside(*c.doc().find(id));
            NoiseForm f;
            f.family = choiceOf<NoiseFamily>(l, "family");
            f.octaves = int(l.number("octaves"));
            f.seed = mixBits(uint32_t(l.number("seed")));
            setNoiseTime(f, l, c);
            add(f, l.real("scale"), l.real("gain"), l.real("strength"));
          }
        if (noises.empty()) { // two, until it is told otherwise
          NoiseForm f;
          f.seed = mixBits(1u);
          add(f, 0.9f, 0.5f, 1);
          f.seed = mixBits(2u);
          add(f, 0.3f, 0.5f, 0.5f);
        }
        std::vector<int> inputs = {c.place(space),         c.amount(p, "base"),   c.amount(p, "height"),
                                   c.amount(p, "heavier"), c.amount(p, "broken"), c.amount(p, "wisps")};
        inputs.insert(inputs.end(), noises.begin(), noises.end());
        return c.emit(std::move(mist), std::move(inputs));
      }};
}

} // namespace ilumbra
