#include "core/base/hash.h"

#include <cstring>

namespace ilumbra {

uint64_t contentHash(std::string_view content, uint64_t seed) {
  const auto* p = reinterpret_cast<const unsigned char*>(content.data());
  const size_t bytes = content.size();
  uint64_t h = 0xcbf29ce484222325ull ^ (seed * 0x9e3779b97f4a7c15ull);
  size_t i = 0;
  for (; i + 8 <= bytes; i += 8) {
    uint64_t w;
    std::memcpy(&w, p + i, 8);
    h = (h ^ w) * 0x9fb21c651e98df25ull;
    h ^= h >> 32;
  }
  for (; i < bytes; ++i) h = (h ^ p[i]) * 0x100000001b3ull;
  h ^= bytes;
  h ^= h >> 33;
  h *= 0xff51afd7ed558ccdull;
  h ^= h >> 33;
  return h;
}

uint32_t murmur3(std::string_view s) {
  const auto* data = reinterpret_cast<const unsigned char*>(s.data());
  const size_t blocks = s.size() / 4;
  const uint32_t c1 = 0xcc9e2d51u, c2 = 0x1b873593u;
  const auto rotl = [](uint32_t x, int r) { return (x << r) | (x >> (32 - r)); };
  uint32_t h = 0;
  for (size_t i = 0; i < blocks; ++i) {
    uint32_t k;
    std::memcpy(&k, data + 4 * i, 4);
    k = rotl(k * c1, 15) * c2;
    h = rotl(h ^ k, 13) * 5 + 0xe6546b64u;
  }
  uint32_t k = 0;
  const unsigned char* tail = data + blocks * 4;
  switch (s.size() & 3) {
  case 3:
    k ^= uint32_t(tail[2]) << 16;
    [[fallthrough]];
  case 2:
    k ^= uint32_t(tail[1]) << 8;
    [[fallthrough]];
  case 1:
    h ^= rotl((k ^ tail[0]) * c1, 15) * c2;
    break;
  default:
    break;
  }
  h ^= uint32_t(s.size());
  h ^= h >> 16;
  h *= 0x85ebca6bu;
  h ^= h >> 13;
  h *= 0xc2b2ae35u;
  h ^= h >> 16;
  return h;
}

} // namespace ilumbra
