// A sheet of water: waves that run along directions, as Gerstner (1802) has them, and rings from points.
#include "core/geometry/grid.h"
#include "core/geometry/shape.h"

namespace ilumbra {
namespace {

constexpr float gravity = 9.81f;

struct Wave {
  bool ring = false;
  V2f way{1, 0};       ///< of straight waves, unit; of rings: where they start
  float height = 0;    ///< from the middle to the crest
  float k = 0;         ///< radians a metre
  float phase = 0;     ///< at this moment
  float fade = 0;      ///< of rings: metres in which they come down to a third; 0: never
  float reach = 1e30f; ///< of rings: how far the first of them has come
};

Wave straight(float degrees, float length, float height, float phase) {
  const float a = degrees * pi / 180;
  return {false, {std::sin(a), std::cos(a)}, height, 2 * pi / length, phase, 0, 1e30f};
}

// What waves do to a place of the calm surface, and the slopes there.
struct Carried {
  V3f by{0.0f};
  float slopeX = 0, slopeZ = 0;
  float xx = 0, xz = 0, zz = 0; ///< slopes of what it is moved sideways
};

Carried moved(const std::vector<Wave>& waves, float x, float z, float choppy) {
  Carried m;
  for (const Wave& w : waves) {
    if (w.ring) {
      const float dx = x - w.way.x, dz = z - w.way.y, r = std::sqrt(dx * dx + dz * dz);
      if (r > w.reach) continue;
      // The first crest comes up from nothing within a wave.
      const float front = std::isfinite(w.reach) && w.reach < 1e29f ? clamp01((w.reach - r) * w.k / (2 * pi)) : 1.0f;
      const float decay = (w.fade > 0 ? std::exp(-1.1f * r / w.fade) : 1.0f) * front, a = w.k * r + w.phase;
      m.by.y += w.height * decay * std::cos(a);
      if (r > 1e-6f) {
        const float slope = -w.height * decay * (w.k * std::sin(a) + (w.fade > 0 ? 1.1f / w.fade * std::cos(a) : 0.0f));
        m.slopeX += slope * dx / r;
        m.slopeZ += slope * dz / r;
      }
      continue;
    }
    const float a = w.k * (w.way.x * x + w.way.y * z) + w.phase;
    m.by.y += w.height * std::cos(a);
    m.by.x -= choppy * w.height * w.way.x * std::sin(a);
    m.by.z -= choppy * w.height * w.way.y * std::sin(a);
    const float c = choppy * w.height * w.k * std::cos(a);
    m.xx -= c * w.way.x * w.way.x;
    m.xz -= c * w.way.x * w.way.y;
    m.zz -= c * w.way.y * w.way.y;
    m.slopeX -= w.height * w.k * w.way.x * std::sin(a);
    m.slopeZ -= w.height * w.k * w.way.y * std::sin(a);
  }
  return m;
}

// Waves run as fast as gravity has them in deep water, c² = g λ / 2π, unless a speed is given.
float speedOf(float given, float length) { return given != 0 ? given : std::sqrt(gravity * length / (2 * pi)); }

std::vector<Wave> wavesOf(const Params& p, const BuildFrom& from, float seconds) {
  std::vector<Wave> out;
  const auto it = p.node().children.find("waves");
  if (it != p.node().children.end() && !it->second.empty()) {
    for (const NodeId id : it->second) {
      const Params w(*from.doc.find(id), p.frame());
      if (!w.flag("on")) continue;
      const float length = w.real("wavelength"), speed = speedOf(w.real("wave_speed"), length),
                  start = w.real("phase") * pi / 180;
      const float gone = float(std::fmod(double(speed) * double(seconds), double(length)));
      if (w.node().kind->id == "water.wave") {
        out.push_back(straight(w.real("direction"), length, w.real("height"), start - 2 * pi * gone / length));
      } else {
        const Triple c = w.triple("centre");
        Wave ring{true,
                  {float(c[0]), float(c[2])},
                  w.real("height"),
                  2 * pi / length,
                  start - 2 * pi * gone / length,
                  w.real("fade"),
                  1e30f};
        if (w.flag("drops"))
          ring.reach =
              std::max(0.0f, float((p.frame() - w.number("begins")) / settingsOf(from.doc).number("rate"))) * speed;
        out.push_back(ring);
      }
    }
    return out;
  }
  // Without waves of its own: what the wind makes of it.
  const std::string state = p.text("state");
  const float tall = state == "ripples" ? 0.0015f : state == "light air" ? 0.006f : state == "breeze" ? 0.02f : 0.0f;
  const float base = state == "ripples" ? 0.12f : state == "light air" ? 0.35f : 0.9f;
  const float wind = p.real("wind");
  for (int i = 0; i < 12 && tall > 0; ++i) {
    // Lengths a golden step apart, directions about the wind: no two beat in time.
    const float length = base * std::exp2(-0.23f * float(i)), turn = wind + 70 * std::sin(2.4f * float(i) + 0.7f);
    const float gone = float(std::fmod(double(speedOf(0, length)) * double(seconds), double(length)));
    out.push_back(
        straight(turn, length, tall * std::exp2(-0.27f * float(i)), 2.4f * float(i * i) - 2 * pi * gone / length));
  }
  return out;
}

} // namespace

Kind waterWaveKind() {
  return {.id = "water.wave",
          .label = "Wave",
          .helpText = "Straight waves over a sheet of water, along a direction.",
          .params = {flag("on", "On", true).at(Invalidation::Geometry).help("Off: as if it were not there"),
                     number("height", "Height", "m", 0.01)
                         .soft(0, 0.2)
                         .range(0, 1000)
                         .at(Invalidation::Geometry)
                         .matters()
                         .help("From the middle to the crest"),
                     number("wavelength", "Wavelength", "m", 0.5)
                         .soft(0.02, 5)
                         .range(1e-4, 1e5)
                         .log()
                         .at(Invalidation::Geometry)
                         .matters()
                         .help("From crest to crest"),
                     number("direction", "Direction", "°", 0)
                         .soft(-180, 180)
                         .at(Invalidation::Geometry)
                         .matters()
                         .help("Towards which it runs: 0 along z, 90 along x"),
                     number("wave_speed", "Speed", "m/s", 0)
                         .soft(0, 3)
                         .range(-1000, 1000)
                         .at(Invalidation::Geometry)
                         .help("0: as gravity has it for this wavelength"),
                     number("phase", "Phase", "°", 0)
                         .soft(0, 360)
                         .at(Invalidation::Geometry)
                         .help("Where in its wave it starts")}};
}

Kind waterRingKind() {
  return {.id = "water.ring",
          .label = "Rings",
          .helpText = "Rings that run outwards over a sheet of water, from a point.",
          .params = {flag("on", "On", true).at(Invalidation::Geometry).help("Off: as if it were not there"),
                     vector("centre", "Centre", "m", {0, 0, 0})
                         .soft(-2, 2)
                         .at(Invalidation::Geometry)
                         .matters()
                         .help("Where they start, in the water's own space"),
                     number("height", "Height", "m", 0.005)
                         .soft(0, 0.1)
                         .range(0, 1000)
                         .at(Invalidation::Geometry)
                         .matters()
                         .help("From the middle to the crest, at the centre"),
                     number("wavelength", "Wavelength", "m", 0.12)
                         .soft(0.01, 2)
                         .range(1e-4, 1e5)
                         .log()
                         .at(Invalidation::Geometry)
                         .matters()
                         .help("From ring to ring"),
                     number("fade", "Fade", "m", 0.5)
                         .soft(0, 5)
                         .range(0, 1e6)
                         .at(Invalidation::Geometry)
                         .help("Distance at which they have come down to a third; 0: they do not"),
                     flag("drops", "From a drop", false)
                         .at(Invalidation::Geometry)
                         .help("On: the first ring starts at the frame below; off: they run for ever"),
                     number("begins", "Begins at", "frames", 1)
                         .soft(1, 240)
                         .range(-1e6, 1e6)
                         .fixed()
                         .at(Invalidation::Geometry)
                         .help("The frame at which the drop falls"),
                     number("wave_speed", "Speed", "m/s", 0)
                         .soft(0, 3)
                         .range(-1000, 1000)
                         .at(Invalidation::Geometry)
                         .help("0: as gravity has it for this wavelength"),
                     number("phase", "Phase", "°", 0)
                         .soft(0, 360)
                         .at(Invalidation::Geometry)
                         .help("Where in its wave the centre stands")}};
}

ShapeKind waterShape() {
  return {
      {.id = "object.water",
       .label = "Water",
       .helpText = "A sheet or a basin of water with waves and rings, which run over time.",
       .params = join(
           {{sizeParam("width", "Width", 2, "Along x").matters(), sizeParam("length", "Length", 2, "Along z").matters(),
             number("depth", "Depth", "m", 0.3)
                 .soft(0, 2)
                 .range(0, 1e5)
                 .at(Invalidation::Geometry)
                 .help("Below the calm surface, which lies at y = 0; 0: a sheet without inside"),
             choice("state", "State", {"ripples", "light air", "breeze", "calm"})
                 .at(Invalidation::Geometry)
                 .matters()
                 .help("What the wind makes of it, as long as it has no waves of its own"),
             number("wind", "Wind", "°", 30)
                 .soft(-180, 180)
                 .at(Invalidation::Geometry)
                 .help("Towards which the state's waves run: 0 along z, 90 along x"),
             number("choppiness", "Choppiness", "", 0.6)
                 .range(0, 1)
                 .at(Invalidation::Geometry)
                 .help("Crests become narrow and troughs wide; 1: as sharp as the waves can be"),
             flag("runs", "Runs", true).at(Invalidation::Geometry).help("Off: it stands still as at its first frame"),
             integer("resolution", "Resolution", 0)
                 .soft(0, 1000)
                 .range(0, 4000)
                 .at(Invalidation::Geometry)
                 .help("Facets along the longer side; 0: so many that each wave has twelve")},
            objectParams()}),
       .slots = {{"waves", "Waves", {"water."}, Invalidation::Geometry}}},
      [](const Params& p, const BuildFrom& from) {
        const float w = p.real("width"), l = p.real("length"), depth = p.real("depth"), choppy = p.real("choppiness");
        const auto seconds = float(p.flag("runs") ? (p.frame() - 1) / settingsOf(from.doc).number("rate") : 0);
        const std::vector<Wave> waves = wavesOf(p, from, seconds);
        float shortest = 1e30f, steepness = 0;
        for (const Wave& wave : waves) {
          shortest = std::min(shortest, 2 * pi / wave.k);
          if (!wave.ring) steepness += wave.k * wave.height;
        }
        // Together the waves must not fold over.
        const float q = steepness > 1 ? choppy / steepness : choppy;
        double along = p.number("resolution");
        if (along < 1) along = waves.empty() ? 1 : std::clamp(12.0 * double(std::max(w, l) / shortest), 24.0, 900.0);
        const auto columns = uint32_t(std::max(1.0, std::ceil(along * double(w / std::max(w, l))))),
                   rows = uint32_t(std::max(1.0, std::ceil(along * double(l / std::max(w, l)))));
        const auto place = [&](float u, float v, V3f& at, V3f& normal) {
          const float x = w * (u - 0.5f), z = l * (0.5f - v);
          const Carried m = moved(waves, x, z, q);
          // At the rim it only goes up and down, along the basin's walls.
          const float rim = std::min({u, 1 - u, v, 1 - v}) * std::min(w, l) * 4;
          const float free = clamp01(rim / std::max(1e-6f, shortest));
          at = {x + m.by.x * free, m.by.y, z + m.by.z * free};
          const V3f alongX(1 + m.xx * free, m.slopeX, m.xz * free), alongZ(m.xz * free, m.slopeZ, 1 + m.zz * free);
          normal = cross(alongZ, alongX);
        };
        Shape s;
        appendGrid(s.mesh, columns, rows, place);
        if (depth <= 0) return s;
        // Walls and floor; their corners are the surface's own, so that the body is closed.
        const auto wall = [&](uint32_t steps, const V3f& facing, const std::function<V3f(float)>& top) {
          appendGrid(s.mesh, steps, 1, [&](float u, float v, V3f& at, V3f& normal) {
            at = top(u);
            if (v == 0) at.y = -depth;
            normal = facing;
          });
        };
        const auto rim = [&](float u, float v) {
          V3f at, n;
          place(u, v, at, n);
          return at;
        };
        const auto step = [](float t, uint32_t n) { return float(std::lround(t * float(n))) / float(n); };
        wall(columns, {0, 0, 1}, [&](float t) { return rim(step(t, columns), 0); });
        wall(columns, {0, 0, -1}, [&](float t) {
          return rim(float(columns - uint32_t(std::lround(t * float(columns)))) / float(columns), 1);
        });
        wall(rows, {1, 0, 0}, [&](float t) { return rim(1, step(t, rows)); });
        wall(rows, {-1, 0, 0},
             [&](float t) { return rim(0, float(rows - uint32_t(std::lround(t * float(rows)))) / float(rows)); });
        appendGrid(s.mesh, columns, rows, [&](float u, float v, V3f& at, V3f& normal) {
          at = {w * (float(uint32_t(std::lround(u * float(columns)))) / float(columns) - 0.5f), -depth,
                l * (0.5f - float(rows - uint32_t(std::lround(v * float(rows)))) / float(rows))};
          normal = {0, -1, 0};
        });
        return s;
      },
      [](const Params& p) { return p.flag("runs"); }};
}

} // namespace ilumbra
