#include "core/transport/body_absorption.h"

#include "core/base/attenuation.h"

namespace ilumbra {

Color bodyTransmittance(PathState& path, const MediumStack::Body& body, const V3f& origin, const V3f& direction,
                        float metres, float stretch) {
  const Material& m = *body.material;
  const Color most = m.interior.absorption * stretch;
  if (isBlack(most)) return Color(1.0f);
  if (!m.tint) return attenuation(most, metres);
  const Instance& copy = *body.instance;
  PatternPoint at = pointOn(path.scene.objects[copy.object], copy.index);
  const M44f& toObject = copy.motion ? path.rays.shutterTime().of(*copy.motion).toObject : copy.toObject;
  const float rate = maxComponent(most);
  Color out(1.0f);
  for (float t = 0;;) {
    t -= std::log(1 - path.random.next()) / rate;
    if (t >= metres) return out;
    at.world = origin + direction * t;
    at.position = transformPoint(toObject, at.world);
    at.uv = {at.position.x, at.position.y};
    const Sample4 v = m.tint->evaluate(at);
    const Color taken = absorptionOfTint({v.x, v.y, v.z}, m.tintDepth) * stretch;
    for (int c = 0; c < 3; ++c) out[c] *= 1 - std::min(taken[c], most[c]) / rate;
    // What is as good as dark ends by chance, and what does not stands for it.
    if (const float left = maxComponent(out); left < 0.02f) {
      if (path.random.next() >= left * 50) return Color(0.0f);
      out *= 1 / (left * 50);
    }
  }
}

} // namespace ilumbra
