#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/base/spectrum.h"
#include "core/compile/camera.h"
#include "core/image/resample.h"
#include "core/lens/key.h"
#include "core/lens/prescription.h"
#include "core/lens/stage.h"

#include <optional>

namespace ilumbra {
namespace {

// An outline on the film, as a ghost of a light at some place: its size by the outline's own, and where it lies as a
// multiple of the light's way from the middle.
struct Outline {
  float scale = 0, along = 0; ///< pixels per unit of the outline, and multiples of the light's place
  bool blades = false;        ///< the stop; else a circle
};

// One ghost in one channel: where all its outlines overlap.
struct Shape {
  std::vector<Outline> outlines;
  float light = 0; ///< per pixel, of a light of 1
};
struct Ghost {
  Shape channels[3];
  float weight = 0;                 ///< for choosing the brightest
  float softness = 0.02f, ring = 0; ///< of its rim, by its size; a ring: how much of the middle is dark
};

// Where light comes from: the middle of what shines in a tile of the picture.
struct Spot {
  V2f at;
  int first, last, top, bottom; ///< of the tile
};

constexpr int mostSpots = 64;
// What adds less than this to a pixel is left out: fifteen stops below white.
constexpr float faintest = 3e-5f;

std::vector<Spot> spotsOf(const Picture& source) {
  for (int tile = std::max(1, source.height / 160);; tile *= 2) {
    std::vector<Spot> out;
    for (int y0 = 0; y0 < source.height; y0 += tile)
      for (int x0 = 0; x0 < source.width; x0 += tile) {
        const int x1 = std::min(source.width, x0 + tile), y1 = std::min(source.height, y0 + tile);
        double sum = 0, sx = 0, sy = 0;
        for (int y = y0; y < y1; ++y)
          for (int x = x0; x < x1; ++x)
            if (const double l = std::max(0.0, double(luminance(source.color(x, y)))); l > 0) {
              sum += l;
              sx += l * (x + 0.5);
              sy += l * (y + 0.5);
            }
        if (sum > 0) out.push_back({{float(sx / sum), float(sy / sum)}, x0, x1, y0, y1});
      }
    if (out.size() <= mostSpots || tile > std::max(source.width, source.height)) return out;
  }
}

const Prescription& chosen(const Params& p, const LensContext& c, std::optional<Prescription>& own) {
  const std::string file = p.text("prescription");
  if (!file.empty()) {
    own = readPrescription(file.front() == '/' || c.doc.folder().empty() ? file : c.doc.folder() + "/" + file);
    return *own;
  }
  const auto& all = shippedPrescriptions();
  const std::string name = p.text("lens");
  for (const Prescription& s : all)
    if (s.name == name) return s;
  return all.front();
}

std::vector<Ghost> realGhosts(const Params& p, const LensContext& c) {
  std::optional<Prescription> own;
  const Prescription& lens = chosen(p, c, own);
  const double zoom = clamp01(p.real("zoom"));
  // One wave for the shape in each channel, two dozen for its colour.
  const double shapeWaves[3] = {610, 550, 465};
  const LensSystem main(lens, zoom, 587.56);
  double filmWidth = 36, focal = main.focalLength, stopNumber = p.number("f_stop");
  if (const Node* camera = activeCamera(c.doc)) {
    const Params cam(*camera, c.frame);
    filmWidth = cam.number("film_width");
    if (p.flag("fitted")) focal = cam.number("focal_length");
    if (p.text("aperture_from") == "camera" && cam.number("f_stop") > 0) stopNumber = cam.number("f_stop");
  }
  // The whole lens is enlarged to the focal length; lengths on the film are of the frame.
  const double enlarged = focal / main.focalLength, perMm = c.frameWidth / filmWidth;
  const double entrance = 0.5 * focal / std::max(0.5, stopNumber);         // mm, radius of what is let in
  const double stopRadius = std::abs(main.toStop.a) * entrance / enlarged; // of the stop, in the lens's own mm
  const size_t n = lens.surfaces.size();
  std::vector<Ghost> out;
  std::vector<LensSystem> systems;
  for (const double w : shapeWaves) systems.emplace_back(lens, zoom, w);
  std::vector<std::pair<double, Color>> waves;
  for (int i = 0; i < 16; ++i) {
    const float w = mix(shortestWave, longestWave, (float(i) + 0.5f) / 16);
    waves.emplace_back(double(w), waveResponse(w) * (1.0f / 16));
  }
  for (size_t first = 1; first < n; ++first)
    for (size_t second = 0; second < first; ++second) {
      if (main.reflectance(first, 550) == 0 || main.reflectance(second, 550) == 0) continue;
      Color tone(0.0f);
      for (const auto& [w, response] : waves)
        tone += response * float(main.reflectance(first, w) * main.reflectance(second, w));
      Ghost g;
      for (size_t k = 0; k < 3; ++k) {
        const LensSystem::GhostPath path = systems[k].ghost(first, second);
        const RayMatrix& film = path.toFilm;
        // A ray at height y on the front, sloped by θ, comes to a·y + b·θ on the film; to some outline it comes at a'·y
        // + b'·θ. A light's place on the film is f·θ, and θ is the same for the enlarged lens.
        const auto outline = [&](const RayMatrix& m, double radius, bool blades) {
          if (std::abs(m.a) < 1e-9) return;
          const double scale = film.a / m.a * radius, along = (film.b - film.a * m.b / m.a) / systems[k].focalLength;
          g.channels[k].outlines.push_back({float(scale * enlarged * perMm), float(along), blades});
        };
        for (const RayMatrix& m : path.atStop) outline(m, stopRadius, true);
        for (const auto& [m, aperture] : path.rims) outline(m, aperture, false);
        outline({}, lens.surfaces.front().stop ? lens.surfaces[1].aperture : lens.surfaces.front().aperture, false);
        // Light is spread over the film as the front of the lens is enlarged there; a sharp ghost is at least a pixel
        // wide.
        const double pixelsWide = std::max(1.0, std::abs(film.a) * entrance * perMm);
        g.channels[k].light = std::max(0.0f, tone[int(k)]) * float(1 / (M_PI * pixelsWide * pixelsWide));
      }
      const Shape& green = g.channels[1];
      if (green.outlines.empty()) continue;
      g.weight = green.light + g.channels[0].light + g.channels[2].light;
      out.push_back(std::move(g));
    }
  std::stable_sort(out.begin(), out.end(), [](const Ghost& a, const Ghost& b) { return a.weight > b.weight; });
  if (const size_t most = size_t(std::max(1.0, p.number("most"))); out.size() > most) out.resize(most);
  return out;
}

// Elements drawn along the line from the light through the middle: no lens, but what is wanted.
std::vector<Ghost> freeGhosts(const Node& stage, const LensContext& c) {
  std::vector<Ghost> out;
  const auto slot = stage.children.find("elements");
  if (slot == stage.children.end()) return out;
  for (const NodeId id : slot->second) {
    const Params e(*c.doc.find(id), c.frame);
    if (!e.flag("on")) continue;
    Ghost g;
    const Color tint = working(e.triple("color"));
    const float size = std::max(0.5f, 0.5f * c.size(e.number("size"))), fringe = e.real("fringe");
    for (int k = 0; k < 3; ++k) {
      const float wide = size * (1 + fringe * float(1 - k));
      g.channels[k].outlines.push_back({wide, 1 - 2 * e.real("along"), e.text("shape") == "blades"});
      g.channels[k].light = std::max(0.0f, tint[k]) * e.real("light") / (pi * wide * wide);
    }
    g.softness = std::max(0.01f, e.real("soft"));
    g.ring = e.text("shape") == "ring" ? clamp01(1 - e.real("ring_width")) : 0;
    out.push_back(std::move(g));
  }
  return out;
}

// The aperture's edge by angle, looked up.
class Edges {
 public:
  explicit Edges(const Aperture& blades) {
    for (int i = 0; i <= count; ++i) m_edge.push_back(blades.edge(2 * pi * float(i) / count));
  }
  float at(float x, float y) const {
    // The angle to a few thousandths, which the eye cannot tell: a polynomial of the smaller ÷ the larger side.
    const float ax = std::abs(x), ay = std::abs(y), t = std::min(ax, ay) / std::max(1e-12f, std::max(ax, ay));
    float angle = t * (0.9952f - t * t * (0.2889f - 0.0793f * t * t));
    if (ay > ax) angle = 0.5f * pi - angle;
    if (x < 0) angle = pi - angle;
    if (y < 0) angle = 2 * pi - angle;
    const float f = angle * (count / (2 * pi));
    const int i = std::clamp(int(f), 0, count - 1);
    return mix(m_edge[size_t(i)], m_edge[size_t(i) + 1], f - float(i));
  }

 private:
  static constexpr int count = 1024;
  std::vector<float> m_edge;
};

// How far a pixel is inside an outline: 1 in its middle, 0 on its rim, negative beyond.
float inside(const Outline& o, const Edges& blades, const V2f& d, float scale) {
  const float r = std::sqrt(d.x * d.x + d.y * d.y);
  if (!o.blades) return 1 - r / scale;
  // Seen from behind where it is enlarged by less than nothing.
  return 1 - r / (scale * (o.scale < 0 ? blades.at(-d.x, d.y) : blades.at(d.x, -d.y)));
}

const Outline& smallestOf(const Shape& s) {
  return *std::min_element(s.outlines.begin(), s.outlines.end(),
                           [](const Outline& a, const Outline& b) { return std::abs(a.scale) < std::abs(b.scale); });
}

// Into a picture that is `shrink` times as small.
void draw(const Ghost& g, const Spot& spot, const Color& light, const V2f& whole, const Edges& blades, float softest,
          float least, float shrink, int y0, int y1, Picture& out) {
  const V2f middle = whole / shrink, place = (spot.at - whole) / shrink;
  const float spread = softest / shrink;
  for (int k = 0; k < 3; ++k) {
    const Shape& s = g.channels[k];
    const float value = light[k] * s.light;
    if (std::abs(value) < least) continue;
    // Bounds by the smallest of the outlines.
    const Outline& smallest = smallestOf(s);
    const float radius = std::max(0.7f, std::abs(smallest.scale) / shrink), reach = radius * (1 + g.softness) + spread;
    const V2f centre = middle + place * smallest.along;
    if (!(std::abs(centre.x) < 1e7f) || !(std::abs(centre.y) < 1e7f)) continue;
    const int left = std::max(0, int(centre.x - reach)), right = std::min(out.width - 1, int(centre.x + reach) + 1);
    const int top = std::max(y0, int(centre.y - reach)), bottom = std::min(y1 - 1, int(centre.y + reach) + 1);
    for (int y = top; y <= bottom; ++y)
      for (int x = left; x <= right; ++x) {
        float covered = 1;
        for (const Outline& o : s.outlines) {
          const float scale = std::abs(o.scale) / shrink;
          const V2f d(float(x) + 0.5f - middle.x - place.x * o.along, float(y) + 0.5f - middle.y - place.y * o.along);
          if (scale < 0.7f) { // smaller than a pixel
            covered *= clamp01(1.2f - std::sqrt(d.x * d.x + d.y * d.y));
            continue;
          }
          const float in = inside(o, blades, d, scale), width = std::max({g.softness, 1 / scale, spread / scale});
          covered *= smoothstep(in / width + 0.5f);
          if (g.ring > 0) covered *= 1 - smoothstep((in - (1 - g.ring)) / width + 0.5f);
          if (covered <= 0) break;
        }
        if (covered > 0) out.at(x, y)[k] += value * covered;
      }
  }
}

// Adds a picture at twice its size, linear between its pixels' middles.
void addTwiceAsLarge(const Picture& small, Picture& out, const Tasks& tasks) {
  tasks.forEach(out.height, [&](int y) {
    // Each of its rows lies a quarter of a small one's height away from the nearest.
    const auto row = [&](int i) { return small.at(0, std::clamp(i, 0, small.height - 1)); };
    const float *near = row(y / 2), *far = row(y / 2 + (y % 2 ? 1 : -1));
    const size_t n = 3 * size_t(small.width);
    std::vector<float> line(n + 6);
    float* l = line.data() + 3;
    for (size_t i = 0; i < n; ++i) l[i] = 0.75f * near[i] + 0.25f * far[i];
    for (size_t k = 0; k < 3; ++k) {
      line[k] = l[k];
      l[n + k] = l[n - 3 + k];
    }
    float* o = out.at(0, y);
    for (int x = 0; x < out.width; ++x, o += 3) {
      const float* p = l + 3 * (x / 2);
      const float* q = x % 2 ? p + 3 : p - 3;
      for (int k = 0; k < 3; ++k) o[k] += 0.75f * p[k] + 0.25f * q[k];
    }
  });
}

LensOperator prepare(const Params& p, const Picture& source, const LensContext& c) {
  auto shares = std::make_shared<const std::vector<float>>(keyShares(p, source, c.tasks));
  auto spots = std::make_shared<const std::vector<Spot>>(spotsOf(Keyed(source, *shares, c.tasks).light));
  auto ghosts = std::make_shared<const std::vector<Ghost>>(p.text("ghosts_from") == "elements" ? freeGhosts(p.node(), c)
                                                                                               : realGhosts(p, c));
  int blades = int(p.number("blades"));
  float rounding = p.real("rounding"), turn = p.real("turn");
  if (p.text("aperture_from") == "camera")
    if (const Node* camera = activeCamera(c.doc)) {
      const Params cam(*camera, c.frame);
      blades = int(cam.number("blades"));
      rounding = cam.real("blade_rounding");
      turn = cam.real("blade_turn");
    }
  const auto opening = std::make_shared<const Edges>(Aperture(blades, rounding, turn));
  const V2f middle = c.place(0.5, 0.5);
  const float least = faintest / std::max(1.0f, p.real("amount")); // as it comes to be seen
  const Color tint = chromaticity(working(p.triple("tint")));
  return {[=, &tasks = c.tasks](const Picture& layer) {
            LensWork work{{}, Picture(layer.width, layer.height)};
            std::vector<std::pair<Color, float>> lights;
            for (const Spot& s : *spots) {
              Color sum(0.0f);
              for (int y = s.top; y < s.bottom; ++y)
                for (int x = s.first; x < s.last; ++x)
                  sum += layer.color(x, y) *
                         (shares->empty() ? 1 : (*shares)[size_t(y) * size_t(layer.width) + size_t(x)]);
              // What is wider than a point makes a softer ghost.
              lights.emplace_back(sum * tint, 0.5f * float(s.last - s.first));
            }
            // Large ones are drawn smaller: their rims are as soft as the pixels there.
            constexpr int levels = 5;
            std::vector<std::vector<const Ghost*>> byLevel(levels);
            for (const Ghost& g : *ghosts) {
              int level = 0;
              for (float r = std::abs(smallestOf(g.channels[1]).scale); r > 64 && level + 1 < levels; r *= 0.5f)
                ++level;
              byLevel[size_t(level)].push_back(&g);
            }
            std::vector<Picture> drawn(levels);
            const auto sizeOf = [&](int level) {
              return std::pair((layer.width + (1 << level) - 1) >> level, (layer.height + (1 << level) - 1) >> level);
            };
            for (int level = levels - 1; level >= 0; --level) {
              Picture& at = drawn[size_t(level)];
              if (level == 0)
                at = std::move(work.spread);
              else if (byLevel[size_t(level)].empty() && at.rgb.empty())
                continue;
              const auto [w, h] = sizeOf(level);
              if (at.rgb.empty()) at = Picture(w, h);
              constexpr int band = 16;
              tasks.forEach((h + band - 1) / band, [&, h = h](int i) {
                for (const Ghost* g : byLevel[size_t(level)])
                  for (size_t s = 0; s < spots->size(); ++s)
                    if (!isBlack(lights[s].first))
                      draw(*g, (*spots)[s], lights[s].first, middle, *opening, std::min(lights[s].second, 3.0f), least,
                           float(1 << level), i * band, std::min(h, (i + 1) * band), at);
              });
              if (level == 0) break;
              const auto [finerWidth, finerHeight] = sizeOf(level - 1);
              Picture& finer = level == 1 ? work.spread : drawn[size_t(level) - 1];
              if (finer.rgb.empty()) finer = Picture(finerWidth, finerHeight);
              addTwiceAsLarge(at, finer, tasks);
            }
            work.spread = std::move(drawn.front());
            return work;
          },
          {}};
}

std::vector<std::string> lensNames() {
  std::vector<std::string> names;
  for (const Prescription& p : shippedPrescriptions()) names.push_back(p.name);
  return names;
}

} // namespace

Kind ghostElementKind() {
  return {.id = "ghost.element",
          .label = "Ghost element",
          .helpText = "One shape on the line from a light through the middle of the frame.",
          .params = {flag("on", "On", true).at(Invalidation::Lens).help("Off: it is not drawn"),
                     number("along", "Along", "%", 0.75)
                         .soft(-0.5, 1.5)
                         .range(-20, 20)
                         .at(Invalidation::Lens)
                         .matters()
                         .help("0 % on the light, 50 % in the middle of the frame, 100 % as far beyond it"),
                     number("size", "Size", "%", 0.12)
                         .soft(0.005, 1)
                         .range(0.001, 20)
                         .log()
                         .at(Invalidation::Lens)
                         .matters()
                         .help("Across, by the frame's height"),
                     number("light", "Light", "%", 0.01)
                         .soft(0, 0.1)
                         .range(0, 100)
                         .at(Invalidation::Lens)
                         .matters()
                         .help("Share of the light's"),
                     choice("shape", "Shape", {"disc", "blades", "ring"})
                         .at(Invalidation::Lens)
                         .help("A round one, the aperture's, or a ring"),
                     number("ring_width", "Ring width", "%", 0.2)
                         .soft(0.01, 1)
                         .range(0.001, 1)
                         .at(Invalidation::Lens)
                         .when("shape", "ring")
                         .help("Of its radius"),
                     number("soft", "Softness", "%", 0.06)
                         .soft(0, 1)
                         .range(0, 2)
                         .at(Invalidation::Lens)
                         .help("Of its rim, by its radius"),
                     color("color", "Colour", {0.4, 0.8, 1})
                         .soft(0, 1)
                         .at(Invalidation::Lens)
                         .help("What it makes of white light"),
                     number("fringe", "Colour fringe", "%", 0.02)
                         .soft(-0.2, 0.2)
                         .range(-0.9, 0.9)
                         .at(Invalidation::Lens)
                         .help("How much wider it is in red than in blue")},
          .existence = Invalidation::Lens};
}

namespace {

// Whose ghosts: a lens by its prescription, or elements that are set out by hand.
std::vector<ParamDef> lensParams() {
  return {choice("ghosts_from", "Ghosts from", {"lens", "elements"})
              .at(Invalidation::Lens)
              .help("A lens by its prescription, or the elements below"),
          choice("lens", "Lens", lensNames())
              .at(Invalidation::Lens)
              .matters()
              .when("ghosts_from", "lens")
              .help("Lenses of our own, from two elements to a zoom of twelve"),
          file("prescription", "Own prescription")
              .at(Invalidation::Lens)
              .when("ghosts_from", "lens")
              .help("A file with the faces of a lens; it comes before the one above"),
          number("zoom", "Zoom", "%", 0)
              .soft(0, 1)
              .range(0, 1)
              .at(Invalidation::Lens)
              .when("ghosts_from", "lens")
              .help("Of a zoom: from its short to its long end"),
          flag("fitted", "As long as the camera's", true)
              .at(Invalidation::Lens)
              .when("ghosts_from", "lens")
              .help("The lens is enlarged to the camera's focal length"),
          integer("most", "At most", 24)
              .soft(1, 80)
              .range(1, 1000)
              .at(Invalidation::Lens)
              .when("ghosts_from", "lens")
              .help("The brightest so many")};
}

std::vector<ParamDef> apertureParams() {
  return {choice("aperture_from", "Aperture", {"own", "camera"})
              .at(Invalidation::Lens)
              .in("Aperture")
              .help("Its own, or as the camera's"),
          number("f_stop", "f-stop", "", 8)
              .soft(1, 32)
              .range(0.5, 512)
              .at(Invalidation::Lens)
              .in("Aperture")
              .help("Where the camera states none"),
          integer("blades", "Blades", 7)
              .soft(3, 12)
              .range(0, 64)
              .at(Invalidation::Lens)
              .in("Aperture")
              .when("aperture_from", "own")
              .help("Below 3 it is round"),
          number("rounding", "Rounding", "%", 0.15)
              .soft(0, 1)
              .range(0, 1)
              .at(Invalidation::Lens)
              .in("Aperture")
              .when("aperture_from", "own")
              .help("How far the blades bulge out to the circle"),
          number("turn", "Turn", "°", 10)
              .soft(-90, 90)
              .at(Invalidation::Lens)
              .in("Aperture")
              .when("aperture_from", "own")
              .help("Of the aperture")};
}

std::string idle(const Params& p) {
  const bool none = p.text("ghosts_from") == "elements" && !p.node().children.count("elements");
  return none ? "it has no elements" : keyIdle(p);
}

} // namespace

LensStage ghostsStage() {
  std::vector<ChildSlot> slots = stageSlots();
  slots.push_back({"elements", "Elements", {"ghost.element"}, Invalidation::Lens});
  return {
      .kind = {.id = "lens.ghosts",
               .label = "Ghosts",
               .helpText = "Images of the aperture that light makes when it is mirrored twice between the faces of "
                           "a lens: of a real lens by its prescription, or elements along the line through the "
                           "frame's middle.",
               .params = join({stageParams(1, 1000),
                               lensParams(),
                               apertureParams(),
                               keyParams(true),
                               {color("tint", "Tint", {1, 1, 1})
                                    .soft(0, 1)
                                    .at(Invalidation::Lens)
                                    .in("Colour")
                                    .help("Keeps the luminance")}}),
               .slots = std::move(slots),
               .existence = Invalidation::Lens},
      .prepare = prepare,
      .level = 0.25f,
      .linear = false, // ghosts stand where the light of all sources has its middle
      .idle = idle,
      .looks = {{"Reading glass", {{"lens", "Reading glass, two elements"}, {"f_stop", "5.6"}}},
                {"Portrait, uncoated", {{"lens", "Portrait triplet, 110 mm"}, {"f_stop", "8"}, {"blades", "10"}}},
                {"Long and quiet", {{"lens", "Long four, 140 mm"}, {"f_stop", "11"}, {"blades", "6"}}},
                {"Normal, coated", {{"lens", "Normal six, 60 mm"}, {"f_stop", "8"}, {"blades", "8"}}},
                {"Wide into the light", {{"lens", "Wide eight, 24 mm"}, {"f_stop", "16"}, {"amount", "300 %"}}},
                {"Zoom, a chain of many",
                 {{"lens", "Zoom of twelve, 22 to 76 mm"}, {"zoom", "40 %"}, {"most", "48"}, {"amount", "400 %"}}}}};
}

} // namespace ilumbra
