#pragma once
#include <algorithm>
#include <chrono>
#include <functional>
#include <vector>

/// How long something takes.
inline double seconds(const std::function<void()>& f) {
  const auto start = std::chrono::steady_clock::now();
  f();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// The least of some runs: what the machine can do when nothing disturbs it.
inline double best(int runs, const std::function<void()>& f) {
  double least = 1e30;
  for (int i = 0; i < runs; ++i) least = std::min(least, seconds(f));
  return least;
}

inline double median(std::vector<double> v) {
  std::sort(v.begin(), v.end());
  return v[v.size() / 2];
}
