#define CATCH_CONFIG_RUNNER
#include "core/exchange/child.h"

#include <catch2/catch.hpp>

// The tests are their own parsing child.
int main(int argc, char** argv) {
  if (const int code = ilumbra::parseIfChild(argc, argv); code >= 0) return code;
  return Catch::Session().run(argc, argv);
}
