#include "app/panels/preset_icons.h"

#include "core/document/inputs.h"
#include "core/geometry/no_assets.h"
#include "core/pattern/presets.h"
#include "core/session/pattern_swatch.h"

namespace ilumbra {
namespace {

constexpr int side = 44;

QImage drawn(const PatternPreset& preset, const std::shared_ptr<const Kinds>& kinds, const SwatchPlaces& places) {
  NodeId made = 0;
  Document doc = addPatternPreset(Document::create(kinds), preset, &made);
  if (!preset.shines) doc = setInput(doc, made, "under it", Constant(Triple{0.25, 0.25, 0.26}));
  const NoAssets none;
  const PatternSwatch s =
      patternSwatch(places, doc, {made, nullptr}, *kinds->find("material.surface")->param("base_color"), none);
  return QImage(s.rgba.data(), side, side, 4 * side, QImage::Format_RGBA8888).copy();
}

QList<QImage>& kept() {
  static QList<QImage> all;
  return all;
}

} // namespace

void drawPresets(Studio& studio) {
  if (!kept().isEmpty()) return;
  studio.background(QObject::tr("Drawing presets"),
                    [kinds = studio.kinds()](const CancelFlag& cancel) -> std::function<void()> {
                      const SwatchPlaces places =
                          swatchPlaces(nullptr, Document::create(kinds), {}, SwatchOn::Ball, side, side, &cancel);
                      QList<QImage> images;
                      for (const PatternPreset& p : patternPresets()) images.push_back(drawn(p, kinds, places));
                      return [images] { kept() = images; };
                    },
                    {.lane = QStringLiteral("presets"), .matters = false, .told = false});
}

const QList<QImage>& presetPictures() { return kept(); }

} // namespace ilumbra
