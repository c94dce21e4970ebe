#pragma once
#include "core/image/packed_pixels.h"
#include "core/lens/develop.h"
#include "core/transport/rendering.h"

#include <map>

namespace ilumbra {

/// One frame before the lens, kept small (PackedPixels) without its film and scene: all light, alpha, what lens stages
/// name, and of some light groups, the live ones, their own light at unit power, so that the lens, the exposure and the
/// balance of live lights are applied to it without a ray.
class KeptFrame {
 public:
  /// How many groups are live where the document's balance wants none so: those that give most.
  static constexpr size_t mostLive = 3;
  /// `sight`: of a develop() of this frame (LensOptions::sight).
  /// `denoiser`: of the film; null: as it was sampled.
  KeptFrame(const Rendering& rendering, const Document& doc, const std::vector<Color>& groupScales,
            const Denoiser* denoiser, LensSight sight, const Tasks& tasks);
  /// Through the stack of another document at this frame; none: it asks for what is not kept (other layers, a light
  /// that is folded into the rest, a place that no stage had asked for). Throws Cancelled.
  std::optional<LensResult> develop(const Document& doc, double frame, const Tasks& tasks,
                                    const LensOptions& options) const;
  /// Of the film: a pixel stands for step × step of the picture.
  int step() const { return m_step; }
  uint32_t samples() const { return m_samples; }
  /// Of the film (Film::noise()).
  double noise() const { return m_noise; }
  /// False if develop() would have nothing to show for this document at the frame, but for what stages ask of the set.
  bool answers(const Document& doc, double frame) const;
  int pictureWidth() const { return m_scene->width; }
  int pictureHeight() const { return m_scene->height; }
  size_t bytes() const;
  /// Names of the live groups.
  std::vector<std::string> live() const;

 private:
  struct Layer {
    std::vector<LayerQuery> of;
    PackedPixels rest;                    ///< of all groups that are not live, at their scales
    std::vector<PackedPixels> live;       ///< at unit power
    bool backdrop = false, plate = false; ///< of a plate: exposed already
  };
  /// The amounts of the groups; empty: folded ones have changed, or there are others.
  std::vector<Color> scalesFor(const Document& doc, double frame) const;
  std::shared_ptr<const Scene> m_scene; ///< what it says of groups and queries, without anything in it
  std::vector<Color> m_scales;
  std::vector<size_t> m_live; ///< groups
  std::vector<Layer> m_layers;
  std::vector<std::pair<LayerQuery, PackedPixels>> m_covered;
  PackedPixels m_alpha, m_behind;
  LensSight m_sight;
  int m_width = 0, m_height = 0, m_margin = 0, m_step = 1;
  uint32_t m_samples = 0;
  double m_noise = 1;
};

/// The frames of a document that are kept, by frame.
class KeptFrames {
 public:
  explicit KeptFrames(size_t limit = size_t(768) << 20) : m_limit(limit) {}
  /// Null: it is not kept.
  const KeptFrame* find(double frame) const;
  /// False, and nothing changes, nor is it moved from, if that is more than the limit.
  bool keep(double frame, KeptFrame&& kept);
  /// Lets go of those that lie outside of a range.
  void keepWithin(double first, double last);
  void clear();
  size_t bytes() const { return m_bytes; }
  size_t limit() const { return m_limit; }
  void setLimit(size_t bytes) { m_limit = bytes; }
  const std::map<double, KeptFrame>& all() const { return m_frames; }

 private:
  size_t m_limit, m_bytes = 0;
  std::map<double, KeptFrame> m_frames;
};

} // namespace ilumbra
