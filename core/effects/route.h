#pragma once
#include "core/effects/effect.h"
#include "core/lens/stack.h"
#include "core/transport/rendering.h"

namespace ilumbra {

/// A change that mends a finding: addresses and values as the command line takes them, so that a person can read it and
/// type it.
struct Mend {
  std::string text; ///< "Raise the power to 800 lm"
  std::vector<std::pair<std::string, std::string>> sets;
  /// What is added first: a kind, the name of what holds it, and where in that.
  struct Added {
    std::string kind, holder, slot;
  };
  std::vector<Added> adds = {};
  /// A pattern on a parameter whose range is brought to what that takes (core/pattern/fit.h); no address: none.
  struct Fit {
    std::string address;
    float low = 0, high = 0;
  };
  Fit fit = {};
};
/// Applies all changes of a mend as one edit. Throws BadInput when the document no longer has what it names.
Document applyMend(const Document& doc, const Mend& mend);

struct Finding {
  enum class Weight { Note, Weak, Broken } weight = Weight::Weak; ///< good to know; works, but; cannot work
  std::string role; ///< parameter of the role where it happens: "from", "lens"; "" for the picture
  NodeId thing = 0; ///< what it is about
  std::string text; ///< a sentence without full stop: "Sun core gives no light"
  std::vector<Mend> mends;
  std::string param; ///< of the thing, where it is to be told; empty: none in particular
};

/// Where light gets lost on the way into a station, and who took it.
struct Loss {
  std::string by; ///< "Pierced shade"; without a thing what becomes of the light: "is out of frame"
  NodeId thing = 0;
  double share = 0; ///< of what came to the station before
};

/// One station of an effect's light.
struct Station {
  std::string role;         ///< parameter of the role; "picture" for what the camera's film gets
  std::string label;        ///< "From", "Picture", "Lens"
  std::string name;         ///< who stands here
  std::string reading;      ///< "1 600 lm", "39 % in sight"
  double share = 1;         ///< of the effect's light that is left here, from 1 downwards
  std::vector<Loss> losses; ///< on the way here
};

struct Route {
  NodeId effect = 0;
  std::vector<Station> stations;
  std::vector<Finding> findings;
  double pictureShare = 0; ///< share of the picture's light that the effect makes: of a glow, what it spreads
  double emitted = 0;      ///< lumens from all of From
  double seen = 0;         ///< share of the light that the sources send towards the camera's side and that arrives
  double spread = 0;       ///< share of what arrives that the lens spreads
  double peak = 0;         ///< stops above white of the brightest source pixel; -100 when dark
  uint64_t raysTraced = 0;
};

/// Of each effect in tree order: its share of the picture's light and its state, from a developed film.
struct EffectReading {
  NodeId effect = 0;
  double share = 0;
  bool on = true;
};
std::vector<EffectReading> readEffects(const Document& doc, double frame, const Scene& scene, const Film& film,
                                       const std::vector<Color>& groupScales, const LensResult& developed,
                                       const Tasks& tasks);

/// Measures the route of an effect: its rules, its film layers, and rays traced between its sources and the camera (a
/// few thousand, the same each time).
Route measureRoute(const Document& doc, NodeId effect, double frame, const Scene& scene, const Film& film,
                   const std::vector<Color>& groupScales, const LensResult& developed, const Tasks& tasks);

/// "works", "weak: ...", "off": the state of an effect in a word or two.
std::string stateWord(const Route& route, bool on);

} // namespace ilumbra
