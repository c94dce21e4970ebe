#include "core/image/resample.h"

#include "core/base/colorspace.h"
#include "core/base/sampling.h"
#include "core/compile/camera.h"
#include "core/lens/key.h"
#include "core/lens/stage.h"

#include <cstring>

namespace ilumbra {
namespace {

// The light along one ray falls off as a sum of exponentials whose lengths halve, so that its tail is straight on a
// scale of stops at first and long at the end.
constexpr int exponentials = 4;

struct Ray {
  float angle;  ///< radians, counter-clockwise from the right
  Color length; ///< pixels, by channel
  Color light;  ///< share of the source's light that goes along it, by channel
};

// Four numbers at once, wherever they lie.
using Four = float __attribute__((vector_size(16)));
Four four(const float* from) {
  Four v;
  std::memcpy(&v, from, sizeof v);
  return v;
}
void put(float* to, Four v) { std::memcpy(to, &v, sizeof v); }

// Rows become columns: in squares that fit into a core's own cache.
void addTurned(const Picture& in, Picture& out, const Tasks& tasks) {
  constexpr int side = 32;
  tasks.forEach((out.height + side - 1) / side, [&](int by) {
    for (int bx = 0; bx < out.width; bx += side)
      for (int y = by * side; y < std::min(out.height, (by + 1) * side); ++y) {
        float* o = out.at(bx, y);
        for (int x = bx; x < std::min(out.width, bx + side); ++x, o += 3) {
          const float* p = in.at(y, x);
          for (int k = 0; k < 3; ++k) o[k] += p[k];
        }
      }
  });
}

bool isUpright(const Ray& ray) { return std::abs(std::sin(ray.angle)) > std::abs(std::cos(ray.angle)); }

// How light falls off along a ray from pixel to pixel, by exponential, line and channel; eight lines at once.
constexpr int band = 8, lanes = 3 * band;
struct Falloff {
  Falloff(const Ray& ray, float perStep, float tail) {
    float weight = 1, weights = 0;
    for (int j = 0; j < exponentials; ++j, weight *= tail) weights += weight;
    weight = 1 / weights;
    float scale = 1;
    for (int j = 0; j < exponentials; ++j, weight *= tail, scale *= 0.5f)
      for (int i = 0; i < lanes; ++i) {
        keep[j][i] = std::exp(-perStep / std::max(0.05f, ray.length[i % 3] * scale));
        // A pixel's own light begins at its middle: half a step, then whole ones; their sum is 1.
        give[j][i] = weight * ray.light[i % 3] * (1 - keep[j][i]);
      }
  }
  float keep[exponentials][lanes], give[exponentials][lanes];
};

// What two opposite rays make of a picture, which is turned where they are upright, so that they are less steep than
// 45°. Lines of the picture run along the ray, line k through (x, k + slope·x): each column is shifted, what is there
// is passed on along the lines, and shifted back. Eight lines are worked on at once; they lie side by side wherever
// they are.
class Lines {
 public:
  Lines(const Picture& in, const Ray& one, const Ray* other, float tail) : m_in(in), m_width(in.width) {
    const float dx = std::cos(one.angle), dy = -std::sin(one.angle); // down is positive in pictures
    const bool upright = isUpright(one), forwards = (upright ? dy : dx) > 0;
    m_slope = upright ? dx / dy : dy / dx;
    const float perStep = std::sqrt(1 + m_slope * m_slope);
    m_falls.emplace_back(forwards, Falloff(one, perStep, tail));
    if (other) m_falls.emplace_back(!forwards, Falloff(*other, perStep, tail));
  }

  void addTo(Picture& out, const Tasks& tasks) const {
    // Those lines that meet the picture.
    const float rise = m_slope * float(m_width - 1);
    const int first = int(std::floor(std::min(0.0f, -rise))) - 1,
              last = m_in.height + int(std::ceil(std::max(0.0f, -rise))) + 1;
    const int bands = (last - first + 1 + band - 1) / band;
    // A pixel takes from two lines, which may be of two bands: even bands first, then odd ones.
    for (int odd = 0; odd < 2; ++odd)
      tasks.forEach((bands + 1 - odd) / 2, [&](int i) {
        const int top = first + (2 * i + odd) * band;
        std::vector<float> line(size_t(m_width) * lanes), sum;
        read(top, line);
        if (pass(line, sum)) add(top, sum, out);
      });
  }

 private:
  // Where column x of a band begins, and how far it is shifted beyond.
  int begin(int top, int x, float& t) const {
    const float rise = m_slope * float(x), fy = std::floor(rise);
    t = rise - fy;
    return int(fy) + top;
  }
  // Whether all of a band is in the picture at column x, with a pixel to the right that the fourth number can be of.
  bool inside(int x, int y0) const { return y0 >= 0 && y0 + band < m_in.height && x + 1 < m_width; }

  void read(int top, std::vector<float>& line) const {
    const size_t stride = 3 * size_t(m_width);
    for (int x = 0; x < m_width; ++x) {
      float t;
      const int y0 = begin(top, x, t);
      float* l = line.data() + size_t(x) * lanes;
      if (inside(x, y0)) {
        const float* p = m_in.at(x, y0);
        Four above = four(p);
        for (int j = 0; j < band; ++j) {
          p += stride;
          const Four below = four(p);
          put(l + 3 * j, above * (1 - t) + below * t); // its fourth number is overwritten by the next
          above = below;
        }
        continue;
      }
      std::fill_n(l, lanes, 0.0f);
      for (int j = std::max(0, -y0); j <= band && y0 + j < m_in.height; ++j) {
        const float* p = m_in.at(x, y0 + j);
        for (int c = 0; c < 3; ++c) {
          if (j < band) l[3 * j + c] += p[c] * (1 - t);
          if (j > 0) l[3 * (j - 1) + c] += p[c] * t;
        }
      }
    }
  }

  // False: there is no light on these lines.
  bool pass(const std::vector<float>& line, std::vector<float>& sum) const {
    // Before its first light and behind its last there is nothing to pass on.
    const auto lit = [](float v) { return v != 0; };
    const auto begins = std::find_if(line.begin(), line.end(), lit);
    if (begins == line.end()) return false;
    const int from = int((begins - line.begin()) / lanes),
              to = int((std::find_if(line.rbegin(), line.rend(), lit).base() - 1 - line.begin()) / lanes);
    sum.assign(line.size(), 0.0f);
    for (const auto& [up, fall] : m_falls) {
      float state[exponentials][lanes] = {};
      for (int i = up ? from : m_width - 1 - to; i < m_width; ++i) {
        const size_t x = size_t(up ? i : m_width - 1 - i);
        const float* __restrict l = line.data() + x * lanes;
        float* __restrict s = sum.data() + x * lanes;
        for (int j = 0; j < exponentials; ++j)
          for (int k = 0; k < lanes; ++k) {
            state[j][k] = state[j][k] * fall.keep[j][k] + l[k];
            s[k] += state[j][k] * fall.give[j][k];
          }
      }
    }
    return true;
  }

  void add(int top, const std::vector<float>& sum, Picture& out) const {
    const Four three = {1, 1, 1, 0};
    const size_t stride = 3 * size_t(m_width);
    for (int x = 0; x < m_width; ++x) {
      float t;
      const int y0 = begin(top, x, t);
      const float* s = sum.data() + size_t(x) * lanes;
      if (inside(x, y0)) {
        float* p = out.at(x, y0);
        Four above = {};
        for (int j = 0; j <= band; ++j, p += stride) {
          const Four here = j < band ? four(s + 3 * j) * three : Four{};
          put(p, four(p) + here * (1 - t) + above * t);
          above = here;
        }
        continue;
      }
      for (int j = std::max(0, -y0); j <= band && y0 + j < m_in.height; ++j) {
        float* p = out.at(x, y0 + j);
        for (int c = 0; c < 3; ++c)
          p[c] += (j < band ? s[3 * j + c] * (1 - t) : 0) + (j > 0 ? s[3 * (j - 1) + c] * t : 0);
      }
    }
  }

  const Picture& m_in;
  const int m_width;
  float m_slope = 0;
  std::vector<std::pair<bool, Falloff>> m_falls; ///< up the columns' numbers or down
};

// The rays of a stage. Opposite ones stand beside each other.
std::vector<Ray> raysOf(const Params& p, const LensContext& c) {
  int count = std::clamp(int(p.number("rays")), 1, 64);
  double turn = p.number("angle") + double(aimOf(p, c, c.place(0.5, 0.5)));
  if (p.text("rays_from") == "aperture")
    if (const Node* camera = activeCamera(c.doc)) {
      const Params lens(*camera, c.frame);
      const int blades = int(lens.number("blades"));
      // Every edge of the aperture sends light both ways at right angles to it: those of opposite edges fall together.
      count = blades < 3 ? 0 : blades % 2 ? 2 * blades : blades;
      turn += lens.number("blade_turn") + (blades < 3 ? 0 : 180.0 / blades);
    }
  std::vector<Ray> rays;
  const float length = c.size(p.number("length")), spread = p.real("color_spread"), uneven = p.real("uneven");
  const Color tint = chromaticity(working(p.triple("tint")));
  RandomStream random(mixBits(uint32_t(p.number("seed")) * 977u + 13u));
  std::vector<float> lengths, lights;
  float sum = 0;
  for (int i = 0; i < count; ++i) {
    lengths.push_back(std::exp2(uneven * 3 * (random.next() - 0.5f)));
    lights.push_back(std::exp2(uneven * 3 * (random.next() - 0.5f)));
    sum += lights.back();
  }
  const auto ray = [&](int i) {
    const float l = length * lengths[size_t(i)];
    return Ray{float(turn * double(pi) / 180) + 2 * pi * float(i) / float(count),
               Color(l * std::exp2(spread), l, l * std::exp2(-spread)), tint * (lights[size_t(i)] / sum)};
  };
  if (count % 2) {
    for (int i = 0; i < count; ++i) rays.push_back(ray(i));
  } else {
    for (int i = 0; i < count / 2; ++i) {
      rays.push_back(ray(i));
      rays.push_back(ray(i + count / 2));
    }
  }
  return rays;
}

LensOperator prepare(const Params& p, const Picture& source, const LensContext& c) {
  auto shares = std::make_shared<const std::vector<float>>(keyShares(p, source, c.tasks));
  const std::vector<Ray> rays = raysOf(p, c);
  const float tail = p.real("tail"), thickness = 0.5f * c.size(p.number("thickness"));
  return {[=, &tasks = c.tasks](const Picture& layer) {
            LensWork work{{}, Picture(layer.width, layer.height)};
            const Picture light = blurred(Keyed(layer, *shares, tasks).light, thickness, tasks);
            const size_t step = rays.size() % 2 ? 1 : 2;
            Picture turned, turnedSpread;
            if (std::any_of(rays.begin(), rays.end(), isUpright)) {
              turned = turnedSpread = Picture(layer.height, layer.width);
              addTurned(light, turned, tasks);
            }
            for (size_t i = 0; i < rays.size(); i += step) {
              const bool upright = isUpright(rays[i]);
              Lines(upright ? turned : light, rays[i], step == 2 ? &rays[i + 1] : nullptr, tail)
                  .addTo(upright ? turnedSpread : work.spread, tasks);
            }
            if (!turned.rgb.empty()) addTurned(turnedSpread, work.spread, tasks);
            return work;
          },
          {}};
}

} // namespace

LensStage streaksStage() {
  return {.kind = {.id = "lens.streaks",
                   .label = "Streaks",
                   .helpText =
                       "Rays of light out of what is bright, as scratches on glass, filters and the blades of an "
                       "aperture make them.",
                   .params = join({stageParams(0.3, 10),
                                   {choice("rays_from", "Rays from", {"number", "aperture"})
                                        .at(Invalidation::Lens)
                                        .help("As many as stated, or as the blades of the camera's aperture make"),
                                    integer("rays", "Rays", 4)
                                        .soft(1, 16)
                                        .range(1, 64)
                                        .at(Invalidation::Lens)
                                        .matters()
                                        .when("rays_from", "number")
                                        .help("How many go out of every point"),
                                    number("angle", "Angle", "°", 30)
                                        .soft(-180, 180)
                                        .at(Invalidation::Lens)
                                        .matters()
                                        .help("Of the first ray, from the right upwards")},
                                   followParams(""),
                                   {number("length", "Length", "%", 0.25)
                                        .soft(0.01, 1)
                                        .range(0.0005, 10)
                                        .log()
                                        .at(Invalidation::Lens)
                                        .matters()
                                        .help("Where a ray has fallen to a third, by the frame's height"),
                                    number("tail", "Tail", "×", 1.2)
                                        .soft(0.25, 4)
                                        .range(0.05, 50)
                                        .log()
                                        .at(Invalidation::Lens)
                                        .help("Above 1 the light stays close to its source, below it reaches the end"),
                                    number("thickness", "Thickness", "%", 0.003)
                                        .soft(0, 0.05)
                                        .range(0, 1)
                                        .at(Invalidation::Lens)
                                        .help("Of each ray, by the frame's height"),
                                    number("uneven", "Unevenness", "%", 0)
                                        .soft(0, 1)
                                        .range(0, 2)
                                        .at(Invalidation::Lens)
                                        .help("How much rays differ in length and light"),
                                    number("seed", "Seed", "", 1)
                                        .soft(1, 100)
                                        .range(0, 1e6)
                                        .at(Invalidation::Lens)
                                        .help("Another unevenness")},
                                   keyParams(true),
                                   {color("tint", "Tint", {1, 1, 1})
                                        .soft(0, 1)
                                        .at(Invalidation::Lens)
                                        .in("Colour")
                                        .help("Keeps the luminance"),
                                    number("color_spread", "Colour spread", "stops", 0.15)
                                        .soft(-1, 1)
                                        .range(-4, 4)
                                        .at(Invalidation::Lens)
                                        .in("Colour")
                                        .help("How much longer red is than green, and green than blue")}}),
                   .slots = stageSlots(),
                   .existence = Invalidation::Lens},
          .handles = {{StageHandle::Shape::Ray, "length", "End of the first ray"}},
          .prepare = prepare,
          .idle = keyIdle,
          .looks = {
              {"Four-pointed", {{"rays", "4"}, {"angle", "45 °"}, {"length", "20 %"}}},
              {"Wide anamorphic line",
               {{"rays", "2"},
                {"angle", "0 °"},
                {"length", "90 %"},
                {"tint", "0.35, 0.6, 1"},
                {"color_spread", "-0.5"},
                {"thickness", "0.4 %"}}},
              {"Scratched glass", {{"rays", "24"}, {"uneven", "90 %"}, {"length", "12 %"}, {"thickness", "0.15 %"}}},
              {"Cross filter", {{"rays", "4"}, {"angle", "0 °"}, {"length", "35 %"}, {"tail", "0.7"}}},
              {"Six thin needles",
               {{"rays", "6"}, {"angle", "90 °"}, {"length", "30 %"}, {"thickness", "0.1 %"}, {"color_spread", "0.5"}}},
              {"Wiped windscreen",
               {{"rays", "2"}, {"angle", "70 °"}, {"length", "60 %"}, {"thickness", "2 %"}, {"uneven", "40 %"}}},
              {"By the blades", {{"rays_from", "aperture"}, {"angle", "0 °"}, {"length", "25 %"}}}}};
}

} // namespace ilumbra
