#pragma once
#include "core/base/tasks.h"
#include "core/image/picture.h"
#include "core/label/layer_table.h"

#include <algorithm>
#include <array>
#include <bit>
#include <iosfwd>
#include <memory>

namespace ilumbra {

/// What first met the camera's ray in a sample, for the passes without light.
struct FirstHit {
  bool hit = false;
  float alpha = 0;
  float depth = 0; ///< metres along the ray
  V3f normal{0.0f};
  Color albedo{0.0f};
  uint16_t thing = 0;
  V3f seenNormal{0.0f}; ///< of what is seen at last, through mirrors and clear things
  Color seenAlbedo{0.0f};
  Label lookedAt{}; ///< of what is seen at last: its thing, material, and how it is seen
};

/// Which of a film's light: `Certain` is what the camera's own rays meet where something shines itself
/// (Film::addCertain), `Uncertain` all else.
enum class FilmLight { All, Certain, Uncertain };

/// Light layers by query and light group, at unit power of each group, and the passes without light. Rows are written
/// by one task at a time; a pixel's value depends on its samples only.
class Film {
 public:
  /// How many identities a pixel keeps; what falls off is counted in `dropped`.
  static constexpr int ranks = 6;
  struct Ranked {
    std::array<uint16_t, ranks> thing{};
    std::array<float, ranks> weight{};
    float dropped = 0;
    void add(uint16_t t, float w);
  };

  Film() = default;
  Film(int width, int height, int groups, LayerTable table) { reset(width, height, groups, std::move(table), {}); }
  /// As new; memory that is there is used again. `masks`: queries whose coverage is kept (coverage()).
  void reset(int width, int height, int groups, LayerTable table, LayerTable masks);

  /// Counts light beside the frame too, for the lens: in a film of its own, whose pixels are `coarse` of this one's a
  /// side. It reaches over the frame by `margin` of these pixels on every side; those that lie wholly in the frame stay
  /// empty. reset() takes it away.
  void surroundBy(int margin);
  Film* surround() { return m_margin > 0 ? m_surround.get() : nullptr; }
  const Film* surround() const { return m_margin > 0 ? m_surround.get() : nullptr; }
  int margin() const { return m_margin; }
  static constexpr int coarse = 2;

  int width() const { return m_width; }
  int height() const { return m_height; }
  int groups() const { return m_groups; }
  const LayerTable& table() const { return m_table; }
  const LayerTable& masks() const { return m_masks; }
  size_t bytes() const;

  /// Before the first add() of each sample: a pixel is laid out when its first sample comes, by whoever brings it.
  void begin(size_t pixel) {
    if (m_count[pixel]) return;
    m_touched[pixel] = 0;
    m_pixels[pixel] = {};
    if (m_certain[pixel]) *m_certain[pixel] = {};
    if (m_covered) std::fill_n(m_covered.get() + pixel * size_t(m_masks.queries()), m_masks.queries(), 0.0f);
  }
  void add(size_t pixel, const Label& label, const Color& light) {
    const uint32_t matched = m_table.match(label);
    for (uint32_t fresh = matched & ~m_touched[pixel]; fresh; fresh &= fresh - 1)
      std::fill_n(lightOf(pixel, std::countr_zero(fresh)), 3 * m_groups, 0.0f);
    m_touched[pixel] |= matched;
    for (uint32_t bits = matched; bits; bits &= bits - 1) {
      float* p = lightOf(pixel, std::countr_zero(bits)) + 3 * label.group;
      p[0] += light.x;
      p[1] += light.y;
      p[2] += light.z;
    }
  }
  /// The same of light in which chance has no part, but for where in the pixel a sample falls: it is kept apart, as far
  /// as a pixel has few of such lights. `shown`: at the powers of the compile.
  void addCertain(size_t pixel, const Label& label, const Color& light, const Color& shown);
  /// Ends one sample of a pixel. `total` is all of its light, at the powers of the compile, for noise and denoising.
  void finish(size_t pixel, const FirstHit& first, const Color& total);
  /// Notes the luminance of light seen on a thing, whatever the queries.
  void addSeen(size_t pixel, uint16_t thing, float luminance) { m_pixels[pixel].seen.add(thing, luminance); }

  /// Adds what another film of the same size, groups and queries has counted, as if its samples came after these.
  /// `groupScales`: at the powers of the compile.
  void append(const Film& later, const std::vector<Color>& groupScales);
  /// All that was counted, as it is in memory: for films of one program version.
  void write(std::ostream& out) const;
  /// Reads what write() wrote, of a film of the same size, groups and queries; throws BadInput where it is another, or
  /// cut.
  void read(std::istream& in);

  uint32_t samples(size_t pixel) const { return m_count[pixel]; }
  /// Of the pixel that has most.
  uint32_t mostSamples() const { return m_count.empty() ? 0 : *std::max_element(m_count.begin(), m_count.end()); }
  /// Mean light of a query and one group, at unit power.
  Color light(size_t pixel, int query, int group) const { return groupLight(pixel, m_table.layers(query), group); }
  /// The same of layers of the table, one bit each.
  Color groupLight(size_t pixel, uint32_t layers, int group, FilmLight which = FilmLight::All) const;
  float alpha(size_t pixel) const;
  /// Means over the samples that hit something; depth is 0 where none did.
  float depth(size_t pixel) const;
  V3f normal(size_t pixel) const;
  Color albedo(size_t pixel) const;
  /// First-hit coverages: weights are sums over samples of their alpha.
  const Ranked& identity(size_t pixel) const { return m_count[pixel] ? m_pixels[pixel].identity : none(); }
  /// The share of a pixel, 0 to 1, in which what is seen at last, through mirrors and clear things, answers one of the
  /// masks' queries.
  float coverage(size_t pixel, int mask) const;
  /// By luminance, what is seen through mirrors and clear things.
  const Ranked& seen(size_t pixel) const { return m_count[pixel] ? m_pixels[pixel].seen : none(); }
  /// Sum over groups of the mean light of layers × groupScales (3 floats a group, as many as there are groups).
  Color mixed(size_t pixel, uint32_t layers, const float* groupScales, FilmLight which = FilmLight::All) const {
    const uint32_t n = m_count[pixel];
    if (!n) return Color(0.0f);
    Color sum(0.0f);
    if (m_certain[pixel] && which != FilmLight::Uncertain)
      for (const CertainLight& c : m_certain[pixel]->lights)
        if (const int times = std::popcount(c.layers & layers)) {
          const float* s = groupScales + 3 * c.group;
          sum += c.light * Color(s[0], s[1], s[2]) * float(times);
        }
    for (layers &= which == FilmLight::Certain ? 0 : m_touched[pixel]; layers; layers &= layers - 1) {
      const float* p = lightOf(pixel, std::countr_zero(layers));
      for (int i = 0; i < 3 * m_groups; i += 3) {
        sum.x += p[i] * groupScales[i];
        sum.y += p[i + 1] * groupScales[i + 1];
        sum.z += p[i + 2] * groupScales[i + 2];
      }
    }
    return sum * (1.0f / float(n));
  }
  /// Of what is seen at last through mirrors and clear things, over the samples that hit something.
  V3f seenNormal(size_t pixel) const;
  Color seenAlbedo(size_t pixel) const;
  /// Mean of all light at the powers of the compile, and the variance of that mean, by channel (infinite from one
  /// sample).
  Color total(size_t pixel) const;
  Color variance(size_t pixel) const;
  /// Of total(), what is not certain.
  Color uncertain(size_t pixel) const;
  /// The mean over the samples of even index less that over the odd ones, halved: another measure of the same error.
  Color halfDifference(size_t pixel) const;
  /// Standard error of a pixel's luminance, by what its two halves differ, ÷ the mean of its own luminance and the
  /// picture's. Rough for one pixel, true in the mean over some.
  float relativeError(size_t pixel, float pictureLuminance) const;
  float meanLuminance() const;
  /// The mean of relativeError() over the pixels: the noise figure. 1 while no pixel has two samples.
  double noise() const;

 private:
  /// Sums over samples.
  struct Pixel {
    uint32_t hits = 0;
    float alpha = 0, depth = 0;
    Color total{0.0f}, squares{0.0f}, even{0.0f};
    V3f normal{0.0f}, seenNormal{0.0f};
    Color albedo{0.0f}, seenAlbedo{0.0f};
    Ranked identity, seen;
  };
  static const Ranked& none();
  struct CertainLight;
  void addCertain(size_t pixel, const CertainLight& light, const Color& shown);
  /// Sums over samples of one group's light in the same layers.
  struct CertainLight {
    uint32_t layers = 0; ///< 0: none
    uint16_t group = 0;
    Color light{0.0f};
  };
  struct CertainLights {
    std::array<CertainLight, 3> lights;
    Color shown{0.0f};
  };
  /// A pixel's groups in a layer. Layer by layer, so that where a layer has no light its memory is never touched, and
  /// the system never gives it.
  float* lightOf(size_t pixel, int layer) const {
    return m_light.get() + 3 * (size_t(layer) * m_count.size() + pixel) * size_t(m_groups);
  }
  int m_width = 0, m_height = 0, m_groups = 0;
  size_t m_room = 0, m_pixelRoom = 0;
  LayerTable m_table, m_masks;
  // Meaningless where m_count is 0: clearing it all at once would cost more than a draft's rays.
  std::unique_ptr<float[]> m_light;
  std::unique_ptr<Pixel[]> m_pixels;
  std::vector<uint32_t> m_count;
  std::vector<std::unique_ptr<CertainLights>> m_certain; ///< null where there was never any
  std::unique_ptr<float[]> m_covered;                    ///< by pixel and mask, sums over samples
  int m_margin = 0;
  std::unique_ptr<Film> m_surround;
  std::unique_ptr<uint32_t[]> m_touched; ///< by bits: the layers that have light, and memory that means something
};

/// The picture of one query: Σ over groups of light × amount, times `exposure`. Pixels without samples take the value
/// of the nearest sampled pixel to their left or above.
Picture collect(const Film& film, int query, const std::vector<Color>& groupScales, float exposure, const Tasks& tasks,
                FilmLight which = FilmLight::All);
/// The same of layers of the film's table, one bit each.
Picture collectLayers(const Film& film, uint32_t layers, const std::vector<Color>& groupScales, float exposure,
                      const Tasks& tasks, FilmLight which = FilmLight::All);
/// A picture of the film's frame within the light beside it, as `beside` has it of the film's surround: larger by
/// Film::coarse × margin() pixels on every side, and smooth where the two meet.
Picture surrounded(const Film& film, const Picture& frame, Picture beside, const Tasks& tasks);
/// Mean light of each group of a query over the sampled pixels, at unit power.
std::vector<Color> groupMeans(const Film& film, int query, const Tasks& tasks);
/// The mean of collect() over the sampled pixels, without exposure.
Color meanLight(const Film& film, int query, const std::vector<Color>& groupScales, const Tasks& tasks);
/// One group alone.
Picture collectGroup(const Film& film, int query, int group, const Color& amount, float exposure, const Tasks& tasks,
                     FilmLight which = FilmLight::All);
Picture collectLayersOfGroup(const Film& film, uint32_t layers, int group, const Color& amount, float exposure,
                             const Tasks& tasks, FilmLight which = FilmLight::All);

} // namespace ilumbra
