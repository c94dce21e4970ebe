#pragma once
#include <utility>

struct RTCSceneTy;
struct RTCDeviceTy;

namespace ilumbra {

/// Owns one reference to an Embree handle, which it stands for in calls. An empty one owns nothing.
template <typename T> class EmbreeHandle {
 public:
  EmbreeHandle() = default;
  /// Takes over a reference that the caller has.
  explicit EmbreeHandle(T* owned) : m_handle(owned) {}
  ~EmbreeHandle() { reset(); }
  EmbreeHandle(EmbreeHandle&& o) noexcept : m_handle(std::exchange(o.m_handle, nullptr)) {}
  EmbreeHandle& operator=(EmbreeHandle&& o) noexcept {
    std::swap(m_handle, o.m_handle);
    return *this;
  }
  operator T*() const { return m_handle; }
  void reset();

 private:
  T* m_handle = nullptr;
};
template <> void EmbreeHandle<RTCSceneTy>::reset();
template <> void EmbreeHandle<RTCDeviceTy>::reset();
using EmbreeScene = EmbreeHandle<RTCSceneTy>;
/// The instructions that rays are traced with: pinned, so that machines of several kinds find the same hits to the bit.
inline constexpr const char* embreeInstructions = "avx2";
/// For rtcNewDevice().
inline constexpr const char* embreeConfig = "set_affinity=0,isa=avx2";

/// Declared before the scenes that are made of it, so that it goes after them.
using EmbreeDevice = EmbreeHandle<RTCDeviceTy>;

} // namespace ilumbra
