#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"
#include "core/pattern/assets.h"

#include <map>
#include <span>

namespace ilumbra {

/// Colour in the working space (or raw numbers in all three channels) and alpha.
using Sample4 = Imath::Vec4<float>;

/// What a pattern may ask about the point where it is evaluated.
struct PatternPoint {
  V2f uv{0, 0};          ///< texture coordinates, v upwards
  V3f position{0.0f};    ///< in the object's own space, metres before its size is applied
  V3f world{0.0f};       ///< metres
  V3f normal{0, 1, 0};   ///< of the object's own space, unit
  V3f screen{0.0f};      ///< 0..1 across the picture from its bottom left corner, and metres from the camera
  float incidence = 1;   ///< cosine between the surface's normal and the way to the viewer, 0..1
  float footprint = 0;   ///< metres that one picture's sample covers here; 0: a point
  float uvFootprint = 0; ///< the same in texture widths
  float random = 0;      ///< 0..1, one number an object
};

/// A box in all that a point has: patterns tell their bounds over it.
struct PatternBox {
  PatternPoint low, high;
};
/// Bounds by channel; never narrower than the truth.
struct Bounds4 {
  Sample4 low, high;
};

/// One operation of a compiled pattern. Its inputs are registers that earlier operations filled.
class PatternOp {
 public:
  virtual ~PatternOp() = default;
  virtual Sample4 value(const Sample4* registers, const PatternPoint& at) const = 0;
  virtual Bounds4 bounds(const Bounds4* registers, const PatternBox& over) const = 0;
  /// Where it holds the numbers of the registers that it reads: compiling moves registers.
  virtual std::vector<int*> inputs() { return {}; }
  /// True if it asks the point for anything.
  virtual bool looks() const { return false; }
};

/// A pattern compiled to a flat list of operations: shared parts once, constants folded.
class Program {
 public:
  static constexpr int mostOperations = 256;
  /// Compiles the pattern node with the overrides of this use. `asColor`: the result is a colour in the working space;
  /// otherwise raw numbers are wanted. Throws BadInput when an image cannot be read, a pattern refers to itself, or it
  /// has more than 256 operations.
  static Program compile(const Document& doc, const Reference& pattern, double frame, const Assets& assets,
                         bool asColor);

  Sample4 evaluate(const PatternPoint& point) const;
  /// Many points at once: operation by operation.
  void evaluate(std::span<const PatternPoint> points, Sample4* out) const;
  Bounds4 bounds(const PatternBox& over) const;
  /// The value, if it is the same everywhere.
  const Sample4* constant() const { return m_ops.empty() ? &m_constants.back() : nullptr; }
  size_t operations() const { return m_ops.size(); }
  /// Stands for what it is made of besides patterns and files: another number where things that it measures to have
  /// changed.
  uint64_t surroundings() const { return m_surroundings; }

 private:
  friend class PatternCompiler;
  std::vector<Sample4> m_constants;                    ///< the first registers
  std::vector<std::shared_ptr<const PatternOp>> m_ops; ///< each fills the next; the last is the result
  uint64_t m_surroundings = 0;
};

/// What a pattern kind compiles with.
class PatternCompiler {
 public:
  PatternCompiler(const Document& doc, double frame, const Assets& assets, bool asColor)
      : m_doc(doc), m_frame(frame), m_assets(assets), m_asColor(asColor) {}
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
  /// Adds an operation and returns its register; folds it when it asks for no point and all its inputs are constants.
  int emit(std::shared_ptr<PatternOp> op);
  /// Null if the register is not the same everywhere.
  const Sample4* constantAt(int r) const { return m_slots[size_t(r)].op ? nullptr : &m_slots[size_t(r)].constant; }
  /// How far places are from the things that a parameter names; null if it names none, or nothing can be measured here.
  std::shared_ptr<const DistanceField> distanceField(const Params& params, std::string_view name);
  /// Compiles a use of a pattern node.
  int use(const Reference& pattern);
  Program take(int result);
  /// Compiles a use of a pattern to a program of its own, for what asks it at other places.
  Program separate(const Reference& pattern);

 private:
  int driven(const Params& params, std::string_view name, bool asColor);
  const Document& m_doc;
  double m_frame;
  const Assets& m_assets;
  bool m_asColor;
  struct Slot {
    Sample4 constant{0, 0, 0, 1};
    std::shared_ptr<PatternOp> op; ///< null: a constant
  };
  std::vector<Slot> m_slots;
  std::map<std::tuple<NodeId, const Overrides*, bool>, int> m_done;
  std::vector<NodeId> m_open;
  uint64_t m_surroundings = 0;
};

/// A kind of pattern: its table, and how it is compiled.
struct PatternKind {
  Kind kind;
  std::function<int(const Params&, PatternCompiler&)> compile; ///< empty: a part of other patterns, as a ramp's key
};
/// Every pattern. A new one is a file in this folder and a line here.
std::vector<PatternKind> allPatterns();

} // namespace ilumbra
