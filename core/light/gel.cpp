// What is put before a light: its pattern multiplies what leaves it.
#include "core/base/colorspace.h"
#include "core/light/light.h"

namespace ilumbra {
namespace {

// Samples and densities stay those of the light: a gel takes away and never moves.
class GelledLight : public Light {
 public:
  GelledLight(std::unique_ptr<Light> light, std::shared_ptr<const Program> gel, const M44f& toLight)
      : m_light(std::move(light)), m_gel(std::move(gel)), m_toLight(toLight) {}
  bool sample(const V3f& from, const V2f& u, LightSample& s) const override {
    if (!m_light->sample(from, u, s)) return false;
    s.radiance *= through(infinite() ? from : from + s.direction * s.distance, -s.direction);
    return !isBlack(s.radiance);
  }
  float pdf(const V3f& from, const V3f& direction, float distance, const LightHit& hit) const override {
    return m_light->pdf(from, direction, distance, hit);
  }
  Color radiance(const V3f& at, const V3f& direction, const V3f& normal) const override {
    return m_light->radiance(at, direction, normal) * through(at, -direction);
  }
  PatternPoint patternPoint(const V3f& at, const V3f& away, const M44f& toLight) const override {
    return m_light->patternPoint(at, away, toLight);
  }
  const Shape* shape() const override { return m_light->shape(); }
  bool infinite() const override { return m_light->infinite(); }
  LightReach reach() const override { return m_light->reach(); }
  const Convex* lit() const override { return m_light->lit(); }
  float illuminance() const override { return m_light->illuminance(); }

 private:
  Color through(const V3f& at, const V3f& away) const {
    const Sample4 v = m_gel->evaluate(m_light->patternPoint(at, away, m_toLight));
    Color c(v.x * v.w, v.y * v.w, v.z * v.w);
    for (int k = 0; k < 3; ++k)
      if (!(c[k] > 0) || !std::isfinite(c[k])) c[k] = 0;
    return c;
  }
  std::unique_ptr<Light> m_light;
  std::shared_ptr<const Program> m_gel;
  M44f m_toLight;
};

} // namespace

PatternPoint Light::patternPoint(const V3f& at, const V3f& away, const M44f& toLight) const {
  PatternPoint p;
  const V3f d = normalize(transformVector(toLight, infinite() ? -away : away));
  p.position = p.normal = d;
  p.world = at;
  p.facing = away;
  p.uv = {std::atan2(-d.z, d.x) / (2 * pi) + 0.5f, 0.5f + std::asin(std::clamp(d.y, -1.0f, 1.0f)) / pi};
  return p;
}

std::shared_ptr<const Program> gelOf(const Document& doc, const Params& p, const Assets& assets) {
  if (const auto use = p.pattern("gel"))
    return std::make_shared<const Program>(Program::compile(doc, use->pattern, p.frame(), assets, true));
  const Triple clear = {1, 1, 1}, color = p.triple("gel");
  return color == clear ? nullptr : std::make_shared<const Program>(Program::plain(working(color)));
}

std::unique_ptr<Light> throughGel(std::unique_ptr<Light> light, std::shared_ptr<const Program> gel, const Params& p,
                                  const M44f& world) {
  if (!gel) return light;
  const M44f own = p.node().kind->param("target") ? aimMatrix(p) * world : world;
  return std::make_unique<GelledLight>(std::move(light), std::move(gel), own.inverse());
}

} // namespace ilumbra
