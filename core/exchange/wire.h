#pragma once
#include "core/base/error.h"

#include <cstdint>
#include <cstring>
#include <string>
#include <type_traits>
#include <vector>

namespace ilumbra {

/// Numbers, and structures of them without pointers. Imath's types count, though their constructors make them formally
/// not trivial.
template <typename T> inline constexpr bool plain = std::is_standard_layout_v<T>&& std::is_trivially_destructible_v<T>;

/// Plain values one after the other, between the parsing child and its parent. The parent trusts nothing: every count
/// is checked against what is left.
class WireWriter {
 public:
  template <typename T> void put(const T& v) {
    static_assert(plain<T>);
    m_bytes.append(reinterpret_cast<const char*>(&v), sizeof v);
  }
  void put(const std::string& s) {
    put(uint64_t(s.size()));
    m_bytes += s;
  }
  template <typename T> void put(const std::vector<T>& v) {
    put(uint64_t(v.size()));
    if constexpr (std::is_same_v<T, std::string>)
      for (const T& e : v) put(e);
    else
      m_bytes.append(reinterpret_cast<const char*>(v.data()), v.size() * sizeof(T));
  }
  const std::string& bytes() const { return m_bytes; }

 private:
  std::string m_bytes;
};

class WireReader {
 public:
  explicit WireReader(const std::string& bytes) : m_bytes(bytes) {}
  template <typename T> void get(T& v) {
    static_assert(plain<T>);
    std::memcpy(static_cast<void*>(&v), take(1, sizeof v), sizeof v);
  }
  void get(std::string& s) {
    const uint64_t n = count(1);
    s.assign(take(n, 1), n);
  }
  template <typename T> void get(std::vector<T>& v) {
    if constexpr (std::is_same_v<T, std::string>) {
      v.resize(count(8));
      for (T& e : v) get(e);
    } else {
      const uint64_t n = count(sizeof(T));
      v.resize(n);
      if (n) std::memcpy(static_cast<void*>(v.data()), take(n, sizeof(T)), n * sizeof(T));
    }
  }
  /// A number of things of at least `size` bytes each that are still to come.
  uint64_t count(size_t size) {
    uint64_t n = 0;
    get(n);
    if (n > (m_bytes.size() - m_at) / size) throw badInput("its reader returned nonsense");
    return n;
  }

 private:
  const char* take(uint64_t n, size_t size) {
    if (n > (m_bytes.size() - m_at) / size) throw badInput("its reader returned nonsense");
    const char* p = m_bytes.data() + m_at;
    m_at += n * size;
    return p;
  }
  const std::string& m_bytes;
  size_t m_at = 0;
};

} // namespace ilumbra
