#pragma once
#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>

namespace ilumbra {

/// 64-bit content hash (FNV-1a with a final avalanche): for caches, not for security.
uint64_t contentHash(std::string_view bytes, uint64_t seed = 0);

/// MurmurHash3_x86_32 with seed 0 (Austin Appleby, public domain), the name hash that the Cryptomatte
/// specification 1.2 asks for.
uint32_t murmur3(std::string_view s);

/// Integer avalanche (Ettinger's lowbias32).
inline uint32_t mixBits(uint32_t x) {
  x ^= x >> 16;
  x *= 0x21f0aaadu;
  x ^= x >> 15;
  x *= 0xd35a2d97u;
  x ^= x >> 15;
  return x;
}

/// A number in [0, 1) that depends on a seed, on which of many things it is for, and on which of up to 16 of its
/// numbers.
inline float chanceOf(uint32_t seed, uint32_t thing, uint32_t which) {
  return float(mixBits(seed * 0x9e3779b9u + mixBits(thing * 16u + which)) >> 8) * 0x1p-24f;
}

} // namespace ilumbra
