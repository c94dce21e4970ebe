#pragma once
#include "core/document/document.h"

namespace ilumbra {

/// Units a parameter may have: "m", "mm" (lens and film lengths), "nm" (thin films), "lm", "lx", "cd/m²", "°", "stops",
/// "EV", "%" (stored as a share of 1), "K", "px", "frames", "fps", "×" and "" (a pure number).
///
/// What is typed may be arithmetic with a unit: "3/4", "20mm", "2 * 1.5 m", "180/pi °". For light, "+1 stop" and
/// "-2 stops" change the present value by powers of two.
/// Throws BadInput with the reason; `present` is the value before.
double parseNumber(const ParamDef& def, std::string_view text, double present = 0);

/// "20 mm", "1 600 lm", "12 %": for a person; `withUnit` false leaves the unit out.
std::string formatNumber(const ParamDef& def, double value, bool withUnit = true);
/// The unit in which formatNumber shows this value: a metre parameter shows millimetres below 0.1 m.
std::string shownUnit(const ParamDef& def, double value);

/// A value from the command line or a text field, for any type of parameter. Colours: "r, g, b" linear or "#rrggbb"
/// (sRGB). References: names, separated by commas. "{...}" is read as in a file: keys, patterns, overrides.
Value parseValue(const Document& doc, const ParamDef& def, std::string_view text, const Value* present = nullptr);
std::string formatValue(const Document& doc, const ParamDef& def, const Value& value);

} // namespace ilumbra
