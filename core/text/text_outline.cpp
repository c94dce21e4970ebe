#include "core/text/text_outline.h"

#include "core/base/error.h"

#include <ft2build.h>
#include FT_FREETYPE_H
#include FT_OUTLINE_H
#include <hb-ft.h>
#include <hb.h>
#include <memory>

namespace ilumbra {
namespace {

constexpr int curveSteps = 10;

struct Pen {
  std::vector<std::vector<V2f>>& rings;
  V2f origin;
  float scale;
  V2f last{0, 0};
  V2f place(const FT_Vector* v) const { return origin + V2f(float(v->x), float(v->y)) * scale; }
  void to(const V2f& p) {
    if (rings.empty()) return;
    if (rings.back().empty() || rings.back().back() != p) rings.back().push_back(p);
    last = p;
  }
};

int moveTo(const FT_Vector* to, void* user) {
  Pen& pen = *static_cast<Pen*>(user);
  pen.rings.emplace_back();
  pen.to(pen.place(to));
  return 0;
}
int lineTo(const FT_Vector* to, void* user) {
  Pen& pen = *static_cast<Pen*>(user);
  pen.to(pen.place(to));
  return 0;
}
int conicTo(const FT_Vector* control, const FT_Vector* to, void* user) {
  Pen& pen = *static_cast<Pen*>(user);
  const V2f a = pen.last, b = pen.place(control), c = pen.place(to);
  for (int i = 1; i <= curveSteps; ++i) {
    const float t = float(i) / curveSteps;
    pen.to(i == curveSteps ? c : a * sqr(1 - t) + b * (2 * t * (1 - t)) + c * sqr(t));
  }
  return 0;
}
int cubicTo(const FT_Vector* c1, const FT_Vector* c2, const FT_Vector* to, void* user) {
  Pen& pen = *static_cast<Pen*>(user);
  const V2f a = pen.last, b = pen.place(c1), c = pen.place(c2), d = pen.place(to);
  for (int i = 1; i <= curveSteps; ++i) {
    const float t = float(i) / curveSteps, s = 1 - t;
    pen.to(i == curveSteps ? d : a * (s * s * s) + b * (3 * s * s * t) + c * (3 * s * t * t) + d * (t * t * t));
  }
  return 0;
}

template <typename T, void (*destroy)(T*)> struct Destroyer {
  void operator()(T* t) const { destroy(t); }
};

struct Library {
  FT_Library library = nullptr;
  FT_Face face = nullptr;
  ~Library() {
    if (face) FT_Done_Face(face);
    if (library) FT_Done_FreeType(library);
  }
};

} // namespace

TextOutline outlineOf(const std::string& bytes, const std::string& line, float tracking) {
  Library l;
  if (FT_Init_FreeType(&l.library)) throw badInput("there is no memory for the font");
  if (FT_New_Memory_Face(l.library, reinterpret_cast<const FT_Byte*>(bytes.data()), FT_Long(bytes.size()), 0, &l.face))
    throw badInput("is not a font");
  if (!FT_IS_SCALABLE(l.face)) throw badInput("is a font without outlines");
  const auto units = float(std::max<int>(1, l.face->units_per_EM));
  FT_Set_Char_Size(l.face, l.face->units_per_EM * 64, 0, 72, 72); // a unit is 64
  const std::unique_ptr<hb_font_t, Destroyer<hb_font_t, hb_font_destroy>> font(hb_ft_font_create(l.face, nullptr));
  hb_ft_font_set_load_flags(font.get(), FT_LOAD_NO_HINTING | FT_LOAD_NO_BITMAP);
  const std::unique_ptr<hb_buffer_t, Destroyer<hb_buffer_t, hb_buffer_destroy>> buffer(hb_buffer_create());
  hb_buffer_add_utf8(buffer.get(), line.data(), int(line.size()), 0, int(line.size()));
  hb_buffer_guess_segment_properties(buffer.get());
  hb_shape(font.get(), buffer.get(), nullptr, 0);
  unsigned n = 0;
  const hb_glyph_info_t* glyphs = hb_buffer_get_glyph_infos(buffer.get(), &n);
  const hb_glyph_position_t* places = hb_buffer_get_glyph_positions(buffer.get(), &n);
  TextOutline out;
  const float scale = 1 / (64 * units);
  V2f at(0, 0);
  const FT_Outline_Funcs funcs{moveTo, lineTo, conicTo, cubicTo, 0, 0};
  for (unsigned i = 0; i < n; ++i) {
    if (FT_Load_Glyph(l.face, glyphs[i].codepoint, FT_LOAD_NO_HINTING | FT_LOAD_NO_BITMAP))
      throw badInput("has a glyph that cannot be read");
    if (l.face->glyph->format == FT_GLYPH_FORMAT_OUTLINE) {
      Pen pen{out.rings, at + V2f(float(places[i].x_offset), float(places[i].y_offset)) * scale, scale};
      FT_Outline_Decompose(&l.face->glyph->outline, &funcs, &pen);
    }
    at += V2f(float(places[i].x_advance), float(places[i].y_advance)) * scale;
    if (i + 1 < n) at.x += tracking;
  }
  for (auto& ring : out.rings)
    while (ring.size() > 1 && ring.back() == ring.front()) ring.pop_back();
  std::erase_if(out.rings, [](const auto& ring) { return ring.size() < 3; });
  out.width = at.x;
  return out;
}

TextOutline outlineOfLines(const std::string& words, float align, float leading,
                           const std::function<TextOutline(const std::string& line)>& outline) {
  TextOutline all;
  for (size_t at = 0, row = 0; at <= words.size(); ++row) {
    const size_t end = std::min(words.find("\\n", at), words.size());
    const std::string line = words.substr(at, end - at);
    at = end + 2;
    if (line.empty()) continue;
    TextOutline o = outline(line);
    const V2f shift(-align * o.width, -float(row) * leading);
    for (auto& ring : o.rings) {
      for (V2f& q : ring) q += shift;
      all.rings.push_back(std::move(ring));
    }
    all.width = std::max(all.width, o.width);
  }
  return all;
}

} // namespace ilumbra
