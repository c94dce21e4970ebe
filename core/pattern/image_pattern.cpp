#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/pattern/coordinates.h"
#include "core/pattern/image.h"
#include "core/pattern/playback.h"

namespace ilumbra {
namespace {

enum class Projection { Texture, Front, Box, Ball, Camera };
enum class Beyond { Tile, Mirror, Hold, Clip };
enum class Fit { Stretch, Fit, Fill };

struct ImageLook {
  std::shared_ptr<const Image> image;
  float matrix[6] = {1, 0, 0, 0, 1, 0}; ///< texture transform: u' = m0 u + m1 v + m2, ...
  Sample4 gain{1, 1, 1, 1};
  int channel = -1; ///< -1: all, else one channel spread over all
  bool decode = false;
  Projection projection = Projection::Texture;
  Beyond beyond = Beyond::Tile;
  float wide = 1, high = 1; ///< how often the picture goes across and up a unit, by its fit
};

// Inputs: the place, in the space of its projection.
class ImageNode {
 public:
  static constexpr bool looks = true;
  static constexpr size_t inputs = 1;
  explicit ImageNode(ImageLook look) : m(std::move(look)) {
    m_grow =
        std::max(std::hypot(m.matrix[0], m.matrix[3]), std::hypot(m.matrix[1], m.matrix[4])) * std::max(m.wide, m.high);
    m.image->bounds(m.decode, m_low, m_high);
  }

  Sample4 one(const InputsOf<float>& in, const PatternPoint& at) const {
    const V3f p = placeOf(in[0]);
    const float footprint = in[0].w;
    switch (m.projection) {
    case Projection::Texture:
    case Projection::Camera:
      return look(p.x, p.y, footprint);
    case Projection::Front:
      return look(p.x + 0.5f, p.y + 0.5f, footprint);
    case Projection::Ball: {
      const V3f d = normalize(p);
      return look(std::atan2(d.x, d.z) / (2 * pi) + 0.5f, 0.5f + std::asin(std::clamp(d.y, -1.0f, 1.0f)) / pi,
                  footprint / std::max(1e-6f, 2 * pi * length(p)));
    }
    case Projection::Box:
      break;
    }
    // Three sides, mixed where they meet.
    const V3f n(std::abs(at.normal.x), std::abs(at.normal.y), std::abs(at.normal.z));
    const auto sharp = [](float x) { return sqr(sqr(sqr(x))); };
    float weights[3] = {sharp(n.x), sharp(n.y), sharp(n.z)}, total = weights[0] + weights[1] + weights[2];
    if (!(total > 0)) weights[2] = total = 1;
    for (float& w : weights)
      if (w < 0.01f * total) w = 0; // what can hardly be seen need not be looked up
    total = weights[0] + weights[1] + weights[2];
    Sample4 sum(0, 0, 0, 0);
    for (int i = 0; i < 3; ++i) {
      if (weights[i] == 0) continue;
      const float side = std::copysign(1.0f, at.normal[i]);
      const V2f uv = i == 0 ? V2f(-side * p.z, p.y) : i == 1 ? V2f(p.x, -side * p.z) : V2f(side * p.x, p.y);
      sum += look(uv.x + 0.5f, uv.y + 0.5f, footprint) * (weights[i] / total);
    }
    return sum;
  }

  Bounds4 operator()(const InputsOf<Interval>&, const PointOf<Interval>&) const {
    Sample4 low = finish(m_low), high = finish(m_high);
    for (int i = 0; i < 4; ++i)
      if (low[i] > high[i]) std::swap(low[i], high[i]);
    // The working space mixes channels: nothing is darker than the darkest of its corners or brighter than the
    // brightest.
    if (m.decode && m.channel < 0)
      for (int corner = 0; corner < 8; ++corner) {
        Sample4 c = m_low;
        for (int i = 0; i < 3; ++i)
          if (corner >> i & 1) c[i] = m_high[i];
        c = finish(c);
        for (int i = 0; i < 3; ++i) {
          low[i] = std::min(low[i], c[i]);
          high[i] = std::max(high[i], c[i]);
        }
      }
    if (m.beyond == Beyond::Clip)
      for (int i = 0; i < 4; ++i) {
        low[i] = std::min(low[i], 0.0f);
        high[i] = std::max(high[i], 0.0f);
      }
    Bounds4 out;
    for (int i = 0; i < 4; ++i) out[i] = numbers::outwards(low[i], high[i], 8);
    return out;
  }

 private:
  Sample4 finish(Sample4 r) const {
    r = {r.x * m.gain.x, r.y * m.gain.y, r.z * m.gain.z, r.w};
    if (m.channel >= 0) {
      const float x = m.channel == 3 ? r.w * m.gain.x : r[m.channel];
      return {x, x, x, x};
    }
    if (!m.decode) return r;
    const Color c = acescgFrom709({r.x, r.y, r.z});
    return {c.x, c.y, c.z, r.w};
  }
  Sample4 look(float u, float up, float footprint) const {
    const float v = 1 - up;
    float x = m.matrix[0] * u + m.matrix[1] * v + m.matrix[2], y = m.matrix[3] * u + m.matrix[4] * v + m.matrix[5];
    x = (x - 0.5f) * m.wide + 0.5f;
    y = (y - 0.5f) * m.high + 0.5f;
    if (m.beyond != Beyond::Tile) {
      const bool outside = x < 0 || x > 1 || y < 0 || y > 1;
      if (outside && m.beyond == Beyond::Clip) return {0, 0, 0, 0};
      const float rim = 0.5f / float(std::max(m.image->width(), m.image->height()));
      const auto inside = [&](float t) {
        if (m.beyond == Beyond::Mirror) {
          t -= 2 * std::floor(t * 0.5f);
          if (t > 1) t = 2 - t;
        }
        return std::clamp(t, rim, 1 - rim);
      };
      x = inside(x);
      y = inside(y);
    }
    return finish(m.image->lookup(x, 1 - y, m.decode, footprint * m_grow));
  }
  ImageLook m;
  float m_grow = 1; ///< picture widths to a unit of the coordinates
  Sample4 m_low, m_high;
};

int indexOf(const Params& p, const char* name) {
  const auto& all = p.node().kind->param(name)->choices;
  return int(std::find(all.begin(), all.end(), p.text(name)) - all.begin());
}

} // namespace

std::shared_ptr<const Image> shownImage(const Params& p, const Document& doc, const Assets& assets) {
  const std::string file = p.text("file");
  if (!p.flag("numbered") && !isMovie(file))
    return assets.image(file, p.node().kind->param("index") ? int(p.number("index")) : -1);
  const Footage footage = assets.footage(file);
  const int index = playedFrame(p, doc, footage).index;
  return footage.files.empty() ? assets.image(file, index) : assets.image(footage.files[size_t(index)], -1);
}

std::string shownFile(const Params& p, const Document& doc, const Assets& assets) {
  const std::string file = p.text("file");
  if (isMovie(file)) throw badInput(file + ": a movie has no layers");
  if (!p.flag("numbered")) return file;
  const Footage footage = assets.footage(file);
  return footage.files.empty() ? file : footage.files[size_t(playedFrame(p, doc, footage).index)];
}

PatternKind imagePattern() {
  return {
      {.id = "pattern.image",
       .label = "Image",
       .helpText = "A picture laid over a surface.",
       .params = join(
           {{file("file", "File").help("A picture or a movie, or a model that holds a picture"),
             integer("index", "Image in the model", -1)
                 .range(-1, 65535)
                 .fixed()
                 .help("Which image inside a model file; -1 when the file is a picture"),
             choice("channel", "Channel", {"colour", "red", "green", "blue", "alpha"})
                 .help("What of the picture is used"),
             color("gain", "Gain", {1, 1, 1}).soft(0, 2).help("Multiplies the picture, channel by channel"),
             choice("projection", "Projection", {"texture", "front", "box", "ball", "camera"})
                 .help("By the texture's coordinates; along -z, from all six sides, or from the middle of the object; "
                       "or as the camera sees it"),
             choice("beyond", "Beyond its edge", {"tile", "mirror", "hold", "clip"})
                 .help("Clipped, it is not there: its alpha is 0"),
             choice("fit", "Fit", {"stretch", "fit", "fill"}).help("How its shape meets a square of the coordinates"),
             vector("offset", "Offset", "", {0, 0, 0}).soft(-1, 1).help("Shift in texture widths and heights"),
             vector("scale", "Scale", "", {1, 1, 1}).soft(0.1, 10).help("How often the picture repeats"),
             number("turn", "Turn", "°", 0).soft(-180, 180).help("Turn about the texture's origin"),
             flag("numbered", "Numbered files", false)
                 .in("Playback")
                 .help("The picture is one of a numbered sequence")},
            playbackParams(Invalidation::Shading)}),
       .existence = Invalidation::Shading,
       .changesByTime = isPlayed},
      [](const Params& p, PatternCompiler& compiler) {
        ImageLook i;
        i.image = shownImage(p, compiler.doc(), compiler.assets());
        i.decode = compiler.asColor();
        i.channel = indexOf(p, "channel") - 1;
        i.projection = Projection(indexOf(p, "projection"));
        i.beyond = Beyond(indexOf(p, "beyond"));
        const auto fit = Fit(indexOf(p, "fit"));
        if (fit != Fit::Stretch) {
          const float aspect = float(i.image->width()) / float(i.image->height());
          const bool whole = fit == Fit::Fit;
          if ((aspect > 1) == whole)
            i.high = aspect;
          else
            i.wide = 1 / aspect;
        }
        const Triple g = p.triple("gain"), offset = p.triple("offset"), scale = p.triple("scale");
        i.gain = {float(g[0]), float(g[1]), float(g[2]), 1};
        // Scale, then turn, then offset, in glTF's texture space, whose v runs downwards (KHR_texture_transform).
        const float angle = p.real("turn") * pi / 180, c = std::cos(angle), s = std::sin(angle);
        const float sx = float(scale[0]), sy = float(scale[1]);
        const float m[6] = {c * sx, s * sy, float(offset[0]), -s * sx, c * sy, float(offset[1])};
        std::copy(m, m + 6, i.matrix);
        const PatternSpace space = i.projection == Projection::Texture  ? PatternSpace::Texture
                                   : i.projection == Projection::Camera ? PatternSpace::Camera
                                                                        : PatternSpace::Object;
        return compiler.emit(ImageNode(std::move(i)), {compiler.place(space)});
      }};
}

} // namespace ilumbra
