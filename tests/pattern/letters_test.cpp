// Letters, and what closed lines hold; values by a curve that is drawn.
#include "core/base/sampling.h"
#include "core/document/drawn_curve.h"
#include "core/pattern/plane_outline.h"
#include "tests/support/scene.h"

#include <fmt/format.h>

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

Program compiled(const Document& doc, const char* name) {
  return Program::compile(doc, {doc.findByName(name)->id, nullptr}, 1, noAssets(), false);
}

std::vector<V2f> square(const V2f& low, const V2f& high) { return {low, {high.x, low.y}, high, {low.x, high.y}}; }

} // namespace

TEST_CASE("Closed lines hold what lies within, and tell the way to their edge", "[pattern][outline]") {
  std::vector<V2f> hole = square({-0.25f, -0.25f}, {0.25f, 0.25f});
  std::reverse(hole.begin(), hole.end());
  const PlaneOutline ring({square({-1, -1}, {1, 1}), hole}, 0.3f);
  RandomStream r(1);
  for (int i = 0; i < 2000; ++i) {
    const V2f p(3 * r.next() - 1.5f, 3 * r.next() - 1.5f);
    const auto box = [&](float half) { // below 0 inside
      const float x = std::abs(p.x) - half, y = std::abs(p.y) - half;
      return std::max(x, 0.0f) + std::max(y, 0.0f) > 0 ? std::hypot(std::max(x, 0.0f), std::max(y, 0.0f))
                                                       : std::max(x, y);
    };
    const float expected = std::min(-box(1), box(0.25f));
    CHECK(ring.inside(p) == Approx(std::clamp(expected, -0.3f, 0.3f)).margin(1e-5));
  }
  // Where two overlap there is no edge between them.
  const PlaneOutline joined({square({0, 0}, {2, 2}), square({1, -1}, {3, 3})}, 0.4f);
  CHECK(joined.inside({1, 1}) == Approx(0.4f));
  CHECK(joined.inside({2, 1.5f}) == Approx(0.4f));
  CHECK(joined.inside({0.1f, 1}) == Approx(0.1f).margin(1e-5));
  CHECK(PlaneOutline().inside({0, 0}) <= 0);
  CHECK(PlaneOutline({square({0, 0}, {1, 1})}, 0.1f).inside({NAN, 0}) < 0);
}

TEST_CASE("Letters cover as much as their outlines hold", "[pattern][text]") {
  const TextOutline o = outlineOf(shippedFont("Manrope bold"), "Orrery", 0);
  double area = 0;
  for (const auto& ring : o.rings)
    for (size_t i = 0; i < ring.size(); ++i) {
      const V2f a = ring[i], b = ring[(i + 1) % ring.size()];
      area += 0.5 * (double(a.x) * double(b.y) - double(a.y) * double(b.x));
    }
  Set s;
  s.add("pattern.text", "Words", {{"text", "Orrery"}, {"size", "0.2"}, {"edge", "0"}});
  s.add("pattern.text", "Two", {{"text", "Orrery\\nOrrery"}, {"size", "0.2"}, {"edge", "0"}});
  s.add("pattern.text", "None", {{"text", ""}, {"low", "0.3"}});
  s.add("pattern.text", "Both", {{"text", "Orrery"}, {"size", "0.2"}, {"shows", "in front and behind"}});
  const Document doc = s.take();
  const Program words = compiled(doc, "Words"), two = compiled(doc, "Two"), both = compiled(doc, "Both");
  // Evenly over a field of 1 m by 0.5 m.
  const auto covered = [](const Program& p) {
    double sum = 0;
    constexpr int across = 1000, up = 500;
    for (int y = 0; y < up; ++y)
      for (int x = 0; x < across; ++x) {
        PatternPoint at;
        at.normal = {0, 0, 1};
        at.position = {(float(x) + 0.5f) / across - 0.5f, 0.5f * ((float(y) + 0.5f) / up - 0.5f), 0.1f};
        sum += double(p.evaluate(at).x);
      }
    return sum * 0.5 / (across * up);
  };
  const double one = covered(words);
  CHECK(one == Approx(std::abs(area) * 0.04).epsilon(0.01));
  CHECK(covered(two) == Approx(2 * one).epsilon(0.01));
  PatternPoint behind;
  behind.normal = {0, 0, -1};
  int front = 0, through = 0;
  for (float x = -0.3f; x < 0.3f; x += 0.005f) {
    behind.position = {x, 0, -0.1f};
    front += words.evaluate(behind).x > 0.5f;
    through += both.evaluate(behind).x > 0.5f;
  }
  CHECK(front == 0);
  CHECK(through > 10);
  CHECK(compiled(doc, "None").evaluate(behind).x == Approx(0.3));
}

TEST_CASE("A drawn curve gives each value the one that it runs through", "[pattern][curve]") {
  Set s;
  s.add("pattern.coordinates", "Place", {{"space", "object"}, {"scale", "1"}});
  const auto add = [&](const char* name, const char* on, std::initializer_list<std::pair<double, double>> points) {
    const NodeId id = s.add("pattern.curve", name, {{"value", "pattern Place"}, {"by", on}});
    for (const auto& [at, value] : points)
      s.add("curve.values", "", {{"at", fmt::format("{}", at).c_str()}, {"value", fmt::format("{}", value).c_str()}},
            {id, "points", size_t(-1)});
  };
  add("Bent", "each channel", {{0, 0.5}, {0.25, 1}, {0.5, -2}, {1, 0.25}});
  add("Grey", "brightness", {{0, 1}, {1, 0}});
  add("Plain", "each channel", {});
  const Document doc = s.take();
  const Program bent = compiled(doc, "Bent"), grey = compiled(doc, "Grey"), plain = compiled(doc, "Plain");
  const auto at = [](const V3f& p) {
    PatternPoint point;
    point.position = p;
    return point;
  };
  const Sample4 v = bent.evaluate(at({0.25f, 0.5f, 1}));
  CHECK(v.x == Approx(1));
  CHECK(v.y == Approx(-2));
  CHECK(v.z == Approx(0.25));
  CHECK(bent.evaluate(at({-3, 9, 0})).x == Approx(0.5)); // held beyond its ends
  CHECK(bent.evaluate(at({-3, 9, 0})).y == Approx(0.25));
  const Sample4 g = grey.evaluate(at({1, 0, 0}));
  CHECK(g.x == Approx(1 - 0.2126));
  CHECK(g.y == g.x);
  CHECK(plain.evaluate(at({0.3f, 0.4f, 0.5f})).y == Approx(0.4));
  const DrawnCurve curve(doc, *doc.findByName("Bent"), "points", 1);
  const auto [low, high] = curve.bounds(0.1, 0.6);
  CHECK(low == Approx(-2));
  CHECK(high == Approx(1));
}
