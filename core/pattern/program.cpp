#include "core/pattern/program.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/pattern/distance_field.h"

#include <array>
#include <fmt/format.h>
#include <memory>
#include <utility>

namespace ilumbra {

// A line each, in the order of menus.
#define EACH_PATTERN(X)                                                                                                \
  X(constantPattern)                                                                                                   \
  X(imagePattern)                                                                                                      \
  X(rampPattern)                                                                                                       \
  X(rampKey)                                                                                                           \
  X(noisePattern)                                                                                                      \
  X(wavesPattern)                                                                                                      \
  X(stripesPattern)                                                                                                    \
  X(gridPattern)                                                                                                       \
  X(checkerPattern)                                                                                                    \
  X(bricksPattern)                                                                                                     \
  X(dotsPattern)                                                                                                       \
  X(cellsPattern)                                                                                                      \
  X(spiralPattern)                                                                                                     \
  X(outlinePattern)                                                                                                    \
  X(textPattern)                                                                                                       \
  X(combPattern)                                                                                                       \
  X(mistPattern)                                                                                                       \
  X(mistLayer)                                                                                                         \
  X(zonePattern)                                                                                                       \
  X(incidencePattern)                                                                                                  \
  X(normalPattern)                                                                                                     \
  X(facingLightPattern)                                                                                                \
  X(distancePattern)                                                                                                   \
  X(contactPattern)                                                                                                    \
  X(depthPattern)                                                                                                      \
  X(coordinatesPattern)                                                                                                \
  X(edgesPattern)                                                                                                      \
  X(thicknessPattern)                                                                                                  \
  X(paintedPattern)                                                                                                    \
  X(chancePattern)                                                                                                     \
  X(timePattern)                                                                                                       \
  X(speedPattern)                                                                                                      \
  X(followPattern)                                                                                                     \
  X(layersPattern)                                                                                                     \
  X(layerOfPattern)                                                                                                    \
  X(mixPattern)                                                                                                        \
  X(mathPattern)                                                                                                       \
  X(formulaPattern)                                                                                                    \
  X(coverPattern)                                                                                                      \
  X(remapPattern)                                                                                                      \
  X(curvePattern)                                                                                                      \
  X(stepsPattern)                                                                                                      \
  X(warpPattern)                                                                                                       \
  X(ridePattern)                                                                                                       \
  X(projectedPattern)                                                                                                  \
  X(secondCoordinatesPattern)                                                                                          \
  X(turnPattern)                                                                                                       \
  X(repeatPattern)                                                                                                     \
  X(mirrorPattern)                                                                                                     \
  X(solidPattern)                                                                                                      \
  X(solidPart)

#define DECLARE(name) PatternKind name();
EACH_PATTERN(DECLARE)
#undef DECLARE

std::vector<PatternKind> allPatterns() {
#define MADE(name) name(),
  std::vector<PatternKind> all = {EACH_PATTERN(MADE)};
#undef MADE
  for (PatternKind& k : all) {
    k.kind.shared = k.compile != nullptr;
    if (k.compile)
      k.kind.params.push_back(flag("on", "On", true)
                                  .help("Off: what it works on shows unchanged, or what lies between "
                                        "its shapes"));
  }
  return all;
}

namespace {

const PatternKind* kindOf(const Node& n) {
  static const std::vector<PatternKind> all = allPatterns();
  for (const PatternKind& k : all)
    if (k.kind.id == n.kind->id) return k.compile ? &k : nullptr;
  return nullptr;
}

// What is left of a pattern that is off.
const ParamDef* restOf(const Kind& kind) {
  for (const char* name : {"value", "a", "below", "low", "far", "facing", "color"})
    if (const ParamDef* d = kind.param(name); d && d->type == ParamType::Color) return d;
  return nullptr;
}

struct PlaceOf {
  static constexpr bool looks = true;
  PatternSpace space;
  template <class T> ValuesOf<T> operator()(const InputsOf<T>&, const PointOf<T>& at) const {
    switch (space) {
    case PatternSpace::Texture:
      return {at.uv.x, at.uv.y, T(0.0f), at.uvFootprint};
    case PatternSpace::Object:
      return {at.position.x, at.position.y, at.position.z, at.footprint};
    case PatternSpace::World:
      return {at.world.x, at.world.y, at.world.z, at.footprint};
    case PatternSpace::Camera:
      break;
    }
    return {at.screen.x, at.screen.y, T(0.0f), T(0.0f)};
  }
};

// The point's members, one by one: whatever is done with all of them is done here.
template <class To, class F> To eachMember(F f) {
  To r;
  for (int k = 0; k < 2; ++k) r.uv[k] = f([k](auto& p) -> auto& { return p.uv[k]; });
  for (int k = 0; k < 3; ++k) {
    r.position[k] = f([k](auto& p) -> auto& { return p.position[k]; });
    r.world[k] = f([k](auto& p) -> auto& { return p.world[k]; });
    r.normal[k] = f([k](auto& p) -> auto& { return p.normal[k]; });
    r.facing[k] = f([k](auto& p) -> auto& { return p.facing[k]; });
    r.screen[k] = f([k](auto& p) -> auto& { return p.screen[k]; });
  }
  r.incidence = f([](auto& p) -> auto& { return p.incidence; });
  r.footprint = f([](auto& p) -> auto& { return p.footprint; });
  r.uvFootprint = f([](auto& p) -> auto& { return p.uvFootprint; });
  r.random = f([](auto& p) -> auto& { return p.random; });
  r.copyRandom = f([](auto& p) -> auto& { return p.copyRandom; });
  return r;
}

PointOf<Lanes> gathered(const PatternPoint* points, int count) {
  auto r = eachMember<PointOf<Lanes>>([&](auto member) {
    Lanes v;
    for (int i = 0; i < Lanes::count; ++i) v.set(i, member(points[std::min(i, count - 1)]));
    return v;
  });
  r.body = points[0].body;
  r.evenScreen = points[0].evenScreen;
  return r;
}

} // namespace

PatternBox PatternBox::anywhere() {
  constexpr float far = 1e6f;
  PatternBox b;
  b.low.position = b.low.world = b.low.screen = V3f(-far);
  b.high.position = b.high.world = b.high.screen = V3f(far);
  b.low.uv = V2f(-far);
  b.high.uv = V2f(far);
  b.low.normal = b.low.facing = V3f(-1);
  b.high.normal = b.high.facing = V3f(1);
  b.low.incidence = b.low.random = b.low.copyRandom = 0;
  b.high.incidence = b.high.random = b.high.copyRandom = 1;
  return b;
}
PointOf<Interval> PatternBox::point() const {
  auto r = eachMember<PointOf<Interval>>(
      [&](auto member) { return Interval(std::min(member(low), member(high)), std::max(member(low), member(high))); });
  r.body = low.body;
  r.evenScreen = low.evenScreen;
  return r;
}
PatternPoint laneOf(const PointOf<Lanes>& points, int lane) {
  auto r = eachMember<PatternPoint>([&](auto member) { return member(points)[lane]; });
  r.body = points.body;
  r.evenScreen = points.evenScreen;
  return r;
}
PatternPoint stepped(const PointOf<Slope>& point, int axis, float step) {
  auto r = eachMember<PatternPoint>([&](auto member) {
    const Slope& s = member(point);
    return s.v + (axis < 0 ? 0 : step * s.d[axis]);
  });
  r.body = point.body;
  r.evenScreen = point.evenScreen;
  return r;
}

PatternCompiler::PatternCompiler(const Document& doc, double frame, const Assets& assets, bool asColor)
    : m_doc(doc), m_frame(frame), m_assets(assets), m_asColor(asColor) {
  for (const PatternSpace space :
       {PatternSpace::Texture, PatternSpace::Object, PatternSpace::World, PatternSpace::Camera})
    m_places[size_t(space)] = emit(PlaceOf{space}, {});
}

int PatternCompiler::constant(const Sample4& value) {
  m_slots.push_back({value, nullptr, {}});
  return int(m_slots.size()) - 1;
}

int PatternCompiler::emitOp(std::shared_ptr<const PatternOp> op, std::vector<int> inputs) {
  if (!op->looks() && std::all_of(inputs.begin(), inputs.end(), [&](int r) { return constantAt(r); })) {
    std::vector<Sample4> values;
    std::vector<uint32_t> order;
    for (const int r : inputs) {
      order.push_back(uint32_t(values.size()));
      values.push_back(*constantAt(r));
    }
    return constant(op->run(InputsOf<float>(values.data(), order), PatternPoint()));
  }
  m_slots.push_back({{0, 0, 0, 1}, std::move(op), std::move(inputs)});
  return int(m_slots.size()) - 1;
}

int PatternCompiler::moved(PatternSpace space, int place, const std::function<int()>& compile) {
  const int outer = std::exchange(m_places[size_t(space)], place);
  const int r = compile();
  m_places[size_t(space)] = outer;
  return r;
}

int PatternCompiler::driven(const Params& p, std::string_view name, bool asColor) {
  if (const auto u = p.pattern(name)) {
    const bool outer = std::exchange(m_asColor, asColor);
    const int r = use(u->pattern);
    m_asColor = outer;
    return r;
  }
  const ParamDef* def = p.node().kind->param(name);
  if (def && def->type == ParamType::Color) {
    const Triple t = p.triple(name);
    const Color c = asColor ? working(t) : Color(float(t[0]), float(t[1]), float(t[2]));
    return constant({c.x, c.y, c.z, 1});
  }
  const float x = p.real(name);
  return constant({x, x, x, 1});
}

int PatternCompiler::input(const Params& p, std::string_view name) { return driven(p, name, m_asColor); }
int PatternCompiler::amount(const Params& p, std::string_view name) { return driven(p, name, false); }

int PatternCompiler::use(const Reference& ref) {
  const Node* n = m_doc.find(ref.target);
  if (!n) throw badInput("a pattern is missing");
  const PatternKind* kind = kindOf(*n);
  if (!kind) throw badInput(n->name + ": is no pattern");
  // By what the overrides say: those that are passed through are made anew for every use.
  size_t with = 0;
  if (ref.with) {
    while (with < m_overrides.size() && !(*m_overrides[with] == *ref.with)) ++with;
    if (with++ == m_overrides.size()) m_overrides.push_back(ref.with);
  }
  const auto key = std::tuple(ref.target, with, m_asColor, m_places);
  if (const auto it = m_done.find(key); it != m_done.end()) return it->second;
  if (std::find(m_open.begin(), m_open.end(), n->id) != m_open.end())
    throw badInput(n->name + ": the pattern refers to itself");
  m_open.push_back(n->id);
  const Params p(*n, m_frame, ref.with.get());
  const ParamDef* rest = restOf(*n->kind);
  const bool switched = switchedOn(m_doc, n->id, m_frame);
  const float state = switched;
  surround({&state, 1});
  const int r = p.flag("on") && switched ? kind->compile(p, *this)
                : rest                   ? input(p, rest->name)
                                         : constant({0, 0, 0, 1});
  m_open.pop_back();
  return m_done[key] = r;
}

std::shared_ptr<const DistanceField> PatternCompiler::distanceField(const Params& p, std::string_view name) {
  std::vector<NodeId> things;
  for (const Reference& r : p.references(name)) things.push_back(r.target);
  if (things.empty()) return nullptr;
  auto made = m_assets.distanceField(m_doc, things, m_frame);
  if (!made) return nullptr;
  m_surroundings = m_surroundings * 0x9e3779b97f4a7c15u + made->key();
  return made;
}

void PatternCompiler::surround(std::span<const float> numbers) {
  m_surroundings = contentHash({reinterpret_cast<const char*>(numbers.data()), numbers.size_bytes()}, m_surroundings);
}

double PatternCompiler::rate() const { return settingsOf(m_doc).number("rate"); }

// What the result does not need is left out; constants go first.
Program PatternCompiler::take(int result) {
  std::vector<bool> needed(m_slots.size());
  needed[size_t(result)] = true;
  for (size_t i = m_slots.size(); i-- > 0;)
    if (needed[i])
      for (const int r : m_slots[i].inputs) needed[size_t(r)] = true;
  Program out;
  out.m_surroundings = m_surroundings;
  std::vector<uint32_t> now(m_slots.size());
  for (size_t i = 0; i < m_slots.size(); ++i)
    if (needed[i] && !m_slots[i].op) {
      now[i] = uint32_t(out.m_constants.size());
      out.m_constants.push_back(m_slots[i].constant);
    }
  for (size_t i = 0; i < m_slots.size(); ++i)
    if (needed[i] && m_slots[i].op) {
      now[i] = uint32_t(out.registers());
      const auto first = uint32_t(out.m_which.size());
      for (const int r : m_slots[i].inputs) out.m_which.push_back(now[size_t(r)]);
      out.m_steps.push_back({std::move(m_slots[i].op), first, uint32_t(m_slots[i].inputs.size())});
    }
  return out;
}

Program Program::compile(const Document& doc, const Reference& pattern, double frame, const Assets& assets,
                         bool asColor) {
  PatternCompiler c(doc, frame, assets, asColor);
  return c.take(c.use(pattern));
}

Program Program::plain(const Color& color) {
  Program out;
  out.m_constants.push_back({color.x, color.y, color.z, 1});
  return out;
}

// Room for registers: most patterns need few.
template <class T> class Registers {
 public:
  explicit Registers(size_t count) {
    if (count <= few) return;
    m_many.resize(count);
  }
  ValuesOf<T>* data() { return m_many.empty() ? reinterpret_cast<ValuesOf<T>*>(m_few) : m_many.data(); }

 private:
  static constexpr size_t few = 64;
  alignas(ValuesOf<T>) std::byte m_few[sizeof(ValuesOf<T>) * few]; // left as it is: a step fills what is read
  std::vector<ValuesOf<T>> m_many;
};

template <class T> ValuesOf<T> Program::run(ValuesOf<T>* registers, const PointOf<T>& at) const {
  ValuesOf<T>* next = registers + m_constants.size();
  for (const Step& s : m_steps)
    new (next++) ValuesOf<T>(s.op->run(InputsOf<T>(registers, {m_which.data() + s.first, s.count}), at));
  return next[-1];
}

Sample4 Program::evaluate(const PatternPoint& point) const {
  if (m_steps.empty()) return m_constants.back();
  Registers<float> r(registers());
  std::uninitialized_copy(m_constants.begin(), m_constants.end(), r.data());
  return run(r.data(), point);
}

void Program::evaluate(std::span<const PatternPoint> points, Sample4* out) const {
  if (m_steps.empty()) {
    std::fill_n(out, points.size(), m_constants.back());
    return;
  }
  Registers<Lanes> r(registers());
  for (size_t i = 0; i < m_constants.size(); ++i)
    for (int c = 0; c < 4; ++c) r.data()[i][c] = m_constants[i][c];
  for (size_t i = 0; i < points.size();) {
    // As many as lie on one body, in one picture.
    int count = 1;
    while (count < Lanes::count && i + size_t(count) < points.size() &&
           points[i + size_t(count)].body == points[i].body &&
           points[i + size_t(count)].evenScreen == points[i].evenScreen)
      ++count;
    const ValuesOf<Lanes> v = run(r.data(), gathered(points.data() + i, count));
    for (int lane = 0; lane < count; ++lane) out[i + size_t(lane)] = {v.x[lane], v.y[lane], v.z[lane], v.w[lane]};
    i += size_t(count);
  }
}

template <class T> ValuesOf<T> Program::once(const PointOf<T>& at) const {
  Registers<T> r(registers());
  ValuesOf<T>* to = r.data();
  for (const Sample4& c : m_constants) new (to++) ValuesOf<T>(T(c.x), T(c.y), T(c.z), T(c.w));
  return m_steps.empty() ? to[-1] : run(r.data(), at);
}

Bounds4 Program::bounds(const PatternBox& over) const { return once(over.point()); }
ValuesOf<Slope> Program::slope(const PointOf<Slope>& at) const { return once(at); }

} // namespace ilumbra
