#pragma once
#include <string>

namespace ilumbra {

/// Reads a PLY file through, ASCII or binary, and throws BadInput where its header has no end or names what PLY does
/// not have, or where its body ends before all its elements are told. The library that makes models of it trusts both.
void checkPly(const std::string& path);

} // namespace ilumbra
