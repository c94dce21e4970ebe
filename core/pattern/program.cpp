#include "core/pattern/program.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
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
  X(mistPattern)                                                                                                       \
  X(mistLayer)                                                                                                         \
  X(incidencePattern)                                                                                                  \
  X(distancePattern)                                                                                                   \
  X(mixPattern)                                                                                                        \
  X(solidPattern)                                                                                                      \
  X(solidPart)                                                                                                         \
  X(combPattern)                                                                                                       \
  X(remapPattern)                                                                                                      \
  X(warpPattern)

#define DECLARE(name) PatternKind name();
EACH_PATTERN(DECLARE)
#undef DECLARE

std::vector<PatternKind> allPatterns() {
#define MADE(name) name(),
  std::vector<PatternKind> all = {EACH_PATTERN(MADE)};
#undef MADE
  for (PatternKind& k : all) k.kind.shared = k.compile != nullptr;
  return all;
}

namespace {

const PatternKind* kindOf(const Node& n) {
  static const std::vector<PatternKind> all = allPatterns();
  for (const PatternKind& k : all)
    if (k.kind.id == n.kind->id) return k.compile ? &k : nullptr;
  return nullptr;
}

} // namespace

int PatternCompiler::constant(const Sample4& value) {
  m_slots.push_back({value, nullptr});
  return int(m_slots.size()) - 1;
}

int PatternCompiler::emit(std::shared_ptr<PatternOp> op) {
  const std::vector<int*> inputs = op->inputs();
  if (!op->looks() && std::all_of(inputs.begin(), inputs.end(), [&](const int* r) { return constantAt(*r); })) {
    std::vector<Sample4> registers(m_slots.size());
    for (const int* r : inputs) registers[size_t(*r)] = *constantAt(*r);
    return constant(op->value(registers.data(), {}));
  }
  m_slots.push_back({{0, 0, 0, 1}, std::move(op)});
  return int(m_slots.size()) - 1;
}

int PatternCompiler::driven(const Params& p, std::string_view name, bool asColor) {
  if (const PatternUse* u = p.pattern(name)) {
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
  const auto key = std::tuple(ref.target, ref.with.get(), m_asColor);
  if (const auto it = m_done.find(key); it != m_done.end()) return it->second;
  if (std::find(m_open.begin(), m_open.end(), n->id) != m_open.end())
    throw badInput(n->name + ": the pattern refers to itself");
  m_open.push_back(n->id);
  const int r = kind->compile(Params(*n, m_frame, ref.with.get()), *this);
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

double PatternCompiler::rate() const { return settingsOf(m_doc).number("rate"); }

Program PatternCompiler::separate(const Reference& pattern) {
  PatternCompiler inner(m_doc, m_frame, m_assets, m_asColor);
  inner.m_open = m_open; // what refers to itself does so across programs too
  Program made = inner.take(inner.use(pattern));
  m_surroundings = m_surroundings * 0x9e3779b97f4a7c15u + made.m_surroundings;
  return made;
}

// What the result does not need is left out; constants go first.
Program PatternCompiler::take(int result) {
  std::vector<bool> needed(m_slots.size());
  needed[size_t(result)] = true;
  for (size_t i = m_slots.size(); i-- > 0;)
    if (needed[i] && m_slots[i].op)
      for (const int* r : m_slots[i].op->inputs()) needed[size_t(*r)] = true;
  Program out;
  out.m_surroundings = m_surroundings;
  std::vector<int> moved(m_slots.size());
  for (size_t i = 0; i < m_slots.size(); ++i)
    if (needed[i] && !m_slots[i].op) {
      moved[i] = int(out.m_constants.size());
      out.m_constants.push_back(m_slots[i].constant);
    }
  for (size_t i = 0; i < m_slots.size(); ++i)
    if (needed[i] && m_slots[i].op) {
      moved[i] = int(out.m_constants.size() + out.m_ops.size());
      for (int* r : m_slots[i].op->inputs()) *r = moved[size_t(*r)];
      out.m_ops.push_back(std::move(m_slots[i].op));
    }
  if (out.m_constants.size() + out.m_ops.size() > size_t(Program::mostOperations))
    throw badInput(fmt::format("a pattern has more than {} operations", Program::mostOperations));
  return out;
}

Program Program::compile(const Document& doc, const Reference& pattern, double frame, const Assets& assets,
                         bool asColor) {
  PatternCompiler c(doc, frame, assets, asColor);
  return c.take(c.use(pattern));
}

Sample4 Program::evaluate(const PatternPoint& point) const {
  if (m_ops.empty()) return m_constants.back();
  if (m_constants.empty() && m_ops.size() == 1) return m_ops[0]->value(nullptr, point);
  alignas(16) std::array<std::byte, sizeof(Sample4) * size_t(mostOperations)> room;
  auto* r = reinterpret_cast<Sample4*>(room.data());
  Sample4* next = std::uninitialized_copy(m_constants.begin(), m_constants.end(), r);
  for (const auto& op : m_ops) new (next++) Sample4(op->value(r, point));
  return next[-1];
}

void Program::evaluate(std::span<const PatternPoint> points, Sample4* out) const {
  for (size_t i = 0; i < points.size(); ++i) out[i] = evaluate(points[i]);
}

Bounds4 Program::bounds(const PatternBox& over) const {
  std::vector<Bounds4> r;
  r.reserve(m_constants.size() + m_ops.size());
  for (const Sample4& c : m_constants) r.push_back({c, c});
  for (const auto& op : m_ops) r.push_back(op->bounds(r.data(), over));
  return r.back();
}

} // namespace ilumbra
