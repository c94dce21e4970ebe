#include "core/base/vec.h"

#include <ImathEuler.h>
#include <ImathMatrixAlgo.h>

namespace ilumbra {

M44f placement(const V3f& position, const V3f& turn, const V3f& size) {
  M44f scale, translate;
  scale.setScale(size);
  translate.setTranslation(position);
  const Imath::Eulerf euler(turn * (pi / 180.0f), Imath::Eulerf::XYZ);
  return scale * euler.toMatrix44() * translate;
}

bool unplace(const M44f& m, V3f& position, V3f& turn, V3f& size) {
  V3f shear, angles;
  M44f copy = m;
  if (!Imath::extractSHRT(copy, size, shear, angles, position, false)) return false;
  turn = angles * (180.0f / pi);
  return length(shear) < 1e-4f;
}

} // namespace ilumbra
