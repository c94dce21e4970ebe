#include "core/kinds.h"

#include "core/air/haze.h"
#include "core/compile/balance.h"
#include "core/compile/camera.h"
#include "core/compile/part.h"
#include "core/compile/plate.h"
#include "core/document/drawn_curve.h"
#include "core/effects/effect.h"
#include "core/geometry/form.h"
#include "core/lens/area.h"
#include "core/light/light.h"
#include "core/pattern/outline.h"
#include "core/pattern/program.h"
#include "core/pattern/zone.h"
#include "core/surface/material.h"

namespace ilumbra {

std::shared_ptr<const Kinds> allKinds() {
  std::vector<Kind> all = {pictureKind()};
  for (EffectKind& e : allEffects()) all.push_back(std::move(e.kind));
  for (LightKind& l : allLights()) all.push_back(std::move(l.kind));
  for (ShapeKind& s : allShapes()) {
    if (s.changesByTime) s.kind.changesByTime = s.changesByTime;
    all.push_back(std::move(s.kind));
  }
  all.push_back(profilePointKind());
  all.push_back(pathPointKind());
  all.push_back(waterWaveKind());
  all.push_back(waterRingKind());
  for (ModifierKind& m : allModifiers()) {
    m.kind.changesByTime = m.changesByTime;
    all.push_back(std::move(m.kind));
  }
  for (Kind& k : allMaterials()) all.push_back(std::move(k));
  for (PatternKind& k : allPatterns()) {
    // What patterns run between are values: a turn, a depth or an anisotropy lies on both sides of 0.
    for (ParamDef& d : k.kind.params)
      if (d.type == ParamType::Color && d.hardMin == 0) d.hardMin = -d.hardMax;
    all.push_back(std::move(k.kind));
  }
  all.push_back(outlinePointKind("outline.point", Invalidation::Shading));
  all.push_back(zoneKind());
  for (AirKind& k : allAirs()) all.push_back(std::move(k.kind));
  all.push_back(partKind());
  for (Kind& k : allBalances()) all.push_back(std::move(k));
  for (Kind& k : allCameras()) all.push_back(std::move(k));
  all.push_back(plateKind());
  all.push_back(pictureLayerKind());
  for (LensStage& s : allStages()) all.push_back(std::move(s.kind));
  for (Kind& k : allAreas()) all.push_back(std::move(k));
  for (Kind& k : curvePointKinds()) all.push_back(std::move(k));
  all.push_back(ghostElementKind());
  // What no place of a thing can have for itself may still run with time, or follow another thing.
  for (Kind& k : all)
    if (const auto family = k.family();
        family == "material" || family == "air" || family == "light" || family == "lens" || family == "plate")
      for (ParamDef& d : k.params)
        if (d.keyable && !d.patternable && d.patternedAt.empty() &&
            (d.type == ParamType::Number || d.type == ParamType::Color))
          d.patternable = d.evenOnly = true;
  return std::make_shared<const Kinds>(std::move(all));
}

} // namespace ilumbra
