#include "core/display/passes.h"

#include "core/base/colorspace.h"
#include "core/base/hash.h"
#include "core/display/false_colour.h"
#include "core/label/layer_query.h"
#include "core/scene/media.h"
#include "core/scene/plates.h"

namespace ilumbra {
namespace {

Color identityColour(const ShownFilm& of, size_t pixel) {
  const Film::Ranked& r = of.film.identity(pixel);
  Color c(0.0f);
  float total = 0;
  for (size_t k = 0; k < size_t(Film::ranks); ++k) {
    if (r.weight[k] <= 0) continue;
    const uint32_t h = mixBits(r.thing[k] * 2654435761u + 77u);
    c += Color(0.25f + 0.6f * float(h & 255) / 255, 0.25f + 0.6f * float(h >> 8 & 255) / 255,
               0.25f + 0.6f * float(h >> 16 & 255) / 255) *
         r.weight[k];
    total += r.weight[k];
  }
  return total > 0 ? c * (of.film.alpha(pixel) / total) : c;
}

// Of the air up to what is seen, by the colours of the stops: those of its power of two.
Color airDepthColour(const ShownFilm& of, int x, int y, size_t pixel) {
  float depth = 0;
  if (of.scene.media) {
    RayMedia way;
    const Ray ray = of.scene.camera.through(float(x) + 0.5f, float(y) + 0.5f);
    const float seen = of.film.depth(pixel);
    of.scene.media->along(ray.origin, ray.direction, seen > 0 ? seen : std::numeric_limits<float>::infinity(), way);
    depth = of.scene.media->shownDepth(way, ray.origin, ray.direction);
  }
  const StopsColour& c = stopsColour(depth > 1e-5f ? depth : 0);
  return Color(float(c.r), float(c.g), float(c.b)) * (1 / 255.0f);
}

} // namespace

const LayerQuery* lightPass(ShownPass pass) {
  return pass < ShownPass::Emission ? nullptr : &lightPasses()[size_t(pass) - size_t(ShownPass::Emission)];
}

size_t ShownFilm::pixel(int x, int y) const {
  return size_t(std::min(y / step, film.height() - 1)) * size_t(film.width()) +
         size_t(std::min(x / step, film.width() - 1));
}

std::vector<uint8_t> passShown(ShownPass pass, const ShownFilm& of, const Tasks& tasks) {
  const Film& film = of.film;
  float far = 0;
  for (size_t i = 0; i < size_t(film.width()) * size_t(film.height()); ++i) far = std::max(far, film.depth(i));
  const int width = of.scene.width, height = of.scene.height;
  const auto valueAt = [&](int x, int y) {
    const size_t i = of.pixel(x, y);
    switch (pass) {
    case ShownPass::Alpha:
      return Color(of.alphaAt(i));
    case ShownPass::Depth:
      return Color(far > 0 && film.depth(i) > 0 ? 1 - 0.92f * film.depth(i) / far : 0);
    case ShownPass::Normal:
      return film.alpha(i) > 0 ? film.normal(i) * 0.5f + Color(0.5f) : Color(0.0f);
    case ShownPass::Albedo:
      return vmax(film.albedo(i), Color(0.0f));
    case ShownPass::Identity:
      return identityColour(of, i);
    case ShownPass::AirDepth:
      return airDepthColour(of, x, y, i);
    default:
      return Color(0.0f);
    }
  };
  std::vector<uint8_t> out(size_t(width) * size_t(height) * 4);
  tasks.forEach(height, [&](int y) {
    uint8_t* o = out.data() + 4 * size_t(y) * size_t(width);
    for (int x = 0; x < width; ++x, o += 4) {
      const Color c = valueAt(x, y);
      for (int k = 0; k < 3; ++k)
        o[k] = uint8_t(clamp01(pass == ShownPass::Albedo ? srgbEncoded(c[k]) : c[k]) * 255 + 0.5f);
      o[3] = 255;
    }
  });
  return out;
}

void layOverChequers(std::vector<uint8_t>& rgba, const ShownFilm& of, const Tasks& tasks) {
  const Scene& scene = of.scene;
  const Plates* plates = scene.plates && scene.plates->behind.light.width + scene.plates->front.light.width > 0
                             ? scene.plates.get()
                             : nullptr;
  const bool alone = scene.bare();
  tasks.forEach(scene.height, [&](int y) {
    for (int x = 0; x < scene.width; ++x) {
      const size_t full = size_t(y) * size_t(scene.width) + size_t(x);
      const float own = alone ? 0 : clamp01(of.alphaAt(of.pixel(x, y)));
      float covers = own;
      if (plates) {
        const float back = plates->behind.alpha.empty() ? 0 : plates->behind.alpha[full],
                    front = plates->front.alpha.empty() ? 0 : plates->front.alpha[full];
        covers = front + (1 - front) * (own + (1 - own) * back);
      }
      const float bare = 1 - covers, kept = scene.skies.empty() ? 1 : covers,
                  tile = ((x / 12 + y / 12) & 1) ? 74.0f : 56.0f;
      uint8_t* o = rgba.data() + 4 * full;
      // A sky that is seen is no part of what covers; all other light has its alpha in it already.
      for (int k = 0; k < 3; ++k) o[k] = uint8_t(std::min(255.0f, float(o[k]) * kept + tile * bare + 0.5f));
    }
  });
}

} // namespace ilumbra
