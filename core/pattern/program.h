#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"
#include "core/pattern/assets.h"
#include "core/pattern/numbers.h"

#include <array>
#include <functional>
#include <map>
#include <span>

namespace ilumbra {

class PatternBody;

/// Colour in the working space (or raw numbers in all three channels) and alpha.
template <class T> using ValuesOf = Imath::Vec4<T>;
using Sample4 = ValuesOf<float>;
using Bounds4 = ValuesOf<Interval>;

/// What a pattern may ask about the point where it is evaluated.
template <class T> struct PointOf {
  Imath::Vec2<T> uv{T(0.0f), T(0.0f)};                ///< texture coordinates, v upwards
  Imath::Vec3<T> position{T(0.0f), T(0.0f), T(0.0f)}; ///< in the object's own space, metres before its size
  Imath::Vec3<T> world{T(0.0f), T(0.0f), T(0.0f)};    ///< metres
  Imath::Vec3<T> normal{T(0.0f), T(1.0f), T(0.0f)};   ///< of the object's own space, unit
  Imath::Vec3<T> facing{T(0.0f), T(1.0f), T(0.0f)};   ///< the same in the world
  Imath::Vec3<T> screen{T(0.0f), T(0.0f), T(0.0f)};   ///< 0..1 across the picture from its bottom left corner,
                                                      ///< and metres from the camera
  T incidence = T(1.0f);   ///< cosine between the surface's normal and the way to the viewer, 0..1
  T footprint = T(0.0f);   ///< metres that one picture's sample covers here; 0: a point
  T uvFootprint = T(0.0f); ///< the same in texture widths
  T random = T(0.0f);      ///< 0..1, one number an object
  T copyRandom = T(0.0f);  ///< 0..1, one number a copy of it
  /// Whose surface it lies on; null: none that could be measured. It outlives the evaluation.
  const PatternBody* body = nullptr;
  /// True if `screen` runs across in heights of the picture about its middle, so that nothing is stretched.
  bool evenScreen = false;
};
using PatternPoint = PointOf<float>;
/// A box in all that a point has: patterns tell their bounds over it.
struct PatternBox {
  PatternPoint low, high;
  /// Any place of any thing, within 1000 km.
  static PatternBox anywhere();
  PointOf<Interval> point() const;
};

/// The registers that an operation reads, in the order in which it was given them.
template <class T> class InputsOf {
 public:
  InputsOf(const ValuesOf<T>* registers, std::span<const uint32_t> which) : m_registers(registers), m_which(which) {}
  const ValuesOf<T>& operator[](size_t k) const { return m_registers[m_which[k]]; }
  size_t size() const { return m_which.size(); }

 private:
  const ValuesOf<T>* m_registers;
  std::span<const uint32_t> m_which;
};

/// One operation of a compiled pattern, over each kind of number.
class PatternOp {
 public:
  virtual ~PatternOp() = default;
  virtual Sample4 run(const InputsOf<float>& in, const PatternPoint& at) const = 0;
  virtual ValuesOf<Lanes> run(const InputsOf<Lanes>& in, const PointOf<Lanes>& at) const = 0;
  virtual Bounds4 run(const InputsOf<Interval>& in, const PointOf<Interval>& at) const = 0;
  virtual ValuesOf<Slope> run(const InputsOf<Slope>& in, const PointOf<Slope>& at) const = 0;
  /// True if it asks the point for anything.
  virtual bool looks() const = 0;
};

/// Eight places one by one, and a slope by differences, of a node whose `one(in, at)` gives the value at one place by
/// `static constexpr size_t inputs` registers: for what looks things up.
template <class Node> ValuesOf<Lanes> laneByLane(const Node& node, const InputsOf<Lanes>& in, const PointOf<Lanes>& at);
template <class Node>
ValuesOf<Slope> byDifferences(const Node& node, const InputsOf<Slope>& in, const PointOf<Slope>& at,
                              float step = 1e-3f);

/// An operation that is written as
///   template <class T> ValuesOf<T> operator()(const InputsOf<T>& in, const PointOf<T>& at) const
/// with overloads where one kind of number is better done in a way of its own. What looks things up gives `one()`, as
/// above, and its bounds alone. `static constexpr bool looks = true`: it asks the point for something.
template <class Node> class NodeOp final : public PatternOp {
 public:
  explicit NodeOp(Node node) : m_node(std::move(node)) {}
  Sample4 run(const InputsOf<float>& in, const PatternPoint& at) const override {
    if constexpr (requires { m_node(in, at); })
      return m_node(in, at);
    else
      return m_node.one(in, at);
  }
  ValuesOf<Lanes> run(const InputsOf<Lanes>& in, const PointOf<Lanes>& at) const override {
    if constexpr (requires { m_node(in, at); })
      return m_node(in, at);
    else
      return laneByLane(m_node, in, at);
  }
  Bounds4 run(const InputsOf<Interval>& in, const PointOf<Interval>& at) const override { return m_node(in, at); }
  ValuesOf<Slope> run(const InputsOf<Slope>& in, const PointOf<Slope>& at) const override {
    if constexpr (requires { m_node(in, at); })
      return m_node(in, at);
    else
      return byDifferences(m_node, in, at);
  }
  bool looks() const override {
    return requires { Node::looks; };
  }

 private:
  Node m_node;
};

PatternPoint laneOf(const PointOf<Lanes>& points, int lane);
/// The point of a step along an axis of the object's own space; axis -1: where it is.
PatternPoint stepped(const PointOf<Slope>& point, int axis, float step);

/// A pattern compiled to a flat list of operations: shared parts once, constants folded.
class Program {
 public:
  /// Compiles the pattern node with the overrides of this use. `asColor`: the result is a colour in the working space;
  /// otherwise raw numbers are wanted. Throws BadInput when an image cannot be read or a pattern refers to itself.
  static Program compile(const Document& doc, const Reference& pattern, double frame, const Assets& assets,
                         bool asColor);

  /// One colour everywhere.
  static Program plain(const Color& color);

  Sample4 evaluate(const PatternPoint& point) const;
  /// Many points at once, eight by eight.
  void evaluate(std::span<const PatternPoint> points, Sample4* out) const;
  /// Never narrower than the truth.
  Bounds4 bounds(const PatternBox& over) const;
  /// With how it changes from place to place; `at` says how what the point has changes.
  ValuesOf<Slope> slope(const PointOf<Slope>& at) const;
  /// The value, if it is the same everywhere.
  const Sample4* constant() const { return m_steps.empty() ? &m_constants.back() : nullptr; }
  size_t operations() const { return m_steps.size(); }
  /// Stands for what it is made of besides patterns and files: another number where things that it measures to have
  /// changed.
  uint64_t surroundings() const { return m_surroundings; }

 private:
  friend class PatternCompiler;
  struct Step {
    std::shared_ptr<const PatternOp> op;
    uint32_t first, count; ///< of m_which
  };
  template <class T> ValuesOf<T> run(ValuesOf<T>* registers, const PointOf<T>& at) const;
  template <class T> ValuesOf<T> once(const PointOf<T>& at) const;
  size_t registers() const { return m_constants.size() + m_steps.size(); }
  std::vector<Sample4> m_constants; ///< the first registers
  std::vector<Step> m_steps;        ///< each fills the next register; the last is the result
  std::vector<uint32_t> m_which;    ///< the registers that the steps read
  uint64_t m_surroundings = 0;
};

/// The spaces in which patterns lie.
enum class PatternSpace { Texture, Object, World, Camera };

/// What a pattern kind compiles with.
class PatternCompiler {
 public:
  PatternCompiler(const Document& doc, double frame, const Assets& assets, bool asColor);
  const Assets& assets() const { return m_assets; }
  const Document& doc() const { return m_doc; }
  double frame() const { return m_frame; }
  /// Frames a second of the document.
  double rate() const;
  /// True if colours are wanted in the working space, false if raw numbers.
  bool asColor() const { return m_asColor; }
  /// The register of a parameter: its constant, or the pattern that drives it. Numbers fill all channels.
  int input(const Params& params, std::string_view name);
  /// The same, but always raw: for amounts and masks.
  int amount(const Params& params, std::string_view name);
  int constant(const Sample4& value);
  /// Adds an operation on registers and returns its own; folds it when it asks for no point and all of them are
  /// constant.
  int emitOp(std::shared_ptr<const PatternOp> op, std::vector<int> inputs);
  template <class Node> int emit(Node node, std::vector<int> inputs) {
    return emitOp(std::make_shared<NodeOp<Node>>(std::move(node)), std::move(inputs));
  }
  /// The register of the place in a space, with the size of a picture's sample there in its alpha.
  int place(PatternSpace space) const { return m_places[size_t(space)]; }
  /// What `compile` compiles lies elsewhere: in that space, its place is what a register has.
  int moved(PatternSpace space, int place, const std::function<int()>& compile);
  /// Null if the register is not the same everywhere. It holds until the next register is added.
  const Sample4* constantAt(int r) const { return m_slots[size_t(r)].op ? nullptr : &m_slots[size_t(r)].constant; }
  /// How far places are from the things that a parameter names; null if it names none, or nothing can be measured here.
  std::shared_ptr<const DistanceField> distanceField(const Params& params, std::string_view name);
  /// Numbers of things besides patterns that what is compiled is made of.
  void surround(std::span<const float> numbers);
  /// Compiles a use of a pattern node.
  int use(const Reference& pattern);
  Program take(int result);

 private:
  int driven(const Params& params, std::string_view name, bool asColor);
  const Document& m_doc;
  double m_frame;
  const Assets& m_assets;
  bool m_asColor;
  struct Slot {
    Sample4 constant{0, 0, 0, 1};
    std::shared_ptr<const PatternOp> op; ///< null: a constant
    std::vector<int> inputs;
  };
  std::vector<Slot> m_slots;
  std::vector<std::shared_ptr<const Overrides>> m_overrides;                  ///< all that differ
  std::map<std::tuple<NodeId, size_t, bool, std::array<int, 4>>, int> m_done; ///< by overrides and where its places lie
  std::array<int, 4> m_places;                                                ///< registers, by space
  std::vector<NodeId> m_open;
  uint64_t m_surroundings = 0;
};

/// What a pattern does, by which menus list it: a shape of its own; what a place, the time or chance says; or something
/// with another pattern.
enum class PatternGroup { Shape, Place, Operation };
/// A kind of pattern: its table, and how it is compiled.
struct PatternKind {
  Kind kind;
  std::function<int(const Params&, PatternCompiler&)> compile; ///< empty: a part of other patterns, as a ramp's key
  PatternGroup group = PatternGroup::Shape;
  /// What a new one begins with, so that something shows: the document with parts added to it; empty: nothing more.
  std::function<Document(const Document& doc, NodeId made)> begin = {};
  bool even = false; ///< it can be the same everywhere: where all that it works on is
};
/// Every pattern. A new one is a file in this folder and a line here.
std::vector<PatternKind> allPatterns();

template <class Node>
ValuesOf<Lanes> laneByLane(const Node& node, const InputsOf<Lanes>& in, const PointOf<Lanes>& at) {
  std::array<Sample4, Node::inputs> one;
  std::array<uint32_t, Node::inputs> order;
  for (uint32_t k = 0; k < order.size(); ++k) order[k] = k;
  ValuesOf<Lanes> out;
  for (int lane = 0; lane < Lanes::count; ++lane) {
    for (size_t k = 0; k < one.size(); ++k)
      for (int c = 0; c < 4; ++c) one[k][c] = in[k][c][lane];
    const Sample4 v = node.one(InputsOf<float>(one.data(), order), laneOf(at, lane));
    for (int c = 0; c < 4; ++c) out[c].set(lane, v[c]);
  }
  return out;
}

template <class Node>
ValuesOf<Slope> byDifferences(const Node& node, const InputsOf<Slope>& in, const PointOf<Slope>& at, float step) {
  std::array<Sample4, Node::inputs> one;
  std::array<uint32_t, Node::inputs> order;
  for (uint32_t k = 0; k < order.size(); ++k) order[k] = k;
  // A step along an axis moves all that it reads.
  const auto value = [&](int axis, float by) {
    for (size_t k = 0; k < one.size(); ++k)
      for (int c = 0; c < 4; ++c) one[k][c] = in[k][c].v + (axis < 0 ? 0 : by * in[k][c].d[axis]);
    return node.one(InputsOf<float>(one.data(), order), stepped(at, axis, by));
  };
  const Sample4 here = value(-1, 0);
  ValuesOf<Slope> out;
  for (int c = 0; c < 4; ++c) out[c] = here[c];
  for (int axis = 0; axis < 3; ++axis) {
    const Sample4 difference = (value(axis, step) - value(axis, -step)) * (0.5f / step);
    for (int c = 0; c < 4; ++c) out[c].d[axis] = difference[c];
  }
  return out;
}

} // namespace ilumbra
