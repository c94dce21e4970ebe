#include "core/base/power.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace ilumbra;

TEST_CASE("Quick powers lie within 2e-6 of the true ones", "[base]") {
  for (float v = 1e-30f; v < 1e30f; v *= 1.07f) {
    CHECK(double(quickLog2(v)) == Approx(std::log2(double(v))).epsilon(1e-6).margin(3e-7));
    for (const float e : {0.1f, 0.45f, 1.0f, 1.7f, -0.6f}) {
      const double truth = std::pow(double(v), double(e)),
                   limit = 2e-6 + 1.2e-7 * std::abs(std::log2(truth)); // a float's own steps in the exponent
      if (truth > 1e-35 && truth < 1e35) CHECK(std::abs(double(quickPower(v, e)) / truth - 1) < limit);
    }
  }
  for (float v = -125; v < 126; v += 0.0371f) CHECK(double(quickExp2(v)) == Approx(std::exp2(double(v))).epsilon(1e-6));
  CHECK(quickPower(1, 3.3f) == 1);
  CHECK(quickExp2(-1000) < 1e-37f);
  CHECK(std::isfinite(quickExp2(1000)));
}
