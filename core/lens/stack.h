#pragma once
#include "core/compile/plate.h"
#include "core/film/denoise.h"
#include "core/lens/stage.h"
#include "core/scene/scene.h"

#include <optional>
#include <string_view>

namespace ilumbra {

/// Why a stage that works shows nothing: LensPage and `readings` offer fittingAmount().
constexpr std::string_view tooFaint = "what it adds is too faint to be seen";

/// The lens stages of a document in the order in which they act.
std::vector<const Node*> lensStages(const Document& doc);
/// What a list of a stage ("sources", "acts_on", ...) names, stand-ins followed to what they stand for: lights, objects
/// and materials, and other stages, which stand for the light that they put into the picture.
std::vector<NodeId> namedBy(const Document& doc, const Node& stage, std::string_view list);
/// What a stage takes its light from. Empty: all light.
inline std::vector<NodeId> sourcesOfStage(const Document& doc, const Node& stage) {
  return namedBy(doc, stage, "sources");
}
/// True if the stage acts: it is on, and so is one of its switches (switchesOf), if it has any.
bool stageActs(const Document& doc, const Node& stage, double frame);
/// The light that a stage takes, as a question to the film (which knows nothing of what other stages put into the
/// picture);
LayerQuery sourceQuery(const Document& doc, const Node& stage);
/// what it can have for a map, asked for or not, so that asking traces no ray (of everything: there is none);
LayerQuery mapQuery(const Document& doc, const Node& stage);
/// and where it acts.
LayerQuery maskQuery(const Document& doc, const Node& stage);
/// The film layers that the stack needs, everything first. Stages that are off are asked for too, so that switching
/// them on traces no ray.
std::vector<LayerQuery> lensQueries(const Document& doc);
/// The coverages that the stack needs: where stages are confined to act.
std::vector<LayerQuery> lensMasks(const Document& doc);
/// How far beside the frame the stack needs light, in shares of the frame's height: the picture's overscan if there is
/// a stage that spreads any, on or off.
double lensOverscan(const Document& doc);
/// True if a scene was compiled with all layers that the stack of this document needs,
bool hasLayers(const Scene& scene, const Document& doc);
/// and reaches as far beside the frame.
bool hasSurroundings(const Scene& scene, const Document& doc);
/// The layer of a scene that answers a query; throws BadInput if there is none.
int layerIndex(const Scene& scene, const LayerQuery& query);

/// Light as a stack gets it: all of it, each piece in one layer, exposed.
struct LensLight {
  struct Layer {
    std::vector<LayerQuery> of; ///< the queries that it answers, besides those for all light
    Picture light;
    bool backdrop = false; ///< what of `behind` is seen: where things are moved away more of it is
    int tag = 0;           ///< layers of different tags are kept apart to the end (a light's share, say)
  };
  std::vector<Layer> layers;
  std::vector<float> alpha; ///< of the picture; empty: it has none
  Picture behind = {};      ///< the plates behind everything, whole; empty: there are none
  /// What share of a pixel shows what answers a query; null: nobody knows, stages act everywhere.
  std::function<std::vector<float>(const LayerQuery&)> coverage = {};
};

/// One stage's doing in a picture: what it came to take and to add, after amount, blend and where it acts.
struct StageResult {
  NodeId stage = 0;
  LensWork work = {}; ///< written out; empty where none was asked for
  double light =
      0; ///< sum of the luminance that it spreads in the frame, if it is in an effect; of a stage that works in place 0
  double share = 0; ///< of all light in the frame as it is after the stages of effects that follow one another here
  std::string idle = {}; ///< why it did nothing; empty: it did something
};
struct LensResult {
  Picture picture;                                  ///< with the lens
  std::vector<StageResult> stages;                  ///< of those that act
  std::vector<std::pair<int, Picture>> shares = {}; ///< by tag: they sum to the picture; empty if there is one tag
  std::vector<float> alpha = {};                    ///< with what stages made of it; empty: there was none
  Picture apart = {};    ///< light of stages whose light goes out apart; empty: there are none
  size_t notNumbers = 0; ///< pixels of the light that were no numbers, and took their neighbours' value
};

/// Which of the stages act, besides what they say themselves, and what they may read.
struct LensOptions {
  bool on = true;                 ///< false: none
  NodeId solo = 0;                ///< this one alone, on the light as it is before the lens
  NodeId until = 0;               ///< this one is the last,
  bool before = false;            ///< or the one before it
  const Assets* assets = nullptr; ///< null: there are no files
  const CancelFlag* cancel =
      nullptr; ///< develop() throws Cancelled once it is set, within a row of a stage's work; null: it goes to the end
  ConvolutionCache* convolutions = nullptr; ///< kernels of pictures before; null: none is kept
  bool works =
      true; ///< false: the picture alone is asked for, and StageResult::work stays empty where it need not be made
};

/// Applies the stack: each stage works on what the ones before it have left, and what it spreads goes on as light of
/// its sources. The result is of the context's frame.
LensResult applyLens(const LensContext& context, LensLight light, const LensOptions& options = {});

/// What the stack works on, apart from the film: unexposed.
struct SceneLight {
  std::vector<Picture> layers;  ///< of the scene's table
  std::vector<Picture> beside;  ///< of its cells, beside the frame (Film::surround()); empty: there is none
  std::vector<PlatePart> parts; ///< of `add`
  CleanCoverage covers;         ///< denoised like the layers; empty: as the film has it
  Picture keep,
      add; ///< what plates keep of each layer and add to all light (render/plate.h); empty: there are no plates
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
/// The film's light made smaller, so wide or narrower, to try the lens on it: many looks in the time of one picture.
class SmallLens {
 public:
  SmallLens(const Scene& scene, const Film& film, const std::vector<Color>& groupScales, float exposure, int width,
            const Tasks& tasks);
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
