#pragma once
#include "core/document/edit.h"

namespace ilumbra {

/// Named inputs: a shared thing says what its uses may set for themselves, a thing that stands for others what is set
/// with it. An input is named by its name, or by the path of a parameter: "roughness", "roughness.edge" (an input of
/// the pattern that drives the roughness).

/// True if uses of a thing may override its parameters: it is a pattern or a material.
bool takesOverrides(const Node& n);
/// The declared input of that name; null if there is none.
const NamedInput* namedInput(const Node& n, std::string_view name);
/// What kind of value an input takes: the parameter that it sets first, at the end of its path. Null if it sets nothing
/// (any more).
const ParamDef* inputDefinition(const Document& doc, const Node& shared, std::string_view input);
/// The value that an input has for a use with these overrides; null: none. It must be there.
Value inputValue(const Document& doc, const Node& shared, const Overrides* with, std::string_view input);
/// Sets what an input of a thing stands for, in the thing itself: every use shows it that does not override it.
Document setInput(const Document& doc, NodeId id, std::string_view input, const Value& value);

/// Declares inputs. Throws BadInput for a name that is taken, or with a dot, comma or square brackets, and for what
/// there is not.
Document setInputs(const Document& doc, NodeId id, std::vector<NamedInput> inputs);
/// Adds one; a target under an existing name joins what that sets already.
Document addInput(const Document& doc, NodeId id, std::string_view name, const InputTarget& target);
/// The uses of it go along: they keep what they set. An empty name takes the input away, and what uses set by it.
Document renameInput(const Document& doc, NodeId id, std::string_view before, std::string_view after);
/// Where what an address names could be an input: of its own thing or the one that holds it, and of what uses that.
struct InputPlace {
  NodeId owner = 0;
  InputTarget target;
};
std::vector<InputPlace> inputPlaces(const Document& doc, const Address& a);

/// True if a value refers to a thing, be it in what a use overrides.
bool isUsed(const Document& doc, NodeId thing);
/// Where a pattern drives a parameter of a thing, or what a use sets for itself: in tree order.
std::vector<Address> drivenAt(const Document& doc, NodeId pattern);
/// The shared thing that a parameter uses: what it refers to, or the pattern that drives it.
Reference useAt(const Document& doc, const Address& a);
/// The inputs that a use shows: those that the shared thing declares, and what else this use overrides.
std::vector<std::string> shownInputs(const Document& doc, const Address& use);
/// The name of the declared input that sets what an address names; null: none does.
std::optional<std::string> namedInputAt(const Document& doc, const Address& a);
/// What an own copy was made of ("Brass of Ball" of "Brass"), if it is there; null: it is none.
const Node* copiedFrom(const Document& doc, const Node& copy);
/// A use takes what its own copy was made of; the copy goes if nothing else uses it.
Document joinAgain(const Document& doc, NodeId id, const std::string& param);

/// "12.amount.edge", the number left out for the thing itself: how files write it.
std::string inputText(const InputTarget& t);
InputTarget inputTarget(std::string_view text);

} // namespace ilumbra
