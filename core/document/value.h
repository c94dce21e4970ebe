#pragma once
#include <array>
#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <variant>
#include <vector>

namespace ilumbra {

/// Identity of a node within a document, stable for its life; 0 is none.
using NodeId = uint32_t;
/// Colours are linear Rec. 709, lengths metres, angles degrees.
using Triple = std::array<double, 3>;

struct Value;
using Overrides = std::map<std::string, Value>;

/// A use of a shared thing: what is used, and the named inputs that this use sets for itself.
struct Reference {
  NodeId target = 0;
  std::shared_ptr<const Overrides> with; ///< null: nothing is overridden
  bool operator==(const Reference& o) const;
};

using Constant = std::variant<bool, double, std::string, Triple, Reference, std::vector<Reference>>;

/// How a value goes from one key to the next. The last three leave slowly, arrive slowly, or both, as far as Key::ease
/// says.
enum class KeyShape { Hold, Linear, Smooth, EaseIn, EaseOut, EaseBoth };
/// "hold", "linear", ...: as files and the command line name them, in the order of the shapes.
const std::vector<std::string>& keyShapeNames();
inline bool eases(KeyShape s) { return s >= KeyShape::EaseIn; }

struct Key {
  double frame = 0;
  Constant value;
  KeyShape shape = KeyShape::Linear;
  double ease = 1; ///< of shapes that ease: 0 is straight, 1 begins or ends at rest
  bool operator==(const Key&) const = default;
};
/// What keys say before the first and after the last: that, the same again, to and fro, or again from where it came to.
enum class BeyondKeys { Hold, Repeat, ToAndFro, GoOn };
/// "hold", "repeat", ...: in their order.
const std::vector<std::string>& beyondNames();

/// In ascending order of frames, at least one.
struct Keys {
  std::vector<Key> keys;
  BeyondKeys beyond = BeyondKeys::Hold;
  bool operator==(const Keys&) const = default;
};
/// The frame between the first and the last key that counts at a frame; `rounds` receives how many whole rounds lie
/// between, below 0 before the first.
double frameWithin(const Keys& keys, double frame, double* rounds = nullptr);
struct PatternUse {
  Reference pattern;
  bool operator==(const PatternUse&) const = default;
};

/// What moves a value by itself as frames go by: of a kind (mover.h), with what it sets of that kind's parameters.
struct Mover {
  std::string kind;
  std::map<std::string, Constant> values; ///< only what differs from the kind's defaults
  bool operator==(const Mover&) const = default;
};
/// What a value is without its movers, and these, acting one after the other: at least one, each kind once at most.
struct Moved {
  std::variant<Constant, Keys> rest;
  std::vector<Mover> movers;
  bool operator==(const Moved&) const = default;
};

/// What a parameter holds: a constant, keys over time, a pattern over surface or space, or what movers make of a
/// constant or of keys.
struct Value {
  std::variant<Constant, Keys, PatternUse, Moved> v;

  Value() : v(Constant(0.0)) {}
  Value(Constant c) : v(std::move(c)) {}
  Value(Keys k) : v(std::move(k)) {}
  Value(PatternUse p) : v(std::move(p)) {}
  Value(Moved m) : v(std::move(m)) {}
  bool operator==(const Value&) const = default;

  const Constant* constant() const { return std::get_if<Constant>(&v); }
  const Keys* keys() const { return std::get_if<Keys>(&v); }
  const PatternUse* pattern() const { return std::get_if<PatternUse>(&v); }
  const Moved* moved() const { return std::get_if<Moved>(&v); }
  /// The keys, of what is moved those of its rest; null: none.
  const Keys* anyKeys() const { return moved() ? std::get_if<Keys>(&moved()->rest) : keys(); }
};

/// The value of keys at a frame; before the first and after the last as Keys::beyond says. An ease is t + ease (f - t)
/// with f = t³, 1 - (1 - t)³ or 3 t² - 2 t³. Smooth is a cubic Hermite segment
/// whose tangents follow the neighbours (Catmull–Rom, finite differences over unequal steps), equal on both sides of a
/// key. Text, switches and references always hold.
Constant evaluate(const Keys& keys, double frame);

} // namespace ilumbra
