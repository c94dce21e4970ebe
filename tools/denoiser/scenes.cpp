#include "tools/denoiser/scenes.h"

#include "core/base/sampling.h"
#include "demo/scene_builder.h"

#include <fmt/format.h>

#include <cmath>
#include <random>

namespace ilumbra {
namespace {

class ChanceScene {
 public:
  ChanceScene(int number, const std::shared_ptr<const Kinds>& kinds)
      : m_scene(kinds), m_random(uint32_t(number) * 7919u + 17u) {}

  Document make() {
    const double place = uniform();
    if (place < 0.4)
      table();
    else if (place < 0.7)
      room();
    else if (place < 0.85)
      yard();
    else
      hall();
    if (chance(m_dark ? 0.7 : 0.25)) haze();
    if (!m_gathering.empty() && !m_small.empty() && chance(0.6)) caustics();
    if (chance(0.15) && !m_things.empty()) move(m_things[size_t(below(int(m_things.size())))]);
    if (chance(0.5)) piercedLamp();
    return m_scene.take();
  }

 private:
  using Texts = std::vector<std::pair<std::string, std::string>>;
  double uniform() { return double(m_random()) / 4294967296.0; }
  double between(double a, double b) { return a + (b - a) * uniform(); }
  double logBetween(double a, double b) { return a * std::pow(b / a, uniform()); }
  bool chance(double p) { return uniform() < p; }
  int below(int n) { return std::min(n - 1, int(uniform() * n)); }
  std::string oneOf(const std::vector<std::string>& of) { return of[size_t(below(int(of.size())))]; }
  static std::string text(double v) { return fmt::format("{:.5g}", v); }
  static std::string text(double x, double y, double z) { return fmt::format("{:.5g}, {:.5g}, {:.5g}", x, y, z); }
  std::string name(const std::string& of) { return fmt::format("{} {}", of, ++m_named); }
  void set(NodeId id, const Texts& values) {
    for (const auto& [param, value] : values) m_scene.set(id, {{param.c_str(), value.c_str()}});
  }
  NodeId add(const char* kind, const std::string& called, const Texts& values, const Place& place = {}) {
    const NodeId id = m_scene.add(kind, called.c_str(), {}, place);
    set(id, values);
    return id;
  }
  std::string color(double low, double high) {
    const double grey = between(low, high), tint = chance(0.5) ? 0.15 : 0.6;
    const auto channel = [&] { return std::min(0.95, grey * (1 + tint * (uniform() - 0.6))); };
    return text(channel(), channel(), channel());
  }
  std::string strongColor() { return text(between(0.02, 0.9), between(0.02, 0.9), between(0.02, 0.9)); }

  /// A pattern of two colours, by its name: grain, tiles, cells, dots, waves, some of it no larger than a pixel.
  std::string pattern(bool colors) {
    const std::string called = name("Pattern");
    const std::string low = colors ? color(0.02, 0.4) : text(between(0.02, 0.3)),
                      high = colors ? color(0.2, 0.9) : text(between(0.3, 0.9));
    const auto grey = [&](const std::string& v) { return colors ? v : v + ", " + v + ", " + v; };
    const double size = logBetween(0.01, 0.6);
    NodeId id = 0;
    switch (below(6)) {
    case 0:
    case 1:
      id = add("pattern.noise", called,
               {{"family", oneOf({"smooth", "cellular", "churned", "ridged", "puffed", "rolling"})},
                {"scale", text(size)},
                {"octaves", text(1 + below(6))},
                {"contrast", text(between(1, 4))}});
      break;
    case 2:
      id = add("pattern.checker", called, {{"cell", text(size)}});
      break;
    case 3:
      id = add("pattern.bricks", called,
               {{"width", text(1.5 * size)}, {"height", text(0.5 * size)}, {"joint", text(0.05 * size)}});
      break;
    case 4:
      id = add("pattern.cells", called,
               {{"gives", oneOf({"borders", "distance", "a colour each"})},
                {"pitch", text(size)},
                {"border", text(size * 0.1)}});
      break;
    default:
      id = add("pattern.dots", called,
               {{"pitch", text(size)}, {"radius", text(size * between(0.15, 0.45))}, {"strewn", text(uniform())}});
    }
    set(id, {{"space", "world"}, {"low", grey(low)}, {"high", grey(high)}});
    if (m_scene.peek().find(id)->kind->param("seed")) set(id, {{"seed", text(1 + below(1000))}});
    return called;
  }

  /// What a floor or a wall is made of.
  std::string ground() {
    const std::string called = name("Ground");
    if (chance(0.3)) {
      m_scene.preset(called.c_str(), oneOf({"Slate", "Honed slate", "Plaster", "Marble", "Terracotta", "Porcelain",
                                            "Black lacquer", "Linen", "Brushed steel"})
                                         .c_str());
      return called;
    }
    add("material.surface", called,
        {{"base_color", chance(0.6) ? "pattern " + pattern(true) : color(0.05, 0.8)},
         {"roughness", chance(0.2) ? "pattern " + pattern(false) : text(between(0.15, 1))},
         {"metalness", chance(0.08) ? "1" : "0"}});
    return called;
  }

  /// What a thing is made of.
  std::string matter(bool& gathers) {
    const std::string called = name("Matter");
    gathers = false;
    const double kind = uniform();
    if (kind < 0.25) {
      m_scene.preset(called.c_str(), oneOf({"Crown glass", "Dense flint glass", "Amber", "Garnet", "Bottle glass",
                                            "Cobalt glass", "Ice", "Diamond", "Frosted glass"})
                                         .c_str());
      gathers = true;
    } else if (kind < 0.45) {
      m_scene.preset(called.c_str(), oneOf({"Polished brass", "Brushed brass", "Gold", "Copper", "Silver",
                                            "Brushed steel", "Quicksilver", "Weathered bronze"})
                                         .c_str());
      gathers = true;
    } else if (kind < 0.57) {
      m_scene.preset(called.c_str(),
                     oneOf({"Alabaster", "Jade", "Marble", "Wax", "Milk", "Paper", "Velvet", "Silk"}).c_str());
    } else if (kind < 0.64) {
      add("material.surface", called,
          {{"own_light", text(logBetween(200, 20000))}, {"own_light_color", strongColor()}});
    } else {
      add("material.surface", called,
          {{"base_color", chance(0.4)   ? "pattern " + pattern(true)
                          : chance(0.5) ? strongColor()
                                        : color(0.03, 0.8)},
           {"roughness", text(chance(0.2) ? 0 : uniform())},
           {"coat", chance(0.2) ? "1" : "0"}});
    }
    return called;
  }

  /// A thing about `size` across that stands on y = `floor`.
  void thing(double x, double z, double size, double floor) {
    bool gathers = false;
    const std::string of = matter(gathers), called = name("Thing");
    const double half = 0.5 * size;
    double y = floor + half;
    NodeId id = 0;
    switch (below(13)) {
    case 0:
    case 1:
      id = add("object.sphere", called, {{"radius", text(half)}});
      break;
    case 2:
      id = add("object.box", called,
               {{"width", text(size * between(0.4, 1))},
                {"height", text(size)},
                {"depth", text(size * between(0.4, 1))},
                {"round", text(size * (chance(0.5) ? 0.05 : 0))}});
      break;
    case 3:
      id = add("object.cylinder", called,
               {{"radius", text(half * between(0.2, 1))}, {"height", text(size)}, {"segments", "96"}});
      break;
    case 4: {
      id = add("object.torus", called, {{"radius", text(half * 0.8)}, {"tube", text(half * between(0.03, 0.25))}});
      y = floor + (chance(0.5) ? 0.25 : 1) * half;
      break;
    }
    case 5:
      id = add("object.knot", called,
               {{"radius", text(half * 0.7)}, {"winding", text(half * 0.28)}, {"tube", text(half * 0.1)}});
      break;
    case 6:
      id = add("object.cone", called,
               {{"radius", text(half)}, {"top", text(half * uniform() * 0.8)}, {"height", text(size)}});
      break;
    case 7:
      id = add("object.polyhedron", called,
               {{"form", oneOf({"icosahedron", "dodecahedron", "octahedron"})}, {"radius", text(half)}});
      break;
    case 8:
      id = add("object.gem", called, {{"radius", text(half)}});
      break;
    case 9:
      id = add("object.prism", called, {{"radius", text(half * 0.6)}, {"length", text(size)}});
      break;
    case 10:
      id = add("object.tube", called,
               {{"radius", text(half * 0.8)}, {"wall", text(half * 0.08)}, {"height", text(size)}});
      break;
    case 11:
      id =
          add("object.text", called,
              {{"text", oneOf({"AURUM", "Sol", "1608", "Hall"})}, {"letter", text(size)}, {"depth", text(size * 0.2)}});
      break;
    default:
      id = add("object.turned", called,
               {{"look", oneOf({"bulb", "bowl", "bottle", "goblet", "vase", "spindle"})}, {"scale", text(size * 3)}});
      y = floor + 0.01;
    }
    const bool leans = chance(0.5);
    set(id,
        {{"material", of},
         {"position", text(x, y, z)},
         {"turn", leans ? text(between(-40, 40), between(0, 360), between(-40, 40)) : text(0, between(0, 360), 0)}});
    m_things.push_back(called);
    if (gathers) m_gathering.push_back(called);
    if (chance(0.1))
      add("modifier.repeat", name("Row"),
          {{"count", text(2 + below(4))}, {"step", text(size * 1.3, 0, size * between(-0.5, 0.5))}}, {id, "modifiers"});
  }
  void things(int count, double reach, double low, double high, double floor) {
    for (int i = 0; i < count; ++i)
      thing(between(-reach, reach), between(-reach, 0.7 * reach), logBetween(low, high), floor);
  }

  /// A lamp somewhere over and around the middle, at a distance in metres; its light at the middle is about `lux`.
  void lamp(double distance, double lux) {
    const double bearing = between(0, 6.283), height = between(0.25, 1.2), flat = std::cos(height) * distance;
    const double x = flat * std::sin(bearing), y = std::sin(height) * distance, z = flat * std::cos(bearing);
    const std::string called = name("Lamp"), at = text(x, y, z), seen = chance(0.5) ? "on" : "off";
    const std::string tint = chance(0.4) ? strongColor() : text(1, between(0.6, 1), between(0.3, 1));
    const double sphere = 12.57 * distance * distance * lux;
    switch (below(5)) {
    case 0:
      add("light.point", called,
          {{"power", text(sphere)},
           {"radius", text(logBetween(0.002, 0.1) * distance)},
           {"position", at},
           {"seen", seen}});
      m_small.push_back(called);
      break;
    case 1:
    case 2:
      add("light.spot", called,
          {{"power", text(sphere * 0.1)},
           {"cone", text(between(6, 40))},
           {"edge", text(uniform())},
           {"radius", text(logBetween(0.002, 0.05) * distance)},
           {"position", at},
           {"target", text(between(-0.1, 0.1) * distance, 0, between(-0.1, 0.1) * distance)},
           {"seen", seen}});
      m_small.push_back(called);
      break;
    default:
      add("light.area", called,
          {{"power", text(sphere * 0.25)},
           {"width", text(between(0.1, 0.6) * distance)},
           {"height", text(between(0.1, 0.6) * distance)},
           {"position", at},
           {"target", "0, 0, 0"},
           {"seen", seen}});
    }
    set(m_scene.find(called.c_str()), {{"color", tint}});
  }
  void lamps(int count, double distance) {
    for (int i = 0; i < count; ++i) lamp(between(0.6, 1.4) * distance, logBetween(60, 1500));
  }
  /// A small lamp among the things: what lights from close by is the hardest to find.
  void candle(double reach, double floor) {
    const std::string called = name("Candle");
    add("light.point", called,
        {{"power", text(logBetween(20, 400) * reach * reach)},
         {"color", "1, 0.65, 0.3"},
         {"radius", text(0.012 * reach)},
         {"position",
          text(between(-0.6, 0.6) * reach, floor + between(0.1, 0.5) * reach, between(-0.4, 0.6) * reach)}});
  }

  /// A lamp in a pierced shade before what stands in the middle: small bright holes with dark ribs between them.
  void piercedLamp() {
    const double size = m_reach * between(0.15, 0.6);
    const std::string holes = name("Holes"), shade = name("Shade"), called = name("Lamp");
    const double pitch = size * between(0.12, 0.5);
    add("pattern.dots", holes,
        {{"space", "object"},
         {"pitch", text(pitch)},
         {"radius", text(pitch * between(0.2, 0.42))},
         {"strewn", chance(0.5) ? "0" : text(uniform())},
         {"low", "1, 1, 1"},
         {"high", "0, 0, 0"}});
    add("material.surface", shade,
        {{"opacity", "pattern " + holes},
         {"base_color", chance(0.5) ? color(0.02, 0.2) : color(0.3, 0.8)},
         {"metalness", chance(0.5) ? "1" : "0"},
         {"roughness", text(between(0.15, 0.8))}});
    const std::string at = text(between(-0.5, 0.5) * m_reach, size * between(0.5, 1.2), between(-0.2, 0.6) * m_reach);
    add("object.sphere", name("Thing"), {{"radius", text(0.5 * size)}, {"material", shade}, {"position", at}});
    if (chance(0.7)) {
      add("light.point", called,
          {{"power", text(logBetween(100, 4000) * m_reach * m_reach)},
           {"radius", text(size * logBetween(0.02, 0.3))},
           {"position", at},
           {"color", text(1, between(0.6, 1), between(0.3, 1))}});
    } else {
      add("material.surface", called,
          {{"own_light", text(logBetween(500, 50000))},
           {"own_light_color", text(1, between(0.6, 1), between(0.3, 1))}});
      add("object.sphere", name("Thing"), {{"radius", text(0.35 * size)}, {"material", called}, {"position", at}});
    }
  }

  void camera(double x, double y, double z, double tx, double ty, double tz, double focal) {
    const double away = std::sqrt(std::pow(x - tx, 2) + std::pow(y - ty, 2) + std::pow(z - tz, 2));
    const NodeId id = add("camera.lens", "Camera",
                          {{"position", text(x, y, z)},
                           {"target", text(tx, ty, tz)},
                           {"focal_length", text(focal)},
                           {"focus", text(away * between(0.7, 1.2))}});
    if (chance(0.4)) set(id, {{"f_stop", text(logBetween(0.8, 8))}});
  }

  void table() {
    const double reach = 0.5;
    add("object.plane", "Table", {{"width", "6"}, {"depth", "6"}, {"material", ground()}});
    if (chance(0.8))
      add("object.plane", "Wall",
          {{"width", "8"},
           {"depth", "5"},
           {"position", text(0, 1, between(-2.2, -0.8))},
           {"turn", "90, 0, 0"},
           {"material", ground()}});
    things(2 + below(6), reach, 0.05, 0.4, 0);
    lamps(1 + below(3), 1.6);
    if (chance(0.3)) candle(reach, 0);
    if (chance(0.25)) add("light.sky", "Sky", {{"power", text(logBetween(5, 200))}});
    camera(between(-0.8, 0.8), between(0.2, 1.2), between(1.1, 2), 0, between(0.05, 0.2), 0, between(35, 70));
  }
  void room() {
    m_reach = 1;
    const double w = between(2.5, 6), h = between(2.2, 4), d = between(3, 7);
    const auto wall = [&](const char* called, double a, double b, const std::string& at, const char* turn) {
      add("object.plane", called,
          {{"width", text(a)}, {"depth", text(b)}, {"position", at}, {"turn", turn}, {"material", ground()}});
    };
    wall("Floor", w, d, text(0, 0, 0), "0, 0, 0");
    wall("Ceiling", w, d, text(0, h, 0), "180, 0, 0");
    wall("Back", w, h, text(0, h / 2, -d / 2), "90, 0, 0");
    wall("Left", h, d, text(-w / 2, h / 2, 0), "0, 0, -90");
    if (chance(0.8)) wall("Right", h, d, text(w / 2, h / 2, 0), "0, 0, 90");
    things(3 + below(7), w * 0.32, 0.15, 1.4, 0);
    for (int i = 0, n = 1 + below(2); i < n; ++i) {
      const std::string called = name("Lamp");
      const std::string at = text(between(-0.35, 0.35) * w, between(0.5, 0.95) * h, between(-0.4, 0.3) * d);
      if (chance(0.5)) {
        add("light.area", called,
            {{"power", text(logBetween(500, 5000))},
             {"width", text(between(0.2, 1))},
             {"height", text(between(0.2, 1))},
             {"position", at},
             {"target", text(0, 0, 0)},
             {"color", text(1, between(0.7, 1), between(0.4, 1))}});
      } else {
        add("light.point", called,
            {{"power", text(logBetween(300, 3000))},
             {"radius", text(logBetween(0.01, 0.12))},
             {"position", at},
             {"color", text(1, between(0.6, 1), between(0.3, 1))}});
        m_small.push_back(called);
      }
    }
    if (chance(0.3)) candle(0.8, 0);
    camera(between(-0.3, 0.3) * w, between(0.3, 0.7) * h, 0.45 * d, 0, 0.25 * h, -0.1 * d, between(20, 35));
  }
  void yard() {
    m_reach = 2;
    add("object.plane", "Ground", {{"width", "60"}, {"depth", "60"}, {"material", ground()}});
    things(3 + below(7), 2, 0.2, 1.6, 0);
    if (chance(0.5))
      add("light.daylight", "Daylight", {{"height", text(between(5, 70))}, {"bearing", text(between(0, 360))}});
    else {
      add("light.sky", "Sky", {{"form", "gradient"}, {"power", text(logBetween(200, 3000))}});
      add("light.sun", "Sun",
          {{"power", text(logBetween(1000, 20000))},
           {"height", text(between(10, 70))},
           {"bearing", text(between(0, 360))},
           {"diameter", text(logBetween(0.5, 8))}});
    }
    camera(between(-2, 2), between(0.5, 2.5), between(4, 7), 0, 0.5, 0, between(28, 60));
  }
  void hall() {
    m_dark = true;
    m_reach = 1.6;
    add("object.plane", "Floor", {{"width", "24"}, {"depth", "24"}, {"material", ground()}});
    add("object.plane", "Back wall",
        {{"width", "20"}, {"depth", "7"}, {"position", "0, 3, -5"}, {"turn", "90, 0, 0"}, {"material", ground()}});
    const std::string stone = ground();
    const NodeId column = add("object.cylinder", "Column",
                              {{"radius", text(between(0.12, 0.35))},
                               {"height", "6"},
                               {"position", "-4, 3, -3"},
                               {"material", stone},
                               {"segments", "64"}});
    add("modifier.repeat", "Columns", {{"count", "6"}, {"step", text(between(1.2, 1.9), 0, between(-0.2, 0.3))}},
        {column, "modifiers"});
    things(2 + below(5), 1.6, 0.2, 1.3, 0);
    for (int i = 0, n = 1 + below(5); i < n; ++i) {
      const std::string called = name("Lantern");
      add("light.point", called,
          {{"power", text(logBetween(200, 4000))},
           {"radius", text(logBetween(0.02, 0.1))},
           {"position", text(between(-3, 3), between(0.4, 3), between(-4, 1))},
           {"color", chance(0.5) ? "1, 0.65, 0.3" : strongColor()}});
      m_small.push_back(called);
    }
    if (chance(0.6)) lamp(5, logBetween(30, 400));
    camera(between(-1, 1), between(0.6, 2), between(3, 5), 0, between(0.5, 1.2), -1, between(24, 40));
  }

  void haze() {
    const double far = m_dark ? 0.06 : 0.15;
    if (chance(0.5)) {
      add("air.haze", "Haze", {{"density", text(logBetween(0.2, 2) * far)}, {"anisotropy", text(between(0, 0.7))}});
      return;
    }
    add("pattern.noise", "Swathes",
        {{"space", "world"},
         {"scale", text(logBetween(0.3, 2))},
         {"octaves", "4"},
         {"contrast", text(between(1.5, 4))}});
    const double h = between(0.4, 2);
    set(add("object.box", "Bounds",
            {{"width", "9"}, {"height", text(h)}, {"depth", "9"}, {"position", text(0, h / 2 + 0.001, -1)}}),
        {{"shown", "off"}});
    add("air.haze", "Mist",
        {{"fills", "Bounds"},
         {"density", text(logBetween(0.3, 2))},
         {"amount", "pattern Swathes"},
         {"fineness", "64"},
         {"anisotropy", text(between(0, 0.6))}});
  }
  void caustics() {
    std::string from, through;
    for (const std::string& s : m_small) from += (from.empty() ? "" : ", ") + s;
    for (const std::string& s : m_gathering) through += (through.empty() ? "" : ", ") + s;
    add("effect.caustics", "Gathered light",
        {{"from", from},
         {"through", through},
         {"photons", text(4000 + below(12000))},
         {"edge", text(between(0.3, 0.8))}});
  }
  void move(const std::string& called) {
    const NodeId id = m_scene.find(called.c_str());
    const auto at = [&](double by) { return text(by, between(0.1, 0.4), by); };
    m_scene.keys(id, "position", {{0, at(-0.3)}, {2, at(0.3)}});
  }

  SceneBuilder m_scene;
  std::mt19937 m_random;
  int m_named = 0;
  bool m_dark = false;
  double m_reach = 0.5;                                    ///< about which things stand in the middle, in metres
  std::vector<std::string> m_things, m_gathering, m_small; ///< names; lamps small enough to gather light of
};

} // namespace

Document sceneByChance(int number, const std::shared_ptr<const Kinds>& kinds) {
  return ChanceScene(number, kinds).make();
}

} // namespace ilumbra
