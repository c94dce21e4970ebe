#pragma once
#include "core/compile/plate.h"
#include "core/film/denoise.h"
#include "core/lens/stack.h"
#include "core/scene/scene.h"

#include <optional>

namespace ilumbra {

/// What the stack works on, apart from the film: unexposed.
struct SceneLight {
  std::vector<Picture> layers;  ///< of the scene's table
  std::vector<Picture> beside;  ///< of its cells, beside the frame (Film::surround()); empty: there is none
  std::vector<PlatePart> parts; ///< of `add`
  CleanCoverage covers;         ///< denoised like the layers; empty: as the film has it
  Picture keep,
      add; ///< what plates keep of each layer and add to all light (transport/plate_layers.h); empty: there are no
           ///< plates
  bool empty() const { return layers.empty(); }
};
/// `denoiser`: of the film, where the layers are to be denoised. Throws Cancelled.
SceneLight sceneLight(const Scene& scene, const Film& film, const std::vector<Color>& groupScales, const Tasks& tasks,
                      const Denoiser* denoiser = nullptr, const CancelFlag* cancel = nullptr);
/// All that the stack works on, exposed, in the widest pictures that it has: over the frame by Film::coarse × margin()
/// on every side. It must not outlive the film and the scene.
LensLight filmLight(const Scene& scene, const Film& film, const SceneLight& light, float exposure, const Tasks& tasks);
/// SceneLight::beside for these amounts.
std::vector<Picture> lightBeside(const Scene& scene, const Film& film, const std::vector<Color>& groupScales,
                                 const Tasks& tasks);
/// Of such layers the light of a query, unexposed, without plates.
Picture queryLight(const Scene& scene, const SceneLight& light, const LayerQuery& query);
/// The film through mix, exposure and lens: what the camera's film records, scene-linear.
LensResult develop(const Document& doc, double frame, const Scene& scene, const Film& film,
                   const std::vector<Color>& groupScales, const Tasks& tasks, const LensOptions& options = {});
/// As above, from light that was taken from this film.
LensResult develop(const Document& doc, double frame, const Scene& scene, const Film& film, const SceneLight& light,
                   const Tasks& tasks, const LensOptions& options = {});
/// Of a bare scene: its plates through the lens, at full size, without a film.
LensResult developPlates(const Document& doc, double frame, const Scene& scene, const Tasks& tasks,
                         const LensOptions& options = {});
/// From light that was kept, exposed, of a frame of this size with a margin around it, and from what stages had asked
/// of the set then. None if one asks for something else now. `doc`: at that frame.
std::optional<LensResult> developKept(const Document& doc, double frame, LensLight light, int width, int height,
                                      int margin, const LensSight& sight, const Tasks& tasks,
                                      const LensOptions& options = {});
/// The film's light made smaller, so wide or narrower, to try the lens on it: many looks in the time of one picture.
class SmallLens {
 public:
  /// `denoiser`: of this film; null: the light is as it was sampled.
  SmallLens(const Scene& scene, const Film& film, const std::vector<Color>& groupScales, float exposure, int width,
            const Tasks& tasks, const Denoiser* denoiser = nullptr);
  /// Through the stack of another document with the same sources.
  LensResult develop(const Document& doc, double frame, const LensOptions& options = {}) const;

 private:
  const Scene& m_scene;
  const Tasks& m_tasks;
  LensLight m_light;
  int m_width = 0, m_height = 0, m_margin = 0; ///< of the frame, and how far the light reaches over it
  std::vector<std::pair<LayerQuery, std::vector<float>>> m_covered;
};
/// The amount at which what a stage adds comes to its kind's `level` of white where it is brightest (a thousandth of
/// the frame apart), in this light; none: its kind leaves the amount alone, it adds nothing whatever the amount, or it
/// does well as it stands. Throws Cancelled.
std::optional<double> fittingAmount(const Document& doc, NodeId stage, double frame, const Scene& scene,
                                    const Film& film, const std::vector<Color>& groupScales, const Tasks& tasks,
                                    const LensOptions& options = {});
/// Light groups' exact shares of the developed picture, by group; what plates add is in none of them.
std::vector<Picture> lightShares(const Document& doc, double frame, const Scene& scene, const Film& film,
                                 const std::vector<Color>& groupScales, const std::vector<int>& groups,
                                 const Tasks& tasks, const LensOptions& options = {});

} // namespace ilumbra
