#pragma once
#include "core/exchange/picture_file.h"
#include "core/film/denoise.h"
#include "core/lens/stack.h"
#include "core/transport/rendering.h"

namespace ilumbra {

/// The passes that a rendering can be written with, by the names of the command line.
struct Pass {
  std::string name, helpText;
};
const std::vector<Pass>& allPasses();
/// "all" (without those that are many: "crossed"), or names with commas; throws Usage for an unknown one.
std::vector<std::string> parsePasses(const std::string& list);

/// The queries that these passes need in the scene, besides those of the lens.
std::vector<LayerQuery> passQueries(const std::vector<std::string>& passes);
/// The developed picture with alpha and the passes asked for:
///   depth (Z, metres along the ray, 0 where nothing is hit), normal, albedo, identity (Cryptomatte 1.2 of first-hit
///   coverage by object), lights (a layer each, "Light of NAME", those with one word of the balance together; with
///   "Plates" they sum to the picture without lens), crossed ("Direct light of NAME" and so on), sources (what the lens
///   stages take their light from, so that the lens can be applied to the file again), lens (what each stage adds and
///   takes), emission, direct, indirect, caustics, mirrored, through (see lightPasses(); only where the scene was
///   compiled with their queries). With a denoiser the layers of light are denoised as the picture was, so that they
///   sum to it.
PictureFile pictureFile(const Document& doc, double frame, const Rendering& rendering,
                        const std::vector<Color>& groupScales, const LensResult& developed,
                        const std::vector<std::string>& passes, const Tasks& tasks, const Denoiser* denoiser = nullptr);

/// The same of a bare scene: its plates alone, which need no rendering.
PictureFile platesFile(const Document& doc, double frame, const Scene& scene, const LensResult& developed);

/// Applies the lens stack of a document to a picture. Of a file that pictureFile wrote with "sources" all is exact; of
/// any other what stages name is told by name: by its Cryptomattes (coverage × picture), masks of one channel, or
/// layers of light. Throws BadInput when nothing in the file goes by the name of what a stage takes its light from.
LensResult lensOnFile(const Document& doc, double frame, const PictureFile& file, const Tasks& tasks,
                      const Assets* assets = nullptr);

} // namespace ilumbra
