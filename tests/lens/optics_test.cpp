// Stages that are optics: starburst, ghosts, streaks, rings, shafts.
#include "core/base/spectrum.h"
#include "core/image/convolution.h"
#include "core/lens/prescription.h"
#include "core/lens/stages/starburst.h"
#include "tests/support/lens.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

float bilinear(const Picture& p, float x, float y, int k = 0) {
  const int x0 = int(std::floor(x)), y0 = int(std::floor(y));
  const float tx = x - float(x0), ty = y - float(y0);
  return (p.at(x0, y0)[k] * (1 - tx) + p.at(x0 + 1, y0)[k] * tx) * (1 - ty) +
         (p.at(x0, y0 + 1)[k] * (1 - tx) + p.at(x0 + 1, y0 + 1)[k] * tx) * ty;
}

// How bright a pattern is at an angle, over a ring of radii.
double rayAt(const Picture& p, double angle, double from, double to) {
  double sum = 0;
  const int middle = p.width / 2;
  for (double r = from; r <= to; r += 0.5)
    sum += double(bilinear(p, float(middle + r * std::cos(angle)), float(middle - r * std::sin(angle)))) * r * r;
  return sum;
}

// The middle of a picture's light.
V2f centreOf(const Picture& p, int k = 1) {
  double sum = 0, x = 0, y = 0;
  for (int j = 0; j < p.height; ++j)
    for (int i = 0; i < p.width; ++i) {
      const double v = double(p.at(i, j)[k]);
      sum += v;
      x += v * (i + 0.5);
      y += v * (j + 0.5);
    }
  return sum > 0 ? V2f(float(x / sum), float(y / sum)) : V2f(-1, -1);
}

} // namespace

TEST_CASE("Convolution by transforms is the sum of the kernel over the light", "[lens][convolution]") {
  const Picture in = speckled(23, 17, 2), kernel = speckled(9, 7, 1, 5);
  const Picture out = Convolution(kernel, 23, 17, pool()).apply(in, pool());
  for (int y = 0; y < 17; ++y)
    for (int x = 0; x < 23; ++x)
      for (int k = 0; k < 3; ++k) {
        double want = 0;
        for (int j = -3; j <= 3; ++j)
          for (int i = -4; i <= 4; ++i)
            if (x - i >= 0 && x - i < 23 && y - j >= 0 && y - j < 17)
              want += double(in.at(x - i, y - j)[k]) * double(kernel.at(4 + i, 3 + j)[k]);
        REQUIRE(out.at(x, y)[k] == Approx(want).epsilon(1e-4).margin(1e-4));
      }
}

TEST_CASE("A round aperture's first dark ring lies at 1.22 wavelengths times the f-stop",
          "[lens][starburst][truth30]") {
  for (const float ring : {10.0f, 14.0f, 23.0f})
    for (const float wave : {450.0f, 550.0f, 650.0f}) {
      const Picture k = starburstKernel({.blades = 0}, {{wave, Color(1.0f)}}, ring, int(3 * ring), pool());
      const double expected = double(ring) * double(wave) / 550;
      // The darkest radius between the middle and the first bright ring.
      double best = 1e30, at = 0;
      for (double r = 0.5 * expected; r < 1.35 * expected; r += 0.05) {
        double mean = 0;
        for (int i = 0; i < 64; ++i) {
          const double angle = 2 * M_PI * i / 64;
          mean +=
              double(bilinear(k, float(k.width / 2 + r * std::cos(angle)), float(k.height / 2 + r * std::sin(angle))));
        }
        if (mean < best) {
          best = mean;
          at = r;
        }
      }
      CAPTURE(ring, wave);
      CHECK(at == Approx(expected).epsilon(0.025));
    }
}

TEST_CASE("Straight blades make a ray each where their number is even, and two where it is odd",
          "[lens][starburst][truth30]") {
  for (const int blades : {4, 5, 6, 7, 8, 9}) {
    const Picture k = starburstKernel({.blades = blades}, {{550, Color(1.0f)}}, 4, 120, pool());
    constexpr int n = 720;
    std::vector<double> around;
    double mean = 0;
    for (int i = 0; i < n; ++i) {
      around.push_back(rayAt(k, 2 * M_PI * i / n, 40, 110));
      mean += around.back() / n;
    }
    int rays = 0;
    for (int i = 0; i < n; ++i) {
      bool highest = around[size_t(i)] > 2 * mean;
      for (int d = -8; d <= 8 && highest; ++d)
        highest = around[size_t(i)] > around[size_t((i + d + n) % n)] || d == 0 ||
                  (around[size_t(i)] == around[size_t((i + d + n) % n)] && d < 0);
      rays += highest;
    }
    CAPTURE(blades);
    CHECK(rays == (blades % 2 ? 2 * blades : blades));
  }
}

TEST_CASE("A starburst's light sums to 1 in every channel and white stays white", "[lens][starburst]") {
  const Picture k = starburstKernel({.blades = 6}, starburstWaves(1), 3, 250, pool());
  for (size_t c = 0; c < 3; ++c) CHECK(sum(k, c) == Approx(1).epsilon(0.03));
  // Red reaches farther out than blue.
  double red = 0, blue = 0;
  for (int y = 0; y < k.height; ++y)
    for (int x = 0; x < k.width; ++x) {
      const double r = std::hypot(x - 250, y - 250);
      red += r * double(k.at(x, y)[0]);
      blue += r * double(k.at(x, y)[2]);
    }
  CHECK(red > 1.15 * blue);
  // Without colour all waves fall together.
  const Picture grey = starburstKernel({.blades = 6}, starburstWaves(0), 3, 60, pool());
  for (size_t i = 0; i < grey.pixels(); ++i)
    REQUIRE(grey.rgb[3 * i] == Approx(grey.rgb[3 * i + 2]).epsilon(1e-3).margin(1e-9));
}

TEST_CASE("Prescriptions are read as they are written, and bad ones are refused with the place", "[lens][ghosts]") {
  REQUIRE(shippedPrescriptions().size() >= 6);
  size_t fewest = 99, most = 0;
  for (const Prescription& p : shippedPrescriptions()) {
    CAPTURE(p.name);
    const Prescription again = parsePrescription(prescriptionText(p));
    REQUIRE(again.surfaces.size() == p.surfaces.size());
    for (const double zoom : {0.0, 0.5, 1.0}) {
      const LensSystem a(p, zoom, 587.56), b(again, zoom, 587.56);
      CHECK(a.focalLength == Approx(b.focalLength));
      CHECK(a.focalLength > 10);
      CHECK(a.backFocus > 10); // there is room for a film
    }
    size_t elements = 0;
    for (const auto& s : p.surfaces) elements += s.index > 1;
    fewest = std::min(fewest, elements);
    most = std::max(most, elements);
  }
  CHECK(fewest == 2);
  CHECK(most >= 12);
  const auto refused = [](const char* text) { return refusal([&] { parsePrescription(text); }); };
  CHECK(refused("{").find("no lens prescription") != std::string::npos);
  CHECK(refused("{\"surfaces\": [{}, {}]}").find("3 to 80") != std::string::npos);
  CHECK(refused("{\"surfaces\": [{\"radius\": 50, \"index\": 1.5}, {\"radius\": -50}, {}]}").find("one stop") !=
        std::string::npos);
  CHECK(refused("{\"surfaces\": [{\"radius\": 50, \"index\": 9}, {\"radius\": -50}, {\"stop\": true}]}")
            .find("surface 1: \"index\" is 9") != std::string::npos);
  CHECK(refused("{\"surfaces\": [{\"radius\": -50, \"index\": 1.5, \"after\": 3}, {\"radius\": 50}, {\"stop\": true}]}")
            .find("focal length") != std::string::npos);
}

TEST_CASE("A thin lens has the focal length of the lens maker's formula", "[lens][ghosts]") {
  const Prescription p = parsePrescription(
      R"({"surfaces": [{"radius": 80, "index": 1.5, "abbe": 60, "after": 0.001}, {"radius": -120, "after": 5}, {"stop": true}]})");
  CHECK(LensSystem(p, 0, 587.56).focalLength == Approx(1 / (0.5 * (1 / 80.0 + 1 / 120.0))).epsilon(1e-4));
}

TEST_CASE("A ghost's paths are those of rays that are mirrored twice", "[lens][ghosts][truth31]") {
  // A flat pane behind a lens: light mirrored at its back and then at its front comes to the film as if it had gone on,
  // by twice the pane's thickness later.
  const Prescription p = parsePrescription(
      R"({"surfaces": [{"stop": true, "after": 1}, {"radius": 60, "index": 1.5, "abbe": 60, "after": 4}, {"radius": -90, "after": 10},
    {"radius": 0, "index": 1.6, "abbe": 50, "after": 5}, {"radius": 0}]})");
  const LensSystem s(p, 0, 587.56);
  const LensSystem::GhostPath g = s.ghost(4, 3);
  // The picture itself: height f·θ on the film, whatever the height on the front.
  RayMatrix straight{g.toFilm.a, g.toFilm.b, g.toFilm.c, g.toFilm.d};
  // Slope behind the lens is −y/f: the way is longer by 2·5 mm of glass of index 1.6.
  CHECK(straight.a == Approx(-2 * 5 / 1.6 / s.focalLength).epsilon(1e-6));
  REQUIRE(g.atStop.size() == 1);
  CHECK(g.atStop[0].a == 1);
}

namespace {

// A ray in the plane of the axis, met with true spheres by Snell's law: nothing of matrices.
struct MeridianRay {
  double z, y, dz, dy; ///< place in millimetres from the first vertex, and direction of length 1
  // To the sphere through the axis at `vertex`.
  void meet(double vertex, double radius) {
    if (radius == 0) {
      const double t = (vertex - z) / dz;
      z += t * dz;
      y += t * dy;
      return;
    }
    const double oz = z - (vertex + radius), b = oz * dz + y * dy, c = oz * oz + y * y - radius * radius,
                 root = std::sqrt(b * b - c);
    // Of the two places the one beside the vertex.
    const double t1 = -b - root, t2 = -b + root,
                 t = std::abs(z + t1 * dz - vertex) < std::abs(z + t2 * dz - vertex) ? t1 : t2;
    z += t * dz;
    y += t * dy;
  }
  // Outward or inward makes no difference to the laws below, as long as it faces the ray.
  void facing(double vertex, double radius, double& nz, double& ny) const {
    nz = radius == 0 ? 1 : (z - vertex - radius) / radius;
    ny = radius == 0 ? 0 : y / radius;
    if (nz * dz + ny * dy > 0) nz = -nz, ny = -ny;
  }
  void refract(double vertex, double radius, double from, double to) {
    double nz, ny;
    facing(vertex, radius, nz, ny);
    const double ratio = from / to, cosine = -(nz * dz + ny * dy),
                 out = std::sqrt(1 - ratio * ratio * (1 - cosine * cosine));
    dz = ratio * dz + (ratio * cosine - out) * nz;
    dy = ratio * dy + (ratio * cosine - out) * ny;
  }
  void reflect(double vertex, double radius) {
    double nz, ny;
    facing(vertex, radius, nz, ny);
    const double c = nz * dz + ny * dy;
    dz -= 2 * c * nz;
    dy -= 2 * c * ny;
  }
};

} // namespace

TEST_CASE("Every ghost of every lens that ships is where rays that are bent and mirrored by true spheres come to",
          "[lens][ghosts][truth31]") {
  size_t paths = 0;
  for (const Prescription& p : shippedPrescriptions())
    for (const double zoom : {0.0, 0.6}) {
      const double wave = 587.56;
      const LensSystem system(p, zoom, wave);
      const size_t n = p.surfaces.size();
      std::vector<double> vertex{0}, before{1}, after;
      for (size_t i = 0; i < n; ++i) {
        const Prescription::Surface& s = p.surfaces[i];
        after.push_back(s.stop ? before[i] : s.index);
        before.push_back(after[i]);
        vertex.push_back(vertex[i] + s.after[0] * (1 - zoom) + s.after[1] * zoom);
      }
      const double film = vertex[n - 1] + system.backFocus;
      for (size_t first = 1; first < n; ++first)
        for (size_t second = 0; second < first; ++second) {
          if (p.surfaces[first].stop || p.surfaces[second].stop) continue;
          const RayMatrix m = system.ghost(first, second).toFilm;
          const auto lands = [&](double height, double slope) {
            MeridianRay r{-1, height - slope, 1 / std::hypot(1.0, slope), slope / std::hypot(1.0, slope)};
            const auto cross = [&](size_t i, bool onwards) {
              r.meet(vertex[i], p.surfaces[i].radius);
              if (!p.surfaces[i].stop)
                r.refract(vertex[i], p.surfaces[i].radius, onwards ? before[i] : after[i],
                          onwards ? after[i] : before[i]);
            };
            const auto mirror = [&](size_t i) {
              r.meet(vertex[i], p.surfaces[i].radius);
              r.reflect(vertex[i], p.surfaces[i].radius);
            };
            for (size_t i = 0; i < first; ++i) cross(i, true);
            mirror(first);
            for (size_t i = first - 1; i > second; --i) cross(i, false);
            mirror(second);
            for (size_t i = second + 1; i < n; ++i) cross(i, true);
            r.meet(film, 0);
            return r.y;
          };
          INFO(p.name << ", zoom " << zoom << ", mirrored at " << first << " and then at " << second);
          const double small = 1e-5;
          CHECK(lands(small, 0) / small == Approx(m.a).epsilon(1e-4).margin(1e-5));
          CHECK(lands(0, small) / small == Approx(m.b).epsilon(1e-4).margin(1e-3));
          ++paths;
        }
    }
  CHECK(paths > 300);
}

TEST_CASE("Ghosts of a light in the middle are centred; of one beside it they lie on the line through the middle, by "
          "the system's matrix",
          "[lens][ghosts][truth31]") {
  // A lens with one pair that mirrors: its first face and the pane's front are bare, all else is of air.
  const char* lens =
      R"({"name": "one", "surfaces": [{"stop": true, "after": 2}, {"radius": 55, "index": 1.52, "abbe": 60, "after": 6}, {"radius": -140, "after": 0}]})";
  TemporaryFolder folder;
  const std::string path = folder / "one.json";
  FILE* f = std::fopen(path.c_str(), "w");
  std::fputs(lens, f);
  std::fclose(f);
  const Document doc = stageDocument(
      "lens.ghosts",
      {{"prescription", path.c_str()}, {"fitted", "off"}, {"f_stop", "64"}, {"blades", "0"}, {"keyed", "off"}});
  const int w = 240, h = 180;
  const auto ghosts = [&](int x, int y) { return worked(doc, onePixel(w, h, x, y, Color(1e5f))).spread; };
  // On the axis: the middle is a corner of four pixels, so two lights beside each other.
  const V2f a = centreOf(ghosts(119, 89)), b = centreOf(ghosts(120, 90));
  CHECK((a + b).x / 2 == Approx(120).margin(0.3));
  CHECK((a + b).y / 2 == Approx(90).margin(0.3));
  // Beside it.
  const Prescription p = parsePrescription(lens);
  const LensSystem s(p, 0, 550);
  const LensSystem::GhostPath g = s.ghost(2, 1);
  const double along = (g.toFilm.b - g.toFilm.a * g.atStop[0].b / g.atStop[0].a) / s.focalLength;
  for (const auto& [x, y] : {std::pair{140, 90}, {120, 110}, {135, 100}}) {
    const V2f light(float(x) + 0.5f - 120, float(y) + 0.5f - 90), at = centreOf(ghosts(x, y)) - V2f(120, 90);
    CAPTURE(x, y, along, at.x, at.y);
    CHECK(std::abs(light.x * at.y - light.y * at.x) / light.length() < 0.5); // on the line
    CHECK((at.x * light.x + at.y * light.y) / (light.x * light.x + light.y * light.y) ==
          Approx(along).epsilon(0.05).margin(0.02));
  }
  // Its size: the stop's radius, enlarged as the matrix says.
  const Picture g0 = ghosts(120, 90);
  double area = 0, most = 0;
  for (size_t i = 0; i < g0.pixels(); ++i) most = std::max(most, double(g0.rgb[3 * i + 1]));
  for (size_t i = 0; i < g0.pixels(); ++i) area += double(g0.rgb[3 * i + 1]) / most;
  const double radius = std::abs(g.toFilm.a) * 0.5 * s.focalLength / 64 * w / 36;
  CHECK(std::sqrt(area / M_PI) == Approx(radius).epsilon(0.06));
  // All light of the beam that is mirrored twice is in it.
  const double r1 = s.reflectance(1, 550), r2 = s.reflectance(2, 550);
  CHECK(sum(g0, 1) == Approx(1e5 * r1 * r2).epsilon(0.1));
}

TEST_CASE("A coat takes a face's reflection away at its wave and less beside it", "[lens][ghosts]") {
  const Prescription p = parsePrescription(
      R"({"surfaces": [{"stop": true}, {"radius": 60, "index": 1.9044, "abbe": 40, "after": 3, "coating": 550}, {"radius": -60}]})");
  const LensSystem s(p, 0, 587.56);
  CHECK(s.reflectance(1, 550) < 1e-3); // 1.38² = 1.9044
  CHECK(s.reflectance(1, 400) > 5 * s.reflectance(1, 550));
  CHECK(s.reflectance(2, 550) == Approx(std::pow(0.9044 / 2.9044, 2)).epsilon(0.05)); // bare
}

TEST_CASE("Ghost elements lie where they are put on the line through the middle", "[lens][ghosts]") {
  Document doc = stageDocument("lens.ghosts", {{"ghosts_from", "elements"}, {"keyed", "off"}});
  CHECK(lensed(doc, onePixel(120, 90, 20, 20)).stages[0].idle == "it has no elements");
  doc = addNode(doc, "ghost.element", "Disc", {doc.findByName("Stage")->id, "elements"});
  for (const auto& [along, x, y] : {std::tuple{"0 %", 20.5, 20.5}, {"50 %", 60.0, 45.0}, {"100 %", 99.5, 69.5}}) {
    const V2f at = centreOf(
        worked(changed(changed(doc, "Disc.along", along), "Disc.fringe", "0"), onePixel(120, 90, 20, 20)).spread);
    CHECK(double(at.x) == Approx(x).margin(0.3));
    CHECK(double(at.y) == Approx(y).margin(0.3));
  }
  const Picture one =
      worked(changed(changed(doc, "Disc.light", "3 %"), "Disc.color", "1, 1, 1"), onePixel(120, 90, 60, 45)).spread;
  CHECK(sum(one, 1) == Approx(3).epsilon(0.05));
}

TEST_CASE("Streaks keep the light that goes into them, lie at their angle, and fall off by their length",
          "[lens][streaks]") {
  const int n = 301, c = 150;
  for (const double angle : {0.0, 30.0, 45.0, 90.0, 137.0, 222.0}) {
    const Document doc = stageDocument("lens.streaks", {{"rays", "1"},
                                                        {"angle", std::to_string(angle).c_str()},
                                                        {"length", "5 %"},
                                                        {"thickness", "0"},
                                                        {"color_spread", "0"},
                                                        {"keyed", "off"},
                                                        {"tail", "0.05"}});
    const Picture out = worked(doc, onePixel(n, n, c, c, Color(1.0f))).spread;
    CAPTURE(angle);
    CHECK(sum(out) == Approx(1).epsilon(0.01));
    // The middle of its light lies one length out along it: that of an exponential.
    const V2f at = centreOf(out) - V2f(float(c) + 0.5f, float(c) + 0.5f);
    const double a = angle * M_PI / 180;
    CHECK(double(at.x) * std::cos(a) - double(at.y) * std::sin(a) == Approx(0.05 * n).epsilon(0.12));
    CHECK(std::abs(double(at.x) * std::sin(a) + double(at.y) * std::cos(a)) < 0.15);
  }
  // As many as asked for.
  for (const int rays : {1, 2, 3, 5, 8, 64}) {
    const Document doc = stageDocument("lens.streaks", {{"rays", std::to_string(rays).c_str()},
                                                        {"length", "10 %"},
                                                        {"thickness", "0"},
                                                        {"keyed", "off"},
                                                        {"uneven", "50 %"},
                                                        {"color_spread", "0"}});
    CHECK(sum(worked(doc, onePixel(n, n, c, c, Color(1.0f))).spread) == Approx(1).epsilon(0.02));
  }
}

TEST_CASE("Streaks follow the blades of the camera's aperture", "[lens][streaks]") {
  Document doc = stageDocument(
      "lens.streaks",
      {{"rays_from", "aperture"}, {"angle", "0"}, {"length", "10 %"}, {"keyed", "off"}, {"thickness", "0"}});
  doc = changed(doc, "Camera.blades", "5");
  const Picture out = worked(doc, onePixel(201, 201, 100, 100, Color(1.0f))).spread;
  int rays = 0;
  std::vector<double> around;
  for (int i = 0; i < 360; ++i) around.push_back(rayAt(out, 2 * M_PI * i / 360, 10, 40));
  for (int i = 0; i < 360; ++i) {
    bool peak = around[size_t(i)] > 0;
    for (int d = -6; d <= 6; ++d)
      if (d != 0)
        peak &= around[size_t(i)] > around[size_t((i + d + 360) % 360)] ||
                (d < 0 && around[size_t(i)] == around[size_t((i + d + 360) % 360)]);
    rays += peak;
  }
  CHECK(rays == 10);
}

TEST_CASE("Halo rings have their radius, and of the light as much as is asked for", "[lens][rings]") {
  const Document doc = stageDocument(
      "lens.halo_rings",
      {{"radius", "25 %"}, {"width", "3 %"}, {"keyed", "off"}, {"inner", "1, 1, 1"}, {"outer", "1, 1, 1"}});
  const Picture out = worked(doc, onePixel(201, 201, 100, 100, Color(1.0f))).spread;
  CHECK(sum(out, 1) == Approx(1).epsilon(1e-3));
  double mean = 0;
  for (int y = 0; y < 201; ++y)
    for (int x = 0; x < 201; ++x) mean += double(out.at(x, y)[1]) * std::hypot(x - 100, y - 100);
  CHECK(mean == Approx(0.25 * 201).epsilon(0.02));
  CHECK(std::abs(out.at(100, 100)[1]) < 1e-6f);
}

TEST_CASE("Screen shafts run away from their centre; from even to peak they grow without a step", "[lens][shafts]") {
  const Picture p = onePixel(120, 90, 70, 45, Color(50.0f));
  float before = 0;
  for (const char* gather : {"0 %", "20 %", "50 %", "80 %", "95 %", "100 %"}) {
    const Document doc = stageDocument(
        "lens.screen_shafts",
        {{"centre_x", "25 %"}, {"centre_y", "50.5 %"}, {"length", "60 %"}, {"fade", "100 %"}, {"gather", gather}});
    const Picture out = worked(doc, p).spread;
    CAPTURE(gather);
    CHECK(out.at(40, 45)[0] < 1e-3f * out.at(85, 45)[0]); // nothing towards the centre
    CHECK(out.at(85, 45)[0] > before);                    // brighter from step to step
    CHECK(out.at(85, 60)[0] < 1e-3f * out.at(85, 45)[0]); // nothing beside the ray
    before = out.at(85, 45)[0];
  }
  // An even field stays as it is, whatever the way of gathering, where nothing lies beyond the edge.
  Picture even(80, 60);
  std::fill(even.rgb.begin(), even.rgb.end(), 2.0f);
  for (const char* gather : {"0 %", "60 %", "100 %"}) {
    const Picture out =
        worked(stageDocument("lens.screen_shafts", {{"gather", gather}, {"fade", "100 %"}}), even).spread;
    CHECK(out.at(50, 40)[1] == Approx(2).epsilon(1e-3));
  }
}

TEST_CASE("Shafts of shadow take light away behind silhouettes and add none", "[lens][shafts]") {
  Document doc = stageDocument(
      "lens.screen_shafts",
      {{"rays_of", "shadow"}, {"centre_x", "10 %"}, {"centre_y", "50 %"}, {"length", "70 %"}, {"fade", "100 %"}});
  Picture p(100, 80);
  std::fill(p.rgb.begin(), p.rgb.end(), 1.0f);
  LensLight light;
  light.layers.push_back({{}, p});
  light.alpha.assign(p.pixels(), 0.0f);
  for (int y = 36; y < 44; ++y)
    for (int x = 40; x < 46; ++x) light.alpha[size_t(y) * 100 + size_t(x)] = 1;
  const Picture out = applyLens(LensContext::of(doc, 1, 100, 80, pool()), std::move(light)).picture;
  CHECK(out.at(60, 40)[0] < 0.9f);
  CHECK(out.at(60, 8)[0] == 1);
  CHECK(out.at(20, 40)[0] == 1);
  for (const float v : out.rgb) REQUIRE(v <= 1);
}
