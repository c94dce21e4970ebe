#pragma once
#include <QColor>
#include <QFont>
#include <QString>

class QApplication;

namespace ilumbra {

/// The look of the window: strictly neutral greys around the picture, warm-white text, one accent.
namespace theme {
inline const QColor desk{0x1b, 0x1b, 0x1b};   ///< bars
inline const QColor panel{0x23, 0x23, 0x23};  ///< columns
inline const QColor raised{0x2d, 0x2d, 0x2d}; ///< fields, menus
inline const QColor line{0x34, 0x34, 0x34};   ///< rules between parts
inline const QColor tick{0x5a, 0x5a, 0x5a};
inline const QColor text{0xe9, 0xe4, 0xdb};
inline const QColor dim{0x9a, 0x96, 0x8f};
inline const QColor faint{0x6a, 0x67, 0x62};
inline const QColor accent{0x74, 0xc6, 0xae}; ///< verdigris: selected or driven
inline const QColor selected{0x35, 0x42, 0x3e};
inline const QColor amber{0xe3, 0xa2, 0x4a}; ///< works, but
inline const QColor rose{0xe0, 0x78, 0x82};  ///< cannot work

/// Loads the shipped fonts and sets palette, font and style sheet.
void apply(QApplication& app);
QFont font(double points, int weight = 500);
/// A style for flat text buttons: `class` property "flat", "accent" or "tab".
} // namespace theme

} // namespace ilumbra
