#include "core/surface/microfacet.h"

#include <limits>

namespace ilumbra {
namespace {

constexpr float away = std::numeric_limits<float>::max();
// The walk ends by itself; beyond this a path has lost its way to rounding.
constexpr int mostBounces = 512;

float heightCdf(float h) { return clamp01(0.5f * (h + 1)); }
float heightAt(float u) { return std::max(-1.0f, std::min(1.0f, 2 * u - 1)); }

float heightShadowing(const Microsurface& m, const V3f& w, float h) {
  if (w.z > 0.9999f) return 1;
  if (w.z <= 0) return 0;
  return std::pow(heightCdf(h), m.lambda(w));
}

// The height of the next meeting with the surface along w, or `away`.
float sampleHeight(const Microsurface& m, const V3f& w, float h, float u) {
  if (w.z > 0.9999f) return away;
  if (w.z < -0.9999f) return heightAt(u * heightCdf(h));
  if (std::abs(w.z) < 0.0001f) return h;
  const float g = heightShadowing(m, w, h);
  if (u > 1 - g) return away;
  return heightAt(heightCdf(h) / std::pow(1 - u, 1 / m.lambda(w)));
}

const float startHeight = 1 + heightAt(0.999f);

float phaseMetal(const Microsurface& m, const V3f& w, const V3f& out, float& cosine) {
  const V3f h = normalize(w + out);
  cosine = dot(w, h);
  if (h.z <= 0 || cosine <= 0) return 0;
  return 0.25f * m.visiblePdf(w, h) / cosine;
}

Color phaseGlass(const Microsurface& m, const Boundary& b, const V3f& w, const V3f& out, bool above, bool outAbove) {
  const float eta = above ? b.eta : 1 / b.eta, side = above ? 1.0f : -1.0f;
  if (above == outAbove) {
    const V3f h = normalize(w + out) * side;
    const float c = dot(w * side, h);
    if (h.z <= 0 || c <= 0) return Color(0.0f);
    return b.reflectance(c, above) * (0.25f * m.visiblePdf(w * side, h) / c);
  }
  V3f h = -normalize(w + out * eta);
  h = h * (side * std::copysign(1.0f, h.z));
  const float ci = dot(w, h), co = dot(out, h);
  if (ci < 0) return Color(0.0f);
  const float denominator = ci + eta * co;
  if (std::abs(denominator) < 1e-6f) return Color(0.0f);
  return (Color(1.0f) - b.reflectance(ci, above)) *
         (eta * eta * m.visiblePdf(w * side, h * side) * std::max(0.0f, -co) / (denominator * denominator));
}

V3f scatterGlass(const Microsurface& m, const Boundary& b, const V3f& w, bool above, bool& outAbove, Color& weight,
                 RandomStream& random) {
  const float eta = above ? b.eta : 1 / b.eta, side = above ? 1.0f : -1.0f;
  const float u = random.next(), v = random.next();
  const V3f h = m.sampleVisible(w * side, {u, v}) * side;
  const float c = dot(w, h);
  const Color r = b.reflectance(c, above);
  const float chance = (r.x + r.y + r.z) * (1 / 3.0f);
  V3f t;
  if (random.next() >= chance && refract(w, h, eta, t)) {
    outAbove = !above;
    if (b.film.film) weight *= (Color(1.0f) - r) * (1 / (1 - chance));
    return normalize(t);
  }
  outAbove = above;
  if (b.film.film && chance > 0) weight *= r * (1 / chance);
  return normalize(reflect(w, h));
}

} // namespace

V3f Microsurface::sampleVisible(const V3f& w, const V2f& u) const {
  const V3f s = normalize({w.x * alphaX, w.y * alphaY, w.z});
  const float z = (1 - u.y) * (1 + s.z) - s.z, r = std::sqrt(clamp01(1 - z * z)), phi = 2 * pi * u.x;
  const V3f h = V3f(r * std::cos(phi), r * std::sin(phi), z) + s;
  return normalize({h.x * alphaX, h.y * alphaY, std::max(1e-7f, h.z)});
}

bool walkMetal(const Microsurface& m, const MetalBoundary& b, const V3f& wo, RandomStream& random, V3f& wi,
               Color& weight) {
  V3f w = -wo;
  float h = startHeight;
  weight = Color(1.0f);
  for (int i = 0; i < mostBounces; ++i) {
    h = sampleHeight(m, w, h, random.next());
    if (h == away) {
      wi = w;
      return i > 0 && w.z > 0;
    }
    const float u = random.next(), v = random.next();
    const V3f n = m.sampleVisible(-w, {u, v});
    const float c = dot(-w, n);
    weight = weight * b.reflectance(c);
    w = normalize(reflect(-w, n));
    if (!(std::isfinite(h) && finite(w))) return false;
  }
  return false;
}

Color evaluateMetal(const Microsurface& m, const MetalBoundary& b, const V3f& wo, const V3f& wi, RandomStream& random) {
  if (wi.z <= 0 || wo.z <= 0) return Color(0.0f);
  V3f w = -wo;
  float h = startHeight;
  Color weight(1.0f), sum(0.0f);
  for (int i = 0; i < mostBounces; ++i) {
    h = sampleHeight(m, w, h, random.next());
    if (h == away) break;
    float c;
    const float p = phaseMetal(m, -w, wi, c);
    if (p > 0) sum += weight * b.reflectance(c) * (p * heightShadowing(m, wi, h));
    const float u = random.next(), v = random.next();
    const V3f n = m.sampleVisible(-w, {u, v});
    weight = weight * b.reflectance(dot(-w, n));
    w = normalize(reflect(-w, n));
    if (!(std::isfinite(h) && finite(w))) break;
  }
  return finite(sum) ? sum : Color(0.0f);
}

float densityMetal(const Microsurface& m, const V3f& wo, const V3f& wi) {
  if (wi.z <= 0) return 0;
  const V3f h = normalize(wo + wi);
  const float c = dot(wo, h), wide = 0.25f * m.alpha();
  const float single = c > 0 ? 0.25f * m.visiblePdf(wo, h) / c : 0;
  return (1 - wide) * single + wide * wi.z / pi;
}

bool walkGlass(const Microsurface& m, const Boundary& b, const V3f& wo, RandomStream& random, V3f& wi, Color& weight) {
  V3f w = -wo;
  float h = startHeight;
  bool above = true;
  weight = Color(1.0f);
  for (int i = 0; i < mostBounces; ++i) {
    const float u = random.next();
    h = above ? sampleHeight(m, w, h, u) : sampleHeight(m, -w, -h, u);
    if (h == away) {
      wi = w;
      return i > 0 && (w.z > 0) == above && w.z != 0;
    }
    if (!above) h = -h;
    bool next;
    w = scatterGlass(m, b, -w, above, next, weight, random);
    above = next;
    if (!(std::isfinite(h) && finite(w))) return false;
  }
  return false;
}

Color evaluateGlass(const Microsurface& m, const Boundary& b, const V3f& wo, const V3f& wi, RandomStream& random) {
  if (wi.z == 0 || wo.z <= 0) return Color(0.0f);
  V3f w = -wo;
  float h = startHeight;
  Color sum(0.0f), weight(1.0f);
  bool above = true;
  const bool outAbove = wi.z > 0;
  for (int i = 0; i < mostBounces; ++i) {
    const float u = random.next();
    h = above ? sampleHeight(m, w, h, u) : sampleHeight(m, -w, -h, u);
    if (h == away) break;
    if (!above) h = -h;
    const Color p = phaseGlass(m, b, -w, wi, above, outAbove);
    if (!isBlack(p)) sum += p * weight * (outAbove ? heightShadowing(m, wi, h) : heightShadowing(m, -wi, -h));
    bool next;
    w = scatterGlass(m, b, -w, above, next, weight, random);
    above = next;
    if (!(std::isfinite(h) && finite(w))) break;
  }
  return finite(sum) ? sum : Color(0.0f);
}

float densityGlass(const Microsurface& m, float eta, const V3f& wo, const V3f& wi) {
  const float wide = 0.25f * m.alpha(), spread = wide * 0.5f * std::abs(wi.z) / pi;
  float single = 0;
  if (wi.z > 0) {
    const V3f h = normalize(wo + wi);
    const float c = dot(wo, h);
    if (c > 0) single = 0.25f * m.visiblePdf(wo, h) / c * fresnelDielectric(c, eta);
  } else {
    single = phaseGlass(m, Boundary{.eta = eta}, wo, wi, true, false).x;
  }
  return (1 - wide) * single + spread;
}

CoatAlbedo::CoatAlbedo(float eta) : m_albedo(size * cosines), m_mean(size) {
  constexpr int samples = 20; // squared: a stratified grid over visible normals
  for (int r = 0; r < size; ++r) {
    const float roughness = float(r) / (size - 1);
    const Microsurface m(std::max(1e-4f, roughness * roughness));
    double mean = 0;
    for (int c = 0; c < cosines; ++c) {
      const float cosine = std::max(1e-3f, float(c) / (cosines - 1));
      const V3f wo(std::sqrt(1 - cosine * cosine), 0, cosine);
      double sum = 0;
      for (int i = 0; i < samples; ++i)
        for (int j = 0; j < samples; ++j) {
          const V3f h = m.sampleVisible(wo, {(float(i) + 0.5f) / samples, (float(j) + 0.5f) / samples});
          const V3f wi = reflect(wo, h);
          if (wi.z <= 0) continue;
          // Height-correlated masking and shadowing, as the lobe has it.
          const float g = (1 + m.lambda(wo)) / (1 + m.lambda(wo) + m.lambda(wi));
          sum += double(fresnelDielectric(dot(wo, h), eta) * g);
        }
      const double a = sum / (samples * samples);
      m_albedo[size_t(r * cosines + c)] = float(a);
      const double weight = (c == 0 || c == cosines - 1 ? 0.5 : 1.0) / (cosines - 1);
      mean += 2 * a * double(cosine) * weight;
    }
    m_mean[size_t(r)] = float(mean);
  }
}

} // namespace ilumbra
