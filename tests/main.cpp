#define CATCH_CONFIG_RUNNER
#include "core/delivery/queue.h"
#include "core/exchange/child.h"
#include "core/kinds.h"

#include <catch2/catch.hpp>

// The tests are their own parsing child, and work on their own queues.
int main(int argc, char** argv) {
  if (const int code = ilumbra::parseIfChild(argc, argv); code >= 0) return code;
  if (const int code = ilumbra::deliverIfChild(argc, argv, ilumbra::allKinds); code >= 0) return code;
  return Catch::Session().run(argc, argv);
}
