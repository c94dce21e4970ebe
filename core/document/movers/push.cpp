#include "core/document/movers/parts.h"

#include <algorithm>

namespace ilumbra::movers {

MoverKind push() {
  return {.id = "push",
          .label = "Push in",
          .helpText = "Nearer to a place; of a camera: to what it looks at",
          .params =
              {vector("about", "To", "m", {0, 0, 0}).soft(-5, 5).help("The place that it comes nearer to"),
               number("by", "By", "%", 0.3).soft(-1, 1).range(-100, 1).help("Of the way there; below 0 it draws back"),
               periodDef(240, "The frames in which it goes that far, or there and back"),
               choice("way", "Goes", {"once", "there and back"})
                   .help("once: it begins and ends gently, and stays. there and back: again and again")},
          .moves = isPlace,
          .move =
              [](const MoverParams& p, double frame, const Triple& v, bool back) {
                const double t = (frame - 1) / p.number("period"), once = std::clamp(t, 0.0, 1.0);
                const double gone =
                    p.text("way") == "once" ? once * once * (3 - 2 * once) : 0.5 - 0.5 * std::cos(twoPi * t);
                const double left = 1 - p.number("by") * gone;
                if (back && !(left > 0)) return v;
                const Triple about = p.triple("about");
                return plus(about, plus(v, about, -1), back ? 1 / left : left);
              },
          .period =
              [](const MoverParams& p) {
                return p.number("by") == 0 ? 1 : p.text("way") == "once" ? 0 : p.number("period");
              },
          .handles = {{MoverHandle::Shape::Centre, "about"}}};
}

} // namespace ilumbra::movers
