// Letters as a pattern: to engrave, to glow, to be a mask.
#include "core/pattern/outline_node.h"
#include "core/text/text_outline.h"

namespace ilumbra {
PatternKind textPattern() {
  return {
      {.id = "pattern.text",
       .label = "Letters",
       .helpText =
           "Words as a pattern: to glow, to be engraved or painted, or to be a mask. A drawing in a file does the "
           "same by Image.",
       .params = join(
           {{text("text", "Text", "Ilumbra").matters().help("What it says; \\n begins a new line"),
             choice("face", "Typeface", {"Manrope bold", "EB Garamond"}).help("One that ships"),
             file("font", "Font file").help("Any TrueType or OpenType font instead"), spaceParam(1),
             number("size", "Size", "m", 0.12)
                 .soft(0.005, 1)
                 .range(1e-6, 1e6)
                 .log()
                 .matters()
                 .help("Of the font: from line to line, about; in texture or picture widths where it lies in those"),
             edgeParam(0.002),
             number("tracking", "Spacing", "em", 0).soft(-0.1, 0.5).range(-1, 10).help("Added between letters"),
             number("leading", "Lines", "em", 1.15).soft(0.8, 2).range(0, 10).help("From line to line"),
             choice("align", "Aligned", {"centre", "left", "right"}).help("Of lines to each other and to the middle"),
             choice("shows", "Shows", {"in front", "in front and behind"})
                 .when("space", "object")
                 .help("On what faces the object's own +z alone, or also, the wrong way round, behind")},
            shapeColors("Beside the letters", "In the letters")}),
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        const PatternSpace space = spaceOf(p);
        const std::string file = p.text("font"), align = p.text("align");
        const float size = p.real("size"), tracking = p.real("tracking"), leading = p.real("leading");
        TextOutline all = outlineOfLines(p.text("text"),
                                         align == "left"    ? 0.0f
                                         : align == "right" ? 1.0f
                                                            : 0.5f,
                                         leading, [&](const std::string& line) {
                                           return file.empty() ? outlineOf(shippedFont(p.text("face")), line, tracking)
                                                               : c.assets().outline(file, line, tracking);
                                         });
        float low = 1e30f, high = -1e30f;
        for (const auto& ring : all.rings)
          for (const V2f& q : ring) {
            low = std::min(low, q.y);
            high = std::max(high, q.y);
          }
        // In the middle of its space by height.
        for (auto& ring : all.rings)
          for (V2f& q : ring) q = V2f(q.x, q.y - 0.5f * (low + high)) * size;
        const int edge = c.amount(p, "edge"), beside = c.input(p, "low"), within = c.input(p, "high");
        const Sample4* even = c.constantAt(edge);
        OutlineNode form;
        form.outline = std::make_shared<PlaneOutline>(all.rings, std::max(0.25f * size, even ? 0.5f * even->x : 0));
        if (form.outline->empty()) return beside;
        if (space == PatternSpace::Texture || space == PatternSpace::Camera) form.middle = {0.5f, 0.5f};
        form.frontOnly = space == PatternSpace::Object && p.text("shows") == "in front";
        return c.emit(std::move(form), {c.place(space), edge, beside, within});
      }};
}

} // namespace ilumbra
