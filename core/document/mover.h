#pragma once
#include "core/document/kind.h"

#include <optional>

namespace ilumbra {

/// The parameters of one mover, defaults included.
class MoverParams {
 public:
  /// `single`: what it moves is one number, not three.
  MoverParams(const std::vector<ParamDef>& defs, const Mover& mover, bool single = false)
      : m_defs(defs), m_mover(mover), m_single(single) {}
  bool single() const { return m_single; }
  double number(std::string_view name) const;
  Triple triple(std::string_view name) const;
  std::string text(std::string_view name) const;

 private:
  const Constant& constant(std::string_view name) const;
  const std::vector<ParamDef>& m_defs;
  const Mover& m_mover;
  bool m_single;
};

/// What of a mover can be dragged in the picture, at the thing that it moves.
struct MoverHandle {
  enum class Shape {
    Way,    ///< a vector from where it rests: its end
    Pace,   ///< a vector in each frame: where it is a second later
    Centre, ///< a place
    Ball,   ///< a number: the radius about where it rests
    Angle   ///< degrees to both sides about the mover's "axis": an arc
  };
  Shape shape;
  std::string param;
};

/// Declares one kind of mover: the file, the panel, the command line and the docs derive from it.
struct MoverKind {
  std::string id;    ///< "swing": in files and addresses
  std::string label; ///< "Swing"
  std::string helpText;
  std::vector<ParamDef> params;
  /// Whether it can move a parameter.
  std::function<bool(const ParamDef&)> moves;
  /// What it makes of a value at a frame, single numbers in all three places; `back`: of what it has made so, the value
  /// that it was made of. Must go through whole numbers of periods alike.
  std::function<Triple(const MoverParams& p, double frame, const Triple& value, bool back)> move;
  /// Frames after which it does the same again; 0: never.
  std::function<double(const MoverParams& p)> period;
  std::string ofThree = {}; ///< a parameter that says something of three numbers alone, such as an axis; empty: none
  std::vector<MoverHandle> handles = {};

  /// Of its parameters those that say something of what is moved.
  std::vector<const ParamDef*> paramsFor(const ParamDef& moved) const;
};

/// Every kind, in the order of menus. A new one is a file in core/document/movers and a line in mover.cpp.
const std::vector<MoverKind>& moverKinds();
/// Null if there is none.
const MoverKind* moverKind(std::string_view id);
/// The kinds that can move a parameter.
std::vector<const MoverKind*> moversFor(const ParamDef& def);

/// What a value is at a frame, within what its parameter accepts; null where a pattern drives it.
std::optional<Constant> evaluate(const Value& value, const ParamDef& def, double frame);
/// What a value is at a frame before its movers.
Constant restOf(const Value& value, double frame);
/// The value that is `now` at that frame and else as before: keys get one there (smooth, if it is new), movers go on
/// from another rest.
Value withValueAt(const Value& before, const ParamDef& def, double frame, const Constant& now);
/// The same value with a key at that frame, of what it is there (of what moves: of its rest). A pattern gives way to
/// the default.
Value keyedAt(const Value& before, const ParamDef& def, double frame);
/// Without keys: what they say at that frame, always. Movers stay.
Value unkeyed(const Value& before, const ParamDef& def, double frame);
/// Throws BadInput, `place` before the reason, for movers that are not there or do not fit, and what they set wrongly.
void checkMovers(const Moved& moved, const ParamDef& def, const std::string& place);
/// Frames after which a value is the same again: 0 if it never is, 1 if it does not change.
double periodOf(const Value& value);

// Movers by address: "swing" stands for the mover itself, on or off; "swing.period" for what it is set to.

/// The definition of what `input` names; null: nothing that could move `def`.
const ParamDef* moverInput(const ParamDef& def, std::string_view input);
/// What stands there; the default where the mover is not there.
Constant moverValue(const Value& value, std::string_view input);
/// A mover comes with the first thing that is set of it, and goes with its switch. `input` must be one of moverInput().
Value withMover(const Value& before, std::string_view input, const Constant& set);

/// Keys, linear between, that say what a value does from one frame to another, both included: exact at each, in between
/// within `tolerance` (in the parameter's unit; of turns in degrees) down to a sixteenth of a frame. A pattern gives
/// one key with the default.
Keys baked(const Value& value, const ParamDef& def, double first, double last, double tolerance);

} // namespace ilumbra
