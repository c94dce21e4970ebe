#include "core/transport/shadow_transmittance.h"

#include "core/scene/media.h"
#include "core/surface/fresnel.h"
#include "core/transport/body_absorption.h"

namespace ilumbra {

namespace {

// Clear things without an inside (open or thin) end at once.
constexpr int mostCrossings = 64;

} // namespace

Color clearTransmittance(PathState& path, V3f o, const V3f& d, float far, const Hit* first, MediumStack inside,
                         const Instance* own, const Emitter* lamp, uint16_t& last) {
  Color v(1.0f);
  float stretch = 1, entered = -1;
  std::array<const Instance*, 4> veils{};
  for (int i = 0; i < mostCrossings; ++i) {
    Hit h;
    bool met = first;
    if (i == 0 && first)
      h = *first;
    else if (i > 0)
      met = path.rays.intersectClear(o, d, far, h);
    const MediumStack::Body* medium = inside.current();
    Color a(1.0f);
    if (medium && (met || std::isfinite(far))) {
      if (medium->scatters) return Color(0.0f);
      a = bodyTransmittance(path, *medium, o, d, met ? h.distance : far, stretch);
      v *= a;
    }
    if (path.scene.media && (!medium || path.scene.media->anyWithin()))
      v *= mediaTransmittance(path, o, d, met ? h.distance : far, medium ? bodyOf(path, *medium) : 0);
    if (!met) return v;
    const ShadingPoint g = shadingPointAt(path, h, d, path.footprint, veils);
    const Material& m = *g.material;
    const bool leaving = dot(d, h.geometric) > 0, body = m.hasInside() && h.object->closed;
    Color through(0.0f);
    if (m.mayPassLight() && (lamp ? lamp->through(*h.object) : h.object->lightThrough) == LightThrough::Straight &&
        h.instance != own && g.opacity > 0) {
      const float clear = clamp01(m.transmission.real(g.at)) * (1 - clamp01(m.metalness.real(g.at)));
      const float cosine = std::abs(dot(d, h.shading));
      if (m.thin) {
        const float r = fresnelDielectric(cosine, m.ior), back = 2 * r / (1 + r);
        through = m.baseColor.color(g.at) * (clear * (1 - back));
      } else if (body) {
        const MediumStack::Body* other = inside.current(h.instance);
        const bool hidden = other && MediumStack::outranks(*other, h.instance, &m);
        const float outer = other ? other->material->indexAt(path.wavelength) : 1.0f,
                    eta = leaving ? outer / m.indexAt(path.wavelength) : m.indexAt(path.wavelength) / outer;
        if (hidden) {
          through = Color(1.0f);
        } else if (!leaving) {
          const float r = fresnelDielectric(cosine, eta);
          through = Color(clear * (1 - r));
          stretch = cosine / std::sqrt(std::max(1e-6f, 1 - (1 - cosine * cosine) / (eta * eta)));
          entered = r;
        } else {
          // By symmetry the way out reflects as the way in did; what goes back and forth inside is summed. Light that
          // started inside is taken to come in along the same line.
          const float r = entered >= 0 ? entered : fresnelDielectric(cosine, 1 / eta);
          for (int c = 0; c < 3; ++c) through[c] = clear * (1 - r) / (entered >= 0 ? 1 - sqr(r * a[c]) : 1);
          stretch = 1;
          entered = -1;
        }
        if (leaving)
          inside.leave(h.instance);
        else
          inside.enter({h.instance, &m, false});
      }
    }
    const float o1 = g.opacity;
    if (!isBlack(through)) last = h.object->thingAt(h.instance->index);
    v *= Color(1 - o1 * (1 - (m.veil.keys.empty() ? 0 : m.veil.additive))) + through * o1;
    if (maxComponent(v) <= 0) return Color(0.0f);
    if (m.veil.frontOnly && !leaving) veils[size_t(i) % veils.size()] = h.instance;
    const V3f next = offset(h.point, leaving ? h.geometric : -h.geometric);
    far -= dot(next - o, d);
    o = next;
    if (far <= 0) return v;
  }
  return Color(0.0f);
}

Color mediaTransmittance(PathState& path, const V3f& from, const V3f& direction, float far, NodeId body) {
  RayMedia way;
  path.scene.media->along(from, direction, far, way, body);
  if (way.empty()) return Color(1.0f);
  return path.draft ? path.scene.media->meanTransmittance(way, far)
                    : path.scene.media->transmittance(way, from, direction, far, path.random);
}

} // namespace ilumbra
