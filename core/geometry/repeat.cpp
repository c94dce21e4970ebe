// Copies of an object or a group: in a line, a ring, a grid or along a path.
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/geometry/form.h"

namespace ilumbra {
namespace {

constexpr size_t mostCopies = 1'000'000;

// How long a box is along a direction.
float extent(const Box3f& box, const V3f& way) {
  if (box.isEmpty()) return 0;
  const V3f s = box.size();
  return std::abs(s.x * way.x) + std::abs(s.y * way.y) + std::abs(s.z * way.z);
}

// The frame whose y is a unit vector; `up` decides where its z lies.
M44f along(const V3f& way, const V3f& up, const V3f& at) {
  V3f x = normalize(cross(up, way));
  if (isBlack(x)) x = Frame(way).x;
  const V3f z = cross(x, way);
  return M44f(x.x, x.y, x.z, 0, way.x, way.y, way.z, 0, z.x, z.y, z.z, 0, at.x, at.y, at.z, 1);
}

std::vector<M44f> onPath(const std::vector<V3f>& line, float pitch, size_t count, bool facing,
                         const std::string& name) {
  std::vector<float> at{0};
  for (size_t i = 1; i < line.size(); ++i) at.push_back(at.back() + length(line[i] - line[i - 1]));
  const bool closed = line.size() > 2 && line.front() == line.back();
  if (line.size() < 2 || !(at.back() > 0)) throw badInput(name + ".path: the line has no length");
  if (count == 0) {
    if (!(pitch > 0)) throw badInput(name + ".step: copies with nothing between them never end");
    count = size_t(at.back() / pitch * 1.00001f) + (closed ? 0 : 1);
    pitch = closed && count > 0 ? at.back() / float(count) : pitch; // evenly around
  } else if (!(pitch > 0)) {
    pitch = at.back() / float(std::max<size_t>(1, closed ? count : count - 1));
  }
  if (count > mostCopies) throw badInput(name + ": more than a million copies");
  std::vector<M44f> out;
  size_t piece = 1;
  for (size_t i = 0; i < count; ++i) {
    const float s = std::min(float(i) * pitch, at.back());
    if (float(i) * pitch > at.back() * 1.0001f) break;
    while (piece + 1 < at.size() && at[piece] < s) ++piece;
    const float t = at[piece] > at[piece - 1] ? (s - at[piece - 1]) / (at[piece] - at[piece - 1]) : 0;
    const V3f p = mix(line[piece - 1], line[piece], t), way = normalize(line[piece] - line[piece - 1]);
    M44f m;
    if (facing)
      m = along(way, {0, 0, 1}, p);
    else
      m.setTranslation(p);
    out.push_back(m);
  }
  return out;
}

} // namespace

ModifierKind repeatModifier() {
  const auto count = [](const char* name, const char* label, double initial, const char* help) {
    return integer(name, label, initial)
        .soft(1, 50)
        .range(0, double(mostCopies))
        .at(Invalidation::Geometry)
        .matters()
        .help(help);
  };
  return {
      {.id = "modifier.repeat",
       .label = "Repeat",
       .helpText = "Copies, together with all that the object carries. They share one form; a change of form further "
                   "down the list makes one mesh of them.",
       .params = modifierParams(
           {choice("arrangement", "Arrangement", {"line", "ring", "grid", "along a path"})
                .at(Invalidation::Geometry)
                .matters()
                .help("How the copies lie"),
            count("count", "Copies", 5, "In a line, a ring or along x; along a path 0 is as many as there is room for"),
            count("count_y", "Copies along y", 1, "Of a grid").when("arrangement", "grid"),
            count("count_z", "Copies along z", 5, "Of a grid").when("arrangement", "grid"),
            vector("step", "Step", "m", {0, 0, 0})
                .soft(-2, 2)
                .at(Invalidation::Geometry)
                .help("From copy to copy: in a line its direction counts, in a grid each number its axis, in a ring "
                      "and along a path the first number. 0: by the thing's own size, with a quarter between"),
            choice("measure", "Step goes", {"from middle to middle", "from edge to edge"})
                .choiceWas("pitch", "from middle to middle")
                .choiceWas("gap", "from edge to edge")
                .at(Invalidation::Geometry)
                .help("Or: what is free between neighbours"),
            number("radius", "Radius", "m", 1)
                .soft(0, 5)
                .range(0, 1e6)
                .at(Invalidation::Geometry)
                .when("arrangement", "ring")
                .help("Of a ring; with a gap it follows from that"),
            number("arc", "Arc", "°", 360)
                .soft(0, 360)
                .range(-36000, 36000)
                .at(Invalidation::Geometry)
                .when("arrangement", "ring")
                .help("Of a ring: a full turn leaves no double"),
            choice("axis", "Axis", {"y", "x", "z"})
                .at(Invalidation::Geometry)
                .when("arrangement", "ring")
                .help("Of a ring: what it lies around"),
            flag("facing", "Copies turn along", true)
                .at(Invalidation::Geometry)
                .when("arrangement", "ring|along a path")
                .help("Copies of a ring or a path turn with it"),
            reference("path", "Path", {"object."})
                .at(Invalidation::Geometry)
                .when("arrangement", "along a path")
                .help("A path, or a ring whose middle is followed"),
            flag("centred", "Centred", false)
                .at(Invalidation::Geometry)
                .when("arrangement", "line|grid")
                .help("Of a line or a grid: the copies lie about the object's place"),
            vector("copy_turn", "Turn a copy", "°", {0, 0, 0})
                .soft(-90, 90)
                .at(Invalidation::Geometry)
                .in("Copy by copy")
                .help("Each is turned by so much more than the one before"),
            number("copy_size", "Size a copy", "×", 1)
                .soft(0.8, 1.25)
                .range(1e-3, 1e3)
                .at(Invalidation::Geometry)
                .in("Copy by copy")
                .help("Each is so much larger than the one before"),
            vector("random_place", "Random place", "m", {0, 0, 0})
                .soft(0, 1)
                .range(0, 1e6)
                .at(Invalidation::Geometry)
                .in("Random")
                .help("Up to so far to either side"),
            vector("random_turn", "Random turn", "°", {0, 0, 0})
                .soft(0, 180)
                .range(0, 180)
                .at(Invalidation::Geometry)
                .in("Random")
                .help("Up to so much to either side"),
            number("random_size", "Random size", "%", 0)
                .soft(0, 1)
                .range(0, 0.99)
                .at(Invalidation::Geometry)
                .in("Random")
                .help("Up to so much larger or smaller"),
            integer("seed", "Seed", 1)
                .soft(1, 100)
                .range(0, 1e6)
                .at(Invalidation::Geometry)
                .in("Random")
                .help("Each number scatters the copies otherwise")})},
      [](Form& form, const Params& p, const BuildFrom& from) {
        const std::string& name = p.node().name;
        const std::string arrangement = p.text("arrangement");
        const bool gap = p.text("measure") == "from edge to edge", facing = p.flag("facing");
        V3f step = vec(p.triple("step"));
        const auto n = size_t(p.number("count"));
        const Box3f box = form.bounds();
        // Where nothing is said the copies stand clear of each other.
        if (!box.isEmpty() && !gap) {
          const V3f clear = box.size() * 1.25f;
          if (arrangement == "grid")
            for (int k = 0; k < 3; ++k) step[k] = step[k] == 0 ? clear[k] : step[k];
          else if (step == V3f(0.0f))
            step = V3f(clear.x, 0, 0);
        }
        std::vector<M44f> places;
        if (arrangement == "ring") {
          const std::string axis = p.text("axis");
          const float arc = p.real("arc");
          const bool full = std::abs(std::abs(arc) - 360) < 1e-3f;
          // In the plane of the ring the first copy lies along x (y for a ring about x), the next towards its right.
          const V3f up = axis == "y"   ? V3f(0, 1, 0)
                         : axis == "x" ? V3f(1, 0, 0)
                                       : V3f(0, 0, 1),
                    first = axis == "x" ? V3f(0, 1, 0) : V3f(1, 0, 0), next = cross(up, first);
          const float between = float(std::max<size_t>(1, full ? n : n - std::min<size_t>(n, 1)));
          float radius = p.real("radius");
          if (gap) radius = (extent(box, next) + step.x) * between / (std::abs(arc) * pi / 180);
          for (size_t i = 0; i < n; ++i) {
            const float a = arc * pi / 180 * float(i) / between;
            const V3f out = first * std::cos(a) + next * std::sin(a);
            M44f m;
            if (facing) m.setAxisAngle(up, a);
            m = m * M44f().setTranslation(out * radius);
            places.push_back(m);
          }
        } else if (arrangement == "along a path") {
          const float pitch = gap ? step.x + extent(box, facing ? V3f(0, 1, 0) : V3f(1, 0, 0)) : step.x;
          places = onPath(lineOfOther(p, "path", from), pitch, n, facing, name);
        } else {
          const bool grid = arrangement == "grid";
          const size_t counts[3] = {n, grid ? size_t(p.number("count_y")) : 1, grid ? size_t(p.number("count_z")) : 1};
          V3f steps[3] = {step, V3f(0.0f), V3f(0.0f)};
          if (grid) {
            for (int k = 0; k < 3; ++k) {
              steps[k] = V3f(0.0f);
              steps[k][k] = step[k] + (gap && !box.isEmpty() ? std::copysign(box.size()[k], step[k]) : 0);
            }
          } else if (gap) {
            const V3f way = normalize(step);
            steps[0] = step + way * extent(box, way);
          }
          if (double(counts[0]) * double(counts[1]) * double(counts[2]) > double(mostCopies))
            throw badInput(name + ".count: more than a million copies");
          V3f origin(0.0f);
          if (p.flag("centred"))
            for (int k = 0; k < 3; ++k) origin -= steps[k] * (0.5f * float(std::max<size_t>(1, counts[k]) - 1));
          for (size_t z = 0; z < counts[2]; ++z)
            for (size_t y = 0; y < counts[1]; ++y)
              for (size_t x = 0; x < counts[0]; ++x) {
                M44f m;
                m.setTranslation(origin + steps[0] * float(x) + steps[1] * float(y) + steps[2] * float(z));
                places.push_back(m);
              }
        }
        if (places.empty()) throw badInput(name + ".count: no copies are left");
        const V3f turn = vec(p.triple("copy_turn")), jitter = vec(p.triple("random_place")),
                  jitterTurn = vec(p.triple("random_turn"));
        const float grow = p.real("copy_size"), jitterSize = p.real("random_size");
        const auto seed = uint32_t(p.number("seed"));
        for (size_t i = 0; i < places.size(); ++i) {
          const auto chance = [&](uint32_t k) { return 2 * chanceOf(seed, uint32_t(i), k) - 1; };
          const V3f t =
              turn * float(i) + V3f(jitterTurn.x * chance(0), jitterTurn.y * chance(1), jitterTurn.z * chance(2));
          const V3f shift(jitter.x * chance(3), jitter.y * chance(4), jitter.z * chance(5));
          const float size = std::pow(grow, float(i)) * (1 + jitterSize * chance(6));
          if (!(size > 1e-12f) || !std::isfinite(size))
            throw badInput(name + ".copy_size: the last copies have no size");
          if (t != V3f(0.0f) || size != 1) places[i] = placement(V3f(0.0f), t, V3f(size)) * places[i];
          if (shift != V3f(0.0f)) places[i] = places[i] * M44f().setTranslation(shift);
        }
        if (form.copies.empty()) {
          form.copies = std::move(places);
          return;
        }
        // A repeat of a repeat.
        if (places.size() * form.copies.size() > mostCopies) throw badInput(name + ": more than a million copies");
        std::vector<M44f> all;
        all.reserve(places.size() * form.copies.size());
        for (const M44f& outer : places)
          for (const M44f& inner : form.copies) all.push_back(inner * outer);
        form.copies = std::move(all);
      },
      {}};
}

} // namespace ilumbra
