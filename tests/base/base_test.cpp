#include "core/base/colorspace.h"
#include "core/base/hash.h"
#include "core/base/sampling.h"
#include "core/base/tasks.h"
#include "core/base/threads.h"

#include <atomic>
#include <catch2/catch.hpp>
#include <mutex>
#include <set>
#include <stdexcept>
#include <thread>

using namespace ilumbra;

TEST_CASE("Sobol points fill each elementary interval once", "[base][sampling]") {
  for (const uint32_t seed : {1u, 99u}) {
    // 16 points: one in each cell of every 16-cell division.
    for (const int columns : {1, 2, 4, 8, 16}) {
      std::set<int> cells;
      for (uint32_t i = 0; i < 16; ++i) {
        Sampler s(3, 5, i, seed);
        const V2f p = s.get2();
        cells.insert(int(p.x * float(columns)) * 100 + int(p.y * float(16 / columns)));
      }
      CHECK(cells.size() == 16);
    }
  }
}

TEST_CASE("Samples depend on pixel, index and seed only, and lie in [0, 1)", "[base][sampling]") {
  for (uint32_t i = 0; i < 200; ++i) {
    Sampler a(7, 9, i, 4), b(7, 9, i, 4), c(8, 9, i, 4);
    for (int k = 0; k < 5; ++k) {
      const V2f p = a.get2();
      REQUIRE(p == b.get2());
      REQUIRE(p != c.get2());
      REQUIRE(p.x >= 0);
      REQUIRE(p.x < 1);
      REQUIRE(p.y < 1);
    }
  }
}

TEST_CASE("Direction samples have the means of their densities", "[base][sampling]") {
  V3f cosine(0.0f), sphere(0.0f), cone(0.0f);
  constexpr int n = 4096;
  const float one = 1 - std::cos(0.3f);
  for (uint32_t i = 0; i < n; ++i) {
    Sampler s(0, 0, i, 3);
    cosine += sampleCosineHemisphere(s.get2()) * (1.0f / n);
    sphere += sampleUniformSphere(s.get2()) * (1.0f / n);
    cone += sampleCone(s.get2(), one) * (1.0f / n);
  }
  CHECK(cosine.z == Approx(2.0 / 3).epsilon(0.01));
  CHECK(length(sphere) < 0.02);
  CHECK(cone.z == Approx(1 - one / 2).epsilon(0.001));
}

TEST_CASE("The pixel filter is even and within its radius", "[base][sampling]") {
  double sum = 0;
  for (uint32_t i = 0; i < 4096; ++i) {
    Sampler s(0, 0, i, 3);
    const V2f f = samplePixelFilter(s.get2());
    REQUIRE(std::abs(f.x) <= 1.5f);
    sum += double(f.x);
  }
  CHECK(std::abs(sum / 4096) < 0.01);
}

TEST_CASE("A distribution picks by weight and reuses its number", "[base][sampling]") {
  const Distribution d({1, 0, 3, 4});
  double counts[4] = {}, reuse = 0;
  for (int i = 0; i < 8000; ++i) {
    float u = (float(i) + 0.5f) / 8000, p;
    const size_t k = d.sample(u, p);
    counts[k] += 1.0 / 8000;
    reuse += double(u) / 8000;
    REQUIRE(p == d.probability(k));
  }
  CHECK(counts[0] == Approx(0.125).epsilon(0.01));
  CHECK(counts[1] == 0);
  CHECK(counts[3] == Approx(0.5).epsilon(0.01));
  CHECK(reuse == Approx(0.5).epsilon(0.01));
  CHECK(Distribution(std::vector<float>{}).empty());
}

TEST_CASE("The working space and Rec. 709 are inverse, and white is white", "[base][color]") {
  for (const Color& c : {Color(0.2f, 0.5f, 0.9f), Color(1, 0, 0), Color(3, 2, 0.1f)}) {
    const Color back = rec709FromAcescg(acescgFrom709(c));
    for (int k = 0; k < 3; ++k) CHECK(back[k] == Approx(c[k]).margin(2e-5));
  }
  for (int k = 0; k < 3; ++k) CHECK(acescgFrom709(Color(1.0f))[k] == Approx(1).epsilon(1e-5));
  CHECK(luminance(chromaticity({0.1f, 0.7f, 3})) == Approx(1));
  CHECK(chromaticity(Color(0.0f)) == Color(1.0f));
}

TEST_CASE("Placement and its inverse agree", "[base][vec]") {
  const V3f at(1, -2, 3), turn(20, -35, 70), size(1, 2, 0.5f);
  V3f p, t, s;
  REQUIRE(unplace(placement(at, turn, size), p, t, s));
  CHECK(length(p - at) < 1e-5f);
  CHECK(length(s - size) < 1e-5f);
  const M44f again = placement(p, t, s), first = placement(at, turn, size);
  for (int i = 0; i < 16; ++i) CHECK((&again[0][0])[i] == Approx((&first[0][0])[i]).margin(1e-5));
}

TEST_CASE("Tasks run each index once, whatever the number of threads, and pass exceptions on", "[base][tasks]") {
  for (const int threads : {1, 2, 4}) {
    const Tasks tasks(threads);
    std::vector<std::atomic<int>> hits(1000);
    tasks.forEach(1000, [&](int i) { ++hits[size_t(i)]; });
    for (const auto& h : hits) REQUIRE(h == 1);
    CHECK_THROWS_AS(tasks.forEach(8,
                                  [](int i) {
                                    if (i == 5) throw std::runtime_error("five");
                                  }),
                    std::runtime_error);
  }
}

TEST_CASE("MurmurHash3 has its published values", "[base][hash]") {
  CHECK(murmur3("") == 0);
  CHECK(murmur3("hello") == 0x248bfa47u);
  CHECK(murmur3("hello, world") == 0x149bbb7fu);
  CHECK(murmur3("The quick brown fox jumps over the lazy dog") == 0x2e4ff723u);
}

TEST_CASE("A limit of threads holds for every pool of the process, until it is lifted", "[base][tasks]") {
  const auto threads = [] {
    std::set<std::thread::id> seen;
    std::mutex mutex;
    Tasks(3).forEach(60, [&](int) {
      std::this_thread::sleep_for(std::chrono::milliseconds(1));
      const std::lock_guard lock(mutex);
      seen.insert(std::this_thread::get_id());
    });
    return seen.size();
  };
  limitThreads(1);
  CHECK(threads() == 1);
  limitThreads(0);
  if (std::thread::hardware_concurrency() > 1) CHECK(threads() > 1);
}

TEST_CASE("Content hashes tell contents apart", "[base][hash]") {
  std::set<uint64_t> seen;
  for (int i = 0; i < 2000; ++i) seen.insert(contentHash("file " + std::to_string(i)));
  CHECK(seen.size() == 2000);
  CHECK(contentHash("a") != contentHash("a", 1));
}
