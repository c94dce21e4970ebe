#include "app/panels/pattern_pictures.h"

#include "core/base/error.h"
#include "core/placing/driving.h"
#include "core/session/pattern_swatch.h"

#include <QAction>

namespace ilumbra {
namespace {
constexpr int side = 44;
}

void drawPatternChoices(Studio& studio, const Address& address, std::vector<PatternChoice> choices) {
  static uint64_t asked = 0;
  const auto work = [address, choices = std::move(choices), doc = studio.doc(), scene = studio.session().scene(),
                     assets = studio.assets()](const CancelFlag& cancel) -> std::function<void()> {
    const FileAssets files = assets.assets(doc.folder(), &cancel);
    const std::vector<NodeId> things = {showing(doc, address.node).front()}; // one of them shows it
    const SwatchPlaces places = swatchPlaces(scene.get(), doc, things, SwatchOn::Object, side, side, &cancel);
    std::vector<QImage> pictures;
    for (const PatternChoice& c : choices) {
      pictures.emplace_back();
      try {
        const Document put = c.put(doc, scene.get());
        const Value now = valueAt(put, address);
        if (!now.pattern()) continue;
        const PatternSwatch s = patternSwatch(places, put, now.pattern()->pattern, definitionAt(put, address), files);
        pictures.back() = QImage(s.rgba.data(), side, side, 4 * side, QImage::Format_RGBA8888).copy();
      } catch (const Error& e) {
        if (e.kind() == ErrorKind::Cancelled) throw; // and what cannot be made has no picture
      }
    }
    return [choices, pictures] {
      for (size_t i = 0; i < choices.size(); ++i)
        if (choices[i].action && !pictures[i].isNull()) choices[i].action->setIcon(QPixmap::fromImage(pictures[i]));
    };
  };
  studio.background(QObject::tr("Drawing patterns"), work,
                    {.lane = QStringLiteral("choices %1").arg(++asked), .matters = false, .told = false});
}

} // namespace ilumbra
