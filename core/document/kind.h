#pragma once
#include "core/document/value.h"

#include <functional>
#include <initializer_list>
#include <string_view>

namespace ilumbra {

/// The stages of making a picture, from the cheapest to redo to the dearest. A change invalidates its stage and all
/// before it in this list: nothing above Mix traces a ray.
enum class Invalidation { Display, Lens, Mix, Shading, Placement, Geometry };
std::string_view invalidationName(Invalidation stage);

enum class ParamType { Number, Integer, Flag, Choice, Color, Vector, Text, File, Reference, References };
std::string_view typeName(ParamType type);

/// Declares one parameter. Built by number(), color(), ... and refined by chained calls:
///   number("power", "Power", "lm", 800).soft(0, 5000).atLeast(0).at(Invalidation::Mix).help("Luminous flux")
struct ParamDef {
  std::string name;  ///< in files and addresses: lower case with underscores
  std::string label; ///< in the window
  ParamType type = ParamType::Number;
  std::string unit; ///< see units.h; empty: a pure number
  Constant initial;
  double softMin = 0, softMax = 1;        ///< what the ruled line spans
  double hardMin = -1e30, hardMax = 1e30; ///< what is accepted
  bool logarithmic = false;               ///< the ruled line is logarithmic
  bool keyable = true, patternable = false;
  bool major = false; ///< shown in the settings of an effect that touches this thing
  Invalidation stage = Invalidation::Shading;
  std::vector<std::string> choices; ///< of a Choice
  std::vector<std::string> accepts; ///< kinds, or prefixes ending in a dot, that a reference takes
  std::string helpText;
  std::string group;                 ///< heading in the panel; empty: the first, unnamed group
  std::string ifZero;                ///< what 0, or nothing, stands for, in words: "no limit"; empty: itself
  std::vector<std::string> formerly; ///< names that it had in older files
  std::vector<std::pair<std::string, std::string>>
      formerChoices;       ///< of a Choice: what older files say, and what it is called now
  std::string joins;       ///< how a pattern that drives it stands to the pattern that has it, in words: "only where"
  std::string patternedAt; ///< the parameter of the same kind that patterns for this one are put on; empty: itself
  bool evenOnly = false;   ///< a pattern that drives it must be the same everywhere: made so for whole families
  std::string evenBecause; ///< why, in words after a colon; empty: it is one number for the whole thing
  std::string onlyIf, onlyAt; ///< a parameter of the same kind, and the value at which this counts; empty: always

  ParamDef&& soft(double lo, double hi) && {
    softMin = lo;
    softMax = hi;
    return std::move(*this);
  }
  ParamDef&& range(double lo, double hi) && {
    hardMin = lo;
    hardMax = hi;
    return std::move(*this);
  }
  ParamDef&& atLeast(double lo) && {
    hardMin = lo;
    return std::move(*this);
  }
  ParamDef&& log() && {
    logarithmic = true;
    return std::move(*this);
  }
  ParamDef&& fixed() && {
    keyable = false;
    patternable = false;
    return std::move(*this);
  }
  ParamDef&& patterned() && {
    patternable = true;
    return std::move(*this);
  }
  ParamDef&& matters() && {
    major = true;
    return std::move(*this);
  }
  ParamDef&& at(Invalidation s) && {
    stage = s;
    return std::move(*this);
  }
  ParamDef&& help(std::string text) && {
    helpText = std::move(text);
    return std::move(*this);
  }
  ParamDef&& in(std::string heading) && {
    group = std::move(heading);
    return std::move(*this);
  }
  ParamDef&& zero(std::string words) && {
    ifZero = std::move(words);
    return std::move(*this);
  }
  ParamDef&& was(std::string name) && {
    formerly.push_back(std::move(name));
    return std::move(*this);
  }
  ParamDef&& choiceWas(std::string before, std::string now) && {
    formerChoices.emplace_back(std::move(before), std::move(now));
    return std::move(*this);
  }
  ParamDef&& says(std::string words) && {
    joins = std::move(words);
    return std::move(*this);
  }
  ParamDef&& even(std::string because) && {
    evenBecause = std::move(because);
    return std::move(*this);
  }
  /// It keeps its number where a pattern is put on it: the pattern drives another parameter, which multiplies it.
  ParamDef&& patternedBy(std::string param) && {
    patternedAt = std::move(param);
    return std::move(*this);
  }
  /// It counts only while another parameter of the kind has this value (or one of several: "a|b"), is driven by "a
  /// pattern" or refers to "a thing": elsewhere the panel leaves it out.
  ParamDef&& when(std::string param, std::string value) && {
    onlyIf = std::move(param);
    onlyAt = std::move(value);
    return std::move(*this);
  }
};

ParamDef number(std::string name, std::string label, std::string unit, double initial);
ParamDef integer(std::string name, std::string label, double initial);
ParamDef flag(std::string name, std::string label, bool initial);
ParamDef choice(std::string name, std::string label, std::vector<std::string> choices);
ParamDef color(std::string name, std::string label, Triple initial);
ParamDef vector(std::string name, std::string label, std::string unit, Triple initial);
ParamDef text(std::string name, std::string label, std::string initial);
ParamDef file(std::string name, std::string label);
ParamDef reference(std::string name, std::string label, std::vector<std::string> accepts);
ParamDef references(std::string name, std::string label, std::vector<std::string> accepts);

/// An ordered list of child nodes.
struct ChildSlot {
  std::string name, label;
  std::vector<std::string> accepts;
  Invalidation stage = Invalidation::Geometry; ///< of adding, removing or reordering
};

class Params;

/// In `accepts` of a parameter: every family of kinds that stand for others (Kind::standsFor). Kinds writes them out.
inline constexpr std::string_view standIns = "*";

/// Declares one kind of thing. The file, the panel, the command line, undo, keys and the docs derive from it.
struct Kind {
  std::string id;    ///< "light.point": family, dot, name
  std::string label; ///< "Point light"
  std::string helpText;
  std::vector<ParamDef> params;
  std::vector<ChildSlot> slots;
  Invalidation existence = Invalidation::Geometry;       ///< of adding or removing such a node
  std::function<bool(const Params&)> changesByTime = {}; ///< it depends on the frame besides its parameters; null: no
  std::vector<std::string> formerly = {};                ///< ids that it had in older files
  /// Of what is no thing itself: the references parameter whose things it stands for where a source of light is named.
  /// Empty: it stands for itself.
  std::string standsFor = {};
  /// References parameters, of a kind with the flag "on": what they name rests while no node that names it so is on.
  std::vector<std::string> switches = {};
  /// What code that knows nothing of this kind finds it by (Document::withRole); that code declares the word. Empty:
  /// none.
  std::string_view role = {};
  /// Things use one of it together: it goes along where one that uses it is taken into another document.
  bool shared = false;

  /// By its name, or one that it had formerly.
  const ParamDef* param(std::string_view name) const;
  const ChildSlot* slot(std::string_view name) const;
  /// The first slot that takes children of a kind, or null.
  const ChildSlot* slotFor(std::string_view kind) const;
  std::string_view family() const { return std::string_view(id).substr(0, id.find('.')); }
};

/// True if `kind` is one of `accepts`, or starts with one that ends in a dot.
bool accepted(const std::vector<std::string>& accepts, std::string_view kind);

/// All kinds, in the order in which menus and docs list them.
class Kinds {
 public:
  explicit Kinds(std::vector<Kind> kinds);
  const Kind* find(std::string_view id) const;
  const std::vector<Kind>& all() const { return m_kinds; }

 private:
  std::vector<Kind> m_kinds;
};

/// Joins lists of parameter definitions: for parameters that a family shares.
std::vector<ParamDef> join(std::initializer_list<std::vector<ParamDef>> lists);

/// The settings of the picture as a whole: size, samples, frame, range and rate. Every document has one such node.
Kind pictureKind();

} // namespace ilumbra
