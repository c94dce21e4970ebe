// The lobes beneath the pictures: their densities integrate to what they should, and sampling agrees with evaluation.
#include "core/surface/fresnel.h"
#include "core/surface/material.h"
#include "tests/support/scene.h"

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

constexpr double pi64 = 3.14159265358979323846;

Bsdf surface(float metalness, float roughness, float transmission, const Color& base, const CoatAlbedo& coat,
             float cosine) {
  Bsdf s;
  s.base = base;
  s.metalness = metalness;
  s.roughness = roughness;
  s.transmission = transmission;
  s.boundaryAlbedo = &coat;
  s.view({std::sqrt(1 - cosine * cosine), 0, cosine});
  return s;
}

// Mean over the sphere by even sampling.
template <typename F> Estimate overSphere(F f, int n = 40000, int batches = 8) {
  std::vector<double> means;
  for (int b = 0; b < batches; ++b) {
    double sum = 0;
    for (int i = 0; i < n; ++i) {
      Sampler s(uint32_t(b), 7, uint32_t(i), 3);
      sum += f(sampleUniformSphere(s.get2())) * 4 * pi64;
    }
    means.push_back(sum / n);
  }
  return estimateOf(means);
}

} // namespace

TEST_CASE("The microsurface's projected area is 1", "[surface][microfacet]") {
  for (const float alpha : {0.1f, 0.4f, 1.0f}) {
    for (const Microsurface& m : {Microsurface(alpha), Microsurface(alpha, 0.5f * alpha)}) {
      const Estimate e =
          overSphere([&](const V3f& h) { return h.z > 0 ? double(m.distribution(h) * h.z) : 0.0; }, 100000);
      CAPTURE(alpha, e.mean, e.se);
      CHECK(e.agrees(1, 0.005));
    }
  }
}

TEST_CASE("Visible normals integrate to 1 and are sampled by their density", "[surface][microfacet]") {
  const Microsurface round(0.5f), brushed(0.2f, 0.7f);
  for (const auto& [cosine, m] :
       {std::pair{0.2f, round}, {0.7f, round}, {0.99f, round}, {0.3f, brushed}, {0.8f, brushed}}) {
    const float sine = std::sqrt(1 - cosine * cosine);
    const V3f w(0.6f * sine, 0.8f * sine, cosine);
    CHECK(overSphere([&](const V3f& h) { return double(m.visiblePdf(w, h)); }).agrees(1, 0.005));
    // The mean of a function by samples and by the density.
    double sampled = 0;
    constexpr int n = 40000;
    for (int i = 0; i < n; ++i) {
      Sampler s(0, 0, uint32_t(i), 4);
      sampled += double(m.sampleVisible(w, s.get2()).z) / n;
    }
    const Estimate by = overSphere([&](const V3f& h) { return double(m.visiblePdf(w, h) * h.z); });
    CAPTURE(cosine);
    CHECK(by.agrees(sampled, 0.005));
  }
}

TEST_CASE("Fresnel: normal incidence, grazing incidence, total reflection, and the same both ways",
          "[surface][fresnel][truth10]") {
  for (const float n : {1.2f, 1.5f, 2.4f}) {
    CHECK(fresnelDielectric(1, n) == Approx(std::pow((n - 1) / (n + 1), 2)));
    CHECK(fresnelDielectric(0, n) == Approx(1));
    CHECK(fresnelDielectric(std::cos(std::asin(1 / n)) * 0.999f, 1 / n) == 1);
    for (float c = 0.1f; c < 1; c += 0.1f) {
      const float inside = std::sqrt(1 - (1 - c * c) / (n * n));
      CHECK(fresnelDielectric(c, n) == Approx(fresnelDielectric(inside, 1 / n)).epsilon(1e-3));
    }
  }
  CHECK(fresnelSchlick(Color(0.2f, 0.5f, 0.9f), 1).y == Approx(0.5));
  CHECK(fresnelSchlick(Color(0.2f, 0.5f, 0.9f), 0).x == Approx(1));
}

TEST_CASE("Refraction keeps Snell's law and unit length", "[surface][fresnel][truth12]") {
  for (float degrees = 5; degrees < 85; degrees += 10) {
    const float a = degrees * pi / 180;
    V3f t;
    REQUIRE(refract({std::sin(a), 0, std::cos(a)}, {0, 0, 1}, 1.5f, t));
    CHECK(length(t) == Approx(1).epsilon(1e-5));
    CHECK(std::abs(t.x) == Approx(std::sin(a) / 1.5).epsilon(1e-4));
    CHECK(t.z < 0);
  }
  V3f t;
  CHECK_FALSE(refract({0.9f, 0, std::sqrt(1 - 0.81f)}, {0, 0, 1}, 1 / 1.5f, t));
}

TEST_CASE("Sampling and evaluation of every surface agree on what is reflected", "[surface][sampling]") {
  const CoatAlbedo coat(1.5f);
  struct Case {
    const char* name;
    float metalness, roughness, transmission;
  };
  const CoatAlbedo lacquer(1.7f);
  const ThinFilm soap(1.4f, 1.5f, 500);
  for (const Case& c : {Case{"matte under a boundary", 0, 0.5f, 0},
                        {"rough metal", 1, 0.6f, 0},
                        {"half metal", 0.5f, 0.5f, 0},
                        {"rough glass", 0, 0.6f, 1},
                        {"milky", 0, 0.6f, 0.5f},
                        {"brushed", 1, 0.5f, 0},
                        {"lacquered", 0.3f, 0.6f, 0},
                        {"velvet", 0, 0.8f, 0},
                        {"leaf", 0, 0.5f, 0},
                        {"under a film", 0, 0.4f, 0.5f},
                        {"frosted inside", 0, 0.3f, 1}})
    for (const float cosine : {0.3f, 0.9f}) {
      Bsdf s = surface(c.metalness, c.roughness, c.transmission, Color(0.8f, 0.6f, 0.4f), coat, cosine);
      const std::string name = c.name;
      if (name == "brushed") s.anisotropy = 0.8f;
      if (name == "lacquered")
        s.coat = 0.8f, s.coatRoughness = 0.35f, s.coatEta = 1.7f, s.coatAlbedo = &lacquer,
        s.coatColor = Color(0.9f, 0.5f, 0.3f);
      if (name == "velvet") s.sheen = 0.9f, s.sheenRoughness = 0.4f, s.sheenColor = Color(0.9f, 0.7f, 1);
      if (name == "leaf") s.thin = true, s.translucency = 0.4f, s.translucencyColor = Color(0.5f, 0.9f, 0.2f);
      if (name == "under a film") s.film = {&soap, 420, 0.7f};
      if (name == "frosted inside") s.ownTransmissionRoughness = true, s.transmissionRoughness = 0.7f;
      s.view({std::sqrt(1 - cosine * cosine), 0, cosine});
      // ∫ f cos by even directions ...
      RandomStream random(17);
      const Estimate even = overSphere([&](const V3f& wi) { return double(luminance(s.evaluate(wi, random))); }, 20000);
      // ... and by the surface's own samples.
      std::vector<double> batches;
      for (int b = 0; b < 8; ++b) {
        double sum = 0;
        constexpr int n = 20000;
        for (int i = 0; i < n; ++i) {
          Sampler sampler(uint32_t(b), 0, uint32_t(i), 6);
          Bsdf::Sample out;
          const V2f u = sampler.get2();
          if (s.sample(u, sampler.get1(), random, out)) sum += double(luminance(out.weight)) / n;
        }
        batches.push_back(sum);
      }
      const Estimate own = estimateOf(batches);
      CAPTURE(c.name, cosine, even.mean, even.se, own.mean, own.se);
      CHECK(std::abs(even.mean - own.mean) <= 4 * std::hypot(even.se, own.se) + 0.01 * own.mean);
    }
}

TEST_CASE("The density for multiple importance sampling integrates to at most 1, and covers what is reflected",
          "[surface][sampling]") {
  const CoatAlbedo coat(1.5f);
  for (const auto& [metalness, roughness, transmission] :
       {std::tuple{0.0f, 0.5f, 0.0f}, {1.0f, 0.4f, 0.0f}, {0.0f, 0.5f, 1.0f}, {0.3f, 0.7f, 0.4f}}) {
    const Bsdf s = surface(metalness, roughness, transmission, Color(0.8f), coat, 0.6f);
    const Estimate e = overSphere([&](const V3f& wi) { return double(s.pdf(wi)); });
    CAPTURE(metalness, roughness, transmission, e.mean);
    CHECK(e.mean < 1.03);
    CHECK(e.mean > 0.6);
    RandomStream random(5);
    for (int i = 0; i < 2000; ++i) {
      Sampler sampler(0, 0, uint32_t(i), 6);
      const V3f wi = sampleUniformSphere(sampler.get2());
      if (luminance(s.evaluate(wi, random)) > 1e-4f) REQUIRE(s.pdf(wi) > 0);
    }
  }
}

TEST_CASE("The coat's table agrees with its own mean and grows towards grazing angles", "[surface]") {
  const CoatAlbedo coat(1.5f);
  for (const float roughness : {0.0f, 0.4f, 1.0f}) {
    double mean = 0;
    for (int i = 0; i < 400; ++i) {
      const float c = (float(i) + 0.5f) / 400;
      mean += 2 * double(c * coat.at(c, roughness)) / 400;
      REQUIRE(coat.at(c, roughness) >= 0);
      REQUIRE(coat.at(c, roughness) <= 1);
    }
    CHECK(double(coat.mean(roughness)) == Approx(mean).epsilon(0.03));
    CHECK(coat.at(0.1f, roughness) > coat.at(1, roughness));
  }
  CHECK(coat.at(1, 0) == Approx(0.04).epsilon(0.02));
}

TEST_CASE("Mirrors and clear glass say that no lamp need be sampled for them", "[surface]") {
  const CoatAlbedo coat(1.5f);
  CHECK(surface(1, 0, 0, Color(1.0f), coat, 0.5f).onlySpecular());
  CHECK(surface(0, 0, 1, Color(1.0f), coat, 0.5f).onlySpecular());
  CHECK_FALSE(surface(1, 0.5f, 0, Color(1.0f), coat, 0.5f).onlySpecular());
  CHECK_FALSE(surface(0, 0, 0.5f, Color(1.0f), coat, 0.5f).onlySpecular());
}
