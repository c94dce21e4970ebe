#include "core/document/rehearsal.h"

#include "core/compile/balance.h"
#include "core/document/key_edit.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

TEST_CASE("What was dragged while frames ran becomes a few keys that say the same", "[rehearsal]") {
  Set s(16, 16);
  s.settings({{"first_frame", "1"}, {"last_frame", "48"}});
  const NodeId lamp = s.add("light.point", "Lamp", {});
  const Document before = s.take();
  Rehearsal r(before, "balance");
  CHECK(r.empty());
  // Up in a straight line from frame 11 to 31, at rest, then down again at 41 in one go.
  Document now = before;
  const BalanceSource lampSource{lamp};
  for (int f = 11; f <= 31; ++f) {
    now = setBalance(now, lampSource, "stops", Constant(0.1 * (f - 11)));
    r.note(now, f);
  }
  now = setBalance(now, lampSource, "stops", Constant(-1.0));
  r.note(now, 41);
  now = setBalance(now, lampSource, "on", Constant(false));
  r.note(now, 45);
  REQUIRE_FALSE(r.empty());
  const Document taken = r.taken();
  const Node* row = balanceRow(taken, lampSource);
  REQUIRE(row);
  const auto stops = [&](double f) { return Params(*row, f).number("stops"); };
  CHECK(stops(1) == 0);
  CHECK(stops(11) == Approx(0).margin(0.1));
  for (int f = 12; f <= 31; ++f) CHECK(stops(f) == Approx(0.1 * (f - 11)).margin(0.07));
  CHECK(stops(39) == Approx(2).margin(0.07));
  CHECK(stops(41) == Approx(-1).margin(0.07));
  const Keys* keys = keysAt(taken, {row->id, "stops", 0, {}});
  REQUIRE(keys);
  CHECK(keys->keys.size() <= 6);
  CHECK(Params(*row, 30).flag("on"));
  CHECK_FALSE(Params(*row, 46).flag("on"));
  // A later round over the same frames counts.
  for (int f = 12; f <= 31; ++f) {
    now = setBalance(now, lampSource, "stops", Constant(0.5 + f * 1e-3));
    r.note(now, f);
  }
  CHECK(Params(*balanceRow(r.taken(), lampSource), 20).number("stops") == Approx(0.52).margin(0.05));
}
