#include "core/compile/plate.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/base/tasks.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/film/film.h"
#include "core/pattern/coordinates.h"
#include "core/pattern/image.h"
#include "core/pattern/playback.h"
#include "core/pattern/program.h"

#include <fmt/format.h>
#include <tuple>

namespace ilumbra {

Kind plateKind() {
  return {
      .id = "plate.picture",
      .label = "Plate",
      .helpText = "What lies behind the scene or before it: a still, a numbered sequence, a movie, a colour, a "
                  "gradient or a pattern.",
      .params = join(
          {{choice("shows", "Shows", {"picture", "colour", "line gradient", "round gradient"})
                .at(Invalidation::Shading)
                .matters()
                .help("What it is made of"),
            file("file", "Picture")
                .at(Invalidation::Shading)
                .matters()
                .when("shows", "picture")
                .help("PNG, JPEG, OpenEXR, HDR, TIFF, SVG, or a movie"),
            color("color", "Colour", {0.02, 0.025, 0.04})
                .soft(0, 1)
                .patterned()
                .at(Invalidation::Shading)
                .matters()
                .when("shows", "colour|line gradient|round gradient")
                .help("Of all of it, or of a gradient's start; a pattern lies over the whole picture"),
            color("color_end", "Colour at the end", {0.2, 0.25, 0.4})
                .soft(0, 1)
                .at(Invalidation::Shading)
                .when("shows", "line gradient|round gradient")
                .help("Of a gradient"),
            number("start_x", "Starts across", "%", 0.5)
                .soft(0, 1)
                .range(-100, 100)
                .at(Invalidation::Shading)
                .in("Gradient")
                .when("shows", "line gradient|round gradient")
                .help("Of the frame's width, from the left; the middle of a round gradient"),
            number("start_y", "Starts up", "%", 0)
                .soft(0, 1)
                .range(-100, 100)
                .at(Invalidation::Shading)
                .in("Gradient")
                .when("shows", "line gradient|round gradient")
                .help("Of the frame's height, from below"),
            number("end_x", "Ends across", "%", 0.5)
                .soft(0, 1)
                .range(-100, 100)
                .at(Invalidation::Shading)
                .in("Gradient")
                .when("shows", "line gradient|round gradient")
                .help("A round gradient ends all around at this distance"),
            number("end_y", "Ends up", "%", 1)
                .soft(0, 1)
                .range(-100, 100)
                .at(Invalidation::Shading)
                .in("Gradient")
                .when("shows", "line gradient|round gradient")
                .help("Of the frame's height, from below"),
            choice("fit", "Fit", {"fill", "fit", "stretch"})
                .at(Invalidation::Shading)
                .in("Picture")
                .when("shows", "picture")
                .help("How its shape meets that of the frame"),
            number("scale", "Scale", "×", 1)
                .soft(0.25, 4)
                .range(1e-3, 1e3)
                .log()
                .at(Invalidation::Shading)
                .in("Picture")
                .when("shows", "picture")
                .help("Of the picture, about its middle"),
            number("offset_x", "To the right", "%", 0)
                .soft(-1, 1)
                .range(-100, 100)
                .at(Invalidation::Shading)
                .in("Picture")
                .when("shows", "picture")
                .help("Of the frame's width"),
            number("offset_y", "Upwards", "%", 0)
                .soft(-1, 1)
                .range(-100, 100)
                .at(Invalidation::Shading)
                .in("Picture")
                .when("shows", "picture")
                .help("Of the frame's height"),
            number("turn_by", "Turn", "°", 0)
                .soft(-180, 180)
                .at(Invalidation::Shading)
                .in("Picture")
                .when("shows", "picture")
                .help("About its middle"),
            choice("color_space", "Colour space", {"as the file states", "linear Rec. 709", "ACEScg"})
                .at(Invalidation::Shading)
                .in("Picture")
                .when("shows", "picture")
                .help("What its numbers mean"),
            flag("use_alpha", "Its alpha counts", true)
                .at(Invalidation::Shading)
                .in("Picture")
                .when("shows", "picture")
                .help("Off: it covers the frame all over"),
            number("stops", "Exposure", "stops", 0)
                .soft(-6, 6)
                .range(-30, 30)
                .at(Invalidation::Shading)
                .matters()
                .help("Its own: the camera's does not change it"),
            number("opacity", "Opacity", "", 1).range(0, 1).at(Invalidation::Shading).help("How much of it is there"),
            number("coverage", "Coverage", "%", 1)
                .range(0, 1)
                .patterned()
                .at(Invalidation::Shading)
                .matters()
                .help("Its alpha from place to place: with a mist in the picture's space it drifts over what "
                      "lies behind"),
            integer("fineness", "Fineness", 320)
                .soft(100, 2000)
                .range(0, 16384)
                .when("coverage", "a pattern")
                .at(Invalidation::Shading)
                .help("Of an uneven coverage: so many places across the picture are asked, and it lies smooth "
                      "between them; 0: every pixel is"),
            choice("pattern_scale", "Pattern scale", {"even", "with the frame"})
                .at(Invalidation::Shading)
                .help("Of patterns on its colour and coverage, in the picture's space: as wide as high "
                      "whatever the frame's shape, or stretched with it"),
            choice("lies", "Lies", {"behind", "in front"}).at(Invalidation::Shading).help("Of the render"),
            flag("shown", "Shown", true)
                .at(Invalidation::Shading)
                .help("Off: as if it were not there; files then have their own alpha"),
            number("focal_length", "Its focal length", "mm", 0)
                .soft(10, 200)
                .range(0, 10000)
                .fixed()
                .at(Invalidation::Display)
                .in("Camera match")
                .help("Of the lens that took it, on a film as wide as the camera's; 0: not known"),
            number("horizon", "Its horizon", "%", 0.5)
                .soft(0, 1)
                .range(-10, 10)
                .fixed()
                .at(Invalidation::Display)
                .in("Camera match")
                .help("Height at which the picture's horizon lies, from the lower edge"),
            flag("numbered", "Numbered files", false)
                .at(Invalidation::Shading)
                .in("Playback")
                .when("shows", "picture")
                .help("The picture is one of a numbered sequence")},
           [] {
             std::vector<ParamDef> played = playbackParams(Invalidation::Shading);
             for (ParamDef& d : played) d.onlyIf = "shows", d.onlyAt = "picture";
             return played;
           }()}),
      .existence = Invalidation::Shading,
      .changesByTime = isPlayed};
}

Kind pictureLayerKind() {
  return {
      .id = "layer.picture",
      .label = "Picture layer",
      .helpText = "A part of a plate's picture as a source for effects and lens stages: a layer of its light, a mask, "
                  "or what its Cryptomattes name.",
      .params =
          {reference("of", "Of", {"plate."})
               .at(Invalidation::Shading)
               .matters()
               .help("The plate whose picture has the layer"),
           text("layer", "Layer", "")
               .at(Invalidation::Shading)
               .fixed()
               .matters()
               .help("Name of a layer of light, a mask or an object of a Cryptomatte in the file; nothing: all of it")},
      .existence = Invalidation::Shading};
}

namespace {

// True if a list names this: its light is taken, or something acts on it.
bool named(const Document& doc, NodeId id) {
  for (const NodePtr& n : doc.nodes())
    for (const ParamDef& d : n->kind->params)
      if (d.type == ParamType::References)
        for (const Reference& r : Params(*n, currentFrame(doc)).references(d.name))
          if (r.target == id) return true;
  return false;
}

struct Texel {
  Color light{0.0f};
  float alpha = 0;
  float there = 0; ///< how much of the plate is, its own alpha aside
};

enum class Shows { Picture, Colour, LineGradient, RoundGradient };

class Painter {
 public:
  Painter(const Document& doc, const Params& p, int width, int height, const Assets& assets, bool quick)
      : m_p(p), m_aspect(float(width) / float(height)), m_pixel(1 / float(width)) {
    m_gain = std::exp2(p.real("stops"));
    m_opacity = p.real("opacity");
    m_even = p.text("pattern_scale") == "even";
    m_shows = choiceOf<Shows>(p, "shows");
    if (const auto use = p.pattern("coverage"))
      spread(Program::compile(doc, use->pattern, p.frame(), assets, false), width, height, quick);
    else
      m_opacity *= p.real("coverage");
    if (m_shows == Shows::Picture) {
      if (p.text("file").empty()) throw badInput("no picture is named");
      m_image = shownImage(p, doc, assets);
      const float own = float(m_image->width()) / float(m_image->height());
      const std::string fit = p.text("fit");
      // Picture widths and heights to a frame's.
      if (fit != "stretch")
        ((own > m_aspect) == (fit == "fill") ? m_wide : m_high) =
            (own > m_aspect) == (fit == "fill") ? m_aspect / own : own / m_aspect;
      const std::string space = p.text("color_space");
      m_decode = space == "as the file states";
      m_rec709 = space == "linear Rec. 709";
      m_offset = {p.real("offset_x"), p.real("offset_y")};
      const float a = p.real("turn_by") * pi / 180;
      m_cos = std::cos(a);
      m_sin = std::sin(a);
      m_scale = p.real("scale");
      m_alpha = p.flag("use_alpha");
      m_associated = m_image->associated();
      for (const Node* l : doc.family("layer")) {
        const Params layer(*l, p.frame());
        if (layer.reference("of").target != p.node().id) continue;
        try {
          m_layers.push_back(
              {l->id, assets.share(shownFile(p, doc, assets), layer.text("layer")), layer.text("layer").empty()});
        } catch (const Error& e) {
          if (e.kind() == ErrorKind::Cancelled) throw;
          throw badInput(fmt::format("{}: {}", l->name, e.what()));
        }
      }
      return;
    }
    if (const auto use = p.pattern("color"))
      m_program = std::make_shared<const Program>(Program::compile(doc, use->pattern, p.frame(), assets, true));
    else
      m_color = acescgFrom709(triple("color"));
    m_end = acescgFrom709(triple("color_end"));
    m_start = {p.real("start_x"), p.real("start_y")};
    m_stop = {p.real("end_x"), p.real("end_y")};
  }

  // x to the right and y upwards, both from 0 to 1.
  Texel at(float x, float y) const {
    Texel t;
    if (m_shows == Shows::Picture) {
      const V2f uv = inPicture(x, y);
      const float u = uv.x, v = uv.y;
      if (u < 0 || u > 1 || v < 0 || v > 1) return t;
      // Beyond the middle of its outermost texels the picture would be mixed with its other side.
      const float rimX = 0.5f / float(m_image->width()), rimY = 0.5f / float(m_image->height());
      const Sample4 texel = m_image->lookup(std::clamp(u, rimX, 1 - rimX), std::clamp(v, rimY, 1 - rimY), m_decode,
                                            m_pixel * std::max(m_wide, m_high) / m_scale);
      t.light = Color(texel.x, texel.y, texel.z);
      if (m_rec709) t.light = acescgFrom709(t.light);
      t.alpha = m_alpha ? clamp01(texel.w) : 1;
    } else {
      Color c = m_color;
      if (m_program) {
        const Sample4 v = m_program->evaluate(patternAt(x, y));
        c = {v.x, v.y, v.z};
      }
      if (m_shows != Shows::Colour) {
        const V3f way((m_stop.x - m_start.x) * m_aspect, m_stop.y - m_start.y, 0),
            here((x - m_start.x) * m_aspect, y - m_start.y, 0);
        const float reach = length(way);
        const float k = reach > 0 ? clamp01(m_shows == Shows::LineGradient ? dot(here, way) / (reach * reach)
                                                                           : length(here) / reach)
                                  : 1.0f;
        c = mix(c, m_end, k);
      }
      t.light = c;
      t.alpha = 1;
    }
    t.there = m_opacity * (m_cover.empty() ? 1 : coverage(x, y));
    t.light *= m_gain * t.there * (m_associated ? 1 : t.alpha);
    t.alpha *= t.there;
    return t;
  }

  struct Layer {
    NodeId id;
    std::shared_ptr<const Picture> share;
    bool all; ///< of the whole picture, so that it is where the picture's alpha is; masks say for themselves where they
              ///< are
  };
  const std::vector<Layer>& layers() const { return m_layers; }
  // What share each layer has of the light there, and at last what none has. Together never more than 1.
  void shares(float x, float y, Color* out) const {
    Color left(1.0f);
    const V2f uv = m_layers.empty() ? V2f(0, 0) : inPicture(x, y);
    for (size_t l = 0; l < m_layers.size(); ++l) {
      const Picture& p = *m_layers[l].share;
      const float fx = std::clamp(uv.x * float(p.width) - 0.5f, 0.0f, float(p.width - 1)),
                  fy = std::clamp((1 - uv.y) * float(p.height) - 0.5f, 0.0f, float(p.height - 1));
      const int x0 = int(fx), y0 = int(fy), x1 = std::min(x0 + 1, p.width - 1), y1 = std::min(y0 + 1, p.height - 1);
      const Color share = mix(mix(p.color(x0, y0), p.color(x1, y0), fx - float(x0)),
                              mix(p.color(x0, y1), p.color(x1, y1), fx - float(x0)), fy - float(y0));
      for (int k = 0; k < 3; ++k) out[l][k] = std::clamp(share[k], 0.0f, left[k]);
      left -= out[l];
    }
    out[m_layers.size()] = left;
  }

 private:
  // From the frame to the picture: about its middle, by the frame's height.
  V2f inPicture(float x, float y) const {
    const float u = (x - 0.5f - m_offset.x) * m_aspect, v = y - 0.5f - m_offset.y;
    const float c = (u * m_cos + v * m_sin) / m_scale, s = (v * m_cos - u * m_sin) / m_scale;
    return {c / m_aspect * m_wide + 0.5f, s * m_high + 0.5f};
  }
  void spread(const Program& program, int width, int height, bool quick) {
    const int fine = int(m_p.number("fineness")), most = fine > 0 ? std::min(fine, width) : width,
              across = quick ? (std::min(most, 320) + 1) / 2 : most;
    m_coverWide = across + 1;
    m_coverHigh = std::max(1, (across * height + width - 1) / width) + 1;
    m_cover.resize(size_t(m_coverWide) * size_t(m_coverHigh));
    parallelFor(size_t(m_coverHigh), [&](size_t y) {
      std::vector<PatternPoint> points(static_cast<size_t>(m_coverWide));
      for (int x = 0; x < m_coverWide; ++x)
        points[size_t(x)] = patternAt(float(x) / float(m_coverWide - 1), float(y) / float(m_coverHigh - 1));
      std::vector<Sample4> values(points.size());
      program.evaluate(points, values.data());
      for (size_t x = 0; x < values.size(); ++x)
        m_cover[y * size_t(m_coverWide) + x] = clamp01((values[x].x + values[x].y + values[x].z) / 3);
    });
  }
  // Texture coordinates run over the frame. Places are in its heights, about its middle, so that what a pattern draws
  // is as wide as it is high; or they run over the frame too.
  PatternPoint patternAt(float x, float y) const {
    PatternPoint p;
    p.uv = {x, y};
    p.evenScreen = m_even;
    p.screen = p.world = p.position = {m_even ? (x - 0.5f) * m_aspect + 0.5f : x, y, 0};
    return p;
  }
  float coverage(float x, float y) const {
    const float u = clamp01(x) * float(m_coverWide - 1), v = clamp01(y) * float(m_coverHigh - 1);
    const int i = std::min(int(u), m_coverWide - 2), j = std::min(int(v), m_coverHigh - 2);
    const float* at = m_cover.data() + size_t(j) * size_t(m_coverWide) + size_t(i);
    const float a = mix(at[0], at[1], u - float(i)), b = mix(at[m_coverWide], at[m_coverWide + 1], u - float(i));
    return mix(a, b, v - float(j));
  }
  std::vector<float> m_cover;
  int m_coverWide = 0, m_coverHigh = 0;
  V3f triple(const char* name) const {
    const Triple t = m_p.triple(name);
    return {float(t[0]), float(t[1]), float(t[2])};
  }
  const Params& m_p;
  Shows m_shows;
  float m_aspect, m_pixel, m_gain = 1, m_opacity = 1, m_wide = 1, m_high = 1, m_cos = 1, m_sin = 0, m_scale = 1;
  bool m_even = true, m_decode = true, m_rec709 = false, m_alpha = true, m_associated = false;
  V2f m_offset{0, 0}, m_start{0, 0}, m_stop{0, 0};
  Color m_color{0.0f}, m_end{0.0f};
  std::shared_ptr<const Image> m_image;
  std::vector<Layer> m_layers;
  std::shared_ptr<const Program> m_program;
};

// `whole`: the plate itself is a part too, of all that its layers leave.
void lay(Plates::Sheet& sheet, const Painter& painter, NodeId plate, bool whole, int width, int height) {
  const size_t n = size_t(width) * size_t(height);
  if (sheet.alpha.empty()) {
    sheet.light = Picture(width, height);
    sheet.alpha.assign(n, 0.0f);
  }
  const size_t before = sheet.parts.size(), layers = painter.layers().size();
  for (const Painter::Layer& l : painter.layers())
    sheet.parts.push_back({l.id, plate, Picture(width, height), std::vector<float>(n, 0.0f)});
  if (whole) sheet.parts.push_back({plate, plate, Picture(width, height), std::vector<float>(n, 0.0f)});
  parallelFor(size_t(height), [&](size_t y) {
    std::vector<Color> shares(layers + 1, Color(1.0f));
    for (int x = 0; x < width; ++x) {
      const float u = (float(x) + 0.5f) / float(width), v = 1 - (float(y) + 0.5f) / float(height);
      const Texel t = painter.at(u, v);
      const size_t i = y * size_t(width) + size_t(x);
      for (size_t c = 0; c < 3; ++c)
        sheet.light.rgb[3 * i + c] = t.light[int(c)] + sheet.light.rgb[3 * i + c] * (1 - t.alpha);
      sheet.alpha[i] = t.alpha + sheet.alpha[i] * (1 - t.alpha);
      if (sheet.parts.empty()) continue;
      for (size_t k = 0; k < before; ++k) {
        for (size_t c = 0; c < 3; ++c) sheet.parts[k].light.rgb[3 * i + c] *= 1 - t.alpha;
        sheet.parts[k].covers[i] *= 1 - t.alpha;
      }
      if (before == sheet.parts.size()) continue;
      painter.shares(u, v, shares.data());
      for (size_t k = before; k < sheet.parts.size(); ++k) {
        const Color& share = shares[k - before];
        for (size_t c = 0; c < 3; ++c) sheet.parts[k].light.rgb[3 * i + c] = t.light[int(c)] * share[int(c)];
        sheet.parts[k].covers[i] = (k - before < layers && !painter.layers()[k - before].all ? t.there : t.alpha) *
                                   (share.x + share.y + share.z) / 3;
      }
    }
  });
}

} // namespace

std::shared_ptr<const Plates> platesOf(const Document& doc, double frame, int width, int height, const Assets& assets,
                                       bool quick) {
  std::shared_ptr<Plates> out;
  for (const Node* n : doc.family("plate")) {
    const Params p(*n, frame);
    if (!p.flag("shown")) continue;
    if (!out) out = std::make_shared<Plates>();
    try {
      lay(p.text("lies") == "behind" ? out->behind : out->front, Painter(doc, p, width, height, assets, quick), n->id,
          named(doc, n->id), width, height);
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::Cancelled) throw;
      throw badInput(fmt::format("{}: {}", n->name, e.what()));
    }
  }
  return out;
}

Document matchCamera(const Document& doc, NodeId plate) {
  const Node *n = doc.find(plate), *camera = activeCamera(doc);
  if (!n || n->kind->family() != "plate") throw badInput("select a plate: the camera is matched to one");
  if (!camera) throw badInput("there is no camera to match");
  const double frame = currentFrame(doc);
  const Params p(*n, frame);
  Document out = doc;
  if (p.number("focal_length") > 0) out = setValue(out, camera->id, "focal_length", Constant(p.number("focal_length")));
  const Params c(*out.find(camera->id), frame), settings = settingsOf(out);
  const Triple from = c.triple("position"), to = c.triple("target");
  const double dx = to[0] - from[0], dz = to[2] - from[2], flat = std::hypot(dx, dz),
               reach = std::hypot(flat, to[1] - from[1]);
  if (flat < 1e-9) throw badInput(camera->name + " looks straight up or down, where there is no horizon");
  // The horizon lies where a level line of sight falls: at (horizon - 1/2) of the film's height above its middle, a
  // tangent.
  const double height = c.number("film_width") * settings.number("height") / settings.number("width");
  const double up = std::atan((p.number("horizon") - 0.5) * height / c.number("focal_length"));
  const double level = reach * std::cos(up) / flat;
  return setValue(out, camera->id, "target",
                  Constant(Triple{from[0] + dx * level, from[1] - reach * std::sin(up), from[2] + dz * level}));
}

} // namespace ilumbra
