#pragma once
#include "core/effects/route.h"
#include "tests/support/scene.h"

namespace ilumbra::test {

/// The route of an effect, of a picture of so many samples.
Route measured(const Document& doc, const char* effect, uint32_t samples = 8);
/// The station of a role; fails the test if there is none.
const Station& station(const Route& r, const char* role);
/// The first finding with these words; null: there is none.
const Finding* find(const Route& r, const std::string& words);
/// The finding is there with so many mends at least, and each of those takes it away.
void checkMends(const Document& doc, const char* effect, uint32_t samples, const char* words, size_t least = 1);

} // namespace ilumbra::test
